"""Answers of arrays: a small JSON header, then the arrays.

Layout, little endian: the four bytes ``GSB1``; the header's length as uint32; the
header, padded with spaces to a multiple of 8; the arrays one after another, each
beginning at a multiple of 8. The header lists them under ``arrays`` with name,
type, shape and offset from the end of the header, and says under ``size`` how many bytes
they take in all. An answer may be several such messages, one after the other.
"""

from __future__ import annotations

import json
from typing import Any

import numpy as np
from flask import Response

MAGIC = b"GSB1"


def pack(header: dict[str, Any], arrays: dict[str, np.ndarray]) -> bytes:
    """The bytes of an answer."""
    listed, offset = [], 0
    for name, array in arrays.items():
        listed.append({"name": name, "dtype": array.dtype.name, "shape": list(array.shape), "offset": offset})
        offset += -(-array.nbytes // 8) * 8
    text = json.dumps({**header, "arrays": listed, "size": offset}, separators=(",", ":"), allow_nan=False).encode()
    text += b" " * (-len(text) % 8)
    parts: list[bytes | memoryview] = [MAGIC, len(text).to_bytes(4, "little"), text]
    for array in arrays.values():
        data = np.ascontiguousarray(array).data.cast("B") if array.size else b""
        parts += [data, b"\x00" * (-array.nbytes % 8)]
    return b"".join(parts)


def answer(header: dict[str, Any], arrays: dict[str, np.ndarray]) -> Response:
    """The same as a response."""
    return Response(pack(header, arrays), mimetype="application/octet-stream")
