"""Each kind of effect and what applies it, in the order in which they are applied."""

from nivvo.plan.effects import Blast, Blink, Removes, Score, Sends
from nivvo.play.effects import blast, blink, removes, score, sends

EFFECTS = {Score: score.apply, Blast: blast.apply, Removes: removes.apply, Sends: sends.apply, Blink: blink.apply}
