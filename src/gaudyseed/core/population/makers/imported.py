"""The import maker: a population whose columns were brought in from a file."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...digest import digest_of
from ...documents.document import Document
from ...errors import BadInput
from ...geometry.cubics import Basis, Wrap
from ...geometry.packed_shapes import packed, unpacked
from ...geometry.placing import Role
from ...scene.follow import Dialled
from ..attribute import Attribute, Light
from ..attribute import Field as Column
from ..derive import with_derived
from ..forms import Polygons
from ..meshes import PART, Subdivision, check_polygons, of_polygons, subdivided, subdivided_count
from ..naming import MOST_ATTRIBUTES
from ..population import Models, Population, of_points
from ..strands import curves_of, of_curves, of_strands
from .base import ALONE, ColumnSource, MakerContext, MakerModel
from .recipe import ImportRecipe
from .rooting import rooted

LARGEST_COUNT = 20_000_000
_DIGEST = r"^[0-9a-f]{32}$"


class ImportedField(Document):
    """One column of the file."""

    name: str = Field(max_length=200)
    dtype: Literal["<f4", "<f8", "|i1", "|u1", "<i2", "<u2", "<i4", "<u4", "<i8"]


class ImportedAttribute(Document):
    """An attribute whose values lie under a content digest."""

    name: str = Field(min_length=1, max_length=200)
    kind: Literal["number", "integer", "vector", "colour", "text"]
    dtype: Literal["<f4", "<f8", "|i1", "|u1", "<i2", "<u2", "<i4", "<u4", "<i8"]
    width: int = Field(ge=1, le=16)
    digest: str = Field(pattern=_DIGEST)
    labels: str | None = Field(None, pattern=_DIGEST, description="Digest of the texts, for kind text.")
    fields: tuple[ImportedField, ...] = Field(max_length=16)
    missing: str | None = Field(
        None, pattern=_DIGEST, description="Digest of a byte for each element, 1 where it has no value."
    )
    stands_for: Role = Field("", description="What it is in space, where its name does not say so.")
    light: Light = Field("", description="What colours are, where their type does not say so.")


class ImportedFaces(Document):
    """The faces of a mesh: how many corners each has, and the vertex of each corner, both <i4, by content."""

    count: int = Field(ge=0, le=LARGEST_COUNT)
    corners: int = Field(ge=3, le=8 * LARGEST_COUNT)
    sizes: str = Field(pattern=_DIGEST)
    vertices: str = Field(pattern=_DIGEST)
    of_faces: tuple[ImportedAttribute, ...] = Field((), max_length=MOST_ATTRIBUTES)
    of_corners: tuple[ImportedAttribute, ...] = Field((), max_length=MOST_ATTRIBUTES)


class ImportedCurves(Document):
    """The strands: how many points each has, <i4, by content; what kind of curve they are; what each strand carries."""

    count: int = Field(ge=1, le=LARGEST_COUNT)
    sizes: str = Field(pattern=_DIGEST)
    basis: Basis = "linear"
    wrap: Wrap = "nonperiodic"
    of_strands: tuple[ImportedAttribute, ...] = Field((), max_length=MOST_ATTRIBUTES)


class ImportedModels(Document):
    """The meshes that clones came with, and which of them each is, <i4, by content."""

    meshes: tuple[Annotated[str, Field(pattern=_DIGEST)], ...] = Field(min_length=1, max_length=1024)
    of: str = Field(pattern=_DIGEST)


class ImportedMaker(MakerModel):
    """Columns that were imported, stored once, by content."""

    title: ClassVar[str] = "Import"
    offered: ClassVar[bool] = False

    placed_by_itself: ClassVar[bool] = True
    unread: ClassVar[frozenset[str]] = frozenset({"recipe"})

    maker: Literal["import"]
    file: str = Field(max_length=200, description="Name of the file it came from.")
    recipe: ImportRecipe | None = Field(None, description="How it was read; left out where that is not known.")
    count: int = Field(ge=0, le=LARGEST_COUNT)
    attributes: tuple[ImportedAttribute, ...] = Field(min_length=1, max_length=MOST_ATTRIBUTES)
    faces: ImportedFaces | None = Field(None, description="Of a mesh; others have none.")
    curves: ImportedCurves | None = Field(None, description="Of strands; others have none.")
    models: ImportedModels | None = Field(None, description="Of clones that came with meshes of their own.")
    subdivision: Subdivision = Field(
        0, title="Subdivision", description="Each level has about four times the vertices of the one below."
    )
    smooth: Dialled[bool] = Field(True, title="Smooth", description="Off cuts the faces and keeps their form.")
    on: str | None = Field(
        None, pattern=r"^[a-z0-9_-]{1,40}$", title="Stands on",
        description="The mesh of the scene that strands grow on, in whose space they are.",
        json_schema_extra={"control": "mesh"},
    )  # fmt: skip
    reach: Dialled[Annotated[float, Field(ge=0, le=1e6)]] | None = Field(
        None, title="Reach", description="How far roots may lie from that mesh; left out, a fiftieth of its size.",
        json_schema_extra={"unit": "units", "control": "fitted"},
    )  # fmt: skip

    @property
    def stands_on(self) -> str | None:
        """The mesh that strands grow on."""
        return self.on if self.curves is not None else None

    def reads(self, context: MakerContext) -> str:
        """The places and faces of that mesh."""
        on = self.stands_on
        return "" if on is None else context.population(on, "maker.on").body

    def estimated(self) -> int:
        """The elements of the file, and those that subdivision adds."""
        if self.faces is None:
            return self.count
        return subdivided_count(self.count, self.faces.count, self.faces.corners, self.subdivision)

    def make(self, columns: ColumnSource, context: MakerContext = ALONE) -> Population:
        """Lay the stored columns side by side and derive what is missing."""
        table = self._table(self.attributes, self.count, columns)
        position = table.get("position")
        if position is None or position.kind != "vector" or position.width != 3:
            raise BadInput("The attribute 'position' is not a vector of three. Import the file again.", place="maker")
        if not np.isfinite(position.values).all():
            raise BadInput("Some positions are not finite numbers. Import the file again.", place="maker")
        if self.curves is not None:
            strands = self._strands(self.curves, table, columns)
            on = self.stands_on
            return strands if on is None else rooted(strands, on, self.reach, context)
        if self.faces is None:
            models = None if self.models is None else self._models(self.models, columns)
            return replace(with_derived(of_points(self.count, table)), models=models)
        form = self._polygons(self.faces, columns)
        return subdivided(of_polygons(table, form), self.subdivision, self.smooth, context.task)

    def _strands(self, curves: ImportedCurves, table: dict[str, Attribute], columns: ColumnSource) -> Population:
        sizes = self._indices(curves.sizes, curves.count, columns)
        form = curves_of(sizes, self.count, "maker.curves", curves.basis, curves.wrap)
        return of_curves(table, form, self._table(curves.of_strands, curves.count, columns))

    def _models(self, models: ImportedModels, columns: ColumnSource) -> Models:
        of = self._indices(models.of, self.count, columns)
        try:
            meshes = tuple(unpacked(bytes(columns.column(digest))) for digest in models.meshes)
        except (KeyError, ValueError):
            raise BadInput(
                f"The meshes of {self.file} are not in this store. Import the file again.", place="maker.models"
            ) from None
        if of.min() < 0 or of.max() >= len(meshes):
            raise BadInput("The meshes of these clones are others. Import the file again.", place="maker.models")
        return Models(meshes, of, models.meshes)

    def _table(
        self, attributes: tuple[ImportedAttribute, ...], count: int, columns: ColumnSource
    ) -> dict[str, Attribute]:
        for a in attributes:
            _check_form(a)
        return {a.name: self._attribute(a, count, columns) for a in attributes}

    def _polygons(self, faces: ImportedFaces, columns: ColumnSource) -> Polygons:
        sizes, corners = (
            self._indices(digest, count, columns)
            for digest, count in ((faces.sizes, faces.count), (faces.vertices, faces.corners))
        )
        starts = np.concatenate([[0], np.cumsum(sizes, dtype=np.int64)])
        check_polygons(starts, corners, self.count, "maker.faces")
        of_faces = self._table(faces.of_faces, faces.count, columns)
        return Polygons(starts, corners, of_faces, self._table(faces.of_corners, faces.corners, columns))

    def _indices(self, digest: str, count: int, columns: ColumnSource) -> np.ndarray:
        try:
            data = columns.column(digest)
        except KeyError:
            data = b""
        if len(data) != 4 * count:
            raise BadInput(
                f"The faces, strands or meshes of {self.file} are not in this store. Import the file again.",
                place="maker",
            )
        return np.frombuffer(data, "<i4")

    def stored(self, name: str, columns: ColumnSource) -> Attribute | None:
        """The attribute of the elements of that name as it is stored; None where there is none."""
        found = next((a for a in self.attributes if a.name == name), None)
        return None if found is None else self._attribute(found, self.count, columns)

    def _attribute(self, a: ImportedAttribute, count: int, columns: ColumnSource) -> Attribute:
        place = f"maker.attributes.{a.name}"
        try:
            data = columns.column(a.digest)
            labels = unpack_labels(bytes(columns.column(a.labels))) if a.labels else ()
        except ValueError:
            raise BadInput(f"The texts of {a.name!r} are another column. Import again.", place=place) from None
        except KeyError:
            raise BadInput(
                f"The column {a.name!r} of {self.file} is not in this store. Import the file again.",
                place=place,
            ) from None
        wanted = count * a.width * np.dtype(a.dtype).itemsize
        if len(data) != wanted:
            raise BadInput(f"The column {a.name!r} holds {len(data)} bytes where {wanted} are declared.", place=place)
        values = np.frombuffer(data, a.dtype)
        if a.kind == "text" and (not labels or values.min() < 0 or values.max() >= len(labels)):
            raise BadInput(f"The texts of {a.name!r} do not match its values. Import again.", place=place)
        shaped = values if a.width == 1 else values.reshape(-1, a.width)
        fields = tuple(Column(f.name, f.dtype) for f in a.fields)
        return Attribute(
            a.name, a.kind, shaped, labels, fields, self._missing(a, count, columns), a.stands_for, a.light
        )

    def _missing(self, a: ImportedAttribute, count: int, columns: ColumnSource) -> np.ndarray | None:
        if a.missing is None:
            return None
        try:
            mask = np.frombuffer(columns.column(a.missing), np.uint8)
        except KeyError:
            mask = np.empty(0, np.uint8)
        if len(mask) != count or (mask > 1).any():
            raise BadInput(
                f"What is missing of {a.name!r} is another column. Import again.", place=f"maker.attributes.{a.name}"
            )
        return mask.view(bool)


_WIDTHS = {"number": (1, 1), "integer": (1, 1), "text": (1, 1), "colour": (3, 4), "vector": (2, 16)}


def _check_form(a: ImportedAttribute) -> None:
    """Kind, width, type and fields of a column must go together; a document may come from anywhere."""
    few, most = _WIDTHS[a.kind]
    whole = a.dtype[1] in "iu"
    wrong = (
        not few <= a.width <= most or len(a.fields) not in (0, a.width) or (a.kind in ("integer", "text") and not whole)
    )
    if wrong or (a.kind == "text") != (a.labels is not None):
        raise BadInput(
            f"The column {a.name!r} is declared as {a.kind} of {a.width} {a.dtype}, which does not go together. "
            "Import the file again.",
            place=f"maker.attributes.{a.name}",
        )  # fmt: skip


def pack_labels(labels: tuple[str, ...]) -> bytes:
    """Texts as bytes: UTF-8, each with its length before it (a text may hold any character)."""
    parts = [t.encode() for t in labels]
    return b"".join(len(p).to_bytes(4, "little") + p for p in parts)


def unpack_labels(data: bytes) -> tuple[str, ...]:
    """The inverse of ``pack_labels``; ValueError for bytes that are none."""
    labels, at = [], 0
    while at < len(data):
        size = int.from_bytes(data[at : at + 4], "little")
        if at + 4 + size > len(data):
            raise ValueError("cut off")
        labels.append(data[at + 4 : at + 4 + size].decode())
        at += 4 + size
    return tuple(labels)


def store_columns(
    population: Population, file: str, recipe: ImportRecipe | None = None
) -> tuple[ImportedMaker, dict[str, bytes]]:
    """The maker of an imported population and the columns to store, by digest.

    Derived attributes (those without file fields) are left out: they are derived again.
    """
    blobs: dict[str, bytes] = {}

    def keep(data: bytes) -> str:
        digest = digest_of(data)
        blobs[digest] = data
        return digest

    def listed(table: Mapping[str, Attribute]) -> tuple[ImportedAttribute, ...]:
        return tuple(_imported(a, keep) for a in table.values() if a.fields or a.name == PART)

    faces, curves = None, None
    if (form := population.form.curves) is not None:
        curves = ImportedCurves(
            count=form.count, sizes=keep(form.sizes.astype("<i4").tobytes()), basis=form.basis, wrap=form.wrap,
            of_strands=listed(of_strands(population)),
        )  # fmt: skip
    if (mesh := population.form.polygons) is not None:
        faces = ImportedFaces(
            count=mesh.faces, corners=len(mesh.corners), sizes=keep(np.diff(mesh.starts).astype("<i4").tobytes()),
            vertices=keep(mesh.corners.astype("<i4").tobytes()),
            of_faces=listed(mesh.of_faces), of_corners=listed(mesh.of_corners),
        )  # fmt: skip
    models = population.models and ImportedModels(
        meshes=tuple(keep(packed(mesh)) for mesh in population.models.meshes),
        of=keep(population.models.of.astype("<i4").tobytes()),
    )
    maker = ImportedMaker(
        maker="import", file=file[:200], recipe=recipe, count=population.count,
        attributes=listed(population.elements.own), faces=faces, curves=curves, models=models,
    )  # fmt: skip
    return maker, blobs


def _imported(a: Attribute, keep: Callable[[bytes], str]) -> ImportedAttribute:
    """The document of an attribute whose values are kept."""
    return ImportedAttribute(
        name=a.name, kind=a.kind, dtype=a.values.dtype.str, width=a.width,
        digest=keep(np.ascontiguousarray(a.values).tobytes()),
        labels=keep(pack_labels(a.labels)) if a.kind == "text" else None,
        fields=tuple(ImportedField(name=f.name, dtype=f.dtype) for f in a.fields),
        missing=None if a.missing is None else keep(np.ascontiguousarray(a.missing).tobytes()),
        stands_for=a.stands_for, light=a.light,
    )  # fmt: skip
