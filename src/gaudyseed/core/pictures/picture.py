"""Pictures that chains look things up in: texels, and the levels of their pyramid."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np

from ..digest import digest_of
from ..errors import BadInput
from ..kernels import pictures as kernels
from ..names import nearest
from . import made as made_pictures

#: How a picture goes on beyond its edges.
EDGES = ("repeat", "mirror", "hold")


@dataclass(frozen=True)
class Picture:
    """A picture by its content.

    Attributes
    ----------
    texels
        (rows, columns, 4) float32: linear light and alpha; row 0 is the top.
    """

    digest: str
    texels: np.ndarray

    @property
    def width(self) -> int:
        """Columns."""
        return int(self.texels.shape[1])

    @property
    def height(self) -> int:
        """Rows."""
        return int(self.texels.shape[0])

    @property
    def nbytes(self) -> int:
        """Bytes that it holds, its levels included."""
        return self.texels.nbytes * 4 // 3

    @cached_property
    def levels(self) -> tuple[np.ndarray, ...]:
        """The texels, then each time the means of half as many across and down, to a single one."""
        found = [np.ascontiguousarray(self.texels, np.float32)]
        while max(found[-1].shape[:2]) > 1:
            rows, columns = found[-1].shape[:2]
            half = np.empty((max(1, rows // 2), max(1, columns // 2), 4), np.float32)
            kernels.halve(found[-1], half)
            found.append(half)
        return tuple(found)

    def filling(self, level: float, edge: str) -> Callable[[np.ndarray, np.ndarray], np.ndarray]:
        """Gives (n, 4) float32 at places (u, v) from the lower left corner, (n,) each, 0 to 1 across and up.

        ``level`` is 0 for single texels, 1 for means of two by two, and so on, mixed between whole ones.

        >>> grey = Picture("", np.full((2, 2, 4), 0.5, np.float32))
        >>> grey.filling(0, "hold")(np.zeros(1, np.float32), np.ones(1, np.float32)).tolist()
        [[0.5, 0.5, 0.5, 0.5]]
        """
        how, last = EDGES.index(edge), len(self.levels) - 1
        level = min(max(level, 0.0), float(last))
        one, part = self.levels[int(level)], np.float32(level - int(level))
        two = self.levels[min(int(level) + 1, last)]

        def at(us: np.ndarray, vs: np.ndarray) -> np.ndarray:
            found = np.empty((len(us), 4), np.float32)
            kernels.look_up(us, vs, one, how, found)
            if part > 0:
                coarser = np.empty((len(us), 4), np.float32)
                kernels.look_up(us, vs, two, how, coarser)
                found += part * (coarser - found)
            return found

        return at


@lru_cache(maxsize=8)
def _made(name: str) -> Picture:
    texels = made_pictures.PICTURES[name]()
    return Picture(digest_of("made", texels), texels)


def shipped(name: str, place: str) -> Picture:
    """One of the pictures that ship; BadInput where none has that name."""
    if name not in made_pictures.PICTURES:
        hint, _ = nearest(name, made_pictures.PICTURES)
        raise BadInput(f"No picture is called {name!r} here. {hint}", place=place, code="unknown_picture")
    return _made(name)


def lying(uv: np.ndarray, into: np.ndarray) -> np.ndarray:
    """(n, 2): where on a picture places (n, 2) of a uv lie, by a matrix that ``within`` gives."""
    found: np.ndarray = uv @ into[:2, :2].T + into[:2, 3]
    return found


def within(shift: tuple[float, float], scale: tuple[float, float], spin: float) -> np.ndarray:
    """(4, 4): shift, then scale and turn about the picture's middle: twice the scale shows it twice as large."""
    c, s = math.cos(math.radians(spin)), math.sin(math.radians(spin))
    middle, back = np.eye(4), np.eye(4)
    middle[:2, 3], back[:2, 3] = [-0.5 - shift[0], -0.5 - shift[1]], 0.5
    turned = np.eye(4)
    turned[:2, :2] = [[c, s], [-s, c]]
    return back @ np.diag([1 / scale[0], 1 / scale[1], 1.0, 1.0]) @ turned @ middle
