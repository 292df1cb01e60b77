"""Cameras: places that a scene is looked at from."""

from __future__ import annotations

from typing import Self

from pydantic import Field, model_validator

from ..documents.document import Document
from ..documents.named import NAME_PATTERN
from .markers import Spot


class Camera(Document):
    """A place that the scene is looked at from, with a lens. Its z axis stays upright."""

    name: str = Field(min_length=1, max_length=100, pattern=NAME_PATTERN, title="Name")
    position: Spot = Field((0.0, -8.0, 3.0), title="Position", json_schema_extra={"unit": "units"})
    target: Spot = Field((0.0, 0.0, 0.0), title="Target", description="What it looks at.",
                         json_schema_extra={"unit": "units"})  # fmt: skip
    angle: float = Field(
        27.0, ge=1, le=150, title="Lens angle", description="From the lower to the upper edge.",
        json_schema_extra={"unit": "°"},
    )  # fmt: skip
    focus: float | None = Field(
        None, gt=0, le=1e9, title="Focus", description="Distance of what is sharp; left out, the target.",
        json_schema_extra={"unit": "units"},
    )  # fmt: skip
    f_number: float | None = Field(
        None, ge=0.1, le=1000, title="f-number", description="Left out, all is sharp.",
    )  # fmt: skip
    shutter: float = Field(
        0.5, ge=0, le=1, title="Shutter", description="The part of a frame that it is open for.",
    )  # fmt: skip

    @model_validator(mode="after")
    def _apart(self) -> Self:
        if self.position == self.target:
            raise ValueError("a camera stands where it looks at. Move one of them")
        return self
