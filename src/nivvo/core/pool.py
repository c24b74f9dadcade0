"""The records of the engine, as structured arrays.

``FLIGHT`` is hot: one row a projectile in the air, read and written each tick. ``PARAMS`` (one row a
distinct launch) and ``ANSWERS`` (that launch x group) are written once, when a shot is fired, and
never after. Ids that must not depend on storage are ``key``s: made from names and shot numbers.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

INSIDE_MOST = 8

# How near counts as on a surface, as a share of the scene's size.
SURFACE_SHARE = 1e-13

MOST_ZONES, ZONE = 4, 20
"""Regions of the world with a wind of their own, and the numbers of each: see ``forces.zone_of``."""

FLIGHT = np.dtype(
    [
        ("p", "f8", 3),
        ("v", "f8", 3),
        ("p0", "f8", 3),
        ("v0", "f8", 3),
        ("t0", "i8"),
        ("born", "i8"),
        ("until", "i8"),
        ("clear", "i8"),
        ("key", "i8"),
        ("flown", "f8"),
        ("share", "f8"),
        ("param", "i4"),
        ("end", "i2"),
        ("cause", "i2"),
        ("also", "i4"),
        ("bounces", "i4"),
        ("past", "i4"),
        ("on", "i4"),
        ("pierced", "i4"),
        ("touched", "i4"),
        ("inside", "i4", INSIDE_MOST),
    ]
)
"""p, v: now. p0, v0, t0: where the parabola, or what is foreseen, began (exact step), and when it begins to move.
flown: its path before t0 (exact step, under a constant acceleration alone), else till now. until: when it is to end by
itself, or FOREVER, and for what cause (BY_LIFE, or what the game decided). clear: until when (clock) nothing is in its
way, where it has no parabola; below 0: not to be asked before that time. share: of the damage of its launch that is
left to it. pierced, touched: through how many bodies it went, how many contacts of it were answered. bounces: how
often it was thrown back. on: 0 in the air; else a body's index and one: it stays on it, or below 0 goes on along it.
also: index and one of another that holds it together with that, in a corner, or 0.
past: bits of the moments (codes of why) that are behind it. inside: bodies (index) left out of contact tests until
clear of them, then -1s."""

PARAMS = np.dtype(
    [
        ("a", "f8", 3),
        ("radius", "f8"),
        ("reach", "f8"),
        ("linear", "f8"),
        ("square", "f8"),
        ("factor", "f8"),
        ("wind", "f8", 3),
        ("zone", "f8", (MOST_ZONES, ZONE)),
        ("gust", "f8"),
        ("gust_rate", "f8"),
        ("phases", "f8", 3),
        ("thrust", "f8"),
        ("burns", "f8", 2),
        ("top", "f8"),
        ("lowest", "f8"),
        ("gain", "f8"),
        ("rate", "f8"),
        ("side", "f8"),
        ("seeks", "f8", 2),
        ("turn", "f8", 3),
        ("sway", "f8", 2),
        ("sway_rate", "f8"),
        ("grows", "f8"),
        ("orbit", "f8"),
        ("orbit_rate", "f8"),
        ("within", "f8"),
        ("cone", "f8"),
        ("keeps_cone", "f8"),
        ("life", "i8"),
        ("looks", "i8"),
        ("every", "i8"),
        ("frees", "i8"),
        ("age", "i8"),
        ("flown", "f8"),
        ("moments", "i4"),
        ("goes_on", "i4"),
        ("ends_hold", "i4"),
        ("mirrors", "i4"),
        ("spares", "i4"),
        ("bends", "i4"),
        ("careful", "i4"),
        ("guided", "i4"),
        ("points", "i4"),
        ("spin", "f8"),
        ("spins_about", "f8", 3),
        ("driven", "i4"),
        ("shifts", "i4"),
        ("winds", "i4"),
        ("zones", "i4"),
        ("thrusts", "i4"),
        ("tops", "i4"),
        ("law", "i4"),
        ("toward", "i4"),
        ("choice", "i4"),
        ("group", "i4"),
        ("only", "i4"),
        ("sighted", "i4"),
        ("loses", "i4"),
        ("strays", "i4"),
        ("owner", "i4"),
        ("sums", "i4"),
    ]
)
"""a: constant acceleration. linear (1/s), square (1/unit): drag; factor: what velocity is multiplied by each tick of a
game's own step; bends: whether what acts hangs on more than the row (``forces``), and whether it can be FORESEEN;
careful: whether on more than drag; guided: whether on its own GUIDE. points: whether its pointed end, by which it
sticks, is that of its launch, spun by spin (rad/s) about an axis (mirrors: the other way from a launch along -x). What
else acts is told at ``forces.acting``: wind, gust, gust_rate, phases, zone (winds: whether there is any; zones: how
many regions); thrust, burns, thrusts; top, tops, lowest; law, toward, gain, rate, side, seeks; sway, sway_rate, grows,
orbit, orbit_rate (shifts: 1 about its way, 2 about its owner; frees: counts after which it is let go). How it finds
whom it seeks is told at ``seekers``: within, cone, keeps_cone (cosines), looks, every (counts), choice, group, only,
sighted, loses. age (counts, FOREVER without), flown (units): moments of it; moments, goes_on: bits of the moments
(codes of why) that are looked for, and after which it flies on; ends_hold: whether the tick stops when it ends. life:
counts of the clock, FOREVER without end. reach: path length, inf without end. spares: the body that it never touches,
or -1. strays: how reach is measured: ALONG the path, or as distance FROM_LAUNCH or FROM_OWNER (a body). sums: whether
anybody asks how long its path is, so that it must be summed up. turn: the angle that was last turned in a tick, its
sine and cosine: kept for the next, all that a flight writes."""

GUIDE = np.dtype(
    [
        ("body", "i4"),
        ("first", "i4"),
        ("began", "i8"),
        ("until", "i8"),
        ("looks", "i8"),
        ("way", "f8", 3),
        ("pace", "f8"),
        ("free", "i8"),
        ("radius", "f8"),
        ("across", "f8", 3),
        ("above", "f8", 3),
        ("aimed", "f8", 3),
        ("lift", "f8", 3),
        ("left", "f8", 3),
    ]
)
"""What a guided projectile goes by, a row beside each of FLIGHT. left: where it left from. way: unit vector of its
launch; across, above: unit vectors that it sways along, or between which it orbits, and lift: where the middle of that
is beside its owner. aimed: the point it was aimed at. pace: speed of its launch. radius: from where an orbit began.
body: whom it follows, or -1; first: whom it was aimed at, or -1. began: when it began to move. looks: when it looks for
one next (clock), or FOREVER; until: when it looks no more; free: until when it orbits."""

DEGREE = 13

STRETCH = np.dtype(
    [
        ("of", "i8"),
        ("t0", "i8"),
        ("end", "i8"),
        ("of_p", "f8", 3),
        ("of_v", "f8", 3),
        ("c", "f8", (DEGREE + 1, 3)),
    ]
)
"""What is foreseen of a flight (``flying.ahead``), a row beside each of FLIGHT where anything bends foreseeably: from
t0 to end (clock) its place is c[0] + c[1] x + ..., x seconds after t0. of, of_p, of_v: t0, p0 and v0 of the flight that
this is of; of another it is written anew."""

ANSWERS = np.dtype(
    [
        ("damage", "f8"),
        ("restitution", "f8"),
        ("friction", "f8"),
        ("least", "f8"),
        ("near", "f8"),
        ("hurts", "f8"),
        ("most", "f8"),
        ("slows", "f8"),
        ("settles", "f8"),
        ("keeps_speed", "f8"),
        ("keeps_damage", "f8"),
        ("facing", "f8"),
        ("depth", "f8"),
        ("then", "i4"),
        ("by", "i4"),
        ("first", "i4"),
        ("count", "i4"),
        ("holds", "i4"),
        ("bounces", "i4"),
        ("rests", "i4"),
        ("pierces", "i4"),
        ("first_only", "i4"),
        ("ends_too", "i4"),
        ("otherwise", "i4"),
        ("enters", "i4"),
    ]
)
"""restitution, friction, bounces, least: of BOUNCE: what is left of the speed along the normal, what friction takes
along the surface for each unit taken or given along the normal, how many at most (-1: any), and the speed along the
normal below which it rests: how (of RESTS), and slows: what friction takes from what then goes on along a surface, as
a share of what presses it on. settles: it rests as well if it is slower than what presses it on makes it in so many
ticks. keeps_speed, keeps_damage: of PASS: the share that is left behind a body, and pierces: through how many it goes
at most (-1: any). facing, depth, first_only, ends_too, otherwise: of LODGE: the least cosine between its way and the
inward normal, how deep it goes (units), whether only as its first touch, whether it ends when the body is out, and the
answer (of THEN) where it cannot. enters: whether it goes through openings. near: so far away it is near (units);
below 0: of targets alone.
holds: whether something follows that is decided outside: the tick stops after it if anybody is as near as ``hurts``
(units, inf: always; below 0: never) who may be out once it has taken ``most`` from them, or who is watched, else it
follows at the tick's end. by: whether damage depends on DEPENDS_AGE (s), DEPENDS_FLOWN (units), DEPENDS_ASIDE (units on
its face from the body's spot), DEPENDS_FRONT (degrees from its front) or DEPENDS_SPEED (units/s, as the body sees it):
then it is read off ``count`` rows of the curves from ``first`` on, each x and value, straight between, the later of two
at one x. With a ``count`` of 0 it goes in steps: two rows, (start, step) and (every, cap), one step more each ``every``
and never beyond the cap."""

MOST_CORNERS = 24
"""Of a polygon."""

BODY = np.dtype(
    [
        ("c", "f8", 3),
        ("v", "f8", 3),
        ("a", "f8", 3),
        ("out", "i4"),
        ("key", "i4"),
        ("group", "i4"),
        ("moves", "i4"),
        ("role", "i4"),
        ("layer", "i4"),
        ("turns", "f8"),
        ("first", "i4"),
        ("next", "i4"),
        ("opens", "i4"),
        ("watched", "i4"),
        ("t0", "i8"),
        ("kind", "i4"),
        ("count", "i4"),
        ("radius", "f8"),
        ("half", "f8", 3),
        ("axis0", "f8", 3),
        ("axis1", "f8", 3),
        ("axis2", "f8", 3),
        ("c0", "f8", 3),
        ("v0", "f8", 3),
        ("a0", "f8", 3),
        ("size", "f8", 3),
        ("about", "f8", 3),
        ("arm", "f8", 3),
        ("spot", "f8", 3),
        ("front", "f8", 3),
        ("health", "f8"),
        ("full", "f8"),
        ("armour", "f8"),
        ("soaks", "f8"),
        ("owes", "f8"),
        ("corners", "f8", (MOST_CORNERS, 2)),
    ]
)
"""c, v, a: centre, velocity and acceleration as they hold for the present tick, from its start; c0, v0, a0: the same
at t0, from which they follow. size: half of its axis-aligned box. corners, count: of a prism, along axis0 and axis1
from its centre, in turn. about, turns: a unit vector through its centre that it turns about, and how fast (rad/s, 0:
not at all); its axes are those at the start of what is run. arm: of what turns: from its centre to the middle of its
shape, which turns along. layer: STILL, MOVING (both in the grid) or LARGE (kept
apart). moves: STAYS_PUT; GOES, or may come to; or VEERS: its way may change at any tick, and whoever sleeps asks each
tick whether it comes near. full: the most health it can have. armour: taken from each damage, after soaks, a share of
it. spot: what damage goes by on its face, from its centre; front: unit vector, nothing: along its velocity. watched:
whether the tick stops when it takes damage. owes: the most that it is to lose by what has been put off. role: OBSTACLE,
TARGET or SHOOTER, for whoever looks for one. opens: whether there are openings on it. first, next: how many rows on the
first piece of the same body lies, which has the health of all, and the next, in a ring: 0 where it is of one piece.
From kind to axis2, and in corners, lies what its shape is and how that is turned: ``hulls`` knows shapes by it."""

OPENING = np.dtype(
    [
        ("offset", "f8", 3),
        ("normal", "f8", 3),
        ("above", "f8", 3),
        ("beside", "f8", 3),
        ("radius", "f8"),
        ("key", "i8"),
        ("body", "i4"),
        ("to", "i4"),
    ]
)
"""Where what touches ``body`` leaves it elsewhere: within a radius of a point, from its centre; normal, above and
beside: unit vectors at right angles. to: the row of where it leaves. key: of whom left it there."""

POINT = np.dtype(
    [
        ("p", "f8", 3),
        ("v", "f8", 3),
        ("flown", "f8"),
        ("from_p", "f8", 3),
        ("from_v", "f8", 3),
        ("late", "f8"),
        ("run", "f8"),
        ("base", "f8"),
        ("hops", "i4"),
        ("turn", "i4"),
        ("why", "i4"),
        ("kept", "i4"),
    ]
)
"""A projectile within a tick. p, v, flown: at what it waits for, and its path since the tick's start; why: the limit
that it waits for, if that is one. from_p, from_v, late, run: the running point that it goes on from, how many seconds
after the tick's start that is, and its path till then; base: its path before the tick; kept: whether these hold
(KEPT; REDIRECTED where an answer has set them), else it goes on from where the tick began. hops: answers so far.
turn: how often it has waited: what waits of an earlier turn is stale."""

EVENT = np.dtype(
    [
        ("start", "i8"),
        ("after", "f8"),
        ("key", "i8"),
        ("tick", "i4"),
        ("kind", "i4"),
        ("body", "i4"),
        ("code", "i4"),
        ("amount", "f8"),
        ("left", "f8"),
        ("normal", "f8", 3),
        ("p", "f8", 3),
        ("v", "f8", 3),
        ("u", "f8", 3),
    ]
)
"""At ``start`` (clock) plus ``after`` (s). code: of a contact what was decided (THEN), of an end why (BY_...).
amount: of damage. left: health left, or the gap between the surfaces. normal: outward, of the body. p, v: of the
projectile; u: velocity of the body."""

TICKS = np.dtype([("start", "i8"), ("end", "i8"), ("dt", "f8"), ("tick", "i8")])

SAMPLE = np.dtype([("t", "i8"), ("key", "i8"), ("p", "f8", 3), ("v", "f8", 3)])

PENDING = np.dtype([("t", "f8"), ("key", "i8"), ("body_key", "i4"), ("body", "i4"), ("row", "i4"), ("turn", "i4")])
"""What waits, ``t`` seconds after the tick's start: a contact with a body, an end AT_LIMIT, or to look AGAIN."""

