"""Files of a folder under names: whole or not there, read by mapping them into memory, checked when first read.

Several programs may share a folder: a file is written beside and renamed into place, and one that is removed stays
mapped by those who read it.
"""

from __future__ import annotations

import itertools
import mmap
import os
import re
import time
from collections.abc import Callable, Iterable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

_NAME = re.compile("[0-9a-f]{32}")
#: Marks what is still being written; the rest of such a name is the program's number and a count.
_PART = ".part-"
#: Seconds after which what is still being written was left behind by a program that is gone.
_LEFT = 3600.0
#: Seconds within which another use of a file is not noted again.
_NOTED = 30.0
_count = itertools.count()


@dataclass(frozen=True)
class Held:
    """A file that is there: its bytes, and when it was used last, in seconds since 1970."""

    name: str
    size: int
    used: float


class MappedFiles:
    """The files of a folder. Thread-safe.

    Parameters
    ----------
    folder
        Made where it is not there, once something is put into it.
    check
        Whether the bytes are what was put under the name.
    """

    def __init__(self, folder: Path, check: Callable[[str, memoryview], bool]) -> None:
        self.folder, self._check = folder, check
        #: What was checked, as it was then.
        self._checked: dict[str, tuple[int, int]] = {}

    def put(self, name: str, parts: Iterable[bytes | memoryview]) -> None:
        """Write a file, whole or not at all, and on the disk once this returns; OSError where that fails.

        One that is there already only counts as used now.
        """
        path = self._path(name)
        if path.exists():
            self._note(path)
            return
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        beside = path.with_name(f"{name}{_PART}{os.getpid()}-{next(_count)}")
        try:
            beside.touch(0o600, exist_ok=False)
            with beside.open("wb") as file:
                for part in parts:
                    file.write(part)
                file.flush()
                os.fsync(file.fileno())
            beside.replace(path)
        except BaseException:
            with suppress(OSError):
                beside.unlink()
            raise
        settle(path.parent)

    def get(self, name: str) -> memoryview | None:
        """The bytes of a file, which cannot be changed; None where there is none, or where it is not what was put."""
        try:
            path = self._path(name)
            with path.open("rb") as file:
                was = os.fstat(file.fileno())
                data = _mapped(file.fileno(), was.st_size)
        except (OSError, ValueError):
            return None
        state = (was.st_mtime_ns, was.st_size)
        if self._checked.get(name) != state:
            if not self._check(name, data):
                return None
            self._checked[name] = state
        self._note(path)
        return data

    def has(self, name: str) -> bool:
        """Whether there is a file of that name, whatever is in it."""
        return self._path(name).exists()

    def remove(self, name: str) -> int:
        """Remove a file; the bytes that it had, 0 where it is gone already."""
        path = self._path(name)
        try:
            size = path.stat().st_size
            path.unlink()
        except OSError:
            return 0
        self._checked.pop(name, None)
        return size

    def held(self) -> Iterator[Held]:
        """All files that are there. What a program that is gone has left half-written is removed on the way."""
        for folder in self.folder.glob("[0-9a-f][0-9a-f]"):
            for entry in os.scandir(folder):
                with suppress(OSError):
                    told = entry.stat()
                    if _NAME.fullmatch(entry.name):
                        yield Held(entry.name, told.st_size, told.st_atime)
                    elif _PART in entry.name and told.st_mtime < time.time() - _LEFT:
                        Path(entry.path).unlink()

    def _path(self, name: str) -> Path:
        if not _NAME.fullmatch(name):
            raise ValueError(f"{name!r} is no name of a file here")
        return self.folder / name[:2] / name

    def _note(self, path: Path) -> None:
        """Note that a file is used now: as its time of access, so that when it was written stays."""
        with suppress(OSError):
            told = path.stat()
            if told.st_atime < time.time() - _NOTED:
                os.utime(path, ns=(time.time_ns(), told.st_mtime_ns))


def _mapped(file: int, size: int) -> memoryview:
    """The bytes of an open file; read where too many are mapped already."""
    if size == 0:
        return memoryview(b"")
    try:
        return memoryview(mmap.mmap(file, size, access=mmap.ACCESS_READ))
    except OSError:
        return memoryview(os.pread(file, size, 0))


def settle(folder: Path) -> None:
    """Have the disk know what names the folder holds, where the system can."""
    if os.name != "posix":
        return
    with suppress(OSError):
        held = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(held)
        finally:
            os.close(held)
