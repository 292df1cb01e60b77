"""Ramps that differ from element to element: stops whose places or colours follow signals."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import numpy as np

from ..colour.mixing import POLAR, to_space
from ..kernels import ramps as kernels
from .picking import Fill, Own, picker
from .ramp import TO_LINEAR, Ramp, least_float32_not_below


@dataclass(frozen=True)
class OwnRamp:
    """A ramp for each element.

    Attributes
    ----------
    common
        What holds for all: interpolation, space, and the places and colours of stops
        that follow nothing.
    places
        Where stops stand in 0..1, by stop. A stop never stands before the one before
        it: it is pushed along, and stops at one place make a hard edge.
    colours
        Linear colours by stop.
    tensions
        Of a cardinal spline, where it follows.
    """

    common: Ramp
    places: Mapping[int, Own] = field(default_factory=dict)
    colours: Mapping[int, Own] = field(default_factory=dict)
    tensions: Own | None = None

    def banding(self, values: np.ndarray) -> Fill:
        """Fills (n,) uint8: the band of each element's value, counting from 0."""
        if not self.places:
            return self.common.banding(values)
        places, which = least_float32_not_below(self.common.positions), self._which(self.places)
        return lambda a, b, out: kernels.bands_each(values[a:b], places, which, self._own_places(a, b), out)

    def picking(self) -> Callable[[np.ndarray, int, int, np.ndarray], None]:
        """Returns ``pick(bands, start, stop, out)``: the colours of bands."""
        return picker(self.common.colours, self.colours)

    def colouring(self, values: np.ndarray) -> Fill:
        """Fills (n, 3) linear float32: the colours of values, between stops."""
        common = self.common
        places, which_place = common.positions.astype(np.float32), self._which(self.places)
        colours = to_space(common.colours, common.mix_in).astype(np.float32)
        which_colour, weights = self._which(self.colours), common.weights()
        polar, cardinal = common.mix_in in POLAR, common.interpolation == "through"
        unwinds = common.interpolation in ("through", "soft")
        holds = np.zeros(len(places), bool)
        holds[: len(common.holds)] = common.holds
        finish = TO_LINEAR[common.mix_in]

        def fill(a: int, b: int, out: np.ndarray) -> None:
            tensions = self.tensions(a, b) if self.tensions else np.full(b - a, common.tension, np.float32)
            kernels.ramp_each(
                values[a:b], places, which_place, self._own_places(a, b), tensions, cardinal, weights, holds,
                colours, which_colour, self._own_colours(a, b), polar, unwinds, common.longer, out,
            )  # fmt: skip
            finish(out.reshape(-1))

        return fill

    def _which(self, own: Mapping[int, Own]) -> np.ndarray:
        """(s,) int32: the row of each stop among those that have their own, else -1."""
        which = np.full(len(self.common.positions), -1, np.int32)
        which[list(own)] = np.arange(len(own))
        return which

    def _own_places(self, a: int, b: int) -> np.ndarray:
        return (
            np.stack([own(a, b) for own in self.places.values()]) if self.places else np.empty((0, b - a), np.float32)
        )

    def _own_colours(self, a: int, b: int) -> np.ndarray:
        if not self.colours:
            return np.empty((0, b - a, 3), np.float32)
        found = [to_space(own(a, b), self.common.mix_in) for own in self.colours.values()]
        return np.stack(found).astype(np.float32)
