"""Polygon meshes: area vectors, normals, islands, edges, curvature, and the corners of triangles.

A mesh is ``starts`` (f + 1,) int64 and ``corners`` (c,) int32: face k has the vertices
``corners[starts[k]:starts[k + 1]]``. All indices must lie within the vertices.
"""

from __future__ import annotations

import numpy as np
from numba import float64, int64, void
from numba.types import Array, float32, int32

from . import compiled

_I64 = Array(int64, 1, "C", readonly=True)
_I32 = Array(int32, 1, "C", readonly=True)
_I32_2 = Array(int32, 2, "C", readonly=True)
_F32_2 = Array(float32, 2, "C", readonly=True)
_F64_2 = Array(float64, 2, "C", readonly=True)
_OUT_I64, _OUT_I32, _OUT_I32_2 = Array(int64, 1, "C"), Array(int32, 1, "C"), Array(int32, 2, "C")
_OUT_F32, _OUT_F32_2, _OUT_F64_2 = Array(float32, 1, "C"), Array(float32, 2, "C"), Array(float64, 2, "C")


@compiled(void(_F32_2, _I64, _I32, _OUT_F64_2))
def area_vectors(positions, starts, corners, out):  # type: ignore[no-untyped-def]
    """(f, 3): square to each face, as long as its area (Newell's sum, about the face's first corner)."""
    for f in range(len(starts) - 1):
        a, b = starts[f], starts[f + 1]
        x = y = z = 0.0
        if b - a > 2:
            o = corners[a]
            ox, oy, oz = float64(positions[o, 0]), float64(positions[o, 1]), float64(positions[o, 2])
            p = corners[a + 1]
            ux, uy, uz = positions[p, 0] - ox, positions[p, 1] - oy, positions[p, 2] - oz
            for k in range(a + 2, b):
                p = corners[k]
                vx, vy, vz = positions[p, 0] - ox, positions[p, 1] - oy, positions[p, 2] - oz
                x += uy * vz - uz * vy
                y += uz * vx - ux * vz
                z += ux * vy - uy * vx
                ux, uy, uz = vx, vy, vz
        out[f, 0], out[f, 1], out[f, 2] = x / 2, y / 2, z / 2


@compiled(void(_F64_2, _I64, _I32, _OUT_F64_2, _OUT_F32_2))
def vertex_normals(areas, starts, corners, sums, out):  # type: ignore[no-untyped-def]
    """(n, 3) of unit length: the sum of the area vectors around each vertex; up where that is nothing.

    ``sums`` (n, 3) must come as zeros.
    """
    for f in range(len(starts) - 1):
        for k in range(starts[f], starts[f + 1]):
            v = corners[k]
            sums[v, 0] += areas[f, 0]
            sums[v, 1] += areas[f, 1]
            sums[v, 2] += areas[f, 2]
    for v in range(len(out)):
        x, y, z = sums[v, 0], sums[v, 1], sums[v, 2]
        length = np.sqrt(x * x + y * y + z * z)
        if length > 0:
            out[v, 0], out[v, 1], out[v, 2] = x / length, y / length, z / length
        else:
            out[v, 0], out[v, 1], out[v, 2] = 0, 0, 1


@compiled(int64(_I64, _I32, _OUT_I32))
def islands(starts, corners, out):  # type: ignore[no-untyped-def]
    """(n,): the connected island of each vertex, numbered by their first vertex; returns how many there are."""
    n = len(out)
    parent = np.arange(n).astype(np.int32)
    for f in range(len(starts) - 1):
        a, b = starts[f], starts[f + 1]
        if b == a:
            continue
        i = corners[a]
        while parent[i] != i:
            parent[i] = parent[parent[i]]
            i = parent[i]
        for k in range(a + 1, b):
            j = corners[k]
            while parent[j] != j:
                parent[j] = parent[parent[j]]
                j = parent[j]
            # The root is the lowest vertex, so that numbers follow the order of the vertices.
            if j < i:
                parent[i] = j
                i = j
            else:
                parent[j] = i
    count = 0
    for v in range(n):
        i = v
        while parent[i] != i:
            i = parent[i]
        if i == v:
            out[v] = count
            count += 1
        else:
            out[v] = out[i]
    return count


