"""A shoal that parts on a second press: where its children start, how far apart, at every time of the press."""

import itertools

import nivvo

DRILL = nivvo.parse("""
nivvo = 1
[ability.shoal]
launch = { speed = 16, elevation = 55 }
when.again.sends = { ability = "fry", gap = 0.25, speed = "kept" }
[ability.fry]
launch = { speed = 16, count = 3, fan = 50 }
shape.ball = 0.1
[obstacle.deck]
at = [0, -1]
shape.half_space = "up"
[case.split]
input = [{ t = 0, tap = "fire" }, { t = 0.5, tap = "fire" }]
""")
for press in (0.3, 0.6, 0.9, 1.2, 1.5):
    rows = [{"t": 0.0, "tap": "fire"}, {"t": press, "tap": "fire"}]
    run = nivvo.fire(DRILL.with_settings({"case.split.input": rows}))
    fry = [row for row in run.rows("births") if row["parent"]]
    lands = sorted(row["end_x"] for row in run.rows("projectiles") if row["ability"] == "fry")
    gaps = [((a["x"] - b["x"]) ** 2 + (a["y"] - b["y"]) ** 2) ** 0.5 - 0.2 for a, b in itertools.pairwise(fry)]
    where = ", ".join(f"{x:.1f}" for x in lands)
    print(f"pressed after {press} s: born {min(gaps):.2f} m apart, they land at {where} m")
