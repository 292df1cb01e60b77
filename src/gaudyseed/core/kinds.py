"""Kinds of values: a number, a vector or a colour, with how many numbers each element has."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from .errors import BadInput

Word = Literal["number", "vector", "colour"]


@dataclass(frozen=True)
class Kind:
    """What a chain gives for each element: a word, and the numbers of one value (1, 2 to 16, or 3).

    >>> vector(2).said, vector(2).shape(5), NUMBER.shape(5)
    ('a vector', (5, 2), (5,))
    """

    word: Word
    width: int

    @property
    def said(self) -> str:
        """The word with its article, for sentences."""
        return f"a {self.word}"

    def shape(self, count: int) -> tuple[int, ...]:
        """The shape of the array that holds so many values."""
        return (count,) if self.word == "number" else (count, self.width)


#: Which number of a vector an axis is.
AXES = {"x": 0, "y": 1, "z": 2, "w": 3}
NUMBER = Kind("number", 1)
COLOUR = Kind("colour", 3)


def vector(width: int) -> Kind:
    """The kind of vectors of so many numbers."""
    return Kind("vector", width)


def require_axis(kind: Kind, axis: str, place: str) -> None:
    """BadInput at a place where a vector has no such number; axes without a number of their own pass."""
    if AXES.get(axis, 0) >= kind.width:
        raise BadInput(
            f"The vector that comes has {kind.width} components, so no {axis!r}.", place=place, code="wrong_kind"
        )


def described(kind: Kind, beside: Kind) -> str:
    """A kind in a sentence that sets it against another one: with its width where only that differs."""
    return f"{kind.said} of {kind.width}" if kind.word == beside.word == "vector" else kind.said
