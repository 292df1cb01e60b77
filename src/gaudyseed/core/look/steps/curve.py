"""curve: number to number through points."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from ...kinds import Word
from ...reports import census
from ..step.curved import Curved
from ..step.reported import Outcome
from ..step.values import Context, Plan, Value


class Curve(Curved):
    """Values bent along a curve through points, level outside them."""

    title: ClassVar[str] = "Curve"
    noun: ClassVar[str] = "a curve"
    group: ClassVar = "shape"
    takes: ClassVar[tuple[Word, ...]] = ("number",)
    summary: ClassVar[str] = "bend the values along a drawn curve"
    exact: ClassVar[bool] = True  # values beyond 1 are all alike to it

    step: Literal["curve"]

    @property
    def alone(self) -> bool:
        """Each value by itself."""
        return True

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,) float32 in 0..1."""
        assert incoming is not None
        return Plan(self.bent(incoming.array, context))

    def census(self, outcome: Outcome) -> dict[str, Any]:
        """The curve, and the values that come in."""
        found = self.of_curve(outcome.signals)
        if outcome.incoming is not None:
            found["incoming"] = census.histogram(outcome.incoming.array, 0.0, 1.0)
        return found
