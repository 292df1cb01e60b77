"""States of what moves, by maker and frame, in files that are mapped into memory: worked out once, for every window.

A file is a header, in JSON, and the arrays after it; both are checked when it is first read. What was used longest ago
goes once a stated bound is passed.
"""

from __future__ import annotations

import json
import struct
import threading
import zlib
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

from ..formats.reader_limits import NO_ROOM
from ..runtime.mapped import MappedFiles

#: Bytes that states take on the disk where nothing else is said.
LIMIT = 4 * 1024**3
_MAGIC = b"GSST"
#: Magic, bytes of the header, and its checksum.
_START = struct.Struct("<4sII")
_ALIGNED = 64
#: The part of the bound that is left once it was passed, so that not every state has others go.
_LEFT = 0.9
#: A header longer than this is none of ours.
_LONGEST = 16 * 1024**2

State = tuple[dict[str, Any], dict[str, np.ndarray]]


class TimeCache:
    """Keeps states. Thread-safe, and safe to share with other programs and to be killed in.

    Parameters
    ----------
    folder
        Of the files, and of nothing else.
    limit
        Bytes that they take together.

    Examples
    --------
    >>> import tempfile
    >>> kept = TimeCache(Path(tempfile.mkdtemp()))
    >>> kept.put("0" * 32, {"frame": 7}, {"place": np.arange(3, dtype=np.float32)})
    >>> told, arrays = kept.get("0" * 32)
    >>> told["frame"], arrays["place"].tolist()
    (7, [0.0, 1.0, 2.0])
    """

    def __init__(self, folder: Path, limit: int = LIMIT) -> None:
        self.folder = folder
        self._files = MappedFiles(folder, lambda _, data: _sound(data))
        self._limit = limit
        self._lock = threading.Lock()
        #: Why the last state could not be kept, in a sentence; empty where it could.
        self.trouble = ""
        #: Bytes that are there as far as is known; None until they were counted.
        self._size: int | None = None

    def get(self, key: str) -> State | None:
        """What was told with a state and its arrays, which cannot be changed; None where it is not kept, or damaged."""
        data = self._files.get(key)
        if data is None:
            return None
        header = _header(data)
        assert header is not None  # it was checked
        return header["told"], {
            name: np.frombuffer(data, dtype, int(np.prod(shape)), offset).reshape(shape)
            for name, dtype, shape, offset in header["arrays"]
        }

    def has(self, key: str) -> bool:
        """Whether a state is kept; it may still be damaged."""
        return self._files.has(key)

    def put(self, key: str, told: Mapping[str, Any], arrays: Mapping[str, np.ndarray]) -> None:
        """Keep a state under 32 hexadecimal digits; nothing where it is larger than the bound, or the disk is full."""
        parts, size = _written(told, arrays)
        if size > self._limit:
            return
        try:
            self._files.put(key, parts)
        except OSError as error:
            why = "There is no room on the disk" if error.errno in NO_ROOM else f"The disk says {error.strerror}"
            self.trouble = f"{why}: frames are not kept in {self.folder}, but in memory alone."
            return
        self.trouble = ""
        with self._lock:
            self._size = None if self._size is None else self._size + size
            if self._size is None or self._size > self._limit:
                self._size = self._relieved(key)

    def _relieved(self, key: str) -> int:
        """Have what was used longest ago go where the bound is passed, but not ``key``; the bytes that are left."""
        held = sorted(self._files.held(), key=lambda file: (file.name == key, file.used))
        left = sum(file.size for file in held)
        if left <= self._limit:
            return left
        for file in held[:-1]:
            if left <= _LEFT * self._limit:
                break
            left -= self._files.remove(file.name)
        return left


def _written(told: Mapping[str, Any], arrays: Mapping[str, np.ndarray]) -> tuple[list[bytes | memoryview], int]:
    """A file's parts, and its bytes."""
    flat = {name: np.asarray(array, order="C") for name, array in arrays.items()}
    sums = [zlib.crc32(array.data.cast("B")) if array.size else 0 for array in flat.values()]

    def header(first: int) -> tuple[bytes, list[int]]:
        offsets, at = [], first
        for array in flat.values():
            offsets.append(at)
            at = _up(at + array.nbytes)
        listed = [[n, a.dtype.str, list(a.shape), o] for (n, a), o in zip(flat.items(), offsets, strict=True)]
        said = {"told": dict(told), "arrays": listed, "sums": sums, "size": at}
        return json.dumps(said, separators=(",", ":")).encode(), [*offsets, at]

    # The header's length depends on the offsets, and they on it: room for longer numbers is left.
    first = _up(_START.size + len(header(0)[0]) + 16 * (len(flat) + 1))
    text, offsets = header(first)
    parts: list[bytes | memoryview] = [_START.pack(_MAGIC, len(text), zlib.crc32(text)), text]
    at = _START.size + len(text)
    for array, offset in zip(flat.values(), offsets, strict=False):
        parts.append(bytes(offset - at))
        if array.size:
            parts.append(array.data.cast("B"))
        at = offset + array.nbytes
    parts.append(bytes(offsets[-1] - at))
    return parts, offsets[-1]


def _up(at: int) -> int:
    return -(-at // _ALIGNED) * _ALIGNED


def _header(data: memoryview) -> dict[str, Any] | None:
    """The header of a file; None where it is none."""
    if len(data) < _START.size:
        return None
    magic, size, check = _START.unpack_from(data)
    text = bytes(data[_START.size : _START.size + size]) if size <= _LONGEST else b""
    if magic != _MAGIC or len(text) != size or zlib.crc32(text) != check:
        return None
    found: dict[str, Any] = json.loads(text)
    return found


def _sound(data: memoryview) -> bool:
    """Whether a file is whole and as it was written."""
    header = _header(data)
    if header is None or header["size"] != len(data):
        return False
    for (_, dtype, shape, offset), check in zip(header["arrays"], header["sums"], strict=True):
        size = int(np.prod(shape)) * np.dtype(dtype).itemsize
        if zlib.crc32(data[offset : offset + size]) != check:
            return False
    return True
