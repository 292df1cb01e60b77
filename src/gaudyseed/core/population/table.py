"""The population table: attributes, typed, on levels.

An attribute lives on the elements or on a coarser level, whose owners have many
elements each; what an owner has, each of its elements carries.

An attribute may stand for several columns of the file it came from (``x``, ``y``
and ``z`` are one vector). Its fields remember those columns with their types, so
that the file can be written again exactly.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Literal

import numpy as np

from ..colour.spaces import decode_srgb
from ..digest import digest_of
from ..errors import BadInput
from ..names import nearest

Kind = Literal["number", "integer", "vector", "colour", "text"]
Level = Literal["clone", "vertex", "part", "scene"]

#: Attribute values are read as float32 within these limits, so that no step can overflow.
LARGEST = np.float32(1e30)
#: Whole numbers up to here are all float32 numbers; up to the second all float64 numbers.
WHOLE_FLOAT32, WHOLE_FLOAT64 = 2**24, 2**53


@dataclass(frozen=True)
class Field:
    """One column of a file: its name and its NumPy type (little endian)."""

    name: str
    dtype: str


@dataclass(frozen=True)
class Attribute:
    """A named column on a level.

    Attributes
    ----------
    values
        (n,) or (n, k). Text is an integer code into ``labels``.
    fields
        The file columns it stands for; empty for a derived attribute, which is
        never written to a file.
    """

    name: str
    kind: Kind
    values: np.ndarray
    level: Level = "clone"
    labels: tuple[str, ...] = ()
    fields: tuple[Field, ...] = ()

    @cached_property
    def digest(self) -> str:
        """Content digest of the kind, values and labels."""
        return digest_of(self.kind, list(self.labels), self.values)

    @property
    def width(self) -> int:
        """Numbers an element has."""
        return 1 if self.values.ndim == 1 else self.values.shape[1]

    @cached_property
    def readable(self) -> np.ndarray:
        """The values as float32 that steps may compute with.

        Colours stored in 8 bits are display-encoded and become linear light;
        float colours are taken as linear, and as light they are never below 0.
        NaN and infinities read as 0.
        """
        values = self.values
        if self.kind == "colour":
            rgb = values[:, :3]
            values = decode_srgb(rgb / 255.0) if rgb.dtype == np.uint8 else np.maximum(rgb, 0)
        values = np.where(np.isfinite(values), values, 0)
        return np.ascontiguousarray(np.clip(values, -LARGEST, LARGEST), np.float32)

    @cached_property
    def beyond(self) -> tuple[bool, ...]:
        """For each number of an element, whether some lie beyond 2^24 and have digits that float32 would lose."""
        if self.kind in ("colour", "text") or self.values.dtype.itemsize < 4 or self.values.dtype == np.float32:
            return (False,) * self.width
        columns = [self.values] if self.values.ndim == 1 else list(self.values.T)
        return tuple(_rounded(column) for column in columns)

    def precise(self, part: int = 0) -> np.ndarray:
        """(n,) int64 or float64: one number of each element with all its digits; no number reads as 0."""
        values = self.values if self.values.ndim == 1 else self.values[:, part]
        if values.dtype.kind in "iu":
            return values.astype(np.int64)
        finite = np.where(np.isfinite(values), values, 0).astype(np.float64)
        return np.clip(finite, -float(LARGEST), float(LARGEST))

    @cached_property
    def ranks(self) -> np.ndarray:
        """(n,) int64: where each element's text stands among all texts, in the order of the alphabet."""
        ranks = np.empty(len(self.labels), np.int64)
        ranks[np.argsort(np.array(self.labels), kind="stable")] = np.arange(len(self.labels))
        return ranks[self.values]

    @cached_property
    def unreadable(self) -> int:
        """How many elements have a NaN or an infinity here."""
        bad = ~np.isfinite(self.values)
        return int((bad if bad.ndim == 1 else bad.any(axis=1)).sum())

    @cached_property
    def key_words(self) -> tuple[np.ndarray, np.ndarray]:
        """The values as 64-bit keys for hashing, in two words (low, high).

        Integers are their own keys. A text's key is a digest of its characters,
        so that it does not depend on which other texts there are.
        """
        if self.kind == "text":
            codes = [hashlib.blake2b(t.encode(), digest_size=8).digest() for t in self.labels]
            keys = np.frombuffer(b"".join(codes), "<u8")[self.values]
        else:
            keys = self.values.astype(np.int64).view(np.uint64)
        return (keys & np.uint64(0xFFFFFFFF)).astype(np.uint32), (keys >> np.uint64(32)).astype(np.uint32)


