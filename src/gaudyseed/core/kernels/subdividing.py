"""Subdivision: the weights by which new vertices are mixed from old ones, and mixing by them.

Weights are rows one after another: row r mixes the values ``indices[starts[r]:starts[r + 1]]``; its ``weights`` sum to
1. Rows of the vertices come first, in their order, then those of the edges, then those of the faces.
"""

from __future__ import annotations

import numpy as np
from numba import boolean, float64, int64, void
from numba.types import Array, float32, int32

from . import compiled

_I64 = Array(int64, 1, "C", readonly=True)
_I32 = Array(int32, 1, "C", readonly=True)
_I32_2 = Array(int32, 2, "C", readonly=True)
_F32_2 = Array(float32, 2, "C", readonly=True)
_F32 = Array(float32, 1, "C", readonly=True)
_OUT_I64, _OUT_I32, _OUT_F32, _OUT_F32_2 = (
    Array(int64, 1, "C"), Array(int32, 1, "C"), Array(float32, 1, "C"), Array(float32, 2, "C")
)  # fmt: skip


@compiled(void(_I64, _I32, _F32, _F32_2, _OUT_F32_2))
def mixed(starts, indices, weights, values, out):  # type: ignore[no-untyped-def]
    """(r, k): each row's mix of (n, k) values."""
    width = values.shape[1]
    for r in range(len(out)):
        for j in range(width):
            total = 0.0
            for k in range(starts[r], starts[r + 1]):
                total += float64(weights[k]) * values[indices[k], j]
            out[r, j] = total


@compiled(void(_I32_2, int64, _OUT_I64, _OUT_I32))
def around(ends, vertices, starts, edges):  # type: ignore[no-untyped-def]
    """The edges at each vertex: those of v are ``edges[starts[v]:starts[v + 1]]``. ``starts`` comes as zeros."""
    for e in range(len(ends)):
        starts[ends[e, 0] + 1] += 1
        starts[ends[e, 1] + 1] += 1
    for v in range(vertices):
        starts[v + 1] += starts[v]
    fill = starts[:-1].copy()
    for e in range(len(ends)):
        for k in range(2):
            v = ends[e, k]
            edges[fill[v]] = e
            fill[v] += 1


@compiled(int64(int64, _I64, _I32, _I32_2, _I32), forceinline=True)
def _border(v, starts_v, edges_v, ends, users):  # type: ignore[no-untyped-def]
    """How many edges at a vertex are no joint of exactly two faces."""
    found = 0
    for k in range(starts_v[v], starts_v[v + 1]):
        found += users[edges_v[k]] != 2
    return found


@compiled(int64(int64, _I64, _I32, _I32_2, _I32, int64, _OUT_I32, _OUT_F32), forceinline=True)
def _on_border(v, starts_v, edges_v, ends, users, at, indices, weights):  # type: ignore[no-untyped-def]
    """A vertex on a border that runs through it: 3/4 of itself, 1/8 of each neighbour on the border."""
    indices[at], weights[at] = v, 0.75
    at += 1
    for k in range(starts_v[v], starts_v[v + 1]):
        e = edges_v[k]
        if users[e] != 2:
            indices[at] = ends[e, 0] + ends[e, 1] - v
            weights[at] = 0.125
            at += 1
    return at


@compiled(int64(_I64, _I32, _I32_2, _I32, _I32, _I32, _I64, _I32, boolean, _OUT_I64, _OUT_I32, _OUT_F32))
def loop_rows(starts, corners, ends, users, first, second, starts_v, edges_v, smooth, rows, indices, weights):  # type: ignore[no-untyped-def]
    """Rows of a mesh of triangles: Loop, "Smooth subdivision surfaces based on triangles", 1987.

    Not smooth: vertices stay, edges are halved. Edges of one face, or of more than two, are borders; a vertex where
    other than two borders meet stays. Returns how many numbers were written.
    """
    at = 0
    vertices = len(starts_v) - 1
    for v in range(vertices):
        rows[v] = at
        degree = starts_v[v + 1] - starts_v[v]
        border = _border(v, starts_v, edges_v, ends, users)
        if not smooth or degree == 0 or (border != 0 and border != 2):
            indices[at], weights[at] = v, 1.0
            at += 1
        elif border == 2:
            at = _on_border(v, starts_v, edges_v, ends, users, at, indices, weights)
        else:
            turn = 0.375 + 0.25 * np.cos(2 * np.pi / degree)
            beta = (0.625 - turn * turn) / degree
            indices[at], weights[at] = v, 1 - degree * beta
            at += 1
            for k in range(starts_v[v], starts_v[v + 1]):
                e = edges_v[k]
                indices[at] = ends[e, 0] + ends[e, 1] - v
                weights[at] = beta
                at += 1
    for e in range(len(ends)):
        rows[vertices + e] = at
        inner = smooth and users[e] == 2
        for k in range(2):
            indices[at], weights[at] = ends[e, k], 0.375 if inner else 0.5
            at += 1
        if inner:
            for k in (first[e], second[e]):
                f = k // 3
                opposite = 3 * f + (k - 3 * f + 2) % 3
                indices[at], weights[at] = corners[opposite], 0.125
                at += 1
    rows[vertices + len(ends)] = at
    return at


