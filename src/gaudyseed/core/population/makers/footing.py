"""What makers share whose elements stand on a surface: a stand-in, or a mesh of the scene, by a density."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ...digest import digest_of
from ...errors import BadInput
from ...geometry import polygons
from ...geometry.mesh import Mesh
from ...geometry.scatter import Scattered, feet_on, scatter_on
from ...geometry.surfaces import surface
from ...kinds import NUMBER
from ...reading import Reading
from ...scene.follow import Dialled
from ..attribute import Attribute
from ..attribute import Field as Column
from ..elements import Owners
from ..naming import fits
from ..population import Population, Standing
from .base import MakerContext, MakerModel

LARGEST_COUNT = 1_000_000
Length = Annotated[float, Field(ge=0, le=10)]


class Footed(MakerModel):
    """A maker whose elements stand on a surface, uniform by area or by a density of the mesh."""

    surface: Dialled[Literal["beetle", "ball", "ring", "sheet"]] = Field(
        "beetle", title="Surface", json_schema_extra={"when": {"on": None}}
    )
    on: str | None = Field(
        None, pattern=r"^[a-z0-9_-]{1,40}$", title="Stands on",
        description="A mesh of the scene, in place of a surface that only carries the elements.",
        json_schema_extra={"control": "mesh"},
    )  # fmt: skip
    density: Reading | None = Field(
        None, title="Density", description="What of that mesh says how densely the elements stand.",
        json_schema_extra={"control": "reading"},
    )  # fmt: skip

    @property
    def ground(self) -> str | None:
        """The surface, where it is no population."""
        return self.surface if self.on is None else None

    @property
    def stands_on(self) -> str | None:
        """The mesh of the scene."""
        return self.on

    def readings(self) -> tuple[tuple[str, Reading | None], ...]:
        """What it reads of the mesh, with the field that names each."""
        return (("density", self.density),)

    def reads(self, context: MakerContext) -> str:
        """The mesh, and the values that say how densely the elements stand; not its look otherwise."""
        if self.on is None:
            return ""
        mesh = context.population(self.on, "maker.on")
        return digest_of("stands", mesh.body, [self.weight(context, field)[1] for field, _ in self.readings()])

    def weight(self, context: MakerContext, field: str) -> tuple[np.ndarray | None, str]:
        """(v,) float32 for the vertices of the mesh, and its digest; None where nothing is read."""
        reading, place = dict(self.readings())[field], f"maker.{field}.name"
        if reading is None or self.on is None:
            return None, ""
        if reading.of_look:
            kind, values, digest = reading.of_evaluation(context.evaluation(self.on, "maker.on"), place)
        else:
            kind, values, digest = reading.of_population(context.population(self.on, "maker.on"), place)
        if kind != NUMBER:
            what = "how densely the elements stand" if field == "density" else "how long they are"
            raise BadInput(
                f"{reading.name!r} gives {kind.said}; {what} wants a number.", place=place, code="wrong_kind"
            )
        return values, digest

    def feet(
        self, context: MakerContext, count: int, seed: int, spacing: float = 0.0, evenness: float = 0.0
    ) -> tuple[Scattered, Owners, Standing | None]:
        """Up to so many places, the parts that they are on, and where on the mesh of the scene they are.

        BadInput where the mesh has no faces, or takes none.
        """
        if self.on is None:
            on = surface(self.surface)
            found = scatter_on(on, count, seed, spacing, evenness, context.task)
            return found, _parts(on, found.faces), None
        return self._on_mesh(self.on, context, count, seed, spacing, evenness)

    def _on_mesh(
        self, on: str, context: MakerContext, count: int, seed: int, spacing: float, evenness: float
    ) -> tuple[Scattered, Owners, Standing]:
        """On a mesh of the scene: what its corners have is interpolated, its parts are those of the elements."""
        mesh = context.population(on, "maker.on")
        form = mesh.form.polygons
        if form is None:
            raise BadInput(
                "What the elements stand on has no faces. Choose a mesh.", place="maker.on", code="wrong_kind"
            )
        positions, triangles = mesh.elements.attribute("position").readable, form.triangles
        flat = np.arange(0, 3 * len(triangles) + 1, 3)
        areas = polygons.areas(positions, flat, triangles.reshape(-1))
        context.task.check()
        density = self.weight(context, "density")[0]
        feet = feet_on(positions, triangles, areas, count, seed, spacing, evenness, density, context.task)
        if not len(feet.positions):
            raise BadInput(
                "No element has room on that mesh: it has no area where the density is above 0. "
                "Choose another density.",
                place="maker.density", code="no_room",
            )  # fmt: skip
        below = on_triangles(mesh, on, feet.triangles, feet.weights)
        found = Scattered(feet.positions, below.normals, below.uvs, feet.numbers, below.faces)
        return found, below.parts, below.standing


@dataclass(frozen=True)
class Below:
    """What a mesh has under feet on its triangles: normals (m, 3), uvs (m, 2) or None, faces (m,), parts."""

    standing: Standing
    normals: np.ndarray
    uvs: np.ndarray | None
    faces: np.ndarray
    parts: Owners


def on_triangles(mesh: Population, on: str, triangles: np.ndarray, weights: np.ndarray) -> Below:
    """What the mesh of that id has at (m,) triangles, by the (m, 3) weights of their corners."""
    form = mesh.form.polygons
    assert form is not None
    standing = Standing(on, np.ascontiguousarray(form.triangles[triangles]), weights)
    normals = standing.carried(mesh.elements.attribute("normal").readable)
    lengths = np.linalg.norm(normals, axis=1, keepdims=True)
    normals = (normals / np.where(lengths > 0, lengths, 1)).astype(np.float32)
    uv, uvs = form.of_corners.get("uv"), None
    if uv is not None and fits(uv):
        uvs = (uv.readable[form.cut[0][triangles]] * weights[:, :, None]).sum(axis=1, dtype=np.float32)
    faces = form.cut[1][triangles]
    table = mesh.elements.owners[0]
    assert table.index is not None
    index = np.ascontiguousarray(table.index[form.corners[form.starts[faces]]])
    return Below(standing, normals, uvs, faces, Owners("part", index, table.attributes))


def _parts(on: Mesh, faces: np.ndarray) -> Owners:
    """The parts of the surface that take elements, as owners of the elements on them."""
    taking, rows = np.unique(on.coat_parts, return_inverse=True)
    areas = np.bincount(rows, weights=on.coat_areas)
    middles = [np.bincount(rows, weights=on.coat_areas * on.coat_middles[:, k]) / areas for k in range(3)]
    names = tuple(on.parts[k] for k in taking)
    attributes = [
        Attribute("part", "text", np.arange(len(names), dtype=np.int32), names, (Column("part", "<i4"),)),
        Attribute("part_area", "number", areas.astype(np.float32)),
        Attribute("part_middle", "vector", np.stack(middles, -1).astype(np.float32)),
    ]
    return Owners("part", rows[faces].astype(np.int32), {a.name: a for a in attributes})
