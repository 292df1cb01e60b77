"""Hex codes, sRGB encoding and OKLab, exact formulas in float64 or whole-array kernels in float32.

Values in the core are linear light, Rec. 709 primaries, D65, not limited to 1.
"""

from __future__ import annotations

import re
from functools import lru_cache

import numpy as np

from ..errors import BadInput
from ..kernels import components, encoding
from ..kernels.parallel import over
from ..runtime.buffers import empty
from ..runtime.task import UNWATCHED, Task

HEX_PATTERN = r"^#[0-9a-fA-F]{6}$"
_HEX = re.compile(HEX_PATTERN)

# Bjorn Ottosson, "A perceptual color space for image processing", 2020 (the matrices of 2021-01-25).
RGB_TO_LMS = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ]
)
LMS_TO_LAB = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)
LAB_TO_LMS = np.linalg.inv(LMS_TO_LAB)
LMS_TO_RGB = np.linalg.inv(RGB_TO_LMS)


def encode_srgb(linear: np.ndarray) -> np.ndarray:
    """Linear light to sRGB display encoding, exact, any shape (IEC 61966-2-1)."""
    linear = np.asarray(linear, np.float64)
    power = 1.055 * np.maximum(linear, 0.0031308) ** (1 / 2.4) - 0.055
    return np.where(linear <= 0.0031308, 12.92 * linear, power)


def decode_srgb(encoded: np.ndarray) -> np.ndarray:
    """SRGB display encoding to linear light, exact, any shape (IEC 61966-2-1)."""
    encoded = np.asarray(encoded, np.float64)
    power = ((np.maximum(encoded, 0.04045) + 0.055) / 1.055) ** 2.4
    return np.where(encoded <= 0.04045, encoded / 12.92, power)


def linear_to_oklab(linear: np.ndarray) -> np.ndarray:
    """Linear RGB (..., 3) to OKLab (..., 3), float64."""
    return np.cbrt(np.asarray(linear, np.float64) @ RGB_TO_LMS.T) @ LMS_TO_LAB.T


def oklab_to_linear(lab: np.ndarray) -> np.ndarray:
    """OKLab (..., 3) to linear RGB (..., 3), float64."""
    return (np.asarray(lab, np.float64) @ LAB_TO_LMS.T) ** 3 @ LMS_TO_RGB.T


class Light(str):
    """A colour that was worked out, where documents have ``#rrggbb``: all its digits stay.

    Only the product makes it, between the keys of a dial, so no document that is read holds one; its text names it by
    content.
    """

    linear: np.ndarray

    def __new__(cls, linear: np.ndarray) -> Light:
        """Of (3,) linear RGB."""
        held = np.array(linear, np.float64)
        held.flags.writeable = False
        found = super().__new__(cls, f"linear {' '.join(map(repr, held.tolist()))}")
        found.linear = held
        return found


def parse_hex(text: str) -> np.ndarray:
    """Linear RGB (3,), not to be written to, of a display-encoded ``#rrggbb``; BadInput for anything else."""
    if isinstance(text, Light):
        return text.linear
    if not isinstance(text, str) or not _HEX.match(text):
        raise BadInput(f"{text!r} is not a colour. Write six hexadecimal digits after #, such as #d8452f.")
    return _linear_of(text)


@lru_cache(maxsize=4096)
def _linear_of(code: str) -> np.ndarray:
    linear = decode_srgb(np.array([int(code[k : k + 2], 16) for k in (1, 3, 5)]) / 255.0)
    linear.flags.writeable = False
    return linear


def to_hex(linear: np.ndarray) -> str:
    """The nearest ``#rrggbb`` of one linear colour (3,)."""
    return to_hexes(np.asarray(linear)[None])[0]


def to_hexes(linear: np.ndarray) -> list[str]:
    """The nearest ``#rrggbb`` of each of (k, 3) linear colours.

    >>> to_hexes(np.array([[0.0, 0.0, 0.0], [1.0, 0.5, 0.0]]))
    ['#000000', '#ffbc00']
    """
    levels = np.clip(np.floor(encode_srgb(linear) * 255 + 0.5), 0, 255).astype(np.uint8)
    return hexes(levels)


def hexes(levels: np.ndarray) -> list[str]:
    """``#rrggbb`` of each of (k, 3) uint8 display-encoded colours."""
    text = levels.tobytes().hex()
    return [f"#{text[k : k + 6]}" for k in range(0, len(text), 6)]


def display_bytes(linear: np.ndarray, task: Task = UNWATCHED) -> np.ndarray:
    """8-bit display-encoded colours (n, 3) of linear float32 colours (n, 3)."""
    out = empty(linear.shape, np.uint8)
    source = np.ascontiguousarray(linear, np.float32)

    def work(a: int, b: int) -> None:
        encoding.encode_bytes(source[a:b].reshape(-1), out[a:b].reshape(-1))

    over(len(out), work, task)
    return out


def saturation(linear: np.ndarray) -> np.ndarray:
    """HSV saturation (n,) float32 of the display-encoded colours, (n, 3) linear."""
    out = np.empty(len(linear), np.float32)
    components.display_part(np.ascontiguousarray(linear, np.float32).reshape(-1), components.SATURATION, out)
    return out
