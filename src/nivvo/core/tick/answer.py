"""What follows a contact, as far as it is decided inside the tick."""

from __future__ import annotations

import math

from nivvo.core._jit import cold, inner
from nivvo.core.contacts.corners import comes_onto, in_place_of, lets_go
from nivvo.core.contacts.events import finish, tell
from nivvo.core.contacts.opening import entered, through
from nivvo.core.contacts.search import ALONGSIDE, FLUSH, first_of, in_line, matters, nears
from nivvo.core.flying.acting import age_of, constant, pulled
from nivvo.core.flying.forces import spun
from nivvo.core.geometry.surface import surface
from nivvo.core.geometry.turning import distance_at, surface_pull, surface_speed
from nivvo.core.numbers.clock import UNITS
from nivvo.core.numbers.curves import read_off
from nivvo.core.numbers.trig import angle_between
from nivvo.core.numbers.vec import along, arc, dot, put, sub, vec
from nivvo.core.pool import (
    BEGAN,
    BOUNCE,
    BOUNCED,
    BY_AGE,
    BY_BOUNCES,
    BY_CONTACT,
    BY_INSIDE,
    BY_LIFE,
    BY_NEAR,
    BY_PIERCED,
    BY_PRESS,
    BY_SETTLED,
    CONTACT,
    DAMAGE,
    DEPENDS_AGE,
    DEPENDS_ASIDE,
    DEPENDS_FLOWN,
    DEPENDS_SPEED,
    END,
    ENDED,
    ENDS,
    FOREVER,
    INSIDE_MOST,
    LODGE,
    MOMENT,
    OUT,
    OVERLAP,
    OWED,
    PASS,
    REDIRECTED,
    RESTED,
    ROLLS,
    SEEKS,
    SLID,
    SLIDE,
    SLOWED,
    STAYS,
    STOOD,
    STUCK,
)

ON, OVER = 0, 1
PI = 3.141592653589793
PRESSED = 1e-9
"""Share of the acceleration along the normal that counts: less is rounding, as on an upright wall that is turned."""

CORNERED = 8
"""Contacts within a tick after which what goes to and fro between two bodies stays in the corner that they form."""

MOST_CORNERS = 12
"""Contacts within a tick after which it stays where it is."""

HELD = 2


@inner
def waits(k, i, j):
    """Whether a contact is not to be answered before what is owed is done: it takes health from who is to lose some."""
    ans = k.answers[int(k.flight[i]["param"]), int(k.bodies[j]["group"])]
    return (ans["damage"] != 0.0 or ans["by"] != 0) and k.bodies[first_of(k.bodies, j)]["owes"] != 0.0


