"""A hobby-horse as a carver would make it: a head and neck on a stick, with ears, eyes and a bridle."""

from __future__ import annotations

import numpy as np

from .mesh import Mesh, grid_mesh, joined

#: From the foot of the neck over the poll to the lips: x forwards, z up, half the depth in the plane, half the width,
#: and by how much the back of a section is narrower than a round one.
_SECTIONS = np.array(
    [
        [-0.520, 0.330, 0.300, 0.165, 0.30],
        [-0.470, 0.480, 0.285, 0.160, 0.42],
        [-0.390, 0.650, 0.255, 0.148, 0.52],
        [-0.290, 0.815, 0.220, 0.132, 0.56],
        [-0.180, 0.965, 0.190, 0.120, 0.54],
        [-0.065, 1.085, 0.172, 0.116, 0.46],
        [0.060, 1.150, 0.168, 0.122, 0.34],
        [0.175, 1.140, 0.170, 0.130, 0.22],
        [0.285, 1.075, 0.160, 0.122, 0.16],
        [0.385, 0.985, 0.136, 0.104, 0.12],
        [0.475, 0.890, 0.114, 0.090, 0.10],
        [0.550, 0.805, 0.104, 0.086, 0.08],
        [0.605, 0.735, 0.098, 0.084, 0.06],
        [0.640, 0.690, 0.078, 0.072, 0.04],
        [0.658, 0.668, 0.040, 0.040, 0.02],
    ]
)
#: Vertices around a section; the crest lies in the middle of them.
_AROUND = 32
#: Along the path: where the crest begins, ends, and how far from the middle it reaches, as parts of 1.
_CREST_FROM, _CREST_TO, _CREST_HALF = 0.03, 0.47, 0.055


def _path(count: int) -> tuple[np.ndarray, np.ndarray]:
    """The sections at ``count`` even places, smoothed, and the way of the path there, (count, 2)."""
    t = np.linspace(0, len(_SECTIONS) - 1, count)
    k = np.clip(t.astype(int), 0, len(_SECTIONS) - 2)
    held = np.pad(_SECTIONS, ((1, 1), (0, 0)), mode="reflect", reflect_type="odd")
    f = (t - k)[:, None]
    a, b, c, d = (held[k + j] for j in range(4))
    # Catmull-Rom through the sections.
    found = 0.5 * (2 * b + (c - a) * f + (2 * a - 5 * b + 4 * c - d) * f**2 + (3 * b - a - 3 * c + d) * f**3)
    way = np.gradient(found[:, :2], axis=0)
    return found, way / np.linalg.norm(way, axis=1, keepdims=True)


def _body(rows: int) -> tuple[Mesh, np.ndarray]:
    """Neck and head as one, and (v,) how far each vertex belongs to the crest."""
    sections, way = _path(rows)
    around = np.linspace(-np.pi, np.pi, _AROUND + 1)
    x, z, deep, wide, narrow = (sections[:, k, None] for k in range(5))
    # In a section: to the crest, and to the side.
    out = np.cos(around)[None, :]
    side = np.sin(around)[None, :]
    # Narrower towards the crest, fuller towards the throat.
    side = side * (1 - narrow * np.clip(out, 0, 1) ** 1.5)
    normal = np.stack([-way[:, 1], way[:, 0]], -1)
    points = np.stack(
        [x + normal[:, :1] * deep * out, wide * side, z + normal[:, 1:] * deep * out], -1
    )  # fmt: skip
    for end, inner in ((0, 1), (-1, -2)):
        points[end] = points[inner].mean(axis=0) if end == -1 else points[end]
    mesh = grid_mesh(points[:, ::-1], part="horse", coat=True, gloss=0.5)
    v = np.linspace(0, 1, rows)[:, None]
    u = np.linspace(0, 1, _AROUND + 1)[None, :]
    along = np.clip(np.minimum((v - _CREST_FROM) / 0.06, (_CREST_TO - v) / 0.06), 0, 1)
    across = np.clip((_CREST_HALF - np.abs(u - 0.5)) / 0.03, 0, 1)
    return mesh, (along * across).reshape(-1)


def _tube(path: np.ndarray, radius: np.ndarray, part: str, columns: int = 10) -> Mesh:
    """A round tube along a path (n, 3), its ends closed to points."""
    way = np.gradient(path, axis=0)
    way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-9)
    one = np.cross(way, [0.12, 0.31, 0.94])
    one /= np.linalg.norm(one, axis=1, keepdims=True)
    two = np.cross(way, one)
    around = np.linspace(0, 2 * np.pi, columns + 1)[None, :, None]
    rings = path[:, None] + radius[:, None, None] * (np.cos(around) * one[:, None] + np.sin(around) * two[:, None])
    return grid_mesh(rings[:, ::-1], part=part, coat=False, gloss=0.8)


