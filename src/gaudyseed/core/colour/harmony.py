"""Colours that go with a colour, and palettes drawn anew around those that are locked."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np

from ..errors import BadInput
from ..kernels import hashing
from ..palette import Swatch, lab_of
from .mixing import from_space, oklch_to_oklab, to_space
from .spaces import linear_to_oklab, oklab_to_linear, parse_hex, to_hex

Relation = Literal["complement", "analogous", "triad", "tetrad", "split_complement"]
Space = Literal["oklch", "hsv"]

#: Turns of hue from the colour, itself among them (common practice).
TURNS: dict[str, tuple[float, ...]] = {
    "complement": (0.0, 1 / 2),
    "analogous": (-1 / 12, 0.0, 1 / 12),
    "triad": (0.0, 1 / 3, 2 / 3),
    "tetrad": (0.0, 1 / 4, 1 / 2, 3 / 4),
    "split_complement": (0.0, 5 / 12, 7 / 12),
}
_STREAM = np.uint32(0x4841524D)
_TRIES = 600


def in_gamut(oklch: np.ndarray) -> np.ndarray:
    """Linear RGB within 0..1 of OKLCH (3,): chroma is lowered, lightness and hue stay."""
    low, high = 0.0, float(oklch[1])
    for k in range(24):
        chroma = high if k == 0 else (low + high) / 2
        linear = oklab_to_linear(oklch_to_oklab(np.array([oklch[0], chroma, oklch[2]])))
        inside = bool((linear > -1e-6).all() and (linear < 1 + 1e-6).all())
        if k == 0 and inside:
            return np.clip(linear, 0, 1)
        if k > 0:
            low, high = (chroma, high) if inside else (low, chroma)
    return np.clip(oklab_to_linear(oklch_to_oklab(np.array([oklch[0], low, oklch[2]]))), 0, 1)


def harmony(colour: str, relation: Relation, space: Space = "oklch") -> list[str]:
    """The colours of a relation to ``#rrggbb``, itself among them, by turning hue in OKLCH or HSV."""
    base = to_space(parse_hex(colour), space)
    found = []
    for turn in TURNS[relation]:
        if turn == 0:
            found.append(colour.lower())
            continue
        turned = np.array([base[0], base[1], base[2] + turn])
        found.append(to_hex(in_gamut(turned) if space == "oklch" else from_space(turned, space)))
    return found


#: Steps of lightness by which a relation goes on when it is to fill more places than it has colours.
_LIGHTER = (0.0, 0.14, -0.14, 0.26, -0.26, 0.36, -0.36)


def filled(colour: str, relation: Relation, space: Space, count: int) -> list[str]:
    """So many colours of a relation: its own, then these lighter and darker by turns, as far as the gamut allows.

    >>> filled("#c8553d", "complement", "oklch", 3)[:2] == harmony("#c8553d", "complement")
    True
    """
    own = harmony(colour, relation, space)
    found = []
    for k in range(count):
        base = to_space(parse_hex(own[k % len(own)]), "oklch")
        by = _LIGHTER[k // len(own) % len(_LIGHTER)]
        lighter = np.array([min(max(base[0] + by, 0.06), 0.97), base[1], base[2]])
        found.append(own[k % len(own)] if by == 0 else to_hex(in_gamut(lighter)))
    return found


def tints_and_shades(colour: str, count: int = 9) -> list[str]:
    """So many colours from dark to light: OKLab lightness moves, hue stays, chroma as the gamut allows.

    The colour itself is among them, where its lightness falls.

    >>> tints_and_shades("#c8553d", 3)
    ['#300400', '#c8553d', '#ffe4de']
    """
    base = to_space(parse_hex(colour), "oklch")
    lights = np.linspace(0.2, 0.94, count)
    own = int(np.abs(lights - base[0]).argmin())
    found = []
    for k, light in enumerate(lights):
        # Chroma fades towards black and white, as pigments do when they are mixed with these (a choice of ours).
        far = abs(light - base[0]) / max(base[0] if light < base[0] else 1 - base[0], 1e-6)
        found.append(to_hex(in_gamut(np.array([light, base[1] * (1 - 0.5 * min(far, 1.0)), base[2]]))))
        if k == own:
            found[-1] = colour.lower()
    return found


def apart(count: int) -> list[str]:
    """So many colours that are told apart: hues at even steps, neighbours of different lightness (a choice of ours).

    >>> apart(3)
    ['#e47b7d', '#357425', '#6192e1']
    """
    lights = (0.7, 0.5, 0.66, 0.84) if count > 6 else (0.7, 0.5, 0.66)
    hues = (0.055 + np.arange(count) / max(count, 1)) % 1
    return [to_hex(in_gamut(np.array([lights[k % len(lights)], 0.13, hue]))) for k, hue in enumerate(hues)]


def rerolled(swatches: Sequence[Swatch], seed: int, least: float = 0.08) -> list[Swatch]:
    """Other colours for the swatches that are neither locked nor follow.

    Each is at least ``least`` away from all others in OKLab. Lightness and chroma are drawn
    from the range that the palette has, widened a little; hue from the whole circle.
    Deterministic in the seed.

    Raises
    ------
    BadInput
        Where there is no room for so many colours at that distance.
    """
    labs = lab_of(swatches)
    lights = labs[:, 0]
    chromas = np.hypot(labs[:, 1], labs[:, 2])
    low, high = max(0.15, lights.min() - 0.08), min(0.95, lights.max() + 0.08)
    faint, strong = max(0.02, chromas.min() * 0.8), min(0.3, max(chromas.max() * 1.1, 0.08))
    kept = [lab for lab, swatch in zip(labs, swatches, strict=True) if swatch.stays]
    found = []
    for k, swatch in enumerate(swatches):
        if swatch.stays:
            found.append(swatch)
            continue
        numbers = np.empty((_TRIES, 3), np.float32)
        keys = np.arange(_TRIES, dtype=np.uint32)
        hashing.random_three(keys, np.full(_TRIES, k, np.uint32), np.uint32(seed), _STREAM, numbers)
        for light, chroma, hue in numbers.tolist():
            wanted = np.array([low + (high - low) * light, faint + (strong - faint) * chroma, hue])
            colour = to_hex(in_gamut(wanted))
            lab = linear_to_oklab(parse_hex(colour))
            if all(np.linalg.norm(lab - other) >= least for other in kept):
                kept.append(lab)
                found.append(Swatch(colour=colour, weight=swatch.weight))
                break
        else:
            raise BadInput(
                f"There is no room for {len(swatches)} colours at least {least:g} apart. Lower the distance, "
                "or unlock some.",
                place="least", code="no_room",
            )  # fmt: skip
    return found
