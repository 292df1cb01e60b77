"""A triangle mesh and the few things that are computed from one."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np


@dataclass(frozen=True)
class Mesh:
    """Triangles with smooth normals and texture coordinates.

    Attributes
    ----------
    vertices, normals
        (v, 3) float32.
    uvs
        (v, 2) float32 in 0..1.
    faces
        (f, 3) int32, counter-clockwise seen from outside.
    coat
        (f,) bool: whether elements may be scattered on the face.
    gloss
        (v,) float32 in 0..1: how polished the bare surface is, for the view.
    parts
        Names of the pieces that it was joined from.
    part_of
        (f,) int32: the piece that each face belongs to.
    grids
        Rows and columns of each piece; its vertices lie row by row.
    """

    vertices: np.ndarray
    normals: np.ndarray
    uvs: np.ndarray
    faces: np.ndarray
    coat: np.ndarray
    gloss: np.ndarray
    parts: tuple[str, ...]
    part_of: np.ndarray
    grids: tuple[tuple[int, int], ...]

    @cached_property
    def face_areas(self) -> np.ndarray:
        """The area of each face, (f,) float64."""
        a, b, c = (self.vertices[self.faces[:, k]].astype(np.float64) for k in range(3))
        return np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2

    @cached_property
    def coat_faces(self) -> np.ndarray:
        """(g, 3) int32: the faces that take elements."""
        return np.ascontiguousarray(self.faces[self.coat])

    @cached_property
    def coat_areas(self) -> np.ndarray:
        """(g,) float64: areas of ``coat_faces``."""
        return self.face_areas[self.coat]

    @cached_property
    def coat_parts(self) -> np.ndarray:
        """(g,) int32: the piece of each of ``coat_faces``."""
        return self.part_of[self.coat]

    @cached_property
    def coat_middles(self) -> np.ndarray:
        """(g, 3) float64: middles of ``coat_faces``."""
        return self.vertices[self.coat_faces].astype(np.float64).mean(axis=1)


def smooth_normals(vertices: np.ndarray, faces: np.ndarray) -> np.ndarray:
    """Area-weighted vertex normals (v, 3) float32 of unit length."""
    a, b, c = (vertices[faces[:, k]].astype(np.float64) for k in range(3))
    of_face = np.cross(b - a, c - a)
    sums = np.zeros((len(vertices), 3))
    for k in range(3):
        np.add.at(sums, faces[:, k], of_face)
    lengths = np.linalg.norm(sums, axis=1, keepdims=True)
    return (sums / np.where(lengths > 0, lengths, 1)).astype(np.float32)


def grid_mesh(points: np.ndarray, *, part: str, coat: bool, gloss: float = 0.3) -> Mesh:
    """A mesh of one part through a (rows, columns, 3) grid of points; winding by row then column.

    The first and last columns may coincide (a closed ring): normals are then
    averaged across the joint so that it does not show.
    """
    rows, columns = points.shape[:2]
    index = np.arange(rows * columns).reshape(rows, columns)
    a, b = index[:-1, :-1], index[:-1, 1:]
    c, d = index[1:, 1:], index[1:, :-1]
    faces = np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)])
    vertices = points.reshape(-1, 3).astype(np.float32)
    faces = faces[_not_degenerate(vertices, faces)].astype(np.int32)
    normals = smooth_normals(vertices, faces).reshape(rows, columns, 3)
    if np.allclose(points[:, 0], points[:, -1]):
        joined = normals[:, 0] + normals[:, -1]
        lengths = np.linalg.norm(joined, axis=1, keepdims=True)
        joined = joined / np.where(lengths > 0, lengths, 1)
        normals[:, 0], normals[:, -1] = joined, joined
    u, v = np.meshgrid(np.linspace(0, 1, columns), np.linspace(0, 1, rows))
    return Mesh(
        vertices,
        np.ascontiguousarray(normals.reshape(-1, 3), np.float32),
        np.stack([u, v], -1).reshape(-1, 2).astype(np.float32),
        faces,
        np.full(len(faces), coat),
        np.full(len(vertices), gloss, np.float32),
        (part,),
        np.zeros(len(faces), np.int32),
        ((rows, columns),),
    )


def thinned(piece: Mesh, coarse: int) -> Mesh:
    """A piece through every ``coarse``-th row and column of its grid; as it is where that does not come out even."""
    rows, columns = piece.grids[0]
    if coarse == 1 or (rows - 1) % coarse or (columns - 1) % coarse:
        return piece
    points = piece.vertices.reshape(rows, columns, 3)[::coarse, ::coarse]
    return grid_mesh(points, part=piece.parts[0], coat=bool(piece.coat.all()), gloss=float(piece.gloss[0]))


def _not_degenerate(vertices: np.ndarray, faces: np.ndarray) -> np.ndarray:
    a, b, c = (vertices[faces[:, k]] for k in range(3))
    return np.linalg.norm(np.cross(b - a, c - a), axis=1) > 1e-12


def joined(meshes: list[Mesh]) -> Mesh:
    """All meshes as one, which keeps their parts."""
    starts = np.cumsum([0] + [len(m.vertices) for m in meshes[:-1]])
    parts = np.cumsum([0] + [len(m.parts) for m in meshes[:-1]])
    return Mesh(
        np.concatenate([m.vertices for m in meshes]),
        np.concatenate([m.normals for m in meshes]),
        np.concatenate([m.uvs for m in meshes]),
        np.concatenate([m.faces + s for m, s in zip(meshes, starts, strict=True)]).astype(np.int32),
        np.concatenate([m.coat for m in meshes]),
        np.concatenate([m.gloss for m in meshes]),
        tuple(name for m in meshes for name in m.parts),
        np.concatenate([m.part_of + s for m, s in zip(meshes, parts, strict=True)]).astype(np.int32),
        tuple(grid for m in meshes for grid in m.grids),
    )
