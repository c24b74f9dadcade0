"""Vectors of three as plain tuples of floats: the same source runs compiled and uncompiled."""

from __future__ import annotations

from nivvo.core._jit import inner


@inner
def vec(a):
    """The tuple of a record's field of three."""
    return float(a[0]), float(a[1]), float(a[2])


@inner
def put(a, u):
    """Write a tuple into a record's field of three."""
    a[0] = u[0]
    a[1] = u[1]
    a[2] = u[2]


@inner
def dot(u, v):
    return u[0] * v[0] + u[1] * v[1] + u[2] * v[2]


@inner
def cross(u, v):
    return u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]


@inner
def sub(u, v):
    return u[0] - v[0], u[1] - v[1], u[2] - v[2]


@inner
def largest(v):
    return max(v[0], max(v[1], v[2]))


@inner
def along(u, v, s):
    """u + v s."""
    return u[0] + v[0] * s, u[1] + v[1] * s, u[2] + v[2] * s


@inner
def arc(p, v, a, t):
    """p + v t + a t²/2: the point of a parabola."""
    h = 0.5 * t * t
    return (
        p[0] + v[0] * t + a[0] * h,
        p[1] + v[1] * t + a[1] * h,
        p[2] + v[2] * t + a[2] * h,
    )
