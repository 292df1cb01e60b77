"""The documents: look, population, scene. The same JSON is stored, sent and read from files."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated, Any, Literal, Self

import numpy as np
from pydantic import AfterValidator, Field, StrictBool, ValidationInfo, field_validator, model_validator

from ..channels import CHANNELS
from ..colour.documents import HexColour
from ..colour.spaces import Light, parse_hex
from ..documents.document import Document
from ..documents.references import Names
from ..documents.upgrade import READ, VERSION, is_old, upgraded
from ..geometry.placing import matrix
from ..names import nearest
from ..population.makers import Maker, MakerModel
from ..scene.follow import Dialled, Follow, Follower, Placed
from ..scene.timeline import MOST_KEYS, Key, Timeline, at_frame, check_keys
from .material import MOST_FINISHES, MOST_OUTPUTS, MOST_SHAPES, DrawnAs, ElementPicture, Finish, Output, Shape
from .steps import AnyStep
from .steps.base import MOST_STEPS, Blend, Share, Wide

#: Numbers of a placement, each of which may follow a dial or a marker.
Coordinate = Annotated[float, Field(ge=-1e6, le=1e6)]
Length = Placed[Coordinate]
Angle = Placed[Annotated[float, Field(ge=-36_000, le=36_000)]]
MOST_CAMERAS = 64
MOST_MARKERS = 256
MOST_ASSETS = 256
MOST_PAINTED = 32
MOST_MUTED = 256
MOST_LAYERS = 32
MOST_POPULATIONS = 64
MOST_SIGNALS = 64
MOST_DIALS = 64
#: No blanks at the ends, no quotes, brackets or control characters: the name can stand in a formula.
NAME_PATTERN = r"^[^\s\"'()\[\]\\\x00-\x1f](?:[^\"'()\[\]\\\x00-\x1f]*[^\s\"'()\[\]\\\x00-\x1f])?$"


class Versioned(Document):
    """A document that says which version of the format it is; older ones are upgraded as they are read."""

    gaudyseed: Literal[3] = 3

    @model_validator(mode="before")
    @classmethod
    def _of_this_version(cls, document: Any) -> Any:
        if not isinstance(document, dict):
            return document
        version = document.get("gaudyseed", VERSION)
        if isinstance(version, int) and version not in READ:
            made = "by a newer" if version > VERSION else "by an early"
            raise ValueError(
                f"This was made {made} Gaudy Seed (format {version}); this one reads formats {READ[0]} and {VERSION}. "
                "Save it there in one of these"
            )
        return upgraded(document) if is_old(document) else document


class Layer(Follower):
    """A chain that paints, an optional chain that masks it, a blend mode and an amount."""

    name: str = Field("Layer", min_length=1, max_length=100, title="Name")
    enabled: bool = Field(True, title="On")
    blend: Blend = Field("normal", title="Blend")
    blend_in: Literal["linear", "display"] = Field("linear", title="Blend in")
    amount: Share | Follow = Field(1.0, title="Amount", json_schema_extra={"unit": "share"})
    mask: tuple[AnyStep, ...] | None = Field(None, max_length=MOST_STEPS)
    paint: tuple[AnyStep, ...] = Field(min_length=1, max_length=MOST_STEPS)


class Lane(Document):
    """The layers that make one material channel, bottom first; off keeps them.

    The other fields belong to single channels: how *shape* and *finish* choose, whether *opacity* cuts out, along
    what *offset* moves.
    """

    enabled: bool = True
    layers: tuple[Layer, ...] = Field((), max_length=MOST_LAYERS)
    choose: Literal["share", "number", "blend"] = Field(
        "share", title="Chosen by", description="0 to 1 falls into the weights' bands; a whole number picks; or 0 to 1 "
        "blends from the first finish to the last.", json_schema_extra={"words": ["Share", "Number", "Blend"]},
    )  # fmt: skip
    among: tuple[Annotated[str, Field(max_length=100)], ...] | None = Field(
        None, min_length=1, max_length=MOST_FINISHES, title="Among",
        description="The finishes that a blend runs through, by name and in that order; left out, all of them.",
    )  # fmt: skip
    seed: Annotated[int, Field(ge=0, le=2**32 - 1)] = Field(1, title="Seed", json_schema_extra={"control": "seed"})
    threshold: Share | None = Field(
        None, title="Cut out below", description="Left out, elements are seen through; else they are there or not."
    )
    along: Annotated[str, Names("signal")] = Field(
        "normal", min_length=1, max_length=200, title="Along", description="normal, up, or a vector."
    )

    def place_of(self, finish: str) -> int:
        """Where a finish comes in a blend; behind all where it is not in it."""
        among = self.among or ()
        return among.index(finish) if finish in among else len(among)


#: The channels that a lane's own fields belong to.
LANE_FIELDS: dict[str, tuple[str, ...]] = {
    "choose": ("shape", "finish"), "seed": ("shape", "finish"), "among": ("finish",), "threshold": ("opacity",),
    "along": ("offset",),
}  # fmt: skip


def _channel(word: str) -> str:
    if word not in CHANNELS:
        raise ValueError(f"{word!r} is no channel. {nearest(word, CHANNELS)[0]}")
    return word


#: The word of a channel.
ChannelWord = Annotated[str, AfterValidator(_channel)]
#: By the channel, what is sent into it. Channels without a lane have their default.
Lanes = dict[ChannelWord, Lane]


def _own_names(items: Sequence[Any], what: str) -> None:
    names = [i.name for i in items]
    for k, name in enumerate(names):
        if name in names[:k]:
            plural = f"{what}es" if what.endswith("sh") else f"{what}s"
            raise ValueError(f"two {plural} are called {name!r}. Give each its own name")


class Signal(Document):
    """A named chain, and layers over it, whose result any chain can read.

    The layers give what the chain gives: numbers, vectors or colours.
    """

    name: str = Field(min_length=1, max_length=100, pattern=NAME_PATTERN, title="Name")
    chain: tuple[AnyStep, ...] = Field(min_length=1, max_length=MOST_STEPS)
    layers: tuple[Layer, ...] = Field((), max_length=MOST_LAYERS)


class Look(Versioned):
    """A population's signals, lanes, finishes and shapes: the whole material of its elements.

    Without finishes all have the plain one; without shapes all are what the population says.
    """

    signals: tuple[Signal, ...] = Field((), max_length=MOST_SIGNALS)
    lanes: Lanes = Field({})
    finishes: tuple[Finish, ...] = Field((), max_length=MOST_FINISHES)
    shapes: tuple[Shape, ...] = Field((), max_length=MOST_SHAPES)
    picture: ElementPicture | None = Field(None, description="On every element.")
    outputs: tuple[Output, ...] = Field((), max_length=MOST_OUTPUTS)

    @field_validator("signals")
    @classmethod
    def _signal_names(cls, signals: tuple[Signal, ...]) -> tuple[Signal, ...]:
        _own_names(signals, "signal")
        return signals

    @field_validator("finishes")
    @classmethod
    def _finish_names(cls, finishes: tuple[Finish, ...]) -> tuple[Finish, ...]:
        _own_names(finishes, "finish")
        return finishes

    @field_validator("outputs")
    @classmethod
    def _output_names(cls, outputs: tuple[Output, ...]) -> tuple[Output, ...]:
        _own_names(outputs, "output")
        return outputs

    @field_validator("finishes", "shapes")
    @classmethod
    def _weighed(cls, items: tuple[Any, ...], info: ValidationInfo) -> tuple[Any, ...]:
        if items and not any(item.weight > 0 for item in items):
            raise ValueError(f"the weights of the {info.field_name} are all 0. Give one of them a weight")
        return items

    @field_validator("lanes")
    @classmethod
    def _own_fields(cls, lanes: Lanes) -> Lanes:
        for word, lane in lanes.items():
            for name, channels in LANE_FIELDS.items():
                if word not in channels and getattr(lane, name) != Lane.model_fields[name].default:
                    raise ValueError(f"{name!r} belongs to {' and '.join(channels)}, not to {word}. Remove it there")
            if word == "shape" and lane.choose == "blend":
                raise ValueError("shapes are chosen by share or number; only finishes blend")
        return lanes

    @model_validator(mode="after")
    def _finish_of_shapes(self) -> Self:
        names = [f.name for f in self.finishes]
        for k, shape in enumerate(self.shapes):
            if shape.finish is not None and shape.finish not in names:
                hint = nearest(shape.finish, names)[0]
                raise ValueError(f"shape {k + 1} has the finish {shape.finish!r}, which the look has not. {hint}")
        among = self.lanes["finish"].among if "finish" in self.lanes else None
        for k, name in enumerate(among or ()):
            if name not in names:
                hint = nearest(name, names)[0]
                raise ValueError(f"the finishes blend through {name!r}, which the look has not. {hint}")
            if name in (among or ())[:k]:
                raise ValueError(f"the finishes blend through {name!r} twice. Name each once")
        return self

    @property
    def pictured(self) -> bool:
        """Whether elements show a picture."""
        return self.picture is not None or any(shape.picture for shape in self.shapes)


class DialKey(Key):
    """A dial's value at a frame."""

    value: Wide | str = Field(union_mode="left_to_right", title="Value")


