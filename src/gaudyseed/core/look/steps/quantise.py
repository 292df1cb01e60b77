"""quantise: numbers into a few equal levels."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...kernels import shaping
from ...kinds import Word
from ...ramps.banding import bands_wanted
from ...scene.follow import Follow
from ..step.base import Step, precise
from ..step.parameters import Numbers
from ..step.values import Context, Plan, Value


class Quantise(Step):
    """n levels, each at the middle of its band of n equal bands.

    ``value``: 0..1 is cut into n equal parts (1 belongs to the last). ``index``: whole
    numbers 0 to n - 1 are places: item i of n falls into band i of a ramp of n equal
    bands, the last one into the last. Beyond the ends values are held or begin anew.
    """

    title: ClassVar[str] = "Quantise"
    noun: ClassVar[str] = "levels"
    group: ClassVar = "shape"
    takes: ClassVar[tuple[Word, ...]] = ("number",)
    summary: ClassVar[str] = "a few equal levels, or whole numbers to ramp places"
    details: ClassVar[bool] = True
    exact: ClassVar[bool] = True

    step: Literal["quantise"]
    levels: Annotated[int, Field(ge=1, le=4096)] | Follow = Field(5, title="Levels")
    of: Literal["value", "index"] = Field("value", title="From")
    beyond: Literal["hold", "repeat"] = Field("hold", title="Beyond the ends")

    @property
    def alone(self) -> bool:
        """Each value by itself."""
        return True

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,) float32 in (0, 1)."""
        assert incoming is not None
        values = precise(incoming, context.place)
        counts: Numbers = context.numbers(self, "levels")
        wrap = self.beyond == "repeat"

        def fill(a: int, b: int, out: np.ndarray) -> None:
            whole = np.floor(counts(a, b))
            shaping.quantise(bands_wanted(values[a:b], whole, self.of, wrap), whole, wrap, out)

        return Plan(fill)
