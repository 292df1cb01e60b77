"""Neighbours by distance, and an assignment of values in which neighbours differ."""

from __future__ import annotations

import numpy as np
from numba import float64, int32, int64, uint8, uint32, void
from numba.types import Array, float32

from . import compiled
from .hashing import pcg3d
from .scattering import _cell

PLACES = Array(float32, 2, "C", readonly=True)

#: Neighbours kept for one element at most.
MOST = 24


@compiled(void(PLACES, Array(int64, 1, "C", readonly=True), int64, Array(float64, 1, "C")))
def near_distances(places, chosen, rank, out):  # type: ignore[no-untyped-def]
    """The distance from each chosen element to its ``rank``-th nearest other one, by looking at all."""
    best = np.empty(rank, np.float64)
    for c in range(chosen.shape[0]):
        i = chosen[c]
        best[:] = np.inf
        for j in range(places.shape[0]):
            if j == i:
                continue
            dx = np.float64(places[j, 0]) - places[i, 0]
            dy = np.float64(places[j, 1]) - places[i, 1]
            dz = np.float64(places[j, 2]) - places[i, 2]
            d = dx * dx + dy * dy + dz * dz
            if d < best[rank - 1]:
                k = rank - 1
                while k > 0 and best[k - 1] > d:
                    best[k] = best[k - 1]
                    k -= 1
                best[k] = d
        out[c] = np.sqrt(best[rank - 1])


@compiled(int64(Array(float64, 1, "C"), Array(int32, 2, "C"), int64))
def _farthest(away, found, i):  # type: ignore[no-untyped-def]
    """Which of the neighbours kept so far has to go first."""
    last = 0
    for k in range(1, MOST):
        if away[k] > away[last] or (away[k] == away[last] and found[i, k] > found[i, last]):
            last = k
    return last


@compiled(void(PLACES, float64, Array(int64, 1, "C"), Array(int32, 2, "C"), Array(uint8, 1, "C")))
def neighbours(places, reach, heads, found, counts):  # type: ignore[no-untyped-def]
    """The nearest others within ``reach`` of each element, at most ``MOST``, through a hashed grid.

    Of equally far ones those with the lower index; in no particular order.
    """
    n = places.shape[0]
    mask = heads.shape[0] - 1
    links = np.empty(n, np.int64)
    heads[:] = -1
    for i in range(n):
        slot = _cell(places[i, 0], places[i, 1], places[i, 2], reach, mask)
        links[i] = heads[slot]
        heads[slot] = i
    slots = np.empty(27, np.int64)
    away = np.empty(MOST, np.float64)
    for i in range(n):
        count = 0
        used = 0
        for dx in range(-1, 2):
            for dy in range(-1, 2):
                for dz in range(-1, 2):
                    x = places[i, 0] + dx * reach
                    y = places[i, 1] + dy * reach
                    slot = _cell(x, y, places[i, 2] + dz * reach, reach, mask)
                    seen = False
                    for s in range(used):
                        seen = seen or slots[s] == slot
                    if seen:
                        continue
                    slots[used] = slot
                    used += 1
                    j = heads[slot]
                    while j >= 0:
                        ex = np.float64(places[j, 0]) - places[i, 0]
                        ey = np.float64(places[j, 1]) - places[i, 1]
                        ez = np.float64(places[j, 2]) - places[i, 2]
                        d = ex * ex + ey * ey + ez * ez
                        if j != i and d <= reach * reach:
                            k = count if count < MOST else _farthest(away, found, i)
                            if count < MOST or d < away[k] or (d == away[k] and j < found[i, k]):
                                away[k] = d
                                found[i, k] = j
                                count = min(count + 1, MOST)
                        j = links[j]
        counts[i] = count


@compiled(int64(Array(int32, 1, "C"), Array(int32, 2, "C"), Array(uint8, 1, "C"), int64), forceinline=True)
def _alike(bands, found, counts, i):  # type: ignore[no-untyped-def]
    same = 0
    for k in range(counts[i]):
        same += bands[found[i, k]] == bands[i]
    return same


@compiled(int64(Array(int32, 1, "C"), Array(int32, 2, "C"), Array(uint8, 1, "C")))
def alike_pairs(bands, found, counts):  # type: ignore[no-untyped-def]
    """How many times an element has a neighbour of its own band (each pair counts twice)."""
    total = 0
    for i in range(bands.shape[0]):
        total += _alike(bands, found, counts, i)
    return total


@compiled(int64(Array(int32, 1, "C"), Array(int64, 1, "C"), Array(int32, 2, "C"), Array(uint8, 1, "C"), uint32, int64,
            int64))  # fmt: skip
def exchange(bands, order, found, counts, seed, passes, tries):  # type: ignore[no-untyped-def]
    """Exchange places of values while that leaves fewer neighbours alike.

    ``order[i]`` is the value that element i has; ``bands[i]`` its band. Partners come
    from a hash of (element, pass and try, seed), so the result is the same everywhere.
    Returns how many exchanges were made.
    """
    n = bands.shape[0]
    made = 0
    for turn in range(passes):
        before = made
        for i in range(n):
            mine = _alike(bands, found, counts, i)
            if mine == 0:
                continue
            for attempt in range(tries):
                word, _a, _b = pcg3d(np.uint32(i), np.uint32(turn * tries + attempt), seed)
                j = np.int64(np.uint64(word) * np.uint64(n) >> np.uint64(32))
                if bands[j] == bands[i]:
                    continue
                old = mine + _alike(bands, found, counts, j)
                bands[i], bands[j] = bands[j], bands[i]
                now = _alike(bands, found, counts, i)
                if now + _alike(bands, found, counts, j) < old:
                    order[i], order[j] = order[j], order[i]
                    made += 1
                    mine = now
                    if mine == 0:
                        break
                else:
                    bands[i], bands[j] = bands[j], bands[i]
        if made == before:
            break
    return made
