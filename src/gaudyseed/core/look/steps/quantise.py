"""quantise: numbers into a few equal levels."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from ...buffers import empty
from ...kernels import shaping
from ...kernels.parallel import over
from .base import Context, Kind, Step, Value


class Quantise(Step):
    """n levels, each at the middle of its band of n equal bands.

    ``value``: 0..1 is cut into n equal parts (1 belongs to the last). ``index``: whole
    numbers 0 to n - 1 are places: item i of n falls into band i of a ramp of n equal
    bands, the last one into the last. Beyond the ends values are held or begin anew.
    """

    takes: ClassVar[tuple[Kind, ...]] = ("number",)
    summary: ClassVar[str] = "a few equal levels, or whole numbers to ramp places"

    step: Literal["quantise"]
    levels: int = Field(5, ge=1, le=4096, title="Levels")
    of: Literal["value", "index"] = Field("value", title="From")
    beyond: Literal["hold", "repeat"] = Field("hold", title="Beyond the ends")

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n,) float32 in (0, 1)."""
        assert incoming is not None
        values, out = incoming.array, empty(incoming.array.shape)
        count, wrap = np.float32(self.levels), self.beyond == "repeat"
        scale = count if self.of == "value" else np.float32(1)
        hold_one = self.of == "value" and wrap

        def work(a: int, b: int) -> None:
            part = values[a:b] * scale
            if hold_one:
                part[values[a:b] == 1] = count - 1
            shaping.quantise(part, count, wrap, out[a:b])

        over(len(out), work, context.check)
        return Value("number", out)
