"""even_out: give the values an even distribution without changing their order."""

from __future__ import annotations

from typing import ClassVar, Literal

from ...kernels import ranking
from .base import Context, Kind, Step, Value


class EvenOut(Step):
    """The empirical distribution function at mid-rank, (rank - 0.5)/n; ties share their mid-rank."""

    takes: ClassVar[tuple[Kind, ...]] = ("number",)
    summary: ClassVar[str] = "spread the values evenly, keeping their order"
    elementwise: ClassVar[bool] = False

    step: Literal["even_out"]

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n,) float32 in (0, 1)."""
        assert incoming is not None
        context.check()
        return Value("number", ranking.even_out(incoming.array))
