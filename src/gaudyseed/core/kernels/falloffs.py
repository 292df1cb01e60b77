"""Weights that depend on where an element stands: distances in the space of a placement, and profiles over them.

A distance is 0 at the centre and 1 at the edge that the placement's size gives. It is cut to ``inner`` and ``outer``
and shaped, so that the weight is 1 within the inner edge and 0 beyond the outer one.
"""

from __future__ import annotations

import numpy as np
from numba import boolean, float32, int64, void
from numba.types import Array

from . import compiled

FLOATS_IN = Array(float32, 1, "C", readonly=True)
FLOATS = Array(float32, 1, "C")
#: Rows of x, y, z and one: from where an element stands into the space of the placement.
AFFINE = Array(float32, 2, "C", readonly=True)

_ONE, _ZERO, _TWO, _THREE = np.float32(1.0), np.float32(0.0), np.float32(2.0), np.float32(3.0)

#: Shapes and profiles, as the step falloff names them.
LINE, BALL, BOX, ANGLE, PLANE = range(5)
STRAIGHT, SMOOTH, FULL, HOLLOW = range(4)

_TURN = np.float32(1.0 / (2.0 * np.pi))


@compiled(float32(float32, float32, float32, int64, boolean), forceinline=True)
def _weight(d, outer, inverse, profile, flip):  # type: ignore[no-untyped-def]
    """From a distance to a weight; every profile meets 0 and 1."""
    t = min(max((outer - d) * inverse, _ZERO), _ONE)
    if profile == 1:
        t = t * t * (_THREE - _TWO * t)
    elif profile == 2:
        t = t * (_TWO - t)
    elif profile == 3:
        t = t * t
    return _ONE - t if flip else t


@compiled(float32(float32, float32), forceinline=True)
def _turns(x, y):  # type: ignore[no-untyped-def]
    """The angle of (x, y) in turns from 0 to 1, 0 along x: a polynomial of degree 13 in the lesser by the greater."""
    ax, ay = abs(x), abs(y)
    most, least = max(ax, ay), min(ax, ay)
    q = least / most if most > _ZERO else _ZERO
    s = q * q
    # Minimax of atan(q) / q over 0..1 (Abramowitz and Stegun 4.4.49), within 2e-8.
    p = np.float32(0.0028662257)
    p = p * s + np.float32(-0.0161657367)
    p = p * s + np.float32(0.0429096138)
    p = p * s + np.float32(-0.0752896400)
    p = p * s + np.float32(0.1065626393)
    p = p * s + np.float32(-0.1420889944)
    p = p * s + np.float32(0.1999355085)
    p = p * s + np.float32(-0.3333314528)
    a = (q + q * s * p) * _TURN
    a = np.float32(0.25) - a if ay > ax else a
    a = np.float32(0.5) - a if x < _ZERO else a
    return _ONE - a if y < _ZERO else a


@compiled(
    void(FLOATS_IN, FLOATS_IN, FLOATS_IN, AFFINE, FLOATS_IN, int64, float32, float32, float32, int64, boolean, FLOATS)
)
def falloff(xs, ys, zs, m, centre, shape, spiral, outer, inverse, profile, flip, out):  # type: ignore[no-untyped-def]
    """The weights of one shape; ``inverse`` is 1 / (outer - inner), ``spiral`` turns for each unit from the axis.

    ``centre`` (6,) is taken off places before they are multiplied, in two parts, so that they lose no digits far away.
    """
    cx, cy, cz, dx, dy, dz = centre[0], centre[1], centre[2], centre[3], centre[4], centre[5]
    a, b, c, d = m[0, 0], m[0, 1], m[0, 2], m[0, 3]
    e, f, g, h = m[1, 0], m[1, 1], m[1, 2], m[1, 3]
    j, k, o, p = m[2, 0], m[2, 1], m[2, 2], m[2, 3]
    n = np.uint64(out.shape[0])
    if shape == 0:
        for i in range(n):
            x, y, z = xs[i] - cx - dx, ys[i] - cy - dy, zs[i] - cz - dz
            out[i] = _weight(_ONE - (a * x + b * y + c * z + d), outer, inverse, profile, flip)
    elif shape == 1:
        for i in range(n):
            x, y, z = xs[i] - cx - dx, ys[i] - cy - dy, zs[i] - cz - dz
            u, v, w = a * x + b * y + c * z + d, e * x + f * y + g * z + h, j * x + k * y + o * z + p
            out[i] = _weight(np.sqrt(u * u + v * v + w * w), outer, inverse, profile, flip)
    elif shape == 2:
        for i in range(n):
            x, y, z = xs[i] - cx - dx, ys[i] - cy - dy, zs[i] - cz - dz
            u, v, w = a * x + b * y + c * z + d, e * x + f * y + g * z + h, j * x + k * y + o * z + p
            out[i] = _weight(max(max(abs(u), abs(v)), abs(w)), outer, inverse, profile, flip)
    elif shape == 3:
        for i in range(n):
            x, y, z = xs[i] - cx - dx, ys[i] - cy - dy, zs[i] - cz - dz
            u, v = a * x + b * y + c * z + d, e * x + f * y + g * z + h
            turns = _turns(u, v) + spiral * np.sqrt(u * u + v * v)
            turns = turns - np.floor(turns)
            out[i] = _weight(_ONE - turns, outer, inverse, profile, flip)
    else:
        for i in range(n):
            x, y, z = xs[i] - cx - dx, ys[i] - cy - dy, zs[i] - cz - dz
            out[i] = _weight(abs(j * x + k * y + o * z + p), outer, inverse, profile, flip)
