"""Each kind of effect and what applies it, in the order in which they are applied."""

from nivvo.plan.effects import Sends
from nivvo.play.effects import sends

EFFECTS = {Sends: sends.apply}