AT_LIMIT, AGAIN = -1, -2
KEPT, REDIRECTED = 1, 2

AWAKE, HOLE = -1, 1 << 62
"""Of ``wake``, else the time (clock) until which nothing can happen to a projectile; where it then is follows from its
launch, and what its row says is old. HOLE: it has ended in an earlier tick, and its row is yet to be taken away."""

WORLD = np.dtype(
    [
        ("low", "f8", 3),
        ("high", "f8", 3),
        ("up", "f8", 3),
        ("origin", "f8", 3),
        ("per_cell", "f8", 3),
        ("last", "f8", 3),
        ("cells", "i4", 3),
        ("step", "i4"),
        ("touch", "i4"),
        ("bounded", "i4"),
        ("sampled", "i4"),
        ("sleeps", "i4"),
        ("veers", "i4"),
        ("meets", "i4"),
        ("skin", "f8"),
        ("tick", "f8"),
        ("fastest", "f8"),
        ("aside", "f8"),
    ]
)
"""low, high: bounds. tick: seconds that one lasts by the rate, of which a part may be run alone. origin, per_cell,
cells: the grid; last: within the last cell. sampled: keep a sample a tick. sleeps: whether projectiles may sleep.
veers: how many bodies veer. meets: whether projectiles may meet: then a tick stops where one is turned. skin: how near
is on the surface. aside: how far what is looked ahead for may be beside the parabola that it looks along. fastest: no
body goes faster in what is looked ahead for those that have no parabola."""

