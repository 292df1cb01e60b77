"""A mosaic carp for a parade float: glazed tiles on a swimming body, of which fins, eyes and lips have names.

Units are scene units (about a metre); z is up, the carp swims along -y.
"""

from __future__ import annotations

from itertools import pairwise

import numpy as np

_THICK = 0.022


def carp_pieces() -> tuple[np.ndarray, tuple[str, ...], np.ndarray]:
    """All tiles.

    Returns
    -------
    (t, 12, 3) places: four corners on the body, four on top, four within the top; the names, empty for the tiles of
    the flanks; and (t, 2) where each tile lies, along and around the body.
    """
    parts = [_body(), *_fins()]
    tiles = np.concatenate([tile for tile, _, _ in parts])
    names = tuple(name for _, names, _ in parts for name in names)
    return tiles, names, np.concatenate([uv for _, _, uv in parts]).astype(np.float32)


def _spine(along: np.ndarray) -> np.ndarray:
    """(..., 3): the middle of the body from the mouth (0) to the root of the tail (1), in a swimming bend."""
    y = -1.75 + 3.2 * along
    x = 0.34 * np.sin(np.pi * (1.5 * along + 0.12)) * (0.25 + 0.75 * along)
    z = 0.95 + 0.10 * np.sin(np.pi * along)
    return np.stack([x, y, z], -1)


def _across(along: np.ndarray) -> np.ndarray:
    """(..., 3): level and square to the spine, to the carp's left."""
    ahead = _spine(along + 1e-3) - _spine(along - 1e-3)
    side = np.stack([ahead[..., 1], -ahead[..., 0], np.zeros_like(along)], -1)
    found: np.ndarray = side / np.linalg.norm(side, axis=-1, keepdims=True)
    return found


def _surface(along: np.ndarray, around: np.ndarray) -> np.ndarray:
    """(..., 3): the body; around runs from the back (0) over the left flank (1/4) and the belly (1/2)."""
    bulk = np.sin(np.pi * np.clip(0.045 + 0.875 * along, 0, 1)) ** 0.72
    wide = 0.46 * bulk * (1 - 0.30 * along**2) + 0.02
    high = 0.60 * bulk * (1 - 0.12 * along) + 0.05
    angle = 2 * np.pi * around
    up = np.cos(angle) * high * (1 + 0.12 * np.cos(angle))
    return _spine(along) + _across(along) * (np.sin(angle) * wide)[..., None] + np.array([0, 0, 1.0]) * up[..., None]


def _tile(corners: np.ndarray, up: np.ndarray, inset: float = 0.07, thick: float = _THICK) -> np.ndarray:
    """(t, 12, 3) tiles from (t, 4, 3) corners on the body and (t, 3) directions away from it."""
    middle = corners.mean(axis=1, keepdims=True)
    low = corners + (middle - corners) * inset
    raised = up[:, None] * thick
    top = corners + (middle - corners) * (inset + 0.05) + raised * 0.82
    inner = corners + (middle - corners) * (inset + 0.22) + raised
    return np.concatenate([low, top, inner], axis=1)


def _upward(corners: np.ndarray) -> np.ndarray:
    """(t, 3): the unit normals of (t, 4, 3) corners."""
    square = np.cross(corners[:, 2] - corners[:, 0], corners[:, 3] - corners[:, 1])
    found: np.ndarray = square / np.maximum(np.linalg.norm(square, axis=1, keepdims=True), 1e-12)
    return found


def _body() -> tuple[np.ndarray, list[str], np.ndarray]:
    """Rows of tiles around the body, each half a tile on from the one before it."""
    rows, names, uvs = [], [], []
    edges = 0.012 + 0.988 * np.linspace(0, 1, 51) ** 1.04
    for row, (a, b) in enumerate(pairwise(edges)):
        middle = (a + b) / 2
        ring = _surface(np.full(64, middle), np.arange(64) / 64)
        length = np.linalg.norm(np.roll(ring, -1, axis=0) - ring, axis=1).sum()
        count = max(8, round(length / 0.098))
        turn = (np.arange(count) + 0.5 * (row % 2)) / count
        along = np.array([a, a, b, b])[None, :] * np.ones((count, 1))
        around = turn[:, None] + np.array([0.0, 1.0, 1.0, 0.0])[None, :] / count
        corners = _surface(along, around)
        rows.append(_tile(corners, _upward(corners)))
        centre = (turn + 0.5 / count) % 1
        uvs.append(np.stack([np.full(count, middle), centre], -1))
        names += [_named(middle, float(c)) for c in centre]
    return np.concatenate(rows), names, np.concatenate(uvs)


