"""clamp: colours held between a least and a greatest level."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...documents.limits import Share
from ...kernels import grading as kernels
from ...kinds import COLOUR, Kind, Word
from ...scene.follow import Follow
from ..step.base import Step
from ..step.values import Context, Plan, Value

_Level = Annotated[float, Field(ge=0, le=64)]


class Clamp(Step):
    """Each display-encoded channel held at the least and the greatest level; where these cross, the greatest holds."""

    title: ClassVar[str] = "Clamp"
    noun: ClassVar[str] = "a clamp"
    group: ClassVar = "correct"
    takes: ClassVar[tuple[Word, ...]] = ("colour",)
    gives: ClassVar[Kind] = COLOUR
    summary: ClassVar[str] = "least and greatest level of colours"

    step: Literal["clamp"]
    least: Share | Follow = Field(0.0, title="Least")
    greatest: _Level | Follow = Field(1.0, title="Greatest")

    @property
    def alone(self) -> bool:
        """Each value by itself."""
        return True

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n, 3) linear float32."""
        assert incoming is not None
        colours = incoming.array
        low, high = context.numbers(self, "least"), context.numbers(self, "greatest")

        def fill(a: int, b: int, out: np.ndarray) -> None:
            kernels.clamp(colours[a:b].reshape(-1), low(a, b), high(a, b), out.reshape(-1))

        return Plan(fill)
