"""Whether a shot starts clear of its own shooter: at every aim, or at every facing, whichever moves its muzzle."""

from __future__ import annotations

from dataclasses import dataclass
from os import PathLike

import numpy as np

from nivvo.core.geometry.shapes import gap
from nivvo.core.launching.muzzle import offset_to
from nivvo.core.numbers.curves import Curve
from nivvo.plan.abilities.ability import Ability
from nivvo.plan.case import case_of
from nivvo.plan.scene import Scene
from nivvo.play.aims.stance import Stance, stance_of
from nivvo.play.engine import ability_in, scratch
from nivvo.play.questions.rose import TURNED_BY
from nivvo.play.stage.stage import Stage
from nivvo.results import Tabled
from nivvo.spec.arguments import checked
from nivvo.spec.drill import Drill


@dataclass(frozen=True, repr=False)
class Clearance(Tabled):
    """The gap between a projectile and its own shooter's body where it starts.

    turns_with : "aim" or "facing": what was turned through. headings : (n, 3) unit vectors. gaps : (n,) units,
    negative in overlap, 0 within 1e-12 of the scene's size (rounding decides nothing). least : the least gap;
    direction, elevation : degrees, where that is. clear_forward : the smallest forward offset of the muzzle at which
    all gaps are at least 0 (units); nan if none within ten times the body's size.
    """

    muzzle: str
    turns_with: str
    headings: np.ndarray
    gaps: np.ndarray
    least: float
    direction: float
    elevation: float
    clear_forward: float

    def __repr__(self) -> str:
        return f"<Clearance of muzzle {self.muzzle}: at least {self.least:.5g}, at {self.direction:.4g}°>"

    def as_rows(self) -> list[dict[str, float]]:
        """A row a heading: its unit vector and the gap (units)."""
        found = zip(self.headings.tolist(), self.gaps.tolist(), strict=True)
        return [{"x": x, "y": y, "z": z, "gap": gap} for (x, y, z), gap in found]


@dataclass(frozen=True)
class Muzzled:
    """A clearance and what it was worked out from: tips (n, 3) of the projectile at each heading, its sizes."""

    scene: Scene
    ability: str
    stance: Stance
    clearance: Clearance
    tips: np.ndarray
    radius: float
    length: float


@checked
def clearance(drill: Drill | str | PathLike[str], case: str | None = None, ability: str | None = None) -> Clearance:
    """The clearance of an ability's muzzle (default: the first of the case) as the shooter stands at 0 s.

    Raises CallError for unknown names.
    """
    return muzzled(drill, case, ability).clearance


def muzzled(drill: Drill, case: str | None = None, ability: str | None = None) -> Muzzled:
    """The clearance of an ability's muzzle, and where the muzzle is at each heading. Raises CallError."""
    case = case_of(drill, case)
    scene, ability, stage = case.scene, ability_in(case, ability), scratch(case).stage
    keys, shooter = scene.abilities[ability], scene.shooter_of(ability)
    found, stance = of_muzzle(stage, keys, shooter), stance_of(stage, keys, shooter, 0)
    tips = _muzzles(stance, found.headings, stance.offset)
    return Muzzled(scene, ability, stance, found, tips, keys.largest, keys.length)


def of_muzzle(
    stage: Stage, ability: Ability, shooter: str, if_inside: bool = False, muzzle: str | None = None
) -> Clearance:
    """The clearance of a muzzle that an ability leaves a shooter by, by default its first.

    ``if_inside``: look for the offset that clears only where the shot starts inside (it takes longer).
    """
    scene = stage.scene
    stance = stance_of(stage, ability, shooter, 0, muzzle)
    headings = _headings(scene, ability, stance)
    row, radius = scene.bodies[scene.number[shooter]].copy(), ability.largest
    row["c"] = stance.place
    # All along a capsule, from its tip back to its tail.
    tail = np.linspace(0.0, ability.length, 9) if ability.length else np.zeros(1)
    pointing = headings if stance.follows_aim else np.broadcast_to(stance.facing, headings.shape)

    def gaps(forward: float) -> np.ndarray:
        tips = _muzzles(stance, headings, (forward, *stance.offset[1:]))
        return scene.settled(gap(row, tips - tail[:, None, None] * pointing).min(axis=0) - radius)

    enough = scene.clear_forward(ability, shooter)
    here = gaps(stance.offset[0])
    k = int(here.argmin())
    return Clearance(
        muzzle=stance.muzzle,
        turns_with="aim" if stance.follows_aim else "facing",
        headings=headings,
        gaps=here,
        least=float(here[k]),
        direction=float(scene.frame.direction_of(headings[k])),
        elevation=float(scene.frame.elevation(headings[k])),
        clear_forward=float("nan") if if_inside and here[k] >= 0.0 else _clear_forward(gaps, enough),
    )