BENDS, FORESEEN = 1, 2

EXACT, SEMI_IMPLICIT, EXPLICIT, VERLET = 0, 1, 2, 3
STEPS = {"exact": EXACT, "semi-implicit": SEMI_IMPLICIT, "explicit": EXPLICIT, "verlet": VERLET}

SWEPT, AT_TICKS = 0, 1
TOUCHES = {"swept": SWEPT, "at ticks": AT_TICKS}

END, PASS, IGNORE, BOUNCE, SLIDE, LODGE, ENTERS = range(7)
THEN = {"end": END, "pass": PASS, "ignore": IGNORE, "bounce": BOUNCE, "slide": SLIDE, "lodge": LODGE}

ENDS, STAYS, ROLLS = 0, 1, 2
RESTS = {"ends": ENDS, "stays": STAYS, "rolls": ROLLS}

STILL, MOVING, LARGE = 0, 1, 2
STAYS_PUT, GOES, VEERS = 0, 1, 2

OBSTACLE, TARGET, SHOOTER = 0, 1, 2
ROLES = {"obstacle": OBSTACLE, "target": TARGET, "shooter": SHOOTER}

CONTACT, OVERLAP, DAMAGE, OUT, ENDED, SLIPPED, BOUNCED = range(1, 8)
LOCKED, LOST_TARGET, MOMENT, RESTED, SLID, LEFT, SCORED, BURST, MET, SLOWED, BLINKED = range(8, 19)
PUSHED, PULLED, ANCHORED, BACK, REACHED, ARRIVED, TURNED_AWAY, WENT_THROUGH, GONE = range(19, 28)