@compiled(int64(_I64, _I32, int64, _OUT_I32, _OUT_I32_2, _OUT_I32, _OUT_I32, _OUT_I32))
def edges(starts, corners, vertices, edge_of, ends, users, first, second):  # type: ignore[no-untyped-def]
    """The edges of a mesh, each once; returns how many there are.

    ``edge_of`` (c,) is the edge from each corner to the next of its face; ``ends`` (c, 2) the vertices of each edge,
    the lower first; ``users`` (c,) how many faces have it; ``first`` and ``second`` (c,) corners that begin it in the
    first two of them, -1 for none.
    """
    total = len(corners)
    bucket = np.zeros(vertices + 1, np.int64)
    # Until its edge is known a corner's place holds the higher end of it.
    other = edge_of
    for f in range(len(starts) - 1):
        a, b = starts[f], starts[f + 1]
        for k in range(a, b):
            p = corners[k]
            q = corners[k + 1] if k + 1 < b else corners[a]
            other[k] = max(p, q)
            bucket[min(p, q) + 1] += 1
    for v in range(vertices):
        bucket[v + 1] += bucket[v]
    fill = bucket[:-1].copy()
    sorted_ = np.empty(total, np.int32)
    for f in range(len(starts) - 1):
        a, b = starts[f], starts[f + 1]
        for k in range(a, b):
            p = corners[k]
            low = min(p, corners[k + 1] if k + 1 < b else corners[a])
            sorted_[fill[low]] = k
            fill[low] += 1
    count = 0
    for v in range(vertices):
        a, b = bucket[v], bucket[v + 1]
        if b - a > 64:
            part = sorted_[a:b]
            sorted_[a:b] = part[np.argsort(other[part], kind="mergesort")]
        else:
            for i in range(a + 1, b):
                k = sorted_[i]
                j = i - 1
                while j >= a and other[sorted_[j]] > other[k]:
                    sorted_[j + 1] = sorted_[j]
                    j -= 1
                sorted_[j + 1] = k
        last = np.int32(-1)
        for i in range(a, b):
            k = sorted_[i]
            if other[k] != last:
                last = other[k]
                ends[count, 0], ends[count, 1] = v, last
                users[count], first[count], second[count] = 0, k, -1
                count += 1
            e = count - 1
            edge_of[k] = e
            if users[e] == 1:
                second[e] = k
            users[e] += 1
    return count


@compiled(void(_F32_2, _I32_2, _OUT_F32))
def edge_lengths(positions, ends, out):  # type: ignore[no-untyped-def]
    """(n,): the mean length of the edges at each vertex, 0 where there are none. ``out`` must come as zeros."""
    at = np.zeros(len(out), np.int32)
    sums = np.zeros(len(out), np.float64)
    for e in range(len(ends)):
        p, q = ends[e, 0], ends[e, 1]
        x = float64(positions[p, 0]) - positions[q, 0]
        y = float64(positions[p, 1]) - positions[q, 1]
        z = float64(positions[p, 2]) - positions[q, 2]
        length = np.sqrt(x * x + y * y + z * z)
        sums[p] += length
        sums[q] += length
        at[p] += 1
        at[q] += 1
    for v in range(len(out)):
        out[v] = sums[v] / at[v] if at[v] else 0.0


@compiled(void(_F32_2, _F32_2, _I32_2, _OUT_F32))
def mean_curvature(positions, normals, triangles, out):  # type: ignore[no-untyped-def]
    """(n,): signed mean curvature, positive where the surface bulges along its normal; 1 / radius on a ball.

    The cotangent formula over mixed areas: Meyer, Desbrun, Schroeder, Barr, "Discrete differential-geometry operators
    for triangulated 2-manifolds", 2003.
    """
    n = len(out)
    sums = np.zeros((n, 3), np.float64)
    areas = np.zeros(n, np.float64)
    cots = np.empty(3, np.float64)
    lengths = np.empty(3, np.float64)
    for t in range(len(triangles)):
        doubled = 0.0
        for k in range(3):
            o, p, q = triangles[t, k], triangles[t, (k + 1) % 3], triangles[t, (k + 2) % 3]
            ox, oy, oz = float64(positions[o, 0]), float64(positions[o, 1]), float64(positions[o, 2])
            ux, uy, uz = positions[p, 0] - ox, positions[p, 1] - oy, positions[p, 2] - oz
            vx, vy, vz = positions[q, 0] - ox, positions[q, 1] - oy, positions[q, 2] - oz
            wx, wy, wz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
            doubled = np.sqrt(wx * wx + wy * wy + wz * wz)
            cots[k] = (ux * vx + uy * vy + uz * vz) / doubled if doubled > 0 else 0.0
            lengths[k] = (ux - vx) ** 2 + (uy - vy) ** 2 + (uz - vz) ** 2
        if doubled <= 0:
            continue
        for k in range(3):
            p, q = triangles[t, (k + 1) % 3], triangles[t, (k + 2) % 3]
            for i in range(3):
                along = cots[k] * (float64(positions[p, i]) - positions[q, i])
                sums[p, i] += along
                sums[q, i] -= along
            o = triangles[t, k]
            if cots[0] < 0 or cots[1] < 0 or cots[2] < 0:
                areas[o] += doubled / 4 if cots[k] < 0 else doubled / 8
            else:
                one, two = (k + 1) % 3, (k + 2) % 3
                areas[o] += (lengths[one] * cots[one] + lengths[two] * cots[two]) / 8
    for v in range(n):
        along = sums[v, 0] * normals[v, 0] + sums[v, 1] * normals[v, 1] + sums[v, 2] * normals[v, 2]
        out[v] = along / (4 * areas[v]) if areas[v] > 0 else 0.0


@compiled(void(_I64, _I32, _OUT_I32_2, _OUT_I32))
def triangles(starts, corners, out, face_of):  # type: ignore[no-untyped-def]
    """Each face as triangles about its first corner, (t, 3) places among the corners, and the face of each."""
    at = 0
    for f in range(len(starts) - 1):
        a, b = starts[f], starts[f + 1]
        for k in range(a + 1, b - 1):
            out[at, 0], out[at, 1], out[at, 2] = a, k, k + 1
            face_of[at] = f
            at += 1
