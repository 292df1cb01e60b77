"""Painting: dabs of a brush over the weights or colours of elements."""

from __future__ import annotations

import numpy as np
from numba import float32, float64, int64, void
from numba.types import Array

from . import compiled
from .cells import slot

PLACES = Array(float32, 2, "C", readonly=True)
VALUES = Array(float32, 2, "C")
TOWARDS = Array(float32, 1, "C", readonly=True)
LOW = Array(float64, 1, "C", readonly=True)
INDEX = Array(int64, 1, "C", readonly=True)
NUMBERS = Array(int64, 1, "C")
WEIGHTS = Array(float32, 1, "C")

_ONE, _ZERO = np.float32(1.0), np.float32(0.0)
ADD, REMOVE, SOFTEN = 0, 1, 2


@compiled(float32(float32, float32), forceinline=True)
def brush_weight(t, hardness):  # type: ignore[no-untyped-def]
    """1 within the hard part, 0 at the rim, smoothstep between; ``t`` is the distance over the radius."""
    s = (_ONE - t) / max(_ONE - hardness, np.float32(1e-6))
    s = min(max(s, _ZERO), _ONE)
    return s * s * (np.float32(3.0) - np.float32(2.0) * s)


@compiled(int64(float32, float64, float64), forceinline=True)
def _step(at, low, side):  # type: ignore[no-untyped-def]
    return np.int64(np.floor((np.float64(at) - low) / side))


@compiled(void(PLACES, LOW, float64, NUMBERS, NUMBERS, VALUES))
def filed(places, low, side, starts, order, sorted_places):  # type: ignore[no-untyped-def]
    """Sort (n, 3) places by cells of a side from ``low`` (3,) on.

    Of the list k, cells that share a hash, are those from ``starts[k]`` to ``starts[k + 1]`` of ``order`` and of
    ``sorted_places``; in a list they are in their own order.
    """
    starts[:] = 0
    mask = starts.shape[0] - 2
    n = places.shape[0]
    slots = np.empty(n, np.int64)
    for i in range(n):
        slots[i] = slot(_step(places[i, 0], low[0], side), _step(places[i, 1], low[1], side),
                         _step(places[i, 2], low[2], side), mask)  # fmt: skip
        starts[slots[i] + 1] += 1
    for k in range(mask + 1):
        starts[k + 1] += starts[k]
    for i in range(n - 1, -1, -1):
        # From behind, each list is filled from its end: what is left in ``starts`` is where the next list begins.
        after = slots[i] + 1
        starts[after] -= 1
        k = starts[after]
        order[k] = i
        sorted_places[k, 0], sorted_places[k, 1], sorted_places[k, 2] = places[i, 0], places[i, 1], places[i, 2]
    # Now starts[k + 1] is where list k begins: move them back by one.
    for k in range(mask + 1):
        starts[k] = starts[k + 1]
    starts[mask + 1] = n


@compiled(int64(float32, float32, float32, float32, LOW, float64, INDEX, INDEX, PLACES, NUMBERS, WEIGHTS),
          forceinline=True)  # fmt: skip
def _nearby(x, y, z, square, low, side, starts, order, places, near, far):  # type: ignore[no-untyped-def]
    """How many places are in reach of a dab; their numbers go into ``near``, their distances into ``far``."""
    mask = starts.shape[0] - 2
    a, b, c = _step(x, low[0], side), _step(y, low[1], side), _step(z, low[2], side)
    count = 0
    for p in range(a - 1, a + 2):
        for q in range(b - 1, b + 2):
            for r in range(c - 1, c + 2):
                at = slot(p, q, r, mask)
                for k in range(starts[at], starts[at + 1]):
                    dx, dy, dz = places[k, 0] - x, places[k, 1] - y, places[k, 2] - z
                    away = dx * dx + dy * dy + dz * dz
                    if away < square:
                        # Several cells may share a list: each place is met in its own alone.
                        along, across = _step(places[k, 0], low[0], side), _step(places[k, 1], low[1], side)
                        if along == p and across == q and _step(places[k, 2], low[2], side) == r:
                            near[count] = order[k]
                            far[count] = np.float32(np.sqrt(away))
                            count += 1
    return count


@compiled(int64(PLACES, float32, LOW, float64, INDEX, INDEX, PLACES, NUMBERS, WEIGHTS))
def reached(dabs, radius, low, side, starts, order, places, near, far):  # type: ignore[no-untyped-def]
    """How many times places are in reach of dabs, in all."""
    found = 0
    for d in range(dabs.shape[0]):
        found += _nearby(dabs[d, 0], dabs[d, 1], dabs[d, 2], radius * radius, low, side, starts, order, places, near,
                         far)  # fmt: skip
    return found


@compiled(void(PLACES, float32, float32, float32, int64, TOWARDS, VALUES, LOW, float64, INDEX, INDEX, PLACES, NUMBERS,
               WEIGHTS))  # fmt: skip
def dab(dabs, radius, hardness, strength, mode, towards, values, low, side, starts, order, places, near,
        far):  # type: ignore[no-untyped-def]  # fmt: skip
    """Each dab in its order moves the (n, k) ``values`` in its reach: to ``towards``, to 0, or to their mean.

    ``starts``, ``order`` and ``places`` are as ``filed`` sorts them into cells of a side of the radius or more;
    ``near`` and ``far`` (n,) are room.
    """
    width = values.shape[1]
    square = radius * radius
    for d in range(dabs.shape[0]):
        count = _nearby(dabs[d, 0], dabs[d, 1], dabs[d, 2], square, low, side, starts, order, places, near, far)
        for j in range(count):
            far[j] = brush_weight(far[j] / radius, hardness)
        for c in range(width):
            goal = _ZERO if mode == REMOVE else towards[c]
            if mode == SOFTEN:
                total, whole = 0.0, 0.0
                for j in range(count):
                    total += far[j] * values[near[j], c]
                    whole += far[j]
                goal = np.float32(total / whole) if whole > 0 else _ZERO
            for j in range(count):
                i = near[j]
                values[i, c] += strength * far[j] * (goal - values[i, c])
