"""grade: a colour correction over all elements."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...documents.limits import Share
from ...documents.paths import pointer
from ...errors import Fix
from ...kernels import grading as kernels
from ...kinds import COLOUR, NUMBER, Kind, Word
from ...sampling import grey_part
from ...scene.follow import Follow
from ..scope import Scope
from ..step.base import Step
from ..step.parameters import Numbers
from ..step.reported import Advisory, Outcome, put
from ..step.values import Context, Plan, Value

_Factor = Annotated[float, Field(ge=0, le=16)]
_Power = Annotated[float, Field(ge=0.01, le=16)]
_Offset = Annotated[float, Field(ge=-4, le=4)]
_FACTORS, _OFFSETS, _POWERS = (0.0, 16.0), (-4.0, 4.0), (0.01, 16.0)


class Grade(Step):
    """In this order: gain, hue turn, saturation, complement, monochrome, brightness, contrast, gamma; ASC CDL.

    Gain multiplies linear light; all else works on display-encoded values. Hue turn and
    saturation are the matrices of W3C Filter Effects Level 1 (hueRotate, saturate), brightness and
    contrast its functions (contrast about ``pivot``). Complement turns HSV hue half round,
    monochrome mixes with Rec. 709 luma. Gamma is ``v ** (1 / gamma)``.
    ASC CDL v1.2: ``(v * slope + offset) ** power`` for each channel, then saturation
    about Rec. 709 luma; not limited to 1.
    Of numbers only brightness, contrast and gamma: ``v * brightness``, contrast about the pivot, then
    ``pivot * (v / pivot) ** (1 / gamma)``; not limited.
    """

    title: ClassVar[str] = "Grade"
    noun: ClassVar[str] = "a grade"
    group: ClassVar = "correct"
    takes: ClassVar[tuple[Word, ...]] = ("colour", "number")
    gives: ClassVar[Kind] = COLOUR
    summary: ClassVar[str] = "one correction over all colours or numbers"
    sections: ClassVar[tuple[tuple[str, tuple[str, ...]], ...]] = (
        ("Light", ("gain", "brightness", "contrast", "pivot", "gamma")),
        ("Colour", ("hue_turn", "saturation", "monochrome", "complement")),
        ("CDL", ("slope", "offset", "power", "cdl_saturation")),
    )

    step: Literal["grade"]
    gain: _Factor | Follow = Field(1.0, title="Gain", description="Multiplies linear light.")
    brightness: _Factor | Follow = Field(1.0, title="Brightness")
    contrast: _Factor | Follow = Field(1.0, title="Contrast")
    pivot: Share | Follow = Field(0.5, title="Pivot")
    gamma: _Power | Follow = Field(1.0, title="Gamma")
    hue_turn: Annotated[float, Field(ge=-180, le=180)] | Follow = Field(
        0.0, title="Hue turn", json_schema_extra={"unit": "°"}
    )
    saturation: _Factor | Follow = Field(1.0, title="Saturation")
    monochrome: Share | Follow = Field(0.0, title="Monochrome", json_schema_extra={"unit": "share"})
    complement: bool = Field(False, title="Complement")
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

    def advisories(self, outcome: Outcome, census: Mapping[str, Any]) -> Iterator[Advisory]:
        """A warning that hue is turned on greys."""
        incoming = outcome.incoming
        if incoming is None or incoming.kind != COLOUR:
            return
        if self.hue_turn != 0 and grey_part(incoming.array) > 0.999:
            yield Advisory(
                "hue_turn_of_greys", outcome.place,
                "Every incoming colour is a grey, so turning the hue changes nothing.",
                (Fix("Leave the hue", [put(f"{pointer(outcome.place)}/hue_turn", 0.0)]),),
            )  # fmt: skip

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """The kind that comes in."""
        return incoming or COLOUR

    @property
    def alone(self) -> bool:
        """Each value by itself."""
        return True

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n, 3) linear float32, not below 0; or (n,) float32."""
        assert incoming is not None
        if incoming.kind == NUMBER:
            return self._of_numbers(context, incoming.array)
        colours = incoming.array
        names = ("saturation", "monochrome", "brightness", "contrast", "pivot", "gain", "gamma")
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
        does = (self.complement, self.monochrome != 0, steepens, self.gamma != 1)
        bends = tuple(power != 1 for power in self.power)
        last = context.numbers(self, "cdl_saturation")

        def fill(a: int, b: int, out: np.ndarray) -> None:
            kernels.grade(
                colours[a:b].reshape(-1), turns(a, b), *(of(a, b) for of in settings), one,
                does, cdl, *(tuple(of(a, b) for of in triple) for triple in triples), bends,
                last(a, b), out.reshape(-1),
            )  # fmt: skip

        return Plan(fill)

    def _of_numbers(self, context: Context, numbers: np.ndarray) -> Plan:
        settings = [context.numbers(self, name) for name in ("brightness", "contrast", "pivot", "gamma")]

        def fill(a: int, b: int, out: np.ndarray) -> None:
            kernels.grade_numbers(numbers[a:b], *(of(a, b) for of in settings), out)

        return Plan(fill)
