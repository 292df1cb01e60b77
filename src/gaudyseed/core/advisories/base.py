"""What every advisory has."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from typing import Any

import numpy as np

from ..colour.spaces import saturation
from ..errors import Fix

_SAMPLE = 2_000


@dataclass(frozen=True)
class Advisory:
    """One thing noticed."""

    code: str
    place: str
    sentence: str
    fixes: tuple[Fix, ...] = field(default=())

    def document(self) -> dict[str, Any]:
        """As JSON."""
        return asdict(self)


def put(pointer: str, value: Any) -> dict[str, Any]:
    """A JSON Patch operation that adds or replaces."""
    return {"op": "add", "path": pointer, "value": value}


def sample(values: np.ndarray, rows: int = _SAMPLE) -> np.ndarray:
    """An even sample of about so many rows."""
    return values[:: max(1, len(values) // rows)]


def grey_part(colours: np.ndarray) -> float:
    """The part of (n, 3) linear colours that have no saturation to speak of, from an even sample."""
    return float((saturation(sample(colours)) < 0.01).mean()) if len(colours) else 0.0
