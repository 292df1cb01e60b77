"""The nearest point or the nearest place on triangles: a tree of boxes, halved at the middle along their longest side.

The tree is complete: node k has the children 2 k + 1 and 2 k + 2, and its leaves hold at most so many items. Searches
begin with the bound of the answer before, so queries that lie near each other should follow each other; the answer is
exact whatever that bound was, and of those that are equally near it is the one of the lowest number.
The closest place on a triangle: C. Ericson, Real-Time Collision Detection, 2005, 5.1.5.
"""

from __future__ import annotations

import numpy as np
from numba import float32, int64, void
from numba.types import Array, Tuple, int32

from . import compiled

FLOATS_IN = Array(float32, 1, "C", readonly=True)
FLOATS = Array(float32, 1, "C")
ROWS_IN = Array(float32, 2, "C", readonly=True)
ROWS = Array(float32, 2, "C")
INDICES_IN = Array(int32, 1, "C", readonly=True)
INDICES = Array(int32, 1, "C")
CORNERS = Array(int32, 2, "C", readonly=True)

_ZERO, _ONE = np.float32(0.0), np.float32(1.0)


@compiled(void(FLOATS_IN, INDICES, int64, int64, int64))
def _select(keys, order, start, stop, middle):  # type: ignore[no-untyped-def]
    """Reorder ``order[start:stop]`` so that the middle one is where sorting would put it (Hoare's quickselect)."""
    low, high = start, stop - 1
    while low < high:
        pivot = keys[order[(low + high) >> 1]]
        tie = order[(low + high) >> 1]
        i, j = low, high
        while i <= j:
            while keys[order[i]] < pivot or (keys[order[i]] == pivot and order[i] < tie):
                i += 1
            while keys[order[j]] > pivot or (keys[order[j]] == pivot and order[j] > tie):
                j -= 1
            if i <= j:
                order[i], order[j] = order[j], order[i]
                i += 1
                j -= 1
        if middle <= j:
            high = j
        elif middle >= i:
            low = i
        else:
            return


@compiled(void(ROWS_IN, ROWS_IN, int64, INDICES, INDICES, ROWS))
def build(lows, highs, depth, order, starts, boxes):  # type: ignore[no-untyped-def]
    """Fill ``order`` (n,), the ``starts`` (2 nodes,) and stops of the nodes, and their ``boxes`` (nodes, 6).

    ``lows`` and ``highs`` (3, n) are the boxes of the items; ``depth`` is the level of the leaves.
    """
    n = order.shape[0]
    for i in range(n):
        order[i] = i
    nodes = (1 << (depth + 1)) - 1
    middles = np.empty(n, np.float32)
    starts[0], starts[1] = 0, n
    for k in range(nodes):
        start, stop = starts[2 * k], starts[2 * k + 1]
        for a in range(3):
            low, high = np.float32(np.inf), np.float32(-np.inf)
            for i in range(start, stop):
                low, high = min(low, lows[a, order[i]]), max(high, highs[a, order[i]])
            boxes[k, a], boxes[k, a + 3] = low, high
        if k >= (1 << depth) - 1:
            continue
        axis = 0
        for a in range(1, 3):
            if boxes[k, a + 3] - boxes[k, a] > boxes[k, axis + 3] - boxes[k, axis]:
                axis = a
        for i in range(start, stop):
            middles[order[i]] = lows[axis, order[i]] + highs[axis, order[i]]
        middle = (start + stop) >> 1
        if stop - start > 1:
            _select(middles, order, start, stop, middle)
        starts[4 * k + 2], starts[4 * k + 3] = start, middle
        starts[4 * k + 4], starts[4 * k + 5] = middle, stop


@compiled(float32(ROWS_IN, int64, float32, float32, float32), forceinline=True)
def _to_box(boxes, k, x, y, z):  # type: ignore[no-untyped-def]
    """The square of the distance from a place to a box."""
    dx = max(max(boxes[k, 0] - x, x - boxes[k, 3]), _ZERO)
    dy = max(max(boxes[k, 1] - y, y - boxes[k, 4]), _ZERO)
    dz = max(max(boxes[k, 2] - z, z - boxes[k, 5]), _ZERO)
    return dx * dx + dy * dy + dz * dz


