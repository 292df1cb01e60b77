"""What a step tells about itself beside its result: outcomes, advisories, draws and choices."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from ...errors import Fix, PatchOperation
from ...scene.follow import FollowColour, FollowDial

if TYPE_CHECKING:
    from ..scope import Scope
    from .base import Step
from .values import Value


@dataclass(frozen=True)
class Outcome:
    """A step's result with what led to it, for the census, the advisories and the bands of the step.

    Attributes
    ----------
    incoming
        What came into the step; None where it began a chain.
    before
        The outcome of the step above it in its chain.
    following
        The step below it in its chain.
    cached
        ``cached(word, make, size)`` gives what ``make()`` gave for this very result before; ``size`` in bytes.
    """

    step: Step
    place: str
    value: Value
    incoming: Value | None
    signals: Mapping[str, Value]
    scope: Scope
    before: Outcome | None
    cached: Callable[[str, Callable[[], Any], int], Any]
    following: Step | None = None

    def above(self) -> Iterator[Outcome]:
        """The outcomes of the steps above this one, the nearest first."""
        earlier = self.before
        while earlier is not None:
            yield earlier
            earlier = earlier.before


@dataclass(frozen=True)
class Advisory:
    """One thing noticed: a code, a place in the look, the reason as a sentence, and what one click can do."""

    code: str
    place: str
    sentence: str
    fixes: tuple[Fix, ...] = ()


@dataclass(frozen=True)
class Draw:
    """What a step draws at random: steps of one ``key`` and one seed get the same; ``linked`` says on purpose."""

    key: str
    seed: int | FollowDial
    linked: bool


@dataclass(frozen=True)
class Choices:
    """The several colours that a step gives, as they are written.

    ``path`` is the field of the step that holds them, ``colours`` what is written there: ``#rrggbb``, or what follows.
    ``apart`` says whether each is seen by itself, and not on the way to the next.
    """

    path: str
    colours: tuple[str | FollowColour, ...]
    apart: bool = True

    def __len__(self) -> int:
        return len(self.colours)


def put(pointer: str, value: Any) -> PatchOperation:
    """A JSON Patch operation that adds or replaces."""
    return {"op": "add", "path": pointer, "value": value}
