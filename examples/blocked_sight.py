"""The eye sees the target, the muzzle beside it does not: told, or not fired at all."""

import nivvo

DRILL = """
nivvo = 1
world.view = "space"
[shooter.keeper]
at = [0, 0, 1]
eye.up = 0.7
muzzle.hand.forward = 0.6
muzzle.hand.right = 0.45
[obstacle.mast]
at = [4, {mast}, 0]
shape.capsule = [[0, 0, 0], [0, 0, 5]]
shape.radius = 0.1
[target.wisp]
at = [25, 0, 1.7]
[ability.spike]
aim.by = "sight"
aim.line_blocked = "{blocked}"
launch.speed = 60
flight.gravity_share = 0
[case.look]
input = [{{ t = 0.0, look = [0, 0], tap = "fire" }}]
"""
for mast, blocked in ((-2.0, "fire anyway"), (-0.39, "fire anyway"), (-0.39, "refuse")):
    run = nivvo.fire(nivvo.parse(DRILL.format(mast=mast, blocked=blocked)))
    shot = (run.fired or run.refused)[0]
    touched = ", ".join(row["body"] for row in run.rows("contacts")) or "nothing"
    print(f"mast at y = {mast}, blocked = {blocked!r}: {shot.refused or shot.note}; touched {touched}")
