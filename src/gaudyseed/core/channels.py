"""The channels of the material: what a look can send to each element.

A channel is a row of this table. The look's document and its finishes, its evaluation, the answers to the page, its
chips and panels, the textures of the view and the files read the row; beside it a channel needs only its effect in the
view's shader, and a line of the guide.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from .colour.spaces import display_bytes
from .kinds import COLOUR, NUMBER, Kind
from .registry import Registry
from .runtime.task import UNWATCHED, Task


@dataclass(frozen=True)
class FinishField:
    """The parameter of a finish that a channel has where no lane gives it anything.

    Attributes
    ----------
    colour
        The colour that it begins with, of a channel of colours; None where it may be left out. Numbers begin with the
        channel's default.
    help
        What leaving it out means.
    """

    colour: str | None = None
    help: str = ""


@dataclass(frozen=True)
class Slot:
    """Where the view keeps a channel of each element: a texture of four parts, and the first part there.

    ``table`` is the number of the channel among those that may end per pixel on a mesh; None where it may not.
    """

    texture: Literal["tints", "unitsA", "unitsB", "glows", "unders", "floatsA", "floatsB", "floatsC"]
    part: int
    table: int | None = None


@dataclass(frozen=True)
class MaterialInputs:
    """What the materials of files call a channel; empty where a format has nothing for it.

    Attributes
    ----------
    gltf
        The path of its factor in a material of glTF 2.0, its parts joined by dots.
    usd
        An input of UsdPreviewSurface.
    openpbr
        An input of OpenPBR Surface 1.1; it takes ``openpbr_scale`` times the channel's value.
    """

    gltf: str = ""
    usd: str = ""
    openpbr: str = ""
    openpbr_scale: float = 1.0


@dataclass(frozen=True)
class Channel:
    """One channel of the material.

    Attributes
    ----------
    word
        As it stands in documents, answers and files.
    default
        What an element has where no lane gives it anything, one number for each of the kind's; it also lies under the
        lowest layer of a lane.
    least, greatest
        What its values are held within when they are sent and written; None where there is no limit.
    populations
        Words of the kinds of population that have it; empty for all.
    sent
        How its values reach the page: ``display``, 8 bits display-encoded; ``unit``, 8 bits of 0 to 1; ``float``,
        float32.
    columns
        Names of its columns in files, float32; one for each number.
    shown
        Names of columns of 8 bits, display-encoded, that are written beside them.
    finish
        Its parameter in finishes, from which elements without a lane have it; None where finishes have none.
    lane_fields
        The fields of a lane that belong to this channel.
    follows
        The channel whose result lies under its lowest layer; empty for none.
    pictured
        Whether only populations with a picture on their elements have it.
    approximate
        Whether the view shows it only roughly.
    group
        What it is about, by which a list of channels is ordered.
    slot
        Where the view keeps it; None where it is not seen there.
    inputs
        What the materials of files call it.
    """

    word: str
    title: str
    kind: Kind
    default: tuple[float, ...]
    least: float | None = None
    greatest: float | None = None
    unit: str = ""
    populations: tuple[str, ...] = ()
    sent: Literal["display", "unit", "float"] = "float"
    columns: tuple[str, ...] = ()
    shown: tuple[str, ...] = ()
    help: str = ""
    finish: FinishField | None = None
    lane_fields: tuple[str, ...] = ()
    follows: str = ""
    pictured: bool = False
    approximate: bool = False
    group: Literal["surface", "light", "form", "picture"] = "surface"
    slot: Slot | None = None
    inputs: MaterialInputs = MaterialInputs()

    @property
    def of_finish(self) -> bool:
        """Whether elements without a lane have it from their finish."""
        return self.finish is not None

    @property
    def name(self) -> str:
        """What it is called in files that take whole values: its column where it has one, else its word."""
        return self.columns[0] if len(self.columns) == 1 else self.word

    def base(self, count: int) -> np.ndarray:
        """(n,) or (n, k) float32: the default for all elements."""
        shape = self.kind.shape(count)
        one = np.array(self.default, np.float32)
        return np.broadcast_to(one if len(shape) > 1 else one[0], shape).copy()

    def held(self, values: np.ndarray) -> np.ndarray:
        """The values within the channel's limits."""
        if self.least is None and self.greatest is None:
            return values
        return np.clip(values, self.least, self.greatest)

    def encoded(self, values: np.ndarray, task: Task = UNWATCHED) -> np.ndarray:
        """(n,) or (n, k): the values as they are sent, uint8 or float32. ``task`` may raise to stop."""
        if self.sent == "display":
            return display_bytes(values, task)
        held = self.held(values)
        return np.rint(held * np.float32(255)).astype(np.uint8) if self.sent == "unit" else held


