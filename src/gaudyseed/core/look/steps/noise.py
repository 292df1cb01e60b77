"""noise: patches or cells in space."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field, model_validator
from pydantic.config import JsonDict

from ... import noising
from ...colour.spaces import decode_srgb
from ...documents.limits import Share
from ...documents.paths import pointer
from ...errors import Fix
from ...geometry.placing import matrix, undoing
from ...kernels.parallel import over
from ...kinds import COLOUR, NUMBER, Kind
from ...population.owning import owning_of
from ...scene.follow import Dialled
from ...scene.timeline import LAST_FRAME
from ..scope import Scope
from ..step.base import Step, whole_step
from ..step.keyed import ELEMENT, Keyed
from ..step.measured import TRIPLE, TURNED, Extent, Measured, Size, Three, Turn, Where
from ..step.parameters import SeedNumber
from ..step.reported import Advisory, Draw, Outcome, put
from ..step.values import Context, Plan, Value

Count = Dialled[Annotated[int, Field(ge=1, le=16)]]
_CELLS: JsonDict = {"when": {"pattern": "cells"}}
_PATCHES: JsonDict = {"when": {"pattern": "gradient"}}
#: Raw noise that leaves more of 0..1 unused than this is told.
_BUNCHED = 0.75


class Noise(Measured, Keyed):
    """A number from 0 to 1 that varies with place, or a colour of three independent ones as levels on the display.

    ``gradient``: smooth patches (Perlin 2002), octaves added with a gain and at a lacunarity, plain, folded (billow) or
    folded and turned over (ridged). ``cells``: one point in each cell of a lattice (Worley 1996): the distance to the
    nearest or second nearest, their difference, or a value for each cell; soft ones run into each other. ``per``
    strand, or any owner or key, has one value for all its elements, that of its first. A size left out is a sixth of
    the longest side of the elements. It moves at a speed, or closes its loop after so many frames.
    """

    title: ClassVar[str] = "Noise"
    noun: ClassVar[str] = "a noise"
    summary: ClassVar[str] = "patches or cells by where an element is"
    aim: ClassVar = "place"
    details: ClassVar[bool] = False

    step: Literal["noise"]
    pattern: Literal["gradient", "cells"] = Field(
        "gradient", title="Pattern", json_schema_extra={"words": ["Patches", "Cells"]}
    )
    size: Extent | None = Field(
        None, title="Size", description="Of a patch or cell, in units; left out, a sixth of the longest side.",
        json_schema_extra={"unit": "units", "control": "fitted"},
    )  # fmt: skip
    low: Dialled[Share] = Field(0.0, title="Clip from", json_schema_extra={"unit": "share"})
    high: Dialled[Share] = Field(1.0, title="to", json_schema_extra={"unit": "share"})
    contrast: Dialled[Annotated[float, Field(ge=0, le=64)]] = Field(1.0, title="Contrast")
    bias: Dialled[Annotated[float, Field(ge=0.01, le=0.99)]] = Field(
        0.5, title="Bias", description="What a half becomes: above it there is more of the noise, below it less."
    )
    warp: Dialled[Annotated[float, Field(ge=0, le=16)]] = Field(
        0.0, title="Warp", description="How far another noise moves the places, in patches."
    )
    warp_size: Dialled[Annotated[float, Field(ge=0.05, le=100)]] = Field(
        2.0, title="Warp size", description="Of that noise's patches, beside these."
    )
    result: Literal["number", "colour"] = Field("number", title="Gives")
    octaves: Count | None = Field(
        None, title="Octaves", description="Left out, four for patches and one for cells.",
        json_schema_extra={"control": "fitted"},
    )  # fmt: skip
    gain: Dialled[Share] = Field(0.5, title="Gain", description="The weight of each octave, of that before it.")
    lacunarity: Dialled[Annotated[float, Field(ge=1, le=8)]] = Field(
        2.0, title="Lacunarity", description="How much finer each octave is than that before it."
    )
    fold: Literal["plain", "billow", "ridged"] = Field("plain", title="Fold", json_schema_extra=_PATCHES)
    measure: Literal["nearest", "second", "border", "value"] = Field(
        "value", title="Cells give", json_schema_extra=_CELLS
    )
    irregularity: Dialled[Share] = Field(1.0, title="Irregularity", json_schema_extra={**_CELLS, "unit": "share"})
    softness: Dialled[Share] = Field(0.0, title="Soft borders", json_schema_extra={**_CELLS, "unit": "share"})
    stretch: Size = Field((1.0, 1.0, 1.0), title="Stretch", json_schema_extra={"control": "three"})
    offset: Three = Field((0.0, 0.0, 0.0), title="Offset", json_schema_extra=TRIPLE)
    turn: Turn = Field((0.0, 0.0, 0.0), title="Turn", json_schema_extra=TURNED)
    motion: Literal["still", "speed", "loop"] = Field("still", title="Motion")
    speed: Dialled[Annotated[float, Field(ge=0, le=100)]] = Field(
        0.5, title="Changes a second", json_schema_extra={"when": {"motion": ["speed", "loop"]}}
    )
    loop: Dialled[Annotated[int, Field(ge=2, le=LAST_FRAME)]] = Field(
        96, title="Loop after", json_schema_extra={"when": {"motion": "loop"}, "unit": "frames"}
    )
    seed: SeedNumber = Field(0, title="Seed", json_schema_extra={"control": "seed"})
    linked: bool = Field(
        False, title="Linked", description="Meant to give the same values as other noises of this seed."
    )

    @model_validator(mode="after")
    def _clip(self) -> Noise:
        if isinstance(self.low, float) and isinstance(self.high, float) and self.low >= self.high:
            raise ValueError(f"the clip from {self.low:g} to {self.high:g} leaves nothing. Let it rise")
        return self

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """A number or a colour; checks the vector and the key."""
        self.check_measure(scope, place)
        self.check_key(scope, place)
        return COLOUR if self.result == "colour" else NUMBER

    def depends_on(self, scope: Scope) -> list[Any]:
        """What is measured, and how far it has moved."""
        keys = [] if self.per == ELEMENT else self.keys_read(scope)
        return [*self.measured_from(scope), *self._moved(scope), *keys]

    def _moved(self, scope: Scope) -> list[float]:
        """How far it has moved, and after how much of that it closes (0: never)."""
        if self.motion == "still":
            return []
        assert isinstance(self.speed, float)
        moment = scope.moment
        if self.motion == "speed":
            return [self.speed * moment.seconds, 0.0]
        least = 2 if self.pattern == "gradient" else 1
        period = max(least, round(self.speed * self.loop / moment.rate))
        return [period * math.fmod(moment.frame, self.loop) / self.loop, float(period)]

    def draw(self) -> Draw:
        """One draw for all noises of one pattern."""
        return Draw(f"noise of {self.pattern}", self.seed, self.linked)

    def patch(self, where: Where) -> float:
        """The size of a patch in units."""
        if self.size is None:
            return float(np.clip(where.longest / 6, 1e-6, 1e6))
        assert isinstance(self.size, float)
        return self.size

    def _into(self, where: Where) -> np.ndarray:
        """(4, 4): from the measured space into patches."""
        # Offset, then turned back, then as many patches as fit.
        frame = matrix(self.offset, self.turn, 1.0)
        return np.diag([*(1 / (self.patch(where) * np.array(self.stretch, np.float64))), 1.0]) @ undoing(frame)

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,) float32 in 0..1, or (n, 3) linear colours."""
        where = self.where_of(context)
        settings = self._settings(self._moved(context.scope))
        frame = noising.framed(self._into(where) @ where.space, *where.own_box, settings.finest)
        colour, heads = self.result == "colour", where

        def fill(a: int, b: int, out: np.ndarray) -> None:
            places = frame.placed(heads.columns(a, b))
            if not colour:
                settings.fill(places, 0, out, frame.far)
                return
            one = np.empty(b - a, np.float32)
            for channel in range(3):
                settings.fill(places, channel, one, frame.far)
                out[:, channel] = one
            out[:] = decode_srgb(out)

        facts = {"across": where.longest / self.patch(where), "size": self.patch(where)}
        if self.per == ELEMENT:
            return Plan(fill, facts=facts)
        context.whole.at_once(f"A noise for each {self.per}", context.place)
        owning = owning_of(context.elements, self.per, context.place)
        heads = where.taken(np.maximum(owning.firsts, 0))
        each = np.empty(context.kind.shape(owning.count), np.float32)
        over(owning.count, lambda a, b: fill(a, b, each[a:b]), context.task)
        return Plan(lambda a, b, out: np.take(each, owning.index[a:b], axis=0, out=out), facts=facts)

    def _settings(self, moved: list[float]) -> noising.Settings:
        default = 4 if self.pattern == "gradient" else 1
        at, period = moved or [0.0, 0.0]
        return noising.Settings(
            cells=self.pattern == "cells", seed=int(self.seed), octaves=int(self.octaves or default),  # type: ignore[arg-type]
            gain=float(self.gain), lacunarity=float(self.lacunarity), fold=self.fold, measure=self.measure,
            irregularity=float(self.irregularity), softness=float(self.softness), moves=self.motion != "still",
            at=at, period=int(period), low=self.low, high=self.high, contrast=float(self.contrast),
            bias=float(self.bias), warp=float(self.warp), warp_size=float(self.warp_size),
        )  # fmt: skip

    def between_elements(self, outcome: Outcome) -> bool:
        """Its edges lie between them, where each element has a value of its own."""
        return self.per == ELEMENT

    def settled(self, outcome: Outcome) -> Noise:
        """The step with its size written out."""
        return self.model_copy(update={"size": self.patch(self.where(outcome.scope, outcome.signals))})

    def census(self, outcome: Outcome) -> dict[str, Any]:
        """The size of its patches, and how many lie across the longest side."""
        where = self.where(outcome.scope, outcome.signals)
        low, high = where.box
        sides = np.maximum((high - low) / (self.patch(where) * np.array(self.stretch, np.float64)), 0)
        return {"patches": {"across": sides.round(3).tolist(), "size": self.patch(where)}}

    def advisories(self, outcome: Outcome, census: Mapping[str, Any]) -> Iterator[Advisory]:
        """A warning that its values are bunched, or its patches too fine or too large."""
        values, at = outcome.value.array, pointer(outcome.place)
        if len(values) < 8:
            return
        where = self.where(outcome.scope, outcome.signals)
        size, apart = self.patch(where), where.spacing
        fit = (Fix("Take a fitting size", [put(f"{at}/size", _rounded(max(where.longest / 6, 4 * apart)))]),)
        if apart > 0 and size < apart:
            yield Advisory(
                "noise_too_fine", outcome.place,
                f"The patches, {size:.3g} across, are finer than the elements stand apart, {apart:.3g}: each element "
                "gets a value of its own, as from chance.",
                fit,
            )  # fmt: skip
            return
        if size > 4 * where.longest:
            yield Advisory(
                "noise_too_large", outcome.place,
                f"One patch, {size:.3g} across, is larger than all elements together, {where.longest:.3g}: they get "
                "nearly one tone.",
                fit,
            )  # fmt: skip
            return
        after = outcome.following
        if self.result == "colour" or (after is not None and after.group == "shape"):
            return
        low, high = (float(v) for v in np.percentile(values[:: max(1, len(values) // 8192)], [2, 98]))
        if high - low < _BUNCHED and high > low and self.bias == 0.5:
            yield Advisory(
                "noise_bunched", outcome.place,
                f"Most values lie between {low:.2f} and {high:.2f}, so a ramp after this is used only there.",
                (
                    Fix("Fit them to 0 to 1", [put(f"{at}/{name}", to) for name, to in self._fitting(values).items()]),
                    Fix("Even them out", [put(_after(outcome.place), whole_step("even_out"))]),
                ),
            )  # fmt: skip

    def _fitting(self, values: np.ndarray) -> dict[str, float]:
        """The clip that brings all but the last 2 % at either end of some values onto 0 to 1."""
        assert isinstance(self.contrast, float) and isinstance(self.bias, float)
        ends = np.percentile(values[:: max(1, len(values) // 65536)], [2, 98])
        raw = np.clip((ends - 0.5) / max(self.contrast, 1e-3) + 0.5, 0, 1)
        # The inverse of a bias is that of 1 less it.
        raw = raw / ((1 / (1 - self.bias) - 2) * (1 - raw) + 1)
        low, high = np.clip(self.low + raw * (self.high - self.low), 0, 1)
        low = min(math.floor(1000 * low) / 1000, 0.999)
        return {"low": low, "high": max(min(1.0, math.ceil(1000 * high) / 1000), low + 0.001), "contrast": 1.0}

    def edited(self, action: str, outcome: Outcome, typed: Step, shares: list[float] | None) -> Step:
        """``fit`` clips to the values that it has, so that they fill 0 to 1."""
        values = outcome.value.array
        if action != "fit" or self.result == "colour" or not len(values):
            return super().edited(action, outcome, typed, shares)
        return typed.model_copy(update=self._fitting(values))


def _after(place: str) -> str:
    """A pointer to the place behind a step of its chain."""
    chain, _, index = pointer(place).rpartition("/")
    return f"{chain}/{int(index) + 1}"


def _rounded(size: float) -> float:
    """To two digits that count."""
    return float(f"{min(max(size, 1e-6), 1e6):.2g}")
