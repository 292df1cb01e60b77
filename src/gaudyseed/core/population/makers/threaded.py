"""The maker of points along strands: clones threaded onto them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...digest import digest_of
from ...errors import BadInput
from ...geometry.frames import orientations
from ...kernels import hashing
from ...scene.follow import Dialled
from ..attribute import Attribute
from ..attribute import Field as Column
from ..elements import Owners
from ..forms import Curves
from ..meshes import column
from ..population import Population, Standing, of_points
from ..strands import STRAND, along_of, drawn_places
from .base import ALONE, ColumnSource, MakerContext, MakerModel
from .footing import LARGEST_COUNT

if TYPE_CHECKING:
    from ...look.results import LaneResult

_Share = Annotated[float, Field(ge=0, le=1)]
_THINNING, _SIZES, _CHOOSING = np.uint32(0x7417), np.uint32(0x512E), np.uint32(0xC405)
#: Of one strand.
MOST_ON_ONE = 10_000
#: What a point has of its own, whatever its strand has under that name.
_OWN = ("position", "normal", "orientation", "size", "id", "curve_position")


class ThreadedMaker(MakerModel):
    """Clones along the strands of another population, which carry all that the strands have there.

    The step *ground* reads the strands' channels and signals at their places.
    """

    summary: ClassVar[str] = "things put onto the strands that are there"
    begins_painted: ClassVar[tuple[Mapping[str, Any], ...]] = ({"step": "ground"},)
    sections: ClassVar[tuple[tuple[str, tuple[str, ...]], ...]] = (
        ("How many", ("by", "count", "spacing", "share", "thinned", "seed")),
        ("Where and how large", ("first", "last", "size", "size_variation")),
    )
    title: ClassVar[str] = "Beads on strands"

    maker: Literal["threaded"]
    on: str | None = Field(
        None, pattern=r"^[a-z0-9_-]{1,40}$", title="Along", description="Strands of the scene.",
        json_schema_extra={"control": "strands"},
    )  # fmt: skip
    by: Dialled[Literal["number", "spacing"]] = Field("number", title="By")
    count: Dialled[Annotated[int, Field(ge=1, le=MOST_ON_ONE)]] = Field(
        5, title="On each strand", json_schema_extra={"when": {"by": "number"}}
    )
    spacing: Dialled[Annotated[float, Field(gt=0, le=1000)]] = Field(
        0.05, title="Spacing", description="From one to the next, along the strand.",
        json_schema_extra={"unit": "units", "when": {"by": "spacing"}},
    )  # fmt: skip
    share: Dialled[_Share] = Field(
        1.0, title="Strands", description="The part of the strands that have any.", json_schema_extra={"unit": "share"}
    )
    first: Dialled[_Share] = Field(0.1, title="From", description="Along the strand, 0 at the root.",
                                   json_schema_extra={"unit": "share"})  # fmt: skip
    last: Dialled[_Share] = Field(1.0, title="to", json_schema_extra={"unit": "share"})
    thinned: Dialled[bool] = Field(
        True, title="Thinned", description="By the strands' channel density: the part of the beads that is there."
    )
    size: Dialled[Annotated[float, Field(gt=0, le=10)]] = Field(0.02, title="Size", json_schema_extra={"unit": "units"})
    size_variation: Dialled[_Share] = Field(0.2, title="Size variation")
    seed: Dialled[Annotated[int, Field(ge=0, le=2**32 - 1)]] = Field(1, title="Seed")

    @property
    def stands_on(self) -> str | None:
        """The id of the strands that beads are on."""
        return self.on

    def reads(self, context: MakerContext) -> str:
        """The strands, and their density; not their look otherwise."""
        if self.on is None:
            return ""
        density = self._density(context, self.on)
        body = context.population(self.on, "maker.on")
        return digest_of("threaded", body.body, [a.digest for a in body.elements.own.values()],
                         density.digest if density else "")  # fmt: skip

    def _density(self, context: MakerContext, on: str) -> LaneResult | None:
        """What thins them; None where nothing does."""
        return context.evaluation(on, "maker.on").lanes.get("density") if self.thinned else None

    def make(self, columns: ColumnSource, context: MakerContext = ALONE) -> Population:
        """Place them, leave out those that the density has no room for, and give each what its strand has there."""
        strands, form = self._strands(context)
        names = strands.elements.owners[0].attributes[STRAND]
        named = (names.values if names.kind == "integer" else np.arange(form.count)).astype(np.int64)
        strand, number, at = self._laid_out(strands, form, named)
        low, high, part = _between(strands, form, strand, at)
        keys = named[strand]
        words = (keys & 0xFFFFFFFF).astype(np.uint32), number.astype(np.uint32)
        kept = self._kept(context, low, high, part, words)
        strand, low, high, part, number, keys = (v[kept] for v in (strand, low, high, part, number, keys))
        words = words[0][kept], words[1][kept]
        context.task.check()
        corners = np.stack([low, high, high], -1).astype(np.int32)
        weights = np.stack([1 - part, part, np.zeros_like(part)], -1).astype(np.float32)
        assert self.on is not None
        standing = Standing(self.on, np.ascontiguousarray(corners), np.ascontiguousarray(weights))
        ways = standing.carried(strands.elements.attribute("direction").readable)
        parts = np.empty((len(strand), 3), np.float32)
        hashing.random_three(*words, np.uint32(self.seed), _SIZES, parts)
        sizes = np.float32(self.size) * (1 + np.float32(self.size_variation) * (2 * parts[:, 0] - 1))
        table = [
            Attribute("id", "integer", keys * MOST_ON_ONE + number, (), (Column("id", "<i8"),)),
            column("position", "vector", standing.carried(drawn_places(strands)), "x", "y", "z"),
            column("normal", "vector", ways, "nx", "ny", "nz"),
            column("orientation", "vector", orientations(ways, parts[:, 1]), "qx", "qy", "qz", "qw"),
            column("size", "number", sizes, "size"),
            *_carried(strands, standing, np.where(part < 0.5, low, high)),
        ]
        made = of_points(len(strand), {a.name: a for a in table}, (), _owners(strands, strand))
        return Population(made.kind, made.elements, made.form, made.notes, standing)

    def _strands(self, context: MakerContext) -> tuple[Population, Curves]:
        if self.on is None:
            raise BadInput(
                "These beads are on no strands yet. Choose strands of the scene under Along, or grow some first.",
                place="maker.on", code="no_ground",
            )  # fmt: skip
        strands = context.population(self.on, "maker.on")
        form = strands.form.curves
        if form is None:
            raise BadInput(
                "What the beads are on is no strands. Choose strands under Along.", place="maker.on", code="wrong_kind"
            )
        return strands, form

    def _laid_out(
        self, strands: Population, form: Curves, named: np.ndarray
    ) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """(m,) the strand of each, its number there, and how far along it is, 0 to 1."""
        first, last = min(self.first, self.last), max(self.first, self.last)
        lengths = strands.elements.owners[0].attributes["strand_length"].values.astype(np.float64)
        if self.by == "number":
            counts = np.full(form.count, self.count, np.int64)
        else:
            counts = np.minimum((last - first) * lengths / self.spacing + 1e-9, MOST_ON_ONE - 1).astype(np.int64) + 1
        counts[form.sizes < 2] = 0
        if self.share < 1:
            drawn = np.empty(form.count, np.float32)
            low = (named & 0xFFFFFFFF).astype(np.uint32)
            hashing.random_one(low, np.zeros(form.count, np.uint32), np.uint32(self.seed), _CHOOSING, drawn)
            counts[drawn >= self.share] = 0
        whole = int(counts.sum())
        if whole > LARGEST_COUNT:
            raise BadInput(
                f"That makes {whole:,} beads; at most {LARGEST_COUNT:,} are made. Put fewer on each strand, or wider "
                "apart.",
                place="maker", code="too_many",
            )  # fmt: skip
        if not whole:
            raise BadInput(
                "No strand has room for a bead: all are single points, or none is among the part that has any.",
                place="maker.on", code="no_room",
            )  # fmt: skip
        strand = np.repeat(np.arange(form.count), counts)
        number = np.arange(whole) - np.repeat(np.cumsum(counts) - counts, counts)
        if self.by == "number":
            at = first + (last - first) * (number / (self.count - 1) if self.count > 1 else np.full(whole, 0.5))
        else:
            at = first + number * self.spacing / np.maximum(lengths[strand], 1e-30)
        return strand, number, np.minimum(at, 1.0)

    def _kept(
        self, context: MakerContext, low: np.ndarray, high: np.ndarray, part: np.ndarray,
        words: tuple[np.ndarray, np.ndarray],
    ) -> np.ndarray:  # fmt: skip
        """(k,) which of them are there."""
        assert self.on is not None
        lane = self._density(context, self.on)
        if lane is None:
            return np.arange(len(low))
        density = lane.values[low] * (1 - part) + lane.values[high] * part
        drawn = np.empty(len(low), np.float32)
        hashing.random_one(*words, np.uint32(self.seed), _THINNING, drawn)
        kept = np.flatnonzero(drawn < density)
        if not len(kept):
            raise BadInput(
                "The strands' density is 0 wherever a bead would be. Raise it, or switch the thinning off.",
                place="maker.thinned", code="no_room",
            )  # fmt: skip
        return kept


def _between(
    strands: Population, form: Curves, strand: np.ndarray, at: np.ndarray
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(m,) the points before and after each place along a strand, and the part of the way from one to the other."""
    along = along_of(strands).astype(np.float64)
    # One rising column for all strands: the strand's number and, behind the point, the place along.
    rising = form.curve_of + along * 0.5
    low = np.searchsorted(rising, strand + at * 0.5, side="right") - 1
    low = np.clip(low, form.starts[strand], form.starts[strand + 1] - 2)
    span = along[low + 1] - along[low]
    part = np.clip((at - along[low]) / np.where(span > 0, span, 1), 0, 1)
    return low, low + 1, part


def _carried(strands: Population, standing: Standing, nearest: np.ndarray) -> list[Attribute]:
    """What the points of the strands have there: numbers between two of them, all else of the nearer one."""
    found = []
    for name in strands.elements.names:
        if name in _OWN or strands.elements.level_of(name) != strands.elements.level:
            continue
        a = strands.elements.attribute(name)
        if a.kind in ("number", "vector") and a.missing is None:
            fields = tuple(Column(f.name, "<f4") for f in a.fields)
            found.append(Attribute(name, a.kind, standing.carried(a.readable), (), fields, None, a.stands_for))
        else:
            found.append(a.taken(nearest))
    return found


def _owners(strands: Population, strand: np.ndarray) -> tuple[Owners, ...]:
    """Strands and parts as owners of the beads; their columns stay with the strands."""
    found = []
    for above in strands.elements.owners:
        index = np.ascontiguousarray(strand, np.int32) if not above.below else above.index
        table = {n: Attribute(a.name, a.kind, a.values, a.labels, (), a.missing, a.stands_for, a.light)
                 for n, a in above.attributes.items()}  # fmt: skip
        found.append(Owners(above.level, index, table, above.below))
    return tuple(found)
