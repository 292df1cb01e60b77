"""The grid maker: clones in rows, columns and layers."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...errors import BadInput
from ...scene.follow import Dialled
from ..attribute import Attribute
from ..attribute import Field as Column
from ..copies import EACH, WHAT, Each, What, as_copies
from ..meshes import column
from ..population import Population, of_points
from .base import ALONE, ColumnSource, MakerContext, MakerModel

LARGEST_COUNT = 1_000_000
_Number = Dialled[Annotated[int, Field(ge=1, le=10_000)]]
_Spacing = Dialled[Annotated[float, Field(gt=0, le=1000)]]


class GridMaker(MakerModel):
    """Clones in rows, columns and layers, about the middle of the ground; each knows its own."""

    summary: ClassVar[str] = "things in rows, columns and layers"
    sections: ClassVar[tuple[tuple[str, tuple[str, ...]], ...]] = (
        ("How many", ("columns", "rows", "layers")),
        ("Spacing and size", ("column_spacing", "row_spacing", "layer_spacing", "size")),
    )
    title: ClassVar[str] = "Grid"

    maker: Literal["grid"]
    copies: What = WHAT
    each: Each = EACH
    columns: _Number = Field(20, title="Columns", description="Along x.")
    rows: _Number = Field(20, title="Rows", description="Along y.")
    layers: _Number = Field(1, title="Layers", description="Upwards.")
    column_spacing: _Spacing = Field(0.2, title="Column spacing", json_schema_extra={"unit": "units"})
    row_spacing: _Spacing = Field(0.2, title="Row spacing", json_schema_extra={"unit": "units"})
    layer_spacing: _Spacing = Field(0.2, title="Layer spacing", json_schema_extra={"unit": "units"})
    size: Dialled[Annotated[float, Field(gt=0, le=100)]] = Field(
        0.16, title="Size", json_schema_extra={"unit": "units"}
    )

    def estimated(self) -> int:
        """Columns times rows times layers; parts of copies not counted."""
        return self.columns * self.rows * self.layers

    def make(self, columns: ColumnSource, context: MakerContext = ALONE) -> Population:
        """Lay them out, columns fastest, layers slowest."""
        count = self.estimated()
        if count > LARGEST_COUNT:
            raise BadInput(
                f"{self.columns:,} columns, {self.rows:,} rows and {self.layers:,} layers are {count:,} elements; "
                f"at most {LARGEST_COUNT:,} are made. Use fewer.",
                place="maker", code="too_many",
            )  # fmt: skip
        at = np.arange(count)
        flat = self.columns * self.rows
        numbers = {"column": at % self.columns, "row": at // self.columns % self.rows, "layer": at // flat}
        place = np.stack(
            [
                (numbers["column"] - (self.columns - 1) / 2) * self.column_spacing,
                (numbers["row"] - (self.rows - 1) / 2) * self.row_spacing,
                numbers["layer"] * self.layer_spacing + self.size / 2,
            ],
            -1,
        )
        whole = [
            Attribute(name, "integer", values.astype(np.int32), (), (Column(name, "<i4"),))
            for name, values in {"id": at, **numbers}.items()
        ]
        made = [
            column("position", "vector", place, "x", "y", "z"),
            column("normal", "vector", np.broadcast_to([0, 0, 1], (count, 3)), "nx", "ny", "nz"),
            column("orientation", "vector", np.broadcast_to([0, 0, 0, 1], (count, 4)), "qx", "qy", "qz", "qw"),
            column("size", "number", np.full(count, self.size), "size"),
        ]
        return as_copies(of_points(count, {a.name: a for a in [*whole, *made]}), self.copies, self.each)
