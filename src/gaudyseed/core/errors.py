"""The one error that the core raises for input it cannot take, and what one click can do about things."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal, NotRequired

from typing_extensions import TypedDict


class PatchOperation(TypedDict):
    """One operation of JSON Patch (RFC 6902)."""

    op: Literal["add", "replace", "remove"]
    path: str
    value: NotRequired[Any]


@dataclass(frozen=True)
class Fix:
    """What one click does: JSON Patch operations (RFC 6902) on the look, or an action on the population.

    ``subdivide`` raises the subdivision of a mesh by one, ``more_points`` doubles those that trails have in a frame.
    ``population`` is the id of another population that the action is for.
    """

    label: str
    operations: list[PatchOperation]
    action: Literal["", "subdivide", "more_points"] = ""
    population: str = ""


class BadInput(ValueError):
    """Input that cannot be taken, as a sentence a person can act on.

    Parameters
    ----------
    sentence
        What came, what was wanted and what to do.
    place
        Where: a path in the document (``lanes.base_colour.layers[0]...``) or in
        the file (``line 14``). Empty where the whole input is meant.
    code
        A short stable word for programs.
    fix
        What one click would do about it, where there is such a thing.

    Attributes
    ----------
    kinds
        Of a look that cannot run: what the steps before it give, number, vector or colour, by their places.
    """

    def __init__(self, sentence: str, *, place: str = "", code: str = "bad_input", fix: Fix | None = None) -> None:
        super().__init__(sentence)
        self.sentence = sentence
        self.place = place
        self.code = code
        self.fix = fix
        self.kinds: dict[str, str] = {}

    def __str__(self) -> str:
        return f"{self.place}: {self.sentence}" if self.place else self.sentence


def no_population(population: str, place: str) -> BadInput:
    """What to raise where something names a population that is not there."""
    return BadInput(
        f"There is no population {population!r} here any more. Let what stands on it or reads it take another.",
        place=place, code="unknown_population",
    )  # fmt: skip
