"""The emission maker: particles born of sources, and moved by forces from frame to frame."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated, Any, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from ...digest import digest_of
from ...documents.named import check_own_names
from ...errors import BadInput
from ...kinds import NUMBER
from ...motion.births import Born, Origin, born, expected, of_burst, of_stream
from ...motion.places import Places, places_of
from ...motion.sources import MOST_FRAMES, MOST_LIVING, MOST_SOURCES, Forces, Source
from ...motion.states import Acting, State, flown, keep, kept, nobody
from ...runtime.cache import ResultCache
from ...scene.timeline import Moment
from ..particles import of_state
from ..population import Population
from .base import ALONE, ColumnSource, MakerContext, MakerModel

#: Places of populations that births were lately drawn from.
_places = ResultCache(256 * 1024 * 1024)


class EmissionMaker(MakerModel):
    """Particles out of up to eight sources, each a burst or a stream, flown from frame to frame.

    A state depends on the one before it: asking for frames in any order gives the same.
    """

    title: ClassVar[str] = "Particles"
    summary: ClassVar[str] = "particles that are born, fly and end"
    placed_by_itself: ClassVar[bool] = True
    begins: ClassVar[Mapping[str, Any]] = {"sources": [{"name": "Burst", "cone": 60, "speed": 3.0, "count": 6000}]}
    begins_painted: ClassVar[tuple[Mapping[str, Any], ...]] = (
        {"step": "attribute", "name": "lived"},
        {"step": "ramp", "stops": [{"at": at, "colour": c} for at, c in (
            (0.0, "#fff1c4"), (0.25, "#f2a03d"), (0.6, "#c0392f"), (1.0, "#3a1f3d"))]},
    )  # fmt: skip
    beginnings: ClassVar[Mapping[str, Mapping[str, Any]]] = {
        "Burst": begins,
        "Stream": {"sources": [{"name": "Stream", "births": "stream", "rate": 800, "cone": 12, "speed": 4.0}]},
        "Drifting dust": {
            "sources": [{"name": "Dust", "births": "stream", "rate": 600, "cone": 180, "speed": 0.2, "radius": 1.2,
                         "life": 4.0}],
            "forces": {"gravity": 0.0, "drag": 1.0, "turbulence": 1.5, "turbulence_size": 0.9},
        },
        "Fountain": {
            "sources": [{"name": "Fountain", "births": "stream", "rate": 2000, "cone": 8, "speed": 6.0, "life": 3.0}],
            "forces": {"gravity": 6.0, "drag": 0.1, "floor": True, "bounce": 0.35},
        },
    }  # fmt: skip

    sections: ClassVar[tuple[tuple[str, tuple[str, ...]], ...]] = (
        ("Sources", ("sources",)),
        ("Forces", ("forces",)),
        ("Following", ("substeps", "seed")),
    )

    maker: Literal["emission"]
    sources: tuple[Source, ...] = Field(
        (Source(),), min_length=1, max_length=MOST_SOURCES, title="Sources", json_schema_extra={"control": "sources"}
    )
    forces: Forces = Field(Forces(), title="Forces", json_schema_extra={"control": "fields"})
    substeps: Annotated[int, Field(ge=1, le=16)] = Field(
        2, title="Steps a frame", description="More follow quick turns more closely."
    )
    seed: Annotated[int, Field(ge=0, le=2**32 - 1)] = Field(1, title="Seed", json_schema_extra={"control": "seed"})

    @model_validator(mode="after")
    def _own_names(self) -> Self:
        check_own_names(self.sources, "source")
        return self

    @property
    def others(self) -> tuple[str, ...]:
        """The populations that particles are born on."""
        return tuple(dict.fromkeys(s.on for s in self.sources if s.out_of == "population" and s.on is not None))

    @property
    def first(self) -> int:
        """The frame at which anything can be born."""
        return min(s.begin for s in self.sources)

    def of_moment(self, moment: Moment) -> str:
        """The frame."""
        return str(self._frame(moment))

    def _frame(self, moment: Moment) -> int:
        return int(moment.frame)

    def reads(self, context: MakerContext) -> str:
        """All that decided the motion up to the frame."""
        keys = self.keys(context)
        return keys[-1] if keys else ""

    def keys(self, context: MakerContext) -> list[str]:
        """The key of each frame's state, from the first one on: all that acted until then."""
        frame = self._frame(context.moment)
        if frame - self.first >= MOST_FRAMES:
            raise BadInput(
                f"Frame {frame} lies {frame - self.first:,} frames after the first birth; at most {MOST_FRAMES:,} are "
                "followed. Let the sources begin later.",
                place="maker.sources", code="too_many",
            )  # fmt: skip
        for k, source in enumerate(self.sources):
            if source.out_of == "population" and source.on is not None:
                context.population(source.on, f"maker.sources[{k}].on")  # told where there is none
        found: list[str] = []
        key, acted = "", ""
        changes: bool | None = None
        for at in range(self.first, frame + 1):
            if at not in context.memo:
                changes = context.changes() if changes is None else changes
                if not acted or changes:
                    acted = _acted(*self._there(context, at))
                context.memo[at] = digest_of(key, acted, at)
            key = context.memo[at]
            found.append(key)
        return found

    def births(self, context: MakerContext) -> list[float]:
        """How many are born on the average in each frame, from the first one on to that of the moment."""
        found, there, now, changes = [], self, context, context.changes()
        for frame in range(self.first, self._frame(context.moment) + 1):
            before = there
            if changes:
                there, now = self._there(context, frame)
                before = self._there(context, max(frame - 1, 0))[0] if frame == self.first else before
            both = zip(before.sources, there.sources, strict=True)
            found.append(sum(expected(was, source, frame, now.moment.rate) for was, source in both))
        return found

    def living(self, frame: int, rate: float) -> int:
        """About how many live at a frame, at frames a second."""
        found = 0.0
        for s in self.sources:
            if s.births == "burst":
                found += s.count if s.begin <= frame <= s.begin + s.over + s.life * rate else 0
            else:
                seconds = min(frame, s.end) - max(s.begin, frame - s.life * rate)
                found += s.rate * max(0.0, seconds) / rate
        return int(found)

    def make(self, columns: ColumnSource, context: MakerContext = ALONE) -> Population:
        """All that live at the frame of the moment."""
        state = self.state(context)
        left = [s.on if s.out_of == "population" else None for s in self.sources]
        return of_state(state, [s.name for s in self.sources], context.moment, left)

    def state(self, context: MakerContext) -> State:
        """The state at the frame of the moment, from the nearest earlier one that is kept."""
        keys = self.keys(context)
        if not keys:
            return nobody(len(self.sources))
        at, state = len(keys), None
        while at and state is None:
            at -= 1
            state = kept(keys[at], context.states)
        at = 0 if state is None else at + 1
        found = state or nobody(len(self.sources))
        for k in range(at, len(keys)):
            context.task.reach((k - at) / (len(keys) - at), f"frame {self.first + k}")
            found = self._next(found, context, self.first + k)
            keep(keys[k], found, context.states)
        return found

    def _there(self, context: MakerContext, frame: int) -> tuple[EmissionMaker, MakerContext]:
        """The maker with its dials at a frame, and its context there."""
        if context.frames is not None and (frame != context.moment.frame):
            return context.frames(frame)
        rate = context.moment.rate
        return self, replace(context, moment=Moment(frame, frame / rate, rate))

    def _next(self, state: State, context: MakerContext, frame: int) -> State:
        """The state at a frame from that of the frame before."""
        (maker, now), (was, before) = self._there(context, frame), self._there(context, max(frame - 1, 0))
        rate, given = now.moment.rate, list(state.given)
        found: list[tuple[int, Born]] = []
        for index, source in enumerate(maker.sources):
            if source.births == "burst":
                numbers, times = of_burst(source, maker.seed, index, frame)
            else:
                numbers, times, given[index] = of_stream(was.sources[index], source, given[index], frame, rate)
            if len(numbers):
                _check_count(state.count + sum(len(b.numbers) for _, b in found) + len(numbers), index)
                origins = _origin(source, index, before), _origin(source, index, now)
                found.append((index, born(source, maker.seed, index, numbers, times, frame, rate, *origins)))
        newborn = np.zeros(0)
        if found:
            state, newborn = state.with_born(found, tuple(given))
        else:
            state = replace(state, given=tuple(given))
        return flown(state, newborn, _acting(maker, before, now), frame, rate, context.task)


