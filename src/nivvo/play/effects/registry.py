"""Each kind of effect and what applies it, in the order in which they are applied."""

from nivvo.plan.effects import Blast, Blink, Knock, Lasting, Removes, Score, Sends
from nivvo.play.effects import blast, blink, knock, lasting, removes, score, sends

EFFECTS = {
    Score: score.apply,
    Blast: blast.apply,
    Lasting: lasting.apply,
    Knock: knock.apply,
    Removes: removes.apply,
    Sends: sends.apply,
    Blink: blink.apply,
}
