"""levels: black point, white point, gamma and contrast of a number."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...documents.limits import Share, Wide
from ...kernels import shaping
from ...kinds import Word
from ...scene.follow import Follow
from ..step.base import Step, precise
from ..step.values import Context, Plan, Value


class Levels(Step):
    """[black, white] to 0..1, then ``t ** (1 / gamma)``, then ``(t - pivot) * contrast + pivot``, within 0..1."""

    title: ClassVar[str] = "Levels"
    noun: ClassVar[str] = "levels"
    group: ClassVar = "shape"
    takes: ClassVar[tuple[Word, ...]] = ("number",)
    summary: ClassVar[str] = "black and white point, gamma, contrast"
    details: ClassVar[bool] = True
    exact: ClassVar[bool] = True

    step: Literal["levels"]
    black_point: Wide | Follow = Field(0.0, title="Black")
    white_point: Wide | Follow = Field(1.0, title="White")
    gamma: Annotated[float, Field(ge=0.01, le=100)] | Follow = Field(1.0, title="Gamma")
    contrast: Annotated[float, Field(ge=0, le=1000)] | Follow = Field(1.0, title="Contrast")
    pivot: Share | Follow = Field(0.5, title="Pivot")

    @property
    def alone(self) -> bool:
        """Each value by itself."""
        return True

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,) float32 in 0..1."""
        assert incoming is not None
        wide = incoming.exact is not None
        values = precise(incoming, context.place)
        points = context.wide_numbers if wide else context.numbers
        settings = [points(self, name) for name in ("black_point", "white_point")]
        settings += [context.numbers(self, name) for name in ("gamma", "contrast", "pivot")]
        bend = self.gamma != 1

        def fill(a: int, b: int, out: np.ndarray) -> None:
            shaping.levels(values[a:b], *(of(a, b) for of in settings), bend, out)

        return Plan(fill)
