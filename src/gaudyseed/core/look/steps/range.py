"""range: number to number, linearly."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field
from pydantic.config import JsonDict

from ...documents.limits import Wide
from ...kernels import shaping
from ...kinds import Word
from ...scene.follow import Follow
from ..step.base import Step, precise
from ..step.parameters import Numbers
from ..step.values import Context, Plan, Value
from ..whole import ends_joined

_TYPED: JsonDict = {"when": {"own": False}}


class Range(Step):
    """Map [from_low, from_high], or the data's own range, to [to_low, to_high]."""

    title: ClassVar[str] = "Range"
    noun: ClassVar[str] = "a range"
    group: ClassVar = "shape"
    takes: ClassVar[tuple[Word, ...]] = ("number",)
    summary: ClassVar[str] = "from one range of numbers to another"
    exact: ClassVar[bool] = True

    step: Literal["range"]
    own: bool = Field(False, title="Use the data's own range")
    from_low: Wide | Follow = Field(0.0, title="From", json_schema_extra=_TYPED)
    from_high: Wide | Follow = Field(1.0, title="to", json_schema_extra=_TYPED)
    to_low: Wide | Follow = Field(0.0, title="Onto")
    to_high: Wide | Follow = Field(1.0, title="to")
    clamp: bool = Field(True, title="Clamp", description="Keep results between the two ends.")
    flip: bool = Field(False, title="Flip", description="Exchange the two ends of the result.")

    @property
    def alone(self) -> bool:
        """Unless the data's own range is taken."""
        return not self.own

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,) float32; with ``own``, the facts tell the range."""
        assert incoming is not None
        wide = incoming.exact is not None
        values = precise(incoming, context.place)
        facts, numbers = None, context.wide_numbers if wide else context.numbers
        low, high = numbers(self, "from_low"), numbers(self, "from_high")
        if self.own and len(values):
            ends = context.whole.measured(f"{context.place} range", lambda: (values.min(), values.max()), ends_joined)
            facts = {"low": float(ends[0]), "high": float(ends[1])}
            low, high = (_same(end, values.dtype) for end in facts.values())
        onto: list[Numbers] = [context.numbers(self, "to_low"), context.numbers(self, "to_high")]
        first, last = reversed(onto) if self.flip else onto

        def fill(a: int, b: int, out: np.ndarray) -> None:
            shaping.remap(values[a:b], low(a, b), high(a, b), first(a, b), last(a, b), self.clamp, out)

        return Plan(fill, facts=facts)


def _same(number: float, dtype: np.dtype) -> Numbers:
    """One number for all elements."""
    return lambda a, b: np.full(b - a, number, dtype)
