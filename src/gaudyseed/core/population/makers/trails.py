"""The trails maker: the ways of particles as curves, from their oldest point to where they are."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...digest import digest_of
from ...documents.references import Names
from ...errors import BadInput
from ...motion.trailing import Seen, trailed
from ...runtime.cache import ResultCache
from ...scene.follow import Dialled
from ...scene.timeline import Frame, Moment
from ..attribute import Attribute
from ..attribute import Field as Column
from ..elements import KEY
from ..following import Following
from ..forms import Curves, Section
from ..population import Population
from ..strands import MOST_POINTS, STRAND, of_curves
from .base import ALONE, ColumnSource, MakerContext, MakerModel

#: What trails lately saw of the particles of each frame.
_seen = ResultCache(256 * 1024 * 1024)

_Share = Annotated[float, Field(ge=0, le=1)]


class TrailsMaker(MakerModel):
    """A trail for each particle of another population: its points lie where it was, in order of time.

    Particles are known by their ids. A trail is as thick as its particle, whose size is a radius: its width is twice
    that, times a factor.
    """

    title: ClassVar[str] = "Trails"
    summary: ClassVar[str] = "the ways that particles flew"
    placed_by_itself: ClassVar[bool] = True
    begins_painted: ClassVar[tuple[Mapping[str, Any], ...]] = (
        {"step": "particle", "of": "channel", "name": "base_colour", "when": "then"},
    )
    sections: ClassVar[tuple[tuple[str, tuple[str, ...]], ...]] = (
        ("Of which", ("on", "every", "beyond")),
        ("How far", ("back", "gone", "fading", "points")),
        ("Width", ("width_by", "width", "tail", "head")),
        ("Section", ("section", "sides", "ends")),
    )

    maker: Literal["trails"]
    on: Annotated[str | None, Names("population")] = Field(
        None, pattern=r"^[a-z0-9_-]{1,40}$", title="Of", description="Particles of the scene.",
        json_schema_extra={"control": "origin"},
    )  # fmt: skip
    every: Dialled[Annotated[int, Field(ge=1, le=1_000_000)]] = Field(
        1, title="One in", description="Of particles by their ids."
    )
    beyond: Dialled[Annotated[int, Field(ge=0, le=2**31 - 1)]] = Field(
        0, title="From id on", description="Particles of lower ids leave no trail."
    )
    begin: Frame = Field(0, title="From frame", description="Nothing is drawn before it.")
    back: Dialled[Annotated[int, Field(ge=1, le=10_000)]] = Field(
        30, title="Frames back", description="How long a trail is, in time."
    )
    gone: Dialled[Literal["drawn_in", "stays", "fades"]] = Field(
        "drawn_in", title="When a particle is gone",
        description="Its trail is drawn in after it, stays as it was, or stays for a while with a rising *fading*.",
    )  # fmt: skip
    fading: Dialled[Annotated[int, Field(ge=1, le=10_000)]] = Field(
        24, title="Frames of fading", json_schema_extra={"when": {"gone": "fades"}}
    )
    points: Annotated[int, Field(ge=1, le=16)] = Field(
        1, title="Points a frame", description="More bend the trail where particles turn quickly."
    )
    width_by: Dialled[Literal["then", "now"]] = Field("then", title="Width by the particle's size")
    width: Dialled[Annotated[float, Field(ge=0, le=1000)]] = Field(
        1.0, title="Width", json_schema_extra={"unit": "times"}
    )
    tail: Dialled[_Share] = Field(
        0.5, title="Taper at the tail", description="The part of it that swells from nothing."
    )
    head: Dialled[_Share] = Field(0.0, title="Taper at the head")

    section: Literal["flat", "round"] = Field(
        "flat", title="Section", description="Flat trails turn to the eye; round ones are tubes, in GLB files too."
    )
    sides: Annotated[int, Field(ge=4, le=32)] = Field(
        8, title="Sides", json_schema_extra={"when": {"section": "round"}}
    )
    ends: Literal["round", "flat"] = Field("round", title="Ends", json_schema_extra={"when": {"section": "round"}})

    @property
    def others(self) -> tuple[str, ...]:
        """The population whose particles draw them."""
        return () if self.on is None else (self.on,)

    def of_moment(self, moment: Moment) -> str:
        """The frame."""
        return str(int(moment.frame))

    def _frames(self, moment: Moment) -> range:
        """The frames whose states are met."""
        last = int(moment.frame)
        further = {"drawn_in": 0, "fades": self.fading, "stays": last}[self.gone]
        return range(max(self.begin, last - self.back - further, 0), last + 1)

    def reads(self, context: MakerContext) -> str:
        """The states of all frames that are met."""
        if self.on is None:
            return ""
        context.population(self.on, "maker.on")
        keys = context.memo
        for frame in self._frames(context.moment):
            if frame not in keys:
                keys[frame] = context.request_key(self.on, frame)
        return digest_of("trails", [keys[frame] for frame in self._frames(context.moment)])

    def make(self, columns: ColumnSource, context: MakerContext = ALONE) -> Population:
        """The trails at the frame of the moment."""
        if self.on is None:
            raise BadInput("Choose the particles that leave trails.", place="maker.on", code="no_source")
        frames, on = self._frames(context.moment), self.on
        seen = []
        for k, frame in enumerate(frames):
            context.task.reach(0.8 * k / len(frames), f"frame {frame}")
            # Of the frame before all but one were seen.
            known = context.memo.get(frame, "")
            key = f"{frame} {self.every} {self.beyond} {known}"
            found: Seen | None = _seen.get(key) if known else None
            if found is None:
                found = self._seen(context.there(frame).population(on, "maker.on"), frame)
                if known:
                    _seen.put(key, found, found.nbytes)
            seen.append(found)
        most = sum(len(s.ids) for s in seen) * self.points
        if most > MOST_POINTS:
            raise BadInput(
                f"These trails would have about {most:,} points; at most {MOST_POINTS:,} are taken. Look less far "
                "back, take one particle in several, or fewer points a frame.",
                place="maker.back", code="too_many",
            )  # fmt: skip
        return self._of(seen, context)

    def _seen(self, there: Population, frame: int) -> Seen:
        """What is needed of the particles of a frame."""
        elements = there.elements
        ids = elements.find("id")
        if ids is None or ids.kind != "integer":
            raise BadInput(
                "Trails follow particles by whole ids, and these have none. Give each an id that stays its own.",
                place="maker.on", code="no_ids",
            )  # fmt: skip
        numbers = ids.precise().astype(np.int64)
        velocity, size = elements.find("velocity"), elements.find("size")
        moving = velocity is not None and velocity.kind == "vector" and velocity.width == 3
        sized = size is not None and size.kind in ("number", "integer") and size.width == 1
        every = self.every == 1 and self.beyond == 0
        rows = slice(None) if every else np.flatnonzero((numbers >= self.beyond) & (numbers % self.every == 0))
        numbered = np.arange(len(numbers), dtype=np.int32)
        birth, born = elements.find("birth_position"), elements.find("birth_frame")
        known = birth is not None and born is not None
        return Seen(
            frame, numbers[rows], numbered[rows], elements.attribute("position").readable[rows],
            velocity.readable[rows] if moving and velocity is not None else None,
            size.readable[rows] if sized and size is not None else np.full(len(numbered[rows]), 0.01, np.float32),
            birth.readable[rows] if known and birth is not None else None,
            born.readable[rows] if known and born is not None else None,
        )  # fmt: skip

    def _of(self, seen: list[Seen], context: MakerContext) -> Population:
        last, rate = int(context.moment.frame), context.moment.rate
        found = trailed(seen, rate, self.points, last, self.back, self.gone, self.fading)
        section = Section(self.sides, self.ends == "round") if self.section == "round" else None
        form = Curves(found.starts, section=section)
        sizes = found.sizes if self.width_by == "then" else found.sizes_now
        widths = 2 * np.float32(self.width) * sizes
        table = {
            "position": Attribute("position", "vector", found.places, fields=tuple(Column(a, "<f4") for a in "xyz")),
            "drawn_frame": Attribute("drawn_frame", "number", found.frames, fields=(Column("drawn_frame", "<f4"),)),
            "drawn_ago": Attribute("drawn_ago", "number", ((last - found.frames) / rate).astype(np.float32)),
        }
        strands = {
            STRAND: Attribute(STRAND, "integer", found.ids, fields=(Column(STRAND, "<i4"),)),
            "trail": Attribute("trail", "integer", found.ids, fields=(Column("trail", "<i4"),)),
            "fading": Attribute("fading", "number", found.fading),
        }
        bare = of_curves(table, form, strands)
        along = bare.elements.attribute("along").readable
        widths = widths * _tapered(along, self.tail, self.head)
        # Of a frame to a sixteenth: no two points of a trail have one.
        known = found.ids[form.curve_of].astype(np.int64) * 2**24 + np.rint(16 * found.frames).astype(np.int64)
        more = {
            "width": Attribute("width", "number", widths.astype(np.float32), stands_for="length",
                               fields=(Column("width", "<f4"),)),
            KEY: Attribute(KEY, "integer", known),
        }  # fmt: skip
        made = replace(bare, elements=bare.elements.with_more(more))
        met = np.array([s.frame for s in seen], np.int64)
        following = Following(self.on or "", self.reads(context), met, found.between)
        return replace(made, kind="trails", following=following)


def _tapered(along: np.ndarray, tail: float, head: float) -> np.ndarray:
    """(n,) float32 from 0 to 1: smooth steps over the parts of the way at either end."""
    found = np.ones(len(along), np.float32)
    for t, part in ((along, tail), (1 - along, head)):
        if part:
            x = np.clip(t / np.float32(part), 0, 1)
            found *= x * x * (3 - 2 * x)
    return found
