"""What steps ask of all elements: of a population in memory directly, of blocks in passes whose parts are joined."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar, cast

import numpy as np

from ..errors import BadInput

Measure = TypeVar("Measure")


class Whole:
    """All elements of a population in memory: what is asked of all is worked out of its arrays."""

    #: Whether what is asked is measured in passes, and how many elements stand before the block.
    in_blocks = False
    offset = 0

    def measured(self, key: str, make: Callable[[], Measure], join: Callable[[Measure, Measure], Measure]) -> Measure:
        """What ``make()`` gives of all elements.

        Parameters
        ----------
        key
            Names what is measured: the place of the step, and what of it.
        join
            ``join(a, b)`` gives the measure of two sets of elements together; the same bytes in any order.
        """
        return make()

    def at_once(self, what: str, place: str = "") -> None:
        """BadInput where not all elements are in memory at once, which ``what`` needs."""


#: A population in memory.
WHOLE = Whole()


class NotMeasured(Exception):
    """A measure of all blocks is still being taken; what depends on it cannot be worked out in this pass."""


class Blocks(Whole):
    """Elements that come block by block: each measure takes a pass over all blocks."""

    in_blocks = True

    def __init__(self) -> None:
        self._known: dict[str, Any] = {}
        self._coming: dict[str, Any] = {}
        self._of_block: set[str] = set()

    def begin_block(self, offset: int) -> None:
        """The next block, before which so many elements stand."""
        self.offset = offset
        self._of_block = set()

    def end_pass(self) -> bool:
        """All blocks were seen: what was measured is known now. Whether anything was."""
        came = bool(self._coming)
        self._known |= self._coming
        self._coming = {}
        return came

    def measured(self, key: str, make: Callable[[], Measure], join: Callable[[Measure, Measure], Measure]) -> Measure:
        """The measure of all blocks; NotMeasured in the pass in which it is taken."""
        if key in self._known:
            return cast(Measure, self._known[key])
        if key not in self._of_block:
            self._of_block.add(key)
            part = make()
            self._coming[key] = join(self._coming[key], part) if key in self._coming else part
        raise NotMeasured(key)

    def at_once(self, what: str, place: str = "") -> None:
        """BadInput: not all elements are in memory."""
        raise BadInput(
            f"{what} needs all elements in memory at once, and these come in blocks. Colour the file whole, or take "
            "another step.",
            place=place, code="not_in_blocks",
        )  # fmt: skip


Ends = tuple[Any, Any]


def ends_joined(a: Ends, b: Ends) -> Ends:
    """The least and greatest of both, numbers or arrays of them."""
    return np.minimum(a[0], b[0]), np.maximum(a[1], b[1])


@dataclass(frozen=True)
class Counted:
    """The different values there are, ascending, and how many elements have each."""

    values: np.ndarray
    counts: np.ndarray

    @classmethod
    def of(cls, values: np.ndarray) -> Counted:
        """The counts of the values (n,) of some elements."""
        return cls(*np.unique(values, return_counts=True))

    def joined(self, other: Counted) -> Counted:
        """The counts of both sets of elements together."""
        values = np.union1d(self.values, other.values)
        counts = np.zeros(len(values), np.int64)
        for part in (self, other):
            counts[np.searchsorted(values, part.values)] += part.counts
        return Counted(values, counts)

    def mid_ranks(self, values: np.ndarray) -> np.ndarray:
        """(m,) float32: (rank - 0.5)/n of values that are among these, ties sharing their mean rank."""
        ends = np.cumsum(self.counts)
        places = (((2 * ends - self.counts) * 0.5) / int(ends[-1])).astype(np.float32)
        return places[np.searchsorted(self.values, values)]

    def orders(self, values: np.ndarray) -> np.ndarray:
        """(m,) float32: the middle of each value's part of 0..1, the different ones in order."""
        found = (np.searchsorted(self.values, values) + 0.5) / max(len(self.values), 1)
        return found.astype(np.float32)


@dataclass(frozen=True)
class OfKeys:
    """A least and a greatest value for each key, the keys ascending."""

    keys: np.ndarray
    least: np.ndarray
    greatest: np.ndarray

    def joined(self, other: OfKeys) -> OfKeys:
        """The ends of both sets of elements together."""
        keys = np.union1d(self.keys, other.keys)
        shape = (len(keys), *self.least.shape[1:])
        least, greatest = np.full(shape, np.inf, np.float32), np.full(shape, -np.inf, np.float32)
        for part in (self, other):
            at = np.searchsorted(keys, part.keys)
            least[at] = np.minimum(least[at], part.least)
            greatest[at] = np.maximum(greatest[at], part.greatest)
        return OfKeys(keys, least, greatest)

    def of(self, keys: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """The least and greatest value of each of these keys, which are among the measured ones."""
        at = np.searchsorted(self.keys, keys)
        return self.least[at], self.greatest[at]