@cold
def answer(k, i, j, now, t):
    """What follows a contact of projectile ``i`` with body ``j`` at ``t`` seconds into the tick.

    Returns whether it is OVER with the projectile or it flies ON, plus HELD if the tick is to stop after it. What is
    passed is left out from here on; where there is no more room for that, it ends.
    """
    q, at, b = k.flight[i], k.points[i], k.bodies[j]
    ans = k.answers[int(q["param"]), int(b["group"])]
    place, gap = met(k, q, at, b, t)
    par = k.params[int(q["param"])]
    if nears(q, ans, b):
        return moment(k, i, now, t, BY_NEAR, j, place)
    if b["opens"] != 0 and ans["enters"] != 0 and ans["then"] != PASS:
        g = entered(k, j, place, t, gap + float(par["radius"]))
        if g >= 0:
            p, v, inside = through(k, q, j, g, now, (t, gap), place, float(par["radius"]))
            q["on"], q["also"] = 0, 0
            if inside >= 0:
                put_inside(q, inside)
            turn(q, at, par, (int(now["start"]), t), p, v)
            return ON
    flush = q["on"] < 0 and lies_flush(k, q, float(par["radius"]), t, place)
    if flush and goes_over_to(k, q, j, t, place):
        turn(q, at, par, (int(now["start"]), t), place[0], place[2])
        return ON
    kind = OVERLAP if gap < -float(k.world[0]["skin"]) else CONTACT
    then, why = decided(k, i, j, now, t, place)
    tell(k, now, t, q, (kind, j, then, 0.0, gap), place)
    turns = then != END and then != PASS
    # Whom it meets from here on is another matter.
    held = HELD if k.world[0]["meets"] != 0 and turns else 0
    q["touched"] += 1
    pushed = q["on"] != 0 and turns and then != LODGE and pushes(k, q, t, place)
    if q["on"] > 0:
        # It lay still: what meets it sets it going, along what it lies on where that pushes it.
        q["on"], q["also"] = -q["on"] if pushed else 0, q["also"] if pushed else 0
    held = charged(k, i, j, now, t, place, held)
    if pushed:
        pushed_on(k, i, j, now, t, gap, place)
        return ON + held
    if then == BOUNCE:
        flies, place = thrown_back(k, i, j, now, t, gap, place, flush)
        if flies:
            return ON + held
        why = BY_SETTLED
    elif then == SLIDE or then == LODGE:  # noqa: SIM109
        flies, place = laid_on(k, i, j, now, t, gap, place, flush)
        if flies:
            return ON + held
    elif then == PASS:
        passed(k, i, j, now, t, gap, place)
        return ON + held
    elif then != END:
        return ON + held
    tell(k, now, t, q, (ENDED, j, why, 0.0, gap), place)
    q["flown"] += at["flown"]
    finish(q, place[0], place[2], why)
    return OVER + max(held, HELD if par["ends_hold"] != 0 else 0)


@cold
def pushes(k, q, t, place):
    """Whether what a projectile meets comes toward it, as the body sees that which it lies on or goes along."""
    b = k.bodies[abs(int(q["on"])) - 1]
    u = along(vec(b["v"]), vec(b["a"]), t)
    return dot(sub(place[3], u), place[1]) > 0.0


@inner
def decided(k, i, j, now, t, place):
    """What a contact comes to: a code of THEN, and how it ends if it does."""
    q = k.flight[i]
    ans = k.answers[int(q["param"]), int(k.bodies[j]["group"])]
    then = int(ans["then"])
    if then == LODGE and not lodges(k, i, now, t, ans, place):
        then = int(ans["otherwise"])
    if then == PASS and ans["pierces"] >= 0 and q["pierced"] >= ans["pierces"]:
        return END, BY_PIERCED
    if then == BOUNCE and ans["bounces"] >= 0 and q["bounces"] >= ans["bounces"]:
        return END, BY_BOUNCES if ans["bounces"] > 0 else BY_CONTACT
    if then == PASS and not put_inside(q, j):
        return END, BY_INSIDE
    return then, BY_CONTACT


@inner
def charged(k, i, j, now, t, place, held):
    """Take what a contact costs its body; whether the tick is to stop after it (HELD), for that or for its effects."""
    q, at, b = k.flight[i], k.points[i], k.bodies[j]
    ans, first = k.answers[int(q["param"]), int(b["group"])], first_of(k.bodies, j)
    damage = met_by(k.bodies[first], dealt(k, q, at, ans, now, t, b, place) * q["share"])
    if damage != 0.0:
        left = take(k.bodies[first], damage)
        tell(k, now, t, q, (DAMAGE, j, 0, damage, left), place)
        if left <= 0.0:
            put_out(k.bodies, first)
            k.counters[SEEKS] = 0
            tell(k, now, t, q, (OUT, j, 0, damage, left), place)
        if b["watched"] != 0:
            held = HELD
    if ans["holds"] != 0:
        hurts = float(ans["hurts"])
        far = hurts + float(k.params[int(q["param"])]["radius"])
        if held != 0 or hurts == math.inf or (hurts >= 0.0 and matters(k, place[0], far, float(ans["most"]))):
            held = HELD
        elif k.counters[OWED] == 0:
            k.counters[OWED] = k.counters[BEGAN] + 1
    return held


