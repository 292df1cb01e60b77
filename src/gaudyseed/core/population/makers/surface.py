"""The mesh maker: the stand-in meshes as populations."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from ...geometry.cages import cage
from ...scene.follow import Dialled
from ..attribute import Attribute
from ..attribute import Field as Column
from ..forms import Polygons
from ..meshes import PART, Subdivision, column, of_polygons, subdivided, subdivided_count
from ..population import Population
from .base import ALONE, ColumnSource, MakerContext, MakerModel


class SurfaceMaker(MakerModel):
    """A mesh that ships: its vertices are the elements, its pieces the parts."""

    summary: ClassVar[str] = "a body: beetle, carp, mask, horse and plainer ones"
    title: ClassVar[str] = "Mesh"

    maker: Literal["mesh"]
    surface: Dialled[Literal["beetle", "carp", "mask", "horse", "ball", "ring", "sheet"]] = Field(
        "ball", title="Surface"
    )
    subdivision: Subdivision = Field(
        1, title="Subdivision", description="Each level has about four times the vertices of the one below."
    )
    smooth: Dialled[bool] = Field(True, title="Smooth", description="Off cuts the faces and keeps their form.")

    def estimated(self) -> int:
        """The vertices of the cage, and those that subdivision adds."""
        made = cage(self.surface)
        return subdivided_count(len(made.positions), len(made.starts) - 1, len(made.corners), self.subdivision)

    def make(self, columns: ColumnSource, context: MakerContext = ALONE) -> Population:
        """The surface's cage as a mesh, subdivided."""
        made = cage(self.surface)
        attributes = [
            Attribute("id", "integer", np.arange(len(made.positions), dtype=np.int32), fields=(Column("id", "<i4"),)),
            column("position", "vector", made.positions, "x", "y", "z"),
            *(column(name, "number", values, name) for name, values in made.columns.items()),
        ]
        form = Polygons(
            made.starts, made.corners, {PART: Attribute(PART, "text", made.part_of, made.parts)},
            {"uv": column("uv", "vector", made.uvs, "u", "v")},
        )  # fmt: skip
        return subdivided(
            of_polygons({a.name: a for a in attributes}, form), self.subdivision, self.smooth, context.task
        )
