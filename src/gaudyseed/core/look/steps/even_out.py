"""even_out: give the values an even distribution without changing their order."""

from __future__ import annotations

import itertools
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field, field_validator

from ...buffers import empty
from ...curves import coefficients
from ...kernels import ranking, shaping
from ...kernels.parallel import over
from ...kernels.ramps import segment_table
from .base import Context, Kind, Step, Value, precise

#: Places of a frozen distribution.
FROZEN = 513


def frozen_distribution(values: np.ndarray) -> list[float]:
    """(FROZEN,) values at even parts of the elements, from the least to the greatest; empty for no elements."""
    if not len(values):
        return []
    return [float(v) for v in np.quantile(values.astype(np.float64), np.linspace(0, 1, FROZEN)).round(7)]


class EvenOut(Step):
    """The empirical distribution function at mid-rank, (rank - 0.5)/n; ties share their mid-rank.

    ``frozen`` holds the distribution to measure by, as values at even parts of the
    elements it was taken from: then each element's result depends on its own value
    alone and stays when others come and go.
    """

    takes: ClassVar[tuple[Kind, ...]] = ("number",)
    summary: ClassVar[str] = "spread the values evenly, keeping their order"
    exact: ClassVar[bool] = True
    elementwise: ClassVar[bool] = False

    step: Literal["even_out"]
    frozen: tuple[float, ...] = Field((), max_length=4097, title="Frozen", json_schema_extra={"control": "frozen"})

    @field_validator("frozen")
    @classmethod
    def _in_order(cls, frozen: tuple[float, ...]) -> tuple[float, ...]:
        if len(frozen) == 1 or any(b < a for a, b in itertools.pairwise(frozen)):
            raise ValueError("a frozen distribution has at least two values, from the least to the greatest")
        if any(not abs(v) <= 1e30 for v in frozen):
            raise ValueError("a frozen distribution has finite values")
        return frozen

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n,) float32 in (0, 1), or 0..1 by a frozen distribution."""
        assert incoming is not None
        context.check()
        if self.frozen:
            return Value("number", self._by_frozen(context, precise(incoming, context.place)))
        if incoming.exact is not None:
            return Value("number", ranking.even_out_wide(incoming.exact))
        return Value("number", ranking.even_out(incoming.array, context.check))

    def _by_frozen(self, context: Context, values: np.ndarray) -> np.ndarray:
        reference = np.array(self.frozen)
        low, high = reference[0], reference[-1]
        out = empty(values.shape)
        if high <= low:
            out[:] = 0.5
            return out
        # Equal values stand for the middle of their ranks, as among the elements themselves.
        knots = np.unique(reference)
        first = np.searchsorted(reference, knots, side="left")
        last = np.searchsorted(reference, knots, side="right") - 1
        heights = (first + last) / 2 / (len(reference) - 1)
        heights[0], heights[-1] = first[0] / (len(reference) - 1), last[-1] / (len(reference) - 1)
        scaled = ((knots - low) / (high - low)).astype(np.float32)
        keep = np.concatenate([[True], np.diff(scaled) > 0])
        scaled, heights = scaled[keep], heights[keep]
        rows, table = coefficients(scaled.astype(np.float64), heights, None), segment_table(scaled)
        gain = 1 / (high - low)

        def work(a: int, b: int) -> None:
            part = ((values[a:b] - np.float64(low)) * gain).astype(np.float32)
            shaping.cubics(part, scaled, table, rows, out[a:b])

        over(len(out), work, context.check)
        return out
