"""Subdivision of meshes: Loop for triangles, Catmull-Clark for polygons, or flat."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..kernels import subdividing as kernels
from ..kernels.parallel import over
from .polygons import Edges, edges_of


@dataclass(frozen=True)
class Rows:
    """New values as mixes of old ones: row r has the weights of the values that it mixes, which sum to 1."""

    starts: np.ndarray
    indices: np.ndarray
    weights: np.ndarray

    def mixed(self, values: np.ndarray) -> np.ndarray:
        """(r,) or (r, k) of the type of (n,) or (n, k) values; whole numbers are rounded."""
        flat = np.ascontiguousarray(values.reshape(len(values), -1), np.float32)
        out = np.empty((len(self.starts) - 1, flat.shape[1]), np.float32)
        over(
            len(out),
            lambda a, b: kernels.mixed(self.starts[a : b + 1], self.indices, self.weights, flat, out[a:b]),
        )
        if values.dtype.kind in "iu":
            out = np.rint(out)
        return out.reshape(len(out), *values.shape[1:]).astype(values.dtype)

    @property
    def first(self) -> np.ndarray:
        """(r,) int32: the first value that each row mixes; for what cannot be mixed."""
        found: np.ndarray = self.indices[self.starts[:-1]]
        return found


@dataclass(frozen=True)
class Refined:
    """A mesh once subdivided.

    Attributes
    ----------
    smooth, straight
        How places, and all other values of vertices, come about: old vertices first, then edges, then faces.
    face_of
        (f',) int32: the old face that each new one lies in.
    """

    starts: np.ndarray
    corners: np.ndarray
    smooth: Rows
    straight: Rows
    face_of: np.ndarray
    _old: tuple[np.ndarray, np.ndarray, bool]

    def of_corners(self, values: np.ndarray, mixing: bool = True) -> np.ndarray:
        """(c', ...) values of the new corners from (c, ...) of the old ones, straight within each face."""
        starts, after, triangles = self._old
        before = _before(starts, len(after))
        real = values.astype(np.float32) if mixing else values
        half = (real + real[after]) / 2 if mixing else real
        if triangles:
            parts = [real, half, half[before]]
            rings = np.stack(parts, 1).reshape(-1, 9, *values.shape[1:])
            centres = half.reshape(-1, 3, *values.shape[1:])
            out = np.concatenate([rings, centres], axis=1).reshape(-1, *values.shape[1:])
        else:
            middle = real[starts[:-1]][np.repeat(np.arange(len(starts) - 1), np.diff(starts))]
            if mixing:
                sums = np.add.reduceat(real, starts[:-1], axis=0, dtype=np.float64)
                sizes = np.diff(starts).reshape(-1, *[1] * (real.ndim - 1))
                middle = np.repeat((sums / sizes).astype(np.float32), np.diff(starts), axis=0)
            out = np.stack([real, half, middle, half[before]], 1).reshape(-1, *values.shape[1:])
        if mixing and values.dtype.kind in "iu":
            out = np.rint(out)
        return out.astype(values.dtype)


def _after(starts: np.ndarray, size: int) -> np.ndarray:
    """(c,) int64: the next corner of each face."""
    after = np.arange(1, size + 1)
    after[starts[1:] - 1] = starts[:-1]
    return after


def _before(starts: np.ndarray, size: int) -> np.ndarray:
    before = np.arange(-1, size - 1)
    before[starts[:-1]] = starts[1:] - 1
    return before


def refined(starts: np.ndarray, corners: np.ndarray, vertices: int) -> Refined:
    """A mesh with each face cut into four triangles, or one quadrangle a corner.

    Faces of triangles only are cut after Loop (1987), others after Catmull and Clark (1978). No face may be empty.
    Borders follow the cubic B-spline of their own points; where other than two borders meet a vertex stays.

    Examples
    --------
    >>> flat = refined(np.array([0, 3]), np.arange(3, dtype=np.int32), 3)
    >>> flat.corners.reshape(-1, 3).tolist()
    [[0, 3, 4], [1, 5, 3], [2, 4, 5], [3, 5, 4]]
    >>> flat.straight.mixed(np.array([0.0, 2.0, 4.0], np.float32)).tolist()
    [0.0, 2.0, 4.0, 1.0, 2.0, 3.0]
    """
    edges = edges_of(starts, corners, vertices)
    triangles = bool((np.diff(starts) == 3).all())
    after = _after(starts, len(corners))
    own = corners.astype(np.int32)
    halves = (vertices + edges.edge_of).astype(np.int32)
    before = halves[_before(starts, len(corners))]
    face_of = np.repeat(np.arange(len(starts) - 1, dtype=np.int32), np.diff(starts))
    if triangles:
        rings = np.stack([own, halves, before], 1).reshape(-1, 9)
        new = np.concatenate([rings, halves.reshape(-1, 3)], 1).reshape(-1)
        smooth, straight = (_loop(starts, corners, vertices, edges, s) for s in (True, False))
        return Refined(
            np.arange(0, len(new) + 1, 3), new, smooth, straight,
            np.repeat(np.arange(len(starts) - 1, dtype=np.int32), 4), (starts, after, True),
        )  # fmt: skip
    middles = (vertices + len(edges.ends) + face_of).astype(np.int32)
    new = np.stack([own, halves, middles, before], 1).reshape(-1)
    smooth, straight = (_catmull_clark(starts, corners, vertices, edges, face_of, s) for s in (True, False))
    return Refined(np.arange(0, len(new) + 1, 4), new, smooth, straight, face_of, (starts, after, False))


def _around(vertices: int, edges: Edges) -> tuple[np.ndarray, np.ndarray]:
    starts, found = np.zeros(vertices + 1, np.int64), np.empty(2 * len(edges.ends), np.int32)
    kernels.around(edges.ends, vertices, starts, found)
    return starts, found


def _loop(starts: np.ndarray, corners: np.ndarray, vertices: int, edges: Edges, smooth: bool) -> Rows:
    starts_v, edges_v = _around(vertices, edges)
    size = vertices + 6 * len(edges.ends)
    rows = np.empty(vertices + len(edges.ends) + 1, np.int64)
    indices, weights = np.empty(size, np.int32), np.empty(size, np.float32)
    used = kernels.loop_rows(
        starts, corners, edges.ends, edges.users, edges.first, edges.second, starts_v, edges_v, smooth, rows, indices,
        weights,
    )  # fmt: skip
    return Rows(rows, indices[:used].copy(), weights[:used].copy())


def _catmull_clark(
    starts: np.ndarray, corners: np.ndarray, vertices: int, edges: Edges, face_of: np.ndarray, smooth: bool
) -> Rows:
    starts_v, edges_v = _around(vertices, edges)
    starts_f, faces_v = np.zeros(vertices + 1, np.int64), np.empty(len(corners), np.int32)
    kernels.faces_around(corners, face_of, vertices, starts_f, faces_v)
    sizes = np.diff(starts)
    size = vertices + 4 * len(edges.ends) + len(corners)
    if smooth:
        # Each vertex, and each edge twice, mixes all corners of the faces that touch it.
        size += int(3 * (sizes**2).sum())
    rows = np.empty(vertices + len(edges.ends) + len(sizes) + 1, np.int64)
    indices, weights = np.empty(size, np.int32), np.empty(size, np.float32)
    used = kernels.catmull_clark_rows(
        starts, corners, face_of, edges.ends, edges.users, edges.first, edges.second, starts_v, edges_v, starts_f,
        faces_v, smooth, rows, indices, weights,
    )  # fmt: skip
    return Rows(rows, indices[:used].copy(), weights[:used].copy())
