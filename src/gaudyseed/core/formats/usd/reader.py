"""USD in: usda, usdc and usdz, unpacked by a process of its own."""

from __future__ import annotations

import io
import json
import re
import zipfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path, PurePath
from typing import Any, get_args

import numpy as np

from ...errors import BadInput
from ...geometry.cubics import Basis, Wrap, at_controls, check_cubics
from ...geometry.placing import moved
from ...geometry.shapes import ShapeMesh, of_faces
from ...plurals import counted, of_mesh
from ...population import Attribute, Field
from ...population.attribute import LARGEST, Kind, Light
from ...population.meshes import PART
from ...population.naming import LONGEST_NAME
from ...population.population import Models
from ...population.strands import PART as STRAND_PART
from ...population.strands import check_curves
from ...runtime.task import UNWATCHED, Task
from ..apart import run_apart, temporary_folder
from ..base import ImportedItem, ReadOptions
from ..columns import brought_as, check_count, clones_of, columns_of
from ..meshing import (
    MOST_MODELS,
    few_clones,
    in_parts,
    joined,
    mesh_of,
    named_apart,
    numbered_parts,
    of_matrices,
    part_attribute,
    text_attribute,
    uneven,
)
from ..stranding import strands_of

WORKER = Path(__file__).parents[1] / "usd_worker.py"
SECONDS = 150
#: Frames that one process reads: starting one takes longer than reading most frames.
_FRAMES = 8
#: Of a usdz archive, all files together.
_LARGEST_ARCHIVE = 1 << 30
_NAMES = {"normals": "normal", "st": "uv", "displayColor": "colour", "widths": "width", "ids": "id",
          "velocities": "velocity", "original_color": "original_colour"}  # fmt: skip


def read(data: bytes, name: str, task: Task = UNWATCHED, options: ReadOptions = ReadOptions()) -> list[ImportedItem]:
    """The meshes of a file as one mesh whose parts are its prims, curves of one basis as strands in the same way.

    Points, instancers and instances become clones.

    BadInput where the file cannot be read; nothing outside it is ever opened.
    """
    return next(read_frames(data, name, (options.frame,), task, options))


def read_frames(
    data: bytes, name: str, frames: Sequence[float | None], task: Task = UNWATCHED,
    options: ReadOptions = ReadOptions(),
) -> Iterator[list[ImportedItem]]:  # fmt: skip
    """The same at each of some frames (None: the first), several of which one process reads."""
    for k in range(0, len(frames), _FRAMES):
        for header, arrays in _apart(data, name, frames[k : k + _FRAMES], task, options):
            yield _items(header, arrays, name, options, task)


def _items(
    header: dict[str, Any], arrays: memoryview, name: str, options: ReadOptions, task: Task
) -> list[ImportedItem]:
    things, notes = header["things"], tuple(header["notes"])
    reader = _Reader(arrays, name, options.each == "part")
    frames = tuple(header["frames"]) if header["frames"] else None
    meshes = [t for t in things if t["kind"] == "mesh"]
    stem = PurePath(name).stem
    check_count(sum(int(t.get("points", t.get("matrices"))["shape"][0]) for t in things), name)
    found = [reader.meshes(meshes, stem, notes)] if meshes else []
    clones = []
    for thing in things:
        task.check()
        if thing["kind"] not in ("mesh", "strands"):
            clones.append(reader.clones(thing, notes))
    found += few_clones(clones, stem, name)
    alike: dict[tuple[str, str], list[dict[str, Any]]] = {}
    for thing in things:
        if thing["kind"] == "strands":
            alike.setdefault((thing["basis"], thing["wrap"]), []).append(thing)
    for held in alike.values():
        task.check()
        found.append(reader.strands(held, stem, notes))
    if not found:
        told = " ".join(notes)
        raise BadInput(f"{name} holds no meshes, points or curves. {told}".strip(), place=name, code="nothing")
    return [replace(thing, frames=frames) for thing in named_apart(found)]


