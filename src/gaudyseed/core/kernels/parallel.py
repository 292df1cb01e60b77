"""Run a kernel over chunks of its arrays on a small thread pool.

Numba's own threading layer aborts the process when two Python threads enter
parallel kernels at once, which a threaded web server does; serial kernels on a
pool of ours reach the same speed.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

#: Elements a chunk. Fits a chunk of colours in and out into the second-level cache.
CHUNK = 32_768

_WORKERS = os.cpu_count() or 1
_pool = ThreadPoolExecutor(max_workers=_WORKERS, thread_name_prefix="kernel")


def shared_evenly(count: int, chunk: int) -> int:
    """The size of chunks of at most ``chunk`` that keep all workers busy to the end: as many for each, all alike."""
    chunks = -(-count // chunk)
    if chunks > 1:
        chunks = -(-chunks // _WORKERS) * _WORKERS
    return -(-count // chunks)


def over(
    count: int,
    work: Callable[[int, int], object],
    check: Callable[[], None] | None = None,
    chunk: int = CHUNK,
) -> None:
    """Call ``work(start, stop)`` for every chunk of ``range(count)``.

    ``check`` is called before each chunk and may raise to stop early (an
    overtaken request). The result does not depend on the chunking, because
    ``work`` writes disjoint slices.
    """
    if count == 0:
        return
    chunk = shared_evenly(count, chunk)
    starts = iter(range(0, count, chunk))

    def take_turns() -> None:
        # The next start of a shared range iterator: atomic under the interpreter lock.
        for start in starts:
            if check:
                check()
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
