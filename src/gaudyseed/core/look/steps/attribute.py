"""attribute: what each element carries, by name."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...errors import BadInput
from ...kinds import COLOUR, NUMBER, Kind, vector
from ...population import Attribute as Column
from ...vectors import lengths
from ..scope import Scope
from .base import Context, Plan, Step, Value

_AXES = {"x": 0, "y": 1, "z": 2}


class Attribute(Step):
    """A named attribute: numbers as they are, one component of a vector, a colour in linear light.

    Missing values (NaN, infinities) read as 0.
    """

    title: ClassVar[str] = "Attribute"
    noun: ClassVar[str] = "an attribute"
    summary: ClassVar[str] = "a value that each element carries"

    step: Literal["attribute"]
    name: str = Field(min_length=1, max_length=200, title="Name", json_schema_extra={"control": "attribute"})
    component: Literal["whole", "x", "y", "z", "length"] = Field("whole", title="Component")

    def _column(self, scope: Scope, place: str) -> Column:
        column = scope.attribute(self.name, f"{place}.name")
        if column.kind == "text":
            raise BadInput(
                f"{self.name!r} holds texts. Read it with a random step per {self.name!r} to give each text a number.",
                place=f"{place}.name", code="wrong_kind",
            )  # fmt: skip
        if self.component != "whole" and column.kind != "vector":
            raise BadInput(
                f"{self.name!r} is {column.kind}, which has no component {self.component!r}. Read the whole.",
                place=f"{place}.component", code="wrong_kind",
            )  # fmt: skip
        if _AXES.get(self.component, 0) >= column.width:
            raise BadInput(
                f"{self.name!r} has {column.width} components, so no {self.component!r}.",
                place=f"{place}.component", code="wrong_kind",
            )  # fmt: skip
        return column

    def attributes_read(self) -> tuple[str, ...]:
        """The one it names."""
        return (self.name,)

    def far_from(self, scope: Scope) -> str:
        """Its name where the numbers that it reads have too many digits."""
        column = scope.elements.find(self.name)
        if column is None or self.component == "length" or column.kind == "text":
            return ""
        lost = column.beyond[_AXES[self.component]] if self.component in _AXES else any(column.beyond)
        return self.name if lost else ""

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """By the attribute and component."""
        column = self._column(scope, place)
        if column.kind == "colour":
            return COLOUR
        return vector(column.width) if column.kind == "vector" and self.component == "whole" else NUMBER

    def depends_on(self, scope: Scope) -> list[Any]:
        """The column's content."""
        column = scope.elements.find(self.name)
        return [column.digest if column else ""]

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,) or (n, k) float32."""
        column = self._column(context.scope, context.place)
        values = column.readable
        if column.kind == "vector" and self.component == "length":
            values = lengths(values)
        elif column.kind == "vector" and self.component != "whole":
            values = values[:, _AXES[self.component]]
        far = context.kind == NUMBER and self.far_from(context.scope)
        exact = column.precise(_AXES.get(self.component, 0)) if far else None
        return Plan(whole=np.ascontiguousarray(values, np.float32), exact=exact)
