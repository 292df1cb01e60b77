"""even_out: give the values an even distribution without changing their order."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field, field_validator

from ...documents.document import parse
from ...kernels import ranking, shaping
from ...kernels.ramps import segment_table
from ...kinds import Word
from ...ramps.curves import coefficients
from ...reports import census
from ..step.base import Step, precise
from ..step.reported import Outcome
from ..step.values import Context, Plan, Value
from ..whole import Counted

#: Places of a held distribution.
HELD = 513


def held_distribution(values: np.ndarray) -> list[float]:
    """(HELD,) values at even parts of the elements, from the least to the greatest; empty for no elements."""
    if not len(values):
        return []
    return [float(v) for v in np.quantile(values.astype(np.float64), np.linspace(0, 1, HELD)).round(7)]


class EvenOut(Step):
    """The empirical distribution function at mid-rank, (rank - 0.5)/n; ties share their mid-rank.

    ``held`` holds the distribution to measure by, as values at even parts of the
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
    held: tuple[float, ...] = Field((), max_length=4097, title="Held", json_schema_extra={"control": "held"})

    @field_validator("held")
    @classmethod
    def _in_order(cls, held: tuple[float, ...]) -> tuple[float, ...]:
        if len(held) == 1 or any(b < a for a, b in itertools.pairwise(held)):
            raise ValueError("a held distribution has at least two values, from the least to the greatest")
        if any(not abs(v) <= 1e30 for v in held):
            raise ValueError("a held distribution has finite values")
        return held

    def census(self, outcome: Outcome) -> dict[str, Any]:
        """The part of 0..1 that the values reach."""
        return {"reached": census.reached(census.of_numbers(outcome.value.array))}

    def edited(self, action: str, outcome: Outcome, typed: Step, shares: list[float] | None) -> Step:
        """``hold``: with the distribution of the values that come in."""
        if action != "hold" or outcome.incoming is None:
            return super().edited(action, outcome, typed, shares)
        held = held_distribution(outcome.incoming.array)
        return parse(EvenOut, {**typed.model_dump(mode="json"), "held": held})

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,) float32 in (0, 1), or 0..1 by a held distribution."""
        assert incoming is not None
        context.task.check()
        if self.held:
            return Plan(self._by_held(precise(incoming, context.place)))
        if context.whole.in_blocks:
            values = incoming.array if incoming.exact is None else incoming.exact
            counted = context.whole.measured(f"{context.place} ranks", lambda: Counted.of(values), Counted.joined)
            return Plan(whole=counted.mid_ranks(values))
        if incoming.exact is not None:
            return Plan(whole=ranking.even_out_wide(incoming.exact))
        return Plan(whole=ranking.even_out(incoming.array, context.task))

    def _by_held(self, values: np.ndarray) -> Callable[[int, int, np.ndarray], None]:
        reference = np.array(self.held)
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
