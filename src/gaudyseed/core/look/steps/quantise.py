"""quantise: numbers into a few equal levels."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...buffers import empty
from ...kernels import shaping
from ...kernels.parallel import over
from ..follow import Follow
from .base import Context, Kind, Numbers, Step, Value, precise


def bands_wanted(values: np.ndarray, counts: np.ndarray, of: str, wrap: bool) -> np.ndarray:
    """Values in units of bands, so that the whole part is the band: of a ``value`` in 0..1 or an ``index``."""
    part = values if of == "index" else values * counts
    if wrap and of == "value":
        part = np.where(values == 1, counts - 1, part)  # 1 belongs to the last band, also where all begins anew
    if part.dtype == np.float64:  # digits that float32 would lose decide where it begins anew, and nothing else
        part = np.mod(part, counts) if wrap else np.clip(part, -1, counts)
    return part.astype(np.float32)


class Quantise(Step):
    """n levels, each at the middle of its band of n equal bands.

    ``value``: 0..1 is cut into n equal parts (1 belongs to the last). ``index``: whole
    numbers 0 to n - 1 are places: item i of n falls into band i of a ramp of n equal
    bands, the last one into the last. Beyond the ends values are held or begin anew.
    """

    takes: ClassVar[tuple[Kind, ...]] = ("number",)
    summary: ClassVar[str] = "a few equal levels, or whole numbers to ramp places"
    exact: ClassVar[bool] = True

    step: Literal["quantise"]
    levels: Annotated[int, Field(ge=1, le=4096)] | Follow = Field(5, title="Levels")
    of: Literal["value", "index"] = Field("value", title="From")
    beyond: Literal["hold", "repeat"] = Field("hold", title="Beyond the ends")

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n,) float32 in (0, 1)."""
        assert incoming is not None
        values = precise(incoming, context.place)
        out = empty(len(values))
        counts: Numbers = context.numbers(self, "levels")
        wrap = self.beyond == "repeat"

        def work(a: int, b: int) -> None:
            whole = np.floor(counts(a, b))
            shaping.quantise(bands_wanted(values[a:b], whole, self.of, wrap), whole, wrap, out[a:b])

        over(len(out), work, context.check)
        return Value("number", out)
