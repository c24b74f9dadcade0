"""Time of first contact of a moving ball with a convex body, on a straight piece or a true parabola.

Method: supporting-plane advancement. The plane that supports the body at the point nearest to the
ball parts the two, so a path that never reaches that plane never reaches the body, and the first time
at which it does (a root of an exact quadratic) never lies beyond the contact. Step there, take the
plane anew, repeat. For transversal contacts this converges as Newton's method does, of which it is a
safe form (compare Mirtich, Impulse-based Dynamic Simulation, 1996, section 2.3: conservative
advancement, which steps by a bound on speed instead).

Within UNDECIDED of the scene's size a graze may be called a hit or a miss.
"""

from __future__ import annotations

from nivvo.core._jit import inner
from nivvo.core.geometry.shapes import distance
from nivvo.core.numbers.roots import first_fall
from nivvo.core.numbers.vec import along, arc, dot

UNDECIDED = 1e-12
MOST_PLANES = 128

NONE, TOUCH, INSIDE = 0, 1, 2


@inner
def first_contact(b, p, v, a, radius, span, skin):
    """First contact of a ball of ``radius`` with body record ``b`` within ``span`` seconds.

    ``p``, ``v``, ``a`` are position, velocity and acceleration of the ball relative to the body, at
    the start. ``skin`` is how near counts as on the surface. Returns (what, time): TOUCH with the
    time, INSIDE if the ball starts in overlap, or NONE.
    """
    t = 0.0
    for planes in range(MOST_PLANES):
        gap, n = distance(b, arc(p, v, a, t))
        gap -= radius
        if planes == 0 and gap < -skin:
            return INSIDE, 0.0
        speed = dot(n, along(v, a, t))
        half_pull = 0.5 * dot(n, a)
        if gap <= skin and (planes > 0 or speed < 0.0 or (speed == 0.0 and half_pull < 0.0)):
            return TOUCH, t
        s = first_fall(gap if gap > skin else 0.0, speed, half_pull)
        if s < 0.0 or t + s > span:
            return NONE, 0.0
        if t + s == t:
            return TOUCH, t
        t += s
    return NONE, 0.0
