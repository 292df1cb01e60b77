"""The one way to register: steps, channels, kinds of population, makers and formats, each by its word."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Iterator, Mapping
from typing import Generic, TypeVar

Item = TypeVar("Item")


class Registry(Mapping[str, Item], Generic[Item]):
    """Items by their word, in the order in which they came.

    >>> colours = Registry[str]("colour")
    >>> colours.add("red", "#ff0000")
    '#ff0000'
    >>> colours.add("red", "#ee0000")
    Traceback (most recent call last):
    ValueError: Two colours claim the word 'red': '#ff0000' and '#ee0000'.
    """

    def __init__(self, what: str) -> None:
        self.what = what
        self._items: dict[str, Item] = {}

    def add(self, word: str, item: Item) -> Item:
        """Register an item and give it back; ValueError where another one has the word."""
        if word in self._items:
            raise ValueError(f"Two {self.what}s claim the word {word!r}: {self._items[word]!r} and {item!r}.")
        self._items[word] = item
        return item

    def remove(self, word: str) -> None:
        """Forget an item; for what was registered on the spot."""
        del self._items[word]

    def __getitem__(self, word: str) -> Item:
        return self._items[word]

    def __iter__(self) -> Iterator[str]:
        return iter(self._items)

    def __len__(self) -> int:
        return len(self._items)


def import_all(package: str, paths: list[str]) -> None:
    """Import every module of a package in the order of their names, so that each registers what it holds."""
    for name in sorted(module.name for module in pkgutil.iter_modules(paths)):
        importlib.import_module(f"{package}.{name}")
