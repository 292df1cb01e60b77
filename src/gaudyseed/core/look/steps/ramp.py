"""ramp: value to colour, through stops."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, field_validator

from ...colour.spaces import HEX_PATTERN, parse_hex
from ...kernels.encoding import LARGEST
from ...own_ramp import OwnRamp
from ...picking import Own
from ...ramp import Ramp as Compiled
from ..follow import Follow, FollowColour
from .base import Context, Kind, Share, Step, Value, drawn_places, limits, mean_colour, mean_of

MOST_STOPS = 256
Colour = Annotated[str, Field(pattern=HEX_PATTERN)]


class Stop(BaseModel):
    """A control of the ramp: where it stands in 0..1, its display-encoded colour and its intensity.

    The intensity multiplies the colour in linear light, above 1 for emission. ``hold``
    keeps the colour until the next stop. ``locked`` keeps its share when others are typed.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    at: Share | Follow = Field(title="At")
    colour: Colour | FollowColour = Field(title="Colour")
    intensity: Annotated[float, Field(ge=0, le=1000)] | Follow = Field(1.0, title="Intensity")
    hold: bool = Field(False, title="Hold until the next")
    locked: bool = Field(False, title="Lock the share")


class Ramp(Step):
    """Stops, flat outside them.

    ``steps``: a stop's colour holds from its place to the next one's; values before
    the first stop take the first colour. ``straight`` mixes neighbours, ``eased`` along
    3t^2 - 2t^3, ``through`` is a cardinal spline, with tangents (1 - tension) times the slope between
    a stop's neighbours (0: Catmull-Rom), ``soft`` the uniform cubic B-spline, which passes near the stops.
    """

    takes: ClassVar[tuple[Kind, ...]] = ("number",)
    gives: ClassVar[Kind] = "colour"
    summary: ClassVar[str] = "values to colours through stops"
    exact: ClassVar[bool] = True  # values beyond 1 are all alike to it

    step: Literal["ramp"]
    interpolation: Literal["steps", "straight", "eased", "through", "soft"] = Field("straight", title="Between stops")
    tension: Annotated[float, Field(ge=-1, le=1)] | Follow = Field(0.0, title="Tension")
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
        """The stops in the form the kernels want, one ramp for all elements.

        Whatever follows a signal has the mean of its values, for drawing; without
        signals a place or number in the middle, and a middle grey.
        """
        colours = np.empty((len(self.stops), 3))
        for k, stop in enumerate(self.stops):
            colours[k] = mean_colour(stop.colour, signals) * mean_of(stop.intensity, limits(Stop, "intensity"), signals)
        return Compiled(
            drawn_places([s.at for s in self.stops], signals),
            colours,
            self.interpolation,
            self.mix_in,
            self.hue == "longer",
            mean_of(self.tension, limits(Ramp, "tension"), signals),
            np.array([s.hold for s in self.stops]),
        )

    def _own(self, context: Context, ramp: Compiled) -> OwnRamp | None:
        """The ramp of each element, None where all have the same."""
        places = {
            k: context.numbers_of(s.at, limits(Stop, "at"))
            for k, s in enumerate(self.stops)
            if isinstance(s.at, Follow)
        }
        colours = {
            k: _colours(stop, context)
            for k, stop in enumerate(self.stops)
            if isinstance(stop.colour, FollowColour) or isinstance(stop.intensity, Follow)
        }
        tensions = context.numbers(self, "tension") if isinstance(self.tension, Follow) else None
        if not (places or colours or tensions):
            return None
        # Where the others stand on average does not move the stops that stand still.
        still = np.array([0.0 if isinstance(s.at, Follow) else s.at for s in self.stops])
        return OwnRamp(replace(ramp, positions=still), places, colours, tensions)

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n, 3) linear float32, not below 0."""
        assert incoming is not None
        ramp = self.compiled(context.signals)
        each = self._own(context, ramp) or ramp
        if self.interpolation == "steps":
            bands = each.bands_of(incoming.array, context.check)
            return Value("colour", each.colours_of_bands(bands, context.check), bands)
        return Value("colour", each.colours_of(incoming.array, context.check))


def _colours(stop: Stop, context: Context) -> Own:
    """The linear colours, (m, 3), that a stop has for each element."""
    intensity = context.numbers_of(stop.intensity, limits(Stop, "intensity"))
    if isinstance(stop.colour, FollowColour):
        own = context.colours_of(stop.colour)
        return lambda a, b: np.minimum(own(a, b) * intensity(a, b)[:, None], LARGEST)
    colour = parse_hex(stop.colour).astype(np.float32)
    return lambda a, b: colour * intensity(a, b)[:, None]