def _muzzles(stance: Stance, headings, offset) -> np.ndarray:
    """Where the muzzle is at each heading (n, 3): of the aim, or of a facing that the body turns to."""
    if stance.follows_aim:
        return stance.pivot + offset_to(stance.frame.triad(headings, stance.facing), offset)
    return stance.base + offset_to(stance.frame.triad(headings, headings), offset)


def _headings(scene: Scene, ability: Ability, stance: Stance) -> np.ndarray:
    """Every heading that the ability can give its muzzle: a degree apart in 2D, ten in 3D."""
    frame, aim, elevation, ways = scene.frame, ability.aim, ability.launch.elevation, _ways(scene, ability, stance)
    if not stance.follows_aim:
        return ways
    if aim.by == "fixed" and aim.elevation is not None:
        ways = frame.raised(ways, aim.elevation)
    if elevation is not None:
        values = elevation.values if isinstance(elevation, Curve) else [elevation]
        ways = np.concatenate([frame.raised(ways, value) for value in values])
    elif frame.size == 3 and aim.by not in ("fixed", "facing", "stick"):
        ways = np.concatenate([frame.raised(ways, value) for value in np.arange(-90.0, 91.0, 10.0)])
    if aim.elevation_within is None:
        return ways
    rises = frame.elevation(ways)
    held = np.clip(rises, *aim.elevation_within)
    return np.where((held == rises)[:, None], ways, frame.raised(ways, held))


def _ways(scene: Scene, ability: Ability, stance: Stance) -> np.ndarray:
    """Where an aim, or a facing that turns the muzzle, can point to around; in side view to both sides."""
    frame, aim, gunner = scene.frame, ability.aim, scene.shooters[stance.shooter]
    count = gunner.facing_count
    around = np.arange(0.0, 360.0, 1.0 if frame.size == 2 else 10.0)
    facings = around if count is None else np.arange(count) * (360.0 / count)
    faces = not stance.follows_aim or aim.by == "facing"
    if aim.by == "fixed" and not faces:
        return frame.direction(aim.direction)[None]
    if frame.view == "side" and (faces or ability.launch.elevation is not None):
        return np.array([frame.forward, -frame.forward])
    if faces:
        return frame.direction(facings)
    if aim.by == "stick" and aim.snap is not None and aim.turn_rate is None:
        around = np.arange(aim.snap) * (360.0 / aim.snap)
    if aim.direction_within is not None and count is not None:
        # What turns both lets him face the nearest way; else he may face any.
        both = TURNED_BY.get(aim.by) == gunner.facing_follows
        base = facings[np.rint(around * (count / 360.0)).astype(int) % count] if both else facings[:, None]
        off = (around - base + 180.0) % 360.0 - 180.0
        around = np.unique(((base + np.clip(off, *aim.direction_within)) % 360.0).round(9))
    return frame.direction(around)


def _clear_forward(gaps, enough: float) -> float:
    """The smallest forward offset at which all gaps are at least 0, by halving; nan if none is near."""
    low, high = 0.0, enough
    while gaps(high).min() < 0.0:
        high *= 2.0
        if high > 10.0 * enough:
            return float("nan")
    if gaps(0.0).min() >= 0.0:
        return 0.0
    for _ in range(26):
        middle = 0.5 * (low + high)
        low, high = (low, middle) if gaps(middle).min() >= 0.0 else (middle, high)
    return high
