"""The scatter maker: clones on a surface."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...digest import digest_of
from ...errors import BadInput
from ...geometry import polygons
from ...geometry.frames import orientations
from ...geometry.mesh import Mesh
from ...geometry.scatter import Scattered, feet_on, scatter_on
from ...geometry.surfaces import surface
from ...kernels import hashing
from ...kinds import NUMBER
from ...look.follow import Dialled
from ...reading import Reading
from ..attribute import Attribute
from ..attribute import Field as Column
from ..copies import EACH, WHAT, Each, What, as_copies
from ..elements import Owners
from ..population import Polygons, Population, Standing, of_points
from .base import ALONE, ColumnSource, MakerModel, Makings

LARGEST_COUNT = 1_000_000
_Length = Annotated[float, Field(ge=0, le=10)]
_SIZE_STREAM = np.uint32(0x5CA7)
_TILT_STREAM = np.uint32(0x7117)


class ScatterMaker(MakerModel):
    """Clones scattered on a surface, uniform by area; raising the count keeps those that were there."""

    title: ClassVar[str] = "Scatter"
    counted: ClassVar[bool] = True

    maker: Literal["scatter"]
    surface: Dialled[Literal["beetle", "ball", "ring", "sheet"]] = Field("beetle", title="Surface")
    on: str | None = Field(
        None, pattern=r"^[a-z0-9_-]{1,40}$", title="Stands on",
        description="A mesh of the scene, in place of a surface that only carries the elements.",
        json_schema_extra={"control": "mesh"},
    )  # fmt: skip
    density: Reading | None = Field(
        None, title="Density", description="What of that mesh says how densely the elements stand.",
        json_schema_extra={"control": "reading"},
    )  # fmt: skip
    copies: What = WHAT
    each: Each = EACH
    count: Dialled[Annotated[int, Field(ge=1, le=LARGEST_COUNT)]] = Field(
        12_000, title="Count", description="How many elements to make."
    )
    seed: Dialled[Annotated[int, Field(ge=0, le=2**32 - 1)]] = Field(1, title="Seed")
    spacing: Dialled[_Length] = Field(
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
    lift: Dialled[_Length] = Field(
        0.0, title="Lift", description="Distance from the surface.", json_schema_extra={"unit": "units"}
    )

    @property
    def ground(self) -> str | None:
        """The surface, where it is no population."""
        return self.surface if self.on is None else None

    @property
    def stands_on(self) -> str | None:
        """The mesh of the scene."""
        return self.on

    def reads(self, makings: Makings) -> str:
        """The mesh, and the values that say how densely the elements stand; not its look otherwise."""
        if self.on is None:
            return ""
        mesh = makings.population(self.on, "maker.on")
        return digest_of("stands", mesh.digest, self._density(makings)[1])

    def _density(self, makings: Makings) -> tuple[np.ndarray | None, str]:
        """(v,) float32 for the vertices of the mesh, and its digest; None for the same everywhere."""
        if self.density is None or self.on is None:
            return None, ""
        place = "maker.density.name"
        if self.density.of_look:
            kind, values, digest = self.density.of_evaluation(makings.evaluation(self.on, "maker.on"), place)
        else:
            kind, values, digest = self.density.of_population(makings.population(self.on, "maker.on"), place)
        if kind != NUMBER:
            raise BadInput(
                f"{self.density.name!r} gives {kind.said}; how densely elements stand wants a number.",
                place=place, code="wrong_kind",
            )  # fmt: skip
        return values, digest

    def estimated(self) -> int:
        """As many as are wanted."""
        return self.count

    def make(self, columns: ColumnSource, makings: Makings = ALONE) -> Population:
        """Scatter, then give each clone its attributes."""
        found, owners, standing = self._on_surface() if self.on is None else self._on_mesh(self.on, makings)
        kept = len(found.positions)
        low = (found.numbers & 0xFFFFFFFF).astype(np.uint32)
        parts = np.empty((kept, 3), np.float32)
        hashing.random_three(low, np.zeros(kept, np.uint32), np.uint32(self.seed), _SIZE_STREAM, parts)
        sizes = np.float32(self.size) * (1 + np.float32(self.size_variation) * (2 * parts[:, 0] - 1))
        positions = found.positions + np.float32(self.lift) * found.normals
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
        made = of_points(kept, {a.name: a for a in attributes}, notes, owners)
        return as_copies(replace(made, standing=standing) if standing else made, self.copies, self.each)

    def _on_surface(self) -> tuple[Scattered, tuple[Owners, ...], None]:
        on = surface(self.surface)
        found = scatter_on(on, self.count, self.seed, self.spacing, self.evenness)
        return found, (_parts(on, found.faces),), None

    def _on_mesh(self, on: str, makings: Makings) -> tuple[Scattered, tuple[Owners, ...], Standing]:
        """On a mesh of the scene: what its corners have is interpolated, its parts are those of the clones."""
        mesh = makings.population(on, "maker.on")
        form = mesh.form
        if not isinstance(form, Polygons):
            raise BadInput(
                "What the elements stand on has no faces. Choose a mesh.", place="maker.on", code="wrong_kind"
            )
        positions, triangles = mesh.elements.attribute("position").readable, form.triangles
        flat = np.arange(0, 3 * len(triangles) + 1, 3)
        areas = polygons.areas(positions, flat, triangles.reshape(-1))
        makings.check()
        feet = feet_on(
            positions, triangles, areas, self.count, self.seed, self.spacing, self.evenness, self._density(makings)[0]
        )
        if not len(feet.positions):
            raise BadInput(
                "No element has room on that mesh: it has no area where the density is above 0. "
                "Choose another density.",
                place="maker.density", code="no_room",
            )  # fmt: skip
        standing = Standing(on, np.ascontiguousarray(triangles[feet.triangles]), feet.weights)
        normals = standing.carried(mesh.elements.attribute("normal").readable)
        lengths = np.linalg.norm(normals, axis=1, keepdims=True)
        normals = (normals / np.where(lengths > 0, lengths, 1)).astype(np.float32)
        uv = form.of_corners.get("uv")
        uvs = None
        if uv is not None:
            places = form.cut[0][feet.triangles]
            uvs = (uv.readable[places] * feet.weights[:, :, None]).sum(axis=1, dtype=np.float32)
        faces = form.cut[1][feet.triangles]
        below = mesh.elements.owners[0]
        first = form.corners[form.starts[faces]]
        assert below.index is not None
        owners = Owners("part", np.ascontiguousarray(below.index[first]), below.attributes)
        return Scattered(feet.positions, normals, uvs, feet.numbers, faces), (owners,), standing


def _leaning(normals: np.ndarray, low: np.ndarray, seed: int, tilt: float) -> np.ndarray:
    """Normals leant by up to ``tilt`` degrees, in a random direction each."""
    parts = np.empty((len(normals), 3), np.float32)
    hashing.random_three(low, np.zeros(len(low), np.uint32), np.uint32(seed), _TILT_STREAM, parts)
    return normals + np.tan(np.radians(min(tilt, 89.0))) * (2 * parts - 1) / np.sqrt(3)


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


def _vector(name: str, values: np.ndarray, columns: tuple[str, ...]) -> Attribute:
    fields = tuple(Column(column, "<f4") for column in columns)
    return Attribute(name, "vector", np.ascontiguousarray(values, np.float32), fields=fields)
