"""Small drills that the tests of play, judge and show share."""

import nivvo

BASE = """nivvo = 1
[world]
{world}
[tick]
{tick}
[shooter.keeper]
{shooter}
[obstacle.ground]
shape.half_space = "up"
[target.wisp]
at = [31.5, 2.4]
group = "wisps"
health = 30
[ability.flare]
launch.speed = 18
launch.elevation = 40
on.wisps.damage = 12
{ability}
[case.tap]
{case}
"""


def drill(text="", world="", tick="", shooter="at = [0, 1]", ability="", case=""):
    """A side view drill with parts filled in, and ``text`` after it."""
    return nivvo.parse(BASE.format(world=world, tick=tick, shooter=shooter, ability=ability, case=case) + text)
