"""random: a number from a hash of each element's key."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...buffers import empty
from ...errors import BadInput
from ...kernels import hashing
from ...kernels.parallel import over
from ...population import Population
from .base import Context, Kind, Seed, Step, Value

_STREAM = np.uint32(0x52414E44)


class Random(Step):
    """A number in [0, 1) from the hash of (seed, key): pcg3d, Jarzynski and Olano, JCGT 9(3), 2020.

    The key is the element's stable id where it has one, else its index; or the
    value of an integer or text attribute, so that equal values get equal numbers.
    """

    summary: ClassVar[str] = "a random value for each element"

    step: Literal["random"]
    per: str = Field(
        "element", min_length=1, max_length=200, title="Per",
        description="Each element, or each value of an integer or text attribute.",
        json_schema_extra={"control": "key"},
    )  # fmt: skip
    seed: int = Seed

    def _words(self, population: Population, place: str) -> tuple[np.ndarray, np.ndarray]:
        if self.per == "element":
            return population.keys
        attribute = population.attribute(self.per, f"{place}.per")
        if attribute.kind not in ("integer", "text"):
            raise BadInput(
                f"{self.per!r} holds {attribute.kind}s; a random value per attribute wants whole numbers or texts.",
                place=f"{place}.per", code="wrong_kind",
            )  # fmt: skip
        return attribute.key_words

    def result_kind(self, population: Population, place: str, incoming: Kind | None = None) -> Kind:
        """A number; checks the key."""
        if self.per != "element":
            self._words(population, place)
        return "number"

    def depends_on(self, population: Population) -> list[Any]:
        """The keys."""
        source = population.attributes.get("id" if self.per == "element" else self.per)
        return [source.digest if source else population.count]

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n,) float32 in [0, 1)."""
        low, high = self._words(context.population, context.place)
        out = empty(context.population.count)
        seed = np.uint32(self.seed)
        over(
            len(out),
            lambda a, b: hashing.random_one(low[a:b], high[a:b], seed, _STREAM, out[a:b]),
            context.check,
        )
        return Value("number", out)
