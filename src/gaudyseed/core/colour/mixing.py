"""The spaces that colours are mixed in: linear RGB to coordinates and back.

Coordinates are (..., 3) float64. Polar spaces keep hue last, in turns; a grey's hue is NaN.
"""

from __future__ import annotations

from typing import Literal

import numpy as np

from ..kernels.ramps import hue_ways
from .spaces import decode_srgb, encode_srgb, linear_to_oklab, oklab_to_linear

MixIn = Literal["linear_rgb", "display_rgb", "oklab", "oklch", "hsv"]
POLAR = ("oklch", "hsv")

#: Below this chroma (OKLCH) or saturation (HSV) a colour counts as grey, without hue.
GREY_CHROMA = 2e-4
GREY_SATURATION = 1e-4


def rgb_to_hsv(encoded: np.ndarray) -> np.ndarray:
    """(..., 3) display-encoded RGB to saturation, value, hue in turns (A. R. Smith 1978); greys have hue NaN."""
    top, low = encoded.max(axis=-1), encoded.min(axis=-1)
    span = top - low
    safe = np.where(span > 0, span, 1)
    r, g, b = np.moveaxis(encoded, -1, 0)
    hue = np.where(r == top, (g - b) / safe, np.where(g == top, (b - r) / safe + 2, (r - g) / safe + 4)) / 6
    saturation = np.where(top > 0, span / np.where(top > 0, top, 1), 0)
    return np.stack([saturation, top, np.where(saturation > GREY_SATURATION, hue % 1, np.nan)], axis=-1)


def hsv_to_rgb(coordinates: np.ndarray) -> np.ndarray:
    """The inverse."""
    saturation, value, hue = np.moveaxis(coordinates, -1, 0)
    turns = np.nan_to_num(hue)
    parts = []
    for n in (5, 3, 1):
        k = (n + 6 * turns) % 6
        parts.append(value - value * saturation * np.clip(np.minimum(k, 4 - k), 0, 1))
    return np.stack(parts, axis=-1)


def oklab_to_oklch(lab: np.ndarray) -> np.ndarray:
    """(..., 3) OKLab to lightness, chroma, hue in turns; greys have hue NaN."""
    chroma = np.hypot(lab[..., 1], lab[..., 2])
    hue = np.arctan2(lab[..., 2], lab[..., 1]) / (2 * np.pi) % 1
    return np.stack([lab[..., 0], chroma, np.where(chroma > GREY_CHROMA, hue, np.nan)], axis=-1)


def oklch_to_oklab(coordinates: np.ndarray) -> np.ndarray:
    """The inverse."""
    lightness, chroma, hue = np.moveaxis(coordinates, -1, 0)
    turn = 2 * np.pi * np.nan_to_num(hue)
    return np.stack([lightness, chroma * np.cos(turn), chroma * np.sin(turn)], axis=-1)


def to_space(linear: np.ndarray, space: str) -> np.ndarray:
    """Linear RGB to the coordinates of a mixing space."""
    linear = np.asarray(linear, np.float64)
    if space == "linear_rgb":
        return linear
    if space == "display_rgb":
        return encode_srgb(linear)
    if space == "hsv":
        return rgb_to_hsv(encode_srgb(linear))
    lab = linear_to_oklab(linear)
    return lab if space == "oklab" else oklab_to_oklch(lab)


def from_space(coordinates: np.ndarray, space: str) -> np.ndarray:
    """The inverse, exact, in float64."""
    if space == "linear_rgb":
        return coordinates
    if space == "display_rgb":
        return decode_srgb(coordinates)
    if space == "hsv":
        return decode_srgb(hsv_to_rgb(coordinates))
    return oklab_to_linear(coordinates if space == "oklab" else oklch_to_oklab(coordinates))


def turned(first: np.ndarray, second: np.ndarray, longer: bool) -> tuple[np.ndarray, np.ndarray]:
    """Hues (n,) in turns made ready to be mixed in pairs: the shorter or longer way round (CSS Color Level 4, 12.4).

    A missing hue takes the other's before the way is chosen (12.2): the shorter way is then none,
    the longer one goes once round.
    """
    first, second = np.where(np.isnan(first), second, first), np.where(np.isnan(second), first, second)
    first, second = np.nan_to_num(first), np.nan_to_num(second)
    chosen = np.empty(len(first), np.float32)
    hue_ways(first.astype(np.float32), second.astype(np.float32), longer, chosen)
    # The kernel of single elements decides, so that rounding cannot decide differently here; the digits stay.
    straight = second % 1 - first % 1
    return first, first + straight + np.rint(chosen - straight)
