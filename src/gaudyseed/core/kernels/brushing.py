"""Painting: dabs of a brush over the weights or colours of elements."""

from __future__ import annotations

import numpy as np
from numba import float32, int64, void
from numba.types import Array

from . import compiled

PLACES = Array(float32, 2, "C", readonly=True)
VALUES = Array(float32, 2, "C")
TOWARDS = Array(float32, 1, "C", readonly=True)

_ONE, _ZERO = np.float32(1.0), np.float32(0.0)
ADD, REMOVE, SOFTEN = 0, 1, 2


@compiled(float32(float32, float32), forceinline=True)
def brush_weight(t, hardness):  # type: ignore[no-untyped-def]
    """1 within the hard part, 0 at the rim, smoothstep between; ``t`` is the distance over the radius."""
    s = (_ONE - t) / max(_ONE - hardness, np.float32(1e-6))
    s = min(max(s, _ZERO), _ONE)
    return s * s * (np.float32(3.0) - np.float32(2.0) * s)


@compiled(void(PLACES, PLACES, float32, float32, float32, int64, TOWARDS, VALUES))
def dab(places, dabs, radius, hardness, strength, mode, towards, values):  # type: ignore[no-untyped-def]
    """Each dab in its order moves the (n, k) ``values`` in its reach: to ``towards``, to 0, or to their mean."""
    n, width = values.shape
    square = radius * radius
    near = np.empty(n, np.int64)
    for d in range(dabs.shape[0]):
        x, y, z = dabs[d, 0], dabs[d, 1], dabs[d, 2]
        count = 0
        for i in range(n):
            dx, dy, dz = places[i, 0] - x, places[i, 1] - y, places[i, 2] - z
            if dx * dx + dy * dy + dz * dz < square:
                near[count] = i
                count += 1
        for c in range(width):
            goal = _ZERO if mode == REMOVE else towards[c]
            if mode == SOFTEN:
                total, whole = 0.0, 0.0
                for j in range(count):
                    i = near[j]
                    dx, dy, dz = places[i, 0] - x, places[i, 1] - y, places[i, 2] - z
                    w = brush_weight(np.float32(np.sqrt(dx * dx + dy * dy + dz * dz)) / radius, hardness)
                    total += w * values[i, c]
                    whole += w
                goal = np.float32(total / whole) if whole > 0 else _ZERO
            for j in range(count):
                i = near[j]
                dx, dy, dz = places[i, 0] - x, places[i, 1] - y, places[i, 2] - z
                w = strength * brush_weight(np.float32(np.sqrt(dx * dx + dy * dy + dz * dz)) / radius, hardness)
                values[i, c] += w * (goal - values[i, c])
