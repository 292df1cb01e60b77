"""The documents: look, population, scene. The same JSON is stored, sent and read from files."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from ..colour.spaces import parse_hex
from ..population.makers import Maker
from .steps import AnyStep

MOST_STEPS = 64
MOST_LAYERS = 32
MOST_POPULATIONS = 64


class Document(BaseModel):
    """Unknown keys are errors that name them."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Layer(Document):
    """A chain that paints, an optional chain that masks it, a blend mode and an amount."""

    name: str = Field("Layer", min_length=1, max_length=100, title="Name")
    enabled: bool = Field(True, title="On")
    blend: Literal["normal", "multiply"] = Field("normal", title="Blend")
    amount: float = Field(1.0, ge=0, le=1, title="Amount")
    mask: tuple[AnyStep, ...] | None = Field(None, max_length=MOST_STEPS)
    paint: tuple[AnyStep, ...] = Field(min_length=1, max_length=MOST_STEPS)


class Lane(Document):
    """The layers that make one material channel, bottom first; off keeps them."""

    enabled: bool = True
    layers: tuple[Layer, ...] = Field((), max_length=MOST_LAYERS)


class Lanes(Document):
    """The channels that have layers."""

    base_colour: Lane = Lane()


class Look(Document):
    """A population's lanes. ``gaudyseed`` is the version of the format."""

    gaudyseed: Literal[1] = 1
    lanes: Lanes = Lanes()


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


class Scene(Document):
    """One document: populations and view settings."""

    gaudyseed: Literal[1] = 1
    name: str = Field("Untitled", min_length=1, max_length=100)
    populations: tuple[PopulationDocument, ...] = Field((), max_length=MOST_POPULATIONS)
    view: ViewSettings = ViewSettings()
    recent_colours: tuple[str, ...] = Field((), max_length=24)

    @field_validator("recent_colours")
    @classmethod
    def _colours(cls, colours: tuple[str, ...]) -> tuple[str, ...]:
        for colour in colours:
            parse_hex(colour)
        return colours

    @field_validator("populations")
    @classmethod
    def _own_ids(cls, populations: tuple[PopulationDocument, ...]) -> tuple[PopulationDocument, ...]:
        ids = [p.id for p in populations]
        for k, name in enumerate(ids):
            if name in ids[:k]:
                raise ValueError(f"two populations have the id {name!r}. Give each its own")
        return populations