def loses_digits(number: float) -> bool:
    """Whether a number is whole and float32 would round it.

    >>> loses_digits(2**24 + 1), loses_digits(2**24 + 2), loses_digits(0.1)
    (True, False, False)
    """
    return number == int(number) and float(np.float32(number)) != number


def _rounded(values: np.ndarray) -> bool:
    """Whether float32 would lose digits of numbers beyond 2^24; doubles beyond 2^53 stand for no single number."""
    with np.errstate(invalid="ignore"):
        far = values[(values > WHOLE_FLOAT32) | (values < -WHOLE_FLOAT32)]
        near = (far <= WHOLE_FLOAT64) & (far >= -WHOLE_FLOAT64)
    if values.dtype.kind in "iu" and not near.all():
        return True
    far = far[near].astype(np.float64)
    return bool((far.astype(np.float32) != far).any())


@dataclass(frozen=True)
class CoarserLevel:
    """A level above the elements: owners that have many elements each.

    Attributes
    ----------
    owner
        (n,) int32: the row of each element's owner.
    attributes
        By name, (m,) or (m, k) values, one row for each owner. The one that has the
        level's own name tells the owners apart: whole numbers or texts.
    """

    level: Level
    owner: np.ndarray
    attributes: dict[str, Attribute]

    @property
    def count(self) -> int:
        """Owners there are, those without elements too."""
        return len(self.attributes[self.level].values)

    def carried(self, name: str) -> Attribute:
        """The attribute as each element carries it, (n,) or (n, k): its owner's row."""
        of_owners = self.attributes[name]
        return replace(of_owners, values=of_owners.values[self.owner])


@dataclass(frozen=True)
class Population:
    """One set of like elements.

    Attributes
    ----------
    kind
        What the elements are: ``clones``.
    attributes
        Those on the elements, by name, in the order of the file or maker.
    coarser
        The levels above the elements.
    notes
        Sentences about what was derived or left out when it was made.
    """

    kind: Literal["clones"]
    count: int
    attributes: dict[str, Attribute]
    notes: tuple[str, ...] = ()
    coarser: tuple[CoarserLevel, ...] = ()
    _carried: dict[str, Attribute] = field(default_factory=dict, init=False, compare=False, repr=False)

    @cached_property
    def digest(self) -> str:
        """Content digest of the whole table."""
        above = [[c.level, digest_of(c.owner), _digests(c.attributes)] for c in self.coarser]
        return digest_of(self.kind, self.count, _digests(self.attributes), above)

    @property
    def level(self) -> Level:
        """The level that chains run on: that of the elements."""
        return "clone"

    @cached_property
    def names(self) -> tuple[str, ...]:
        """Of all that an element carries: its own attributes first, which hide those of its owners."""
        return tuple(dict.fromkeys([*self.attributes, *(name for c in self.coarser for name in c.attributes)]))

    @property
    def nbytes(self) -> int:
        """Bytes that the table holds."""
        above = sum(c.owner.nbytes for c in self.coarser)
        return above + sum(a.values.nbytes for a in [*self.attributes.values(), *self._carried.values()])

    def find(self, name: str) -> Attribute | None:
        """What each element carries under that name, (n,) or (n, k), wherever it lives; None where there is nothing."""
        own = self.attributes.get(name)
        if own is not None:
            return own
        if name not in self._carried:
            above = next((c for c in self.coarser if name in c.attributes), None)
            if above is None:
                return None
            self._carried[name] = above.carried(name)
        return self._carried[name]

    def attribute(self, name: str, place: str = "") -> Attribute:
        """The same, for a chain.

        BadInput names the nearest ones where there is none, and the level where it lives
        on one that the elements do not know.
        """
        found = self.find(name)
        if found is None:
            hint, _ = nearest(name, self.names)
            raise BadInput(f"No attribute is called {name!r} here. {hint}", place=place, code="unknown_attribute")
        if name in self.attributes and found.level != self.level:
            raise BadInput(
                f"{name!r} lives on another level, each {found.level}, but this chain runs on each {self.level}, "
                f"and none knows its {found.level}. Choose an attribute of that level.",
                place=place, code="wrong_level",
            )  # fmt: skip
        return found

    @property
    def key_digest(self) -> str:
        """Content digest of the keys."""
        stable = self.attributes.get("id")
        return stable.digest if stable is not None else str(self.count)

    @cached_property
    def keys(self) -> tuple[np.ndarray, np.ndarray]:
        """Stable keys of the elements: the integer attribute ``id``, else the index."""
        stable = self.attributes.get("id")
        if stable is not None and stable.kind == "integer":
            return stable.key_words
        return np.arange(self.count, dtype=np.uint32), np.zeros(self.count, np.uint32)


def _digests(attributes: dict[str, Attribute]) -> list[list[str]]:
    return [[a.name, a.digest] for a in attributes.values()]
