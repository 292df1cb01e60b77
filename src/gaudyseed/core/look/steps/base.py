"""What every step has in common."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from ...population import Population

Kind = Literal["number", "vector", "colour"]

#: Words for kinds in sentences.
KIND_WORDS = {"number": "a number", "vector": "a vector", "colour": "a colour"}

Seed = Field(ge=0, le=2**32 - 1, title="Seed", json_schema_extra={"control": "seed"})


@dataclass(frozen=True)
class Value:
    """What a step gives: (n,) float32 numbers, or (n, 3) float32 vectors or linear colours.

    By-products: ``stops`` (n,) uint8, the band of each element under a stepped ramp;
    ``facts``, figures worth telling.
    """

    kind: Kind
    array: np.ndarray
    stops: np.ndarray | None = None
    facts: dict[str, float] | None = None


@dataclass(frozen=True)
class Context:
    """What a step may look at besides its input.

    ``place`` is the step's path in the document, for sentences; ``check`` raises
    when a newer request has overtaken this one.
    """

    population: Population
    place: str
    check: Callable[[], None]


class Step(BaseModel):
    """One operation of a chain: its parameters, its kinds and its arithmetic.

    A subclass declares ``step: Literal["name"]``, its parameters with limits,
    units and help, ``takes`` and ``gives``, and ``apply``. Nothing else needs to
    know it: documents, checks, cache, controls and docs read the class.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    #: Kinds the step can take; none where it reads from the elements and so begins a chain.
    takes: ClassVar[tuple[Kind, ...]] = ()
    gives: ClassVar[Kind] = "number"
    #: What the step does, in a few words, for the list it is chosen from.
    summary: ClassVar[str] = ""
    #: Whether each element's result depends on that element alone.
    elementwise: ClassVar[bool] = True

    step: str
    enabled: bool = Field(True, title="On")

    def result_kind(self, population: Population, place: str, incoming: Kind | None = None) -> Kind:
        """The kind the step gives for what comes in; BadInput where it cannot read what it names."""
        return self.gives

    def depends_on(self, population: Population) -> list[Any]:
        """Digests of what the step reads besides its input and parameters."""
        return []

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """Compute the result for all elements."""
        raise NotImplementedError
