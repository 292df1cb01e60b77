"""What the view does with channel values, as plain arithmetic on arrays: the shader says the same, and a test compares.

Colours are linear light unless they are said to be levels of the display.
"""

from __future__ import annotations

import numpy as np

from ..colour.spaces import decode_srgb, encode_srgb
from ..look.material import ElementPicture, Version
from ..pictures.picture import Picture, lying, within
from .tables import TEXELS

#: Luma weights of Rec. 709 (ITU-R BT.709-6).
LUMA = np.array([0.2126, 0.7152, 0.0722])
#: How bright an element's own light may get before tone mapping, and where it begins to be bent (a choice of ours).
PEAK, KNEE = 1.35, 0.76


def corrected(
    linear: np.ndarray, hue_turn: np.ndarray, saturation: np.ndarray, brightness: np.ndarray, contrast: np.ndarray,
    gamma: np.ndarray,
) -> np.ndarray:  # fmt: skip
    """(n, 3): colours after the corrections of each element, (n,) each; the order and formulas of the grade step.

    On levels of the display: hue turn in degrees and saturation by the matrices of W3C Filter Effects Level 1, then
    brightness, contrast about 0.5, nothing below 0, then the power 1 / gamma.
    """
    levels = encode_srgb(linear)
    c, s = np.cos(np.radians(hue_turn)), np.sin(np.radians(hue_turn))
    grey = np.array([0.213, 0.715, 0.072])
    cosine = np.array([[0.787, -0.715, -0.072], [-0.213, 0.285, -0.072], [-0.213, -0.715, 0.928]])
    sine = np.array([[-0.213, -0.715, 0.928], [0.143, 0.140, -0.283], [-0.787, 0.715, 0.072]])
    turned = grey + c[:, None, None] * cosine + s[:, None, None] * sine
    levels = np.einsum("nij,nj->ni", turned, levels)
    luma = levels @ grey
    levels = luma[:, None] + (levels - luma[:, None]) * saturation[:, None]
    levels = levels * (brightness * contrast)[:, None] + (0.5 - 0.5 * contrast)[:, None]
    return decode_srgb(np.maximum(levels, 0) ** (1 / gamma)[:, None])


def versions(picture: Picture, settings: ElementPicture, largest: int = 1024) -> np.ndarray:
    """(2, rows, columns, 4) uint8: both graded versions of a picture, as the view gets them.

    Colours are levels of the display; the fourth is what cuts the picture out: its alpha, the luma of its levels, or
    255 everywhere. Pictures beyond ``largest`` come as means of their texels.
    """
    texels = next(level for level in picture.levels if max(level.shape[:2]) <= largest)
    rows, columns = texels.shape[:2]
    flat = np.clip(texels[..., :3].reshape(-1, 3).astype(np.float64), 0, 1)
    luma = flat @ LUMA
    cut = {"none": np.ones(len(flat)), "alpha": texels[..., 3].reshape(-1), "luma": encode_srgb(luma)}[settings.cut]
    base = np.repeat(luma[:, None], 3, axis=1) if settings.grey else flat
    found = np.empty((2, rows * columns, 4), np.uint8)
    for k, version in enumerate((settings.first, settings.second)):
        graded = base if version.plain else _graded(base, version)
        found[k, :, :3] = np.floor(encode_srgb(np.clip(graded, 0, 1)) * 255 + 0.5)
        found[k, :, 3] = np.floor(np.clip(cut, 0, 1) * 255 + 0.5)
    return found.reshape(2, rows, columns, 4)


def _graded(linear: np.ndarray, version: Version) -> np.ndarray:
    names = ("hue_turn", "saturation", "brightness", "contrast", "gamma")
    return corrected(linear, *(np.full(len(linear), getattr(version, name), np.float64) for name in names))


def pictured(
    texels: np.ndarray, base_colour: np.ndarray, mix: np.ndarray, corrections: tuple[np.ndarray, ...]
) -> np.ndarray:
    """(n, 3) uint8 levels of the display: what elements show where these texels lie.

    Parameters
    ----------
    texels
        (2, n, 3) uint8: of both versions.
    base_colour
        (n, 3) linear: multiplies the picture.
    mix
        (n,): from the first version to the second, in linear light.
    corrections
        Hue turn, saturation, brightness, contrast and gamma, (n,) each.

    >>> grey = np.full((2, 1, 3), 188, np.uint8)
    >>> plain = (np.zeros(1), np.ones(1), np.ones(1), np.ones(1), np.ones(1))
    >>> pictured(grey, np.array([[1.0, 0.0, 0.5]]), np.zeros(1), plain).tolist()
    [[188, 0, 137]]
    """
    first, second = decode_srgb(texels[0] / 255), decode_srgb(texels[1] / 255)
    mixed = first + (second - first) * mix[:, None]
    shown = corrected(mixed, *corrections) * base_colour
    levels: np.ndarray = np.floor(encode_srgb(np.clip(shown, 0, 1)) * 255 + 0.5).astype(np.uint8)
    return levels


def gone_through(shown: np.ndarray, through: float) -> np.ndarray:
    """(n, 3) linear: the colour that light takes on its way through a picture; common practice for what is thin is 1.7.

    >>> gone_through(np.array([[0.2, 0.4, 0.8]]), 1.7).round(2).tolist()
    [[0.34, 0.68, 1.0]]
    """
    return np.minimum(shown * through, 1.0)


def on_picture(uv: np.ndarray, settings: ElementPicture) -> np.ndarray:
    """(n, 2): where on the picture places of an element's own uv lie; beyond its edges it repeats."""
    return lying(uv, within(settings.shift, settings.size, settings.turn))


def looked_up(edges: np.ndarray, rows: np.ndarray, numbers: np.ndarray) -> np.ndarray:
    """(n, 3): what a table of ``mapping.Mapped`` gives for numbers (n,): straight between the texels of their row."""
    row = np.clip(np.searchsorted(edges, numbers, side="right") - 1, 0, len(rows) - 1)
    low, high = edges[row], edges[row + 1]
    t = np.clip((numbers - low) / (high - low), 0, 1) * (TEXELS - 1)
    texel = np.minimum(t.astype(int), TEXELS - 2)
    part = (t - texel)[:, None]
    found: np.ndarray = rows[row, texel] * (1 - part) + rows[row, texel + 1] * part
    return found


def emitted(colour: np.ndarray, strength: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(n, 3) the own light of elements before tone mapping, and (n,) what is left of the light that they reflect.

    The greatest part of colour times strength is bent towards ``PEAK`` above ``KNEE``, and the others keep their
    proportion to it, so that a strong glow gets no paler in hue; what is reflected is divided by 1 + strength.
    """
    greatest = np.maximum(colour.max(axis=1), 1e-6)
    wanted = strength * greatest
    bent = KNEE + (PEAK - KNEE) * (1 - np.exp(-(wanted - KNEE) / (PEAK - KNEE)))
    shown = np.where(wanted <= KNEE, wanted, bent)
    return colour / greatest[:, None] * shown[:, None], 1 / (1 + strength)