class Dial(Document):
    """A scene-wide named value that parameters can follow.

    A number; a whole number with named choices, of which 0 is the first; a colour as #rrggbb; or on and off. A number
    or colour may have keys along the timeline, which then decide its value.
    """

    name: str = Field(min_length=1, max_length=100, pattern=NAME_PATTERN, title="Name")
    value: StrictBool | Wide | str = Field(0.5, union_mode="left_to_right", title="Value")
    choices: tuple[Annotated[str, Field(min_length=1, max_length=100)], ...] = Field((), max_length=64, title="Choices")
    keys: tuple[DialKey, ...] = Field((), max_length=MOST_KEYS, title="Keys")

    @field_validator("value")
    @classmethod
    def _colour(cls, value: bool | float | str) -> bool | float | str:
        if isinstance(value, str):
            parse_hex(value)
        return value

    @model_validator(mode="after")
    def _chosen(self) -> Self:
        if self.choices and (isinstance(self.value, bool | str) or self.value not in range(len(self.choices))):
            raise ValueError(f"a dial with choices has a whole number from 0 to {len(self.choices) - 1}")
        if self.keys and (self.choices or isinstance(self.value, bool)):
            raise ValueError("only dials of numbers and of colours have keys. Remove the keys")
        check_keys(self.keys)
        for key in self.keys:
            if isinstance(key.value, str) != isinstance(self.value, str):
                raise ValueError(f"the key at frame {key.frame} is not {self.said}, as the dial is")
            if isinstance(key.value, str):
                parse_hex(key.value)
        return self

    def at(self, frame: float) -> Dial:
        """The dial as it is at a frame; itself where it has no keys."""
        if not self.keys:
            return self
        value = at_frame(self.keys, [key.value for key in self.keys], frame, _between)
        return self.model_copy(update={"value": value})

    @property
    def said(self) -> str:
        """What it is, for sentences."""
        kinds = {bool: "on or off", str: "a colour"}
        return "a choice" if self.choices else kinds.get(type(self.value), "a number")

    @property
    def choice(self) -> str:
        """The name of what is chosen, empty where it has none."""
        return self.choices[int(self.value)] if self.choices else ""


