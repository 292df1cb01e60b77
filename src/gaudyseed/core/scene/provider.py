"""Making populations once, however many ask at the same time, and keeping them: page, jobs and command line alike."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import cast

from ..population import Population
from ..population.makers import ColumnSource, MakeRequest
from ..runtime.cache import ResultCache

#: Seconds after which one who waits for a population looks whether it is still wanted.
_WAIT = 0.25


@dataclass
class _Turn:
    """Who makes a population now, and how many wait for it or make it."""

    lock: threading.Lock = field(default_factory=threading.Lock)
    users: int = 0


class Provider:
    """Gives what is requested. Thread-safe.

    Parameters
    ----------
    columns
        Where imported columns lie.
    told
        Hears of each that was made: its request, and the seconds that an element took.
    """

    def __init__(self, columns: ColumnSource, told: Callable[[MakeRequest, float], None] | None = None) -> None:
        self._columns, self._told = columns, told
        self._kept = ResultCache(lasting=True)
        self._making: dict[str, _Turn] = {}
        self._lock = threading.Lock()

    def __call__(self, request: MakeRequest) -> Population:
        """What is requested; Stopped once the task of the request says so, also while another one makes it."""
        key = request.key
        with self._lock:
            turn = self._making.setdefault(key, _Turn())
            turn.users += 1
        try:
            while not turn.lock.acquire(timeout=_WAIT):
                request.context.task.check()
            try:
                return self._made(key, request)
            finally:
                turn.lock.release()
        finally:
            with self._lock:
                turn.users -= 1
                if not turn.users:
                    self._making.pop(key, None)

    def _made(self, key: str, request: MakeRequest) -> Population:
        found = self._kept.get(key)
        if found is None:
            began = time.perf_counter()
            found = request.make(self._columns)
            if self._told:
                self._told(request, (time.perf_counter() - began) / max(found.count, 1))
            self._kept.put(key, found, found.nbytes * 2)
        return cast(Population, found)
