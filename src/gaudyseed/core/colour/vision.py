"""How colours look with a colour-vision deficiency.

Source: G. M. Machado, M. M. Oliveira, L. A. F. Fernandes, "A Physiologically-based Model for
Simulation of Color Vision Deficiency", IEEE TVCG 15(6), 2009; its published matrices for
severity 1.0, on linear RGB.
"""

from __future__ import annotations

from typing import Literal

import numpy as np

from .spaces import linear_to_oklab

Vision = Literal["protanopia", "deuteranopia", "tritanopia"]

MATRICES: dict[str, np.ndarray] = {
    "protanopia": np.array(
        [[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]]
    ),
    "deuteranopia": np.array(
        [[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.011820, 0.042940, 0.968881]]
    ),
    "tritanopia": np.array(
        [[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.303900]]
    ),
}


def simulated(linear: np.ndarray, vision: str) -> np.ndarray:
    """(..., 3) linear RGB as seen with a dichromacy, limited to 0..1."""
    return np.clip(np.clip(linear, 0, 1) @ MATRICES[vision].T.astype(linear.dtype), 0, 1)


def distances(linear: np.ndarray, vision: str | None = None) -> np.ndarray:
    """(s, s) OKLab distances between (s, 3) linear colours, for all viewers or with a dichromacy."""
    labs = linear_to_oklab(simulated(linear, vision) if vision else np.clip(linear, 0, 1))
    return np.linalg.norm(labs[:, None] - labs[None], axis=2)
