"""Markers: named points of a scene, with keys along the timeline."""

from __future__ import annotations

from typing import Annotated, Self

import numpy as np
from pydantic import Field, model_validator

from ..documents.document import Document
from ..documents.named import NAME_PATTERN
from .timeline import MOST_KEYS, Key, at_frame, check_keys

#: Numbers of a placement, each of which may follow a dial or a marker.
Coordinate = Annotated[float, Field(ge=-1e6, le=1e6)]


Spot = tuple[Coordinate, Coordinate, Coordinate]


class MarkerKey(Key):
    """Where a marker is at a frame."""

    value: Spot = Field(title="Position")


class Marker(Document):
    """A named point of the scene; with keys along the timeline, which then decide where it is."""

    name: str = Field(min_length=1, max_length=100, pattern=NAME_PATTERN, title="Name")
    position: Spot = Field((0.0, 0.0, 0.0), title="Position", json_schema_extra={"unit": "units"})
    keys: tuple[MarkerKey, ...] = Field((), max_length=MOST_KEYS, title="Keys")

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        check_keys(self.keys)
        return self

    def at(self, frame: float) -> np.ndarray:
        """(3,) float64: where it is at a frame."""
        if not self.keys:
            return np.array(self.position)
        places = [np.array(key.value) for key in self.keys]
        return at_frame(self.keys, places, frame, lambda a, b, t: a + (b - a) * t)
