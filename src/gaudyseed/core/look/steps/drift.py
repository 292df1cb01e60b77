"""drift: a small random change of each colour."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...buffers import empty
from ...kernels import drift as kernels
from ...kernels.parallel import over
from ...population import Population
from .base import Context, Kind, Seed, Step, Value

_STREAM = np.uint32(0x44524946)
#: The part of the range an element gets is offset + gain * u, u in [0, 1).
_DIRECTIONS = {"around": (-1.0, 2.0), "above": (0.0, 1.0), "below": (0.0, -1.0)}


class Drift(Step):
    """Hue, saturation and lightness (HSV value) moved by random parts of their ranges.

    HSV after A. R. Smith 1978 on display-encoded values. Saturation and lightness
    stay within 0..1 (a lightness above 1 may stay there). A grey has no hue, and
    its saturation stays 0.
    """

    takes: ClassVar[tuple[Kind, ...]] = ("colour",)
    gives: ClassVar[Kind] = "colour"
    summary: ClassVar[str] = "a little random change of each colour"

    step: Literal["drift"]
    hue: float = Field(0.0, ge=0, le=180, title="Hue", json_schema_extra={"unit": "°"})
    saturation: float = Field(0.0, ge=0, le=1, title="Saturation")
    lightness: float = Field(0.0, ge=0, le=1, title="Lightness")
    direction: Literal["around", "above", "below"] = Field("around", title="Direction")
    chance: float = Field(
        1.0, ge=0, le=1, title="Chance", description="The part of the elements that drift at all.",
        json_schema_extra={"unit": "share"},
    )  # fmt: skip
    seed: int = Seed

    def depends_on(self, population: Population) -> list[Any]:
        """The element keys."""
        stable = population.attributes.get("id")
        return [stable.digest if stable else population.count]

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n, 3) linear float32."""
        assert incoming is not None
        colours = incoming.array
        low, high = context.population.keys
        out = empty(colours.shape)
        offset, gain = _DIRECTIONS[self.direction]
        seed = np.uint32(self.seed)

        def work(a: int, b: int) -> None:
            kernels.drift_hsv(
                colours[a:b].reshape(-1), low[a:b], high[a:b], seed, _STREAM, self.hue / 360, self.saturation,
                self.lightness, offset, gain, self.chance, out[a:b].reshape(-1),
            )  # fmt: skip

        over(len(out), work, context.check)
        return Value("colour", out)