def _ring(at: int, rows: int, part: str, thick: float = 0.0095, grown: float = 1.035) -> Mesh:
    """A strap of the bridle: a round cord about the section at a place of the path."""
    sections, way = _path(rows)
    x, z, deep, wide, narrow = sections[at]
    around = np.linspace(0, 2 * np.pi, 49)
    out, side = np.cos(around), np.sin(around)
    side = side * (1 - narrow * np.clip(out, 0, 1) ** 1.5)
    nx, nz = -way[at, 1], way[at, 0]
    path = np.stack([x + nx * deep * out * grown, wide * side * grown, z + nz * deep * out * grown], -1)
    centre = path[:-1].mean(axis=0)
    away = path - centre
    away /= np.linalg.norm(away, axis=1, keepdims=True)
    forward = np.array([way[at, 0], 0, way[at, 1]])
    turn = np.linspace(0, 2 * np.pi, 9)[None, :, None]
    rings = path[:, None] + thick * (np.cos(turn) * away[:, None] + 1.6 * np.sin(turn) * forward)
    return grid_mesh(rings, part=part, coat=False, gloss=0.9)


def _ear(side: int) -> Mesh:
    t = np.linspace(0, 1, 9)
    path = np.stack([0.045 - 0.03 * t, side * (0.062 + 0.05 * t - 0.018 * t**2), 1.26 + 0.20 * t], -1)
    return _tube(path, 0.050 * np.sin(np.pi * np.clip(0.12 + 0.88 * t, 0, 1)) ** 0.9 + 1e-3, f"ear {_SIDES[side]}")


def _eye(side: int) -> Mesh:
    polar = np.linspace(np.pi, 0, 9)[:, None]
    around = np.linspace(0, 2 * np.pi, 17)[None, :]
    ball = np.stack([np.sin(polar) * np.cos(around), np.sin(polar) * np.sin(around), np.cos(polar) + 0 * around], -1)
    return grid_mesh(ball * 0.030 + [0.262, side * 0.112, 1.105], part=f"eye {_SIDES[side]}", coat=False, gloss=1.0)


def _stud(side: int) -> Mesh:
    polar = np.linspace(np.pi, 0, 7)[:, None]
    around = np.linspace(0, 2 * np.pi, 13)[None, :]
    ball = np.stack([np.sin(polar) * np.cos(around), np.sin(polar) * np.sin(around), np.cos(polar) + 0 * around], -1)
    return grid_mesh(ball * [0.034, 0.014, 0.034] + [0.40, side * 0.112, 0.955], part="studs", coat=False, gloss=1.0)


_SIDES = {1: "left", -1: "right"}


def horse(rows: int = 61) -> tuple[Mesh, np.ndarray]:
    """The pieces of the hobby-horse, and (v,) how far each vertex belongs to the crest, on which a mane grows.

    A picture on its uv lies with u = 0.5 on the crest, v from the foot of the neck (0) to the lips (1).
    """
    body, crest = _body(rows)
    stick = np.stack([np.full(14, -0.53), np.zeros(14), np.linspace(0.0, 0.36, 14)], -1)
    handle = _tube(stick, np.array([1e-3, *np.full(12, 0.052), 1e-3]), "stick", 16)
    pieces = [
        body, handle, _ring(51, rows, "bridle"), _ring(33, rows, "bridle"), *(_cheek(side, rows) for side in (1, -1)),
        *(_ear(side) for side in (1, -1)), *(_eye(side) for side in (1, -1)), *(_stud(side) for side in (1, -1)),
    ]  # fmt: skip
    mesh = joined(pieces)
    weights = np.zeros(len(mesh.vertices), np.float32)
    weights[: len(crest)] = crest
    return mesh, weights


def _cheek(side: int, rows: int) -> Mesh:
    """The strap along the cheek, from one ring of the bridle to the other."""
    sections, _ = _path(rows)
    at = np.linspace(33, 51, 25)
    picked = np.stack([np.interp(at, np.arange(rows), sections[:, k]) for k in range(5)], -1)
    path = np.stack([picked[:, 0], side * picked[:, 3] * 1.03, picked[:, 1]], -1)
    return _tube(path, np.array([1e-3, *np.full(23, 0.010), 1e-3]), "bridle", 8)
