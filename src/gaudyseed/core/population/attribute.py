"""Attributes: typed columns of values.

An attribute may stand for several columns of the file it came from (``x``, ``y``
and ``z`` are one vector). Its fields remember those columns with their types, so
that the file can be written again exactly.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np

from ..colour.spaces import decode_srgb
from ..digest import digest_of
from ..geometry.placing import Role, moved

Kind = Literal["number", "integer", "vector", "colour", "text"]
Light = Literal["", "linear", "display"]

#: Attribute values are read as float32 within these limits, so that no step can overflow.
LARGEST = np.float32(1e30)
#: What attributes of these names stand for in space.
_ROLES: dict[str, Role] = {
    "position": "point", "normal": "normal", "orientation": "turn", "velocity": "direction", "size": "length",
    "edge_length": "length", "part_middle": "point",
}  # fmt: skip
_WIDTHS = {"point": (3,), "direction": (3,), "normal": (3,), "turn": (4,), "length": (1,)}
#: Whole numbers up to here are all float32 numbers; up to the second all float64 numbers.
WHOLE_FLOAT32, WHOLE_FLOAT64 = 2**24, 2**53


@dataclass(frozen=True)
class Field:
    """One column of a file: its name and its NumPy type (little endian)."""

    name: str
    dtype: str


@dataclass(frozen=True)
class Attribute:
    """A named column.

    Attributes
    ----------
    values
        (n,) or (n, k). Text is an integer code into ``labels``.
    fields
        The file columns it stands for; empty for a derived attribute, which is
        never written to a file.
    missing
        (n,) bool where elements have no value, whatever the type; None where all have one. In columns of
        floats NaNs and infinities are missing too.
    stands_for
        What it is in space; empty where its name says so, or where it is nothing in space.
    light
        Whether colours are linear light or levels of the display; where it is empty floats are linear, whole numbers
        levels of the display.
    """

    name: str
    kind: Kind
    values: np.ndarray
    labels: tuple[str, ...] = ()
    fields: tuple[Field, ...] = ()
    missing: np.ndarray | None = None
    stands_for: Role = ""
    light: Light = ""

    @property
    def role(self) -> Role:
        """What the values are in space: they go through a placement accordingly."""
        role = self.stands_for or _ROLES.get(self.name, "")
        return role if self.width in _WIDTHS.get(role, ()) and self.kind in ("vector", "number") else ""

    @cached_property
    def digest(self) -> str:
        """Content digest of the kind, values, labels and what is missing."""
        masked = () if self.missing is None else (self.missing,)
        return digest_of(self.kind, list(self.labels), self.values, *masked, *([self.light] if self.light else []))

    def taken(self, rows: np.ndarray) -> Attribute:
        """The attribute with only these rows, (m,) whole numbers, in their order."""
        missing = None if self.missing is None else self.missing[rows]
        return replace(self, values=self.values[rows], missing=missing)

    def transformed(self, by: np.ndarray) -> Attribute:
        """The attribute transformed by a (4, 4) matrix, by its role in space; unchanged where it has none."""
        return replace(self, values=moved(self.values, self.role, by)) if self.role else self

    @cached_property
    def absent(self) -> np.ndarray | None:
        """(n,) bool where an element has no number or text here; None where all have one."""
        bad = None
        if self.values.dtype.kind == "f" and not np.isfinite(self.values).all():
            finite = np.isfinite(self.values)
            bad = ~(finite if finite.ndim == 1 else finite.all(axis=1))
        if self.missing is None or not self.missing.any():
            return bad
        return self.missing if bad is None else bad | self.missing

    def present(self, values: np.ndarray) -> np.ndarray:
        """The given values, one row for each element, with 0 where the element has none."""
        if self.missing is None:
            return values
        return np.where(self.missing.reshape(-1, *[1] * (values.ndim - 1)), values.dtype.type(0), values)

    @property
    def width(self) -> int:
        """How many numbers each element has."""
        return 1 if self.values.ndim == 1 else self.values.shape[1]

    @cached_property
    def readable(self) -> np.ndarray:
        """The values as float32 that steps may compute with.

        Colours stored as whole numbers are display-encoded and become linear light; float colours are taken as linear,
        and as light they are never below 0; ``light`` may say otherwise.
        NaN and infinities read as 0.
        """
        values = self.values
        if self.kind != "colour" and self.missing is None and _plain(values):
            return values
        if self.kind == "colour":
            rgb = values[:, :3]
            whole = rgb.dtype.kind in "iu"
            levels = rgb / np.float32(np.iinfo(rgb.dtype).max) if whole else np.maximum(rgb, 0)
            display = self.light == "display" or (whole and not self.light)
            values = decode_srgb(levels) if display else levels
        values = self.present(np.where(np.isfinite(values), values, 0))
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
        values = self.present(self.values if self.values.ndim == 1 else self.values[:, part])
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

    @property
    def unreadable(self) -> int:
        """How many elements have no number here; of texts, those that are missing."""
        return 0 if self.absent is None else int(self.absent.sum())

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
            keys = self.present(self.values).astype(np.int64).view(np.uint64)
        return (keys & np.uint64(0xFFFFFFFF)).astype(np.uint32), (keys >> np.uint64(32)).astype(np.uint32)


def loses_digits(number: float) -> bool:
    """Whether a number is whole and float32 would round it.

    >>> loses_digits(2**24 + 1), loses_digits(2**24 + 2), loses_digits(0.1)
    (True, False, False)
    """
    return number == int(number) and float(np.float32(number)) != number


def _plain(values: np.ndarray) -> bool:
    """Whether these are float32 already, in order, with neither NaN nor anything beyond what steps compute with."""
    if values.dtype != np.float32 or not values.flags.c_contiguous:
        return False
    # A NaN is the least and the greatest of those that it is among, and no comparison holds of it.
    return not values.size or bool(values.min() >= -LARGEST and values.max() <= LARGEST)


def _rounded(values: np.ndarray) -> bool:
    """Whether float32 would lose digits of numbers beyond 2^24; doubles beyond 2^53 stand for no single number."""
    with np.errstate(invalid="ignore"):
        far = values[(values > WHOLE_FLOAT32) | (values < -WHOLE_FLOAT32)]
        near = (far <= WHOLE_FLOAT64) & (far >= -WHOLE_FLOAT64)
    if values.dtype.kind in "iu" and not near.all():
        return True
    far = far[near].astype(np.float64)
    return bool((far.astype(np.float32) != far).any())