@inner
def pushed_on(k, i, j, now, t, gap, place):
    """Set what lies on a body going, where another comes and pushes it along that."""
    q = k.flight[i]
    par, ans = k.params[int(q["param"])], k.answers[int(q["param"]), int(k.bodies[j]["group"])]
    v, back = rebound(place, ans)
    if back < ans["least"]:
        v = along(v, place[1], float(ans["least"]) - back)
    u, n, _ = surface(k.bodies[abs(int(q["on"])) - 1], place[0], float(par["radius"]), t)
    v = along(v, n, -min(dot(sub(v, u), n), 0.0))
    bounce(k, i, j, now, t, gap, (place[0], place[1], v, place[3]))


@inner
def thrown_back(k, i, j, now, t, gap, place, flush):
    """Throw a projectile back, or let it rest or roll where it is too slow for that: whether it flies on, its place.

    flush : whether it goes along a body and comes onto one that lies flush with it.
    """
    q, b = k.flight[i], k.bodies[j]
    ans = k.answers[int(q["param"]), int(b["group"])]
    v, back = rebound(place, ans)
    thrown = (place[0], place[1], v, place[3])
    slow = back < ans["least"]
    if not slow and ans["settles"] != 0.0:
        slow = back < ans["settles"] * pressed(k, i, now, t, b, thrown) * max(now["dt"], k.world[0]["tick"])
    if not slow or not (q["on"] < 0 or pressed(k, i, now, t, b, thrown) > 0.0):
        bounce(k, i, j, now, t, gap, thrown)
        return True, place
    rests = int(ans["rests"])
    if q["on"] < 0 and rests == ROLLS and (not flush or q["also"] != 0):
        return meets_along(k, i, j, now, t, gap, thrown, flush), thrown
    return settle_on(k, i, j, now, t, gap, place, rests), place


@inner
def laid_on(k, i, j, now, t, gap, place, flush):
    """Let a projectile slide along a body, or stick in it: whether it flies on, and its place. flush : as before."""
    q = k.flight[i]
    ans = k.answers[int(q["param"]), int(k.bodies[j]["group"])]
    then = int(ans["then"])
    if then == LODGE and ans["depth"] > 0.0:
        speed = math.sqrt(dot(place[2], place[2]))
        deeper = along(place[0], place[2], float(ans["depth"]) / speed if speed > 0.0 else 0.0)
        place = (deeper, place[1], place[2], place[3])
    if then == SLIDE and q["on"] < 0 and (not flush or q["also"] != 0):
        return meets_along(k, i, j, now, t, gap, place, flush), place
    flies = settle_on(k, i, j, now, t, gap, place, ROLLS if then == SLIDE else STAYS)
    if flies and then == LODGE:
        q["past"] |= 1 << STUCK
    return flies, place


@cold
def meets_along(k, i, j, now, t, gap, place, flush):
    """Let a projectile that goes along a body and meets another go along that, along both, or beside it: it does.

    place : with the velocity after the contact. flush : whether it comes onto what goes on where one of two ends.
    """
    q = k.flight[i]
    if k.bodies[j]["turns"] != 0.0:
        return settle_on(k, i, j, now, t, gap, place, STAYS)
    hops = int(k.points[i]["hops"])
    if flush:
        first, other = in_place_of(k, q, j, t, place)
        v = place[2]
    else:
        first, other, v = comes_onto(k, i, j, now, t, place, hops > CORNERED)
    if other < -1 or hops > MOST_CORNERS or (hops > CORNERED and other < 0):
        settle_on(k, i, -1 - int(q["on"]), now, t, gap, place, STAYS)
        q["also"] = 1 + j
        return True
    p = along(place[0], place[1], -gap) if gap < 0.0 else place[0]
    q["on"], q["also"] = -1 - first, 1 + other
    goes = j if j in (first, other) else first
    tell(k, now, t, q, (SLID, goes, 0, 0.0, gap), (p, place[1], v, place[3]))
    turn(q, k.points[i], k.params[int(q["param"])], (int(now["start"]), t), p, v)
    return True


