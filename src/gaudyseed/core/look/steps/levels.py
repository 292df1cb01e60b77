"""levels: black point, white point, gamma and contrast of a number."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from ...buffers import empty
from ...kernels import shaping
from ...kernels.parallel import over
from .base import Context, Kind, Step, Value


class Levels(Step):
    """[black, white] to 0..1, then ``t ** (1 / gamma)``, then ``(t - pivot) * contrast + pivot``, within 0..1."""

    takes: ClassVar[tuple[Kind, ...]] = ("number",)
    summary: ClassVar[str] = "black and white point, gamma, contrast"

    step: Literal["levels"]
    black_point: float = Field(0.0, ge=-1e9, le=1e9, title="Black")
    white_point: float = Field(1.0, ge=-1e9, le=1e9, title="White")
    gamma: float = Field(1.0, ge=0.01, le=100, title="Gamma")
    contrast: float = Field(1.0, ge=0, le=1000, title="Contrast")
    pivot: float = Field(0.5, ge=0, le=1, title="Pivot")

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n,) float32 in 0..1."""
        assert incoming is not None
        values, out = incoming.array, empty(incoming.array.shape)
        settings = (self.black_point, self.white_point, 1 / self.gamma, self.contrast, self.pivot)
        over(len(out), lambda a, b: shaping.levels(values[a:b], *settings, out[a:b]), context.check)
        return Value("number", out)
