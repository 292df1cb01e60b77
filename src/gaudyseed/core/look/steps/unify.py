"""unify: one value for all elements of an owner, or of equal keys."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...kinds import Kind, Word
from ...population import Population
from ...population.owning import Way, owning_of
from ..scope import Scope
from ..step.base import Step
from ..step.measured import ends_of_owners
from ..step.values import Context, Plan, Value


class Unify(Step):
    """What the elements of an owner have becomes one value, the same for all of them.

    Mean (of colours in linear light), least, greatest, middle (the median: where their number is even, the mean of the
    two in the middle), first, sum, or their count; of vectors and colours each number on its own.
    """

    title: ClassVar[str] = "Unify"
    noun: ClassVar[str] = "one value for each part"
    group: ClassVar = "shape"
    takes: ClassVar[tuple[Word, ...]] = ("number", "vector", "colour")
    summary: ClassVar[str] = "one value for all elements of a part, copy or key"
    reach: ClassVar[Literal["element", "all"]] = "all"

    step: Literal["unify"]
    per: str = Field(
        "part", min_length=1, max_length=200, title="Per",
        description="Each part or copy that elements belong to, or each value of an integer or text attribute.",
        json_schema_extra={"control": "owner"},
    )  # fmt: skip
    by: Way = Field("mean", title="By")

    @classmethod
    def unfit(cls, population: Population) -> str:
        """Without owners and keys there is nothing whose elements could get one value."""
        elements = population.elements
        keys = (elements.attribute(name).kind in ("integer", "text") for name in elements.own)
        return "" if elements.owners or any(keys) else "These belong to nothing and carry no key."

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """The kind that comes in; checks the key."""
        owning_of(scope.elements, self.per, f"{place}.per")
        assert incoming is not None
        return incoming

    def depends_on(self, scope: Scope) -> list[Any]:
        """The digest of the attribute that owners are told apart by."""
        return [scope.elements.attribute(self.per).digest]

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,) or (n, k) float32."""
        assert incoming is not None
        owning = owning_of(context.elements, self.per, context.place)
        if context.whole.in_blocks and self.by in ("least", "greatest"):
            each = ends_of_owners(context, owning, self.per, incoming.array)[self.by == "greatest"]
        else:
            context.whole.at_once(f"One value for all of a {self.per}, by {self.by},", context.place)
            each = owning.of(incoming.array, self.by)
        facts = {"owners": float((owning.sizes > 0).sum())}

        def fill(a: int, b: int, out: np.ndarray) -> None:
            np.take(each, owning.index[a:b], axis=0, out=out)

        return Plan(fill, facts=facts)
