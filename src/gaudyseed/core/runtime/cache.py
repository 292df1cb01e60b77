"""Caches of results by digest, with one budget for all of them and for idle buffers.

What was used longest ago goes first. What lasts, such as made populations, goes before what is made of it only where
it has not been used lately: an edit then finds the population that it is an edit of.
"""

from __future__ import annotations

import itertools
import threading
import weakref
from collections import OrderedDict
from typing import Any

from . import buffers
from .memory import machine_bytes

#: Without another options this part of the machine's memory is used.
_PART = 3
#: Never less, in bytes.
LEAST = 256 * 1024 * 1024
#: Counts uses, so that those of different caches can be told in time.
_clock = itertools.count()
#: What was used within so many uses counts as in use: some forty edits of a scene.
_LATELY = 2000
_all: weakref.WeakSet[ResultCache] = weakref.WeakSet()
_listing = threading.Lock()
#: Bytes added since all caches were looked at together, and how many of them are let pass.
_added, _STEP = [0], 2 * 1024 * 1024
_budget = [0]


def budget() -> int:
    """Bytes that all caches and idle buffers keep together: a third of the machine's where nobody said."""
    if not _budget[0]:
        _budget[0] = max(LEAST, machine_bytes() // _PART)
    return _budget[0]


def set_budget(size: int) -> None:
    """Say how many bytes are kept; at least ``LEAST``."""
    _budget[0] = max(LEAST, size)
    buffers.keep_idle(_budget[0] // 8)
    _relieve(_STEP)


class ResultCache:
    """Thread-safe. Values are shared, so they must not be changed.

    Parameters
    ----------
    limit
        A bound of its own in bytes, for what is rarely wanted again; None for the budget alone.
    lasting
        Whether others are made of what it keeps, so that these go first.
    grows
        Whether the bound is as many times the largest value where that is more, so that what is large is kept too.
        Results that go give their memory to the next ones: touched for the first time it is several times slower, so
        more than is wanted again is not kept.
    """

    def __init__(self, limit: int | None = None, lasting: bool = False, grows: int = 0) -> None:
        self._limit, self.lasting, self._grows = limit, lasting, grows
        self._largest = 0
        #: By key a value, its bytes, and when it was used last.
        self._items: OrderedDict[str, tuple[Any, int, int]] = OrderedDict()
        self._size = 0
        self._lock = threading.Lock()
        with _listing:
            _all.add(self)

    def get(self, key: str) -> Any | None:
        """The value under the key, or None."""
        with self._lock:
            found = self._items.get(key)
            if found is None:
                return None
            self._items[key] = (found[0], found[1], next(_clock))
            self._items.move_to_end(key)
            return found[0]

    def put(self, key: str, value: Any, size: int) -> None:
        """Keep a value of about ``size`` bytes, unless it exceeds a third of its own limit, or the budget."""
        if size > (budget() if self._limit is None or self._grows else self._limit // 3):
            return
        gone = []
        with self._lock:
            self._largest = max(self._largest, size)
            limit = self._limit if self._limit is None else max(self._limit, self._grows * self._largest)
            old = self._items.pop(key, None)
            if old:
                gone.append(old)
                self._size -= old[1]
            self._items[key] = (value, size, next(_clock))
            self._size += size
            while limit is not None and self._size > limit and len(self._items) > 1:
                gone.append(self._drop())
        # Outside of the lock: what goes may run finalizers, and the caches are looked at one after another.
        del gone
        _relieve(size)

    def _drop(self) -> tuple[Any, int, int]:
        """Forget what was used longest ago; the lock is held."""
        _, dropped = self._items.popitem(last=False)
        self._size -= dropped[1]
        return dropped

    def _oldest(self) -> int | None:
        """When the item was used that was used longest ago; None where there is none."""
        with self._lock:
            first = next(iter(self._items.values()), None)
            return None if first is None else first[2]

    def _relieve(self) -> None:
        """Forget what was used longest ago, if there is anything."""
        with self._lock:
            gone = self._drop() if self._items else None
        del gone

    def clear(self) -> None:
        """Forget everything."""
        with self._lock:
            gone, self._items = self._items, OrderedDict()
            self._size = 0
        del gone

    @property
    def size(self) -> int:
        """Bytes kept."""
        return self._size


def altogether() -> int:
    """Bytes that all caches and idle buffers keep."""
    with _listing:
        return sum(cache.size for cache in _all) + buffers.idle()


def _relieve(size: int) -> None:
    """Forget what was used longest ago, in whichever cache, until all of them are within their bound.

    Looked at once so many bytes have been added since the last time: most of what is kept is small.
    """
    _added[0] += size
    if _added[0] < _STEP:
        return
    _added[0] = 0
    while (over := altogether() - budget()) > 0:
        if buffers.give_up(over):
            continue
        with _listing:
            caches = list(_all)
        used = [(at, cache) for cache in caches if (at := cache._oldest()) is not None]
        if not used:
            return
        lately = next(_clock) - _LATELY
        min(used, key=lambda pair: (pair[1].lasting and pair[0] > lately, pair[0]))[1]._relieve()