def _apart(
    data: bytes, name: str, frames: Sequence[float | None], task: Task, options: ReadOptions
) -> Iterator[tuple[dict[str, Any], memoryview]]:
    """What the other process found at each frame: a header, and the bytes of all arrays."""
    ending = _ending(data, name)
    with temporary_folder() as folder:
        given, wanted, out = folder / f"in{ending}", folder / "options", folder / "out"
        given.write_bytes(data)
        wanted.write_text(json.dumps({"repeated": options.repeated, "frames": list(frames)}))
        run_apart(WORKER, [str(given), str(wanted), str(out)], name, task, SECONDS, "bad_usd")
        for k in range(len(frames)):
            path = folder / f"out.{k}"
            held = path.read_bytes()
            path.unlink()
            end = held.index(b"\n")
            yield json.loads(held[:end]), memoryview(held)[end + 1 :]


def _ending(data: bytes, name: str) -> str:
    """Which form of USD it is; archives are looked through before anything unpacks them."""
    if data.startswith(b"PXR-USDC"):
        return ".usdc"
    if data.startswith(b"#usda"):
        return ".usda"
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            files = archive.infolist()
    except (zipfile.BadZipFile, ValueError, NotImplementedError):
        raise BadInput(f"{name} is a damaged archive. Export it again.", place=name, code="bad_usd") from None
    if any(f.compress_type != zipfile.ZIP_STORED for f in files) or len(files) > 10_000:
        raise BadInput(
            f"{name} has compressed files, which usdz does not allow. Export it again.", place=name, code="bad_usd"
        )
    if sum(f.file_size for f in files) > _LARGEST_ARCHIVE or any(f.file_size != f.compress_size for f in files):
        raise BadInput(f"{name} claims more than it holds. Export it again.", place=name, code="bad_usd")
    return ".usdz"


@dataclass(frozen=True)
class _Standing:
    """Clones of a file: what they carry, where they stand, (n, 4, 4), and which of their prototypes each is, (n,)."""

    table: dict[str, Attribute]
    matrices: np.ndarray
    codes: np.ndarray


