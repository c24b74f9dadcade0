"""Leading a wisp that drifts: where a shot must go to meet it, and until when one can."""

import nivvo

DRILL = """
nivvo = 1
[shooter.keeper]
at = [0, 1]
[target.drifter]
at = [14, 5]
shape.ball = 0.5
move.velocity = [{pace}, 0.5]
move.acceleration = [0, -0.4]
[ability.rivet]
aim.by = "lead"
aim.without_target = "refuse"
launch.speed = 22
flight.drag.linear = 0.1
shape.ball = 0.05
[case.led]
check = [{{ hits = "drifter" }}]
"""
for pace in (-3, 0, 3, 9, 30):
    run = nivvo.fire(nivvo.parse(DRILL.format(pace=pace)))
    if run.refused:
        print(f"drifting at {pace:3} m/s: {run.refused[0].refused}")
    else:
        row, touch = run.rows("shots")[0], run.rows("contacts")[0]
        print(f"drifting at {pace:3} m/s: {row['elevation']:.2f} degrees up, met after {touch['time']:.3f} s")
