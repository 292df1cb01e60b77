"""random: a number from a hash of each element's key."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...buffers import empty
from ...errors import BadInput
from ...kernels import hashing
from ...kernels.parallel import over
from ..follow import FollowDial
from ..scope import Scope
from .base import Context, Kind, Seed, SeedNumber, Step, Value

_STREAM = np.uint32(0x52414E44)


class Random(Step):
    """Numbers in [0, 1) from the hash of (seed, key): pcg3d, Jarzynski and Olano, JCGT 9(3), 2020.

    The key is the element's stable id where it has one, else its index; or the
    value of an integer or text attribute, so that equal values get equal numbers. A
    coarser level is read by the attribute of its own name: ``per`` part gives all
    elements of a part one number.
    Two or three numbers make a vector. ``linked`` says that steps of one seed agree
    on purpose.
    """

    summary: ClassVar[str] = "a random value for each element"

    step: Literal["random"]
    per: str = Field(
        "element", min_length=1, max_length=200, title="Per",
        description="Each element, each part it belongs to, or each value of an integer or text attribute.",
        json_schema_extra={"control": "key"},
    )  # fmt: skip
    numbers: Annotated[int, Field(ge=1, le=3)] | FollowDial = Field(1, title="Numbers")
    seed: SeedNumber = Seed
    linked: bool = Field(
        False, title="Linked", description="Meant to give the same values as other random steps of this seed."
    )

    def _words(self, scope: Scope, place: str) -> tuple[np.ndarray, np.ndarray]:
        if self.per == "element":
            return scope.population.keys
        attribute = scope.attribute(self.per, f"{place}.per")
        if attribute.kind not in ("integer", "text"):
            raise BadInput(
                f"{self.per!r} holds {attribute.kind}s; a random value per attribute wants whole numbers or texts.",
                place=f"{place}.per", code="wrong_kind",
            )  # fmt: skip
        return attribute.key_words

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """A number or a vector; checks the key."""
        if self.per != "element":
            self._words(scope, place)
        return "number" if self.numbers == 1 else "vector"

    def depends_on(self, scope: Scope) -> list[Any]:
        """The keys."""
        if self.per == "element":
            return [scope.population.key_digest]
        return [scope.population.attribute(self.per).digest]

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n,), (n, 2) or (n, 3) float32 in [0, 1). The first number is the same however many there are."""
        assert isinstance(self.seed, int) and isinstance(self.numbers, int)
        low, high = self._words(context.scope, context.place)
        seed = np.uint32(self.seed)
        if self.numbers > 1:
            three = empty((context.population.count, 3))
            over(
                len(three),
                lambda a, b: hashing.random_three(low[a:b], high[a:b], seed, _STREAM, three[a:b]),
                context.check,
            )
            return Value("vector", three if self.numbers == 3 else np.ascontiguousarray(three[:, :2]))
        out = empty(context.population.count)
        over(
            len(out),
            lambda a, b: hashing.random_one(low[a:b], high[a:b], seed, _STREAM, out[a:b]),
            context.check,
        )
        return Value("number", out)
