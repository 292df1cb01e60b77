"""shape: which of the population's shapes an element is."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from ...kinds import Kind
from ..scope import SHAPE_LANE, Scope
from ..step.base import Step
from ..step.values import Context, Plan, Value


class ShapeRead(Step):
    """Which of the look's shapes each element is: the middle of its band of equal bands of 0 to 1, or its number.

    As a band it goes well into a palette, a ramp of steps or a choice of chains; as a number it counts from 0.
    """

    title: ClassVar[str] = "Shape"
    noun: ClassVar[str] = "the shape"
    summary: ClassVar[str] = "which shape the element is"
    aim: ClassVar = "another"

    step: Literal["shape"]
    given: Literal["band", "number"] = Field("band", title="As", json_schema_extra={"words": ["Band", "Number"]})

    def signals_read(self) -> set[str]:
        """The lane that chooses shapes."""
        return {SHAPE_LANE}

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """A number; has the lane of shapes compiled."""
        scope.shape_kind(place)
        return self.gives

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,) float32."""
        found = context.signals.get(SHAPE_LANE)
        count = max(context.scope.shapes, 1)
        number = found.array if found else np.zeros(context.elements.count, np.float32)
        band = (number + np.float32(0.5)) / np.float32(count)
        return Plan(whole=number if self.given == "number" else band.astype(np.float32))