FLYING = 0
BY_CONTACT, BY_LIFE, BY_REACH, BY_BOUNDS, BY_NUMBERS, BY_HOPS, BY_FULL, BY_PRESS, BY_CALL, BY_INSIDE = range(1, 11)
BY_SETTLED, BY_BOUNCES, BY_LOSS, BY_APEX, BY_NEAR, BY_AGE, BY_FLOWN, BY_PIERCED, BY_MEETING, BY_OUT = range(11, 21)
STOOD, STUCK = 29, 30
"""The bits of ``past`` of what friction alone holds on its body, and of what sticks in it."""

A_STEP = 99
"""No end: a part of a way along a surface is gone, and the next is to be looked for."""

ON_VELOCITY, ON_LAUNCH, ON_SPIN = 0, 1, 2
THRUSTS = {"velocity": ON_VELOCITY, "launch": ON_LAUNCH, "spin": ON_SPIN}

HOLDS, CUTS, BRAKES = 0, 1, 2
TOPS = {"holds": HOLDS, "cuts": CUTS}

PURSUIT, LEAD, PROPORTIONAL, BLEND = 1, 2, 3, 4
LAWS = {"pursuit": PURSUIT, "lead": LEAD, "proportional": PROPORTIONAL, "blend": BLEND}
TO_TARGET, TO_OWNER = 0, 1

