"""The scatter maker: clones on a surface."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...geometry.frames import orientations
from ...kernels import hashing
from ...scene.follow import Dialled
from ..attribute import Attribute
from ..attribute import Field as Column
from ..copies import EACH, WHAT, Each, What, as_copies
from ..population import Population, of_points
from .base import ALONE, ColumnSource, MakerContext
from .footing import LARGEST_COUNT, Footed, Length

_SIZE_STREAM = np.uint32(0x5CA7)
_TILT_STREAM = np.uint32(0x7117)


class ScatterMaker(Footed):
    """Clones scattered on a surface, uniform by area; raising the count keeps those that were there."""

    title: ClassVar[str] = "Scatter"
    summary: ClassVar[str] = "things strewn over a surface"
    begins: ClassVar[Mapping[str, Any]] = {
        "surface": "ball",
        "count": 2500,
        "evenness": 0.66,
        "size": 0.07,
        "offset": 0.004,
    }
    sections: ClassVar[tuple[tuple[str, tuple[str, ...]], ...]] = (
        ("How many", ("count", "spacing", "evenness", "density", "seed")),
        ("Size and stand", ("size", "size_variation", "tilt", "offset")),
        ("What each is", ("copies", "each")),
    )
    counted: ClassVar[bool] = True

    maker: Literal["scatter"]
    copies: What = WHAT
    each: Each = EACH
    count: Dialled[Annotated[int, Field(ge=1, le=LARGEST_COUNT)]] = Field(
        12_000, title="Count", description="How many elements to make."
    )
    seed: Dialled[Annotated[int, Field(ge=0, le=2**32 - 1)]] = Field(1, title="Seed")
    spacing: Dialled[Length] = Field(
        0.0, title="Minimum spacing", description="No two elements are nearer than this.",
        json_schema_extra={"unit": "units"},
    )  # fmt: skip
    evenness: Dialled[Annotated[float, Field(ge=0, le=0.75)]] = Field(
        0.6, title="Evenness", description="0 is purely random, 0.75 as even as can be."
    )
    size: Dialled[Annotated[float, Field(gt=0, le=10)]] = Field(0.04, title="Size", json_schema_extra={"unit": "units"})
    size_variation: Dialled[Annotated[float, Field(ge=0, le=1)]] = Field(
        0.25, title="Size variation", description="The part of the size that varies at random."
    )
    tilt: Dialled[Annotated[float, Field(ge=0, le=90)]] = Field(
        6.0, title="Tilt", description="How far elements may lean away from the surface.",
        json_schema_extra={"unit": "°"},
    )  # fmt: skip
    offset: Dialled[Length] = Field(
        0.0, title="Offset", description="Distance from the surface.", json_schema_extra={"unit": "units"}
    )

    def estimated(self) -> int:
        """The count that is wanted."""
        return self.count

    def make(self, columns: ColumnSource, context: MakerContext = ALONE) -> Population:
        """Scatter, then give each clone its attributes."""
        found, owners, standing = self.feet(context, self.count, self.seed, self.spacing, self.evenness)
        kept = len(found.positions)
        low = (found.numbers & 0xFFFFFFFF).astype(np.uint32)
        parts = np.empty((kept, 3), np.float32)
        hashing.random_three(low, np.zeros(kept, np.uint32), np.uint32(self.seed), _SIZE_STREAM, parts)
        sizes = np.float32(self.size) * (1 + np.float32(self.size_variation) * (2 * parts[:, 0] - 1))
        positions = found.positions + np.float32(self.offset) * found.normals
        notes: tuple[str, ...] = ()
        if kept < self.count:
            notes = (
                f"The surface took {kept:,} of {self.count:,}: there is no room for more at this spacing. "
                "Lower the minimum spacing or the evenness.",
            )
        turned = orientations(_leaning(found.normals, low, self.seed, self.tilt), parts[:, 1])
        attributes = [
            Attribute("id", "integer", found.numbers, fields=(Column("id", "<i4"),)),
            _vector("position", positions, ("x", "y", "z")),
            _vector("normal", found.normals, ("nx", "ny", "nz")),
            _vector("orientation", turned, ("qx", "qy", "qz", "qw")),
            Attribute("size", "number", sizes.astype(np.float32), fields=(Column("size", "<f4"),)),
            *([_vector("uv", found.uvs, ("u", "v"))] if found.uvs is not None else []),
        ]
        made = of_points(kept, {a.name: a for a in attributes}, notes, (owners,))
        return as_copies(replace(made, standing=standing) if standing else made, self.copies, self.each)


def _leaning(normals: np.ndarray, low: np.ndarray, seed: int, tilt: float) -> np.ndarray:
    """Normals leant by up to ``tilt`` degrees, in a random direction each."""
    parts = np.empty((len(normals), 3), np.float32)
    hashing.random_three(low, np.zeros(len(low), np.uint32), np.uint32(seed), _TILT_STREAM, parts)
    return normals + np.tan(np.radians(min(tilt, 89.0))) * (2 * parts - 1) / np.sqrt(3)


def _vector(name: str, values: np.ndarray, columns: tuple[str, ...]) -> Attribute:
    fields = tuple(Column(column, "<f4") for column in columns)
    return Attribute(name, "vector", np.ascontiguousarray(values, np.float32), fields=fields)
