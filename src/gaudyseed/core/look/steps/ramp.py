"""ramp: value to colour, through stops."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, field_validator

from ...colour.spaces import HEX_PATTERN
from ...ramp import Ramp as Compiled
from ...ramp import compile_ramp
from .base import Context, Kind, Step, Value

MOST_STOPS = 256


class Stop(BaseModel):
    """A control of the ramp: where it stands in 0..1 and its display-encoded colour."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    at: float = Field(ge=0, le=1, title="At")
    colour: str = Field(pattern=HEX_PATTERN, title="Colour")


class Ramp(Step):
    """Stops, flat outside them.

    ``step``: a stop's colour holds from its place to the next one's; values before
    the first stop take the first colour. ``linear``: mixed between neighbours in
    linear RGB or OKLab.
    """

    takes: ClassVar[tuple[Kind, ...]] = ("number",)
    gives: ClassVar[Kind] = "colour"
    summary: ClassVar[str] = "values to colours through stops"

    step: Literal["ramp"]
    interpolation: Literal["step", "linear"] = Field("linear", title="Between stops")
    mix_in: Literal["oklab", "linear_rgb"] = Field("oklab", title="Mix in")
    stops: tuple[Stop, ...] = Field(
        min_length=1, max_length=MOST_STOPS, title="Stops", json_schema_extra={"control": "stops"}
    )

    @field_validator("stops")
    @classmethod
    def _in_order(cls, stops: tuple[Stop, ...]) -> tuple[Stop, ...]:
        places = [s.at for s in stops]
        for k in range(1, len(places)):
            if places[k] == places[k - 1]:
                raise ValueError(f"stops {k} and {k + 1} both stand at {places[k]:g}. Move one, or take one away")
            if places[k] < places[k - 1]:
                raise ValueError(
                    f"stop {k + 1} at {places[k]:g} stands before stop {k} at {places[k - 1]:g}. "
                    "List the stops from 0 to 1"
                )
        return stops

    def compiled(self) -> Compiled:
        """The stops in the form the kernels want."""
        return compile_ramp(
            np.array([s.at for s in self.stops]),
            [s.colour for s in self.stops],
            self.interpolation,
            self.mix_in,
        )

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n, 3) linear float32."""
        assert incoming is not None
        ramp = self.compiled()
        if self.interpolation == "step":
            bands = ramp.bands_of(incoming.array, context.check)
            return Value("colour", ramp.colours_of_bands(bands, context.check), bands)
        return Value("colour", ramp.colours_of(incoming.array, context.check))
