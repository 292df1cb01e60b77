"""The channels of the material: what a look can send to each element.

A channel is a row of this table. The look's document, its evaluation, the answers to the page, its chips and panels,
and the files read the row; beside it a channel needs only its effect in the view's shader.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np

from .colour.spaces import display_bytes
from .kinds import COLOUR, NUMBER, Kind
from .registry import Registry


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

    def encoded(self, values: np.ndarray, check: Callable[[], None] | None = None) -> np.ndarray:
        """(n,) or (n, k): the values as they are sent, uint8 or float32. ``check`` may raise to stop."""
        if self.sent == "display":
            return display_bytes(values, check)
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


BASE_COLOUR = register(
    Channel(
        "base_colour", "Base colour", COLOUR, (1.0, 1.0, 1.0), sent="display", shown=("red", "green", "blue"),
        columns=("base_colour_r", "base_colour_g", "base_colour_b"), help="The colour of the surface, in linear light.",
    )
)  # fmt: skip
ROUGHNESS = register(
    Channel(
        "roughness", "Roughness", NUMBER, (0.3,), 0.0, 1.0, sent="unit", columns=("roughness",),
        help="0 mirrors, 1 is fully matt.",
    )
)  # fmt: skip
