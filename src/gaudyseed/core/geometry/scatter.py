"""Scatter points on a mesh, uniform by area, kept apart, and stable when the count is raised."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..kernels import scattering
from .mesh import Mesh

#: Candidates tried for each point wanted before the surface counts as full.
ATTEMPTS_A_POINT = 80


@dataclass(frozen=True)
class Scattered:
    """Points on a mesh: positions, normals (n, 3), uvs (n, 2) float32, numbers (n,) int64, ``coat_faces`` rows (n,)."""

    positions: np.ndarray
    normals: np.ndarray
    uvs: np.ndarray
    numbers: np.ndarray
    faces: np.ndarray


def scatter_on(mesh: Mesh, count: int, seed: int, spacing: float = 0.0, evenness: float = 0.0) -> Scattered:
    """Up to ``count`` points on the faces of ``mesh`` that take elements.

    Parameters
    ----------
    spacing
        No two points are nearer than this, in scene units.
    evenness
        0..0.75. The i-th point also keeps about ``evenness * sqrt(area / i)`` from all
        earlier ones, less where the surface is full: 0 is purely random, 0.7 is
        nearly as even as can be.

    Returns
    -------
    Fewer points than asked for where the surface has no room left.

    Notes
    -----
    Raising the count keeps every earlier point and its number.
    """
    areas = mesh.coat_areas
    total = float(areas.sum())
    cumulative = np.cumsum(areas) / total
    points = np.empty((count, 3), np.float32)
    weights = np.empty((count, 3), np.float32)
    face_of, number_of = np.empty(count, np.int64), np.empty(count, np.int64)
    heads = np.empty(1 << max(10, int(np.ceil(np.log2(count * 2 + 1)))), np.int64)
    kept = scattering.scatter(
        mesh.vertices, mesh.coat_faces, cumulative, count, np.uint32(seed & 0xFFFFFFFF), total,
        spacing, evenness, count * ATTEMPTS_A_POINT + 1000, points, weights, face_of, number_of, heads,
    )  # fmt: skip
    corners = mesh.coat_faces[face_of[:kept]]
    w = weights[:kept, :, None]
    normals = (mesh.normals[corners] * w).sum(axis=1)
    lengths = np.linalg.norm(normals, axis=1, keepdims=True)
    return Scattered(
        points[:kept].copy(),
        (normals / np.where(lengths > 0, lengths, 1)).astype(np.float32),
        (mesh.uvs[corners] * w).sum(axis=1).astype(np.float32),
        number_of[:kept].copy(),
        face_of[:kept].copy(),
    )
