"""Answers of arrays: a small JSON header, then the arrays.

Layout, little endian: the four bytes ``GSB1``; the header's length as uint32; the
header, padded with spaces to a multiple of 8; the arrays one after another, each
beginning at a multiple of 8. The header lists them under ``arrays`` with name,
type, shape and offset from the end of the header, and says under ``size`` how many bytes
they take in all. An answer may be several such messages, one after the other.
"""

from __future__ import annotations

import json
import math
from typing import Any

import numpy as np
from flask import Response

MAGIC = b"GSB1"
#: One encoder for all: ``json.dumps`` would make a new one for each header.
_encoded = json.JSONEncoder(separators=(",", ":"), allow_nan=False).encode


def pack(header: dict[str, Any], arrays: dict[str, np.ndarray]) -> bytes:
    """The bytes of an answer."""
    listed, offset = [], 0
    for name, array in arrays.items():
        listed.append({"name": name, "dtype": array.dtype.name, "shape": list(array.shape), "offset": offset})
        offset += -(-array.nbytes // 8) * 8
    text = _json({**header, "arrays": listed, "size": offset})
    text += b" " * (-len(text) % 8)
    parts: list[bytes | memoryview] = [MAGIC, len(text).to_bytes(4, "little"), text]
    for array in arrays.values():
        data = np.ascontiguousarray(array).data.cast("B") if array.size else b""
        parts += [data, b"\x00" * (-array.nbytes % 8)]
    return b"".join(parts)


def _json(header: dict[str, Any]) -> bytes:
    """The header as JSON, which knows no numbers that are not finite: these become null."""
    try:
        return _encoded(header).encode()
    except ValueError:
        return _encoded(_finite(header)).encode()


def _finite(value: Any) -> Any:
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    if isinstance(value, dict):
        return {key: _finite(of) for key, of in value.items()}
    return [_finite(of) for of in value] if isinstance(value, list | tuple) else value


def answer(header: dict[str, Any], arrays: dict[str, np.ndarray]) -> Response:
    """A response with a header and arrays."""
    return Response(pack(header, arrays), mimetype="application/octet-stream")
