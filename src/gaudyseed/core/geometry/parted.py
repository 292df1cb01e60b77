"""Things of several named parts that copies can be: one unit across, z up, standing on their place."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from .mesh import grid_mesh, joined


@dataclass(frozen=True)
class PartedMesh:
    """A small mesh of named parts.

    Attributes
    ----------
    vertices, normals
        (v, 3) float32.
    faces
        (f, 3) int32.
    part_of
        (v,) uint8: the part of each vertex.
    parts
        Their names.
    middles
        (p, 3) float32: the middle of each part's box.
    """

    vertices: np.ndarray
    normals: np.ndarray
    faces: np.ndarray
    part_of: np.ndarray
    parts: tuple[str, ...]
    middles: np.ndarray

    def piece(self, part: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Vertices, normals and faces of one part alone."""
        kept = np.flatnonzero(self.part_of == part)
        number = np.full(len(self.vertices), -1, np.int32)
        number[kept] = np.arange(len(kept), dtype=np.int32)
        faces = self.faces[self.part_of[self.faces[:, 0]] == part]
        return self.vertices[kept], self.normals[kept], number[faces]


def _turned(profile: list[tuple[float, float]], columns: int = 20, waves: int = 0, deep: float = 0.0) -> np.ndarray:
    """(rows, columns + 1, 3): a profile of radius and height turned about z; waves pleat it."""
    around = np.linspace(0, 2 * np.pi, columns + 1)
    radius = np.array([r for r, _ in profile])[:, None] * (1 + deep * np.cos(waves * around)[None, :])
    height = np.array([h for _, h in profile])[:, None] * np.ones_like(around)[None, :]
    return np.stack([radius * np.cos(around), radius * np.sin(around), height], -1)


def _bulge(low: float, high: float, wide: float, rows: int = 13) -> list[tuple[float, float]]:
    t = np.linspace(0, 1, rows)
    radius = 0.16 + (wide - 0.16) * np.sin(np.pi * t) ** 0.7
    return list(zip(radius.tolist(), (low + (high - low) * t).tolist(), strict=True))


def _lantern() -> list[tuple[str, np.ndarray]]:
    """A paper lantern: pleated body, lid, ring and tassel."""
    return [
        ("body", _turned(_bulge(-0.28, 0.3, 0.42), 40, 20, 0.035)),
        ("lid", _turned([(0.19, 0.27), (0.21, 0.33), (0.15, 0.39), (0.04, 0.43), (1e-4, 0.44)])),
        ("ring", _turned([(1e-4, -0.36), (0.12, -0.35), (0.2, -0.32), (0.19, -0.26)])),
        ("tassel", _turned([(1e-4, -0.66), (0.07, -0.64), (0.05, -0.46), (0.02, -0.36)], 12, 6, 0.2)),
    ]


def _petals(count: int, inner: float, outer: float, low: float, high: float) -> np.ndarray:
    """A wreath of petals as one pleated bowl."""
    t = np.linspace(0, 1, 8)
    around = np.linspace(0, 2 * np.pi, count * 8 + 1)
    wave = np.abs(np.cos(count * around / 2)) ** 0.6
    radius = inner + (outer - inner) * t[:, None] * (0.62 + 0.38 * wave[None, :])
    height = low + (high - low) * t[:, None] ** 1.6 * (0.7 + 0.3 * wave[None, :])
    return np.stack([radius * np.cos(around), radius * np.sin(around), height], -1)


def _rosette() -> list[tuple[str, np.ndarray]]:
    """A paper rosette: heart, inner and outer petals."""
    dome = [(0.15 * np.cos(a), 0.05 + 0.1 * np.sin(a)) for a in np.linspace(0, np.pi / 2 - 1e-3, 7)]
    return [
        ("heart", _turned(dome, 24)),
        ("inner petals", _petals(8, 0.1, 0.34, 0.03, 0.16)),
        ("outer petals", _petals(12, 0.14, 0.5, 0.0, 0.08)),
    ]


_THINGS: dict[str, Callable[[], list[tuple[str, np.ndarray]]]] = {"lantern": _lantern, "rosette": _rosette}

#: Names in the order in which they are offered.
THINGS = tuple(_THINGS)


@lru_cache(maxsize=len(_THINGS))
def thing(name: str) -> PartedMesh:
    """The thing of that name; KeyError where there is none."""
    made = _THINGS[name]()
    mesh = joined([grid_mesh(points, part=part, coat=True) for part, points in made])
    part_of = np.repeat(np.arange(len(made), dtype=np.uint8), [rows * columns for rows, columns in mesh.grids])
    middles = [(points.reshape(-1, 3).min(axis=0) + points.reshape(-1, 3).max(axis=0)) / 2 for _, points in made]
    return PartedMesh(mesh.vertices, mesh.normals, mesh.faces, part_of, mesh.parts, np.array(middles, np.float32))