def _between(a: float | str, b: float | str, t: float) -> float | str:
    """Numbers straight, colours in linear light."""
    if isinstance(a, str) and isinstance(b, str):
        return Light(parse_hex(a) * (1 - t) + parse_hex(b) * t)
    assert not isinstance(a, str) and not isinstance(b, str)  # a dial's keys are all as the dial is
    return a + (b - a) * t


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


class Asset(Document):
    """A picture or small mesh of the scene, kept in the store by its content.

    Of a mesh ``width`` is how many triangles it has, and ``height`` how many vertices.
    """

    kind: Literal["picture", "mesh"] = "picture"

    name: str = Field(min_length=1, max_length=100, pattern=NAME_PATTERN, title="Name")
    digest: str = Field(pattern=r"^[0-9a-f]{32}$", description="Of the file's bytes, or made: and a generated picture.")
    width: Annotated[int, Field(ge=1, le=100_000)] = 1
    height: Annotated[int, Field(ge=1, le=100_000)] = 1
    file: str = Field("", max_length=200)


class Painted(Document):
    """A column that was painted onto the elements of a population, or kept from a signal; kept in the store by content.

    Elements are known by their id where they have one, else by their number; vertices of a mesh by their number at the
    subdivision at which they were painted.
    """

    name: str = Field(min_length=1, max_length=100, pattern=NAME_PATTERN, title="Name")
    kind: Literal["number", "colour", "vector"] = "number"
    digest: str = Field(
        "", pattern=r"^(?:[0-9a-f]{32})?$", description="Of the kept values; empty where all are alike."
    )
    fill: Wide | str | tuple[Wide, Wide, Wide] = Field(
        0.0, union_mode="left_to_right",
        description="Of what has not been painted, and of what a column of that name lacks: number, #rrggbb or three.",
    )  # fmt: skip
    role: Literal["", "point", "direction", "normal"] = Field("", description="What a vector is in space.")
    subdivision: Annotated[int, Field(ge=0, le=4)] = 0

    @model_validator(mode="after")
    def _filled(self) -> Self:
        if isinstance(self.fill, str) != (self.kind == "colour"):
            raise ValueError("what stands for the unpainted is a colour for colours, else a number")
        if self.kind != "vector" and (isinstance(self.fill, tuple) or self.role):
            raise ValueError("only vectors have three numbers and a role in space")
        if isinstance(self.fill, str):
            parse_hex(self.fill)
        return self


