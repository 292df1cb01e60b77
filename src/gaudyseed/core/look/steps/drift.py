"""drift: a small random change of each colour."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field
from pydantic.config import JsonDict

from ...buffers import empty
from ...kernels import drift as kernels
from ...kernels.parallel import over
from ..follow import Follow
from ..scope import Scope
from .base import Context, Kind, Numbers, Seed, SeedNumber, Share, Step, Value, mean_of

_STREAM = np.uint32(0x44524946)


def _interval(title: str, reach: float, **more: Any) -> Any:
    """An interval that an element's change is drawn from, both ends within -reach..reach."""
    extra: JsonDict = {"control": "interval", "minimum": -reach, "maximum": reach, **more}
    return Field((0.0, 0.0), title=title, json_schema_extra=extra)


_Degrees = Annotated[float, Field(ge=-180, le=180)] | Follow
_Part = Annotated[float, Field(ge=-1, le=1)] | Follow
_Gamma = Annotated[float, Field(ge=-4, le=4)] | Follow
#: The components: the factor to the kernels' unit, and how far an end may lie from 0.
COMPONENTS = {"hue": (1 / 360, 180.0), "saturation": (1.0, 1.0), "lightness": (1.0, 1.0), "gamma": (1.0, 4.0)}


class Drift(Step):
    """Hue, saturation, lightness and gamma moved by a random number from an interval each.

    In HSV (A. R. Smith 1978, on display-encoded values; lightness is its value) or in
    OKLCH (Ottosson 2020; a saturation of 1 is a chroma of 0.4). Saturation and lightness
    stay within 0..1 (a lightness above 1 may stay there). A grey has no hue, and its
    saturation stays 0. Gamma moves in powers of two, on display-encoded values.
    An interval of no width moves every element by the same.
    """

    takes: ClassVar[tuple[Kind, ...]] = ("colour",)
    gives: ClassVar[Kind] = "colour"
    summary: ClassVar[str] = "a little random change of each colour"

    step: Literal["drift"]
    space: Literal["hsv", "oklch"] = Field("hsv", title="In")
    hue: tuple[_Degrees, _Degrees] = _interval("Hue", 180, unit="°")
    saturation: tuple[_Part, _Part] = _interval("Saturation", 1)
    lightness: tuple[_Part, _Part] = _interval("Lightness", 1)
    gamma: tuple[_Gamma, _Gamma] = _interval("Gamma", 4)
    chance: Share | Follow = Field(
        1.0, title="Chance", description="The part of the elements that drift at all.",
        json_schema_extra={"unit": "share"},
    )  # fmt: skip
    seed: SeedNumber = Seed

    def still(self, name: str) -> bool:
        """Whether both ends of a component's interval are 0, so that nothing moves in it."""
        return all(end == 0 for end in getattr(self, name))

    def drawn(self, signals: Mapping[str, Value] | None = None) -> dict[str, tuple[float, float]]:
        """The two ends of each component's interval as they are drawn: one that follows a signal has its mean."""
        return {
            name: tuple(mean_of(end, (-reach, reach), signals) for end in getattr(self, name))  # type: ignore[misc]
            for name, (_, reach) in COMPONENTS.items()
        }

    def moved(self, colour: np.ndarray, component: str, by: np.ndarray) -> np.ndarray:
        """(m, 3) linear float32: one linear colour (3,) moved in one component by each of (m,) numbers."""
        n = len(by)
        unit, _ = COMPONENTS[component]
        still, words = np.zeros(n, np.float32), np.zeros(n, np.uint32)
        bases = [(by * unit).astype(np.float32) if name == component else still for name in COMPONENTS]
        out = np.empty((n, 3), np.float32)
        kernels.drift(
            np.tile(colour.astype(np.float32), n), words, words, np.uint32(0), _STREAM,
            *(part for base in bases for part in (base, still)), np.ones(n, np.float32), self.space == "oklch",
            component == "gamma", out.reshape(-1),
        )  # fmt: skip
        return out

    def depends_on(self, scope: Scope) -> list[Any]:
        """The element keys."""
        return [scope.population.key_digest]

    def _base_and_span(self, context: Context, name: str) -> tuple[Numbers, Numbers]:
        """Where an element's interval begins and how wide it is, in the kernels' unit."""
        unit, reach = COMPONENTS[name]
        first, last = getattr(self, name)
        if not isinstance(first, Follow) and not isinstance(last, Follow):
            ends = (-np.inf, np.inf)
            return context.numbers_of(first * unit, ends), context.numbers_of((last - first) * unit, ends)
        low, high = (context.numbers_of(end, (-reach, reach)) for end in (first, last))
        factor = np.float32(unit)
        return lambda a, b: low(a, b) * factor, lambda a, b: (high(a, b) - low(a, b)) * factor

    def apply(self, context: Context, incoming: Value | None) -> Value:
        """(n, 3) linear float32."""
        assert incoming is not None and isinstance(self.seed, int)
        colours = incoming.array
        low, high = context.population.keys
        out = empty(colours.shape)
        seed = np.uint32(self.seed)
        ranges = [n for name in COMPONENTS for n in self._base_and_span(context, name)]
        chance, bend = context.numbers(self, "chance"), not self.still("gamma")

        def work(a: int, b: int) -> None:
            kernels.drift(
                colours[a:b].reshape(-1), low[a:b], high[a:b], seed, _STREAM, *(of(a, b) for of in ranges),
                chance(a, b), self.space == "oklch", bend, out[a:b].reshape(-1),
            )  # fmt: skip

        over(len(out), work, context.check)
        return Value("colour", out)
