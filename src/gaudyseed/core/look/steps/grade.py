"""grade: a colour correction over all elements."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...buffers import empty
from ...kernels import grading as kernels
from ...kernels.parallel import over
from ..follow import Follow
from .base import Context, Kind, Numbers, Share, Step, Value

_Factor = Annotated[float, Field(ge=0, le=16)]
_Power = Annotated[float, Field(ge=0.01, le=16)]
_Signed = Annotated[float, Field(ge=-1, le=1)]
_Offset = Annotated[float, Field(ge=-4, le=4)]
_FACTORS, _OFFSETS, _POWERS = (0.0, 16.0), (-4.0, 4.0), (0.01, 16.0)


class Grade(Step):
    """In this order: gain, hue turn, saturation, complement, monochrome, value, brightness, contrast, gamma; ASC CDL.

    Gain multiplies linear light; all else works on display-encoded values. Hue turn and
    saturation are the matrices of W3C Filter Effects Level 1 (hueRotate, saturate), brightness and
    contrast its functions (contrast about ``pivot``). Complement turns HSV hue half round,
    monochrome mixes with Rec. 709 luma. Value moves HSV value and keeps hue and
    saturation. Gamma is ``v ** (1 / gamma)``. ASC CDL v1.2: ``(v * slope + offset) ** power`` for
    each channel, then saturation about Rec. 709 luma; not limited to 1.
    """

    takes: ClassVar[tuple[Kind, ...]] = ("colour",)
    gives: ClassVar[Kind] = "colour"
    summary: ClassVar[str] = "one colour correction over all"

    step: Literal["grade"]
    gain: _Factor | Follow = Field(1.0, title="Gain", description="Multiplies linear light.")
    hue_turn: Annotated[float, Field(ge=-180, le=180)] | Follow = Field(
        0.0, title="Hue turn", json_schema_extra={"unit": "°"}
    )
    saturation: _Factor | Follow = Field(1.0, title="Saturation")
    complement: bool = Field(False, title="Complement")
    monochrome: Share | Follow = Field(0.0, title="Monochrome", json_schema_extra={"unit": "share"})
    value: _Signed | Follow = Field(0.0, title="Value")
    brightness: _Factor | Follow = Field(1.0, title="Brightness")
    contrast: _Factor | Follow = Field(1.0, title="Contrast")
    pivot: Share | Follow = Field(0.5, title="Pivot")
    gamma: _Power | Follow = Field(1.0, title="Gamma")
    slope: tuple[_Factor | Follow, _Factor | Follow, _Factor | Follow] = Field(
        (1.0, 1.0, 1.0), title="CDL slope", json_schema_extra={"control": "triple"}
    )
    offset: tuple[_Offset | Follow, _Offset | Follow, _Offset | Follow] = Field(
        (0.0, 0.0, 0.0), title="CDL offset", json_schema_extra={"control": "triple"}
    )
    power: tuple[_Power | Follow, _Power | Follow, _Power | Follow] = Field(
        (1.0, 1.0, 1.0), title="CDL power", json_schema_extra={"control": "triple"}
    )
    cdl_saturation: _Factor | Follow = Field(1.0, title="CDL saturation")

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n, 3) linear float32, not below 0."""
        assert incoming is not None
        colours, out = incoming.array, empty(incoming.array.shape)
        names = ("saturation", "monochrome", "value", "brightness", "contrast", "pivot", "gain", "gamma")
        settings = [context.numbers(self, name) for name in names]
        degrees = context.numbers(self, "hue_turn")
        turns: Numbers = lambda a, b: degrees(a, b) * np.float32(1 / 360)  # noqa: E731
        one = not isinstance(self.hue_turn, Follow) and not isinstance(self.saturation, Follow)
        cdl = (self.slope, self.power, self.offset, self.cdl_saturation) != ((1.0,) * 3, (1.0,) * 3, (0.0,) * 3, 1.0)
        triples = [
            [context.numbers_of(number, within) for number in numbers]
            for numbers, within in ((self.slope, _FACTORS), (self.offset, _OFFSETS), (self.power, _POWERS))
        ]
        steepens = self.brightness != 1 or self.contrast != 1
        does = (self.complement, self.monochrome != 0, self.value != 0, steepens, self.gamma != 1)
        bends = tuple(power != 1 for power in self.power)
        last = context.numbers(self, "cdl_saturation")

        def work(a: int, b: int) -> None:
            kernels.grade(
                colours[a:b].reshape(-1), turns(a, b), *(of(a, b) for of in settings), one,
                does, cdl, *(tuple(of(a, b) for of in triple) for triple in triples), bends,
                last(a, b), out[a:b].reshape(-1),
            )  # fmt: skip

        over(len(out), work, context.check)
        return Value("colour", out)
