"""What a crowd costs: bodies that chase, arrivals in waves, contacts from which something follows, who walks."""

from __future__ import annotations

import statistics
import time

import numpy as np

import nivvo
from nivvo.core import pool
from nivvo.core.flying.forces import acting

CHASERS, SHOTS, TICKS = 200, 1_000, 300

WAVE = """nivvo = 1
world.view = "top"
[shooter.keeper]
shape.ball = 0.4
[ability.rivet]
firing = {{ kind = "auto", rate = 5, button = "rivet" }}
aim = {{ by = "nearest", group = "gulls" }}
launch.speed = 40
limits.life = 0.5
on.gulls.damage = 100
[target.gull]
shape.ball = 0.5
group = "gulls"
health = 10
move = {{ chase = "keeper", speed = 4 }}
wave = {{ count = {count}, every = 0.2, edges = [[-20, -20], [20, 20]] }}
[case.held]
lasts = {seconds}
input = [{{ t = 0, press = "rivet" }}]
"""

RAIN = """nivvo = 1
[shooter.keeper]
at = [0, 2]
[ability.rain]
firing = {{ kind = "auto", rate = 50, button = "rain" }}
launch = {{ speed = 20, count = 200, fan = 40 }}
flight.gravity_share = 0
on.walls = {{ then = "end"{effect} }}
[obstacle.wall]
at = [11, 2]
shape.box = [1, 40]
group = "walls"
mass = 1000
{ground}[target.wisp]
at = [9, {high}]
health = 1e9
[case.rain]
lasts = 2
input = [{{ t = 0, hold = "rain", held = 0.99 }}]
"""

WALK = """nivvo = 1
[shooter.keeper]
at = [0, 0.9]
shape = { capsule = [[0, -0.6], [0, 0.6]], radius = 0.3 }
walk.speed = 3
[ability.flare]
launch.speed = 1
[obstacle.quay]
shape.half_space = "up"
[obstacle.wall]
at = [40, 0]
shape.box = [1, 6]
"""


def typical(live: nivvo.Live) -> float:
    """Median milliseconds of a step."""
    spent = []
    for _ in range(TICKS):
        started = time.perf_counter()
        live.step()
        spent.append(time.perf_counter() - started)
    return statistics.median(spent) * 1e3


GROUND = """[obstacle.quay]
at = [0, -18]
shape.half_space = "up"
"""

ROUNDS = 6
"""How often what has an effect and what has none are fired, in turn."""


def chasing(touching: bool) -> float:
    """Median milliseconds of a live step: 200 chase the shooter, 1,000 are in the air."""
    rng = np.random.default_rng(2)
    text = 'nivvo = 1\nworld.view = "top"\n[shooter.keeper]\nhealth = 1e9\n[ability.rivet]\nlaunch.speed = 20\n'
    for k, turn in enumerate(rng.uniform(0, 2 * np.pi, CHASERS)):
        far = rng.uniform(40, 80)
        text += f"[target.gull{k}]\nat = [{far * np.cos(turn)}, {far * np.sin(turn)}]\n"
        text += 'move = { chase = "keeper", speed = 3 }\n' + ("on_shooter.damage = 1\n" if touching else "")
    live = nivvo.Live(nivvo.parse(text))
    arena = live._session.arena
    launch = arena.new_params(acting(np.zeros(3)), 0.1, then=pool.PASS)
    p, turn = rng.uniform(-90, 90, (SHOTS, 3)), rng.uniform(0, 2 * np.pi, SHOTS)
    p[:, 2] = 0.0
    arena.put(launch, p, 6.0 * np.stack([np.cos(turn), np.sin(turn), 0 * turn], axis=1), np.arange(SHOTS), 0)
    return typical(live)


def walking() -> float:
    """Median milliseconds of a live step in which somebody walks."""
    live = nivvo.Live(nivvo.parse(WALK))
    live.set_walk(1)
    return typical(live)


