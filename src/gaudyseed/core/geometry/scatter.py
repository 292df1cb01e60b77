"""Scatter points on a mesh, uniform by area, kept apart, and stable when the count is raised."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..kernels import scattering
from ..runtime.task import UNWATCHED, Task
from .mesh import Mesh

#: Candidates tried for each point wanted before the surface counts as full.
ATTEMPTS_A_POINT = 80
#: Candidates between two checks.
_CANDIDATES = 100_000
#: Of the greatest coordinate: what float32 can just tell apart.
_FINEST = 2.0**-23


@dataclass(frozen=True)
class Scattered:
    """Points on a mesh: positions, normals (n, 3), uvs (n, 2) float32, numbers (n,) int64, ``coat_faces`` rows (n,)."""

    positions: np.ndarray
    normals: np.ndarray
    uvs: np.ndarray | None
    numbers: np.ndarray
    faces: np.ndarray


@dataclass(frozen=True)
class Feet:
    """Points on triangles: positions (n, 3) and barycentric weights (n, 3) float32, triangle and number (n,) int64."""

    positions: np.ndarray
    weights: np.ndarray
    triangles: np.ndarray
    numbers: np.ndarray


def feet_on(
    vertices: np.ndarray, triangles: np.ndarray, areas: np.ndarray, count: int, seed: int, spacing: float = 0.0,
    evenness: float = 0.0, density: np.ndarray | None = None, task: Task = UNWATCHED,
) -> Feet:  # fmt: skip
    """Up to ``count`` points on triangles (t, 3) int32 over vertices (v, 3) float32.

    Parameters
    ----------
    areas
        (t,) float64.
    density
        (v,) float32: how densely points stand, relative to one another, linear within a triangle; below 0 counts as 0.
    spacing
        No two points are nearer than this, in scene units. What float32 cannot tell apart there counts as 0.
    evenness
        0..0.75. The i-th point also keeps about ``evenness * sqrt(area / i)`` from all
        earlier ones, less where the surface is full: 0 is purely random, 0.7 is
        nearly as even as can be.
    task
        Whose share is how many of the points are there.

    Returns
    -------
    Fewer points than asked for where the surface has no room left.

    Notes
    -----
    Raising the count keeps every earlier point and its number.
    """
    weighed, densest = areas, 1.0
    if density is None:
        density = np.empty(0, np.float32)
    else:
        density = np.maximum(density, np.float32(0))
        at_corners = density[triangles]
        weighed, densest = areas * at_corners.max(axis=1), float(density.max(initial=0))
        areas = areas * at_corners.mean(axis=1) / max(densest, 1e-30)
    total, whole = float(areas.sum()), float(weighed.sum())
    if not whole > 0:
        empty = np.empty((0, 3), np.float32)
        return Feet(empty, empty, np.empty(0, np.int64), np.empty(0, np.int64))
    cumulative = np.cumsum(weighed) / whole
    points = np.empty((count, 3), np.float32)
    weights = np.empty((count, 3), np.float32)
    face_of, number_of = np.empty(count, np.int64), np.empty(count, np.int64)
    heads = np.empty(1 << max(10, int(np.ceil(np.log2(count * 2 + 1)))), np.int64)
    heads[:] = -1
    links, done = np.empty(count, np.int64), np.zeros(1, np.int64)
    reach = float(np.abs(vertices).max(initial=0))
    spacing = spacing if spacing > _FINEST * reach else 0.0
    cell, attempts, kept = 0.0, count * ATTEMPTS_A_POINT + 1000, 0
    for start in range(0, attempts, _CANDIDATES):
        task.reach(kept / count)
        cell = scattering.scatter(
            vertices, triangles, cumulative, density, densest, count, np.uint32(seed & 0xFFFFFFFF), total, spacing,
            evenness, start, min(start + _CANDIDATES, attempts), kept, cell, points, weights, face_of, number_of, heads,
            links, done,
        )  # fmt: skip
        kept = int(done[0])
        if kept == count:
            break
    return Feet(points[:kept].copy(), weights[:kept].copy(), face_of[:kept].copy(), number_of[:kept].copy())


def scatter_on(
    mesh: Mesh, count: int, seed: int, spacing: float = 0.0, evenness: float = 0.0,
    task: Task = UNWATCHED,
) -> Scattered:  # fmt: skip
    """Scattered places on the faces of a stand-in surface that take elements, with what the surface has there."""
    feet = feet_on(mesh.vertices, mesh.coat_faces, mesh.coat_areas, count, seed, spacing, evenness, task=task)
    corners = mesh.coat_faces[feet.triangles]
    w = feet.weights[:, :, None]
    normals = (mesh.normals[corners] * w).sum(axis=1)
    lengths = np.linalg.norm(normals, axis=1, keepdims=True)
    return Scattered(
        feet.positions,
        (normals / np.where(lengths > 0, lengths, 1)).astype(np.float32),
        (mesh.uvs[corners] * w).sum(axis=1).astype(np.float32),
        feet.numbers,
        feet.triangles,
    )
