"""A papier-mache beetle for a parade float: the demo's surface.

Units are scene units (about a metre); z is up, the beetle looks along -y. The
wing cases, the shield behind the head, the head and the horns take elements; legs,
feelers, eyes and the underside stay bare. Left and right are the beetle's own.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from .mesh import Mesh, grid_mesh, joined, thinned


def beetle(coarse: int = 1) -> Mesh:
    """The whole beetle as one mesh; ``coat`` marks what takes elements, and every ``coarse``-th line is drawn."""
    return joined([thinned(piece, coarse) for piece in _pieces()])


def _pieces() -> list[Mesh]:
    return [
        *(_wing_case(side) for side in (-1, 1)),
        _belly(),
        _shield(),
        _head(),
        *_horns(),
        *(_eye(side) for side in (-1, 1)),
        *(leg for side in (-1, 1) for leg in _legs(side)),
        *(_feeler(side) for side in (-1, 1)),
    ]


def _sided(side: int, part: str) -> str:
    return f"{'left' if side > 0 else 'right'} {part}"


def _wing_case(side: int) -> Mesh:
    """One half of the domed back, its inner edge rolled down into the seam."""
    along = np.linspace(0, 1, 97)[:, None]
    across = np.linspace(0, 1, 65)[None, :]
    # Outline of the back: wide shoulders, long taper to the tip.
    width = 0.96 * np.sin(np.pi * (0.13 + 0.87 * along) ** 0.92) ** 0.56
    angle = across * np.pi * 0.56
    seam = np.exp(-((across / 0.055) ** 2)) * 0.085
    shoulder = 0.08 * np.exp(-(((along - 0.14) / 0.12) ** 2)) * np.sin(np.pi * across)
    ribs = 0.012 * np.cos(across * np.pi * 9) * np.sin(np.pi * along) ** 0.7 * (across > 0.06)
    x = side * (0.012 + np.sin(angle) * (width + shoulder * 0.5))
    height = 0.30 + 0.72 * np.sin(np.pi * (0.10 + 0.90 * along) ** 0.80) ** 0.62
    z = 0.42 + np.cos(angle) * (height + shoulder) - seam * height + ribs
    y = -0.62 + 2.14 * along + 0.06 * np.sin(angle) * (1 - along)
    points = np.stack([x, y * np.ones_like(x), z], -1)
    return grid_mesh(points if side > 0 else points[:, ::-1], part=_sided(side, "wing case"), coat=True, gloss=0.35)


def _dome(part: str, centre: tuple[float, float, float], radii: tuple[float, float, float], *, coat: bool,
          gloss: float = 0.3, square: float = 1.0, rows: int = 49, columns: int = 81) -> Mesh:  # fmt: skip
    """A superellipsoid; ``square`` below 1 makes it boxier seen from above."""
    polar = np.linspace(np.pi, 0, rows)[:, None]
    around = np.linspace(0, 2 * np.pi, columns)[None, :]

    def power(values: np.ndarray) -> np.ndarray:
        return np.sign(values) * np.abs(values) ** square

    x = centre[0] + radii[0] * np.sin(polar) * power(np.cos(around))
    y = centre[1] + radii[1] * np.sin(polar) * power(np.sin(around))
    z = centre[2] + radii[2] * np.cos(polar) * np.ones_like(around)
    return grid_mesh(np.stack([x, y, z], -1), part=part, coat=coat, gloss=gloss)


def _belly() -> Mesh:
    return _dome("belly", (0, 0.36, 0.42), (0.84, 1.05, 0.26), coat=False, gloss=0.2)


def _shield() -> Mesh:
    return _dome("shield", (0, -0.76, 0.60), (0.78, 0.46, 0.50), coat=True, gloss=0.35, square=0.86)


def _head() -> Mesh:
    return _dome("head", (0, -1.24, 0.52), (0.42, 0.34, 0.31), coat=True, gloss=0.35, square=0.9)


def _tube(part: str, path: np.ndarray, radii: np.ndarray, *, coat: bool, gloss: float = 0.3, columns: int = 25) -> Mesh:
    """A round tube along a (k, 3) path with a radius at each point."""
    forward = np.gradient(path, axis=0)
    forward /= np.linalg.norm(forward, axis=1, keepdims=True)
    side = _carried(forward)
    other = np.cross(forward, side)
    around = np.linspace(0, 2 * np.pi, columns)
    ring = side[:, None] * np.cos(around)[None, :, None] + other[:, None] * np.sin(around)[None, :, None]
    return grid_mesh(path[:, None] + radii[:, None, None] * ring, part=part, coat=coat, gloss=gloss)


def _carried(forward: np.ndarray) -> np.ndarray:
    """A direction square to the path, carried along it without twisting, (k, 3)."""
    first = np.cross(forward[0], [0.0, 0.0, 1.0] if abs(forward[0, 2]) < 0.9 else [1.0, 0.0, 0.0])
    sides = [first / np.linalg.norm(first)]
    for ahead in forward[1:]:
        leant = sides[-1] - ahead * (ahead @ sides[-1])
        sides.append(leant / np.linalg.norm(leant))
    return np.array(sides)


def _curve(points: Sequence[tuple[float, float, float]], samples: int) -> np.ndarray:
    """A smooth path through points: Catmull-Rom, the ends repeated."""
    p = np.array([points[0], *points, points[-1]], np.float64)
    t = np.linspace(0, len(points) - 1 - 1e-9, samples)
    k = t.astype(int)
    f = (t - k)[:, None]
    a, b, c, d = p[k], p[k + 1], p[k + 2], p[k + 3]
    return 0.5 * (2 * b + (c - a) * f + (2 * a - 5 * b + 4 * c - d) * f**2 + (3 * b - a - 3 * c + d) * f**3)


def _horns() -> list[Mesh]:
    """One horn rises from the head, the other reaches forward over it from the shield."""
    horns = []
    for part, points, width in (
        ("head horn", [(0, -1.30, 0.58), (0, -1.74, 0.72), (0, -2.06, 1.10), (0, -1.98, 1.62)], 0.15),
        (
            "shield horn",
            [(0, -0.62, 0.86), (0, -0.98, 1.16), (0, -1.42, 1.62), (0, -2.06, 1.96), (0, -2.62, 1.86)],
            0.23,
        ),
    ):
        path = _curve(points, 65)
        t = np.linspace(0, 1, 65)
        radii = width * (1 - t**1.7) * (0.86 + 0.14 * np.cos(np.pi * t)) + 0.014
        radii[-1] = 1e-4
        horns.append(_tube(part, path, radii, coat=True, gloss=0.35, columns=33))
    return horns


def _eye(side: int) -> Mesh:
    return _dome(
        _sided(side, "eye"), (side * 0.33, -1.40, 0.60), (0.10, 0.10, 0.10), coat=False, gloss=1.0, rows=25, columns=37
    )


def _legs(side: int) -> list[Mesh]:
    legs = []
    for part, hip, knee, foot in (
        ("front leg", (0.42, -0.84, 0.42), (1.02, -1.16, 0.66), (1.24, -1.62, 0.03)),
        ("middle leg", (0.60, -0.20, 0.42), (1.28, -0.22, 0.74), (1.62, -0.30, 0.03)),
        ("hind leg", (0.60, 0.56, 0.42), (1.20, 0.86, 0.70), (1.50, 1.34, 0.03)),
    ):
        mirrored = [(side * x, y, z) for x, y, z in (hip, knee, foot)]
        toe = (mirrored[2][0] + side * 0.16, mirrored[2][1] + (foot[1] - hip[1]) * 0.12, 0.035)
        path = _curve([*mirrored, toe], 57)
        t = np.linspace(0, 1, 57)
        radii = 0.085 * (1 - 0.72 * t) + 0.03 * np.exp(-(((t - 0.36) / 0.10) ** 2))
        radii[-1] = 1e-4
        legs.append(_tube(_sided(side, part), path, radii, coat=False, gloss=0.55, columns=21))
    return legs


def _feeler(side: int) -> Mesh:
    path = _curve([(side * 0.24, -1.50, 0.50), (side * 0.52, -1.86, 0.56), (side * 0.86, -2.06, 0.86)], 41)
    radii = np.full(41, 0.022)
    radii[-9:] = 0.022 + 0.036 * np.sin(np.linspace(0, np.pi, 9))
    radii[-1] = 1e-4
    return _tube(_sided(side, "feeler"), path, radii, coat=False, gloss=0.55, columns=17)
