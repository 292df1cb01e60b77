"""One value over another: the blend modes of layers and of the mix step, for every kind of value."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from .errors import BadInput
from .kernels import blending
from .kinds import Kind
from .ramps.picking import Fill


def check_blend(kind: str, blend: str, place: str) -> None:
    """BadInput where a mode that looks at a whole colour is to blend numbers or vectors."""
    if kind != "colour" and blend in blending.NON_SEPARABLE:
        raise BadInput(
            f"The blend mode {blend!r} wants colours, but {kind}s come. "
            "Choose an arithmetic one, such as add or multiply.",
            place=f"{place}.blend", code="wrong_kind",
        )  # fmt: skip


def blending_of(
    below: np.ndarray,
    above: np.ndarray,
    kind: Kind,
    amounts: Callable[[int, int], np.ndarray],
    blend: str,
    display: bool,
) -> Fill:
    """Fills (n,) or (n, k) float32: ``above`` blended over ``below``, mixed in by each element's amount.

    Parameters
    ----------
    kind
        Of both. Numbers and vectors may be negative; colours may not.
    amounts
        Gives those of the elements start to stop, (m,) float32 in 0..1.
    display
        Blend colours as they are encoded for the display.
    """
    whole = 3 if kind.word == "colour" else 1
    parts_each = kind.width // whole
    mode, encoded = blending.MODES[blend], display and kind.word == "colour"

    def fill(a: int, b: int, out: np.ndarray) -> None:
        parts = amounts(a, b) if parts_each == 1 else amounts(a, b).repeat(parts_each)
        base, paint = below[a:b].reshape(-1), above[a:b].reshape(-1)
        blending.blend(base, paint, parts, whole, mode, encoded, out.reshape(-1))

    return fill