@inner
def goes_over_to(k, q, j, t, place):
    """Let what goes along a body go on along the next piece of it, if that is one; whether it is."""
    first, other = j, int(q["also"]) - 1
    if other >= 0:
        first, other = in_place_of(k, q, j, t, place)
    if not same_body(k.bodies, j, -1 - int(q["on"]) if first == j else int(q["also"]) - 1):
        return False
    q["on"], q["also"] = -1 - first, 1 + other
    return True


@inner
def passed(k, i, j, now, t, gap, place):
    """Let a projectile go on through a body, with what speed and damage it keeps."""
    q = k.flight[i]
    ans = k.answers[int(q["param"]), int(k.bodies[j]["group"])]
    q["pierced"] += 1
    q["share"] *= ans["keeps_damage"]
    if ans["keeps_speed"] != 1.0:
        s = float(ans["keeps_speed"])
        v = (place[2][0] * s, place[2][1] * s, place[2][2] * s)
        tell(k, now, t, q, (SLOWED, j, 0, 0.0, gap), (place[0], place[1], v, place[3]))
        turn(q, k.points[i], k.params[int(q["param"])], (int(now["start"]), t), place[0], v)


@cold
def lies_flush(k, q, radius, t, place):
    """Whether what goes along a body comes onto one that lies flush with it."""
    r = sub(place[2], place[3])
    speed = math.sqrt(dot(r, r))
    if -dot(r, place[1]) > FLUSH * speed:
        return False
    _, n, _ = surface(k.bodies[-1 - int(q["on"])], place[0], radius, t)
    if q["also"] != 0 and not in_line(place[1], n, r, speed):
        _, n, _ = surface(k.bodies[int(q["also"]) - 1], place[0], radius, t)
    return in_line(place[1], n, r, speed)


@inner
def same_body(bodies, j, other):
    """Whether two shapes are of one body and one group: onto the next of them it goes without a new contact."""
    return first_of(bodies, j) == first_of(bodies, other) and bodies[j]["group"] == bodies[other]["group"]


@inner
def moment(k, i, now, t, why, j, place):
    """What follows a moment of a flight, as of ``answer``: it ends, or that is told and it flies on."""
    q, at, par = k.flight[i], k.points[i], k.params[int(k.flight[i]["param"])]
    if par["goes_on"] >> why & 1 == 0:
        tell(k, now, t, q, (ENDED, j, why, 0.0, 0.0), place)
        q["flown"] += at["flown"]
        finish(q, place[0], place[2], why)
        return OVER + (HELD if par["ends_hold"] != 0 else 0)
    if why == BY_AGE or why == BY_PRESS:  # noqa: SIM109
        q["until"], q["cause"] = FOREVER if par["life"] < 0 else q["born"] + par["life"], BY_LIFE
    else:
        q["past"] |= 1 << why
    tell(k, now, t, q, (MOMENT, j, why, 0.0, 0.0), place)
    turn(q, at, par, (int(now["start"]), t), place[0], place[2])
    return ON + HELD


@inner
def lodges(k, i, now, t, ans, place):
    """Whether a projectile sticks: its pointed end comes within an angle, and it touched nothing before if so asked."""
    q, r = k.flight[i], sub(place[2], place[3])
    par = k.params[int(q["param"])]
    if ans["first_only"] != 0 and q["touched"] > 0:
        return False
    if par["points"] != 0:
        r = spun(par, vec(k.guides[i]["way"]), max(age_of(k, i, now, t), 0.0))
    return -dot(r, place[1]) >= ans["facing"] * math.sqrt(dot(r, r))


@inner
def met_by(b, damage):
    """What a body takes of a damage, through what it soaks up and its armour; healing only up to its full health."""
    if damage > 0.0:
        return max(damage * (1.0 - float(b["soaks"])) - float(b["armour"]), 0.0)
    if damage < 0.0:
        return -min(-damage, float(b["full"]) - float(b["health"])) if b["health"] < b["full"] else 0.0
    return damage


