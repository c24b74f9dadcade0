"""Each kind of effect and what applies it, in the order in which they are applied."""

from nivvo.plan.abilities.effects import Anchor, Blast, Blink, Knock, Lasting, Pull, Removes, Score, Sends
from nivvo.play.effects import anchor, blast, blink, knock, lasting, pull, removes, score, sends

EFFECTS = {
    Score: score.apply,
    Blast: blast.apply,
    Lasting: lasting.apply,
    Knock: knock.apply,
    Pull: pull.apply,
    Anchor: anchor.apply,
    Removes: removes.apply,
    Sends: sends.apply,
    Blink: blink.apply,
}
