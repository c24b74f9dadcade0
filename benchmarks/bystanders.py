"""What a live step costs among many bodies that have nothing to do with what goes on, beside among few."""

from __future__ import annotations

import math
import time

import nivvo

FEW, MANY, TICKS = 20, 2_000, 60

TOP = 'nivvo = 1\nworld.view = "top"\nworld.gravity = 0\n'
SIDE = "nivvo = 1\n"
FIRES = """
[ability.rivet]
firing = {{ kind = "auto", rate = 10 }}
launch.speed = 12
limits.life = 3
{}
"""
BUOY = "[target.buoy]\nat = [4, 0.2]\nhealth = 1e9\n"
CRATES = "".join(
    f"[target.crate{k}]\nat = [{3 + 0.9 * k}, {90 + 0.2 * k}]\nshape.ball = 0.4\nmass = 2\nfriction = 0.01\n"
    for k in range(6)
)
DOES = {
    "nothing more": (TOP, "", ""),
    "shots that blink": (TOP, BUOY, "on.targets = { then = 'end', blink.within = 2 }"),
    "shots that pull": (TOP, BUOY, "on.targets = { then = 'end', pull.speed = 2 }"),
    "shots with a blast": (TOP, BUOY, "on.targets = { then = 'end', blast = { radius = 2, damage = 1 } }"),
    "six crates that fall": (SIDE, CRATES, ""),
    "one who walks": (TOP, "[shooter.keeper]\nshape.ball = 0.4\nwalk = { speed = 3, acceleration = 20 }\n", ""),
}
WAYS = {
    "stand": "shape = {{ box = [0.6, 0.4], turned = {turned} }}",
    "drift": "shape.ball = 0.4\nmove = {{ drift = [[-90, -90], [-20, 90]], speed = 0.5 }}",
    "go to and fro": "shape.ball = 0.4\nmove = {{ through = [[{x}, {y}], [{x}, {z}]], speed = 2, at_end = 'back' }}",
    "turn": "shape.box = [0.6, 0.2]\nturns = 50",
}


def bodies(count: int, way: str) -> str:
    """So many obstacles, in a spiral about all that goes on."""
    text = ""
    for k in range(count):
        angle, far = 2.399 * k, 30.0 + 2.6 * math.sqrt(k)
        x, y = round(far * math.cos(angle), 3), round(far * math.sin(angle), 3)
        more = way.format(turned=13 * k % 90, x=x, y=y, z=y + 1 + 0.01 * (k % 97))
        text += f"[obstacle.post{k}]\nat = [{x}, {y}]\n{more}\n"
    return text


def step(head: str, there: str, keys: str, count: int, way: str) -> float:
    """Mean milliseconds of a live step."""
    live = nivvo.Live(nivvo.parse(head + there + bodies(count, way) + FIRES.format(keys)))
    live.set_cursor([9.0, 0.5])
    live.press("fire")
    if "walk" in there:
        live.set_walk(1.0, 0.0)
    for _ in range(8):
        live.step()
    started = time.process_time()
    for _ in range(TICKS):
        live.step()
    return (time.process_time() - started) / TICKS * 1e3


def report() -> None:
    """Print each, among few and among many, and by how much that is more."""
    for way, motion in (*((way, "exact") for way in WAYS), ("drift", "semi-implicit"), ("turn", "semi-implicit")):
        for what, (head, there, keys) in DOES.items():
            head += f"tick.motion = '{motion}'\n"
            few, many = (step(head, there, keys, count, WAYS[way]) for count in (FEW, MANY))
            print(
                f"live step, {what}, {motion}, among obstacles that {way}: {few:.3f} ms among {FEW}, {many:.3f} ms "
                f"among {MANY}: {many / few:.2f} times"
            )


if __name__ == "__main__":
    report()
