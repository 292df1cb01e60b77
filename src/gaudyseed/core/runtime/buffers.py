"""Large arrays from memory that was used before.

Memory touched for the first time is slow: the system clears each page. Results of
millions of elements are therefore laid into buffers whose last user is gone. A
buffer comes back by itself when the array made on it, and every view of that
array, is no longer referenced.
"""

from __future__ import annotations

import threading
import weakref
from collections import defaultdict, deque
from math import prod

import numpy as np

#: Smaller arrays are left to the allocator, which reuses them well.
SMALLEST = 1 << 21
#: Idle bytes kept at most.
_most_idle = 384 << 20
_STEP = 1 << 16

_lock = threading.Lock()
_idle: dict[int, list[np.ndarray]] = defaultdict(list)
_idle_bytes = 0
#: Sizes of idle buffers, those that have waited longest first.
_waiting: deque[int] = deque()
#: Buffers whose last user is gone and that are not among the idle ones yet. The collector may run a finalizer inside
#: any line, also where this thread holds the lock: so a finalizer only adds here, which needs none.
_returned: deque[np.ndarray] = deque()


def _give_back(buffer: np.ndarray) -> None:
    if buffer.nbytes > _most_idle:
        return
    _returned.append(buffer)
    if _lock.acquire(blocking=False):
        try:
            _take_in()
        finally:
            _lock.release()


def _take_in() -> None:
    """Put what came back among the idle buffers; the lock is held."""
    global _idle_bytes
    while _returned:
        buffer = _returned.popleft()
        # Sizes that are no longer asked for give way.
        _let_go(_idle_bytes + buffer.nbytes - _most_idle)
        _idle[buffer.nbytes].append(buffer)
        _waiting.append(buffer.nbytes)
        _idle_bytes += buffer.nbytes


def _let_go(size: int) -> int:
    """Give so many idle bytes back to the system, those that have waited longest first; the lock is held."""
    global _idle_bytes
    gone = 0
    while gone < size and _waiting:
        oldest = _waiting.popleft()
        _idle_bytes -= oldest
        _idle[oldest].pop(0)
        gone += oldest
    return gone


def idle() -> int:
    """Bytes that wait to be used again."""
    return _idle_bytes


def give_up(size: int) -> int:
    """Give about so many idle bytes back to the system; how many it were."""
    with _lock:
        _take_in()
        return _let_go(size)


def keep_idle(most: int) -> None:
    """Say how many bytes may wait to be used again."""
    global _most_idle
    with _lock:
        _most_idle = most
        _let_go(_idle_bytes - most)


def empty(shape: int | tuple[int, ...], dtype: type = np.float32) -> np.ndarray:
    """An array of unspecified content, as ``numpy.empty``."""
    global _idle_bytes
    size = prod(shape if isinstance(shape, tuple) else (shape,)) * np.dtype(dtype).itemsize
    if size < SMALLEST:
        return np.empty(shape, dtype)
    room = -(-size // _STEP) * _STEP
    with _lock:
        _take_in()
        waiting = _idle.get(room)
        buffer = waiting.pop() if waiting else None
        if buffer is not None:
            _idle_bytes -= room
            _waiting.remove(room)
    if buffer is None:
        buffer = np.empty(room, np.uint8)
    # The memoryview keeps NumPy from looking through to the buffer: views of the array keep the array.
    array: np.ndarray = np.frombuffer(buffer.data, dtype, size // np.dtype(dtype).itemsize).reshape(shape)
    owner = array.base if isinstance(array.base, np.ndarray) else array
    weakref.finalize(owner, _give_back, buffer).atexit = False
    return array