class SharedLook(Document):
    """A look that lives in the scene, for several populations to wear."""

    name: str = Field(min_length=1, max_length=100, title="Name")
    look: Look = Look()


class Placement(Follower):
    """Where a population stands: in the scene, or in the space of the one that it stands on."""

    position: tuple[Length, Length, Length] = Field(
        (0.0, 0.0, 0.0), title="Position", json_schema_extra={"unit": "units"}
    )
    turn: tuple[Angle, Angle, Angle] = Field((0.0, 0.0, 0.0), title="Turn", json_schema_extra={"unit": "°"})
    size: Placed[Annotated[float, Field(gt=0, le=1e6)]] = Field(1.0, title="Size")

    @property
    def matrix(self) -> np.ndarray:
        """(4, 4) float64; the dials must have been put in."""
        return matrix(self.position, self.turn, self.size)


class Draft(Follower):
    """What the view works with, apart from what goes out."""

    count: Annotated[int | None, Field(ge=1)] = Field(None, title="Count at most")
    every: Annotated[int, Field(ge=1, le=100_000)] = Field(1, title="One in")
    subdivision: Annotated[int | None, Field(ge=0, le=4)] = Field(None, title="Subdivision at most")

    def drafted(self, maker: MakerModel) -> MakerModel:
        """The maker with no more than this."""
        fields = type(maker).model_fields
        held = {"subdivision": self.subdivision, "count": self.count if maker.counted else None}
        less = {
            name: min(most, getattr(maker, name)) for name, most in held.items() if most is not None and name in fields
        }
        return maker.changed(**less) if less else maker


class Presence(Follower):
    """How the view shows a population."""

    shape: Dialled[DrawnAs] = Field("sequin", title="Shape")
    shown: Dialled[bool] = Field(True, title="Shown")


class Muted(Document):
    """A remark that is left as it is: its code and its place in the look."""

    code: str = Field(min_length=1, max_length=100)
    place: str = Field("", max_length=500)


