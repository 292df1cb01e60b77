"""The strands maker: strands that grow on a surface."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field
from pydantic.config import JsonDict

from ...errors import BadInput
from ...geometry.nearest import NearestPoint
from ...kernels import growing, hashing
from ...kernels.parallel import over
from ...reading import Reading
from ...scene.follow import Dialled
from ..attribute import Attribute
from ..attribute import Field as Column
from ..elements import Owners
from ..forms import Curves
from ..meshes import column
from ..population import Population, Standing
from ..strands import MOST_POINTS, STRAND, check_points, of_curves
from .base import ALONE, FIRST_RAMP, ColumnSource, MakerContext
from .footing import LARGEST_COUNT, Footed

#: Points that one strand of a maker may have.
MOST_A_STRAND = 10_000
_LENGTHS, _WIDTHS = np.uint32(0x1E46), np.uint32(0x71D7)
#: Strands that a thread grows at a time.
_CHUNK = 512
#: So that clumps stand elsewhere than strands.
_CLUMP_SALT = 0x5EED
#: Strands shorter than this part of the length are not there.
_SHORTEST = 1e-3

_Part = Annotated[float, Field(ge=0, le=1)]
_Units = Annotated[float, Field(ge=0, le=1000)]
_Degrees = Annotated[float, Field(ge=0, le=180)]
_Number = Annotated[float, Field(ge=0, le=200)]
_Coordinate = Dialled[Annotated[float, Field(ge=-1e6, le=1e6)]]
_UNITS: JsonDict = {"unit": "units"}


class StrandsMaker(Footed):
    """Strands on a surface: their length, how they lean, droop, curl and clump, and their width.

    Raising the count keeps the strands that were there.
    """

    title: ClassVar[str] = "Strands"
    summary: ClassVar[str] = "hair, wool, grass, fringes on a surface"
    begins: ClassVar[Mapping[str, Any]] = {"surface": "ball"}
    begins_painted: ClassVar[tuple[Mapping[str, Any], ...]] = ({"step": "along"}, FIRST_RAMP)
    sections: ClassVar[tuple[tuple[str, tuple[str, ...]], ...]] = (
        ("How many", ("count", "evenness", "density", "points", "seed")),
        ("Length and lean", ("length", "length_by", "length_variation", "lean", "lean_variation", "toward", "droop")),
        ("Waves and curls", ("wave", "waves", "curl", "curls", "frizz")),
        ("Clumps", ("clumps", "tightness", "clump_shape")),
        ("Width", ("width_root", "width_tip", "width_variation")),
    )
    beginnings: ClassVar[Mapping[str, Mapping[str, Any]]] = {
        "Wool": {"count": 3_000, "length": 0.3, "lean": 25.0, "lean_variation": 20.0, "droop": 0.3, "curl": 0.025,
                 "curls": 5.0, "frizz": 0.02, "clumps": 400, "tightness": 0.5, "width_root": 0.012,
                 "width_tip": 0.009},
        "Fringe": {"surface": "ring", "count": 1_600, "length": 0.6, "length_variation": 0.08, "lean": 4.0,
                   "lean_variation": 4.0, "droop": 2.2, "width_root": 0.01, "width_tip": 0.01, "points": 20},
        "Fur": {"count": 9_000, "length": 0.22, "lean": 38.0, "lean_variation": 12.0, "toward": (0.0, -1.0, -0.4),
                "droop": 0.5, "clumps": 900, "tightness": 0.6, "width_root": 0.006, "width_tip": 0.001, "points": 10},
        "Grass": {"surface": "sheet", "count": 4_000, "length": 0.34, "length_variation": 0.45, "lean": 14.0,
                  "lean_variation": 16.0, "droop": 0.7, "width_root": 0.016, "width_tip": 0.002, "points": 8},
    }  # fmt: skip
    counted: ClassVar[bool] = True

    maker: Literal["strands"]
    length_by: Reading | None = Field(
        None, title="Length by", description="What of that mesh the length is multiplied by; none grow where it is 0.",
        json_schema_extra={"control": "reading"},
    )  # fmt: skip
    count: Dialled[Annotated[int, Field(ge=1, le=LARGEST_COUNT)]] = Field(
        2_000, title="Count", description="How many strands to grow."
    )
    seed: Dialled[Annotated[int, Field(ge=0, le=2**32 - 1)]] = Field(1, title="Seed")
    evenness: Dialled[Annotated[float, Field(ge=0, le=0.75)]] = Field(
        0.5, title="Evenness", description="0 is purely random, 0.75 as even as can be."
    )
    points: Dialled[Annotated[int, Field(ge=2, le=MOST_A_STRAND)]] = Field(
        16, title="Points", description="Along each strand."
    )
    length: Dialled[Annotated[float, Field(gt=0, le=1000)]] = Field(0.4, title="Length", json_schema_extra=_UNITS)
    length_variation: Dialled[_Part] = Field(
        0.25, title="Length variation", description="The part of the length that varies at random."
    )
    lean: Dialled[_Degrees] = Field(
        12.0, title="Lean", description="Away from the surface's normal.", json_schema_extra={"unit": "°"}
    )
    lean_variation: Dialled[_Degrees] = Field(10.0, title="Lean variation", json_schema_extra={"unit": "°"})
    toward: tuple[_Coordinate, _Coordinate, _Coordinate] = Field(
        (0.0, 0.0, 0.0), title="Toward", description="The way they lean; with 0, 0, 0 each leans its own way.",
        json_schema_extra={"control": "three"},
    )  # fmt: skip
    droop: Dialled[_Number] = Field(
        0.6, title="Droop", description="How far their weight bends them down; longer ones are heavier."
    )
    wave: Dialled[_Units] = Field(0.0, title="Wave", description="How far it goes to the side.",
                                  json_schema_extra=_UNITS)  # fmt: skip
    waves: Dialled[_Number] = Field(2.0, title="Waves", description="Along a strand.")
    curl: Dialled[_Units] = Field(0.0, title="Curl", description="The radius of its windings.",
                                  json_schema_extra=_UNITS)  # fmt: skip
    curls: Dialled[_Number] = Field(4.0, title="Windings", description="Along a strand.")
    clumps: Dialled[Annotated[int, Field(ge=0, le=100_000)]] = Field(
        0, title="Clumps", description="How many; 0 for none."
    )
    tightness: Dialled[_Part] = Field(
        0.7, title="Tightness", description="How close to its middle a clump is at the tips."
    )
    clump_shape: Dialled[Annotated[float, Field(ge=0.1, le=10)]] = Field(
        1.5, title="Clump shape", description="Below 1 clumps close near the root, above 1 near the tip."
    )
    frizz: Dialled[_Units] = Field(0.0, title="Frizz", description="How far tips go astray.", json_schema_extra=_UNITS)
    width_root: Dialled[_Units] = Field(0.006, title="Width at the root", json_schema_extra=_UNITS)
    width_tip: Dialled[_Units] = Field(0.002, title="Width at the tip", json_schema_extra=_UNITS)
    width_variation: Dialled[_Part] = Field(
        0.2, title="Width variation", description="The part of the width that varies at random."
    )

    def readings(self) -> tuple[tuple[str, Reading | None], ...]:
        """Where they grow, and how long."""
        return (*super().readings(), ("length_by", self.length_by))

    def estimated(self) -> int:
        """The points of all strands."""
        return self.count * self.points

    def make(self, columns: ColumnSource, context: MakerContext = ALONE) -> Population:
        """Place the roots, then grow each strand."""
        check_points(self.estimated(), "maker.count")
        room = max(0, MOST_POINTS // self.points - self.count)
        if self.clumps > room:
            raise BadInput(
                f"{self.count:,} strands and {self.clumps:,} clumps of {self.points:,} points have more than "
                f"{MOST_POINTS:,} points together. At most {room:,} clumps fit; or use fewer points along each.",
                place="maker.clumps", code="too_many",
            )  # fmt: skip
        rooting, growing_them = context.part(0, 0.5), context.part(0.5, 1)
        found, parts, standing = self.feet(rooting, self.count, self.seed, 0.0, self.evenness)
        notes: tuple[str, ...] = ()
        if len(found.positions) < self.count:
            notes = (f"The surface took {len(found.positions):,} of {self.count:,} strands. Lower the evenness.",)
        low = (found.numbers & 0xFFFFFFFF).astype(np.uint32)
        lengths, kept = self._lengths(low, standing, context)
        roots, normals = found.positions[kept], found.normals[kept]
        places = self._grown(roots, normals, lengths, low[kept], growing_them)
        count, many = places.shape[:2]
        of_points = [
            column("position", "vector", places.reshape(-1, 3), "x", "y", "z"),
            column("width", "number", self._widths(low[kept]), "width"),
        ]
        numbers = found.numbers[kept].astype(np.int32)
        of_strands = [
            Attribute(STRAND, "integer", numbers, (), (Column(STRAND, "<i4"),)),
            Attribute("root_normal", "vector", normals, stands_for="normal"),
            *([Attribute("root_uv", "vector", found.uvs[kept])] if found.uvs is not None else []),
        ]
        assert parts.index is not None
        return of_curves(
            {a.name: a for a in of_points}, Curves(np.arange(0, count * many + 1, many)),
            {a.name: a for a in of_strands}, Owners(parts.level, parts.index[kept], parts.attributes),
            standing and Standing(standing.on, standing.corners[kept], standing.weights[kept]), notes,
        )  # fmt: skip

    def _lengths(
        self, low: np.ndarray, standing: Standing | None, context: MakerContext
    ) -> tuple[np.ndarray, np.ndarray]:
        """(k,) float32 lengths of the strands that have one, and (k,) which of all these are."""
        parts = np.empty(len(low), np.float32)
        hashing.random_one(low, np.zeros(len(low), np.uint32), np.uint32(self.seed), _LENGTHS, parts)
        lengths = np.float32(self.length) * (1 - np.float32(self.length_variation) * parts)
        weights = self.weight(context, "length_by")[0]
        if weights is not None and standing is not None:
            lengths = lengths * np.clip(standing.carried(weights), 0, 100)
        kept = np.flatnonzero(lengths > _SHORTEST * self.length)
        if not len(kept):
            raise BadInput(
                "No strand has a length there: what the length is multiplied by is 0 wherever they grow. Choose "
                "another one.",
                place="maker.length_by", code="no_room",
            )  # fmt: skip
        return np.ascontiguousarray(lengths[kept], np.float32), kept

    def _form(self) -> np.ndarray:
        """The numbers of the form, as the kernel takes them."""
        form = np.zeros(growing.FORM)
        form[growing.LEAN], form[growing.LEAN_VARIATION] = np.radians([self.lean, self.lean_variation])
        form[[growing.TOWARD_X, growing.TOWARD_Y, growing.TOWARD_Z]] = self.toward
        for name in ("droop", "wave", "waves", "curl", "curls", "frizz", "tightness", "clump_shape"):
            form[getattr(growing, name.upper())] = getattr(self, name)
        return form

    def _grown(
        self, roots: np.ndarray, normals: np.ndarray, lengths: np.ndarray, numbers: np.ndarray, context: MakerContext
    ) -> np.ndarray:
        """(c, m, 3) float32: the places of all points."""
        form = self._form()
        alone = np.full(len(roots), -1, np.int64)
        nothing = np.zeros((0, self.points, 3), np.float32), np.zeros((0, 3), np.float32), np.zeros(0, np.float32)

        def grown(form: np.ndarray, roots: np.ndarray, normals: np.ndarray, lengths: np.ndarray, numbers: np.ndarray,
                  guides: tuple[np.ndarray, ...], guide_of: np.ndarray) -> np.ndarray:  # fmt: skip
            out = np.empty((len(roots), self.points, 3), np.float32)

            def work(a: int, b: int) -> None:
                growing.grow(
                    roots, normals, lengths, numbers, form, np.uint32(self.seed), self.length, *guides, guide_of, a, b,
                    out,
                )  # fmt: skip

            over(len(roots), work, context.task, max(1, _CHUNK * 16 // self.points), told=True)
            return out

        if not self.clumps:
            return grown(form, roots, normals, lengths, numbers, nothing, alone)
        middles, _, _ = self.feet(context, self.clumps, self.seed ^ _CLUMP_SALT, 0.0, self.evenness)
        plain = form.copy()
        plain[growing.FRIZZ] = 0
        count = len(middles.positions)
        sizes = np.full(count, self.length, np.float32)
        low = (middles.numbers & 0xFFFFFFFF).astype(np.uint32)
        guides = grown(plain, middles.positions, middles.normals, sizes, low, nothing, np.full(count, -1, np.int64))
        nearest = NearestPoint(middles.positions).to(roots, task=context.task).items.astype(np.int64)
        return grown(form, roots, normals, lengths, numbers, (guides, middles.positions, sizes), nearest)

    def _widths(self, numbers: np.ndarray) -> np.ndarray:
        """(n,) float32: from the root to the tip of each strand."""
        parts = np.empty(len(numbers), np.float32)
        hashing.random_one(numbers, np.zeros(len(numbers), np.uint32), np.uint32(self.seed), _WIDTHS, parts)
        factors = 1 + np.float32(self.width_variation) * (2 * parts - 1)
        ends = np.linspace(self.width_root, self.width_tip, self.points, dtype=np.float32)
        return (factors[:, None] * ends).reshape(-1)
