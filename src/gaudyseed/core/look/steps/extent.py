"""extent: how far along an axis of their box elements are."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...errors import BadInput
from ...kernels import shaping
from ...kinds import AXES, Kind
from ...population.owning import owning_of
from ...scene.follow import Placed
from ..scope import Scope
from ..step.base import Step
from ..step.measured import Measured, ends_of_owners
from ..step.reported import Outcome
from ..step.values import Context, Plan, Value
from ..whole import ends_joined

_End = Placed[Annotated[float, Field(ge=-1e9, le=1e9)]] | None


class Extent(Measured):
    """From 0 at the lower end of the elements' box along an axis to 1 at its upper end.

    ``per`` part, or any owner or key, measures each one's own box. Ends that are typed stay; those left out are those
    of the elements. Elements that all lie at one place get 0.
    """

    title: ClassVar[str] = "Extent"
    noun: ClassVar[str] = "an extent"
    summary: ClassVar[str] = "0 to 1 along an axis of the box of all, or of each part"
    aim: ClassVar = "place"
    reach: ClassVar[Literal["element", "all"]] = "all"

    step: Literal["extent"]
    axis: Literal["x", "y", "z"] = Field("z", title="Axis")
    per: str = Field(
        "all", min_length=1, max_length=200, title="Box of",
        description="All elements, each part or copy, or each value of an integer or text attribute.",
        json_schema_extra={"control": "owner_or_all"},
    )  # fmt: skip
    low: _End = Field(None, title="From", description="Left out, where the elements begin.",
                      json_schema_extra={"unit": "units", "control": "fitted"})  # fmt: skip
    high: _End = Field(None, title="to", description="Left out, where the elements end.",
                       json_schema_extra={"unit": "units", "control": "fitted"})  # fmt: skip
    flip: bool = Field(False, title="Flip", description="1 at the lower end, 0 at the upper one.")

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """A number; checks the vector, its axis and the owners."""
        self.check_measure(scope, place)
        column = scope.elements.find(self.by)
        if column is not None and AXES[self.axis] >= column.width:
            raise BadInput(
                f"{self.by!r} has {column.width} components, so no {self.axis!r}.", place=f"{place}.axis",
                code="wrong_kind",
            )  # fmt: skip
        if self.per != "all":
            owning_of(scope.elements, self.per, f"{place}.per")
        return self.gives

    def depends_on(self, scope: Scope) -> list[Any]:
        """What is measured, and the owners."""
        per = [] if self.per == "all" else [scope.elements.attribute(self.per).digest]
        return [*self.measured_from(scope), *per]

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,) float32 in 0..1; the facts tell the ends of the box of all."""
        where = self.where_of(context)
        at = np.ascontiguousarray(where.placed[:, AXES[self.axis]])
        if self.per == "all":
            low, high = self.low, self.high
            if low is None or high is None:
                ends = context.whole.measured(
                    f"{context.place} box", lambda: (at.min(initial=np.inf), at.max(initial=-np.inf)), ends_joined
                )
                low = float(ends[0]) if low is None else low
                high = float(ends[1]) if high is None else high
            low, high = (0.0, 0.0) if not len(at) and not np.isfinite([low, high]).all() else (low, high)
            lows, highs = _same(low), _same(high)
        else:
            owning = owning_of(context.elements, self.per, context.place)
            least, most = ends_of_owners(context, owning, self.per, at)
            low, high = float(least.min(initial=0)), float(most.max(initial=0))
            lows = (lambda a, b: least[owning.index[a:b]]) if self.low is None else _same(self.low)
            highs = (lambda a, b: most[owning.index[a:b]]) if self.high is None else _same(self.high)
        first, last = (1.0, 0.0) if self.flip else (0.0, 1.0)

        def fill(a: int, b: int, out: np.ndarray) -> None:
            ends = (np.full(b - a, end, np.float32) for end in (first, last))
            shaping.remap(at[a:b], lows(a, b), highs(a, b), *ends, True, out)

        return Plan(fill, facts={"low": low, "high": high})

    def edited(self, action: str, outcome: Outcome, typed: Step, shares: list[float] | None) -> Step:
        """``hold`` types the ends that were measured."""
        facts = outcome.value.facts
        if action != "hold" or facts is None or self.per != "all":
            return super().edited(action, outcome, typed, shares)
        return typed.model_copy(update={"low": facts["low"], "high": facts["high"]})


def _same(number: float):  # type: ignore[no-untyped-def]
    return lambda a, b: np.full(b - a, number, np.float32)
