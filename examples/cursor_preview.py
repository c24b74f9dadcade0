"""Dots for an aim mark: what a game draws while the player moves the cursor, and whether the shot follows it."""

import numpy as np

import nivvo

drill = nivvo.parse("""
nivvo = 1
world.view = "top"
world.unit = "px"
[shooter.keeper]
at = [100, 300]
shape.ball = 16
[obstacle.bollard]
at = [340, 260]
shape.ball = 24
[ability.rivet]
aim.by = "cursor"
launch.speed = 600
shape.ball = 4
limits.reach = 500
[case.aim]
input = [{ t = 0.5, cursor = [340, 260], tap = "fire" }]
""")

for cursor in ([340, 260], [340, 120], [100, 300]):
    dots = nivvo.preview(drill, cursor=cursor, spacing=40)
    end = f"lands on {dots.landing.body}" if dots.landing else dots.reason
    print(f"cursor {cursor}: {len(dots.points)} dots up to {np.round(dots.points[-1], 1)}, {end}")

run = nivvo.fire(drill)
dots = nivvo.preview(drill, spacing=40, at=0.5)
flown, _ = run.flight("rivet-1").at(dots.times + 0.5)
print(f"largest gap between dots and flight: {np.abs(flown[:, :2] - dots.points).max():.1e} px")
