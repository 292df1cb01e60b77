"""The documents of a look's material: finishes, shapes, pictures on elements, and what goes out beside the channels."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field, field_validator

from ..channels import CHANNELS, Channel
from ..colour.documents import HexColour
from ..colour.spaces import parse_hex
from ..documents.document import Document
from ..documents.references import Names
from ..scene.follow import Dialled, Follower
from .step.parameters import Share

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
DrawnAs = Literal["own", "sequin", "tile", "ball", "block", "bead", "rosette", "card", "ring"]


class Finish(Follower):
    """A named set of channel values, which lanes then vary."""

    name: Name = Field("Finish", title="Name")
    base_colour: Dialled[HexColour | None] = Field(
        None, title="Base colour", description="Below the layers of the base colour; left out, white.",
        json_schema_extra={"control": "colour"},
    )  # fmt: skip
    weight: Weight = Field(1.0, title="Weight", description="Its share of the elements, beside the other weights.")
    metalness: Dialled[Share] = Field(0.0, title="Metalness")
    roughness: Dialled[Share] = Field(0.3, title="Roughness")
    transmission: Dialled[Share] = Field(0.0, title="Transmission")
    subsurface: Dialled[Share] = Field(0.0, title="Subsurface")
    subsurface_colour: Dialled[HexColour | None] = Field(
        None, title="Subsurface colour", description="Left out, it follows the base colour.",
        json_schema_extra={"control": "colour"},
    )  # fmt: skip
    subsurface_radius: Dialled[Annotated[float, Field(ge=0, le=1e6)]] = Field(
        0.05, title="Subsurface radius", json_schema_extra={"unit": "units"}
    )
    emission_colour: Dialled[HexColour] = Field(
        "#ffffff", title="Emission colour", json_schema_extra={"control": "colour"}
    )
    emission_strength: Dialled[Annotated[float, Field(ge=0, le=1e4)]] = Field(0.0, title="Emission strength")
    opacity: Dialled[Share] = Field(1.0, title="Opacity")

    def of(self, channel: Channel) -> np.ndarray | None:
        """(k,) float32: what it has in a channel; None where that follows another channel."""
        value = getattr(self, channel.word)  # the dials have been put in
        if value is None:
            return None
        return np.atleast_1d(np.array(parse_hex(value) if isinstance(value, str) else value, np.float32))


#: What an element has where a look has no finishes.
PLAIN = Finish(
    name="Plain",
    metalness=CHANNELS["metalness"].default[0],
    roughness=CHANNELS["roughness"].default[0],
    subsurface_radius=CHANNELS["subsurface_radius"].default[0],
)


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
