"""The sequence maker: an imported population that is another one from frame to frame."""

from __future__ import annotations

import bisect
import itertools
import json
from collections.abc import Sequence
from functools import lru_cache
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field, model_validator

from ...digest import digest_of
from ...documents.document import Document, parse, parse_json
from ...errors import BadInput
from ...runtime.cache import ResultCache
from ...scene.follow import Dialled
from ...scene.timeline import Frame, Moment
from ..appearing import Appearances, appearances, flying
from ..kinds.clones import taken_clones
from ..meshes import Subdivision
from ..population import Population
from .base import ALONE, ColumnSource, MakerContext, MakerModel
from .imported import LARGEST_COUNT, ImportedMaker

MOST_FRAMES = 10_000


class SequenceFrame(Document):
    """What was imported for a frame; None where nobody lives."""

    frame: Frame
    maker: ImportedMaker | None = None


class SequenceMaker(MakerModel):
    """Columns that were imported frame by frame; those that do not change are kept once.

    The list of the frames lies in the store, by content. Between two of them the earlier one holds, before the first
    its own.
    """

    title: ClassVar[str] = "Sequence"
    offered: ClassVar[bool] = False

    maker: Literal["sequence"]
    file: str = Field(max_length=200, description="Name of the file it came from, or of the first of them.")
    first: Frame = 0
    last: Frame = 0
    count: int = Field(ge=1, le=LARGEST_COUNT, description="Elements of the first frame that has any.")
    frames: str = Field(pattern=r"^[0-9a-f]{32}$", description="Digest of the list of frames.")
    subdivision: Subdivision = Field(
        0, title="Subdivision", description="Each level has about four times the vertices of the one below."
    )
    smooth: Dialled[bool] = Field(True, title="Smooth", description="Off cuts the faces and keeps their form.")
    particles: bool = Field(
        False, title="As particles",
        description="Points that are told apart by whole ids: their velocity, age and lifetime follow from these.",
    )  # fmt: skip

    @model_validator(mode="before")
    @classmethod
    def _without_frame(cls, value: Any) -> Any:
        """Documents of before had the frame of the moment among what is stored."""
        return {k: v for k, v in value.items() if k != "at"} if isinstance(value, dict) else value

    def of_moment(self, moment: Moment) -> str:
        """The frame that is made: within those that there are."""
        return str(self._frame(moment))

    def _frame(self, moment: Moment) -> int:
        return int(min(max(moment.frame, self.first), self.last))

    def make(self, columns: ColumnSource, context: MakerContext = ALONE) -> Population:
        """The population of the moment that is wanted."""
        try:
            data = columns.column(self.frames)
        except KeyError:
            raise BadInput(
                f"The frames of {self.file} are not in this store. Import it again.", place="maker.frames"
            ) from None
        listed = _read(bytes(data))
        k = max(0, bisect.bisect_right([of.frame for of in listed], self._frame(context.moment)) - 1)
        made = self._made(k, listed, columns, context)
        return self._flying(made, k, listed, columns, context) if self.particles else made

    def _made(
        self, k: int, listed: tuple[SequenceFrame, ...], columns: ColumnSource, context: MakerContext
    ) -> Population:
        """The population of the k-th frame; where nobody lives none of the nearest where somebody does."""
        living = [j for j, of in enumerate(listed) if of.maker is not None]
        nearest = min(living, key=lambda j: abs(j - k))
        maker = listed[nearest].maker
        assert maker is not None
        made = maker.changed(subdivision=self.subdivision, smooth=self.smooth).make(columns, context)
        return made if nearest == k else taken_clones(made, np.zeros(0, np.intp))

    def _flying(
        self, made: Population, k: int, listed: tuple[SequenceFrame, ...], columns: ColumnSource, context: MakerContext
    ) -> Population:
        """The points of the k-th frame as particles."""
        if not made.form.alone or "id" not in made.elements.own:
            raise BadInput(
                "Only points with whole ids can be followed as particles. Leave that off, or export ids.",
                place="maker.particles", code="no_ids",
            )  # fmt: skip
        there: Appearances | None = _there.get(self.frames)
        if there is None:
            frames = [of.frame for of in listed]
            words: dict[str, int] = {}
            there = appearances(
                frames, lambda j: _ids(listed[j].maker, columns, context),
                lambda j: _sources(listed[j].maker, columns, words),
            )  # fmt: skip
            _there.put(self.frames, there, 3 * there.ids.nbytes)
        around = [max(k - 1, 0), k, min(k + 1, len(listed) - 1)]
        before, after = (self._made(j, listed, columns, context) if j != k else None for j in around[::2])
        frames3 = listed[around[0]].frame, listed[k].frame, listed[around[2]].frame
        return flying(made, before, after, frames3, there, context.moment.rate)


