"""Files in and out of the command line: a file is whole or not there, whatever happens while it is written."""

from __future__ import annotations

import os
import signal
import stat
import sys
import tempfile
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from types import FrameType

from .core.errors import BadInput
from .core.runtime.mapped import settle


def read_file(path: Path, most: int) -> bytes:
    """The bytes of a file; BadInput where it cannot be read or has more than ``most``."""
    try:
        with path.open("rb") as file:
            size = os.fstat(file.fileno()).st_size
            data = file.read(most + 1) if size <= most else b""
    except OSError as error:
        raise BadInput(f"{error.strerror}. Check the path.", place=_shown(path)) from None
    except MemoryError:
        raise BadInput("There is too little memory to read it. Split it.", place=_shown(path)) from None
    if size > most or len(data) > most:
        size = max(size, len(data))
        raise BadInput(
            f"The file has {size / 1e6:,.0f} MB or more; at most {most / 1e6:,.0f} MB are taken. Split it.",
            place=_shown(path),
        )
    return data


def write_file(path: Path, data: bytes | Iterable[bytes | memoryview]) -> None:
    """Write a file, whole or in pieces as they come, beside it; sync, then put in its place.

    A file that is there keeps its rights; through a symbolic link its target is written;
    what is no plain file (a pipe, a device) is written to as it is.

    Raises
    ------
    BadInput
        Where that is not possible; then nothing has changed.
    """
    pieces = [data] if isinstance(data, bytes) else data
    partial = None
    try:
        target = Path(os.path.realpath(path))
        mode = _mode_of(target)
        if mode is not None and not stat.S_ISREG(mode):
            with target.open("wb") as there:
                there.writelines(pieces)
            return
        handle, name = tempfile.mkstemp(prefix=".gaudyseed-", dir=target.parent)
        partial = Path(name)
        with os.fdopen(handle, "wb") as file:
            file.writelines(pieces)
            file.flush()
            os.fsync(file.fileno())
        partial.chmod(_usual_mode() if mode is None else stat.S_IMODE(mode))
        partial.replace(target)
        partial = None
        settle(target.parent)
    except OSError as error:
        raise BadInput(f"{error.strerror}. Choose another place to write to.", place=_shown(path)) from None
    finally:
        if partial is not None:
            with suppress(OSError):
                partial.unlink()


def _shown(path: Path) -> str:
    """A path for a sentence; bytes that are no text are shown in another way."""
    return str(path).encode("utf-8", "backslashreplace").decode()


def _mode_of(path: Path) -> int | None:
    try:
        return path.stat().st_mode
    except FileNotFoundError:
        return None


def _usual_mode() -> int:
    """The rights that a new file gets here."""
    mask = os.umask(0)
    os.umask(mask)
    return 0o666 & ~mask


@contextmanager
def tidy_end() -> Iterator[None]:
    """Let a signal that ends the program go through its cleaning up, so that no partial file stays."""

    def end(number: int, _frame: FrameType | None) -> None:
        sys.exit(128 + number)

    names = [n for n in ("SIGTERM", "SIGHUP") if hasattr(signal, n)]
    before = {getattr(signal, n): signal.signal(getattr(signal, n), end) for n in names}
    try:
        yield
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)