def _acted(maker: EmissionMaker, context: MakerContext) -> str:
    """Digest of all that acts within the frame of a context."""
    points = [context.marker(name, place).tolist() for name, place in _markers(maker)]
    grounds = []
    for index, source in enumerate(maker.sources):
        if (
            source.out_of == "population"
            and source.on is not None
            and source.begin <= context.moment.frame <= source.last
        ):
            body = context.population(source.on, f"maker.sources[{index}].on").body
            grounds.append([body, context.placement(source.on).tolist(), _weight(source, index, context)[1]])
    return digest_of(maker.key, points, grounds, context.moment.rate)


def _markers(maker: EmissionMaker) -> list[tuple[str, str]]:
    """The markers that are read, each with its place in the document."""
    named = [(s.marker, f"maker.sources[{k}].marker") for k, s in enumerate(maker.sources) if s.out_of == "marker"]
    named += [(getattr(maker.forces, of), f"maker.forces.{of}") for of in ("attract_to", "orbit_about")]
    return [(name, place) for name, place in named if name is not None]


def _weight(source: Source, index: int, context: MakerContext) -> tuple[np.ndarray | None, str]:
    """What of the population says where more are born, (v,), and its digest."""
    if source.weight is None or source.on is None:
        return None, ""
    place = f"maker.sources[{index}].weight.name"
    if source.weight.of_look:
        kind, values, digest = source.weight.of_evaluation(context.evaluation(source.on, place), place)
    else:
        kind, values, digest = source.weight.of_population(context.population(source.on, place), place)
    if kind != NUMBER:
        raise BadInput(
            f"{source.weight.name!r} gives {kind.said}; where more are born wants a number.", place=place,
            code="wrong_kind",
        )  # fmt: skip
    return values, digest