@compiled(void(ROWS_IN, INDICES_IN, INDICES_IN, ROWS_IN, int64, ROWS_IN, float32, INDICES, FLOATS))
def points(held, order, starts, boxes, depth, queries, cap, found, squares):  # type: ignore[no-untyped-def]
    """For (m, 3) ``queries``: the nearest point, -1 where none lies within the root of ``cap``, and how far, squared.

    ``held`` (3, n) are the points in the tree's order.
    """
    first_leaf = (1 << depth) - 1
    stack = np.empty(80, np.int64)
    far = np.empty(80, np.float32)
    before = -1
    for q in range(queries.shape[0]):
        x, y, z = queries[q, 0], queries[q, 1], queries[q, 2]
        best, at = cap, -1
        if before >= 0:
            dx, dy, dz = held[0, before] - x, held[1, before] - y, held[2, before] - z
            d = dx * dx + dy * dy + dz * dz
            if d <= best:
                best, at = d, before
        stack[0], far[0] = 0, _to_box(boxes, 0, x, y, z)
        top = 1
        while top > 0:
            top -= 1
            k = stack[top]
            if far[top] > best:
                continue
            if k >= first_leaf:
                for i in range(starts[2 * k], starts[2 * k + 1]):
                    dx, dy, dz = held[0, i] - x, held[1, i] - y, held[2, i] - z
                    d = dx * dx + dy * dy + dz * dz
                    if d < best or (d == best and (at < 0 or order[i] < order[at])):
                        best, at = d, i
                continue
            one, two = 2 * k + 1, 2 * k + 2
            a, b = _to_box(boxes, one, x, y, z), _to_box(boxes, two, x, y, z)
            if a < b:
                one, two, a, b = two, one, b, a
            if a <= best:
                stack[top], far[top] = one, a
                top += 1
            if b <= best:
                stack[top], far[top] = two, b
                top += 1
        before = at
        found[q] = order[at] if at >= 0 else -1
        squares[q] = best


@compiled(Tuple((float32, float32, float32, float32))(ROWS_IN, int64, float32, float32, float32), forceinline=True)
def _on_triangle(t, i, x, y, z):  # type: ignore[no-untyped-def]
    """The square of the distance to a triangle, and the weights of its corners at the closest place.

    Edges without length are passed over, so that triangles without area have a closest place too.
    """
    ax, ay, az = t[i, 0], t[i, 1], t[i, 2]
    abx, aby, abz = t[i, 3] - ax, t[i, 4] - ay, t[i, 5] - az
    acx, acy, acz = t[i, 6] - ax, t[i, 7] - ay, t[i, 8] - az
    apx, apy, apz = x - ax, y - ay, z - az
    d1, d2 = abx * apx + aby * apy + abz * apz, acx * apx + acy * apy + acz * apz
    ab, ac, bc = (abx * abx + aby * aby + abz * abz, acx * acx + acy * acy + acz * acz,
                  abx * acx + aby * acy + abz * acz)  # fmt: skip
    d3, d4, d5, d6 = d1 - ab, d2 - bc, d1 - bc, d2 - ac
    vc, vb, va = d1 * d4 - d3 * d2, d5 * d2 - d1 * d6, d3 * d6 - d5 * d4
    v, w = _ZERO, _ZERO
    if d1 <= _ZERO and d2 <= _ZERO:
        v, w = _ZERO, _ZERO
    elif d3 >= _ZERO and d4 <= d3:
        v, w = _ONE, _ZERO
    elif d6 >= _ZERO and d5 <= d6:
        v, w = _ZERO, _ONE
    elif vc <= _ZERO and d1 >= _ZERO and d3 <= _ZERO and d1 > d3:
        v, w = d1 / (d1 - d3), _ZERO
    elif vb <= _ZERO and d2 >= _ZERO and d6 <= _ZERO and d2 > d6:
        v, w = _ZERO, d2 / (d2 - d6)
    elif va <= _ZERO and d4 >= d3 and d5 >= d6 and (d4 - d3) + (d5 - d6) > _ZERO:
        w = (d4 - d3) / ((d4 - d3) + (d5 - d6))
        v = _ONE - w
    else:
        whole = va + vb + vc
        if whole > _ZERO:
            v, w = vb / whole, vc / whole
    dx, dy, dz = apx - v * abx - w * acx, apy - v * aby - w * acy, apz - v * abz - w * acz
    return dx * dx + dy * dy + dz * dz, _ONE - v - w, v, w


