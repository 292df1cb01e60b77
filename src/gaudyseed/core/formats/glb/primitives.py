"""Primitives of glTF meshes: their triangles, lines and attributes, in our space."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, ValidationError
from pydantic import Field as PydanticField

from ...errors import BadInput
from ...geometry.placing import Role, moved
from ...population import Attribute, Field
from ...population.attribute import Kind, Light
from ...population.strands import STRAND
from ..columns import brought_as, columns_of
from ..gltf import (
    LINES,
    STRIP,
    TRIANGLES,
    VERTEX,
    Arrays,
    Document,
    Primitive,
)

_NAMES = {"POSITION": "position", "NORMAL": "normal", "TEXCOORD_0": "uv", "COLOR_0": "colour", "_COLOR_0": "colour"}


class ArrayExtras(BaseModel):
    """What our writer says of an array in its extras: its own name, what it is in space, how whole numbers are held."""

    model_config = ConfigDict(extra="ignore", frozen=True, strict=True)

    name: Annotated[str, PydanticField(max_length=200)] = ""
    stands_for: Role = ""
    light: Light = ""
    whole: Literal[0, 32, 64] = 0
    corners: tuple[Annotated[str, PydanticField(max_length=200)], ...] = PydanticField((), strict=False)
    texts: tuple[Annotated[str, PydanticField(max_length=1 << 20)], ...] = PydanticField((), strict=False)


def damaged(file: str, what: str, place: str) -> BadInput:
    """The error for a file that contradicts itself."""
    return BadInput(f"{file}: {what}. Export the file again.", place=f"{file}, {place}", code="bad_glb")


class Primitives:
    """Reads the primitives of one file; BadInput where they contradict themselves."""

    def __init__(self, document: Document, arrays: Arrays, name: str) -> None:
        self.document, self.arrays, self.name = document, arrays, name

    def material(self, primitive: Primitive, faces: int) -> np.ndarray:
        """(f,) int32: the material of each triangle, -1 for none."""
        k = primitive.material
        return np.full(faces, k if k is not None and k < len(self.document.materials) else -1, np.int32)

    def triangles(self, primitive: Primitive, vertices: int) -> np.ndarray:
        """(t, 3): the vertices of each triangle, strips and fans laid out."""
        order = self._order(primitive, vertices)
        if len(order) < 3:
            raise damaged(self.name, f"a mesh of {len(order)} corners has no triangles", "meshes")
        if primitive.mode == TRIANGLES:
            if len(order) % 3:
                raise damaged(self.name, f"{len(order):,} indices are no whole number of triangles", "accessors")
            found = order.reshape(-1, 3)
        elif primitive.mode == STRIP:
            found = np.stack([order[:-2], order[1:-1], order[2:]], -1)
            found[1::2] = found[1::2][:, [1, 0, 2]]
        else:
            found = np.stack([np.broadcast_to(order[:1], len(order) - 2), order[1:-1], order[2:]], -1)
        if not len(found):
            raise damaged(self.name, "a mesh has no triangles", "meshes")
        return found

    def _order(self, primitive: Primitive, vertices: int) -> np.ndarray:
        """(k,) int32: the vertices that a piece names, one after another."""
        order = np.arange(vertices) if primitive.indices is None else self.arrays.raw(primitive.indices)
        if order.ndim != 1 or (primitive.indices is not None and order.dtype.kind != "u"):
            raise damaged(self.name, "the indices of a mesh are no whole numbers", "accessors")
        if len(order) and order.max() >= vertices:
            raise damaged(self.name, f"a mesh names vertex {order.max():,}, but it has {vertices:,}", "accessors")
        return order.astype(np.int32)

    def lines(self, primitive: Primitive, held: dict[str, Attribute]) -> tuple[np.ndarray, np.ndarray]:
        """(n,) the vertices along the strands of a piece, and (c,) how many points each has."""
        vertices = len(held["position"].values)
        order = self._order(primitive, vertices)
        if primitive.mode != LINES[0]:
            loop = primitive.mode == LINES[1]
            rows = np.concatenate([order, order[:1]]) if loop else order
            return rows, np.array([len(rows)])
        if len(order) % 2:
            raise damaged(self.name, f"{len(order):,} indices are no whole number of lines", "accessors")
        named = held.get(STRAND)
        if named is not None and named.width == 1 and primitive.indices is not None:
            # Written here: strands one after another, those of one point too, of which no line tells.
            goes_on = named.values[1:] == named.values[:-1]
            if len(order) == 2 * goes_on.sum() and (order[::2] == np.flatnonzero(goes_on)).all():
                begins = np.flatnonzero(np.concatenate([[True], ~goes_on]))
                return np.arange(vertices), np.diff([*begins.tolist(), vertices])
        a, b = order[::2], order[1::2]
        # A strand goes on where a line begins at the end of the one before it.
        fresh = np.concatenate([[True], a[1:] != b[:-1]]) if len(a) else np.zeros(0, bool)
        first = np.flatnonzero(fresh)
        counts = np.diff([*first.tolist(), len(a)]) + 1
        rows = np.empty(len(a) + len(first), np.int64)
        ends = np.cumsum(counts)
        begin = np.zeros(len(rows), bool)
        begin[ends - counts] = True
        rows[begin], rows[~begin] = a[first], b
        return rows, counts

    def attributes(self, primitive: Primitive, matrix: np.ndarray) -> dict[str, Attribute]:
        """What the vertices of a piece have, in our space."""
        if "POSITION" not in primitive.attributes:
            raise damaged(self.name, "a mesh has no POSITION", "meshes")
        found: dict[str, Attribute] = {}
        count = self.arrays.accessor(primitive.attributes["POSITION"]).count
        # Those that glTF names first: no other one takes the place of what is called so.
        for word, number in sorted(primitive.attributes.items(), key=lambda item: item[0].startswith("_")):
            attribute = self.attribute(word, number)
            if attribute is None:
                continue
            if len(attribute.values) != count:
                raise damaged(
                    self.name, f"{word} has {len(attribute.values):,} values for {count:,} vertices", "accessors"
                )
            if word == VERTEX and self.arrays.accessor(number).extras:
                found[VERTEX] = attribute
                continue
            attribute = brought_as(attribute, {*found, "position"} if word.startswith("_") else set(found))
            found[attribute.name] = attribute
        place = found["position"]
        if place.width != 3:
            raise damaged(self.name, "POSITION holds no places of three numbers", "accessors")
        if place.values.dtype.kind != "f":
            found["position"] = replace(place, kind="vector", values=place.values.astype("<f4"))
        return {n: moved_by(a, matrix) for n, a in found.items()}

    def attribute(self, word: str, number: int) -> Attribute | None:
        """An array of a primitive or of instances as an attribute; None for what is not read."""
        if re.match("JOINTS_|WEIGHTS_|TANGENT", word):
            return None
        told = self._told(word, number)
        name = told.name or _NAMES.get(word, word.removeprefix("_").lower())
        values = self.arrays.numbers(number) if name != "colour" else self.arrays.raw(number)
        if told.whole:
            return self._whole(name, word, values, told.whole)
        kind: Kind = "vector" if values.ndim == 2 else "integer" if values.dtype.kind in "iu" else "number"
        light: Light = told.light
        coloured = re.fullmatch("_?COLOR_[0-9]+", word) or told.light
        if coloured and values.ndim == 2 and values.shape[1] in (3, 4):
            # Linear light, also in whole numbers (glTF 2.0, 3.7.2.1).
            kind, light = "colour", "linear"
        if re.match("_?TEXCOORD_", word) and values.shape[1:] == (2,):
            # Pictures hang from the top there, and stand on the bottom here.
            values = values.astype("<f4")
            values[:, 1] = 1 - values[:, 1]
        if told.texts:
            return self._texts(name, word, values, told.texts)
        stored = values.astype(values.dtype.newbyteorder("<"))
        dtype = stored.dtype.str.replace("=", "<")
        width = 1 if stored.ndim == 1 else stored.shape[1]
        axes = columns_of(name, width)
        return Attribute(name, kind, np.ascontiguousarray(stored), (), tuple(Field(a, dtype) for a in axes),
                         stands_for=told.stands_for, light=light)  # fmt: skip

    def _told(self, word: str, number: int) -> ArrayExtras:
        """What a file that was written here tells of an array beside its numbers."""
        extras = self.arrays.accessor(number).extras
        if not isinstance(extras, dict) or not word.startswith("_"):
            return ArrayExtras()
        try:
            return ArrayExtras.model_validate(extras)
        except ValidationError:
            return ArrayExtras()

    def _whole(self, name: str, word: str, values: np.ndarray, bits: int) -> Attribute:
        """Whole numbers that were written as floats, or in parts of 16 bits, the lowest first."""
        if values.ndim == 1:
            whole = np.rint(np.clip(np.nan_to_num(values), -(2**31), 2**31 - 1)).astype(f"<i{bits // 8}")
        elif values.dtype == np.uint16 and values.shape[1] == bits // 16:
            whole = np.ascontiguousarray(values.astype("<u2")).view(f"<i{bits // 8}")[:, 0]
        else:
            raise damaged(
                self.name, f"{word} says that it holds whole numbers of {bits} bits, but does not", "accessors"
            )
        return Attribute(name, "integer", whole, (), (Field(name, whole.dtype.str),))

    def _texts(self, name: str, word: str, values: np.ndarray, texts: tuple[str, ...]) -> Attribute:
        """Texts by their numbers."""
        codes = values.astype(np.int64) if values.ndim == 1 and np.isfinite(values).all() else np.array([-1])
        if codes.min() < 0 or codes.max() >= len(texts):
            raise damaged(self.name, f"{word} names texts that are not listed with it", "accessors")
        return Attribute(name, "text", codes.astype(np.int32), texts, (Field(name, "<i4"),))


def moved_by(a: Attribute, matrix: np.ndarray) -> Attribute:
    """The attribute once a matrix has moved it, by its role in space; itself where it has none."""
    if not a.role or a.values.dtype.kind != "f":
        return a
    values = moved(np.array(a.values), a.role, matrix)
    return Attribute(a.name, a.kind, values, a.labels, a.fields, a.missing, a.stands_for, a.light)
