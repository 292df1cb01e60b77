"""Even samples of many elements, where a few thousand tell enough."""

from __future__ import annotations

import numpy as np

from .colour.spaces import saturation

_ROWS = 2_000


def sample(values: np.ndarray, rows: int = _ROWS) -> np.ndarray:
    """An even sample of about so many rows."""
    return values[:: max(1, len(values) // rows)]


def grey_part(colours: np.ndarray) -> float:
    """The part of (n, 3) linear colours that have no saturation to speak of, from an even sample."""
    return float((saturation(sample(colours)) < 0.01).mean()) if len(colours) else 0.0
