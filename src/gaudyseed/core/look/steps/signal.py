"""signal: the result of a chain that has a name."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from ..scope import Scope
from .base import Context, Kind, Step, Value


class Signal(Step):
    """What a signal gives: computed once, read in any chain."""

    summary: ClassVar[str] = "the result of a chain that has a name"

    step: Literal["signal"]
    name: str = Field(min_length=1, max_length=100, title="Name", json_schema_extra={"control": "signal"})

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """By the signal."""
        return scope.signal_kind(self.name, f"{place}.name")

    def signals_read(self) -> set[str]:
        """The one it names."""
        return {self.name}

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """The signal's own array."""
        found = context.signals[self.name]
        return Value(found.kind, found.array)
