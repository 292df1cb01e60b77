"""The documents of a look's material: finishes, shapes, pictures on elements, and what goes out beside the channels."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field, JsonValue, field_validator
from pydantic.fields import FieldInfo

from ..channels import CHANNELS, Channel, FinishField
from ..colour.documents import HexColour
from ..colour.spaces import parse_hex
from ..documents.document import Document
from ..documents.limits import Share
from ..documents.references import Names
from ..scene.follow import Dialled, Follower

#: Of a look.
MOST_FINISHES = 8
MOST_SHAPES = 32
MOST_OUTPUTS = 32
Weight = Annotated[float, Field(ge=0, le=1e6)]
Name = Annotated[str, Field(min_length=1, max_length=100)]
_Factor = Annotated[float, Field(ge=0, le=16)]
#: Shapes that every population can draw, besides meshes that are brought in.
ShapeWord = Literal["sequin", "tile", "ball", "block", "bead", "rosette", "card", "ring"]
#: What clones are drawn as: a shape, or the meshes that they came with.
DrawnAs = Literal["own", "sequin", "tile", "ball", "block", "bead", "rosette", "card", "ring", "glow", "haze"]


#: What may follow a dial, for parameters whose type comes from a row.
_dialled: Any = Dialled


class Finish(Follower):
    """A named set of channel values, which lanes then vary: a parameter for each channel that finishes have."""

    name: Name = Field("Finish", title="Name")
    base_colour: Dialled[HexColour | None] = None
    weight: Weight = Field(1.0, title="Weight", description="Its share of the elements, beside the other weights.")

    def of(self, channel: Channel) -> np.ndarray | None:
        """(k,) float32: what it has in a channel; None where that follows another channel."""
        value = getattr(self, channel.word)  # the dials have been put in
        if value is None:
            return None
        return np.atleast_1d(np.array(parse_hex(value) if isinstance(value, str) else value, np.float32))

    @classmethod
    def take_registered(cls) -> None:
        """Have a parameter for each channel of finishes."""
        fields = cls.model_fields
        own = ("name", "weight")
        for word in [word for word in fields if word not in own and word not in CHANNELS]:
            del fields[word]
        for channel in CHANNELS.values():
            if channel.finish is not None:
                fields[channel.word] = _parameter(channel, channel.finish)
        cls.model_rebuild(force=True)


def _parameter(channel: Channel, given: FinishField) -> FieldInfo:
    """The parameter of a finish for a channel, with the limits of its row."""
    title, about = channel.title, given.help or None
    if channel.kind.word == "colour":
        control: dict[str, JsonValue] = {"control": "colour"}
        if given.colour is None:
            field = Field(None, title=title, description=about, json_schema_extra=control)
            return FieldInfo.from_annotated_attribute(_dialled[HexColour | None], field)
        begins = Field(given.colour, title=title, description=about, json_schema_extra=control)
        return FieldInfo.from_annotated_attribute(_dialled[HexColour], begins)
    extra: dict[str, JsonValue] | None = {"unit": channel.unit} if channel.unit else None
    number: Any = Annotated[float, Field(ge=channel.least, le=channel.greatest)]
    plain = Field(channel.default[0], title=title, description=about, json_schema_extra=extra)
    return FieldInfo.from_annotated_attribute(_dialled[number], plain)


Finish.take_registered()


def plain_finish() -> Finish:
    """What an element has where a look has no finishes."""
    return Finish(name="Plain")


class Version(Follower):
    """A graded version of a picture: as in the grade step, on display-encoded levels."""

    hue_turn: Dialled[Annotated[float, Field(ge=-180, le=180)]] = Field(
        0.0, title="Hue turn", json_schema_extra={"unit": "°"}
    )
    saturation: Dialled[_Factor] = Field(1.0, title="Saturation")
    brightness: Dialled[_Factor] = Field(1.0, title="Brightness")
    contrast: Dialled[_Factor] = Field(1.0, title="Contrast")
    gamma: Dialled[Annotated[float, Field(ge=0.01, le=16)]] = Field(1.0, title="Gamma")

    @property
    def plain(self) -> bool:
        """Whether it leaves the picture as it is."""
        return self == Version()


class ElementPicture(Follower):
    """A picture on each element's own uv, which the base colour tints.

    It comes in two graded versions, between which the channel *picture mix* goes from element to element.
    """

    picture: Annotated[str | None, Names("asset")] = Field(
        None, max_length=100, title="Picture", description="Left out, the scene's first one, else the moon that ships.",
        json_schema_extra={"control": "picture"},
    )  # fmt: skip
    grey: bool = Field(False, title="Grey", description="Take its luma alone, so that the tint is all its colour.")
    shift: tuple[float, float] = Field((0.0, 0.0), title="Shift")
    size: tuple[Annotated[float, Field(ge=1e-3, le=1e3)], Annotated[float, Field(ge=1e-3, le=1e3)]] = Field(
        (1.0, 1.0), title="Size"
    )
    turn: Annotated[float, Field(ge=-36_000, le=36_000)] = Field(0.0, title="Turn", json_schema_extra={"unit": "°"})
    through: Dialled[_Factor] = Field(
        1.0,
        title="Transmitted",
        description="Times the picture's light where it goes through, as through petals: 1.7.",
    )
    first: Version = Version()
    second: Version = Version()
    cut: Literal["none", "alpha", "luma"] = Field(
        "none", title="Cut out by", json_schema_extra={"words": ["Nothing", "Alpha", "Luma"]}
    )
    threshold: Dialled[Share] = Field(0.5, title="Threshold", description="What lies below it is a hole.")

    @field_validator("shift")
    @classmethod
    def _near(cls, shift: tuple[float, float]) -> tuple[float, float]:
        if max(abs(part) for part in shift) > 1e4:
            raise ValueError("a picture is shifted by at most 10,000 of its sides")
        return shift


class Shape(Follower):
    """One of the shapes that the elements of a population are."""

    shape: Dialled[ShapeWord] = Field("sequin", title="Shape")
    mesh: Annotated[str | None, Names("asset")] = Field(
        None, max_length=100, title="Mesh", description="A small mesh of the scene, in place of the shape."
    )
    weight: Weight = Field(1.0, title="Weight", description="Its share of the elements, beside the other weights.")
    size: Annotated[float, Field(gt=0, le=1e4)] = Field(1.0, title="Size", description="Times the element's own.")
    finish: str | None = Field(None, max_length=100, title="Finish", description="In place of the elements' own.")
    picture: ElementPicture | None = Field(None, description="In place of that of all.")


class Output(Document):
    """A signal that goes out with files under a name of its own; in place of what came in under that name."""

    signal: Annotated[str, Names("signal")] = Field(min_length=1, max_length=100, title="Signal")
    name: str = Field(
        min_length=1, max_length=100, pattern=r"^[A-Za-z_][A-Za-z0-9_]*$", title="Name",
        description="Letters, digits and underscores, so that every format takes it.",
    )  # fmt: skip
    enabled: bool = Field(True, title="On")
