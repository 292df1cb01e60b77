"""Parameters of steps: their types, and what they are for single elements or for all."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import cache, lru_cache
from typing import TYPE_CHECKING, Annotated, Literal, get_args

import numpy as np
from pydantic import BaseModel, Field
from pydantic.fields import FieldInfo

from ...colour.spaces import parse_hex
from ...kernels.parallel import CHUNK
from ...palette import UNKNOWN
from ...scene.follow import Follow, FollowColour, FollowDial

if TYPE_CHECKING:
    from .values import Value

#: How a layer meets what lies below it: W3C Compositing and Blending Level 1, and plain arithmetic.
Blend = Literal[
    "normal", "multiply", "screen", "overlay", "darken", "lighten", "colour_dodge", "colour_burn", "hard_light",
    "soft_light", "difference", "exclusion", "hue", "saturation", "colour", "luminosity", "add", "subtract", "minimum",
    "maximum", "average",
]  # fmt: skip


#: Steps of one chain: twice what version 1 took, one of whose steps may become two.
MOST_STEPS = 128


SeedNumber = Annotated[int, Field(ge=0, le=2**32 - 1)] | FollowDial


Seed = Field(title="Seed", json_schema_extra={"control": "seed"})


#: Gives the numbers of a parameter for the elements start to stop, (m,) float32; its colours, (m, 3).
Numbers = Callable[[int, int], np.ndarray]


def numbers_of(parameter: float | Follow, within: tuple[float, float], signals: Mapping[str, Value]) -> Numbers:
    """The numbers of a parameter, the same for all elements or following a signal; held within its limits."""
    if isinstance(parameter, Follow):
        assert parameter.signal is not None  # dials are resolved when a look is compiled
        values = signals[parameter.signal].array

        def scaled(a: int, b: int) -> np.ndarray:
            with np.errstate(over="ignore"):  # what overflows lies beyond the limits, and so becomes one of them
                return np.clip(parameter.scaled(values[a:b]), *within).astype(np.float32)

        return scaled
    same = _constant(parameter)
    return lambda a, b: same[: b - a] if b - a <= CHUNK else np.full(b - a, parameter, np.float32)


def mean_of(parameter: float | Follow, within: tuple[float, float], signals: Mapping[str, Value] | None) -> float:
    """The one number that stands for a parameter where only one can be drawn: that of all elements, or their mean.

    Without signals, the middle of the ends of a parameter that follows one.
    """
    if not isinstance(parameter, Follow):
        return parameter
    values = signals[parameter.signal].array if signals and parameter.signal else np.full(1, 0.5, np.float32)
    if len(values) == 0:
        values = np.full(1, 0.5, np.float32)
    return float(np.clip(parameter.scaled(values), *within).mean(dtype=np.float64))


def mean_colour(parameter: str | FollowColour, signals: Mapping[str, Value] | None) -> np.ndarray:
    """(3,) linear float64: the one colour that stands for a parameter; without signals a grey where it follows one."""
    if isinstance(parameter, str):
        return parse_hex(parameter)
    colours = signals[parameter.signal].array if signals and parameter.signal else np.empty((0, 3))
    return colours.mean(axis=0, dtype=np.float64) if len(colours) else parse_hex(UNKNOWN)


@lru_cache(maxsize=128)
def _constant(number: float) -> np.ndarray:
    """One chunk of the same number, kept: a step has up to a score of them."""
    same = np.full(CHUNK, number, np.float32)
    same.flags.writeable = False
    return same


@cache
def limits(model: type[BaseModel], name: str) -> tuple[float, float]:
    """The least and greatest value of a number parameter."""
    low, high = -np.inf, np.inf
    for part in (model.model_fields[name].annotation, *get_args(model.model_fields[name].annotation)):
        for info in get_args(part):
            for rule in info.metadata if isinstance(info, FieldInfo) else ():
                low, high = getattr(rule, "ge", low), getattr(rule, "le", high)
    return float(low), float(high)
