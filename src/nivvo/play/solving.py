"""All launches that carry an ability's shot to a point, each flown to see what stands in its way."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from nivvo.core import clock, launch
from nivvo.core.frame import unit
from nivvo.core.shapes import HALF_SPACE, distance
from nivvo.errors import CallError
from nivvo.play.aiming import Shot
from nivvo.play.arcs import fall_of
from nivvo.play.engine import Runner, in_hand_of, scene_of
from nivvo.play.path import Path
from nivvo.play.run import Run
from nivvo.play.stance import stance_of
from nivvo.play.track import tracks
from nivvo.spec.document import known
from nivvo.spec.drill import Drill


@dataclass(frozen=True)
class Solution:
    """One launch to a point.

    how : "low", "high", "least speed", "by elevation", "by time", "by apex". speed : units/s.
    elevation, direction : degrees. time : s of flight. apex : units above the muzzle. arrival_speed :
    units/s; arrival_elevation : degrees, negative when it comes down. least_gap : units between it and
    the nearest obstacle on the way (ground aside); near : that obstacle. stopped_by : what stops it on
    the way (a body, or in words why it ends), or "".
    miss : how far from the point the flight passes at that time, units; flown in the drill's own step.
    run : the flight, up to its first touch. path : the same, whatever stands in its way.
    """

    how: str
    speed: float
    elevation: float
    direction: float
    time: float
    apex: float
    arrival_speed: float
    arrival_elevation: float
    least_gap: float
    near: str
    stopped_by: str
    miss: float
    run: Run
    path: Path

    def row(self) -> dict:
        """As a row of a table."""
        names = [name for name in self.__dataclass_fields__ if name not in ("run", "path")]
        return {name: getattr(self, name) for name in names}


def solutions(
    drill: Drill,
    case: str | None = None,
    *,
    ability: str | None = None,
    to=None,
    at: float = 0.0,
    speed: float | None = None,
    elevation: float | None = None,
    time: float | None = None,
    apex: float | None = None,
) -> list[Solution]:
    """Every launch from the ability's muzzle to a point, in the drill's own tick rules.

    Parameters
    ----------
    ability : name; None takes the first of the case
    to : the point; None takes the case's cursor, else the first target's middle
    at : time of firing, s
    speed, elevation, time, apex : solve for these; None takes what the ability has. Low and high arcs of
        the speed and the least speed are always there when they exist.

    Raises CallError for unknown names and values that make no sense.
    """
    name = case or drill.cases[0]
    scene = scene_of(drill, name)
    ability = known(ability or in_hand_of(drill, name)[0], scene.abilities, "ability")
    for word, value in (("speed", speed), ("time", time), ("at", at + 1.0)):
        if value is not None and not 0.0 < value <= 1e12:
            raise CallError(f"{word} must be above 0, not {value}")
    if apex is not None and not 0.0 <= apex <= 1e12:
        raise CallError(f"apex must be at least 0, not {apex}")
    if elevation is not None and not -90.0 <= elevation <= 90.0:
        raise CallError(f"elevation must be from -90 to 90 degrees, not {elevation}")
    keys = scene.abilities[ability].launch
    wanted = {
        "speed": speed if speed is not None else _plain(keys.speed),
        "by elevation": elevation if elevation is not None else _plain(keys.elevation),
        "by time": time if time is not None else keys.time,
        "by apex": apex if apex is not None else keys.apex,
    }
    now = clock.from_seconds(at)
    point = _point(drill, name, ability, to, now)
    base = _aimed(scene, ability, now, point)
    found = []
    for how, value in _ways(wanted):
        solution = _solved(drill, name, base, point, how, value, now)
        if solution is not None:
            found.append(solution)
    return found


def _plain(value) -> float | None:
    return value if isinstance(value, float) or value is None else value.at(0)


def _ways(wanted: dict) -> list[tuple[str, float | None]]:
    ways: list[tuple[str, float | None]] = []
    if wanted["speed"] is not None:
        ways += [(launch.LOW, wanted["speed"]), (launch.HIGH, wanted["speed"])]
    ways.append(("least speed", None))
    ways += [(how, wanted[how]) for how in ("by elevation", "by time", "by apex") if wanted[how] is not None]
    return ways


def _point(drill: Drill, case: str, ability: str, to, now: int) -> np.ndarray:
    scene = scene_of(drill, case)
    size = scene.frame.size
    if to is not None:
        to = np.asarray(to, dtype=float)
        if to.shape != (size,) or not np.isfinite(to).all():
            raise CallError(f"the point must be {size} finite numbers, not {to.tolist()}")
        return scene.frame.lift(to)
    track = tracks(drill.case(case), scene, [ability])[scene.abilities[ability].shooter or sorted(scene.shooters)[0]]
    if (cursor := track.cursor(now)) is not None:
        return cursor
    targets = list(drill.of_case(case).target)
    if not targets:
        raise CallError("there is nothing to solve for: give a point, as --to 20,1.5")
    row = scene.bodies[scene.number[targets[0]]]
    return row["c0"] + row["v0"] * clock.to_seconds(now)


def _aimed(scene, ability: str, now: int, point: np.ndarray) -> Shot:
    """A shot of the ability with its muzzle as it is when it heads for the point; each solution turns it further."""
    shooter = scene.abilities[ability].shooter or sorted(scene.shooters)[0]
    stance = stance_of(scene, scene.abilities[ability], shooter, now)
    heading = unit(point - stance.pivot)
    heading = heading if heading.any() else stance.facing
    return Shot(
        number=0, ability=ability, shooter=shooter, muzzle=stance.muzzle, time=now, pressed=now, stance=stance,
        at=stance.muzzle_at(heading), heading=heading, velocity=heading, speed=1.0, clearance=np.nan,
        cursor=point, note="",
    )  # fmt: skip


def _solved(drill: Drill, case: str, base: Shot, point, how: str, value, now: int) -> Solution | None:
    scene = scene_of(drill, case)
    ability = scene.abilities[base.ability]
    a = scene.gravity * ability.flight.gravity
    if not a.any() and how not in (launch.LOW, "by time"):
        return None
    fall = fall_of(scene, now) if a.any() else None
    if how == "least speed":
        value = _best_elevation(scene, base, point, a, fall)
    found, shot = _settled(scene, base, point, how, value, a, fall)
    return _flown(drill, case, shot, point, how, float(found.time)) if np.isfinite(found.time) else None


def _settled(scene, base: Shot, point, how: str, value, a, fall) -> tuple[launch.Launch, Shot]:
    """A launch and its shot, the muzzle where it is when it heads that way; time nan if there is none."""
    up, shot = scene.frame.up, base
    for _ in range(60):
        to = point - shot.at
        if how in (launch.LOW, launch.HIGH):
            found = launch.by_speed(to, a, value, how, fall=fall)
        elif how == "by time":
            found = launch.by_time(to, a, value, fall=fall)
        elif how == "by apex":
            found = launch.by_apex(to, a, up, value, fall=fall)
        else:
            found = launch.by_elevation(to, a, up, value, fall=fall)
        if not np.isfinite(found.time):
            break
        moved = _along(base, found.velocity)
        still = np.abs(moved.at - shot.at).max() <= 1e-14 * scene.size
        shot = moved
        if still:
            break
    return found, shot


def _best_elevation(scene, base: Shot, point, a, fall) -> float:
    """The elevation (degrees) at which the least speed is needed, by golden section above the line of sight."""
    to = point - base.at
    flat = scene.frame.level(to)
    low = float(np.degrees(np.arctan2(to @ scene.frame.up, np.sqrt(flat @ flat)))) + 1e-6
    high, golden = 90.0 - 1e-6, 0.5 * (5.0**0.5 - 1.0)

    def speed(elevation: float) -> float:
        found, shot = _settled(scene, base, point, "by elevation", elevation, a, fall)
        return shot.speed if np.isfinite(found.time) else np.inf

    for _ in range(45):
        x, y = high - golden * (high - low), low + golden * (high - low)
        low, high = (low, y) if speed(x) <= speed(y) else (x, high)
    return 0.5 * (low + high)


def _along(base: Shot, velocity) -> Shot:
    """A shot with another velocity, from where its muzzle is when it heads that way."""
    heading = unit(velocity)
    speed = float(np.sqrt(velocity @ velocity))
    return replace(base, at=base.stance.muzzle_at(heading), heading=heading, velocity=velocity, speed=speed)


def _flown(drill: Drill, case: str, shot: Shot, point, how: str, time: float) -> Solution:
    scene = scene_of(drill, case)
    frame = scene.frame
    runner = Runner(scene, scene.arena(), touches="end")
    runner.tick = scene.ticks.holding(shot.time)
    runner.put(shot)
    runner.finish()
    run = runner.run(drill.name, case)
    free = Runner(scene, scene.arena(), touches="ignore")
    free.tick = scene.ticks.holding(shot.time)
    free.put(shot)
    free.finish()
    flight = free.run(drill.name, case)
    path = flight.flight(flight.id_of(shot))
    arrives = path.moves_at + time
    p, v = path.at(arrives)
    stopped = next((row["body"] for row in run.rows("contacts") if row["time"] < arrives - 1e-9), "")
    if stopped and _holds(scene, stopped, point, arrives):
        stopped = ""
    if not stopped and arrives > path.t[-1] + 1e-9:
        stopped = flight.rows("projectiles")[0]["reason"]
    gap, near = _least_gap(scene, path, arrives, scene.radius(scene.abilities[shot.ability]))
    speed = float(np.sqrt(v @ v))
    return Solution(
        how=how,
        speed=shot.speed,
        elevation=float(frame.elevation(shot.velocity)),
        direction=float(frame.bearing(shot.velocity)),
        time=time,
        apex=_apex(frame, path, arrives),
        arrival_speed=speed,
        arrival_elevation=float(frame.elevation(v)),
        least_gap=gap,
        near=near,
        stopped_by=stopped,
        miss=float(np.sqrt(((p - point) ** 2).sum())),
        run=run,
        path=path,
    )


def _holds(scene, name: str, point, time: float) -> bool:
    """Whether the point lies in a target at that time: to touch that on the way is to arrive."""
    number = scene.number[name]
    row = scene.bodies[number]
    d = point - row["c0"] - row["v0"] * time
    return scene.kinds[number] == "target" and distance(row, (float(d[0]), float(d[1]), float(d[2])))[0] <= 0.0


def _apex(frame, path: Path, until: float) -> float:
    if not frame.vertical:
        return 0.0
    times = np.append(path.t[path.t <= until], until)
    if path.a is not None:
        pull = -float(path.a @ frame.up)
        top = path.moves_at + (float(path.v[0] @ frame.up) / pull if pull > 0.0 else 0.0)
        times = np.append(times, np.clip(top, path.t[0], until))
    return float(frame.height(path.at(times)[0] - path.p[0]).max())


def _least_gap(scene, path: Path, until: float, radius: float) -> tuple[float, str]:
    """The least gap between the flight and any obstacle with an end on the way, and which."""
    times = np.linspace(path.t[0], until, 400)
    points, best = path.at(times)[0], (np.nan, "")
    for row, name, kind in zip(scene.bodies, scene.names, scene.kinds, strict=True):
        if kind != "obstacle" or row["kind"] == HALF_SPACE:
            continue
        gaps = []
        for p, t in zip(points, times, strict=True):
            d = p - row["c0"] - row["v0"] * t
            gaps.append(float(distance(row, (float(d[0]), float(d[1]), float(d[2])))[0]) - radius)
        if not best[1] or min(gaps) < best[0]:
            best = (min(gaps), name)
    return best
