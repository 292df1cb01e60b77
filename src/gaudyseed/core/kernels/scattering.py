"""Points on a triangle mesh, uniform by area, kept apart by a minimum spacing.

Candidates come in a fixed order, each from a hash of (seed, number). One is kept
when no earlier kept one is nearer than the spacing at that moment. That spacing
depends on how many came and were kept before, not on the count, so a larger count
only appends.
"""

from __future__ import annotations

import numpy as np
from numba import float64, int32, int64, uint32
from numba.types import Array, float32

from . import compiled
from .cells import slot
from .hashing import pcg3d, unit

#: Where thin parts fill up early, the even spacing relaxes after this many candidates for each kept one.
PATIENCE = 10


@compiled(int64(float64, float64, float64, float64, int64), forceinline=True)
def _cell(x, y, z, size, mask):  # type: ignore[no-untyped-def]
    a = np.int64(np.floor(x / size))
    b = np.int64(np.floor(y / size))
    c = np.int64(np.floor(z / size))
    return slot(a, b, c, mask)


@compiled(float64(Array(float32, 2, "C", readonly=True), Array(int32, 2, "C", readonly=True),
            Array(float64, 1, "C", readonly=True), Array(float32, 1, "C", readonly=True), float64,
            int64, uint32, float64, float64, float64, int64, int64, int64, float64,
            Array(float32, 2, "C"), Array(float32, 2, "C"), Array(int64, 1, "C"), Array(int64, 1, "C"),
            Array(int64, 1, "C"), Array(int64, 1, "C"), Array(int64, 1, "C")))  # fmt: skip
def scatter(vertices, faces, cumulative, density, densest, count, seed, area, spacing, evenness, start, stop, kept,
            cell, points, weights, face_of, number_of, heads, links, done):  # type: ignore[no-untyped-def]  # fmt: skip
    """Keep up to ``count`` of the candidates from ``start`` to ``stop``; ``kept`` were before these.

    Returns the side of the grid's cells, to go on with; ``done[0]`` is how many are kept now.

    ``cumulative`` is the running sum of face areas over their total; with a ``density`` of the vertices (none where it
    is empty) of areas times the greatest density of their corners, ``densest`` being that of all. ``points``
    (n, 3), barycentric ``weights`` (n, 3), ``face_of`` and the candidate
    ``number_of`` are filled. ``heads`` is the hashed grid (a power of two long), -1 at first, ``links`` (count,) its
    lists.
    """
    mask = heads.shape[0] - 1
    for candidate in range(start, stop):
        if kept == count:
            break
        a, b, c = pcg3d(np.uint32(candidate), np.uint32(0x51A7), seed)
        f = np.searchsorted(cumulative, np.float64(unit(a)) + np.float64(a & np.uint32(255)) * 2.0**-32,
                            side="right")  # fmt: skip
        f = min(f, faces.shape[0] - 1)
        root = np.sqrt(np.float64(unit(b)))
        other = np.float64(unit(c))
        w0 = 1.0 - root
        w1 = root * (1.0 - other)
        w2 = root * other
        i0, i1, i2 = faces[f, 0], faces[f, 1], faces[f, 2]
        x = w0 * vertices[i0, 0] + w1 * vertices[i1, 0] + w2 * vertices[i2, 0]
        y = w0 * vertices[i0, 1] + w1 * vertices[i1, 1] + w2 * vertices[i2, 1]
        z = w0 * vertices[i0, 2] + w1 * vertices[i1, 2] + w2 * vertices[i2, 2]
        wider = 1.0
        if len(density):
            d0, d1, d2 = density[i0], density[i1], density[i2]
            here = w0 * d0 + w1 * d1 + w2 * d2
            d, _, _ = pcg3d(np.uint32(candidate), np.uint32(0xDE45), seed)
            if np.float64(unit(d)) * max(d0, d1, d2) >= here:
                continue
            # Where fewer stand they stand further apart, up to twice as far.
            wider = min(2.0, np.sqrt(densest / here))
        radius = max(spacing, wider * evenness * np.sqrt(area / max(kept + 1, candidate // PATIENCE)))
        if radius > 0.0:
            widest = radius if wider == 1.0 else max(spacing, 2.0 * radius / wider)
            if cell == 0.0 or widest > cell or widest < cell * 0.5:
                # The spacing has halved: lay the grid anew, so that a search never visits more than 27 cells.
                cell = widest
                heads[:] = -1
                for k in range(kept):
                    slot = _cell(points[k, 0], points[k, 1], points[k, 2], cell, mask)
                    links[k] = heads[slot]
                    heads[slot] = k
            near = False
            limit = radius * radius
            for dx in range(-1, 2):
                for dy in range(-1, 2):
                    for dz in range(-1, 2):
                        k = heads[_cell(x + dx * cell, y + dy * cell, z + dz * cell, cell, mask)]
                        while k >= 0 and not near:
                            ex, ey, ez = points[k, 0] - x, points[k, 1] - y, points[k, 2] - z
                            near = ex * ex + ey * ey + ez * ez < limit
                            k = links[k]
                    if near:
                        break
                if near:
                    break
            if near:
                continue
            # The grid keys a stored point by its float32 place: use the same when it is filed.
        points[kept, 0] = x
        points[kept, 1] = y
        points[kept, 2] = z
        weights[kept, 0] = w0
        weights[kept, 1] = w1
        weights[kept, 2] = w2
        face_of[kept] = f
        number_of[kept] = candidate
        if radius > 0.0:
            slot = _cell(points[kept, 0], points[kept, 1], points[kept, 2], cell, mask)
            links[kept] = heads[slot]
            heads[slot] = kept
        kept += 1
    done[0] = kept
    return cell
