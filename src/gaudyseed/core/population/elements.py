"""The elements of a population: one table for each level, and what each element carries.

An attribute lives on the elements or on a coarser level, whose owners have many elements each; what an owner
has, each of its elements carries.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from ..digest import digest_of
from ..errors import BadInput
from ..names import nearest
from .attribute import Attribute
from .owning import Owning

#: The attribute of this name tells the elements apart.
KEY = "id"


@dataclass(frozen=True)
class Owners:
    """The table of a level above the elements.

    Attributes
    ----------
    level
        What an owner is: ``part``, ``copy``, ``strand``.
    index
        (n,) int32: for each row of the level below, the row of its owner; None where none knows it.
    attributes
        By name, one row for each owner. The one that has the level's own name tells the owners apart: whole numbers
        or texts.
    below
        The level that the index leads from; empty for the elements.
    named
        Names the index by content, where something shorter does than the index itself.
    """

    level: str
    index: np.ndarray | None
    attributes: dict[str, Attribute]
    below: str = ""
    named: str = ""

    @property
    def count(self) -> int:
        """Owners there are, those without elements too."""
        first = self.attributes.get(self.level) or next(iter(self.attributes.values()))
        return len(first.values)

    @property
    def digest(self) -> str:
        """Content digest of the table and its index."""
        return digest_of(self.level, self.below, self.index_digest, _digests(self.attributes.values()))

    @cached_property
    def index_digest(self) -> str:
        """Content digest of the index; empty where there is none."""
        if self.index is None:
            return ""
        return self.named or digest_of(self.index)


@dataclass(frozen=True)
class Elements:
    """What chains run on: the elements, their own attributes and those of their owners.

    Attributes
    ----------
    level
        What an element is: ``clone``.
    own
        The attributes on the elements, by name, in the order of the file or maker.
    owners
        The levels above, the finest first.
    derived
        By name, what gives an attribute of the elements that follows from the others and from the form; worked out
        when it is first read. An own one of that name hides it.

    Examples
    --------
    >>> part = Attribute("part", "text", np.array([0, 1]), ("wing", "shield"))
    >>> elements = Elements("clone", 3, {}, (Owners("part", np.array([1, 0, 1]), {"part": part}),))
    >>> elements.names, elements.attribute("part").values.tolist(), elements.level_of("part")
    (('part',), [1, 0, 1], 'part')
    """

    level: str
    count: int
    own: dict[str, Attribute]
    owners: tuple[Owners, ...] = ()
    derived: Mapping[str, Callable[[], Attribute]] = field(default_factory=dict, compare=False, repr=False)
    _carried: dict[str, Attribute] = field(default_factory=dict, init=False, compare=False, repr=False)
    #: Who owns each element by a key, kept once it was asked for: see ``owning.owning_of``.
    owning: dict[str, Owning] = field(default_factory=dict, init=False, compare=False, repr=False)

    def with_more(self, more: Mapping[str, Attribute]) -> Elements:
        """The elements with further attributes; what was worked out before is shared."""
        found = replace(self, own={**self.own, **more})
        object.__setattr__(found, "_carried", self._carried)
        object.__setattr__(found, "owning", self.owning)
        kept = {"keys": KEY, "_along": "position"}
        for name, replaced in kept.items():
            if name in self.__dict__ and replaced not in more:
                found.__dict__[name] = self.__dict__[name]
        return found

    @cached_property
    def digest(self) -> str:
        """Content digest of all tables."""
        return digest_of(self.level, self.count, _digests(self.own.values()), [above.digest for above in self.owners])

    @cached_property
    def names(self) -> tuple[str, ...]:
        """The names of all that an element carries: its own attributes first, which hide those of its owners."""
        return tuple(dict.fromkeys([*self.own, *self.derived, *self._above]))

    @property
    def brought(self) -> tuple[str, ...]:
        """The names without what is derived from others: what a file or maker brought."""
        return tuple(dict.fromkeys([*self.own, *(name for name in self._above if name not in self.derived)]))

    @property
    def _above(self) -> list[str]:
        return [name for table in self.owners if table.index is not None for name in table.attributes]

    @property
    def nbytes(self) -> int:
        """Bytes that the tables hold."""
        indices = sum(0 if table.index is None else table.index.nbytes for table in self.owners)
        above = [a for table in self.owners for a in table.attributes.values()]
        return indices + sum(a.values.nbytes for a in [*self.own.values(), *above, *self._carried.values()])

    def _holding(self, name: str) -> Owners | None:
        """The finest level above the elements that has an attribute of that name."""
        return next((table for table in self.owners if name in table.attributes), None)

    def above(self, name: str) -> tuple[Attribute, np.ndarray, str] | None:
        """What owners have under that name, (k,), the owner of each element, (n,), and a digest of both.

        None where the elements have it themselves, or nobody does.
        """
        table = None if name in self.own or name in self.derived else self._holding(name)
        owner = self.owner_of(table.level) if table is not None else None
        if table is None or owner is None:
            return None
        steps, at = [table.index_digest], table
        while at.below:
            at = next(other for other in self.owners if other.level == at.below)
            steps.append(at.index_digest)
        return table.attributes[name], owner, digest_of(table.attributes[name].digest, steps)

    def level_of(self, name: str) -> str:
        """The level that an attribute lives on."""
        above = None if name in self.own or name in self.derived else self._holding(name)
        return above.level if above else self.level

    def owner_of(self, level: str) -> np.ndarray | None:
        """(n,) int32: the row of each element's owner on a level; None where the elements do not know it."""
        table = next((table for table in self.owners if table.level == level), None)
        if table is None or table.index is None:
            return None
        if not table.below:
            return table.index
        finer = self.owner_of(table.below)
        return None if finer is None else table.index[finer]

    def find(self, name: str) -> Attribute | None:
        """What each element carries under that name, (n,) or (n, k), wherever it lives; None where there is nothing."""
        own = self.own.get(name)
        if own is not None:
            return own
        if name not in self._carried and name in self.derived:
            self._carried[name] = self.derived[name]()
        if name not in self._carried:
            above = self._holding(name)
            owner = self.owner_of(above.level) if above else None
            if above is None or owner is None:
                return None
            self._carried[name] = above.attributes[name].taken(owner)
        return self._carried[name]

    def attribute(self, name: str, place: str = "") -> Attribute:
        """The attribute of that name, for a chain.

        BadInput names the nearest ones where there is none, and the level where it lives on one that the elements do
        not know.
        """
        found = self.find(name)
        if found is not None:
            return found
        above = self._holding(name)
        if above is not None:
            raise BadInput(
                f"{name!r} lives on another level, each {above.level}, but this chain runs on each {self.level}, "
                f"and none knows its {above.level}. Choose an attribute of that level.",
                place=place, code="wrong_level",
            )  # fmt: skip
        hint, _ = nearest(name, self.names)
        raise BadInput(f"No attribute is called {name!r} here. {hint}", place=place, code="unknown_attribute")

    @property
    def key_digest(self) -> str:
        """Content digest of the keys."""
        stable = self.own.get(KEY)
        return stable.digest if stable is not None else str(self.count)

    @cached_property
    def keys(self) -> tuple[np.ndarray, np.ndarray]:
        """Stable keys of the elements, two words of (n,) uint32: the integer attribute ``id``, else the index."""
        stable = self.own.get(KEY)
        if stable is not None and stable.kind == "integer" and stable.absent is None:
            return stable.key_words
        return np.arange(self.count, dtype=np.uint32), np.zeros(self.count, np.uint32)


def _digests(attributes: Iterable[Attribute]) -> list[list[str]]:
    return [[a.name, a.digest] for a in attributes]