def players(count: int = 50) -> tuple[float, float]:
    """Median milliseconds of a live step in which so many walk, and of one in which all of them fire."""
    text = 'nivvo = 1\nworld.view = "top"\n[ability.bolt]\nlaunch.speed = 25\nlimits.life = 0.5\n'
    for k in range(count):
        text += f"[shooter.p{k}]\nat = [{k % 10 * 6 - 27}, {k // 10 * 6 - 12}]\nshape.ball = 0.4\nwalk.speed = 4\n"
    for k in range(20):
        text += f"[obstacle.b{k}]\nat = [{k % 5 * 12 - 24}, {k // 5 * 8 - 13}]\nshape.box = [2, 1]\n"
    live, spent = nivvo.Live(nivvo.parse(text)), ([], [])
    for k in range(count):
        live.set_walk(np.cos(k), np.sin(k), shooter=f"p{k}")
    for tick in range(TICKS):
        if tick % 15 == 14:
            live.tap("fire")
        started = time.perf_counter()
        live.step()
        spent[tick % 15 == 14].append(time.perf_counter() - started)
    return statistics.median(spent[0]) * 1e3, statistics.median(spent[1]) * 1e3


def aimed() -> float:
    """Median milliseconds of a shot at the nearest of those who chase, beyond those of the step."""
    text = 'nivvo = 1\nworld.view = "top"\n[ability.rivet]\naim.by = "nearest"\nlaunch.speed = 25\nlimits.life = 1\n'
    for k, turn in enumerate(np.random.default_rng(2).uniform(0, 2 * np.pi, CHASERS)):
        text += f"[target.gull{k}]\nat = [{60 * np.cos(turn)}, {60 * np.sin(turn)}]\n"
        text += 'move = { chase = "keeper", speed = 1 }\n'
    live, spent = nivvo.Live(nivvo.parse(text)), ([], [])
    for tick in range(TICKS):
        if tick % 2:
            live.tap("fire")
        started = time.perf_counter()
        live.step()
        spent[tick % 2].append(time.perf_counter() - started)
    return (statistics.median(spent[1]) - statistics.median(spent[0])) * 1e3


def arrivals(count: int) -> float:
    """Milliseconds of each of so many arrivals, firing included."""
    drill = nivvo.parse(WAVE.format(count=count, seconds=0.2 * count + 1))
    started = time.perf_counter()
    nivvo.fire(drill, patient=True, keep="contacts")
    return (time.perf_counter() - started) / count * 1e3


def following(effect: str, high: float = 30.0, falls: bool = False) -> float:
    """Seconds of 10,000 shots in a second that touch a wall, with an effect at each contact.

    high : of a target. falls : whether the wall falls all the while; what is pushed moves all the while, too.
    """
    drill = nivvo.parse(RAIN.format(effect=effect, high=high, ground="" if falls else GROUND))
    started = time.perf_counter()
    nivvo.fire(drill, patient=True, compiled=True)
    return time.perf_counter() - started


def ratio(effect: str, *scene) -> float:
    """What contacts with an effect take, of the same flight without: both at their best of several, in turn."""
    with_it, without = zip(*((following(effect, *scene), following("", *scene)) for _ in range(ROUNDS)), strict=True)
    return min(with_it) / min(without)


def report() -> None:
    """Print all of it."""
    print(f"\n{CHASERS} chase and {SHOTS:,} are in the air: a live step takes {chasing(False):.2f} ms (bar 0.6)")
    print(f"  and are a danger to touch: {chasing(True):.2f} ms (bar 0.6)")
    print(f"a shot at the nearest of them: {aimed():.2f} ms")
    print(f"somebody walks among two bodies: {walking():.3f} ms a live step")
    walk, fire = players()
    print(f"50 walk among twenty: {walk:.2f} ms a live step, {fire:.1f} ms if all fire in it")
    counts = (500, 2_000)
    print("arrivals, each: " + ", ".join(f"{arrivals(count):.1f} ms of {count:,}" for count in counts))
    blast = ", blast = { radius = 3, damage = 1 }"
    for what, effect, *scene in (
        ("score", ", score.points = 1"),
        ("blast", blast),
        ("blast, 6,000 of which hurt somebody", blast, 3.0),
        ("knock", ", knock.impulse = 0.001", 30.0, True),
        ("lasting", ", lasting = { damage = 1, every = 0.5, times = 2 }"),
        ("anchor", ", anchor.most = 5"),
    ):
        print(f"10,000 contacts with a {what}: {ratio(effect, *scene):.2f} of the flight (bar 2)")
