"""The documents: look, population, scene. The same JSON is stored, sent and read from files."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from ..colour.spaces import parse_hex
from ..population.makers import Maker
from .follow import Follow
from .steps import AnyStep
from .steps.base import MOST_STEPS, Blend, Share, Wide
from .upgrade import VERSION, upgraded

MOST_LAYERS = 32
MOST_POPULATIONS = 64
MOST_SIGNALS = 64
MOST_DIALS = 64
#: No blanks at the ends, no quotes, brackets or control characters: the name can stand in a formula.
NAME_PATTERN = r"^[^\s\"'()\[\]\\\x00-\x1f](?:[^\"'()\[\]\\\x00-\x1f]*[^\s\"'()\[\]\\\x00-\x1f])?$"


class Document(BaseModel):
    """Unknown keys are errors that name them."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Versioned(Document):
    """A document that says which version of the format it is; older ones are upgraded as they are read."""

    gaudyseed: Literal[2] = 2

    @model_validator(mode="before")
    @classmethod
    def _of_this_version(cls, document: Any) -> Any:
        if not isinstance(document, dict):
            return document
        version = document.get("gaudyseed", 1)
        if isinstance(version, int) and version > VERSION:
            raise ValueError(
                f"This was made by a newer Gaudy Seed (format {version}); this one reads formats 1 to {VERSION}. "
                "Update it, or save the look there in an older format"
            )
        return upgraded(document) if version == 1 else document


class Layer(Document):
    """A chain that paints, an optional chain that masks it, a blend mode and an amount."""

    name: str = Field("Layer", min_length=1, max_length=100, title="Name")
    enabled: bool = Field(True, title="On")
    blend: Blend = Field("normal", title="Blend")
    blend_in: Literal["linear", "display"] = Field("linear", title="Blend in")
    amount: Share | Follow = Field(1.0, title="Amount", json_schema_extra={"unit": "share"})
    mask: tuple[AnyStep, ...] | None = Field(None, max_length=MOST_STEPS)
    paint: tuple[AnyStep, ...] = Field(min_length=1, max_length=MOST_STEPS)


class Lane(Document):
    """The layers that make one material channel, bottom first; off keeps them."""

    enabled: bool = True
    layers: tuple[Layer, ...] = Field((), max_length=MOST_LAYERS)


class Lanes(Document):
    """The channels that have layers."""

    base_colour: Lane = Lane()


def _own_names(items: tuple[Any, ...], what: str) -> None:
    names = [i.name for i in items]
    for k, name in enumerate(names):
        if name in names[:k]:
            raise ValueError(f"two {what}s are called {name!r}. Give each its own name")


class Signal(Document):
    """A named chain, and layers over it, whose result any chain can read.

    The layers give what the chain gives: numbers, vectors or colours.
    """

    name: str = Field(min_length=1, max_length=100, pattern=NAME_PATTERN, title="Name")
    chain: tuple[AnyStep, ...] = Field(min_length=1, max_length=MOST_STEPS)
    layers: tuple[Layer, ...] = Field((), max_length=MOST_LAYERS)


class Look(Versioned):
    """A population's signals and lanes."""

    signals: tuple[Signal, ...] = Field((), max_length=MOST_SIGNALS)
    lanes: Lanes = Lanes()

    @field_validator("signals")
    @classmethod
    def _signal_names(cls, signals: tuple[Signal, ...]) -> tuple[Signal, ...]:
        _own_names(signals, "signal")
        return signals


class Dial(Document):
    """A scene-wide named value that parameters can follow: a number, or a colour as #rrggbb."""

    name: str = Field(min_length=1, max_length=100, pattern=NAME_PATTERN, title="Name")
    value: Wide | str = Field(0.5, union_mode="left_to_right", title="Value")

    @field_validator("value")
    @classmethod
    def _colour(cls, value: float | str) -> float | str:
        if isinstance(value, str):
            parse_hex(value)
        return value


class PopulationDocument(Document):
    """One population of a scene: what makes it and how it looks."""

    id: str = Field(pattern=r"^[a-z0-9_-]{1,40}$")
    name: str = Field(min_length=1, max_length=100)
    maker: Maker
    look: Look = Look()
    shape: Literal["sequin", "tile", "ball"] = "sequin"


class ViewSettings(Document):
    """How the view shows the scene."""

    surround: Literal["light", "mid", "dark"] = "mid"
    shading: Literal["finished", "flat"] = "finished"


class Scene(Versioned):
    """One document: populations and view settings."""

    name: str = Field("Untitled", min_length=1, max_length=100)
    populations: tuple[PopulationDocument, ...] = Field((), max_length=MOST_POPULATIONS)
    dials: tuple[Dial, ...] = Field((), max_length=MOST_DIALS)
    view: ViewSettings = ViewSettings()
    recent_colours: tuple[str, ...] = Field((), max_length=24)

    @field_validator("recent_colours")
    @classmethod
    def _colours(cls, colours: tuple[str, ...]) -> tuple[str, ...]:
        for colour in colours:
            parse_hex(colour)
        return colours

    @field_validator("dials")
    @classmethod
    def _dial_names(cls, dials: tuple[Dial, ...]) -> tuple[Dial, ...]:
        _own_names(dials, "dial")
        return dials

    @field_validator("populations")
    @classmethod
    def _own_ids(cls, populations: tuple[PopulationDocument, ...]) -> tuple[PopulationDocument, ...]:
        ids = [p.id for p in populations]
        for k, name in enumerate(ids):
            if name in ids[:k]:
                raise ValueError(f"two populations have the id {name!r}. Give each its own")
        return populations