@inner
def take(b, damage):
    """Take health from a body; what is left."""
    left = float(b["health"]) - damage
    b["health"] = left
    return left


@cold
def put_out(bodies, first):
    """Put a body out, with all of its pieces."""
    j = first
    while True:
        bodies[j]["out"] = 1
        j += int(bodies[j]["next"])
        if j == first:
            break


@inner
def settle_on(k, i, j, now, t, gap, place, how):
    """Let a projectile stay on body ``j``, or go on along it; whether it does."""
    q = k.flight[i]
    if how == ENDS:
        return False
    p, n, v, u = place
    if k.bodies[j]["turns"] != 0.0:
        # Nothing slides or rolls on what turns: it goes along with the place that it touched.
        how = STAYS
    if gap < 0.0 and how == ROLLS:
        p = along(p, n, -gap)
    r = sub(v, u)
    v = along(u, along(r, n, -dot(r, n)), 1.0) if how == ROLLS else u
    # What stays in a corner with what it went along does not come onto that anew.
    also = -q["on"] if how == STAYS and q["on"] < 0 and q["on"] != -1 - j else 0
    q["on"], q["also"] = -1 - j if how == ROLLS else 1 + j, also
    q["past"] &= ~(1 << STOOD)
    tell(k, now, t, q, (SLID if how == ROLLS else RESTED, j, 0, 0.0, gap), (p, n, v, u))
    turn(q, k.points[i], k.params[int(q["param"])], (int(now["start"]), t), p, v)
    return True


@inner
def rebound(place, ans):
    """The velocity of what is thrown back by a body, and how fast it leaves along the normal.

    Along the normal it keeps ``restitution`` of the closing speed; along the surface friction takes ``friction`` times
    the change along the normal, at most all there is (Coulomb's law for an impulse).
    """
    n, u = place[1], place[3]
    r = sub(place[2], u)
    into, size = -dot(n, r), math.sqrt(dot(r, r))
    if into < -ALONGSIDE * size:
        return place[2], math.inf
    into = max(into, 0.0)
    back = float(ans["restitution"]) * into
    slide = along(r, n, into)
    speed, keeps = math.sqrt(dot(slide, slide)), 1.0
    if speed > 0.0:
        keeps = max(1.0 - float(ans["friction"]) * (into + back) / speed, 0.0)
    v = along(along(u, slide, keeps), n, back)
    return v, back


@inner
def pressed(k, i, now, t, b, place):
    """With what acceleration a projectile is pressed onto a body that it touches; 0: it is not, and never rests."""
    p, n, v, u = place
    r, par = sub(v, u), k.params[int(k.flight[i]["param"])]
    a = vec(par["a"]) if constant(par) else pulled(k, i, now, t, p, along(v, n, -dot(r, n)), 0.0)
    off = sub(p, arc(vec(b["c"]), vec(b["v"]), vec(b["a"]), t))
    a = sub(sub(a, vec(b["a"])), surface_pull(b, off, along(r, n, -dot(r, n))))
    push = -dot(a, n)
    return push if push > PRESSED * math.sqrt(dot(a, a)) else 0.0


@inner
def bounce(k, i, j, now, t, gap, place):
    """Throw a projectile back from body ``j``: out of it, if it is in it, and on with its new velocity."""
    q = k.flight[i]
    q["bounces"] += 1
    p = place[0]
    if gap < 0.0:
        p = along(p, place[1], -gap)
    tell(k, now, t, q, (BOUNCED, j, int(q["bounces"]), 0.0, gap), (p, place[1], place[2], place[3]))
    if q["on"] < 0:
        lets_go(k, i, now, t, p, place[2])
    if q["inside"][0] >= 0:
        # It may come back within the tick to what it is clear of by now.
        leave(k, q, p, t)
    turn(q, k.points[i], k.params[int(q["param"])], (int(now["start"]), t), p, place[2])


