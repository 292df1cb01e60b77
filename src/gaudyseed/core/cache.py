"""A cache of results by digest, bounded in bytes, least recently used out first."""

from __future__ import annotations

import threading
from collections import OrderedDict
from typing import Any


class ResultCache:
    """Thread-safe. Values are shared, so they must not be changed."""

    def __init__(self, limit: int = 512 * 1024 * 1024) -> None:
        self._limit = limit
        self._items: OrderedDict[str, tuple[Any, int]] = OrderedDict()
        self._size = 0
        self._lock = threading.Lock()

    def get(self, key: str) -> Any | None:
        """The value under the key, or None."""
        with self._lock:
            found = self._items.get(key)
            if found is None:
                return None
            self._items.move_to_end(key)
            return found[0]

    def put(self, key: str, value: Any, size: int) -> None:
        """Keep a value of about ``size`` bytes; one larger than a third of the limit is not kept."""
        if size > self._limit // 3:
            return
        with self._lock:
            old = self._items.pop(key, None)
            if old:
                self._size -= old[1]
            self._items[key] = (value, size)
            self._size += size
            while self._size > self._limit:
                _, (_, freed) = self._items.popitem(last=False)
                self._size -= freed

    def clear(self) -> None:
        """Forget everything."""
        with self._lock:
            self._items.clear()
            self._size = 0

    @property
    def size(self) -> int:
        """Bytes kept."""
        return self._size