def _origin(source: Source, index: int, context: MakerContext) -> Origin:
    """Where a source is at the moment of a context."""
    place = f"maker.sources[{index}]"
    if source.out_of == "marker":
        if source.marker is None:
            raise BadInput("Choose the marker that particles come out of.", place=f"{place}.marker", code="no_source")
        return Origin(point=context.marker(source.marker, f"{place}.marker"))
    if source.out_of == "point":
        return Origin(point=np.array(source.point, np.float64))
    if source.on is None:
        raise BadInput("Choose the population that particles are born on.", place=f"{place}.on", code="no_source")
    population, placement = context.population(source.on, f"{place}.on"), context.placement(source.on)
    weight, digest = _weight(source, index, context)
    key = digest_of("places", population.body, placement, digest)
    found: Places | None = _places.get(key)
    if found is None:
        found = places_of(population, placement, weight, f"{place}.weight" if source.weight else f"{place}.on")
        _places.put(key, found, 4 * found.vertices.nbytes + 2 * found.corners.nbytes)
    return Origin(places=found)


def _acting(maker: EmissionMaker, before: MakerContext, now: MakerContext) -> list[Acting]:
    """What acts in each substep of the frame that ends at ``now``: markers are where they are at its middle."""

    def between(name: str | None, place: str, part: float) -> np.ndarray:
        if name is None:
            return np.zeros(3)
        a, b = (context.marker(name, place) for context in (before, now))
        return a + part * (b - a)

    found = []
    for k in range(maker.substeps):
        part = (k + 0.5) / maker.substeps
        towards = between(maker.forces.attract_to, "maker.forces.attract_to", part)
        about = between(maker.forces.orbit_about, "maker.forces.orbit_about", part)
        forces = maker.forces if maker.forces.attract_to else maker.forces.model_copy(update={"attraction": 0.0})
        found.append(Acting(maker.sources, forces, towards, about, maker.seed))
    return found


def _check_count(count: int, index: int) -> None:
    if count > MOST_LIVING:
        raise BadInput(
            f"{count:,} particles would live at a time; at most {MOST_LIVING:,} are taken. Lower the count or rate, or "
            "shorten their lives.",
            place=f"maker.sources[{index}]", code="too_many",
        )  # fmt: skip
