"""How far does the flare fly at three speeds, and does it clear the quay wall?"""

import nivvo

drill = nivvo.parse("""
nivvo = 1
[shooter.keeper]
at = [0, 1]
[obstacle.quay]
shape.half_space = "up"
[obstacle.quay_wall]
shape.wall = [[14, 0], [14, 3]]
shape.thick = 0.4
[ability.flare]
launch.speed = 12
launch.elevation = 45
[case.lob]
check = [{ clears = "quay_wall", margin = 0.5 }]
""")

for speed in (10, 12, 14, 16):
    changed = drill.with_settings({"ability.flare.launch.speed": speed})
    run = nivvo.fire(changed)
    outcome = nivvo.check(changed, run=run)[0]
    reach, unit = nivvo.measure(run, "range")
    print(f"{speed} m/s: lands {reach:.2f} {unit} away; {outcome.found}; {'good' if outcome.passed else 'too low'}")
