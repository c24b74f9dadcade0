"""A lob to the cursor, solved in the game's own ticks, with drag: the arc that clears the wall is taken."""

import nivvo

DRILL = """
nivvo = 1
[tick]
rate = 50
motion = "semi-implicit"
[shooter.keeper]
at = [0, 0.9]
[obstacle.ground]
shape.half_space = "up"
[obstacle.quay_wall]
shape.wall = [[9, 0], [9, {tall}]]
shape.thick = 0.4
[ability.lob]
aim.by = "cursor"
launch.speed = 17
launch.arc = "low"
launch.clears = "quay_wall"
launch.margin = 0.3
flight.drag.square = 0.004
shape.ball = 0.15
[case.throw]
input = [{{ t = 0.0, cursor = [18, 0.15], tap = "fire" }}]
check = [{{ lands = [18, 0], within = 0.01 }}]
"""
for tall in (1.5, 4.5, 30):
    drill = nivvo.parse(DRILL.format(tall=tall))
    run = nivvo.fire(drill)
    if run.refused:
        print(f"wall of {tall} m: not fired, {run.refused[0].refused}")
        continue
    print(f"wall of {tall} m: {run.fired[0].note}")
    print(f"   {nivvo.check(drill)[0].found}")
cheap = nivvo.plain_preview(nivvo.parse(DRILL.format(tall=1.5)))
print(f"a preview without drag would be {cheap.gap_at_landing:.2f} m off at landing")