class _Reader:
    """Builds populations out of what was found."""

    def __init__(self, arrays: memoryview, name: str, each_part: bool) -> None:
        self.arrays, self.name, self.each_part = arrays, name, each_part

    def array(self, entry: dict[str, Any]) -> np.ndarray:
        """An array by its entry."""
        kind, shape = np.dtype(entry["dtype"]), tuple(entry["shape"])
        count = int(np.prod(shape))
        return np.frombuffer(self.arrays, kind, count, entry["at"]).reshape(shape)

    def meshes(self, meshes: list[dict[str, Any]], stem: str, notes: tuple[str, ...]) -> ImportedItem:
        """All meshes as one, a part for each."""
        tables, sizes, corners, parts, faces, around = [], [], [], [], [], []
        shift, more = 0, list(notes)
        for k, mesh in enumerate(meshes):
            matrix = np.array(mesh["matrix"]).reshape(4, 4)
            points = self.array(mesh["points"])
            counts, indices = self.array(mesh["counts"]), self.array(mesh["indices"])
            self._check(mesh["name"], points, counts, indices)
            levels = {"vertex": len(points), "face": len(counts), "corner": len(indices)}
            carried = self._carried(mesh, levels, more)
            if mesh["left"] != (np.linalg.det(matrix[:3, :3]) < 0):
                order = _turned_over(counts)
                indices = indices[order]
                carried["corner"] = {n: a.taken(order) for n, a in carried["corner"].items()}
            place = _attribute("position", points, "point3f[]", None)
            own = {"position": place, **carried["vertex"]}
            tables.append({n: _moved(a, matrix) for n, a in own.items()})
            around.append({n: _moved(a, matrix) for n, a in carried["corner"].items()})
            faces.append(carried["face"])
            sizes.append(counts)
            corners.append(indices + np.int32(shift) if shift else indices)
            parts.append(np.full(len(counts), k, np.int32))
            shift += len(points)
        lengths = [[len(t["position"].values) for t in tables], [len(s) for s in sizes], [len(c) for c in corners]]
        (table, said), (of_faces, said_too), (of_corners, also) = (
            joined(t, n) for t, n in zip((tables, faces, around), lengths, strict=True)
        )
        names = [mesh["name"] for mesh in meshes]
        codes = np.concatenate(parts)
        given = of_faces.pop(PART, None)
        if given is not None and len(meshes) == 1:
            # Too many parts for subsets go out as their numbers.
            told = numbered_parts(given)
            of_faces |= {n: a for n, a in told.items() if n != PART}
            if PART in told:
                codes, names = told[PART].values, list(told[PART].labels)
        elif given is not None:
            of_faces["part_"] = replace(given, name="part_")
        if len(meshes) == 1 and "group" in of_faces:
            # One mesh whose subsets are named: these are its parts, faces in none of them one more.
            codes, names = of_faces["group"].values, list(of_faces["group"].labels)
            if (codes > 0).all():
                codes, names = codes - 1, names[1:]
        starts = np.concatenate([[0], np.cumsum(np.concatenate(sizes), dtype=np.int64)])
        cages = [mesh["name"] for mesh in meshes if mesh["scheme"] not in ("none", "bilinear")]
        if cages:
            more.append("The meshes are cages for smooth subdivision: raise the subdivision to see them smooth.")
        population = mesh_of(
            table, starts, np.concatenate(corners), self.name, of_corners=of_corners,
            of_faces={**of_faces, PART: part_attribute(codes, names)},
            notes=[*more, *said, *said_too, *also],
        )  # fmt: skip
        title = meshes[0]["name"] if len(meshes) == 1 else stem
        return ImportedItem(title, population, of_mesh(len(starts) - 1, len(names)))

    def _check(self, label: str, points: np.ndarray, counts: np.ndarray, indices: np.ndarray) -> None:
        if points.ndim != 2 or points.shape[1] != 3 or (counts < 0).any() or counts.sum() != len(indices):
            raise BadInput(
                f"The faces of {label!r} in {self.name} do not match its indices. Export it again.",
                place=f"{self.name}, {label}", code="bad_faces",
            )  # fmt: skip
        outside = np.flatnonzero((indices < 0) | (indices >= len(points)))
        if len(outside):
            face = int(np.searchsorted(np.cumsum(counts), outside[0], side="right")) + 1
            raise BadInput(
                f"Face {face} of {label!r} in {self.name} names point {indices[outside[0]]}, but there are "
                f"{len(points):,}. Export it again.",
                place=f"{self.name}, {label}, face {face}", code="bad_faces",
            )  # fmt: skip

    def _carried(
        self, mesh: dict[str, Any], levels: dict[str, int], notes: list[str]
    ) -> dict[str, dict[str, Attribute]]:
        """The primvars by where they live; those of a wrong length are told and left out."""
        found: dict[str, dict[str, Attribute]] = {"vertex": {}, "face": {}, "corner": {}}
        where = {"uniform": "face", "faceVarying": "corner", "vertex": "vertex", "varying": "vertex"}
        for title, entry in mesh["primvars"].items():
            values = self.array(entry["array"])
            level = where.get(entry["interpolation"], "vertex")
            if entry["interpolation"] == "constant" and len(values) == 1:
                values = np.repeat(values, levels["vertex"], axis=0)
            if len(values) != levels[level]:
                wrong = f"{len(values):,} values where {levels[level]:,} are wanted"
                notes.append(f"{title!r} of {mesh['name']} has {wrong}; it was left out.")
                continue
            attribute = _attribute(_named(title, entry), values, entry["type"], entry.get("labels"))
            attribute = brought_as(attribute, {"position", *found[level]})
            found[level][attribute.name] = attribute
        if mesh["subsets"]:
            labels = ["", *mesh["subsets"]]
            codes = np.zeros(levels["face"], np.int32)
            for k, entry in enumerate(mesh["subsets"].values(), 1):
                rows = self.array(entry)
                codes[rows[(rows >= 0) & (rows < levels["face"])]] = k
            found["face"]["group"] = Attribute("group", "text", codes, tuple(labels), (Field("group", "<i4"),))
        return found

    def strands(self, things: list[dict[str, Any]], stem: str, notes: tuple[str, ...]) -> ImportedItem:
        """All curves of one basis as strands, a part for each prim."""
        more, tables, above, sizes = list(notes), [], [], []
        basis, wrap = things[0]["basis"], things[0]["wrap"]
        for word, value, known in (("basis", basis, get_args(Basis)), ("wrap", wrap, get_args(Wrap))):
            if value not in known:
                raise BadInput(
                    f"The curves {things[0]['name']!r} in {self.name} have the {word} {value[:40]!r}; known are "
                    f"{', '.join(known)}. Export them again.",
                    place=f"{self.name}, {things[0]['name']}", code="bad_strands",
                )  # fmt: skip
        for k, thing in enumerate(things):
            matrix = np.array(thing["matrix"]).reshape(4, 4)
            points, counts = self.array(thing["points"]), self.array(thing["counts"])
            place = f"{self.name}, {thing['name']}"
            check_curves(counts, len(points), place, "curve")
            check_cubics(counts, basis, wrap, place)
            carried = self._of_curves(thing, points, counts, more)
            own = {"position": _attribute("position", points, "point3f[]", None), **carried["point"]}
            tables.append({n: _moved(a, matrix) for n, a in own.items()})
            part = Attribute(STRAND_PART, "text", np.full(len(counts), k, np.int32), (*(t["name"] for t in things),),
                             (Field(STRAND_PART, "<i4"),))  # fmt: skip
            named = {STRAND_PART: part} if len(things) > 1 else {}
            above.append({**{n: _moved(a, matrix) for n, a in carried["strand"].items()}, **named})
            sizes.append(counts)
        table, said = joined(tables, [len(t["position"].values) for t in tables])
        of_strands, said_too = joined(above, [len(s) for s in sizes])
        population = strands_of(
            table, np.concatenate(sizes), self.name, strands=of_strands, basis=basis, wrap=wrap,
            notes=[*more, *said, *said_too],
        )  # fmt: skip
        title = things[0]["name"] if len(things) == 1 else stem
        count = population.elements.owners[0].count
        return ImportedItem(title, population, f"{counted(count, 'strand')} of {counted(population.count, 'point')}")

    def _of_curves(
        self, thing: dict[str, Any], points: np.ndarray, counts: np.ndarray, notes: list[str]
    ) -> dict[str, dict[str, Attribute]]:
        """The primvars of curves by where they live; those of a wrong length are told and left out.

        What varies from segment to segment of a cubic curve comes to the control points, linearly between.
        """
        found: dict[str, dict[str, Attribute]] = {"point": {}, "strand": {}}
        for title, entry in thing["primvars"].items():
            values, level = self.array(entry["array"]), "point"
            if entry["interpolation"] == "constant" and len(values) == 1:
                values, level = np.repeat(values, len(counts), axis=0), "strand"
            elif entry["interpolation"] == "uniform":
                level = "strand"
            elif entry["interpolation"] == "varying" and thing["basis"] != "linear":
                text = entry.get("labels") is not None or values.dtype.kind in "iu"
                values = at_controls(values, counts, thing["basis"], thing["wrap"], text)
            wanted = len(points) if level == "point" else len(counts)
            if len(values) != wanted:
                if title == "widths":
                    raise BadInput(
                        f"{thing['name']!r} in {self.name} has {len(values):,} widths where {wanted:,} are wanted. "
                        "Export it again.",
                        place=f"{self.name}, {thing['name']}, widths", code="bad_width",
                    )  # fmt: skip
                wrong = f"{len(values):,} values where {wanted:,} are wanted"
                notes.append(f"{title!r} of {thing['name']} has {wrong}; it was left out.")
                continue
            attribute = _attribute(_named(title, entry), values, entry["type"], entry.get("labels"))
            if attribute.name in ("width", "normal") and level == "strand":
                attribute, level = attribute.taken(np.repeat(np.arange(len(counts)), counts)), "point"
            attribute = brought_as(attribute, {"position", *found[level]})
            found[level][attribute.name] = attribute
        return found

    def clones(self, thing: dict[str, Any], notes: tuple[str, ...]) -> ImportedItem:
        """Points, or the copies of an instancer."""
        more: list[str] = []
        placed = self._copies(thing) if thing["kind"] == "instances" else self._points(thing)
        placed = self._seen(thing, self._carrying(thing, placed, more), more)
        count, becomes, drawn = len(placed.codes), "clones, one a point", []
        if thing["kind"] == "instances":
            becomes, drawn = "clones, one a copy", self._models(thing)
            more += uneven(placed.matrices)
        table, of = placed.table, placed.codes
        parts = [[(p["name"], np.array(p["middle"])) for p in of] for of in thing.get("parts", ())]
        if self.each_part and parts and any(len(p) > 1 for p in parts) and all(parts):
            table = in_parts(table, placed.matrices, of.astype(np.int64), parts)
            first = np.cumsum([0, *map(len, parts)])
            of = (first[of[table["copy"].values]] + table["part"].values).astype(np.int32)
            drawn = [self._model([part]) for of_copy in thing["parts"] for part in of_copy] if drawn else []
            count, becomes = len(of), "elements, each part of each copy"
        population = clones_of(table, self.name, (*notes, *more))
        if drawn:
            population = replace(population, models=Models(tuple(drawn), of))
        return ImportedItem(thing["name"], population, f"{count:,} {becomes}")

    def _points(self, thing: dict[str, Any]) -> _Standing:
        """Points at their places."""
        place = _attribute("position", self.array(thing["points"]), "point3f[]", None)
        count = len(place.values)
        table = {"position": _moved(place, np.array(thing["matrix"]).reshape(4, 4))}
        return _Standing(table, np.empty((count, 0, 0)), np.zeros(count, np.int32))

    def _copies(self, thing: dict[str, Any]) -> _Standing:
        """The copies of an instancer at their places."""
        matrices = self.array(thing["matrices"]).astype(np.float64)
        self._check_copies(thing, matrices)
        return _Standing(of_matrices(matrices), matrices, self.array(thing["shape"]).astype(np.int32))

    def _carrying(self, thing: dict[str, Any], placed: _Standing, notes: list[str]) -> _Standing:
        """The same with what they carry; what is of a wrong length is told and left out."""
        table, count, matrix = dict(placed.table), len(placed.codes), np.array(thing["matrix"]).reshape(4, 4)
        for title, entry in {**thing["primvars"], **thing["more"]}.items():
            values = self.array(entry["array"])
            if entry.get("interpolation") == "constant" and len(values) == 1:
                values = np.repeat(values, count, axis=0)
            if len(values) != count:
                notes.append(f"{title!r} has {len(values):,} values for {count:,} elements; it was left out.")
                continue
            attribute = _attribute(_named(title, entry), values, entry["type"], entry.get("labels"))
            attribute = brought_as(_moved(attribute, matrix), set(table))
            table[attribute.name] = attribute
        if "shapes" in thing:
            table.setdefault("shape", text_attribute("shape", thing["shapes"]).taken(placed.codes))
        width = table.get("width")
        if width is not None and "size" not in table:
            table["size"] = Attribute("size", "number", width.values, (), (Field("size", width.values.dtype.str),))
        return replace(placed, table=table)

    def _seen(self, thing: dict[str, Any], placed: _Standing, notes: list[str]) -> _Standing:
        """The same without invisible copies, which are told; BadInput where nothing is left."""
        if not thing.get("seen"):
            return placed
        rows, count = np.flatnonzero(self.array(thing["seen"])), len(placed.codes)
        if not len(rows):
            raise BadInput(f"All copies of {thing['name']!r} in {self.name} are invisible. Show some.", place=self.name)
        notes.append(f"{count - len(rows):,} of {count:,} copies are invisible and were left out.")
        table = {n: a.taken(rows) for n, a in placed.table.items()}
        return _Standing(table, placed.matrices[rows], placed.codes[rows])

    def _check_copies(self, thing: dict[str, Any], matrices: np.ndarray) -> None:
        bad = np.flatnonzero(~(np.abs(matrices) <= LARGEST).all(axis=(1, 2)))
        if len(bad):
            raise BadInput(
                f"{len(bad):,} copies of {thing['name']!r} in {self.name} have no finite place, turn or size: the "
                f"first is copy {bad[0] + 1}. Export it again.",
                place=f"{self.name}, {thing['name']}, copy {bad[0] + 1}", code="bad_coordinate",
            )  # fmt: skip

    def _models(self, thing: dict[str, Any]) -> list[ShapeMesh]:
        """The meshes that copies are; none where some are none, or there are too many."""
        given = thing.get("parts", ())
        if not given or len(given) > MOST_MODELS or not all(given):
            return []
        return [self._model(of) for of in given]

    def _model(self, parts: list[dict[str, Any]]) -> ShapeMesh:
        """The meshes below a prototype as one shape, the faces of each one after another under its name."""
        held, shift, materials = [], 0, []
        for part in parts:
            points, faces = self.array(part["points"]), self.array(part["faces"])
            own = of_faces(points, faces)
            uv = self.array(part["uv"]) if part["uv"] else own.uv
            held.append((own.vertices, own.normals, uv.astype(np.float32), own.faces + np.int32(shift)))
            materials += [(str(name), int(count)) for name, count in part["materials"]]
            shift += len(points)
        places, normals, uvs, corners = (np.concatenate(columns) for columns in zip(*held, strict=True))
        return ShapeMesh(places, normals, uvs, corners, tuple(materials))


