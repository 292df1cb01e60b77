"""A fox mask: one closed smooth shell with eye holes, dense enough to paint on.

Units are scene units (about a metre); it stands upright, z is up, and looks along -y.
"""

from __future__ import annotations

import numpy as np

_CELL = 0.034
_THICK = 0.05


def mask_polygons() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """The cage: (n, 3) places, (f, 4) faces and (n, 2) uv in 0..1, seen from the front."""
    flat, cells = _outlined()
    front = np.stack([flat[:, 0], -_relief(flat), flat[:, 1] + 1.25], -1)
    rear = front + np.array([0, _THICK, 0])
    count = len(flat)
    edges = _border(cells)
    # Seen from the front cells run clockwise about -y where x goes right and z up.
    faces = np.concatenate([cells, cells[:, ::-1] + count, np.stack([edges[:, 1], edges[:, 0], edges[:, 0] + count,
                                                                     edges[:, 1] + count], -1)])  # fmt: skip
    low, high = flat.min(axis=0), flat.max(axis=0)
    uv = (flat - low) / (high - low)
    return np.concatenate([front, rear]).astype(np.float32), faces, np.concatenate([uv, uv]).astype(np.float32)


def _outlined() -> tuple[np.ndarray, np.ndarray]:
    """Points (n, 2) and cells (f, 4) of the mask seen from the front, its border drawn onto the outline."""
    x = np.arange(-1.2, 1.2 + _CELL / 2, _CELL)
    z = np.arange(-1.25, 1.35 + _CELL / 2, _CELL)
    grid = np.stack(np.meshgrid(x, z), -1)
    inside = _outline(grid) < -0.6 * _CELL
    whole = inside[:-1, :-1] & inside[:-1, 1:] & inside[1:, 1:] & inside[1:, :-1]
    index = np.arange(grid.size // 2).reshape(grid.shape[:2])
    cells = np.stack([index[:-1, :-1], index[:-1, 1:], index[1:, 1:], index[1:, :-1]], -1)[whole]
    used, cells = np.unique(cells, return_inverse=True)
    cells = cells.reshape(-1, 4)
    return _rimmed(grid.reshape(-1, 2)[used], cells)


def _rimmed(points: np.ndarray, cells: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """With one more row of cells between the border, which runs in steps, and the outline, so that the rim is even."""
    edges = _border(cells)
    stepped, inverse = np.unique(edges, return_inverse=True)
    a, b = edges.T
    rim_a, rim_b = (len(points) + inverse.reshape(-1, 2)).T
    cells = np.concatenate([cells, np.stack([b, a, rim_a, rim_b], -1)])
    points = np.concatenate([points, _on_outline(points[stepped])])
    return _relaxed(points, cells), cells


def _relaxed(points: np.ndarray, cells: np.ndarray) -> np.ndarray:
    """The border moved onto the outline and all others evened out between their neighbours."""
    edges = np.unique(np.sort(np.stack([cells, np.roll(cells, -1, axis=1)], -1).reshape(-1, 2), axis=1), axis=0)
    rim = np.unique(_border(cells))
    degree = np.bincount(edges.reshape(-1), minlength=len(points))[:, None]
    along = _border(cells)
    for _ in range(60):
        sums = np.zeros_like(points)
        np.add.at(sums, edges[:, 0], points[edges[:, 1]])
        np.add.at(sums, edges[:, 1], points[edges[:, 0]])
        even = sums / degree
        # The rim is evened out along itself, then put back onto the outline.
        rims = np.zeros_like(points)
        np.add.at(rims, along[:, 0], points[along[:, 1]])
        np.add.at(rims, along[:, 1], points[along[:, 0]])
        even[rim] = points[rim] / 2 + rims[rim] / 4
        points = even
        points[rim] = _on_outline(points[rim])
    return points


def _border(cells: np.ndarray) -> np.ndarray:
    """(b, 2): the edges of one cell alone, in the direction in which it runs."""
    edges = np.stack([cells, np.roll(cells, -1, axis=1)], -1).reshape(-1, 2)
    keys = np.sort(edges, axis=1)
    _, inverse, counts = np.unique(keys, axis=0, return_inverse=True, return_counts=True)
    found: np.ndarray = edges[counts[inverse.reshape(-1)] == 1]
    return found


def _on_outline(points: np.ndarray) -> np.ndarray:
    """Points moved along the slope of the outline's function to where it is 0 (Newton's steps)."""
    tiny = 1e-4
    for _ in range(4):
        value = _outline(points)
        slope = np.stack([_outline(points + np.eye(2)[k] * tiny) - value for k in range(2)], -1) / tiny
        steep = np.maximum((slope**2).sum(axis=-1, keepdims=True), 1e-6)
        points = points - np.clip(value[:, None] * slope / steep, -_CELL, _CELL)
    return points


def _outline(p: np.ndarray) -> np.ndarray:
    """(...,) below 0 within the mask: cheeks, muzzle and ears, less the eyes."""
    x, z = np.abs(p[..., 0]), p[..., 1]
    ears = _corners(x, z, [(0.30, 0.42), (0.98, 1.22), (0.92, 0.10)]) - 0.05
    face = _corners(x, z, [(-1.0, 0.62), (0.42, 0.62), (0.96, 0.05), (0.62, -0.42), (0.16, -1.0), (-1.0, -1.0)]) - 0.06
    # Eyes: leant ellipses with a pointed outer corner.
    ex, ez = x - 0.40, z - 0.10
    u, v = 0.93 * ex + 0.37 * ez, -0.37 * ex + 0.93 * ez
    eyes = (np.sqrt((u / 0.185) ** 2 + (v / (0.088 * (1.15 - 0.9 * np.abs(u)))) ** 2) - 1) * 0.10
    found: np.ndarray = np.maximum(_soft_least(ears, face, 0.12), -eyes)
    return found


def _corners(x: np.ndarray, z: np.ndarray, corners: list[tuple[float, float]]) -> np.ndarray:
    """The signed distance to a convex polygon whose corners run clockwise, below 0 within; (...,)."""
    ring = np.array(corners)
    after = np.roll(ring, -1, axis=0)
    # The area tells which way round they run.
    sign = np.sign((ring[:, 0] * after[:, 1] - after[:, 0] * ring[:, 1]).sum())
    outside = np.full(np.shape(x), -np.inf)
    nearest = np.full(np.shape(x), np.inf)
    for (ax, az), (bx, bz) in zip(ring, after, strict=True):
        dx, dz = bx - ax, bz - az
        length = np.hypot(dx, dz)
        outside = np.maximum(outside, sign * ((x - ax) * dz - (z - az) * dx) / length)
        t = np.clip(((x - ax) * dx + (z - az) * dz) / length**2, 0, 1)
        nearest = np.minimum(nearest, np.hypot(x - ax - t * dx, z - az - t * dz))
    return np.where(outside < 0, outside, nearest)


def _soft_least(a: np.ndarray, b: np.ndarray, soft: float) -> np.ndarray:
    """The smaller of two distances, rounded where they meet."""
    h = np.maximum(soft - np.abs(a - b), 0) / soft
    found: np.ndarray = np.minimum(a, b) - h * h * soft / 4
    return found


def _relief(p: np.ndarray) -> np.ndarray:
    """How far the mask stands out towards the viewer."""
    x, z = p[:, 0], p[:, 1]
    dome = 0.55 * (1 - np.clip((x / 1.25) ** 2 + ((z + 0.1) / 1.6) ** 2, 0, 1))
    muzzle = 0.62 * np.exp(-((x / 0.27) ** 2) - (((z + 0.62) / 0.42) ** 2))
    ridge = 0.10 * np.exp(-((x / 0.12) ** 2)) * np.exp(-(((z + 0.05) / 0.5) ** 2))
    brow = 0.09 * np.exp(-(((np.abs(x) - 0.42) / 0.24) ** 2) - (((z - 0.33) / 0.10) ** 2))
    socket = -0.12 * np.exp(-(((np.abs(x) - 0.40) / 0.26) ** 2) - (((z - 0.10) / 0.15) ** 2))
    cheek = 0.10 * np.exp(-(((np.abs(x) - 0.62) / 0.2) ** 2) - (((z + 0.25) / 0.22) ** 2))
    ear = -0.16 * np.exp(-(((np.abs(x) - 0.76) / 0.16) ** 2) - (((z - 0.72) / 0.26) ** 2))
    nose = 0.06 * np.exp(-((x / 0.10) ** 2) - (((z + 0.80) / 0.09) ** 2))
    found: np.ndarray = dome + muzzle + ridge + brow + socket + cheek + ear + nose
    return found
