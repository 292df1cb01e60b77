"""Limits of the processes that read files with libraries which damaged files can stop.

Those processes run with ``python -I`` and import nothing of the product but this, so that they start quickly.
"""

from __future__ import annotations

import errno

#: Bytes of memory, seconds of processor time, bytes of output.
MOST_MEMORY, MOST_SECONDS, MOST_OUTPUT = 3 * 2**30, 120, 2**31
#: The greatest number in the transform of anything, with those above it.
LARGEST_MATRIX = 1e12
#: Numbers that an attribute may have for each element, as makers of imported files hold it.
WIDEST = 16
#: What the system says where a disk, or a share of it, is full; and how a process ends that met it.
NO_ROOM, FULL = (errno.ENOSPC, errno.EDQUOT), 4


class Refused(Exception):
    """A sentence for the user."""


def limited() -> None:
    """Hold this process within limits where the system can."""
    try:
        import resource
    except ImportError:
        return
    for what, most in (
        (resource.RLIMIT_AS, MOST_MEMORY), (resource.RLIMIT_CPU, MOST_SECONDS), (resource.RLIMIT_FSIZE, MOST_OUTPUT),
        (resource.RLIMIT_CORE, 0),
    ):  # fmt: skip
        resource.setrlimit(what, (most, most))
