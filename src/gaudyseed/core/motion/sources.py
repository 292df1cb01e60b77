"""The documents of an emission: its sources, and what acts on what they give."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field, model_validator

from ..documents.references import Names
from ..reading import Reading
from ..scene.follow import Dialled, Follower, Placed
from ..scene.markers import Coordinate
from ..scene.timeline import Frame

MOST_SOURCES = 8
#: Of one source, and of all that live at a time.
MOST_BORN, MOST_LIVING = 5_000_000, 5_000_000
#: Frames over which motion is followed.
MOST_FRAMES = 10_000

Speed = Annotated[float, Field(ge=-1e4, le=1e4)]
Share = Annotated[float, Field(ge=0, le=1)]
Factor = Annotated[float, Field(ge=-100, le=100)]
Length = Annotated[float, Field(ge=0, le=1e4)]


class Feels(Follower):
    """How strongly what a source gives feels each force: 1 as it is, 0 not at all."""

    gravity: Dialled[Factor] = Field(1.0, title="Gravity")
    drag: Dialled[Annotated[float, Field(ge=0, le=100)]] = Field(1.0, title="Drag")
    wind: Dialled[Factor] = Field(1.0, title="Wind")
    turbulence: Dialled[Factor] = Field(1.0, title="Turbulence")
    attraction: Dialled[Factor] = Field(1.0, title="Attraction")
    orbit: Dialled[Factor] = Field(1.0, title="Orbit")


class Source(Follower):
    """Where particles come from, how many and when, and what each is given on its way."""

    sections: ClassVar[tuple[tuple[str, tuple[str, ...]], ...]] = (
        ("Births", ("births", "count", "rate", "begin", "over", "end")),
        ("Out of", ("out_of", "point", "marker", "on", "weight", "radius")),
        ("Way", ("aim", "outward", "cone", "speed", "speed_variation", "inherit")),
        ("Life and size", ("life", "life_variation", "size", "size_variation")),
        ("How it feels forces", ("feels",)),
    )

    name: str = Field("Source", min_length=1, max_length=100, title="Name", json_schema_extra={"control": "none"})
    births: Literal["burst", "stream"] = Field("burst", title="Births")
    count: Dialled[Annotated[int, Field(ge=0, le=MOST_BORN)]] = Field(
        5000, title="Count", description="Particles altogether.", json_schema_extra={"when": {"births": "burst"}}
    )
    rate: Dialled[Annotated[float, Field(ge=0, le=1e7)]] = Field(
        500.0, title="Rate", description="Particles a second; at keys of a dial it may change.",
        json_schema_extra={"when": {"births": "stream"}, "unit": "/s"},
    )  # fmt: skip
    begin: Frame = Field(0, title="Begins at frame")
    over: Annotated[int, Field(ge=0, le=MOST_FRAMES)] = Field(
        2, title="Over frames", description="The burst's births are spread at random over so many frames.",
        json_schema_extra={"when": {"births": "burst"}},
    )  # fmt: skip
    end: Frame = Field(120, title="Ends at frame", json_schema_extra={"when": {"births": "stream"}})
    out_of: Literal["point", "marker", "population"] = Field("point", title="Out of")
    point: tuple[Placed[Coordinate], Placed[Coordinate], Placed[Coordinate]] = Field(
        (0.0, 0.0, 0.0),
        title="Point",
        json_schema_extra={"control": "three", "when": {"out_of": "point"}, "unit": "units"},
    )
    marker: Annotated[str | None, Names("marker")] = Field(
        None, max_length=100, title="Marker", json_schema_extra={"when": {"out_of": "marker"}, "control": "marker"}
    )
    on: Annotated[str | None, Names("population")] = Field(
        None, pattern=r"^[a-z0-9_-]{1,40}$", title="Population",
        description="A mesh by its area, clones each alike, or along strands.",
        json_schema_extra={"when": {"out_of": "population"}, "control": "origin"},
    )  # fmt: skip
    weight: Reading | None = Field(
        None, title="Weight", description="What of it says where more are born.",
        json_schema_extra={"when": {"out_of": "population"}, "control": "reading"},
    )  # fmt: skip
    radius: Dialled[Length] = Field(
        0.0, title="Radius", description="Births lie within a ball of this radius.", json_schema_extra={"unit": "units"}
    )
    aim: tuple[Dialled[Speed], Dialled[Speed], Dialled[Speed]] = Field(
        (0.0, 0.0, 1.0), title="Aim", json_schema_extra={"control": "three"}
    )
    outward: Dialled[Share] = Field(
        0.0, title="Outward", description="From the aim, at 0, to the surface's normal, at 1.",
        json_schema_extra={"when": {"out_of": "population"}},
    )  # fmt: skip
    cone: Dialled[Annotated[float, Field(ge=0, le=180)]] = Field(
        25.0, title="Cone", description="How far directions may lie from the aim; 180 is all around.",
        json_schema_extra={"unit": "°"},
    )  # fmt: skip
    speed: Dialled[Speed] = Field(2.0, title="Speed", json_schema_extra={"unit": "units/s"})
    speed_variation: Dialled[Share] = Field(0.3, title="Speed variation")
    inherit: Dialled[Factor] = Field(
        0.0, title="Inherited velocity", description="The share of the source's own velocity that is added.",
        json_schema_extra={"when": {"out_of": ["marker", "population"]}},
    )  # fmt: skip
    life: Dialled[Annotated[float, Field(gt=0, le=1e5)]] = Field(2.5, title="Life", json_schema_extra={"unit": "s"})
    life_variation: Dialled[Share] = Field(0.3, title="Life variation")
    size: Dialled[Annotated[float, Field(gt=0, le=100)]] = Field(
        0.02, title="Size", description="The radius.", json_schema_extra={"unit": "units"}
    )
    size_variation: Dialled[Share] = Field(0.4, title="Size variation")
    feels: Feels = Field(Feels(), title="Feels", json_schema_extra={"control": "fields"})

    @model_validator(mode="after")
    def _lives(self) -> Self:
        if self.births == "stream" and self.end < self.begin:
            raise ValueError(f"the stream ends at frame {self.end}, before it begins at {self.begin}. Exchange them")
        return self

    @property
    def last(self) -> int:
        """The last frame at which something may be born."""
        return self.begin + self.over if self.births == "burst" else self.end


class Forces(Follower):
    """What acts on all particles."""

    sections: ClassVar[tuple[tuple[str, tuple[str, ...]], ...]] = (
        ("Gravity and air", ("gravity", "drag", "wind")),
        ("Turbulence", ("turbulence", "turbulence_size", "turbulence_octaves", "turbulence_flow")),
        ("Attraction", ("attraction", "attract_to", "attract_within")),
        ("Orbit", ("orbit", "orbit_about", "orbit_axis")),
        ("Floor", ("floor", "floor_height", "bounce", "grip")),
    )

    gravity: Dialled[Speed] = Field(
        1.0, title="Gravity", description="Downwards.", json_schema_extra={"unit": "units/s²"}
    )
    drag: Dialled[Annotated[float, Field(ge=0, le=1000)]] = Field(
        0.5, title="Drag", description="How fast a particle takes on the velocity of the air.",
        json_schema_extra={"unit": "/s"},
    )  # fmt: skip
    wind: tuple[Dialled[Speed], Dialled[Speed], Dialled[Speed]] = Field(
        (0.0, 0.0, 0.0), title="Wind", description="The velocity of the air, felt through drag.",
        json_schema_extra={"control": "three", "unit": "units/s"},
    )  # fmt: skip
    turbulence: Dialled[Annotated[float, Field(ge=0, le=1e4)]] = Field(
        0.0, title="Turbulence", description="Its strength, at the root of the mean square.",
        json_schema_extra={"unit": "units/s²"},
    )  # fmt: skip
    turbulence_size: Dialled[Annotated[float, Field(gt=1e-4, le=1e4)]] = Field(
        1.0, title="Size of its swirls", json_schema_extra={"unit": "units"}
    )
    turbulence_octaves: Annotated[int, Field(ge=1, le=4)] = Field(1, title="Octaves")
    turbulence_flow: tuple[Dialled[Speed], Dialled[Speed], Dialled[Speed]] = Field(
        (0.0, 0.0, 0.0), title="Flow", description="How the swirls themselves move.",
        json_schema_extra={"control": "three", "unit": "units/s"},
    )  # fmt: skip
    attraction: Dialled[Speed] = Field(
        0.0, title="Attraction", description="Towards a marker; below 0 away from it.",
        json_schema_extra={"unit": "units/s²"},
    )  # fmt: skip
    attract_to: Annotated[str | None, Names("marker")] = Field(
        None, max_length=100, title="Towards", json_schema_extra={"control": "marker"}
    )
    attract_within: Dialled[Length] = Field(
        0.5, title="Softened within", description="Nearer than this the pull falls to nothing.",
        json_schema_extra={"unit": "units"},
    )  # fmt: skip
    orbit: Dialled[Annotated[float, Field(ge=-1000, le=1000)]] = Field(
        0.0, title="Orbit", description="Turns that the air makes about an axis, and what turns with it is held.",
        json_schema_extra={"unit": "turns/s"},
    )  # fmt: skip
    orbit_about: Annotated[str | None, Names("marker")] = Field(
        None, max_length=100, title="About", description="A marker, else the middle of the scene.",
        json_schema_extra={"control": "marker"},
    )  # fmt: skip
    orbit_axis: tuple[Dialled[Speed], Dialled[Speed], Dialled[Speed]] = Field(
        (0.0, 0.0, 1.0), title="Axis", json_schema_extra={"control": "three"}
    )
    floor: Dialled[bool] = Field(False, title="Floor")
    floor_height: Dialled[Coordinate] = Field(
        0.0, title="Height", json_schema_extra={"when": {"floor": True}, "unit": "units"}
    )
    bounce: Dialled[Share] = Field(
        0.4, title="Bounce", description="The part of its speed that a particle keeps upwards.",
        json_schema_extra={"when": {"floor": True}},
    )  # fmt: skip
    grip: Dialled[Share] = Field(
        0.1, title="Grip", description="The part of its speed along the floor that it loses at each touch.",
        json_schema_extra={"when": {"floor": True}},
    )  # fmt: skip
