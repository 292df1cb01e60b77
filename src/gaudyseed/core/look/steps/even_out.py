"""even_out: give the values an even distribution without changing their order."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field, field_validator

from ... import census
from ...curves import coefficients
from ...document import parse
from ...kernels import ranking, shaping
from ...kernels.ramps import segment_table
from ...kinds import Word
from .base import Context, Outcome, Plan, Step, Value, precise

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

    title: ClassVar[str] = "Even out"
    noun: ClassVar[str] = "an even distribution"
    group: ClassVar = "shape"
    takes: ClassVar[tuple[Word, ...]] = ("number",)
    summary: ClassVar[str] = "spread the values evenly, keeping their order"
    exact: ClassVar[bool] = True
    reach: ClassVar = "all"

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

    def census(self, outcome: Outcome) -> dict[str, Any]:
        """The part of 0..1 that the values reach."""
        return {"reached": census.reached(census.of_numbers(outcome.value.array))}

    def edited(self, action: str, outcome: Outcome, typed: Step, shares: list[float] | None) -> Step:
        """``freeze``: with the distribution of the values that come in."""
        if action != "freeze" or outcome.incoming is None:
            return super().edited(action, outcome, typed, shares)
        frozen = frozen_distribution(outcome.incoming.array)
        return parse(EvenOut, {**typed.model_dump(mode="json"), "frozen": frozen})

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,) float32 in (0, 1), or 0..1 by a frozen distribution."""
        assert incoming is not None
        context.check()
        if self.frozen:
            return Plan(self._by_frozen(precise(incoming, context.place)))
        if incoming.exact is not None:
            return Plan(whole=ranking.even_out_wide(incoming.exact))
        return Plan(whole=ranking.even_out(incoming.array, context.check))

    def _by_frozen(self, values: np.ndarray) -> Callable[[int, int, np.ndarray], None]:
        reference = np.array(self.frozen)
        low, high = reference[0], reference[-1]
        if high <= low:
            return lambda a, b, out: out.fill(0.5)
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

        def fill(a: int, b: int, out: np.ndarray) -> None:
            part = ((values[a:b] - np.float64(low)) * gain).astype(np.float32)
            shaping.cubics(part, scaled, table, rows, out)

        return fill
