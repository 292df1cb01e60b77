"""The chain random, range, ramp, drift as a plain NumPy script would do it.

numpy.interp for the ramp, scikit-image for HSV: what an artist's technical friend
writes first. It is the yardstick, so it is not optimised.
"""

from __future__ import annotations

import numpy as np
from skimage import color

from gaudyseed.core.colour.spaces import (
    decode_srgb,
    encode_srgb,
    linear_to_oklab,
    oklab_to_linear,
    parse_hex,
)


def pcg3d(x: np.ndarray, y: np.ndarray, z: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """pcg3d over whole uint32 arrays."""
    a, c, s = np.uint32(1664525), np.uint32(1013904223), np.uint32(16)
    x, y, z = x * a + c, y * a + c, z * a + c
    x = x + y * z
    y = y + z * x
    z = z + x * y
    x, y, z = x ^ (x >> s), y ^ (y >> s), z ^ (z >> s)
    x = x + y * z
    y = y + z * x
    z = z + x * y
    return x, y, z


def unit(words: np.ndarray) -> np.ndarray:
    """The top 24 bits as a number in [0, 1)."""
    return (words >> np.uint32(8)) * 2.0**-24


def chain(count: int, places: np.ndarray, colours: list[str]) -> np.ndarray:
    """Linear colours (count, 3)."""
    keys = np.arange(count, dtype=np.uint32)
    value = unit(pcg3d(keys, np.full(count, 1, np.uint32), np.full(count, 42, np.uint32))[0])
    value = np.clip((value - 0.0) / (1.0 - 0.0), 0, 1) * (0.95 - 0.05) + 0.05
    labs = linear_to_oklab(np.array([parse_hex(c) for c in colours]))
    lab = np.stack([np.interp(value, places, labs[:, k]) for k in range(3)], axis=1)
    linear = oklab_to_linear(lab)
    hsv = color.rgb2hsv(encode_srgb(np.clip(linear, 0, 1)))
    x, y, z = pcg3d(keys, np.full(count, 2, np.uint32), np.full(count, 3, np.uint32))
    hsv[:, 0] = (hsv[:, 0] + (2 * unit(x) - 1) * (18 / 360)) % 1.0
    hsv[:, 1] = np.clip(hsv[:, 1] + (2 * unit(y) - 1) * 0.06, 0, 1)
    hsv[:, 2] = np.clip(hsv[:, 2] + (2 * unit(z) - 1) * 0.06, 0, 1)
    return decode_srgb(color.hsv2rgb(hsv)).astype(np.float32)
