"""along: how far along its strand a point is."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...errors import BadInput
from ...kernels.parallel import over
from ...kinds import Kind
from ...population import Population
from ...population.strands import along_of, numbered
from ...reports import census
from ..scope import Scope
from ..step.curved import Curved
from ..step.reported import Outcome
from ..step.values import Context, Plan, Value


class Along(Curved):
    """From 0 at the root of each strand to 1 at its tip, shaped by a curve.

    By length, the part of the strand's length that lies before the point; by number, the part of its points. A strand
    of no length goes by number.
    """

    title: ClassVar[str] = "Along"
    noun: ClassVar[str] = "a place along the strand"
    summary: ClassVar[str] = "0 at the root to 1 at the tip of each strand"
    aim: ClassVar = "place"

    step: Literal["along"]
    by: Literal["length", "number"] = Field("length", title="By", json_schema_extra={"words": ["Length", "Number"]})
    flip: bool = Field(False, title="Flip", description="1 at the root, 0 at the tip.")

    @classmethod
    def unfit(cls, population: Population) -> str:
        """What stands alone has no way along it."""
        return "" if population.form.curves is not None else "Only strands have a way along them."

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """A number; BadInput where the elements are no points of strands."""
        if scope.population.form.curves is None:
            raise BadInput(
                f"Each {scope.elements.level} here stands alone, so nothing runs along it. Read an extent, or colour "
                "strands.",
                place=place, code="no_strands",
            )  # fmt: skip
        return self.gives

    def depends_on(self, scope: Scope) -> list[Any]:
        """The strands, and the places of their points where these count."""
        places = [scope.elements.own["position"].digest] if self.by == "length" else []
        return [scope.population.form.digest, *places]

    def _places(self, scope: Scope) -> np.ndarray:
        form = scope.population.form.curves
        assert form is not None
        found = along_of(scope.population) if self.by == "length" else numbered(form)
        if not self.flip:
            return found
        turned = np.empty_like(found)
        over(len(found), lambda a, b: np.subtract(1, found[a:b], out=turned[a:b]))
        return turned

    @property
    def _level(self) -> bool:
        """Whether the curve leaves everything as it is."""
        ends = [(p.x, p.y) for p in self.points]
        return self.interpolation != "bezier" and ends == [(0, 0), (1, 1)]

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,) float32 in 0..1."""
        places = self._places(context.scope)
        return Plan(whole=places) if self._level else Plan(self.bent(places, context))

    def census(self, outcome: Outcome) -> dict[str, Any]:
        """The curve, and where the points lie along their strands."""
        places = self._places(outcome.scope)
        return {**self.of_curve(outcome.signals), "incoming": census.histogram(places, 0.0, 1.0)}