#: When ids are there, by the list of frames.
_there = ResultCache(256 * 1024 * 1024)


def _ids(maker: ImportedMaker | None, columns: ColumnSource, context: MakerContext) -> np.ndarray:
    """(n,) int64: the ids of a frame, out of their column alone."""
    context.task.check()
    if maker is None:
        return np.zeros(0, np.int64)
    stored = maker.stored("id", columns)
    if stored is None or stored.kind != "integer":
        raise BadInput(
            "Some of these frames have no whole ids, so none can be followed. Leave *As particles* off, or export ids.",
            place="maker.particles", code="no_ids",
        )  # fmt: skip
    return stored.precise().astype(np.int64)


def _sources(maker: ImportedMaker | None, columns: ColumnSource, words: dict[str, int]) -> np.ndarray | None:
    """(n,) int64: numbers of the sources of a frame, by their words in ``words``; None where it has none."""
    stored = None if maker is None else maker.stored("source", columns)
    if stored is None or stored.kind not in ("integer", "text"):
        return None
    if stored.kind == "text":
        numbers = np.array([words.setdefault(word, len(words)) for word in stored.labels] or [0], np.int64)
        return numbers[stored.values]
    return stored.precise().astype(np.int64) & 0x7FFFFFFF


@lru_cache(maxsize=16)
def _read(data: bytes) -> tuple[SequenceFrame, ...]:
    listed = parse_json(data, "maker.frames")
    if not isinstance(listed, list) or not listed or len(listed) > MOST_FRAMES:
        raise BadInput("The list of frames is another column. Import the sequence again.", place="maker.frames")
    return tuple(parse(SequenceFrame, of, "maker.frames") for of in listed)


def sequence_of(frames: Sequence[SequenceFrame], file: str) -> tuple[SequenceMaker, dict[str, bytes]]:
    """The maker of a sequence, and its list of frames to be stored, by digest.

    BadInput where frames do not follow each other, where some are meshes and some are not, and where nobody lives at
    any frame, or at one of what is no points.
    """
    for before, after in itertools.pairwise(frames):
        if after.frame <= before.frame:
            raise BadInput(
                f"Frame {after.frame} comes after frame {before.frame}. List each frame once, in order.",
                place="frames", code="bad_frames",
            )  # fmt: skip
    makers = [of.maker for of in frames if of.maker is not None]
    kinds = {"meshes" if m.faces else "strands" if m.curves else "points" for m in makers}
    empty = next((of.frame for of in frames if of.maker is None), None)
    if empty is not None and kinds != {"points"}:
        what = f"and the others are {', '.join(kinds)}" if kinds else "and there is none where somebody does"
        raise BadInput(
            f"At frame {empty} nobody lives, {what}. Leave that frame out.", place="frames", code="bad_frames"
        )
    if len(kinds) > 1:
        raise BadInput(
            f"Some of these frames are {' and some are '.join(sorted(kinds))}. Import them apart.",
            place="frames", code="bad_frames",
        )  # fmt: skip
    data = json.dumps([of.model_dump(mode="json") for of in frames], separators=(",", ":")).encode()
    digest = digest_of(data)
    maker = SequenceMaker(
        maker="sequence", file=file[:200], first=frames[0].frame, last=frames[-1].frame, count=makers[0].count,
        frames=digest,
    )  # fmt: skip
    return maker, {digest: data}
