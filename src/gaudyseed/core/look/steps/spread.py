"""spread: the same values, placed so that near neighbours differ."""

from __future__ import annotations

import itertools
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field, field_validator

from ...documents.limits import Share
from ...errors import BadInput
from ...kernels import spreading as kernels
from ...kinds import Kind, Word
from ...population.owning import owning_of
from ...ramps.ramp import least_float32_not_below
from ...scene.follow import FollowDial
from ..scope import Scope
from ..step.base import Step, take_equal_bands
from ..step.keyed import ELEMENT, Keyed
from ..step.parameters import Seed, SeedNumber
from ..step.values import Context, Plan, Value

_PASSES, _TRIES, _RANK, _SAMPLE = 12, 32, 6, 256


class Spread(Keyed):
    """Exchanges values between elements until few neighbours share a band of 0..1.

    Bands are ``bands`` equal ones, those between ``edges`` where there are any, or those of the
    ramp or palette that comes next (between steps its bands, else half-way between its stops).
    Every value stays, so every count stays. Neighbours are those nearer than the usual
    distance to the sixth nearest. Local search over hashed partners: the same result
    everywhere for the same seed. Elements are taken in the order of their keys, so that the
    order of the rows does not matter where they have an id. ``per`` strand, or any owner or key, exchanges between
    these: each goes by its first element's value and place, and all its elements get the same.
    """

    title: ClassVar[str] = "Spread"
    noun: ClassVar[str] = "spread"
    group: ClassVar = "shape"
    takes: ClassVar[tuple[Word, ...]] = ("number",)
    summary: ClassVar[str] = "same values, but near neighbours differ"
    reach: ClassVar = "all"

    step: Literal["spread"]
    by: Literal["equal_bands", "ramp_bands"] = Field(
        "equal_bands", title="By", description="Bands that neighbours should not share."
    )
    bands: Annotated[int, Field(ge=2, le=64)] | FollowDial = Field(
        5, title="Bands", json_schema_extra={"when": {"by": "equal_bands"}}
    )
    edges: tuple[Share, ...] = Field((), max_length=255, title="Edges", json_schema_extra={"control": "edges"})
    seed: SeedNumber = Seed

    @field_validator("edges")
    @classmethod
    def _in_order(cls, edges: tuple[float, ...]) -> tuple[float, ...]:
        if any(b < a for a, b in itertools.pairwise(edges)):
            raise ValueError("edges stand from 0 to 1")
        return edges

    def before(self, following: Step | None, place: str) -> Step:
        """The step with the edges of the ramp or palette that follows, where they are wanted."""
        if self.by != "ramp_bands":
            return self
        edges = following.band_edges(place) if following is not None else None
        if edges is None:
            raise BadInput(
                "Spread by the bands of a ramp wants a ramp or a palette right after it. Move it there, or take equal "
                "bands.",
                place=f"{place}.by", code="no_bands", fix=take_equal_bands(place),
            )  # fmt: skip
        return self.model_copy(update={"edges": tuple(float(e) for e in edges)})

    def _bands_of(self, values: np.ndarray) -> np.ndarray:
        """(n,) int32."""
        if self.edges:
            return np.searchsorted(least_float32_not_below(np.array(self.edges)), values, side="right").astype(np.int32)
        assert isinstance(self.bands, int)
        return np.clip(values * np.float32(self.bands), 0, self.bands - 1).astype(np.int32)

    def depends_on(self, scope: Scope) -> list[Any]:
        """The places and the element keys."""
        return [scope.elements.own["position"].digest, *self.keys_read(scope)]

    def result_kind(self, scope: Scope, place: str, incoming: Kind | None = None) -> Kind:
        """A number; checks the key."""
        self.check_key(scope, place)
        return self.gives

    def plan(self, context: Context, incoming: Value | None) -> Plan:
        """(n,) float32; the facts count the pairs of neighbours that are alike, before and after."""
        assert incoming is not None
        context.whole.at_once("Spread", context.place)
        low, high = self.words(context.elements)(0, context.elements.count)
        keys = high.astype(np.uint64) << np.uint64(32) | low
        places = context.elements.own["position"].readable
        if self.per == ELEMENT:
            whole, facts = self._exchanged(incoming.array, places, keys, context)
            return Plan(whole=whole, facts=facts)
        owning = owning_of(context.elements, self.per, context.place)
        heads = np.maximum(owning.firsts, 0)
        each, facts = self._exchanged(incoming.array[heads], places[heads], keys[heads], context)
        return Plan(lambda a, b, out: np.take(each, owning.index[a:b], out=out), facts=facts)

    def _exchanged(
        self, values: np.ndarray, places: np.ndarray, keys: np.ndarray, context: Context
    ) -> tuple[np.ndarray, dict[str, float]]:
        """(k,) float32 values exchanged between places (k, 3), and the facts."""
        if len(values) < 3:
            return values, {"pairs": 0, "alike_before": 0, "alike_after": 0}
        assert isinstance(self.seed, int)
        rows = key_order(keys, places, values)
        found, counts = neighbours_of(places[rows])
        context.task.check()
        bands = self._bands_of(values[rows])
        order = np.arange(len(values))
        before = kernels.alike_pairs(bands, found, counts)
        kernels.exchange(bands, order, found, counts, np.uint32(self.seed), _PASSES, _TRIES)
        after = kernels.alike_pairs(bands, found, counts)
        out = np.empty_like(values)
        out[rows] = values[rows][order]
        return out, {"pairs": int(counts.sum()) // 2, "alike_before": before // 2, "alike_after": after // 2}


def key_order(keys: np.ndarray, places: np.ndarray, values: np.ndarray) -> np.ndarray:
    """(n,) rows in the order of (n,) uint64 keys; equal keys by place, then by value."""
    if (keys[1:] > keys[:-1]).all():
        return np.arange(len(keys))
    rows = np.argsort(keys, kind="stable")
    if (keys[rows][1:] != keys[rows][:-1]).all():
        return rows
    return np.lexsort((values, places[:, 2], places[:, 1], places[:, 0], keys))


def neighbours_of(places: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Indices (n, most) int32 and numbers (n,) uint8 of each element's neighbours."""
    n = len(places)
    reach = usual_distance(places)
    found, counts = np.empty((n, kernels.MOST), np.int32), np.zeros(n, np.uint8)
    heads = np.empty(1 << max(10, int(np.ceil(np.log2(2 * n)))), np.int64)
    kernels.neighbours(places, reach, heads, found, counts)
    return found, counts


def usual_distance(places: np.ndarray) -> float:
    """The median distance to the sixth nearest, from an even sample."""
    chosen = np.linspace(0, len(places) - 1, min(_SAMPLE, len(places))).round().astype(np.int64)
    out = np.empty(len(chosen))
    kernels.near_distances(places, chosen, min(_RANK, len(places) - 1), out)
    middle = float(np.median(out))
    return middle if middle > 0 else 1e-9