@cold
def leave(k, q, p, t):
    """Forget the bodies that a projectile at ``p`` is clear of ``t`` s after the tick's start."""
    inside, held, skin = q["inside"], 0, float(k.world[0]["skin"])
    for c in range(INSIDE_MOST):
        j = int(inside[c])
        if j < 0:
            break
        inside[c] = -1
        if k.bodies[j]["out"] == 0 and gap_to_whole(k, q, j, p, t) <= skin:
            inside[held] = j
            held += 1


@cold
def gap_to_whole(k, q, j, p, t):
    """The gap between a projectile at ``p`` and a body, the nearest of all of its pieces, ``t`` s into the tick."""
    gap, m = math.inf, j
    while True:
        b = k.bodies[m]
        centre = arc(vec(b["c"]), vec(b["v"]), vec(b["a"]), t)
        gap = min(gap, distance_at(b, sub(p, centre), t)[0])
        m += int(b["next"])
        if m == j:
            return gap - float(k.params[int(q["param"])]["radius"])


@inner
def turn(q, at, par, when, p, v):
    """Let a projectile go on from ``p`` with ``v``, ``when`` (clock of the tick's start, s after it).

    In exact step its parabola begins anew there.
    """
    start, time = when
    q["flown"] += at["flown"]
    at["base"], at["late"], at["run"], at["kept"] = q["flown"], time, 0.0, REDIRECTED
    put(at["from_p"], p)
    put(at["from_v"], v)
    begin(q, par, start, time, p, v)


@inner
def begin(q, par, start, time, p, v):
    """Let a parabola begin at ``p`` with ``v``, ``time`` s after ``start`` (clock)."""
    # On the clock it begins a whole count, a little earlier, where it would have been then.
    a, since = vec(par["a"]), int(time * UNITS)
    early = since / UNITS - time
    q["t0"], q["clear"] = start + since, 0
    put(q["p0"], arc(p, v, a, early))
    put(q["v0"], along(v, a, early))


@inner
def met(k, q, at, b, t):
    """Where a projectile meets a body: ((place, outward normal, velocity, the body's), gap between the surfaces)."""
    p, u, a = vec(at["p"]), vec(b["v"]), vec(b["a"])
    d = sub(p, arc(vec(b["c"]), u, a, t))
    gap, n = distance_at(b, d, t)
    u = along(along(u, a, t), surface_speed(b, along(d, n, -gap)), 1.0)
    return (p, n, vec(at["v"]), u), gap - k.params[int(q["param"])]["radius"]


@inner
def put_inside(q, j):
    """Add a body to those that a projectile is inside of; whether there is room."""
    inside = q["inside"]
    for c in range(INSIDE_MOST):
        if inside[c] < 0:
            inside[c] = j
            return True
    return False


@inner
def dealt(k, q, at, ans, now, t, b, place):
    """The damage of an answer."""
    if ans["by"] == 0:
        return float(ans["damage"])
    if ans["by"] == DEPENDS_AGE:
        x = (now["start"] - q["born"]) / UNITS + t
    elif ans["by"] == DEPENDS_FLOWN:
        x = q["flown"] + at["flown"]
    elif ans["by"] == DEPENDS_ASIDE:
        off = sub(sub(place[0], arc(vec(b["c"]), vec(b["v"]), vec(b["a"]), t)), vec(b["spot"]))
        off = along(off, place[1], -dot(off, place[1]))
        x = math.sqrt(dot(off, off))
    elif ans["by"] == DEPENDS_SPEED:
        off = sub(place[2], place[3])
        x = math.sqrt(dot(off, off))
    else:
        x = from_front(b, place)
    return read_off(k.curves, int(ans["first"]), int(ans["count"]), x)


@inner
def from_front(b, place):
    """Degrees between a body's front and the side of it that is touched; 0 where it has none and stands."""
    way = vec(b["front"])
    size = math.sqrt(dot(way, way))
    if size == 0.0:
        way = place[3]
        size = math.sqrt(dot(way, way))
    if size == 0.0:
        return 0.0
    return angle_between(along((0.0, 0.0, 0.0), way, 1.0 / size), place[1]) * (180.0 / PI)
