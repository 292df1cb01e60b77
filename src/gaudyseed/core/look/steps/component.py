"""component: one number out of a colour or a vector."""

from __future__ import annotations

from collections.abc import Callable
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from ...buffers import empty
from ...errors import BadInput
from ...kernels import components as kernels
from ...kernels.parallel import over
from ...vectors import lengths
from ..scope import Scope
from .base import Context, Kind, Step, Value, same_width

_AXES = {"x": 0, "y": 1, "z": 2, "red": 0, "green": 1, "blue": 2}
_DISPLAY = {"hue": kernels.HUE, "saturation": kernels.SATURATION, "value": kernels.VALUE, "luma": kernels.LUMA}
_OKLCH = {"lightness": 0, "chroma": 1, "oklch_hue": 2}
_OF_VECTORS = ("x", "y", "z", "length")
OF_COLOURS = (
    "hue", "saturation", "value", "luma", "luminance", "red", "green", "blue", "lightness", "chroma", "oklch_hue",
)  # fmt: skip


class Component(Step):
    """One part of a colour or vector as a number.

    Hue (in turns; 0 for greys, which have none), saturation and value are those of
    HSV (A. R. Smith 1978), luma has Rec. 709 weights, all on display-encoded values.
    Red, green, blue and luminance (Rec. 709 weights) are linear light. Lightness,
    chroma and oklch_hue (turns) are OKLCH (Ottosson 2020).
    """

    takes: ClassVar[tuple[Kind, ...]] = ("colour", "vector")
    summary: ClassVar[str] = "one number out of a colour or vector"

    step: Literal["component"]
    part: Literal[
        "hue", "saturation", "value", "luma", "luminance", "red", "green", "blue", "lightness", "chroma",
        "oklch_hue", "x", "y", "z", "length",
    ] = Field("hue", title="Part")  # fmt: skip

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """A number; the part must belong to what comes in."""
        if (incoming == "vector") != (self.part in _OF_VECTORS):
            fitting = "x, y, z or length" if incoming == "vector" else "hue, saturation, luma, red, chroma and the like"
            raise BadInput(
                f"A {incoming} has no part {self.part!r}. Choose {fitting}.", place=f"{place}.part", code="wrong_kind"
            )
        return "number"

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n,) float32."""
        assert incoming is not None
        if self.part in _AXES:
            same_width(incoming.array.shape[1], _AXES[self.part], f"{context.place}.part", self.part)
        return Value("number", part_of(incoming.array, self.part, context.check))


def parts_of(kind: Kind, width: int) -> tuple[str, ...]:
    """The parts that a colour, or a vector of that width, has."""
    return (*_OF_VECTORS[: min(width, 3)], "length") if kind == "vector" else OF_COLOURS


def part_of(source: np.ndarray, part: str, check: Callable[[], None] | None = None) -> np.ndarray:
    """(n,) float32: one part of each of (n, 3) linear colours or (n, k) vectors."""
    if part == "length":
        return lengths(source)
    if part in _AXES:
        return np.ascontiguousarray(source[:, _AXES[part]])
    if part == "luminance":
        return (source @ np.array(kernels.WEIGHTS)).astype(np.float32)
    out = empty(len(source))
    kernel = kernels.display_part if part in _DISPLAY else kernels.oklch_part
    index = _DISPLAY.get(part, _OKLCH.get(part, 0))
    over(len(out), lambda a, b: kernel(source[a:b].reshape(-1), index, out[a:b]), check)
    return out
