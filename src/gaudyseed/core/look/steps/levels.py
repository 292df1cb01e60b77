"""levels: black point, white point, gamma and contrast of a number."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from ...buffers import empty
from ...kernels import shaping
from ...kernels.parallel import over
from ..follow import Follow
from .base import Context, Kind, Share, Step, Value, Wide, precise


class Levels(Step):
    """[black, white] to 0..1, then ``t ** (1 / gamma)``, then ``(t - pivot) * contrast + pivot``, within 0..1."""

    takes: ClassVar[tuple[Kind, ...]] = ("number",)
    summary: ClassVar[str] = "black and white point, gamma, contrast"
    exact: ClassVar[bool] = True

    step: Literal["levels"]
    black_point: Wide | Follow = Field(0.0, title="Black")
    white_point: Wide | Follow = Field(1.0, title="White")
    gamma: Annotated[float, Field(ge=0.01, le=100)] | Follow = Field(1.0, title="Gamma")
    contrast: Annotated[float, Field(ge=0, le=1000)] | Follow = Field(1.0, title="Contrast")
    pivot: Share | Follow = Field(0.5, title="Pivot")

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n,) float32 in 0..1."""
        assert incoming is not None
        wide = incoming.exact is not None
        values, out = precise(incoming, context.place), empty(incoming.array.shape)
        points = context.wide_numbers if wide else context.numbers
        settings = [points(self, name) for name in ("black_point", "white_point")]
        settings += [context.numbers(self, name) for name in ("gamma", "contrast", "pivot")]
        bend = self.gamma != 1

        def work(a: int, b: int) -> None:
            shaping.levels(values[a:b], *(of(a, b) for of in settings), bend, out[a:b])

        over(len(out), work, context.check)
        return Value("number", out)
