"""All launches that carry an ability's shot to a point, each flown to see what stands in its way."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from os import PathLike

import numpy as np

from nivvo.core.geometry.shapes import HALF_SPACE
from nivvo.core.launching import launch
from nivvo.core.numbers import clock
from nivvo.core.numbers.frame import dot, unit
from nivvo.errors import CallError
from nivvo.plan.abilities.numbers import AT_FIRST, Moment, resolve
from nivvo.plan.case import Case, case_of
from nivvo.play.aims.aiming import Sent, Shot, speed_of, within_limits
from nivvo.play.aims.arcs import Task, launched, settled, task_of
from nivvo.play.aims.stance import stance_of
from nivvo.play.engine import ability_in, first_shot, scratch
from nivvo.play.outcome.happened import nearest_to
from nivvo.play.outcome.run import Run
from nivvo.play.questions.holding import hold_for
from nivvo.play.stage.stage import Stage
from nivvo.record.path import Path
from nivvo.results import Results, Tabled
from nivvo.spec.arguments import checked
from nivvo.spec.drill import Drill
from nivvo.spec.words.nearest import known

SINGLE = ("by elevation", "by flight time", "by apex", "by arrival")
"""Ways of solving of which a drill or a call says what they are to reach."""


@dataclass(frozen=True, repr=False)
class Solution(Tabled):
    """One launch to a point.

    how : "low", "high", "least speed", "by elevation", "by flight time", "by apex", "by arrival". speed : units/s,
    elevation, direction : degrees: of the launch, as its keys have them, before what it inherits. held : s, the
    shortest hold with that speed; nan where none has it, or it hangs on no hold. flight_time : s.
    apex : units above the muzzle. arrival_speed : units/s; arrival_elevation : degrees, negative when it comes down.
    least_gap : units between it and the nearest obstacle on the way (ground aside); near : that obstacle. stopped_by :
    what stops it on the way (a body, or in words why it ends, or that its aim does not go there), or "".
    miss : how far from the point the flight passes at that time, units; flown in the drill's own step.
    run : the flight, up to its first touch. path : the same, whatever stands in its way.
    """

    how: str
    speed: float
    elevation: float
    direction: float
    held: float
    flight_time: float
    apex: float
    arrival_speed: float
    arrival_elevation: float
    least_gap: float
    near: str
    stopped_by: str
    miss: float
    run: Run
    path: Path

    def __repr__(self) -> str:
        unit = self.run.scene.unit
        ends = f", stopped by {self.stopped_by}" if self.stopped_by else ""
        return (f"<Solution {self.how}: {self.speed:.5g} {unit}/s at {self.elevation:.5g}°, "
                f"{self.flight_time:.4g} s{ends}>")  # fmt: skip

    def as_rows(self) -> list[dict]:
        """As a row of a table."""
        names = [name for name in self.__dataclass_fields__ if name not in ("run", "path")]
        return [{name: getattr(self, name) for name in names}]


@checked
def solutions(
    drill: Drill | str | PathLike[str],
    case: str | None = None,
    *,
    ability: str | None = None,
    to: Sequence[float] | str | None = None,
    at: float | None = None,
    speed: float | None = None,
    elevation: float | None = None,
    flight_time: float | None = None,
    apex: float | None = None,
    arrival: float | None = None,
) -> Results[Solution]:
    """Every launch from the ability's muzzle to a point, in the drill's own tick rules.

    Parameters
    ----------
    ability : name; None takes the first of the case
    to : the point, or the name of a body: its middle; None takes the case's cursor, else the first target's middle
    at : time of firing, s; None takes when the case first fires it, with the hold that it then has, or 0
    arrival : elevation at which it comes to the point, degrees, below 0 on the way down
    speed, elevation, flight_time, apex : solve for these; None takes what the ability has. Low and high arcs of
        the speed and the least speed are always there when they exist.

    Raises CallError for unknown names and values that make no sense.
    """
    case = case_of(drill, case)
    scene, ability = case.scene, ability_in(case, ability)
    for word, value in (("speed", speed), ("flight_time", flight_time)):
        if value is not None and not 0.0 < value <= 1e12:
            raise CallError(f"{word} must be above 0, not {value}")
    for word, value in (("apex", apex), ("at", at)):
        if value is not None and not 0.0 <= value <= 1e12:
            raise CallError(f"{word} must be at least 0, not {value}")
    for word, value in (("elevation", elevation), ("arrival", arrival)):
        if value is not None and not -90.0 <= value <= 90.0:
            raise CallError(f"{word} must be from -90 to 90 degrees, not {value}")
    keys_of, shooter = scene.abilities[ability], scene.shooter_of(ability)
    shot = _first(case, ability) if at is None else None
    now, moment = (clock.from_seconds(at or 0.0), AT_FIRST) if shot is None else (shot.time, shot.moment)
    keys = keys_of.launch
    wanted = {
        "speed": speed if speed is not None else speed_of(scene, keys_of, moment, now)[0],
        "by elevation": elevation if elevation is not None else _plain(keys.elevation, moment),
        "by flight time": flight_time if flight_time is not None else keys.flight_time,
        "by apex": apex if apex is not None else keys.apex,
        "by arrival": arrival,
    }
    stage = scratch(case, now).stage
    point = _point(stage, shooter, to, now)
    task = task_of(stage, keys_of, moment, now, stance_of(stage, keys_of, shooter, now), speed)
    base = _aimed(task, ability, point)
    found: Results[Solution] = Results()
    for how, value in _ways(wanted):
        solution = _solved(case, task, base, point, how, value)
        if solution is not None:
            found.append(solution)
    return found


def _first(case: Case, ability: str) -> Shot | None:
    try:
        return first_shot(case, ability)
    except CallError:
        says = f"there is too much to do in {case.name} before it fires {ability}; say when that is: at, or --at"
        raise CallError(says) from None


def body_at(run: Run, point) -> str:
    """The target whose middle is at a point (3,), at the time of firing; "" if there is none."""
    stage, time = run.stage, run.fired[0].time
    at = [k for k in stage.of_kind("target") if not np.any(stage.centre(k, time) - point)]
    return stage.names[at[0]] if at else ""


def _plain(value, moment: Moment) -> float | None:
    return value if isinstance(value, float) or value is None else resolve(value, moment, "elevation")


def _ways(wanted: dict) -> list[tuple[str, float | None]]:
    ways: list[tuple[str, float | None]] = []
    if wanted["speed"] is not None:
        ways += [(launch.LOW, wanted["speed"]), (launch.HIGH, wanted["speed"])]
    ways.append(("least speed", None))
    ways += [(how, wanted[how]) for how in SINGLE if wanted[how] is not None]
    return ways


def _point(stage: Stage, shooter: str, to, now: int) -> np.ndarray:
    frame = stage.scene.frame
    if isinstance(to, str):
        return stage.centre(stage.number[known(to, stage.number, "body")], now)
    if to is not None:
        to = np.asarray(to, dtype=float)
        if to.shape != (frame.size,) or not np.isfinite(to).all():
            raise CallError(f"the point must be {frame.size} finite numbers, not {to.tolist()}")
        return frame.lift(to)
    if (cursor := stage.players[shooter].cursor(now)) is not None:
        return cursor
    if stage.scene.first_target is None:
        raise CallError("there is nothing to solve for: give a point, as --to 20,1.5")
    return stage.centre(stage.number[stage.scene.first_target], now)


def _aimed(task: Task, name: str, point: np.ndarray) -> Shot:
    """A shot of the ability with its muzzle as it is when it heads for the point; each solution turns it further."""
    stance = task.stance
    heading = unit(point - stance.pivot)
    heading = heading if heading.any() else stance.facing
    at = stance.muzzle_at(heading)
    return Shot(
        number=0, ability=name, shooter=stance.shooter, muzzle=stance.muzzle, time=task.time, pressed=task.time,
        stance=stance, at=at, heading=heading, velocity=heading, speed=1.0, clearance=np.nan,
        aim_point=point, note="", sent=(Sent(at, heading),),
    )  # fmt: skip


def _solved(case: Case, task: Task, base: Shot, point, how: str, value) -> Solution | None:
    if not task.air.a.any() and how not in (launch.LOW, "by flight time"):
        return None
    if how == "least speed":
        value = _best_elevation(task, base, point)
    found, shot = _settled(task, base, point, how, value)
    return _flown(case, shot, point, how, float(found.time)) if np.isfinite(found.time) else None


def _settled(task: Task, base: Shot, point, how: str, value) -> tuple[launch.Launch, Shot]:
    """A launch and its shot, the muzzle where it is when it heads that way; time nan if there is none."""
    way, up = "by elevation" if how == "least speed" else how, task.stage.scene.frame.up

    def found(at) -> launch.Launch:
        made = launched(way, value, point - at, task.air.leaving(at), task.own, up)
        return launch.Launch(made.velocity - task.own, made.time)

    _, made, _ = settled(task.stance, point, found)
    return made, _along(base, made.velocity + task.own, task.own) if np.isfinite(made.time) else base


def _best_elevation(task: Task, base: Shot, point) -> float:
    """The elevation (degrees) at which the least speed is needed, by golden section from the line of sight on.

    On the side of it where what acts comes from: above, but where it is blown back more steeply than that.
    """
    frame, to, a = task.stage.scene.frame, point - base.at, task.air.a
    flat = frame.level(to)
    sight = float(np.degrees(np.arctan2(dot(to, frame.up), np.sqrt(dot(flat, flat)))))
    against = float(np.degrees(np.arctan2(-dot(a, frame.up), -dot(a, unit(flat)))))
    low, high = (sight, 90.0) if against > sight else (-90.0, sight)
    low, high, golden = low + 1e-6, high - 1e-6, 0.5 * (5.0**0.5 - 1.0)

    def speed(elevation: float) -> float:
        found, shot = _settled(task, base, point, "by elevation", elevation)
        return shot.speed if np.isfinite(found.time) else np.inf

    x, y = high - golden * (high - low), low + golden * (high - low)
    left, right = speed(x), speed(y)
    for _ in range(45 if task.air.thin else 24):
        if left <= right:
            high, y, right = y, x, left
            x = high - golden * (high - low)
            left = speed(x)
        else:
            low, x, left = x, y, right
            y = low + golden * (high - low)
            right = speed(y)
    return 0.5 * (low + high)


def _along(base: Shot, velocity, own) -> Shot:
    """A shot with another velocity (what it inherits is in it), from where its muzzle is when it heads that way."""
    asked = velocity - own
    heading = unit(asked)
    at = base.stance.muzzle_at(heading)
    speed = float(np.sqrt(dot(asked, asked)))
    return base._replace(at=at, heading=heading, velocity=velocity, speed=speed, sent=(Sent(at, velocity),))


def _flown(case: Case, shot: Shot, point, how: str, time: float) -> Solution:
    scene, frame = case.scene, case.scene.frame
    run = _fired(case, shot, "end")
    flight = _fired(case, shot, "ignore")
    path = flight.flight(flight.id_of(shot))
    arrives = path.moves_at + time
    p, v = path.at(arrives)
    _, beyond = within_limits(scene.abilities[shot.ability], shot.stance, shot.heading)
    stopped = next((row["body"] for row in run.rows("contacts") if row["time"] < arrives - 1e-9), "")
    if stopped and _holds(run.stage, stopped, point, arrives):
        stopped = ""
    if not stopped and arrives > path.t[-1] + 1e-9:
        stopped = flight.rows("projectiles")[0]["reason"]
    if beyond > 1e-9:
        stopped = f"the limits of its aim, {beyond:.4g}° short of it"
    gap, near = _least_gap(flight, path, arrives, scene.radius(scene.abilities[shot.ability]))
    speed = float(np.sqrt(dot(v, v)))
    return Solution(
        how=how,
        speed=shot.speed,
        elevation=float(frame.elevation(shot.heading)),
        direction=float(frame.direction_of(shot.heading)),
        held=hold_for(scene.abilities[shot.ability], shot.speed),
        flight_time=time,
        apex=path.apex(frame, arrives) if frame.vertical else 0.0,
        arrival_speed=speed,
        arrival_elevation=float(frame.elevation(v)),
        least_gap=gap,
        near=near,
        stopped_by=stopped,
        miss=float(np.sqrt(((p - point) ** 2).sum())),
        run=run,
        path=path,
    )


def _fired(case: Case, shot: Shot, touches: str) -> Run:
    """The flight of a shot alone, until its first touch or until its limits."""
    session = scratch(case, shot.time, touches=touches)
    session.put(shot)
    session.fly_out()
    return session.run(case.drill, case.name)


def _holds(stage: Stage, name: str, point, time: float) -> bool:
    """Whether the point lies in a target at that time: to touch that on the way is to arrive."""
    number = stage.number[name]
    return stage.kinds[number] == "target" and stage.gap(number, point, time * clock.UNITS) <= 0.0


def _least_gap(run: Run, path: Path, until: float, radius: float) -> tuple[float, str]:
    """The least gap between the flight and any obstacle with an end on the way, while that is there, and which."""
    stage, best, bounds = run.stage, None, {}
    ends = [k for k in stage.of_kind("obstacle") if stage.rows[k]["kind"] != HALF_SPACE]
    for k, bound in zip(ends, _bounds(stage, ends, path, radius), strict=True):
        bounds[stage.names[k]] = min(bound, bounds.get(stage.names[k], np.inf))
    for name in sorted(bounds, key=bounds.get):
        if best is not None and bounds[name] > best.gap:
            break
        near = nearest_to(run, name, path, radius, stop=until)
        best = min((one for one in (best, near) if one is not None), default=None)
    return (np.nan, "") if best is None else (best.gap, stage.names[best.number])


def _bounds(stage: Stage, numbers: list[int], path: Path, radius: float) -> list[float]:
    """What the gaps between a flight and some bodies are at least (units); -inf of what may go anyhow."""
    if not numbers:
        return []
    # Between two of its places it is no farther from the first than this.
    gone = 2.0 * float(np.sqrt((path.v * path.v).sum(axis=1)).max() * np.diff(path.t, prepend=path.t[0]).max())
    start, bounds = round(float(path.t[0]) * clock.UNITS), []
    for few in np.array_split(np.array(numbers), len(numbers) // 64 + 1):
        motions = [stage.motions[k] for k in few]
        fastest = np.array([motion.fastest if motion.moves else 0.0 for motion in motions])[:, None]
        off = stage.centres(few.tolist(), start)[:, None] - path.p
        far = np.sqrt((off * off).sum(axis=2)) - fastest * np.maximum(path.t - path.t[0], 1e-9)
        bounds += (far.min(axis=1) - [stage.reach(k) for k in few] - radius - gone).tolist()
    return bounds
