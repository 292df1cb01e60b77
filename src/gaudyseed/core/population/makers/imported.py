"""The import maker: a population whose columns were brought in from a file."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from ...digest import digest_of
from ...document import Document
from ...errors import BadInput
from ..attribute import Attribute
from ..attribute import Field as Column
from ..derive import with_derived
from ..population import Population, of_points
from .base import ALONE, ColumnSource, MakerModel, Makings

LARGEST_COUNT = 20_000_000


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
    digest: str = Field(pattern=r"^[0-9a-f]{32}$")
    labels: str | None = Field(None, pattern=r"^[0-9a-f]{32}$", description="Digest of the texts, for kind text.")
    fields: tuple[ImportedField, ...] = Field(max_length=16)
    missing: str | None = Field(
        None, pattern=r"^[0-9a-f]{32}$", description="Digest of a byte for each element, 1 where it has no value."
    )


class ImportedMaker(MakerModel):
    """Columns that were imported, stored once, by content."""

    title: ClassVar[str] = "Import"
    offered: ClassVar[bool] = False

    maker: Literal["import"]
    file: str = Field(max_length=200, description="Name of the file it came from.")
    count: int = Field(ge=1, le=LARGEST_COUNT)
    attributes: tuple[ImportedAttribute, ...] = Field(min_length=1, max_length=512)

    def make(self, columns: ColumnSource, makings: Makings = ALONE) -> Population:
        """Lay the stored columns side by side and derive what is missing."""
        for a in self.attributes:
            _check_form(a)
        table = {a.name: self._attribute(a, columns) for a in self.attributes}
        position = table.get("position")
        if position is None or position.kind != "vector" or position.width != 3:
            raise BadInput("The attribute 'position' is not a vector of three. Import the file again.", place="maker")
        if not np.isfinite(position.values).all():
            raise BadInput("Some positions are not finite numbers. Import the file again.", place="maker")
        return with_derived(of_points(self.count, table))

    def _attribute(self, a: ImportedAttribute, columns: ColumnSource) -> Attribute:
        place = f"maker.attributes.{a.name}"
        try:
            data = columns.column(a.digest)
            labels = unpack_labels(columns.column(a.labels)) if a.labels else ()
        except ValueError:
            raise BadInput(f"The texts of {a.name!r} are another column. Import again.", place=place) from None
        except KeyError:
            raise BadInput(
                f"The column {a.name!r} of {self.file} is not in this store. Import the file again.",
                place=place,
            ) from None
        wanted = self.count * a.width * np.dtype(a.dtype).itemsize
        if len(data) != wanted:
            raise BadInput(f"The column {a.name!r} holds {len(data)} bytes where {wanted} are declared.", place=place)
        values = np.frombuffer(data, a.dtype)
        if a.kind == "text" and (not labels or values.min() < 0 or values.max() >= len(labels)):
            raise BadInput(f"The texts of {a.name!r} do not match its values. Import again.", place=place)
        shaped = values if a.width == 1 else values.reshape(-1, a.width)
        fields = tuple(Column(f.name, f.dtype) for f in a.fields)
        return Attribute(a.name, a.kind, shaped, labels, fields, self._missing(a, columns))

    def _missing(self, a: ImportedAttribute, columns: ColumnSource) -> np.ndarray | None:
        if a.missing is None:
            return None
        try:
            mask = np.frombuffer(columns.column(a.missing), np.uint8)
        except KeyError:
            mask = np.empty(0, np.uint8)
        if len(mask) != self.count or (mask > 1).any():
            raise BadInput(
                f"What is missing of {a.name!r} is another column. Import again.", place=f"maker.attributes.{a.name}"
            )
        return mask.view(bool)


_WIDTHS = {"number": (1, 1), "integer": (1, 1), "text": (1, 1), "colour": (3, 4), "vector": (2, 16)}


def _check_form(a: ImportedAttribute) -> None:
    """Kind, width, type and fields of a column must go together; a document may come from anywhere."""
    few, most = _WIDTHS[a.kind]
    whole = a.dtype[1] in "iu"
    wrong = not few <= a.width <= most or len(a.fields) != a.width or (a.kind in ("integer", "text") and not whole)
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


def store_columns(population: Population, file: str) -> tuple[ImportedMaker, dict[str, bytes]]:
    """The maker of an imported population and the columns to store, by digest.

    Derived attributes (those without file fields) are left out: they are derived again.
    """
    blobs: dict[str, bytes] = {}

    def keep(data: bytes) -> str:
        digest = digest_of(data)
        blobs[digest] = data
        return digest

    documents = []
    for a in population.elements.own.values():
        if not a.fields:
            continue
        documents.append(
            ImportedAttribute(
                name=a.name, kind=a.kind, dtype=a.values.dtype.str, width=a.width,
                digest=keep(np.ascontiguousarray(a.values).tobytes()),
                labels=keep(pack_labels(a.labels)) if a.kind == "text" else None,
                fields=tuple(ImportedField(name=f.name, dtype=f.dtype) for f in a.fields),
                missing=None if a.missing is None else keep(np.ascontiguousarray(a.missing).tobytes()),
            )
        )  # fmt: skip
    maker = ImportedMaker(maker="import", file=file[:200], count=population.count, attributes=tuple(documents))
    return maker, blobs
