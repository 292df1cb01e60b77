"""ramp: value to colour, through stops."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping
from dataclasses import replace
from functools import cached_property
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field, field_validator

from ...colour.documents import HexColour
from ...colour.spaces import parse_hex, to_hexes
from ...documents.document import Document, parse
from ...documents.limits import Share
from ...errors import BadInput
from ...kernels.encoding import LARGEST
from ...kinds import COLOUR, Kind, Word
from ...ramps.own_ramp import OwnRamp
from ...ramps.picking import Own
from ...ramps.ramp import Ramp as Compiled
from ...reports import census
from ...scene.follow import Follow, FollowColour
from ..ramp_advisories import of_ramp
from ..ramp_edits import ACTIONS, edited_ramp
from ..step.base import Step, drawn_places, take_equal_bands
from ..step.parameters import limits, mean_colour, mean_of
from ..step.reported import Advisory, Choices, Outcome
from ..step.values import Context, Plan, Value

MOST_STOPS = 256


class Stop(Document):
    """A control of the ramp: where it stands in 0..1, its display-encoded colour and its intensity.

    The intensity multiplies the colour in linear light, above 1 for emission. ``hold``
    keeps the colour until the next stop. ``locked`` keeps its share when others are typed.
    """

    at: Share | Follow = Field(title="At")
    colour: HexColour | FollowColour = Field(title="Colour")
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

    title: ClassVar[str] = "Ramp"
    noun: ClassVar[str] = "a ramp"
    group: ClassVar = "colour"
    takes: ClassVar[tuple[Word, ...]] = ("number",)
    gives: ClassVar[Kind] = COLOUR
    summary: ClassVar[str] = "values to colours through stops"
    details: ClassVar[bool] = True
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
        return self._same if not self.followed else self._compiled(signals)

    @cached_property
    def _same(self) -> Compiled:
        """The ramp of one that follows nothing."""
        return self._compiled(None)

    def _compiled(self, signals: Mapping[str, Value] | None) -> Compiled:
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

    @property
    def alone(self) -> bool:
        """Each value by itself."""
        return True

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n, 3) linear float32, not below 0; between steps with the band of each element."""
        assert incoming is not None
        ramp = self.compiled(context.signals)
        each = self._own(context, ramp) or ramp
        if self.interpolation != "steps":
            return Plan(each.colouring(incoming.array))
        band, pick = each.banding(incoming.array), each.picking()

        def fill(a: int, b: int, out: np.ndarray, bands: np.ndarray) -> None:
            band(a, b, bands)
            pick(bands, a, b, out)

        return Plan(fill, banded=True)

    def choices(self) -> Choices:
        """A choice for each stop."""
        return Choices("stops", tuple(s.colour for s in self.stops), apart=self.interpolation == "steps")

    def choices_of(self, outcome: Outcome) -> np.ndarray:
        """The band of each element, or between stops the one whose colour is nearest to the ramp's there."""
        if outcome.value.bands is not None:
            return outcome.value.bands
        assert outcome.incoming is not None
        ramp, values = self.compiled(outcome.signals), outcome.incoming.array
        found: np.ndarray = outcome.cached("stops", lambda: ramp.groups_of(values), len(values))
        return found

    def band_edges(self, place: str) -> np.ndarray:
        """Where bands begin, or between stops half-way between them."""
        places = np.array([s.at if isinstance(s.at, float) else np.nan for s in self.stops])
        if np.isnan(places).any():
            raise BadInput(
                "The places of the ramp's stops follow a signal, so its bands differ from element to element. Take "
                "equal bands, or fix the places.",
                place=f"{place}.by", code="no_bands", fix=take_equal_bands(place),
            )  # fmt: skip
        return places[1:] if self.interpolation == "steps" else (places[1:] + places[:-1]) / 2

    def band_colours(self, signals: Mapping[str, Value]) -> np.ndarray:
        """The stops' colours."""
        return self.compiled(signals).colours

    def strip(self, count: int) -> list[str]:
        """The ramp at even places."""
        centres = ((np.arange(count) + 0.5) / count).astype(np.float32)
        return to_hexes(self.compiled().colours_of(centres))

    def census(self, outcome: Outcome) -> dict[str, Any]:
        """The ramp's bar, what comes in over 0..1, where the stops stand, and how many elements each has."""
        if outcome.incoming is None:
            return {}
        before, values = outcome.before, outcome.incoming.array
        histogram = lambda: census.histogram(values, 0.0, 1.0)  # noqa: E731
        incoming = before.cached("incoming", histogram, 20_000) if before else histogram()
        return {"ramp": census.of_ramp(self.compiled(outcome.signals), incoming, self.choices_of(outcome))}

    def advisories(self, outcome: Outcome, census: Mapping[str, Any]) -> Iterator[Advisory]:
        """Values that do not use the ramp well, and stops that do nothing."""
        if "ramp" in census:
            yield from of_ramp(self, outcome.place, census["ramp"], outcome.scope.timed)

    def trace(self, outcome: Outcome, element: int) -> dict[str, Any]:
        """Where the element stands on the ramp, and its stop."""
        if outcome.incoming is None:
            return {}
        at = float(outcome.incoming.array[element])
        return {"at": at, "stop": int(self.choices_of(outcome)[element])}

    def edited(self, action: str, outcome: Outcome, typed: Step, shares: list[float] | None) -> Step:
        """``flip``, ``space_evenly``, ``space_by_share``, ``snap`` or ``set_shares``: see ``ramp_edits``."""
        if action not in ACTIONS or outcome.incoming is None:
            return super().edited(action, outcome, typed, shares)
        places = self.compiled(outcome.signals).positions
        return parse(Ramp, edited_ramp(typed.model_dump(mode="json"), action, outcome.incoming.array, shares, places))


def _colours(stop: Stop, context: Context) -> Own:
    """The linear colours, (m, 3), that a stop has for each element."""
    intensity = context.numbers_of(stop.intensity, limits(Stop, "intensity"))
    if isinstance(stop.colour, FollowColour):
        own = context.colours_of(stop.colour)
        return lambda a, b: np.minimum(own(a, b) * intensity(a, b)[:, None], LARGEST)
    colour = parse_hex(stop.colour).astype(np.float32)
    return lambda a, b: colour * intensity(a, b)[:, None]
