"""constant: the same number or colour for all."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field, field_validator

from ...colour.documents import Text
from ...colour.spaces import parse_hex
from ...kinds import COLOUR, NUMBER, Kind
from ...population.attribute import loses_digits
from ...scene.follow import FollowDial
from ..scope import Scope
from ..step.base import Step
from ..step.values import Context, Plan, Value


class Constant(Step):
    """One number or one colour for every element."""

    title: ClassVar[str] = "Constant"
    noun: ClassVar[str] = "one value"
    summary: ClassVar[str] = "one number or colour for all"
    aim: ClassVar = "values"

    step: Literal["constant"]
    value: float | Text | FollowDial = Field(
        0.5, title="Value", description="A number, or a colour as #rrggbb.", union_mode="left_to_right",
        json_schema_extra={"control": "number_or_colour"},
    )  # fmt: skip

    @field_validator("value")
    @classmethod
    def _colour_or_number(cls, value: float | str | FollowDial) -> float | str | FollowDial:
        """Refuse texts that are no colours and numbers out of range."""
        if isinstance(value, str):
            parse_hex(value)
        elif isinstance(value, float) and not abs(value) <= 1e9:
            raise ValueError("a number within plus or minus 1e9 is wanted")
        elif isinstance(value, float) and loses_digits(value):
            near = int(np.float32(value))
            raise ValueError(f"{int(value):,} has more digits than an element's number keeps. Write {near:,}")
        return value

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """The kind of its value: number, vector or colour."""
        return COLOUR if isinstance(self.value, str) else NUMBER

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,) or (n, 3) float32."""
        value = parse_hex(self.value).astype(np.float32) if isinstance(self.value, str) else self.value

        def fill(a: int, b: int, out: np.ndarray) -> None:
            out[:] = value

        return Plan(fill)