NEAREST, BY_ANGLE, NEAR_AIM, AIMED_AT, SPREAD_OUT = 0, 1, 2, 3, 4
CHOICES = {
    "nearest": NEAREST,
    "by angle": BY_ANGLE,
    "near the aim": NEAR_AIM,
    "aimed at": AIMED_AT,
    "spread out": SPREAD_OUT,
}
LOOKS_AGAIN, FLIES_ON, ENDS_IT = 0, 1, 2
LOSES = {"look again": LOOKS_AGAIN, "fly on": FLIES_ON, "end": ENDS_IT}
OUT_OF_HEALTH, OUT_OF_REACH, OUT_OF_CONE, OUT_OF_SIGHT, OUT_OF_TIME = 1, 2, 3, 4, 5

SWAYS, ORBITS = 1, 2

ALONE = ((0.0, 0.0, 0.0), (0.0, 0.0, 0.0), (0.0, 0.0, 0.0), 0.0, 0.0, 0.0, (0.0, 0.0, 0.0), 0.0)
"""What a flight goes by beside itself, here nothing: place, velocity and acceleration of whom it follows at an age (s),
that age, whether there is one; when it was launched (s of the world); the way and the speed of its launch."""

ALONG, FROM_LAUNCH, FROM_OWNER = 0, 1, 2
DEPENDS_AGE, DEPENDS_FLOWN, DEPENDS_ASIDE, DEPENDS_FRONT, DEPENDS_SPEED = range(1, 6)