@compiled(int64(_I64, _I32, _I32, _I32_2, _I32, _I32, _I32, _I64, _I32, _I64, _I32, boolean, _OUT_I64, _OUT_I32,
                _OUT_F32))  # fmt: skip
def catmull_clark_rows(starts, corners, face_of, ends, users, first, second, starts_v, edges_v, starts_f, faces_v,
                       smooth, rows, indices, weights):  # type: ignore[no-untyped-def]  # fmt: skip
    """Rows of a mesh of polygons: Catmull and Clark, "Recursively generated B-spline surfaces", 1978.

    Not smooth: vertices stay, edges are halved, faces get their middle. Borders as for triangles. ``faces_v`` are the
    faces around each vertex. Returns how many numbers were written.
    """
    at = 0
    vertices = len(starts_v) - 1
    for v in range(vertices):
        rows[v] = at
        degree = starts_v[v + 1] - starts_v[v]
        border = _border(v, starts_v, edges_v, ends, users)
        touching = starts_f[v + 1] - starts_f[v]
        if not smooth or degree == 0 or (border != 0 and border != 2) or (border == 0 and touching != degree):
            indices[at], weights[at] = v, 1.0
            at += 1
        elif border == 2:
            at = _on_border(v, starts_v, edges_v, ends, users, at, indices, weights)
        else:
            # ((n - 3) v + 2 times the mean of the edges' middles + the mean of the faces' middles) / n
            share = 1.0 / (degree * degree)
            indices[at], weights[at] = v, (degree - 3.0) / degree + degree * share
            at += 1
            for k in range(starts_v[v], starts_v[v + 1]):
                e = edges_v[k]
                indices[at], weights[at] = ends[e, 0] + ends[e, 1] - v, share
                at += 1
            for k in range(starts_f[v], starts_f[v + 1]):
                a, b = starts[faces_v[k]], starts[faces_v[k] + 1]
                for c in range(a, b):
                    indices[at], weights[at] = corners[c], share / (b - a)
                    at += 1
    for e in range(len(ends)):
        rows[vertices + e] = at
        inner = smooth and users[e] == 2
        for k in range(2):
            indices[at], weights[at] = ends[e, k], 0.25 if inner else 0.5
            at += 1
        if inner:
            for k in (first[e], second[e]):
                a, b = starts[face_of[k]], starts[face_of[k] + 1]
                for c in range(a, b):
                    indices[at], weights[at] = corners[c], 0.25 / (b - a)
                    at += 1
    for f in range(len(starts) - 1):
        rows[vertices + len(ends) + f] = at
        a, b = starts[f], starts[f + 1]
        for c in range(a, b):
            indices[at], weights[at] = corners[c], 1.0 / (b - a)
            at += 1
    rows[vertices + len(ends) + len(starts) - 1] = at
    return at


@compiled(void(_I32, _I32, int64, _OUT_I64, _OUT_I32))
def faces_around(corners, face_of, vertices, starts, faces):  # type: ignore[no-untyped-def]
    """The faces at each vertex, as the edges of ``around``. ``starts`` comes as zeros."""
    for k in range(len(corners)):
        starts[corners[k] + 1] += 1
    for v in range(vertices):
        starts[v + 1] += starts[v]
    fill = starts[:-1].copy()
    for k in range(len(corners)):
        v = corners[k]
        faces[fill[v]] = face_of[k]
        fill[v] += 1
