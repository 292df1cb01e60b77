"""Table look-up of colours, with overrides for single elements."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

from ..kernels import ramps as kernels

#: Gives what a stop or swatch has for the elements start to stop: (m,) or (m, 3) float32.
Own = Callable[[int, int], np.ndarray]
#: ``fill(start, stop, out)`` writes the results of the elements start to stop.
Fill = Callable[[int, int, np.ndarray], object]


def picker(colours: np.ndarray, own: Mapping[int, Own]) -> Callable[[np.ndarray, int, int, np.ndarray], None]:
    """Returns ``pick(indices, start, stop, out)``: (m, 3) linear colours of the (m,) uint8 indices of some elements.

    Parameters
    ----------
    colours
        (s, 3) linear, those that all elements have in common.
    own
        By index, what stands in place of the common colour.
    """
    common = colours.astype(np.float32)

    def pick(indices: np.ndarray, a: int, b: int, out: np.ndarray) -> None:
        kernels.pick(indices, common, out)
        for index, of in own.items():
            mine = indices == index
            out[mine] = of(a, b)[mine]

    return pick