class PopulationDocument(Presence):
    """One population of a scene: what makes it, how it looks and whether it is shown."""

    id: str = Field(pattern=r"^[a-z0-9_-]{1,40}$")
    name: str = Field(min_length=1, max_length=100)
    maker: Maker
    place: Placement = Placement()
    draft: Draft = Draft()
    painted: tuple[Painted, ...] = Field((), max_length=MOST_PAINTED)
    look: Look = Look()
    wears: Annotated[str | None, Names("look")] = Field(
        None, max_length=100, title="Wears", description="The scene's look that it wears in place of its own."
    )
    muted: tuple[Muted, ...] = Field((), max_length=MOST_MUTED)

    def mutes(self, advisory: Mapping[str, Any]) -> bool:
        """Whether a remark, as it is told, is left as it is."""
        return any((m.code, m.place) == (advisory["code"], advisory["place"]) for m in self.muted)

    @field_validator("painted")
    @classmethod
    def _painted_names(cls, painted: tuple[Painted, ...]) -> tuple[Painted, ...]:
        _own_names(painted, "painted column")
        return painted


class ViewSettings(Document):
    """How the view shows the scene."""

    surround: Literal["light", "mid", "dark"] = "mid"
    shading: Literal["finished", "flat"] = "finished"
    backdrop: HexColour | None = Field(None, title="Backdrop", description="A colour in place of the surround.")
    light_turn: Annotated[float, Field(ge=-360, le=360)] = Field(
        0.0, title="Turn of the light", json_schema_extra={"unit": "°"}
    )
    light_strength: Annotated[float, Field(ge=0, le=8)] = Field(1.0, title="Strength of the light")


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


class Scene(Versioned):
    """One document: populations and view settings."""

    name: str = Field("Untitled", min_length=1, max_length=100)
    populations: tuple[PopulationDocument, ...] = Field((), max_length=MOST_POPULATIONS)
    looks: tuple[SharedLook, ...] = Field((), max_length=MOST_POPULATIONS)
    signals: tuple[Signal, ...] = Field((), max_length=MOST_SIGNALS, description="That all populations can read.")
    dials: tuple[Dial, ...] = Field((), max_length=MOST_DIALS)
    markers: tuple[Marker, ...] = Field((), max_length=MOST_MARKERS)
    assets: tuple[Asset, ...] = Field((), max_length=MOST_ASSETS)
    cameras: tuple[Camera, ...] = Field((), max_length=MOST_CAMERAS, description="To be looked through again.")
    timeline: Timeline = Timeline()
    view: ViewSettings = ViewSettings()
    recent_colours: tuple[str, ...] = Field((), max_length=24)

    @field_validator("recent_colours")
    @classmethod
    def _colours(cls, colours: tuple[str, ...]) -> tuple[str, ...]:
        for colour in colours:
            parse_hex(colour)
        return colours

    @field_validator("looks", "signals", "dials", "markers", "assets", "cameras")
    @classmethod
    def _names(cls, named: tuple[Any, ...], info: ValidationInfo) -> tuple[Any, ...]:
        _own_names(named, str(info.field_name).removesuffix("s"))
        return named

    @field_validator("populations")
    @classmethod
    def _own_ids(cls, populations: tuple[PopulationDocument, ...]) -> tuple[PopulationDocument, ...]:
        ids = [p.id for p in populations]
        for k, name in enumerate(ids):
            if name in ids[:k]:
                raise ValueError(f"two populations have the id {name!r}. Give each its own")
        return populations

    @model_validator(mode="after")
    def _worn(self) -> Self:
        names = [shared.name for shared in self.looks]
        for p in self.populations:
            if p.wears is not None and p.wears not in names:
                raise ValueError(f"{p.name} wears {p.wears!r}, which the scene has not. {nearest(p.wears, names)[0]}")
        return self

    def look_of(self, population: PopulationDocument) -> Look:
        """The look that a population wears: its own, or one of the scene's."""
        if population.wears is None:
            return population.look
        return next(shared.look for shared in self.looks if shared.name == population.wears)