def _named(along: float, around: float) -> str:
    """What a tile of the body is called, if anything."""
    from_back = min(around, 1 - around)
    if along < 0.045:
        return "lip"
    if 0.10 < along < 0.16 and 0.13 < from_back < 0.20:
        return "eye"
    if 0.235 < along < 0.262 and from_back > 0.12:
        return "gill"
    if from_back < 0.045:
        return "back stripe"
    return "belly" if from_back > 0.44 else ""


def _sheet(rows: int, columns: int, name: str, place: np.ndarray) -> tuple[np.ndarray, list[str], np.ndarray]:
    """Tiles on both faces of a fin: ``place`` (rows + 1, columns + 1, 3) are the corners of its cells."""
    cells = np.stack([place[:-1, :-1], place[:-1, 1:], place[1:, 1:], place[1:, :-1]], 2).reshape(-1, 4, 3)
    back = cells[:, ::-1]
    tiles = np.concatenate([_tile(c, _upward(c), thick=0.6 * _THICK) for c in (cells, back)])
    u, v = np.meshgrid((np.arange(columns) + 0.5) / columns, (np.arange(rows) + 0.5) / rows)
    uv = np.stack([u, v], -1).reshape(-1, 2)
    return tiles, [name] * len(tiles), np.concatenate([uv, uv])


def _fan(root: np.ndarray, tip: np.ndarray, hollow: np.ndarray, rows: int) -> np.ndarray:
    """(rows + 1, columns + 1, 3) from the points of a root (columns + 1, 3) to those of a tip, hollowed."""
    t = np.linspace(0, 1, rows + 1)[:, None, None]
    return root[None] * (1 - t) + tip[None] * t + hollow[None] * np.sin(np.pi * t) * 0.5


def _fins() -> list[tuple[np.ndarray, list[str], np.ndarray]]:
    """Tail, back fin, the two side fins and the one below."""
    found = []
    c = np.linspace(-1, 1, 17)[:, None]
    end, side = _spine(np.array(0.99)), _across(np.array(0.99))
    up, back = np.array([0.0, 0.0, 1.0]), np.array([0.0, 1.0, 0.0])
    root = end + up * c * 0.10 + back * 0.02
    tip = end + up * c * 0.74 + back * (0.52 + 0.36 * np.abs(c)) + side * 0.22 * np.sin(2.2 * c + 0.6)
    found.append(_sheet(9, 16, "tail fin", _fan(root, tip, side * 0.10 * np.ones_like(c), 9)))
    along = np.linspace(0.36, 0.74, 15)
    ridge = _surface(along, np.zeros(15))
    lift = np.sin(np.pi * np.linspace(0.10, 0.93, 15))[:, None] ** 0.6
    tip = ridge + up * (0.34 * lift) + back * 0.16
    found.append(_sheet(4, 14, "back fin", _fan(ridge - up * 0.02, tip, _across(along) * 0.05, 4)))
    spread = np.linspace(0, 1, 8)[:, None]
    for flank, name in ((0.33, "left fin"), (0.67, "right fin")):
        along = np.linspace(0.30, 0.37, 8)
        root = _surface(along, np.full(8, flank))
        out = _across(along) * (1 if flank < 0.5 else -1)
        tip = root + out * (0.20 + 0.30 * (1 - spread)) - up * (0.18 + 0.20 * spread) + back * (0.20 + 0.26 * spread)
        found.append(_sheet(6, 7, name, _fan(root, tip, up * 0.08 * np.ones_like(spread), 6)))
    along = np.linspace(0.62, 0.74, 7)
    keel = _surface(along, np.full(7, 0.5))
    tip = keel - up * 0.24 + back * 0.18
    found.append(_sheet(3, 6, "belly fin", _fan(keel + up * 0.02, tip, _across(along) * 0.03, 3)))
    return found
