"""Memory goes back to the system when results are done with."""

from __future__ import annotations

import ctypes
import sys

from .buffers import SMALLEST

#: Arrays from this size on have memory of their own, which goes back as soon as they do: those that ``buffers`` keeps.
_OWN = SMALLEST
#: mallopt(3): M_TRIM_THRESHOLD, M_MMAP_THRESHOLD, M_ARENA_MAX.
_TRIM, _MMAP, _ARENAS = -1, -3, -8


def keep_memory_low() -> None:
    """Set glibc's allocator so that a long-running process does not grow with each large result; elsewhere nothing.

    By default its limit for memory of its own rises with what is freed, up to 32 MB, so that large arrays of many
    threads lie in as many heaps, whose holes stay.
    """
    if not sys.platform.startswith("linux"):
        return
    try:
        libc = ctypes.CDLL("libc.so.6")
        libc.mallopt(_MMAP, _OWN)
        libc.mallopt(_TRIM, _OWN)
        libc.mallopt(_ARENAS, 2)
    except (OSError, AttributeError):  # another C library
        return
