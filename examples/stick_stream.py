"""A stream aimed by the stick: eight ways, a dead zone, a turn rate; the same at every tick rate."""

import numpy as np

import nivvo

DRILL = """
nivvo = 1
world.view = "top"
world.unit = "px"
tick.rate = {rate}
[shooter.keeper]
at = [400, 300]
shape.ball = 16
[ability.stream]
aim = {{ by = "stick", dead_zone = 0.25, snap = 8, turn_rate = 270 }}
launch.speed = 620
limits.reach = 300
[case.sweep]
input = [{inputs}]
"""
stick = [(0.0, [1, 0]), (0.3, [0, 1]), (0.8, [0.1, 0.1]), (1.0, [-0.7, 0.7])]
rows = [f"{{ t = {t}, stick = {xy} }}" for t, xy in stick]
rows += [f'{{ t = {k / 10}, tap = "fire" }}' for k in range(15)]
turned = {}
for rate in (30, 60, 144):
    shots = nivvo.fire(nivvo.parse(DRILL.format(rate=rate, inputs=", ".join(rows)))).shots
    turned[rate] = shots["direction"].to_numpy()
    print(f"{rate:4} Hz:", " ".join(f"{angle:5.1f}" for angle in turned[rate]))
gap = max(np.abs(turned[60] - turned[rate]).max() for rate in turned)
print(f"largest difference between tick rates: {gap:.1e} degrees")
