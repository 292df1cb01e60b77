"""range: number to number, linearly."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from ...buffers import empty
from ...kernels import shaping
from ...kernels.parallel import over
from .base import Context, Kind, Step, Value


class Range(Step):
    """Map [from_low, from_high], or the data's own range, to [to_low, to_high]."""

    takes: ClassVar[tuple[Kind, ...]] = ("number",)
    summary: ClassVar[str] = "from one range of numbers to another"

    step: Literal["range"]
    own: bool = Field(False, title="Use the data's own range")
    from_low: float = Field(0.0, ge=-1e9, le=1e9, title="From")
    from_high: float = Field(1.0, ge=-1e9, le=1e9, title="to")
    to_low: float = Field(0.0, ge=-1e9, le=1e9, title="Onto")
    to_high: float = Field(1.0, ge=-1e9, le=1e9, title="to")
    clamp: bool = Field(True, title="Clamp", description="Keep results between the two ends.")
    flip: bool = Field(False, title="Flip", description="Exchange the two ends of the result.")

    def ends(self, values: np.ndarray) -> tuple[float, float]:
        """The range mapped from: as given, or the least and greatest value."""
        if self.own and len(values):
            return float(values.min()), float(values.max())
        return self.from_low, self.from_high

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n,) float32."""
        assert incoming is not None
        values, out = incoming.array, empty(incoming.array.shape)
        low, high = self.ends(values)
        to = (self.to_high, self.to_low) if self.flip else (self.to_low, self.to_high)
        over(
            len(out),
            lambda a, b: shaping.remap(values[a:b], low, high, to[0], to[1], self.clamp, out[a:b]),
            context.check,
        )
        return Value("number", out)
