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
CHUNK = 65_536

_pool = ThreadPoolExecutor(max_workers=os.cpu_count() or 1, thread_name_prefix="kernel")


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
    if count <= chunk:
        if check:
            check()
        if count:
            work(0, count)
        return

    def one(start: int) -> None:
        if check:
            check()
        work(start, min(start + chunk, count))

    for _ in _pool.map(one, range(0, count, chunk)):
        pass
