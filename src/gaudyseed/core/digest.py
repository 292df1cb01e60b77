"""Names by content: equal inputs get equal digests, on every machine."""

from __future__ import annotations

import hashlib
import json
from typing import Any

import numpy as np

#: One encoder for all: ``json.dumps`` would make a new one for each part.
_encoded = json.JSONEncoder(sort_keys=True, separators=(",", ":")).encode


def digest_of(*parts: Any) -> str:
    """A 32-digit digest of JSON values, bytes and arrays, in order."""
    total = hashlib.blake2b(digest_size=16)
    for part in parts:
        if isinstance(part, str):  # most are digests
            total.update(f"text {len(part)};{part}".encode())
        elif isinstance(part, np.ndarray):
            total.update(f"array {part.dtype.str} {part.shape};".encode())
            total.update(np.ascontiguousarray(part).data.cast("B") if part.size else b"")
        elif isinstance(part, bytes | memoryview):
            total.update(f"bytes {len(part)};".encode())
            total.update(part)
        else:
            text = _encoded(part)
            total.update(f"json {len(text)};".encode())
            total.update(text.encode())
    return total.hexdigest()
