"""The documents of a scene and of its populations. The same JSON is stored, sent and read from files."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal, Self

import numpy as np
from pydantic import Field, ValidationInfo, field_validator, model_validator

from ..colour.documents import HexColour
from ..colour.spaces import parse_hex
from ..documents.document import Document
from ..documents.named import check_own_names
from ..documents.references import Names
from ..documents.versioned import Versioned
from ..geometry.placing import matrix
from ..look.material import DrawnAs
from ..look.model import MOST_SIGNALS, Look, Signal
from ..names import nearest
from ..painting.painted import Painted
from ..population.makers import Maker, MakerModel
from .assets import Asset
from .cameras import Camera
from .dials import Dial
from .follow import Dialled, Follower, Placed
from .markers import Coordinate, Marker
from .timeline import Timeline

Length = Placed[Coordinate]


Angle = Placed[Annotated[float, Field(ge=-36_000, le=36_000)]]


MOST_CAMERAS = 64


MOST_MARKERS = 256


MOST_ASSETS = 256


MOST_PAINTED = 32


MOST_MUTED = 256


MOST_POPULATIONS = 64


MOST_DIALS = 64


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
        check_own_names(painted, "painted column")
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
        check_own_names(named, str(info.field_name).removesuffix("s"))
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
