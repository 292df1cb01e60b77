"""Put one layer of colours over another."""

from __future__ import annotations

import numpy as np
from numba import njit, void
from numba.types import Array, boolean, float32

from . import OPTIONS
from .encoding import COLOURS, COLOURS_IN

_ONE = np.float32(1.0)


@njit(void(COLOURS_IN, COLOURS_IN, Array(float32, 1, "C", readonly=True), boolean, COLOURS), **OPTIONS)
def over(base, paint, amounts, multiply, out):  # type: ignore[no-untyped-def]
    """Normal or multiply blend (W3C Compositing and Blending Level 1), mixed in by ``amounts``.

    ``amounts`` holds one number for all elements or one for each.
    """
    each = amounts.shape[0] > 1
    for i in range(out.shape[0]):
        amount = amounts[i] if each else amounts[0]
        for k in range(3):
            top = base[i, k] * paint[i, k] if multiply else paint[i, k]
            out[i, k] = base[i, k] + (top - base[i, k]) * amount if amount < _ONE else top
