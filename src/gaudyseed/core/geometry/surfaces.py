"""The surfaces that ship: shapes to scatter on, all generated here."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import numpy as np

from .beetle import beetle
from .mesh import Mesh, grid_mesh


def ball(rows: int = 65, columns: int = 129) -> Mesh:
    """A ball of radius 1 standing on the ground (z = 0)."""
    polar = np.linspace(np.pi, 0, rows)[:, None]
    around = np.linspace(0, 2 * np.pi, columns)[None, :]
    ones = np.ones_like(around)
    points = np.stack([np.sin(polar) * np.cos(around), np.sin(polar) * np.sin(around), 1 + np.cos(polar) * ones], -1)
    return grid_mesh(points, part="ball", coat=True)


def ring(radius: float = 0.9, tube: float = 0.38, rows: int = 65, columns: int = 161) -> Mesh:
    """A ring lying on the ground."""
    small = np.linspace(0, 2 * np.pi, rows)[:, None]
    large = np.linspace(0, 2 * np.pi, columns)[None, :]
    out = radius + tube * np.cos(small)
    height = tube * np.sin(small) * np.ones_like(large) + tube
    return grid_mesh(np.stack([out * np.cos(large), out * np.sin(large), height], -1), part="ring", coat=True)


def sheet(size: float = 2.4, cells: int = 81) -> Mesh:
    """A gently waving sheet above the ground."""
    x, y = np.meshgrid(np.linspace(-size / 2, size / 2, cells), np.linspace(-size / 2, size / 2, cells))
    z = 0.3 + 0.12 * np.sin(2.2 * x + 0.6) * np.cos(1.7 * y)
    return grid_mesh(np.stack([x, y, z], -1), part="sheet", coat=True)


_SURFACES: dict[str, Callable[[], Mesh]] = {"beetle": beetle, "ball": ball, "ring": ring, "sheet": sheet}

#: Names in the order they are offered.
SURFACES = tuple(_SURFACES)


@lru_cache(maxsize=2 * len(_SURFACES))
def surface(name: str, coarse: int = 1) -> Mesh:
    """The surface of that name; KeyError where there is none. Of the beetle every ``coarse``-th line is drawn."""
    return beetle(coarse) if name == "beetle" else _SURFACES[name]()