CHANNELS: Registry[Channel] = Registry("channel")
#: Candela per square metre of an emission strength of 1: white paper in a lit room, about (a choice of ours).
NITS = 1000.0


def register(channel: Channel) -> Channel:
    """Add a row to the table; ValueError where its word, or a column that it writes, is another channel's."""
    taken = {column for other in CHANNELS.values() for column in (*other.columns, *other.shown)}
    both = taken & {*channel.columns, *channel.shown}
    if both:
        raise ValueError(f"Two channels write the column {sorted(both)[0]!r}.")
    return CHANNELS.add(channel.word, channel)


def _colours(word: str) -> tuple[str, ...]:
    return tuple(f"{word}_{part}" for part in "rgb")


def _unit(
    word: str,
    title: str,
    default: float,
    slot: Slot,
    inputs: MaterialInputs,
    help: str,
    approximate: bool = False,
    lane_fields: tuple[str, ...] = (),
) -> Channel:
    """A number of 0 to 1 that a finish has."""
    return register(
        Channel(
            word,
            title,
            NUMBER,
            (default,),
            0.0,
            1.0,
            sent="unit",
            columns=(word,),
            help=help,
            finish=FinishField(),
            approximate=approximate,
            slot=slot,
            inputs=inputs,
            lane_fields=lane_fields,
        )
    )


def _correction(
    word: str, title: str, default: float, least: float, greatest: float, slot: Slot, help: str, unit: str = ""
) -> None:
    """A correction of the picture on the elements."""
    name = f"picture_{word}"
    register(
        Channel(
            name,
            f"Picture {title}",
            NUMBER,
            (default,),
            least,
            greatest,
            unit,
            sent="float",
            columns=(name,),
            help=help,
            pictured=True,
            group="picture",
            slot=slot,
        )
    )


