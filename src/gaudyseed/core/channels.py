"""The channels of the material: what a look can send to each element.

A channel is a row of this table. The look's document, its evaluation, the answers to the page, its chips and panels,
and the files read the row; beside it a channel needs only its effect in the view's shader.
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
    of_finish
        Whether elements without a lane have it from their finish.
    follows
        The channel whose result lies under its lowest layer; empty for none.
    pictured
        Whether only populations with a picture on their elements have it.
    approximate
        Whether the view shows it only roughly.
    group
        What it is about, by which a list of channels is ordered.
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
    of_finish: bool = False
    follows: str = ""
    pictured: bool = False
    approximate: bool = False
    group: Literal["surface", "light", "form", "picture"] = "surface"

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


def register(channel: Channel) -> Channel:
    """Add a row to the table; ValueError where its word, or a column that it writes, is another channel's."""
    taken = {column for other in CHANNELS.values() for column in (*other.columns, *other.shown)}
    both = taken & {*channel.columns, *channel.shown}
    if both:
        raise ValueError(f"Two channels write the column {sorted(both)[0]!r}.")
    return CHANNELS.add(channel.word, channel)


def _colours(word: str) -> tuple[str, ...]:
    return tuple(f"{word}_{part}" for part in "rgb")


def _unit(word: str, title: str, default: float, help: str, approximate: bool = False) -> Channel:
    """A number of 0 to 1 that a finish has."""
    return register(
        Channel(
            word, title, NUMBER, (default,), 0.0, 1.0, sent="unit", columns=(word,), help=help, of_finish=True,
            approximate=approximate,
        )
    )  # fmt: skip


def _correction(
    word: str, title: str, default: float, least: float, greatest: float, help: str, unit: str = ""
) -> None:
    """A correction of the picture on the elements."""
    name = f"picture_{word}"
    register(
        Channel(
            name, f"Picture {title}", NUMBER, (default,), least, greatest, unit, sent="float", columns=(name,),
            help=help, pictured=True, group="picture",
        )
    )  # fmt: skip


BASE_COLOUR = register(
    Channel(
        "base_colour", "Base colour", COLOUR, (1.0, 1.0, 1.0), sent="display", shown=("red", "green", "blue"),
        columns=_colours("base_colour"), of_finish=True, help="The colour of the surface, in linear light.",
    )
)  # fmt: skip
FINISH = register(
    Channel(
        "finish", "Finish", NUMBER, (0.0,), 0.0, 7.0, columns=("finish",),
        help="Which finish an element has: by their weights, picked, or blended from one to the next.",
    )
)  # fmt: skip
METALNESS = _unit("metalness", "Metalness", 0.0, "0 is no metal, 1 is bare metal.")
ROUGHNESS = _unit("roughness", "Roughness", 0.3, "0 mirrors, 1 is fully matt.")
TRANSMISSION = _unit("transmission", "Transmission", 0.0, "How much light goes through, tinted as the base.", True)
SUBSURFACE = _unit("subsurface", "Subsurface", 0.0, "How much light goes in and comes out beside.", True)
register(
    Channel(
        "subsurface_colour", "Subsurface colour", COLOUR, (1.0, 1.0, 1.0), 0.0, 1.0, sent="display",
        columns=_colours("subsurface_colour"), follows="base_colour", of_finish=True,
        help="The colour below the surface; the base colour where nothing paints it.", approximate=True,
    )
)  # fmt: skip
register(
    Channel(
        "subsurface_radius", "Subsurface radius", NUMBER, (0.05,), 0.0, 1e6, "units", columns=("subsurface_radius",),
        of_finish=True, help="How far light travels below the surface.", approximate=True,
    )
)  # fmt: skip
register(
    Channel(
        "emission_colour", "Emission colour", COLOUR, (1.0, 1.0, 1.0), 0.0, 1.0, sent="display",
        columns=_colours("emission_colour"), of_finish=True, group="light",
        help="The colour of the element's own light.",
    )
)  # fmt: skip
STRENGTH = register(
    Channel(
        "emission_strength", "Emission strength", NUMBER, (0.0,), 0.0, 1e4, columns=("emission_strength",),
        of_finish=True, help="How strongly it glows: 1 is as bright as white paper in full light.", group="light",
    )
)  # fmt: skip
OPACITY = _unit("opacity", "Opacity", 1.0, "1 covers, 0 is a hole: seen through, or cut out at a threshold.")
DENSITY = register(
    Channel(
        "density", "Density", NUMBER, (1.0,), 0.0, 1e6, populations=("particles", "strands", "trails"),
        columns=("density",), help="How thickly it stands.", group="form",
    )
)  # fmt: skip
SIZE = register(
    Channel(
        "size", "Size", NUMBER, (1.0,), 0.0, 1e4, "times", populations=("clones", "particles"),
        columns=("size_factor",), help="A factor of the element's own size.", group="form",
    )
)  # fmt: skip
register(
    Channel(
        "width", "Width", NUMBER, (1.0,), 0.0, 1e4, "times", populations=("strands", "trails"),
        columns=("width_factor",), help="A factor of its own width.", group="form",
    )
)  # fmt: skip
OFFSET = register(
    Channel(
        "offset", "Offset", NUMBER, (0.0,), -1e6, 1e6, "units", populations=("clones", "mesh", "strands"),
        columns=("offset",), help="How far it is moved along its normal, up, or along a vector.", group="form",
    )
)  # fmt: skip
SPIN = register(
    Channel(
        "spin", "Spin", NUMBER, (0.0,), -1e6, 1e6, "°", populations=("clones",), columns=("spin",),
        help="How far it is turned about its own axis.", group="form",
    )
)  # fmt: skip
SHAPE = register(
    Channel(
        "shape", "Shape", NUMBER, (0.0,), 0.0, 31.0, populations=("clones", "particles"), columns=("shape_number",),
        help="Which shape an element is: by their weights, or picked.", group="form",
    )
)  # fmt: skip
register(
    Channel(
        "picture_mix", "Picture mix", NUMBER, (0.0,), 0.0, 1.0, sent="unit", columns=("picture_mix",), pictured=True,
        group="picture",
        help="From the picture's first version to its second.",
    )
)  # fmt: skip
_correction("hue_turn", "hue turn", 0.0, -180.0, 180.0, "Turns the hue of the picture.", "°")
_correction("saturation", "saturation", 1.0, 0.0, 16.0, "Of the picture; 0 leaves greys.")
_correction("brightness", "brightness", 1.0, 0.0, 16.0, "A factor of the picture's levels.")
_correction("contrast", "contrast", 1.0, 0.0, 16.0, "Of the picture's levels, about their middle.")
_correction("gamma", "gamma", 1.0, 0.01, 16.0, "Above 1 lightens the picture's middle, below 1 darkens it.")
