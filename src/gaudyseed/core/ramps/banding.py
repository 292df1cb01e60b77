"""Bands of numbers: which of several a value falls into."""

from __future__ import annotations

import numpy as np


def bands_wanted(values: np.ndarray, counts: np.ndarray, of: str, wrap: bool) -> np.ndarray:
    """Values in units of bands, so that the whole part is the band: of a ``value`` in 0..1 or an ``index``."""
    part = values if of == "index" else values * counts
    if wrap and of == "value":
        part = np.where(values == 1, counts - 1, part)  # 1 belongs to the last band, also where all begins anew
    if part.dtype == np.float64:  # digits that float32 would lose decide where it begins anew, and nothing else
        part = np.mod(part, counts) if wrap else np.clip(part, -1, counts)
    return part.astype(np.float32)
