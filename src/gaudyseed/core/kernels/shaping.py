"""Number to number: range."""

from __future__ import annotations

import numpy as np
from numba import njit, void
from numba.types import Array, boolean, float32

from . import OPTIONS

NUMBERS_IN = Array(float32, 1, "C", readonly=True)
NUMBERS = Array(float32, 1, "C")

#: Results stay finite: a place this many widths outside the range is far enough.
_FAR = np.float32(1e20)


@njit(void(NUMBERS_IN, float32, float32, float32, float32, boolean, NUMBERS), **OPTIONS)
def remap(values, from_low, from_high, to_low, to_high, clamp, out):  # type: ignore[no-untyped-def]
    """Map [from_low, from_high] linearly to [to_low, to_high]; equal ends map to to_low."""
    width = from_high - from_low
    scale = np.float32(0.0) if abs(width) < np.float32(1e-12) else np.float32(1.0) / width
    gain = to_high - to_low
    if clamp:
        for i in range(out.shape[0]):
            t = (values[i] - from_low) * scale
            t = min(max(t, np.float32(0.0)), np.float32(1.0))
            out[i] = to_low + t * gain
    else:
        for i in range(out.shape[0]):
            t = (values[i] - from_low) * scale
            out[i] = to_low + min(max(t, -_FAR), _FAR) * gain
