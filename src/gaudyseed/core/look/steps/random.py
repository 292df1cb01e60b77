"""random: a number from a hash of each element's key."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...kernels import hashing
from ...kinds import NUMBER, Kind, vector
from ...scene.follow import FollowDial
from ..scope import Scope
from ..step.keyed import Keyed
from ..step.parameters import Seed, SeedNumber
from ..step.reported import Draw
from ..step.values import Context, Plan, Value

_STREAM = np.uint32(0x52414E44)


class Random(Keyed):
    """Numbers in [0, 1) from the hash of (seed, key): pcg3d, Jarzynski and Olano, JCGT 9(3), 2020.

    The key is the element's stable id where it has one, else its index; or the
    value of an integer or text attribute, so that equal values get equal numbers. A
    coarser level is read by the attribute of its own name: ``per`` part gives all
    elements of a part one number.
    Two or three numbers make a vector. ``linked`` says that steps of one seed agree
    on purpose.
    """

    title: ClassVar[str] = "Random"
    noun: ClassVar[str] = "a random value"
    summary: ClassVar[str] = "a random value for each element"
    aim: ClassVar = "chance"

    step: Literal["random"]
    numbers: Annotated[int, Field(ge=1, le=3)] | FollowDial = Field(1, title="Numbers")
    seed: SeedNumber = Seed
    linked: bool = Field(
        False, title="Linked", description="Meant to give the same values as other random steps of this seed."
    )

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """A number or a vector; checks the key."""
        self.check_key(scope, place)
        assert isinstance(self.numbers, int)
        return NUMBER if self.numbers == 1 else vector(self.numbers)

    def depends_on(self, scope: Scope) -> list[Any]:
        """The digest of the keys that it draws by."""
        return self.keys_read(scope)

    @property
    def chance_per(self) -> str:
        """The level or attribute that ``per`` names."""
        return self.per

    def draw(self) -> Draw:
        """One draw for all that are random per the same thing."""
        return Draw(f"random per {self.per}", self.seed, self.linked)

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,), (n, 2) or (n, 3) float32 in [0, 1). The first number is the same however many there are."""
        assert isinstance(self.seed, int) and isinstance(self.numbers, int)
        words = self.words(context.elements)
        seed, numbers = np.uint32(self.seed), self.numbers

        def one(a: int, b: int, out: np.ndarray) -> None:
            hashing.random_one(*words(a, b), seed, _STREAM, out)

        def more(a: int, b: int, out: np.ndarray) -> None:
            three = out if numbers == 3 else np.empty((b - a, 3), np.float32)
            hashing.random_three(*words(a, b), seed, _STREAM, three)
            if numbers < 3:
                out[:] = three[:, :numbers]

        return Plan(one if numbers == 1 else more)
