"""How much memory the machine has; and it goes back to the system when results are done with."""

from __future__ import annotations

import contextlib
import ctypes
import os
import sys
from pathlib import Path

from .buffers import SMALLEST

#: Arrays from this size on have memory of their own, which goes back as soon as they do: those that ``buffers`` keeps.
_OWN = SMALLEST
#: mallopt(3): M_TRIM_THRESHOLD, M_MMAP_THRESHOLD, M_ARENA_MAX.
_TRIM, _MMAP, _ARENAS = -1, -3, -8


#: What is assumed where the system does not say.
_UNKNOWN = 4 * 1024**3
#: Where Linux says how much a group of processes may have (cgroups, versions 2 and 1).
_GROUPS = ("/sys/fs/cgroup/memory.max", "/sys/fs/cgroup/memory/memory.limit_in_bytes")


def machine_bytes() -> int:
    """Bytes of memory of the machine, or fewer where this process may not have all of them."""
    try:
        found = os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE")
    except (AttributeError, ValueError, OSError):  # no POSIX system
        found = _UNKNOWN
    for path in _GROUPS:
        with contextlib.suppress(OSError, ValueError):
            found = min(found, int(Path(path).read_text()))
    return found


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
