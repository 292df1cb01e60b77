"""signal: the result of a chain that has a name."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field

from ...documents.references import Names
from ...kinds import Kind
from ..scope import Scope
from ..step.base import Step
from ..step.values import Context, Plan, Value


class Signal(Step):
    """What a signal gives: computed once, read in any chain."""

    title: ClassVar[str] = "Signal"
    noun: ClassVar[str] = "a signal"
    summary: ClassVar[str] = "the result of a chain that has a name"
    aim: ClassVar = "values"

    step: Literal["signal"]
    name: Annotated[str, Names("signal")] = Field(
        min_length=1, max_length=100, title="Name", json_schema_extra={"control": "signal"}
    )

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """The kind of the signal that it names."""
        return scope.signal_kind(self.name, f"{place}.name")

    @classmethod
    def signal_read(cls, document: Mapping[str, Any]) -> str | None:
        """The one that its document names."""
        return document.get("name")

    def signals_read(self) -> set[str]:
        """The signal that it names."""
        return {self.name}

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """The signal's own array."""
        return Plan(whole=context.signals[self.name].array)
