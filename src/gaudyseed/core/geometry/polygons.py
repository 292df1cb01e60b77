"""What can be told of a mesh of polygons: normals, islands, edges, curvature.

A mesh is positions (n, 3) float32, ``starts`` (f + 1,) int64 and ``corners`` (c,) int32: face k has the vertices
``corners[starts[k]:starts[k + 1]]``, counter-clockwise seen from outside.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..kernels import meshes as kernels


@dataclass(frozen=True)
class Edges:
    """The edges of a mesh, each once.

    Attributes
    ----------
    edge_of
        (c,) int32: the edge from each corner to the next one of its face.
    ends
        (e, 2) int32: its vertices, the lower first.
    users
        (e,) int32: how many faces have it; 1 on a border, 2 within a surface.
    first, second
        (e,) int32: corners that begin it in two of them, -1 for none.
    """

    edge_of: np.ndarray
    ends: np.ndarray
    users: np.ndarray
    first: np.ndarray
    second: np.ndarray


def edges_of(starts: np.ndarray, corners: np.ndarray, vertices: int) -> Edges:
    """All edges, in the order of their lower vertices.

    >>> square = edges_of(np.array([0, 4]), np.arange(4, dtype=np.int32), 4)
    >>> square.ends.tolist(), square.users.tolist()
    ([[0, 1], [0, 3], [1, 2], [2, 3]], [1, 1, 1, 1])
    """
    size = len(corners)
    edge_of, users = np.empty(size, np.int32), np.empty(size, np.int32)
    ends, first, second = np.empty((size, 2), np.int32), np.empty(size, np.int32), np.empty(size, np.int32)
    count = kernels.edges(starts, corners, vertices, edge_of, ends, users, first, second)
    return Edges(edge_of, ends[:count].copy(), users[:count].copy(), first[:count].copy(), second[:count].copy())


def area_vectors(positions: np.ndarray, starts: np.ndarray, corners: np.ndarray) -> np.ndarray:
    """(f, 3) float64: square to each face, as long as its area."""
    out = np.empty((len(starts) - 1, 3))
    kernels.area_vectors(positions, starts, corners, out)
    return out


def areas(positions: np.ndarray, starts: np.ndarray, corners: np.ndarray) -> np.ndarray:
    """(f,) float64: the areas of the faces, 0 for those of fewer than three corners."""
    found: np.ndarray = np.sqrt((area_vectors(positions, starts, corners) ** 2).sum(axis=1))
    return found


def normals_of(positions: np.ndarray, starts: np.ndarray, corners: np.ndarray) -> np.ndarray:
    """(n, 3) float32 of unit length: the normals of the faces at each vertex by their area; up where it has none."""
    out = np.empty((len(positions), 3), np.float32)
    sums = np.zeros((len(positions), 3))
    kernels.vertex_normals(area_vectors(positions, starts, corners), starts, corners, sums, out)
    return out


def islands_of(starts: np.ndarray, corners: np.ndarray, vertices: int) -> tuple[np.ndarray, int]:
    """The connected island of each vertex, (n,) int32 from 0 in the order of their first vertices, and how many."""
    out = np.empty(vertices, np.int32)
    return out, int(kernels.islands(starts, corners, out))


def edge_lengths(positions: np.ndarray, edges: Edges) -> np.ndarray:
    """(n,) float32: the mean length of the edges at each vertex; 0 where there are none."""
    out = np.zeros(len(positions), np.float32)
    kernels.edge_lengths(positions, edges.ends, out)
    return out


def triangles_of(starts: np.ndarray, corners: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The faces as triangles about their first corners.

    Returns
    -------
    (t, 3) int32 places among the corners, and (t,) int32 the face of each; faces of fewer than three corners have none.
    """
    count = int(np.maximum(np.diff(starts) - 2, 0).sum())
    out, face_of = np.empty((count, 3), np.int32), np.empty(count, np.int32)
    kernels.triangles(starts, corners, out, face_of)
    return out, face_of


def mean_curvature(positions: np.ndarray, normals: np.ndarray, triangles: np.ndarray) -> np.ndarray:
    """(n,) float32: signed mean curvature in 1 / units, positive on ridges, negative in hollows.

    ``triangles`` (t, 3) int32 are vertices.
    """
    out = np.empty(len(positions), np.float32)
    kernels.mean_curvature(positions, normals, triangles, out)
    return out