FOREVER = -1

# Slots of the counters that a kernel reads and leaves. UNTIL: it comes back before it answers a contact at that time
# (clock) or later. KEEP: it keeps where each has come from in the tick, for those that may have to look again. MID:
# it has been left in the middle of a tick, with the first FRESH rows looked after and HEAP rows waiting; HELD: the
# row after whose answer. UP: how many are listed as awake in this tick, of the first KNOWN rows. SEEKS: until when
# nobody has anybody to lose or to find, unless a body comes or is out (``seekers``); no tick is begun that ends
# later. BEGAN: the first event of the answer that is being given; OWED: one more than the first event of the first
# answer of which something is to follow later, or 0. HOLES: how many of the first LIVE rows have ended in earlier
# ticks; none, but in the middle of a tick.
LIVE, EVENTS, SAMPLES, TICK, STALE, LOST, WHY, UNTIL, KEEP, MID, FRESH, HEAP, HELD, UP, KNOWN, SEEKS = range(16)
BEGAN, OWED, HOLES = 16, 17, 18
COUNTERS = 19
DONE, EMPTY, FULL, DUE, HOLD, OWES = range(6)

# Events that a tick may need: room for these a projectile, and these beside.
ROOM_EACH, ROOM = 6, 256


class Pool(NamedTuple):
    """All arrays of an engine: each of one of these dtypes, or numbers of the grid (``grid``)."""

    world: np.ndarray
    flight: np.ndarray
    params: np.ndarray
    answers: np.ndarray
    curves: np.ndarray
    bodies: np.ndarray
    boxes: np.ndarray
    start: np.ndarray
    items: np.ndarray
    apart: np.ndarray
    scratch: np.ndarray
    pending: np.ndarray
    points: np.ndarray
    events: np.ndarray
    samples: np.ndarray
    ticks: np.ndarray
    counters: np.ndarray
    wake: np.ndarray
    awake: np.ndarray
    guides: np.ndarray
    stretches: np.ndarray
    stages: np.ndarray
    openings: np.ndarray


def zeros(count: int, kind: np.dtype) -> np.ndarray:
    """``count`` empty rows whose dtype is the very object ``kind``: dispatch on an equal one is slow."""
    return np.ndarray(count, kind, bytearray(count * kind.itemsize))


def grown(rows: np.ndarray, count: int) -> np.ndarray:
    """A copy of ``rows`` with room for at least ``count``, doubling."""
    larger = zeros(max(count, 2 * len(rows)), rows.dtype)
    larger.view(np.uint8)[: rows.nbytes] = rows.view(np.uint8)
    return larger


def copied(rows: np.ndarray) -> np.ndarray:
    """A copy of rows that lie together: by their bytes, which is several times quicker than by their fields."""
    return np.ndarray(rows.shape, rows.dtype, np.ndarray(rows.nbytes, np.uint8, rows).copy())


def write(rows: np.ndarray, at: int, one: np.ndarray) -> None:
    """Write one, of as many bytes as each of ``rows`` has, at a place of theirs: quicker so than by their fields."""
    np.ndarray(one.nbytes, np.uint8, rows, at * one.nbytes)[:] = np.ndarray(one.nbytes, np.uint8, one)


def taken(rows: np.ndarray, order: np.ndarray) -> np.ndarray:
    """The rows of some places, in their order: by their bytes, which is many times quicker than by their fields."""
    whole = rows.view((np.void, rows.dtype.itemsize))
    return whole.take(order).view(np.uint8).view(rows.dtype)
