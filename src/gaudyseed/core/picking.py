"""One of several colours for each element: common ones, or what an element has of its own."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

from .buffers import empty
from .kernels import ramps as kernels
from .kernels.parallel import over

Check = Callable[[], None] | None
#: Gives what a stop or swatch has for the elements start to stop: (m,) or (m, 3) float32.
Own = Callable[[int, int], np.ndarray]


def picked(indices: np.ndarray, colours: np.ndarray, own: Mapping[int, Own], check: Check = None) -> np.ndarray:
    """(n, 3) linear float32: the colour of each element's index.

    Parameters
    ----------
    indices
        (n,) uint8, the stop or swatch of each element.
    colours
        (s, 3) linear, those that all elements have in common.
    own
        By index, what stands in place of the common colour.
    """
    out, common = empty((len(indices), 3)), colours.astype(np.float32)

    def work(a: int, b: int) -> None:
        kernels.pick(indices[a:b], common, out[a:b])
        for index, of in own.items():
            mine = indices[a:b] == index
            out[a:b][mine] = of(a, b)[mine]

    over(len(out), work, check)
    return out
