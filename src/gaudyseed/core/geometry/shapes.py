"""The shapes that clones are drawn as: one unit across, z up, with uv; those that ship, and meshes brought in."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from ..digest import digest_of
from .mesh import grid_mesh
from .polygons import normals_of

#: Triangles that a shape may have which is brought in.
MOST_TRIANGLES = 20_000


@dataclass(frozen=True)
class ShapeMesh:
    """A small mesh.

    Attributes
    ----------
    vertices, normals
        (v, 3) float32.
    uv
        (v, 2) float32, from the picture's lower left corner.
    faces
        (f, 3) int32.
    materials
        The names of the materials that it came with, each with how many of the faces have it, in their order; none
        for shapes that ship.
    """

    vertices: np.ndarray
    normals: np.ndarray
    uv: np.ndarray
    faces: np.ndarray
    materials: tuple[tuple[str, int], ...] = ()

    @property
    def digest(self) -> str:
        """Content digest."""
        named = [list(map(list, self.materials))] if self.materials else []
        return digest_of("shape mesh", self.vertices, self.normals, self.uv, self.faces, *named)

    def apart(self) -> list[ShapeMesh]:
        """The faces of each material as a mesh of its own."""
        found, first = [], 0
        for name, count in self.materials:
            corners = self.faces[first : first + count]
            kept, number = np.unique(corners, return_inverse=True)
            faces = number.reshape(-1, 3).astype(np.int32)
            found.append(ShapeMesh(self.vertices[kept], self.normals[kept], self.uv[kept], faces, ((name, count),)))
            first += count
        return found or [self]

    @property
    def nbytes(self) -> int:
        """Bytes that it holds."""
        return self.vertices.nbytes + self.normals.nbytes + self.uv.nbytes + self.faces.nbytes


def of_faces(vertices: np.ndarray, faces: np.ndarray, uv: np.ndarray | None = None) -> ShapeMesh:
    """A shape with normals worked out, and a uv from above where none is given."""
    held = np.ascontiguousarray(vertices, np.float32)
    corners = np.ascontiguousarray(faces.reshape(-1), np.int32)
    normals = normals_of(held, np.arange(0, len(corners) + 1, 3), corners)
    flat = held[:, :2] + np.float32(0.5) if uv is None else uv
    return ShapeMesh(held, normals, np.ascontiguousarray(flat, np.float32), corners.reshape(-1, 3))


def fitted(vertices: np.ndarray, faces: np.ndarray, uv: np.ndarray | None) -> ShapeMesh:
    """A mesh moved and sized so that the longest side of its box is one unit and its middle is at 0."""
    low, high = vertices.min(axis=0), vertices.max(axis=0)
    longest = float((high - low).max())
    moved = (vertices - (low + high) / 2) / (longest if longest > 0 else 1)
    return of_faces(moved, faces, uv)


def _sequin(coarse: bool = False) -> ShapeMesh:
    """A thin, gently domed disc."""
    columns = 6 if coarse else 16
    profile = [(0.5, 0.0)] if coarse else [(0.26, 0.038), (0.44, 0.012), (0.5, 0.0)]
    turn = 2 * np.pi * np.arange(columns) / columns
    rings = [np.stack([r * np.cos(turn), r * np.sin(turn), np.full(columns, h)], -1) for r, h in profile]
    return of_faces(np.concatenate([[[0.0, 0.0, 0.05]], *rings]), _disc(columns, len(rings)))


def _disc(columns: int, rings: int) -> np.ndarray:
    """(f, 3): triangles of rings of vertices around a first one."""
    k = np.arange(columns)
    after = (k + 1) % columns
    faces = [np.stack([np.zeros(columns, int), 1 + k, 1 + after], -1)]
    for ring in range(rings - 1):
        a, b = 1 + columns * ring, 1 + columns * (ring + 1)
        faces += [np.stack([a + k, b + k, b + after], -1), np.stack([a + k, b + after, a + after], -1)]
    return np.concatenate(faces)


def _sides(half: tuple[float, float, float]) -> ShapeMesh:
    """A block; each side has corners and a uv of its own, so that its edges are sharp."""
    vertices: list[np.ndarray] = []
    faces: list[list[list[int]]] = []
    uv: list[list[list[float]]] = []
    for axis in range(3):
        for side in (-1.0, 1.0):
            one, two = (axis + 1) % 3, (axis + 2) % 3
            ring = np.zeros((4, 3))
            ring[:, axis] = side
            ring[:, one] = [-side, side, side, -side]
            ring[:, two] = [-1, -1, 1, 1]
            first = 4 * len(vertices)
            vertices.append(ring * np.array(half))
            faces.append([[first, first + 1, first + 2], [first, first + 2, first + 3]])
            uv.append([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]])
    return of_faces(np.concatenate(vertices), np.array(faces).reshape(-1, 3), np.concatenate(uv))


def _ball(coarse: bool = False) -> ShapeMesh:
    """A ball of rings."""
    rows, columns = (5, 7) if coarse else (10, 17)
    polar, turn = np.pi * np.linspace(1, 0, rows)[:, None], 2 * np.pi * np.linspace(0, 1, columns)[None, :]
    points = np.stack([np.sin(polar) * np.cos(turn), np.sin(polar) * np.sin(turn), np.cos(polar) + 0 * turn], -1) / 2
    made = _of_grid(points)
    # The normals of a ball are its places; its poles have no area to take them from.
    return ShapeMesh(made.vertices, (made.vertices * 2).astype(np.float32), made.uv, made.faces)


def _of_grid(points: np.ndarray) -> ShapeMesh:
    """A grid of points whose rows go up, seen from outside."""
    made = grid_mesh(points, part="", coat=True)
    return ShapeMesh(made.vertices, made.normals, made.uvs, made.faces)


def _turned(profile: list[tuple[float, float]], columns: int) -> ShapeMesh:
    """A profile of radius and height turned about z; the outside goes up."""
    around = 2 * np.pi * np.linspace(0, 1, columns + 1)[None, :]
    radius, height = (np.array([p[k] for p in profile])[:, None] for k in (0, 1))
    return _of_grid(np.stack([radius * np.cos(around), radius * np.sin(around), height + 0 * around], -1))


def _bead(coarse: bool = False) -> ShapeMesh:
    """A round bead with a hole along z."""
    rows, columns = (4, 6) if coarse else (8, 14)
    bulge = [(0.16 + 0.34 * np.sin(a) ** 0.8, 0.34 * np.cos(a)) for a in np.linspace(np.pi, 0, rows)]
    return _turned([*bulge, (0.16, -0.34)], columns)


def _ring(coarse: bool = False) -> ShapeMesh:
    """A ring that lies flat."""
    rows, columns = (4, 9) if coarse else (9, 18)
    section = [(0.38 + 0.12 * np.cos(a), 0.12 * np.sin(a)) for a in np.linspace(-np.pi / 2, 3 * np.pi / 2, rows)]
    return _turned(section, columns)


def _rosette(coarse: bool = False) -> ShapeMesh:
    """A paper rosette: a pleated disc with a button, which the coarse one lacks."""
    pleats = 5 if coarse else 12
    turn = 2 * np.pi * np.arange(2 * pleats) / (2 * pleats)
    up = np.arange(2 * pleats) % 2
    inner = np.stack([0.13 * np.cos(turn), 0.13 * np.sin(turn), 0.07 + 0.01 * up], -1)
    outer = np.stack([(0.5 - 0.03 * up) * np.cos(turn), (0.5 - 0.03 * up) * np.sin(turn), 0.015 + 0.085 * up], -1)
    k, after = np.arange(2 * pleats), (np.arange(2 * pleats) + 1) % (2 * pleats)
    # Each pleat has corners of its own, so that its fold is sharp.
    pleat = np.stack([inner[k], outer[k], outer[after], inner[after]], axis=1).reshape(-1, 3)
    first = 4 * k
    faces = np.concatenate([np.stack([first, first + 1, first + 2], -1), np.stack([first, first + 2, first + 3], -1)])
    if coarse:
        return of_faces(pleat, faces)
    button_turn = 2 * np.pi * np.arange(10) / 10
    rings = [np.stack([r * np.cos(button_turn), r * np.sin(button_turn), np.full(10, h)], -1)
             for r, h in ((0.11, 0.115), (0.15, 0.07))]  # fmt: skip
    button = np.concatenate([[[0.0, 0.0, 0.13]], *rings])
    return of_faces(np.concatenate([pleat, button]), np.concatenate([faces, _disc(10, 2) + len(pleat)]))


def _card(_coarse: bool = False) -> ShapeMesh:
    """A flat square, for pictures that are cut out."""
    corners = np.array([[-0.5, -0.5, 0.0], [0.5, -0.5, 0.0], [0.5, 0.5, 0.0], [-0.5, 0.5, 0.0]])
    return of_faces(corners, np.array([[0, 1, 2], [0, 2, 3]]))


_SHAPES: dict[str, Callable[[bool], ShapeMesh]] = {
    "sequin": _sequin, "tile": lambda _: _sides((0.46, 0.46, 0.08)), "ball": _ball,
    "block": lambda _: _sides((0.5, 0.5, 0.5)), "bead": _bead, "rosette": _rosette, "card": _card, "ring": _ring,
}  # fmt: skip

#: Words in the order in which they are offered.
SHAPES = tuple(_SHAPES)


@lru_cache(maxsize=2 * len(_SHAPES))
def shape_mesh(word: str, coarse: bool = False) -> ShapeMesh:
    """The shape of that word, for slow machines of few triangles; KeyError where none ships.

    >>> shape_mesh("card").faces.tolist()
    [[0, 1, 2], [0, 2, 3]]
    """
    return _SHAPES[word](coarse)


def part_mesh(vertices: np.ndarray, normals: np.ndarray, faces: np.ndarray) -> ShapeMesh:
    """One part of a thing of several parts, with a uv from above."""
    return ShapeMesh(vertices, normals, vertices[:, :2] + np.float32(0.5), faces)
