"""The shapes that clones are drawn as, for files that carry them: one unit across, z up."""

from __future__ import annotations

import numpy as np

from ..geometry.polygons import normals_of
from ..geometry.things import thing
from ..population import Population


def pieces_of(population: Population, shape: str) -> list[tuple[str, tuple[np.ndarray, ...], np.ndarray]]:
    """What the elements are drawn as: a name, its vertices, normals and triangles, and the elements (m,) that are it.

    One for all, or one for each part where the elements are parts of copies.
    """
    everyone = np.arange(population.count)
    if not population.shape:
        return [(shape, shape_mesh(shape), everyone)]
    made = thing(population.shape)
    if population.elements.find("copy_position") is None:
        return [(population.shape, (made.vertices, made.normals, made.faces), everyone)]
    part = population.elements.attribute("part").values
    return [(name, made.piece(k), np.flatnonzero(part == k)) for k, name in enumerate(made.parts)]


def places_of(population: Population) -> np.ndarray:
    """(n, 3) float32: where the shapes of the elements stand; of parts of copies the places of these."""
    whole = population.elements.find("copy_position")
    return (whole or population.elements.attribute("position")).readable


def shape_mesh(shape: str) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Vertices (v, 3) and normals (v, 3) float32, triangles (f, 3) int32 of a sequin, a tile or a ball."""
    vertices, faces = {"tile": _tile, "ball": _ball}.get(shape, _sequin)()
    held = np.ascontiguousarray(vertices, np.float32)
    corners = np.ascontiguousarray(faces.reshape(-1), np.int32)
    return held, normals_of(held, np.arange(0, len(corners) + 1, 3), corners), corners.reshape(-1, 3)


def _sequin() -> tuple[np.ndarray, np.ndarray]:
    """A thin, gently domed disc."""
    profile = [(0.26, 0.038), (0.44, 0.012), (0.5, 0.0)]
    turn = 2 * np.pi * np.arange(16) / 16
    rings = [np.stack([r * np.cos(turn), r * np.sin(turn), np.full(16, h)], -1) for r, h in profile]
    vertices = np.concatenate([[[0.0, 0.0, 0.05]], *rings])
    k = np.arange(16)
    after = (k + 1) % 16
    faces = [np.stack([np.zeros(16, int), 1 + k, 1 + after], -1)]
    for ring in range(2):
        a, b = 1 + 16 * ring, 17 + 16 * ring
        faces += [np.stack([a + k, b + k, b + after], -1), np.stack([a + k, b + after, a + after], -1)]
    return vertices, np.concatenate(faces)


def _tile() -> tuple[np.ndarray, np.ndarray]:
    """A flat block; each side has corners of its own, so that its edges are sharp."""
    half = np.array([0.46, 0.46, 0.08])
    vertices: list[np.ndarray] = []
    faces: list[list[list[int]]] = []
    for axis in range(3):
        for side in (-1.0, 1.0):
            one, two = (axis + 1) % 3, (axis + 2) % 3
            ring = np.zeros((4, 3))
            ring[:, axis] = side
            ring[:, one] = [-side, side, side, -side]
            ring[:, two] = [-1, -1, 1, 1]
            first = 4 * len(vertices)
            vertices.append(ring * half)
            faces.append([[first, first + 1, first + 2], [first, first + 2, first + 3]])
    return np.concatenate(vertices), np.array(faces).reshape(-1, 3)


def _ball() -> tuple[np.ndarray, np.ndarray]:
    """A ball of rings."""
    rows, columns = 9, 16
    polar = np.pi * np.arange(1, rows) / rows
    turn = 2 * np.pi * np.arange(columns) / columns
    ring = np.stack(
        [
            np.sin(polar)[:, None] * np.cos(turn),
            np.sin(polar)[:, None] * np.sin(turn),
            np.cos(polar)[:, None] + 0 * turn,
        ],
        -1,
    )
    vertices = np.concatenate([[[0, 0, 1.0]], ring.reshape(-1, 3), [[0, 0, -1.0]]]) / 2
    k = np.arange(columns)
    after = (k + 1) % columns
    last = 1 + (rows - 2) * columns
    faces = [np.stack([np.zeros(columns, int), 1 + k, 1 + after], -1),
             np.stack([last + k, np.full(columns, len(vertices) - 1), last + after], -1)]  # fmt: skip
    for row in range(rows - 2):
        a, b = 1 + row * columns, 1 + (row + 1) * columns
        faces += [np.stack([a + k, b + k, b + after], -1), np.stack([a + k, b + after, a + after], -1)]
    return vertices, np.concatenate(faces)
