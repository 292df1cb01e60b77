"""attribute: what each element carries, by name."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...colour.documents import HexColour
from ...colour.spaces import parse_hex
from ...digest import digest_of
from ...documents.limits import Wide
from ...documents.paths import pointer
from ...documents.references import Names
from ...errors import BadInput, Fix
from ...geometry.placing import moved
from ...kinds import AXES, COLOUR, NUMBER, Kind, vector
from ...names import nearest
from ...population import Attribute as Column
from ...scene.follow import FollowDial
from ...vectors import lengths
from ..scope import Scope
from ..step.base import Step
from ..step.reported import Advisory, Outcome, put
from ..step.values import Context, Plan, Value
from ..whole import Counted


class Attribute(Step):
    """A named attribute: numbers as they are, one component of a vector, a colour in linear light.

    By *order* each value gives its place among all that there are, texts by their alphabet: 0.5/m for the first of m
    different ones, 1.5/m for the next, so that a palette of m has a swatch for each.
    Missing values (NaN, infinities) read as 0, or as what stands for what is missing; with that a population that lacks
    the attribute is told, not refused. Points, directions and normals can be read in the scene's space.
    """

    title: ClassVar[str] = "Attribute"
    noun: ClassVar[str] = "an attribute"
    summary: ClassVar[str] = "a value that each element carries"
    aim: ClassVar = "values"

    step: Literal["attribute"]
    name: Annotated[str, Names("attribute")] = Field(
        min_length=1, max_length=200, title="Name", json_schema_extra={"control": "attribute"}
    )
    component: Literal["whole", "x", "y", "z", "length", "order"] = Field("whole", title="Component")
    space: Literal["own", "scene"] = Field(
        "own", title="Space", description="That of the population, or of the scene where it was moved, turned or sized."
    )
    otherwise: Wide | HexColour | FollowDial | None = Field(
        None, title="Where missing", description="For what is missing, and for all where there is no such attribute.",
        json_schema_extra={"control": "otherwise"},
    )  # fmt: skip

    def _lacks(self, scope: Scope) -> bool:
        """Whether there is no such attribute, and something stands for it."""
        return self.otherwise is not None and scope.elements.find(self.name) is None

    def _column(self, scope: Scope, place: str) -> Column:
        column = scope.attribute(self.name, f"{place}.name")
        if self.component == "order":
            if column.kind in ("vector", "colour"):
                raise BadInput(
                    f"{self.name!r} holds {column.kind}s, which have no order. Read the whole, or a component.",
                    place=f"{place}.component", code="wrong_kind",
                )  # fmt: skip
            return column
        if column.kind == "text":
            raise BadInput(
                f"{self.name!r} holds texts. Read their order, or a random step per {self.name!r}, to give each text a "
                "number.",
                place=f"{place}.name", code="wrong_kind",
                fix=Fix("Read their order", [put(f"{pointer(place)}/component", "order")]),
            )  # fmt: skip
        if self.component != "whole" and column.kind != "vector":
            raise BadInput(
                f"{self.name!r} is {column.kind}, which has no component {self.component!r}. Read the whole.",
                place=f"{place}.component", code="wrong_kind",
            )  # fmt: skip
        if AXES.get(self.component, 0) >= column.width:
            raise BadInput(
                f"{self.name!r} has {column.width} components, so no {self.component!r}.",
                place=f"{place}.component", code="wrong_kind",
            )  # fmt: skip
        return column

    def attributes_read(self) -> tuple[str, ...]:
        """The attribute that it names."""
        return (self.name,)

    def far_from(self, scope: Scope) -> str:
        """Its name where the numbers that it reads have too many digits."""
        column = scope.elements.find(self.name)
        if column is None or self.component in ("length", "order") or column.kind == "text":
            return ""
        lost = column.beyond[AXES[self.component]] if self.component in AXES else any(column.beyond)
        return self.name if lost else ""

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """By the attribute and component; of what stands for it where it lacks."""
        if self._lacks(scope):
            return COLOUR if isinstance(self.otherwise, str) else NUMBER
        column = self._column(scope, place)
        if isinstance(self.otherwise, str) and column.kind != "colour":
            raise BadInput(
                f"{self.name!r} holds {column.kind}s; a number stands for what is missing of it, not a colour.",
                place=f"{place}.otherwise", code="wrong_kind",
            )  # fmt: skip
        if column.kind == "colour":
            return COLOUR
        return vector(column.width) if column.kind == "vector" and self.component == "whole" else NUMBER

    def depends_on(self, scope: Scope) -> list[Any]:
        """The column's content, and the placement where it matters."""
        column = scope.elements.find(self.name)
        placed = self.space == "scene" and column is not None and column.role
        return [column.digest if column else "", *([digest_of(scope.placement)] if placed else [])]

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,) or (n, k) float32."""
        if self._lacks(context.scope):
            return Plan(whole=np.broadcast_to(self._stand_in(), context.kind.shape(context.elements.count)).copy())
        column = self._column(context.scope, context.place)
        if self.component == "order":
            return Plan(whole=self._ordered(column, context))
        values = column.readable
        if self.space == "scene" and column.role:
            values = moved(values, column.role, context.scope.placement)
        if self.otherwise is not None and column.absent is not None and context.kind != vector(column.width):
            values = values.copy()
            values[column.absent] = self._stand_in()
        if column.kind == "vector" and self.component == "length":
            values = lengths(values)
        elif column.kind == "vector" and self.component != "whole":
            values = values[:, AXES[self.component]]
        far = context.kind == NUMBER and self.far_from(context.scope)
        exact = column.precise(AXES.get(self.component, 0)) if far else None
        return Plan(whole=np.ascontiguousarray(values, np.float32), exact=exact)

    def _ordered(self, column: Column, context: Context) -> np.ndarray:
        """(n,) float32: the place of each value among the different ones that are there; what is missing reads as 0."""
        values = column.ranks if column.kind == "text" else column.values
        there = np.ones(len(values), bool) if column.absent is None else ~column.absent
        found = np.full(len(values), 0.0 if self.otherwise is None else self._stand_in(), np.float32)
        if context.whole.in_blocks:
            # Ranks among the texts of a block are other ones: the texts themselves are compared.
            told = np.array(column.labels)[column.values] if column.kind == "text" else column.values
            counted = context.whole.measured(f"{context.place} order", lambda: Counted.of(told[there]), Counted.joined)
            found[there] = counted.orders(told[there])
            return found
        different, places = np.unique(values[there], return_inverse=True)
        found[there] = (places + 0.5) / max(len(different), 1)
        return found

    def _stand_in(self) -> np.ndarray:
        """The number, or (3,) linear colour, that stands for what is missing."""
        given = self.otherwise
        return np.array(parse_hex(given) if isinstance(given, str) else given, np.float32)

    def advisories(self, outcome: Outcome, census: Mapping[str, Any]) -> Iterator[Advisory]:
        """A warning that there is no such attribute."""
        if self._lacks(outcome.scope):
            hint, twin = nearest(self.name, outcome.scope.elements.names)
            fixes = (Fix(f"Read {twin} instead", [put(f"{pointer(outcome.place)}/name", twin)]),) if twin else ()
            sentence = f"No attribute is called {self.name!r} here; every element gets {self.otherwise}. {hint}"
            yield Advisory("attribute_lacks", outcome.place, sentence, fixes)
