"""drift: a small random change of each colour."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field
from pydantic.config import JsonDict

from ...buffers import empty
from ...kernels import drift as kernels
from ...kernels.parallel import over
from ..follow import Follow
from ..scope import Scope
from .base import Context, Kind, Numbers, Seed, SeedNumber, Share, Step, Value

_STREAM = np.uint32(0x44524946)
_DEGREES: JsonDict = {"unit": "°"}
_APART: JsonDict = {"when": {"separate": True}}
_Hue = Annotated[float, Field(ge=0, le=180)]
_Gamma = Annotated[float, Field(ge=0, le=4)]
#: The ranges, each with the factor to the kernels' unit.
RANGES = {"hue": 1 / 360, "saturation": 1.0, "lightness": 1.0, "gamma": 1.0}


class Drift(Step):
    """Hue, saturation, lightness and gamma moved by random parts of their ranges.

    In HSV (A. R. Smith 1978, on display-encoded values; lightness is its value) or in
    OKLCH (Ottosson 2020; a saturation of 1 is a chroma of 0.4). Saturation and lightness
    stay within 0..1 (a lightness above 1 may stay there). A grey has no hue, and its
    saturation stays 0. Gamma moves in powers of two, on display-encoded values.
    ``around`` moves by minus to plus the range, or with ``separate`` by its own low one.
    """

    takes: ClassVar[tuple[Kind, ...]] = ("colour",)
    gives: ClassVar[Kind] = "colour"
    summary: ClassVar[str] = "a little random change of each colour"

    step: Literal["drift"]
    space: Literal["hsv", "oklch"] = Field("hsv", title="In")
    direction: Literal["around", "above", "below"] = Field("around", title="Direction")
    separate: bool = Field(
        False, title="Separate low and high", description="Give the range below the colour its own width."
    )
    hue: _Hue | Follow = Field(0.0, title="Hue", json_schema_extra=_DEGREES)
    hue_below: _Hue | Follow = Field(0.0, title="Hue low", json_schema_extra={**_DEGREES, **_APART})
    saturation: Share | Follow = Field(0.0, title="Saturation")
    saturation_below: Share | Follow = Field(0.0, title="Saturation low", json_schema_extra=_APART)
    lightness: Share | Follow = Field(0.0, title="Lightness")
    lightness_below: Share | Follow = Field(0.0, title="Lightness low", json_schema_extra=_APART)
    gamma: _Gamma | Follow = Field(0.0, title="Gamma", description="In powers of two: 1 halves or doubles it.")
    gamma_below: _Gamma | Follow = Field(0.0, title="Gamma low", json_schema_extra=_APART)
    chance: Share | Follow = Field(
        1.0, title="Chance", description="The part of the elements that drift at all.",
        json_schema_extra={"unit": "share"},
    )  # fmt: skip
    seed: SeedNumber = Seed

    def still(self, name: str) -> bool:
        """Whether a range is 0, so that nothing moves in it."""
        sides = [] if self.direction == "below" and self.separate else [getattr(self, name)]
        if self.separate and self.direction != "above":
            sides.append(getattr(self, f"{name}_below"))
        return all(side == 0 for side in sides)

    def depends_on(self, scope: Scope) -> list[Any]:
        """The element keys."""
        return [scope.population.key_digest]

    def _side(self, context: Context, name: str, unit: float) -> Numbers:
        """A range in the kernels' unit, which may be negative to go down."""
        value = getattr(self, name)
        if not isinstance(value, Follow):
            return context.numbers_of(value * unit, (-np.inf, np.inf))
        followed = context.numbers(self, name)
        return lambda a, b: followed(a, b) * np.float32(unit)

    def _base_and_span(self, context: Context, name: str, unit: float) -> tuple[Numbers, Numbers]:
        """What an element's part of a range begins at, and how wide the range is."""
        low = f"{name}_below" if self.separate else name
        nothing = context.numbers_of(0.0, (0.0, 0.0))
        if self.direction == "above":
            return nothing, self._side(context, name, unit)
        if self.direction == "below":
            return nothing, self._side(context, low, -unit)
        up, down = getattr(self, name), getattr(self, low)
        base = self._side(context, low, -unit)
        if not isinstance(up, Follow) and not isinstance(down, Follow):
            return base, context.numbers_of((up + down) * unit, (-np.inf, np.inf))
        above = self._side(context, name, unit)
        return base, lambda a, b: above(a, b) - base(a, b)

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n, 3) linear float32."""
        assert incoming is not None and isinstance(self.seed, int)
        colours = incoming.array
        low, high = context.population.keys
        out = empty(colours.shape)
        seed = np.uint32(self.seed)
        ranges = [n for name, unit in RANGES.items() for n in self._base_and_span(context, name, unit)]
        chance, bend = context.numbers(self, "chance"), not self.still("gamma")

        def work(a: int, b: int) -> None:
            kernels.drift(
                colours[a:b].reshape(-1), low[a:b], high[a:b], seed, _STREAM, *(of(a, b) for of in ranges),
                chance(a, b), self.space == "oklch", bend, out[a:b].reshape(-1),
            )  # fmt: skip

        over(len(out), work, context.check)
        return Value("colour", out)
