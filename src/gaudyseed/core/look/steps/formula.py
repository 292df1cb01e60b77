"""formula: arithmetic over what elements carry."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field, field_validator

from ...buffers import empty
from ...errors import BadInput
from ...formula import Formula as Parsed
from ...formula import Lookup, parse_formula
from ...kernels import hashing
from ...kernels.parallel import over
from ...population import Population
from .base import Context, Kind, Step, Value

#: Larger than usual: each part of a formula costs a call for each chunk.
CHUNK = 1 << 17
_STREAM = np.uint32(0x464F524D)
#: Names that are no attributes: the element's number from 0, how many there are, and time (still 0).
BUILT_IN = ("index", "count", "frame", "seconds")


class Formula(Step):
    """Arithmetic over attributes and index, count, frame, seconds; random(seed) per element.

    Comparisons give 1 or 0. Results that are no number (a division by zero) become 0.
    An attribute goes before a built-in name.
    """

    summary: ClassVar[str] = "arithmetic over the values that elements carry"

    step: Literal["formula"]
    text: str = Field(
        "index / count", min_length=1, max_length=1000, title="Formula",
        description="Such as where(index % 7 == 0, 1, random(3) * 0.5)", json_schema_extra={"control": "formula"},
    )  # fmt: skip

    @field_validator("text")
    @classmethod
    def _readable(cls, text: str) -> str:
        parse_formula(text)
        return text

    def _parsed(self, population: Population, place: str) -> Parsed:
        """The formula with all its names found."""
        parsed = parse_formula(self.text)
        for name in parsed.names:
            if name in population.attributes:
                column = population.attribute(name, f"{place}.text")
                if column.kind == "text":
                    raise BadInput(
                        f"At character {parsed.place_of(name)}: {name!r} holds texts, which have no arithmetic.",
                        place=f"{place}.text", code="wrong_kind",
                    )  # fmt: skip
            elif name not in BUILT_IN:
                try:
                    population.attribute(name)
                except BadInput as error:
                    sentence = f"At character {parsed.place_of(name)}: {error.sentence}"
                    raise BadInput(sentence, place=f"{place}.text", code="unknown_attribute") from None
        return parsed

    def result_kind(self, population: Population, place: str, incoming: Kind | None = None) -> Kind:
        """Tried on one element: a number or a vector of three."""
        parsed = self._parsed(population, place)
        try:
            found = parsed.over(_lookup(population), 0, min(population.count, 1))
        except BadInput as error:
            raise BadInput(error.sentence, place=f"{place}.text", code=error.code) from None
        if found.ndim == 2 and found.shape[1] != 3:
            raise BadInput(
                f"The formula gives {found.shape[1]} numbers for each element; one or three are wanted. "
                "Take a part of it with x(), y() or z().",
                place=f"{place}.text", code="wrong_kind",
            )  # fmt: skip
        return "vector" if found.ndim == 2 else "number"

    def depends_on(self, population: Population) -> list[Any]:
        """The columns that it reads, and the element keys."""
        names = parse_formula(self.text).names
        columns = [population.attributes[n].digest for n in names if n in population.attributes]
        stable = population.attributes.get("id")
        return [columns, stable.digest if stable else "", population.count]

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n,) or (n, 3) float32, chunk by chunk: no whole-array temporaries."""
        values = self.value_on(context.population, context.place, context.check)
        return Value("vector" if values.ndim == 2 else "number", values)

    def value_on(self, population: Population, place: str, check: Callable[[], None] | None = None) -> np.ndarray:
        """The same without a chain around it."""
        parsed, lookup = self._parsed(population, place), _lookup(population)
        kind = self.result_kind(population, place)
        out = empty((population.count, 3) if kind == "vector" else population.count)

        def work(a: int, b: int) -> None:
            parsed.over(lookup, a, b, out[a:b])

        over(population.count, work, check, CHUNK)
        return out


def _lookup(population: Population) -> Lookup:
    def find(name: str, start: int, stop: int) -> Any:
        if name in population.attributes:
            return population.attributes[name].readable[start:stop]
        if name == "index":
            return np.arange(start, stop, dtype=np.float32)
        if name == "count":
            return np.float32(population.count)
        if name.startswith("random("):
            low, high = population.keys
            out = np.empty(stop - start, np.float32)
            seed = np.uint32(int(name[7:-1]))
            hashing.random_one(low[start:stop], high[start:stop], seed, _STREAM, out)
            return out
        return np.float32(0)

    return find
