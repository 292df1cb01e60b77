"""The parts of glTF 2.0 that the reader and the writer share: the container, and typed arrays in its buffer."""

from __future__ import annotations

import base64
import binascii
import json
import struct
from collections.abc import Mapping
from typing import Annotated, Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from ..errors import BadInput
from ..runtime.task import UNWATCHED, Task

MAGIC = b"glTF"
TYPES: dict[int, str] = {5120: "i1", 5121: "u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
POINTS, LINES, TRIANGLES, STRIP, FAN = 0, (1, 2, 3), 4, 5, 6
INSTANCING = "EXT_mesh_gpu_instancing"
#: The attribute of instances that tells where each stood among all elements, in files of several shapes.
ROW = "_ROW"
#: The attribute of vertices that tells which vertex each was before it was split at seams.
VERTEX = "_VERTEX"
#: glTF's y is up, ours z.
Z_UP = np.array([[1.0, 0, 0, 0], [0, 0, -1, 0], [0, 1, 0, 0], [0, 0, 0, 1]])
Y_UP = np.linalg.inv(Z_UP)
#: Extensions that a file may require: what they add is read, or changes nothing that is read here.
KNOWN = {
    INSTANCING, "KHR_mesh_quantization", "KHR_texture_transform", "KHR_materials_unlit",
    "KHR_materials_emissive_strength",
    "KHR_materials_transmission", "KHR_materials_ior", "KHR_materials_clearcoat", "KHR_materials_sheen",
    "KHR_materials_specular", "KHR_materials_volume", "KHR_materials_iridescence", "KHR_materials_anisotropy",
    "KHR_materials_dispersion", "KHR_materials_variants", "KHR_lights_punctual", "KHR_xmp_json_ld",
}  # fmt: skip
_LARGEST_JSON = 64 * 1024 * 1024
#: Numbers that accessors without a buffer may hold in all, and how many more for each byte of the file.
_MOST_ZEROS, _ZEROS_A_BYTE = 3_000_000, 4
Index = Annotated[int, Field(ge=0, lt=2**31)]


class Part(BaseModel):
    """Anything in the JSON; what is not read here may stand there."""

    model_config = ConfigDict(extra="ignore", frozen=True)


class Buffer(Part):
    """A buffer of the file: where its bytes are and how many."""

    byteLength: int = Field(ge=0)  # noqa: N815
    uri: str | None = None


class View(Part):
    """A part of a buffer."""

    buffer: Index
    byteOffset: int = Field(0, ge=0)  # noqa: N815
    byteLength: int = Field(ge=1)  # noqa: N815
    byteStride: int | None = Field(None, ge=4, le=252)  # noqa: N815


class SparseIndices(Part):
    """Which elements of a sparse accessor are replaced."""

    bufferView: Index  # noqa: N815
    byteOffset: int = Field(0, ge=0)  # noqa: N815
    componentType: int  # noqa: N815


class SparseValues(Part):
    """By what they are replaced."""

    bufferView: Index  # noqa: N815
    byteOffset: int = Field(0, ge=0)  # noqa: N815


class Sparse(Part):
    """What differs from the rest of an accessor."""

    count: int = Field(ge=1)
    indices: SparseIndices
    values: SparseValues


class Accessor(Part):
    """An accessor: a typed array in a buffer."""

    bufferView: Index | None = None  # noqa: N815
    byteOffset: int = Field(0, ge=0)  # noqa: N815
    componentType: int  # noqa: N815
    normalized: bool = False
    count: int = Field(ge=1)
    type: str
    sparse: Sparse | None = None
    extras: Any = None


class Primitive(Part):
    """A piece of a mesh."""

    attributes: dict[str, Index]
    indices: Index | None = None
    material: Index | None = None
    mode: int = TRIANGLES
    targets: list[Any] = []


class Mesh(Part):
    """A mesh: its name and primitives."""

    name: str = ""
    primitives: list[Primitive] = Field(min_length=1)


class Node(Part):
    """A node: its transform, children and mesh."""

    name: str = ""
    mesh: Index | None = None
    children: list[Index] = []
    matrix: list[float] | None = Field(None, min_length=16, max_length=16)
    translation: list[float] | None = Field(None, min_length=3, max_length=3)
    rotation: list[float] | None = Field(None, min_length=4, max_length=4)
    scale: list[float] | None = Field(None, min_length=3, max_length=3)
    skin: Index | None = None
    extensions: dict[str, Any] = {}


class Material(Part):
    """A material; its name is what is kept."""

    name: str = ""


class SceneOf(Part):
    """A scene: the nodes at its top."""

    nodes: list[Index] = []


class Asset(Part):
    """The asset's version of glTF."""

    version: str


class Document(Part):
    """The JSON of a file."""

    asset: Asset
    scene: Index | None = None
    scenes: list[SceneOf] = []
    nodes: list[Node] = []
    meshes: list[Mesh] = []
    materials: list[Material] = []
    accessors: list[Accessor] = []
    bufferViews: list[View] = []  # noqa: N815
    buffers: list[Buffer] = []
    extensionsRequired: list[str] = []  # noqa: N815


def _damaged(name: str, what: str, place: str = "") -> BadInput:
    return BadInput(
        f"{name}: {what}. Export the file again.", place=f"{name}, {place}" if place else name, code="bad_glb"
    )


def opened(data: bytes, name: str) -> tuple[Document, list[memoryview]]:
    """The JSON and the buffers of a GLB file; BadInput where the container is damaged or refers to other files."""
    if len(data) < 20:
        raise _damaged(name, "the file is too short to be GLB")
    version, length = struct.unpack_from("<II", data, 4)
    if version != 2:
        raise _damaged(name, f"GLB version {version} is not known; 2 is read")
    if length > len(data):
        raise _damaged(name, f"{length:,} bytes are announced, but there are {len(data):,}; it was cut off")
    chunks: dict[bytes, memoryview] = {}
    at = 12
    while at + 8 <= length:
        size, kind = struct.unpack_from("<I4s", data, at)
        if at + 8 + size > length:
            raise _damaged(name, "a chunk is longer than the file")
        chunks.setdefault(kind, memoryview(data)[at + 8 : at + 8 + size])
        at += 8 + size + (-size % 4)
    if b"JSON" not in chunks:
        raise _damaged(name, "there is no JSON in it")
    document = _document(chunks[b"JSON"], name)
    return document, [_buffer(b, k, chunks.get(b"BIN\x00"), name) for k, b in enumerate(document.buffers)]


def _document(text: memoryview, name: str) -> Document:
    if len(text) > _LARGEST_JSON:
        raise _damaged(name, f"its JSON has {len(text) / 1e6:,.0f} MB; at most {_LARGEST_JSON // 2**20} MB are taken")
    try:
        held = json.loads(bytes(text))
        document = Document.model_validate(held)
    except (ValueError, RecursionError) as error:
        if isinstance(error, ValidationError):
            first = error.errors(include_url=False)[0]
            place = ".".join(map(str, first["loc"]))
            raise _damaged(name, f"its JSON is not glTF at {place}: {first['msg'].lower()}", place) from None
        raise _damaged(name, "its JSON cannot be read") from None
    unknown = sorted(set(document.extensionsRequired) - KNOWN)
    if unknown:
        raise BadInput(
            f"{name} requires {', '.join(unknown)[:200]}, which is not read here. Export it without.",
            place=name, code="unknown_extension",
        )  # fmt: skip
    return document


def _buffer(buffer: Buffer, number: int, binary: memoryview | None, name: str) -> memoryview:
    if buffer.uri is None:
        if number or binary is None or len(binary) < buffer.byteLength:
            raise _damaged(name, f"buffer {number} is not in the file, or shorter than it says", f"buffers.{number}")
        return binary[: buffer.byteLength]
    if not buffer.uri.startswith("data:"):
        raise BadInput(
            f"{name} keeps buffer {number} in another file or place ({buffer.uri[:60]!r}), which is never read. "
            "Export it as one GLB file.",
            place=f"{name}, buffers.{number}", code="outside_file",
        )  # fmt: skip
    try:
        held = base64.b64decode(buffer.uri.partition(",")[2], validate=True)
    except (binascii.Error, ValueError):
        raise _damaged(name, f"the data of buffer {number} are not base64", f"buffers.{number}") from None
    if len(held) < buffer.byteLength:
        raise _damaged(name, f"buffer {number} is shorter than it says", f"buffers.{number}")
    return memoryview(held)


class Arrays:
    """The accessors of a file as arrays, each checked against its buffer before anything is copied."""

    def __init__(self, document: Document, buffers: list[memoryview], name: str) -> None:
        self.document, self.buffers, self.name = document, buffers, name
        self._zeros = _MOST_ZEROS + _ZEROS_A_BYTE * sum(map(len, buffers))

    def accessor(self, number: int) -> Accessor:
        """The accessor of a number."""
        if number >= len(self.document.accessors):
            raise _damaged(self.name, f"there is no accessor {number}")
        return self.document.accessors[number]

    def raw(self, number: int) -> np.ndarray:
        """(n,) or (n, k) as stored, whole numbers that stand for 0 to 1 or -1 to 1 too; sparse values put in."""
        a, place = self.accessor(number), f"accessors.{number}"
        if a.componentType not in TYPES or a.type not in WIDTHS:
            raise _damaged(self.name, f"accessor {number} has no known type", place)
        kind, width = np.dtype(TYPES[a.componentType]), WIDTHS[a.type]
        if a.bufferView is None:
            self._zeros -= a.count * width
            if self._zeros < 0:
                raise _damaged(self.name, f"accessor {number} claims {a.count:,} elements without any data", place)
            values = np.zeros((a.count, width), kind)
        else:
            values = self._of_view(a.bufferView, a.byteOffset, kind, a.count, width, place)
        if a.sparse is not None:
            values = self._sparse(values.copy(), a.sparse, kind, width, place)
        return values[:, 0] if width == 1 else values

    def _of_view(self, view: int, offset: int, kind: np.dtype[Any], count: int, width: int, place: str) -> np.ndarray:
        if view >= len(self.document.bufferViews):
            raise _damaged(self.name, f"there is no buffer view {view}", place)
        v = self.document.bufferViews[view]
        if v.buffer >= len(self.buffers):
            raise _damaged(self.name, f"there is no buffer {v.buffer}", place)
        held = self.buffers[v.buffer]
        if v.byteOffset + v.byteLength > len(held):
            raise _damaged(self.name, f"buffer view {view} reaches beyond its buffer", place)
        size = kind.itemsize * width
        stride = v.byteStride or size
        if stride < size or offset + stride * (count - 1) + size > v.byteLength:
            raise _damaged(self.name, f"{count:,} elements reach beyond buffer view {view}", place)
        part = held[v.byteOffset + offset : v.byteOffset + v.byteLength]
        return np.ndarray((count, width), kind, part, strides=(stride, kind.itemsize))

    def _sparse(self, values: np.ndarray, sparse: Sparse, kind: np.dtype[Any], width: int, place: str) -> np.ndarray:
        if sparse.indices.componentType not in (5121, 5123, 5125) or sparse.count > len(values):
            raise _damaged(self.name, "the indices of a sparse accessor are wrong", place)
        at = np.dtype(TYPES[sparse.indices.componentType])
        rows = self._of_view(sparse.indices.bufferView, sparse.indices.byteOffset, at, sparse.count, 1, place)[:, 0]
        if rows.max(initial=0) >= len(values):
            raise _damaged(self.name, "an index of a sparse accessor lies beyond its elements", place)
        values[rows] = self._of_view(
            sparse.values.bufferView, sparse.values.byteOffset, kind, sparse.count, width, place
        )
        return values

    def numbers(self, number: int) -> np.ndarray:
        """The values of an accessor; normalised whole numbers as float32 of what they stand for."""
        values = self.raw(number)
        if not self.accessor(number).normalized or values.dtype.kind == "f":
            return values
        most = np.iinfo(values.dtype).max
        return np.maximum(values.astype(np.float32) / np.float32(most), np.float32(-1))


class Writing:
    """A GLB file that is being put together."""

    def __init__(self, task: Task = UNWATCHED) -> None:
        self._task = task
        self.json: dict[str, Any] = {
            "asset": {"version": "2.0", "generator": "Gaudy Seed"}, "scene": 0, "scenes": [{"nodes": []}], "nodes": [],
            "accessors": [], "bufferViews": [],
        }  # fmt: skip
        self._parts: list[bytes] = []
        self._size = 0

    def add(
        self, values: np.ndarray, *, normalized: bool = False, target: int | None = None, ends: bool = False,
        extras: Mapping[str, Any] | None = None,
    ) -> int:  # fmt: skip
        """The accessor of (n,) or (n, k) values; rows of small types are padded to four bytes."""
        self._task.check()
        rows = values.reshape(len(values), -1)
        pad = -rows.shape[1] * rows.itemsize % 4 if target == 34962 else 0
        held = np.ascontiguousarray(rows)
        if pad:
            held = np.concatenate([rows, np.zeros((len(rows), pad // rows.itemsize), rows.dtype)], axis=1)
        view: dict[str, Any] = {"buffer": 0, "byteOffset": self._size, "byteLength": held.nbytes}
        if target is not None:
            view["target"] = target
        if pad:
            view["byteStride"] = held.shape[1] * held.itemsize
        self._parts += [held.tobytes(), b"\x00" * (-held.nbytes % 4)]
        self._size += held.nbytes + (-held.nbytes % 4)
        words = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}
        code = next(c for c, t in TYPES.items() if np.dtype(t) == values.dtype)
        accessor: dict[str, Any] = {
            "bufferView": len(self.json["bufferViews"]), "componentType": code, "count": len(rows),
            "type": words[rows.shape[1]],
        }  # fmt: skip
        if normalized:
            accessor["normalized"] = True
        if extras:
            accessor["extras"] = dict(extras)
        if ends:
            accessor |= {"min": rows.min(axis=0).tolist(), "max": rows.max(axis=0).tolist()}
        self.json["bufferViews"].append(view)
        self.json["accessors"].append(accessor)
        return len(self.json["accessors"]) - 1

    def add_bytes(self, data: bytes) -> int:
        """The view of bytes that are no array: a picture."""
        self.json["bufferViews"].append({"buffer": 0, "byteOffset": self._size, "byteLength": len(data)})
        self._parts += [data, b"\x00" * (-len(data) % 4)]
        self._size += len(data) + (-len(data) % 4)
        return len(self.json["bufferViews"]) - 1

    def uses(self, extension: str, required: bool = False) -> None:
        """Note that the file has something of an extension, and whether nobody can read it without."""
        for word in ("extensionsUsed", *(("extensionsRequired",) if required else ())):
            listed = self.json.setdefault(word, [])
            if extension not in listed:
                listed.append(extension)

    def node(self, node: Mapping[str, Any]) -> None:
        """A node of the scene."""
        self.json["scenes"][0]["nodes"].append(len(self.json["nodes"]))
        self.json["nodes"].append(dict(node))

    def data(self) -> bytes:
        """The bytes of the whole file."""
        self.json["buffers"] = [{"byteLength": self._size}]
        text = json.dumps(self.json, separators=(",", ":"), allow_nan=False).encode()
        text += b" " * (-len(text) % 4)
        body = b"".join(self._parts)
        head = struct.pack("<4sII", MAGIC, 2, 12 + 8 + len(text) + 8 + len(body))
        chunks = [struct.pack("<I4s", len(text), b"JSON"), text, struct.pack("<I4s", len(body), b"BIN\x00"), body]
        return b"".join([head, *chunks])
