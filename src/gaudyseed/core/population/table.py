"""The population table: attributes, typed, on domains.

An attribute may stand for several columns of the file it came from (``x``, ``y``
and ``z`` are one vector). Its fields remember those columns with their types, so
that the file can be written again exactly.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal

import numpy as np

from ..colour.spaces import decode_srgb
from ..digest import digest_of
from ..errors import BadInput
from ..names import nearest

Kind = Literal["number", "integer", "vector", "colour", "text"]
Domain = Literal["clone", "vertex", "part", "scene"]

#: Attribute values are read as float32 within these limits, so that no step can overflow.
LARGEST = np.float32(1e30)


@dataclass(frozen=True)
class Field:
    """One column of a file: its name and its NumPy type (little endian)."""

    name: str
    dtype: str


@dataclass(frozen=True)
class Attribute:
    """A named column on a domain.

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
    domain: Domain = "clone"
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
        float colours are taken as linear. NaN and infinities read as 0.
        """
        values = self.values
        if self.kind == "colour":
            rgb = values[:, :3]
            values = decode_srgb(rgb / 255.0) if rgb.dtype == np.uint8 else rgb
        values = np.where(np.isfinite(values), values, 0)
        return np.ascontiguousarray(np.clip(values, -LARGEST, LARGEST), np.float32)

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


@dataclass(frozen=True)
class Population:
    """One set of like elements.

    Attributes
    ----------
    kind
        What the elements are: ``clones``.
    attributes
        By name, in the order of the file or maker.
    notes
        Sentences about what was derived or left out when it was made.
    """

    kind: Literal["clones"]
    count: int
    attributes: dict[str, Attribute]
    notes: tuple[str, ...] = field(default=())

    @cached_property
    def digest(self) -> str:
        """Content digest of the whole table."""
        return digest_of(self.kind, self.count, [[a.name, a.digest] for a in self.attributes.values()])

    @property
    def domain(self) -> Domain:
        """The domain that chains run on: that of the elements."""
        return "clone"

    def attribute(self, name: str, place: str = "") -> Attribute:
        """The attribute of that name, on the elements' domain.

        BadInput names the nearest ones where there is none, and the domain where it
        lives on another.
        """
        found = self.attributes.get(name)
        if found is not None and found.domain != self.domain:
            raise BadInput(
                f"{name!r} lives on each {found.domain}, but this chain runs on each {self.domain}. "
                "Choose an attribute of that domain.",
                place=place, code="wrong_domain",
            )  # fmt: skip
        if found is None:
            hint, _ = nearest(name, self.attributes)
            raise BadInput(f"No attribute is called {name!r} here. {hint}", place=place, code="unknown_attribute")
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
