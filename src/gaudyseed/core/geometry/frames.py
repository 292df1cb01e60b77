"""Orientations of elements that stand on a surface."""

from __future__ import annotations

import numpy as np


def orientations(normals: np.ndarray, turns: np.ndarray | None = None) -> np.ndarray:
    """Quaternions (x, y, z, w) that take +Z to each normal.

    Parameters
    ----------
    normals
        (n, 3), any length; a zero normal counts as +Z.
    turns
        (n,) turns about the normal, in 0..1; none where left out.

    Returns
    -------
    (n, 4) float32 of unit length.
    """
    n = np.asarray(normals, np.float64)
    lengths = np.linalg.norm(n, axis=1, keepdims=True)
    n = np.where(lengths > 1e-12, n / np.where(lengths > 1e-12, lengths, 1), [0.0, 0.0, 1.0])
    # Half-way construction: q = (z x n, 1 + z.n); straight down takes half a turn about X instead.
    q = np.stack([-n[:, 1], n[:, 0], np.zeros(len(n)), 1 + n[:, 2]], axis=1)
    q[n[:, 2] < -0.999999] = [1.0, 0.0, 0.0, 0.0]
    q /= np.linalg.norm(q, axis=1, keepdims=True)
    if turns is not None:
        half = np.pi * np.asarray(turns, np.float64)
        s, c = np.sin(half), np.cos(half)
        x, y, z, w = q.T
        q = np.stack([x * c + y * s, y * c - x * s, z * c + w * s, w * c - z * s], axis=1)
    return q.astype(np.float32)
