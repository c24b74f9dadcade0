"""Homing, four ways: what each law does against a wisp that flees, how long it follows, how tight it can turn."""

import nivvo

DRILL = """
nivvo = 1
[ability.tern]
launch = {{ speed = 15, elevation = 70 }}
flight.gravity_share = 0
flight.homing = {{ law = "{law}", after = 0.2{turns} }}
limits.life = 6
[target.wisp]
at = [22, 3]
shape.ball = 0.5
move.velocity = [4, 1]
[case.chase]
"""
for law in ("pursuit", "lead", "proportional", "blend"):
    turns = "" if law == "blend" else ", turn_rate = 160"
    run = nivvo.fire(nivvo.parse(DRILL.format(law=law, turns=turns)))
    row, chase = run.rows("projectiles")[0], run.rows("pursuits")[0]
    print(
        f"{law:12} {row['reason']} at {row['ended']:.3f} s, {row['path_length']:.1f} m of path, "
        f"locked on for {chase['followed_for']:.2f} s, least circle {chase['turn_radius']:.1f} m"
    )