BASE_COLOUR = register(
    Channel(
        "base_colour",
        "Base colour",
        COLOUR,
        (1.0, 1.0, 1.0),
        sent="display",
        shown=("red", "green", "blue"),
        columns=_colours("base_colour"),
        help="The colour of the surface, in linear light.",
        finish=FinishField(None, "Below the layers of the base colour; left out, white."),
        slot=Slot("tints", 0, 0),
        inputs=MaterialInputs("", "diffuseColor", "base_color"),
    )
)
FINISH = register(
    Channel(
        "finish",
        "Finish",
        NUMBER,
        (0.0,),
        0.0,
        7.0,
        columns=("finish",),
        lane_fields=("choose", "seed", "among"),
        slot=Slot("floatsC", 1),
        help="Which finish an element has: by their weights, picked, or blended from one to the next.",
    )
)
METALNESS = _unit(
    "metalness",
    "Metalness",
    0.0,
    Slot("unitsA", 0, 3),
    MaterialInputs("pbrMetallicRoughness.metallicFactor", "metallic", "base_metalness"),
    "0 is no metal, 1 is bare metal.",
)
ROUGHNESS = _unit(
    "roughness",
    "Roughness",
    0.3,
    Slot("unitsA", 1, 2),
    MaterialInputs("pbrMetallicRoughness.roughnessFactor", "roughness", "specular_roughness"),
    "0 mirrors, 1 is fully matt.",
)
TRANSMISSION = _unit(
    "transmission",
    "Transmission",
    0.0,
    Slot("unitsA", 2, 4),
    MaterialInputs("extensions.KHR_materials_transmission.transmissionFactor", "", "transmission_weight"),
    "How much light goes through, tinted as the base.",
    True,
)
SUBSURFACE = _unit(
    "subsurface",
    "Subsurface",
    0.0,
    Slot("unitsA", 3, 5),
    MaterialInputs("", "", "subsurface_weight"),
    "How much light goes in and comes out beside.",
    True,
)
register(
    Channel(
        "subsurface_colour",
        "Subsurface colour",
        COLOUR,
        (1.0, 1.0, 1.0),
        0.0,
        1.0,
        sent="display",
        columns=_colours("subsurface_colour"),
        follows="base_colour",
        slot=Slot("unders", 0),
        finish=FinishField(None, "Left out, it follows the base colour."),
        inputs=MaterialInputs("", "", "subsurface_color"),
        help="The colour below the surface; the base colour where nothing paints it.",
        approximate=True,
    )
)
register(
    Channel(
        "subsurface_radius",
        "Subsurface radius",
        NUMBER,
        (0.05,),
        0.0,
        1e6,
        "units",
        columns=("subsurface_radius",),
        finish=FinishField(),
        slot=Slot("floatsC", 2),
        inputs=MaterialInputs("", "", "subsurface_radius"),
        help="How far light travels below the surface.",
        approximate=True,
    )
)
register(
    Channel(
        "emission_colour",
        "Emission colour",
        COLOUR,
        (1.0, 1.0, 1.0),
        0.0,
        1.0,
        sent="display",
        columns=_colours("emission_colour"),
        group="light",
        finish=FinishField("#ffffff"),
        slot=Slot("glows", 0, 6),
        inputs=MaterialInputs("", "", "emission_color"),
        help="The colour of the element's own light.",
    )
)
STRENGTH = register(
    Channel(
        "emission_strength",
        "Emission strength",
        NUMBER,
        (0.0,),
        0.0,
        1e4,
        columns=("emission_strength",),
        finish=FinishField(),
        slot=Slot("floatsA", 3, 7),
        inputs=MaterialInputs("", "", "emission_luminance", NITS),
        help="How strongly it glows: 1 is as bright as white paper in full light.",
        group="light",
    )
)
OPACITY = _unit(
    "opacity",
    "Opacity",
    1.0,
    Slot("unitsB", 0, 1),
    MaterialInputs("", "opacity", "geometry_opacity"),
    "1 covers, 0 is a hole: seen through, or cut out at a threshold.",
    lane_fields=("threshold",),
)
DENSITY = register(
    Channel(
        "density",
        "Density",
        NUMBER,
        (1.0,),
        0.0,
        1e6,
        populations=("particles", "strands", "trails"),
        columns=("density",),
        slot=Slot("floatsC", 3),
        help="How thickly it stands.",
        group="form",
    )
)
SIZE = register(
    Channel(
        "size",
        "Size",
        NUMBER,
        (1.0,),
        0.0,
        1e4,
        "times",
        populations=("clones", "particles"),
        columns=("size_factor",),
        slot=Slot("floatsA", 0),
        help="A factor of the element's own size.",
        group="form",
    )
)
register(
    Channel(
        "width",
        "Width",
        NUMBER,
        (1.0,),
        0.0,
        1e4,
        "times",
        populations=("strands", "trails"),
        columns=("width_factor",),
        slot=Slot("floatsA", 0),
        help="A factor of its own width.",
        group="form",
    )
)
OFFSET = register(
    Channel(
        "offset",
        "Offset",
        NUMBER,
        (0.0,),
        -1e6,
        1e6,
        "units",
        populations=("clones", "mesh", "strands"),
        columns=("offset",),
        slot=Slot("floatsA", 1),
        lane_fields=("along",),
        help="How far it is moved along its normal, up, or along a vector.",
        group="form",
    )
)
SPIN = register(
    Channel(
        "spin",
        "Spin",
        NUMBER,
        (0.0,),
        -1e6,
        1e6,
        "°",
        populations=("clones",),
        columns=("spin",),
        slot=Slot("floatsA", 2),
        help="How far it is turned about its own axis.",
        group="form",
    )
)
register(
    Channel(
        "motion_blur",
        "Motion blur",
        NUMBER,
        (1.0,),
        0.0,
        100.0,
        "times",
        populations=("clones", "particles", "trails"),
        columns=("motion_blur",),
        help="A factor of the velocity that blurs it in rendered pictures; the view shows none.",
        group="form",
    )
)
SHAPE = register(
    Channel(
        "shape",
        "Shape",
        NUMBER,
        (0.0,),
        0.0,
        31.0,
        populations=("clones", "particles"),
        columns=("shape_number",),
        lane_fields=("choose", "seed"),
        help="Which shape an element is: by their weights, or picked.",
        group="form",
    )
)
register(
    Channel(
        "picture_mix",
        "Picture mix",
        NUMBER,
        (0.0,),
        0.0,
        1.0,
        sent="unit",
        columns=("picture_mix",),
        pictured=True,
        group="picture",
        slot=Slot("unitsB", 1),
        help="From the picture's first version to its second.",
    )
)
_correction("hue_turn", "hue turn", 0.0, -180.0, 180.0, Slot("floatsB", 0), "Turns the hue of the picture.", "°")
_correction("saturation", "saturation", 1.0, 0.0, 16.0, Slot("floatsB", 1), "Of the picture; 0 leaves greys.")
_correction("brightness", "brightness", 1.0, 0.0, 16.0, Slot("floatsB", 2), "A factor of the picture's levels.")
_correction("contrast", "contrast", 1.0, 0.0, 16.0, Slot("floatsB", 3), "Of the picture's levels, about their middle.")
_correction(
    "gamma", "gamma", 1.0, 0.01, 16.0, Slot("floatsC", 0), "Above 1 lightens the picture's middle, below 1 darkens it."
)
