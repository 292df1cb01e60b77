"""Cells of space in hashed lists."""

from __future__ import annotations

import numpy as np
from numba import int64

from . import compiled

_P1, _P2, _P3 = np.int64(73856093), np.int64(19349663), np.int64(83492791)


@compiled(int64(int64, int64, int64, int64), forceinline=True)
def slot(a, b, c, mask):  # type: ignore[no-untyped-def]
    """The list of the cell a, b, c among ``mask + 1``, a power of two; several cells may share one."""
    return ((a * _P1) ^ (b * _P2) ^ (c * _P3)) & mask
