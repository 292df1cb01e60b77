"""Lengths of vectors."""

from __future__ import annotations

import numpy as np

from .population.attribute import LARGEST


def lengths(vectors: np.ndarray) -> np.ndarray:
    """(n,) float32 lengths of (n, k) float32 vectors, at most 1e30; summed in float64, so that no square overflows."""
    squares = np.einsum("ij,ij->i", vectors, vectors, dtype=np.float64, casting="unsafe")
    return np.minimum(np.sqrt(squares), LARGEST).astype(np.float32)