@compiled(void(ROWS_IN, INDICES_IN, INDICES_IN, ROWS_IN, int64, ROWS_IN, float32, INDICES, FLOATS, ROWS))
def triangles(held, order, starts, boxes, depth, queries, cap, found, squares, weights):  # type: ignore[no-untyped-def]
    """Finds the nearest triangle: (t, 9) corners in the tree's order; and the (m, 3) weights of the corners."""
    first_leaf = (1 << depth) - 1
    stack = np.empty(80, np.int64)
    far = np.empty(80, np.float32)
    before = -1
    for q in range(queries.shape[0]):
        x, y, z = queries[q, 0], queries[q, 1], queries[q, 2]
        best, at = cap, -1
        u, v, w = _ONE, _ZERO, _ZERO
        if before >= 0:
            d, a, b, c = _on_triangle(held, before, x, y, z)
            if d <= best:
                best, at, u, v, w = d, before, a, b, c
        stack[0], far[0] = 0, _to_box(boxes, 0, x, y, z)
        top = 1
        while top > 0:
            top -= 1
            k = stack[top]
            if far[top] > best:
                continue
            if k >= first_leaf:
                for i in range(starts[2 * k], starts[2 * k + 1]):
                    d, a, b, c = _on_triangle(held, i, x, y, z)
                    if d < best or (d == best and (at < 0 or order[i] < order[at])):
                        best, at, u, v, w = d, i, a, b, c
                continue
            one, two = 2 * k + 1, 2 * k + 2
            a, b = _to_box(boxes, one, x, y, z), _to_box(boxes, two, x, y, z)
            if a < b:
                one, two, a, b = two, one, b, a
            if a <= best:
                stack[top], far[top] = one, a
                top += 1
            if b <= best:
                stack[top], far[top] = two, b
                top += 1
        before = at
        found[q] = order[at] if at >= 0 else -1
        squares[q] = best
        weights[q, 0], weights[q, 1], weights[q, 2] = u, v, w


@compiled(void(FLOATS_IN, FLOATS_IN, FLOATS_IN, ROWS_IN, INDICES, FLOATS))
def few(xs, ys, zs, held, found, squares):  # type: ignore[no-untyped-def]
    """The nearest of a few (k, 3) points by trying all, the first of those that are equally near."""
    n = np.uint64(squares.shape[0])
    for i in range(n):
        squares[i], found[i] = np.float32(np.inf), -1
    for k in range(held.shape[0]):
        px, py, pz = held[k, 0], held[k, 1], held[k, 2]
        number = np.int32(k)
        for i in range(n):
            dx, dy, dz = px - xs[i], py - ys[i], pz - zs[i]
            d = dx * dx + dy * dy + dz * dz
            nearer = d < squares[i]
            found[i] = number if nearer else found[i]
            squares[i] = d if nearer else squares[i]


@compiled(void(ROWS_IN, FLOATS_IN, FLOATS_IN, Array(int64, 1, "C")))
def codes(places, low, scale, out):  # type: ignore[no-untyped-def]
    """Where (n, 3) places lie along a curve that fills their box (Morton order), ten bits for each axis."""
    for i in range(out.shape[0]):
        code = int64(0)
        for a in range(3):
            v = int64(min(max((places[i, a] - low[a]) * scale[a], _ZERO), np.float32(1023.0)))
            v = (v | (v << 16)) & int64(0x30000FF)
            v = (v | (v << 8)) & int64(0x300F00F)
            v = (v | (v << 4)) & int64(0x30C30C3)
            v = (v | (v << 2)) & int64(0x9249249)
            code |= v << a
        out[i] = code


@compiled(float32(FLOATS_IN, FLOATS_IN, FLOATS_IN, float32, float32, float32))
def least_square(xs, ys, zs, x, y, z):  # type: ignore[no-untyped-def]
    """The square of the distance to the nearest of many points that does not lie at the very same place."""
    far = np.float32(np.inf)
    best = far
    for i in range(np.uint64(xs.shape[0])):
        dx, dy, dz = xs[i] - x, ys[i] - y, zs[i] - z
        d = dx * dx + dy * dy + dz * dz
        d = d if d > _ZERO else far
        best = d if d < best else best
    return best
