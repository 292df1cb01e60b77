"""Run a kernel over chunks of its arrays on a small thread pool.

Numba's own threading layer aborts the process when two Python threads enter
parallel kernels at once, which a threaded web server does; serial kernels on a
pool of ours reach the same speed.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

from ..runtime.task import UNWATCHED, Task

#: Elements a chunk. Fits a chunk of colours in and out into the second-level cache.
CHUNK = 32_768

_WORKERS = os.cpu_count() or 1
_pool = ThreadPoolExecutor(max_workers=_WORKERS, thread_name_prefix="kernel")


def _evenly(count: int) -> int:
    """The size of chunks, at most CHUNK, that keep all workers busy to the end: as many for each, all alike."""
    chunks = -(-count // CHUNK)
    if chunks > 1:
        chunks = -(-chunks // _WORKERS) * _WORKERS
    return -(-count // chunks)


def over(
    count: int,
    work: Callable[[int, int], object],
    task: Task = UNWATCHED,
    chunk: int | None = None,
    told: bool = False,
) -> None:
    """Call ``work(start, stop)`` for every chunk of ``range(count)``.

    ``task`` is asked before each chunk and may stop early (an overtaken
    request); with ``told`` the chunks are how far it is. ``chunk`` is the size of
    each but the last; left out, they are alike and at most CHUNK. The result does not
    depend on the chunking, because ``work`` writes disjoint slices.
    """
    if count == 0:
        return
    if chunk is None:
        chunk = _evenly(count)
    starts = iter(range(0, count, chunk))

    def take_turns() -> None:
        # The next start of a shared range iterator: atomic under the interpreter lock.
        for start in starts:
            if told:
                task.reach(start / count)
            else:
                task.check()
            work(start, min(start + chunk, count))

    helpers = [_pool.submit(take_turns) for _ in range(min(_WORKERS, -(-count // chunk)) - 1)]
    try:
        take_turns()
    finally:
        for _ in starts:  # after an error the helpers find nothing more to take
            pass
        for helper in helpers:
            # One that has not begun is not waited for: a busy pool must not delay a caller that is done.
            if not helper.cancel():
                helper.result()
