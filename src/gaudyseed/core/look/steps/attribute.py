"""attribute: what each element carries, by name."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...errors import BadInput
from ...population import Attribute as Column
from ...vectors import lengths
from ..scope import Scope
from .base import Context, Kind, Step, Value

_AXES = {"x": 0, "y": 1, "z": 2}


class Attribute(Step):
    """A named attribute: numbers as they are, one component of a vector, a colour in linear light.

    Missing values (NaN, infinities) read as 0.
    """

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

    def far_from(self, scope: Scope) -> str:
        """Its name where the numbers that it reads have too many digits."""
        column = scope.population.find(self.name)
        if column is None or self.component == "length" or column.kind == "text":
            return ""
        lost = column.beyond[_AXES[self.component]] if self.component in _AXES else any(column.beyond)
        return self.name if lost else ""

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """By the attribute and component."""
        column = self._column(scope, place)
        if column.kind == "colour":
            return "colour"
        return "vector" if column.kind == "vector" and self.component == "whole" else "number"

    def depends_on(self, scope: Scope) -> list[Any]:
        """The column's content."""
        column = scope.population.find(self.name)
        return [column.digest if column else ""]

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n,) or (n, k) float32."""
        column = self._column(context.scope, context.place)
        values = column.readable
        if column.kind == "vector" and self.component == "length":
            values = lengths(values)
        elif column.kind == "vector" and self.component != "whole":
            values = values[:, _AXES[self.component]]
        kind = self.result_kind(context.scope, context.place)
        exact = (
            column.precise(_AXES.get(self.component, 0)) if kind == "number" and self.far_from(context.scope) else None
        )
        return Value(kind, np.ascontiguousarray(values, np.float32), exact=exact)