def _named(title: str, entry: dict[str, Any]) -> str:
    """What a primvar is called here: as it was called before USD, where a file tells."""
    shown = str(entry.get("shown") or "")
    return shown if 0 < len(shown) <= LONGEST_NAME else _NAMES.get(title, title)


def _turned_over(counts: np.ndarray) -> np.ndarray:
    """(c,) the corners of each face in the other direction."""
    ends = np.cumsum(counts)
    starts = ends - counts
    at = np.arange(int(counts.sum()))
    face = np.repeat(np.arange(len(counts)), counts)
    found: np.ndarray = ends[face] - 1 - (at - starts[face])
    return found


def _attribute(name: str, values: np.ndarray, type_name: str, labels: list[str] | None) -> Attribute:
    """An attribute of the kind that a type's name says."""
    kind: Kind = "vector" if values.ndim == 2 else "integer" if values.dtype.kind in "iu" else "number"
    light: Light = ""
    role = {"point": "point", "vector": "direction", "normal": "normal"}.get(re.match("[a-z]*", type_name).group(), "")  # type: ignore[union-attr]
    if labels is not None:
        kind = "text"
    elif type_name.startswith("color") and values.ndim == 2 and values.shape[1] in (3, 4):
        kind, light = "colour", "linear"
    if values.dtype.kind in "iu" and values.dtype.itemsize == 8 and values.dtype.kind == "u":
        values = values.astype(np.int64)
    if values.ndim == 2 and values.shape[1] == 1:
        values = values[:, 0]
        kind = "integer" if values.dtype.kind in "iu" else "number"
    width = 1 if values.ndim == 1 else values.shape[1]
    fields = tuple(Field(a, values.dtype.str) for a in columns_of(name, width))
    return Attribute(name, kind, values, tuple(labels or ()), fields, None, role if width == 3 else "", light)  # type: ignore[arg-type]


def _moved(a: Attribute, matrix: np.ndarray) -> Attribute:
    if not a.role or a.values.dtype.kind != "f":
        return a
    return Attribute(
        a.name, a.kind, moved(a.values, a.role, matrix), a.labels, a.fields, a.missing, a.stands_for, a.light
    )


# Writing


def is_usd(data: bytes) -> bool:
    """Whether these bytes are USD: readable, binary, or an archive that begins with either."""
    if data.startswith((b"PXR-USDC", b"#usda")):
        return True
    # An archive whose first file is USD; its name stands at a fixed place.
    return data.startswith(b"PK\x03\x04") and re.match(rb".{0,200}?\.usd[ac]?", data[30:260], re.S) is not None
