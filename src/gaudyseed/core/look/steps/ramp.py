"""ramp: value to colour, through stops."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, field_validator

from ...colour.spaces import HEX_PATTERN, parse_hex
from ...ramp import Ramp as Compiled
from ..follow import FollowColour, FollowDial
from .base import Context, Kind, Share, Step, Value

MOST_STOPS = 256
Colour = Annotated[str, Field(pattern=HEX_PATTERN)]


class Stop(BaseModel):
    """A control of the ramp: where it stands in 0..1, its display-encoded colour and its intensity.

    The intensity multiplies the colour in linear light, above 1 for emission. ``hold``
    keeps the colour until the next stop. ``locked`` keeps its share when others are typed.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    at: Share | FollowDial = Field(title="At")
    colour: Colour | FollowColour = Field(title="Colour")
    intensity: Annotated[float, Field(ge=0, le=1000)] = Field(1.0, title="Intensity")
    hold: bool = Field(False, title="Hold until the next")
    locked: bool = Field(False, title="Lock the share")


class Ramp(Step):
    """Stops, flat outside them.

    ``step``: a stop's colour holds from its place to the next one's; values before
    the first stop take the first colour. ``linear`` mixes neighbours, ``smooth`` along
    3t^2 - 2t^3, ``cardinal`` with tangents (1 - tension) times the slope between a stop's
    neighbours (0: Catmull-Rom), ``b_spline`` a uniform cubic that passes near the stops.
    """

    takes: ClassVar[tuple[Kind, ...]] = ("number",)
    gives: ClassVar[Kind] = "colour"
    summary: ClassVar[str] = "values to colours through stops"

    step: Literal["ramp"]
    interpolation: Literal["step", "linear", "smooth", "cardinal", "b_spline"] = Field("linear", title="Between stops")
    tension: Annotated[float, Field(ge=-1, le=1)] | FollowDial = Field(0.0, title="Tension")
    mix_in: Literal["oklab", "oklch", "linear_rgb", "display_rgb", "hsv"] = Field("oklab", title="Mix in")
    hue: Literal["shorter", "longer"] = Field("shorter", title="Hue", description="The way round, in OKLCH and HSV.")
    stops: tuple[Stop, ...] = Field(
        min_length=1, max_length=MOST_STOPS, title="Stops", json_schema_extra={"control": "stops"}
    )

    @field_validator("stops")
    @classmethod
    def _in_order(cls, stops: tuple[Stop, ...]) -> tuple[Stop, ...]:
        fixed = [(k, s.at) for k, s in enumerate(stops, 1) if isinstance(s.at, float)]
        for (j, before), (k, at) in itertools.pairwise(fixed):
            if at == before:
                raise ValueError(f"stops {j} and {k} both stand at {at:g}. Move one, or take one away")
            if at < before:
                raise ValueError(f"stop {k} at {at:g} stands before stop {j} at {before:g}. List the stops from 0 to 1")
        return stops

    def compiled(self, signals: Mapping[str, Value] | None = None) -> Compiled:
        """The stops in the form the kernels want.

        A stop that follows a signal has each element's colour; its one colour, for
        drawing, is their mean (middle grey without signals).
        """
        colours, followed = np.empty((len(self.stops), 3)), {}
        for k, stop in enumerate(self.stops):
            if isinstance(stop.colour, FollowColour):
                each = signals[stop.colour.signal].array if signals and stop.colour.signal else np.full((1, 3), 0.2)
                own = np.multiply(each, np.float32(stop.intensity), dtype=np.float32)
                colours[k] = own.mean(axis=0, dtype=np.float64) if len(own) else 0.2
                if signals:
                    followed[k] = own
            else:
                colours[k] = parse_hex(stop.colour) * stop.intensity
        assert isinstance(self.tension, float)
        return Compiled(
            np.array([s.at for s in self.stops], np.float64),
            colours,
            self.interpolation,
            self.mix_in,
            self.hue == "longer",
            self.tension,
            np.array([s.hold for s in self.stops]),
            followed,
        )

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n, 3) linear float32, not below 0."""
        assert incoming is not None
        ramp = self.compiled(context.signals)
        if self.interpolation == "step":
            bands = ramp.bands_of(incoming.array, context.check)
            return Value("colour", ramp.colours_of_bands(bands, context.check), bands)
        return Value("colour", ramp.colours_of(incoming.array, context.check))
