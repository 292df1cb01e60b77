"""GLB (glTF 2.0): meshes with transforms, custom attributes and colours; instances and points as clones.

Read here rather than by a library, because those at hand ignore normalised and sparse arrays and lose attributes.
"""

from __future__ import annotations

import math
import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import PurePath
from typing import TYPE_CHECKING, Any

import numpy as np

from ..channels import CHANNELS
from ..errors import BadInput, never_overtaken
from ..geometry.placing import affine, moved
from ..picture import within
from ..population import Attribute, Curves, Field, Polygons, Population
from ..population.attribute import Kind, Light
from ..population.derive import standing, with_derived
from ..population.meshes import PART
from ..population.population import of_points
from ..population.strands import PART as STRAND_PART
from ..population.strands import STRAND
from .base import FORMATS, About, Format, Piece, Thing, Wish
from .cells import Check
from .columns import Results, check_results
from .gltf import (
    FAN,
    INSTANCING,
    LINES,
    MAGIC,
    POINTS,
    STRIP,
    TRIANGLES,
    Arrays,
    Document,
    Node,
    Primitive,
    Writing,
    opened,
)
from .material import Surface, cut_out, png_of, surface_of
from .meshing import in_parts, joined, linear_colours, mesh_of, named_apart, of_matrices, part_attribute
from .shapes import pieces_of, places_of
from .stranding import strands_of

if TYPE_CHECKING:
    from ..look.material import ElementPicture

MOST_NODES = 1_000_000
#: glTF's y is up, ours z.
_Z_UP = np.array([[1.0, 0, 0, 0], [0, 0, -1, 0], [0, 1, 0, 0], [0, 0, 0, 1]])
_Y_UP = np.linalg.inv(_Z_UP)
_NAMES = {"POSITION": "position", "NORMAL": "normal", "TEXCOORD_0": "uv", "COLOR_0": "colour", "_COLOR_0": "colour"}


@dataclass(frozen=True, eq=False)
class _Placed:
    """A node with a mesh: its name, the mesh, and where it stands."""

    name: str
    mesh: int
    matrix: np.ndarray
    instances: dict[str, int] | None


def read(data: bytes, name: str, check: Check = never_overtaken, wish: Wish = Wish()) -> list[Thing]:
    """The meshes of a file as one mesh whose parts are its nodes, lines as strands; repeated meshes, points as clones.

    BadInput says where something is damaged; nothing outside the file is ever read.
    """
    document, buffers = opened(data, name)
    reader = _Reader(document, Arrays(document, buffers, name), name, check, wish.each == "part")
    nodes = list(reader.placed())
    repeated = Counter(node.mesh for node in nodes if node.instances is None)
    as_clones = {mesh for mesh, times in repeated.items() if times > 1} if wish.repeated == "clones" else set()
    things = []
    single = [node for node in nodes if node.instances is None and node.mesh not in as_clones]
    stem = PurePath(name).stem
    things += reader.mesh(single, stem)
    for mesh in sorted(as_clones):
        things.append(reader.clones([n for n in nodes if n.mesh == mesh and n.instances is None], mesh))
    things += [reader.instances(node) for node in nodes if node.instances is not None]
    things += reader.points(single)
    things += reader.strands(single, stem)
    if not things:
        raise BadInput(f"{name} holds no meshes, points or lines. Export them with it.", place=name, code="nothing")
    return named_apart(things)


class _Reader:
    def __init__(self, document: Document, arrays: Arrays, name: str, check: Check, each_part: bool) -> None:
        self.document, self.arrays, self.name, self.check = document, arrays, name, check
        self.each_part = each_part

    def placed(self) -> Iterator[_Placed]:
        """The nodes with meshes that the scene shows; BadInput where nodes go round in a circle or have two parents."""
        nodes = self.document.nodes
        if len(nodes) > MOST_NODES:
            raise BadInput(f"{self.name} has {len(nodes):,} nodes; at most {MOST_NODES:,} are taken.", place=self.name)
        parents = Counter(child for node in nodes for child in node.children)
        if not self.document.scenes:
            roots = [k for k in range(len(nodes)) if not parents[k]]
        else:
            scene = self.document.scene or 0
            if scene >= len(self.document.scenes):
                raise self._damaged(f"there is no scene {scene}", "scene")
            roots = self.document.scenes[scene].nodes
        if any(times > 1 for times in parents.values()) or any(parents[k] for k in roots):
            raise self._damaged("a node has two parents, or its own child above it", "nodes")
        open_ = [(k, _Z_UP) for k in reversed(roots)]
        visited = 0
        while open_:
            k, above = open_.pop()
            visited += 1
            if k >= len(nodes) or visited > len(nodes):
                raise self._damaged(f"there is no node {k}, or nodes go round in a circle", f"nodes.{k}")
            node = nodes[k]
            matrix = above @ self._matrix(node, k)
            open_ += [(child, matrix) for child in reversed(node.children)]
            if node.mesh is not None:
                if node.mesh >= len(self.document.meshes):
                    raise self._damaged(f"there is no mesh {node.mesh}", f"nodes.{k}")
                label = node.name or self.document.meshes[node.mesh].name or f"node {k}"
                yield _Placed(label, node.mesh, matrix, self._instances_of(node))

    def _damaged(self, what: str, place: str) -> BadInput:
        return BadInput(f"{self.name}: {what}. Export the file again.", place=f"{self.name}, {place}", code="bad_glb")

    def _matrix(self, node: Node, number: int) -> np.ndarray:
        if node.matrix is not None:
            found = np.array(node.matrix).reshape(4, 4).T
        else:
            x, y, z, w = node.rotation or [0.0, 0.0, 0.0, 1.0]
            turn = np.array(
                [
                    [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
                    [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
                    [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
                ]
            )
            found = affine(
                turn * np.array(node.scale or [1.0, 1.0, 1.0]), np.array(node.translation or [0.0, 0.0, 0.0])
            )
        if not np.isfinite(found).all() or np.abs(found).max() > 1e12:
            raise self._damaged("a node's transform is not finite", f"nodes.{number}")
        return found

    def _instances_of(self, node: Node) -> dict[str, int] | None:
        given = node.extensions.get(INSTANCING)
        if not isinstance(given, dict) or not isinstance(given.get("attributes"), dict):
            return None
        return {k: v for k, v in given["attributes"].items() if isinstance(v, int) and v >= 0}

    # Meshes

    def mesh(self, nodes: list[_Placed], stem: str) -> list[Thing]:
        """All triangles of these nodes as one mesh, a part for each node, as a list of one or none."""
        pieces = [(node, p) for node in nodes for p in self.document.meshes[node.mesh].primitives]
        pieces = [(node, p) for node, p in pieces if p.mode in (TRIANGLES, STRIP, FAN)]
        if not pieces:
            return []
        number = {node: k for k, node in enumerate(dict.fromkeys(node for node, _ in pieces))}
        labels = [node.name for node in number]
        tables, corners, parts, materials, count = [], [], [], [], 0
        # Pieces that share their arrays share their vertices too.
        shared: dict[tuple[object, ...], tuple[int, int]] = {}
        for node, primitive in pieces:
            self.check()
            key = (tuple(sorted(primitive.attributes.items())), node.matrix.tobytes())
            if key not in shared:
                tables.append(self._attributes(primitive, node.matrix))
                shared[key] = (count, len(tables[-1]["position"].values))
                count += shared[key][1]
            shift, vertices = shared[key]
            triangles = self._triangles(primitive, vertices)
            if np.linalg.det(node.matrix[:3, :3]) < 0:
                triangles = triangles[:, ::-1]
            corners.append(triangles + np.int32(shift) if shift else triangles)
            parts.append(np.full(len(triangles), number[node], np.int32))
            materials.append(self._material(primitive, len(triangles)))
        faces = corners[0] if len(corners) == 1 else np.concatenate(corners)
        table, more = joined(tables, [len(t["position"].values) for t in tables])
        of_faces = {PART: part_attribute(np.concatenate(parts), labels)}
        codes = np.concatenate(materials)
        if (codes >= 0).any():
            of_faces["material"] = _materials(codes, [m.name for m in self.document.materials])
        population = mesh_of(
            table, np.arange(0, 3 * len(faces) + 1, 3), np.ascontiguousarray(faces.reshape(-1), np.int32), self.name,
            of_faces=of_faces, notes=more,
        )  # fmt: skip
        title = labels[0] if len(labels) == 1 else stem
        return [Thing(title, population, f"a mesh of {len(faces):,} triangles and {len(labels):,} parts")]

    def _material(self, primitive: Primitive, faces: int) -> np.ndarray:
        """(f,) int32: the material of each triangle, -1 for none."""
        k = primitive.material
        return np.full(faces, k if k is not None and k < len(self.document.materials) else -1, np.int32)

    def _triangles(self, primitive: Primitive, vertices: int) -> np.ndarray:
        """(t, 3): the vertices of each triangle, strips and fans laid out."""
        order = self._order(primitive, vertices)
        if primitive.mode == TRIANGLES:
            if len(order) % 3:
                raise self._damaged(f"{len(order):,} indices are no whole number of triangles", "accessors")
            found = order.reshape(-1, 3)
        elif primitive.mode == STRIP:
            found = np.stack([order[:-2], order[1:-1], order[2:]], -1)
            found[1::2] = found[1::2][:, [1, 0, 2]]
        else:
            found = np.stack([np.broadcast_to(order[:1], len(order) - 2), order[1:-1], order[2:]], -1)
        if not len(found):
            raise self._damaged("a mesh has no triangles", "meshes")
        return found

    def _order(self, primitive: Primitive, vertices: int) -> np.ndarray:
        """(k,) int32: the vertices that a piece names, one after another."""
        order = np.arange(vertices) if primitive.indices is None else self.arrays.raw(primitive.indices)
        if order.ndim != 1 or order.dtype.kind not in "iu":
            raise self._damaged("the indices of a mesh are no whole numbers", "accessors")
        if len(order) and order.max() >= vertices:
            raise self._damaged(f"a mesh names vertex {order.max():,}, but it has {vertices:,}", "accessors")
        return order.astype(np.int32)

    def strands(self, nodes: list[_Placed], stem: str) -> list[Thing]:
        """All lines of these nodes as strands, a part for each node, as a list of one or none."""
        pieces = [(node, p) for node in nodes for p in self.document.meshes[node.mesh].primitives if p.mode in LINES]
        if not pieces:
            return []
        number = {node: k for k, node in enumerate(dict.fromkeys(node for node, _ in pieces))}
        labels = [node.name for node in number]
        tables, sizes, parts = [], [], []
        for node, primitive in pieces:
            self.check()
            held = self._attributes(primitive, node.matrix)
            rows, counts = self._lines(primitive, held)
            tables.append({n: a.taken(rows) for n, a in held.items() if n != STRAND})
            sizes.append(counts)
            parts.append(np.full(len(counts), number[node], np.int32))
        table, more = joined(tables, [len(t["position"].values) for t in tables])
        above = {STRAND_PART: part_attribute(np.concatenate(parts), labels)} if len(labels) > 1 else {}
        population = strands_of(table, np.concatenate(sizes), self.name, strands=above, notes=more)
        count = population.elements.owners[0].count
        title = labels[0] if len(labels) == 1 else stem
        return [Thing(title, population, f"{count:,} strands of {population.count:,} points")]

    def _lines(self, primitive: Primitive, held: dict[str, Attribute]) -> tuple[np.ndarray, np.ndarray]:
        """(n,) the vertices along the strands of a piece, and (c,) how many points each has."""
        vertices = len(held["position"].values)
        order = self._order(primitive, vertices)
        if primitive.mode != LINES[0]:
            loop = primitive.mode == LINES[1]
            rows = np.concatenate([order, order[:1]]) if loop else order
            return rows, np.array([len(rows)])
        if len(order) % 2:
            raise self._damaged(f"{len(order):,} indices are no whole number of lines", "accessors")
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

    def _attributes(self, primitive: Primitive, matrix: np.ndarray) -> dict[str, Attribute]:
        """What the vertices of a piece have, in our space."""
        if "POSITION" not in primitive.attributes:
            raise self._damaged("a mesh has no POSITION", "meshes")
        found: dict[str, Attribute] = {}
        count = self.arrays.accessor(primitive.attributes["POSITION"]).count
        for word, number in primitive.attributes.items():
            attribute = self._attribute(word, number)
            if attribute is None:
                continue
            if len(attribute.values) != count:
                raise self._damaged(f"{word} has {len(attribute.values):,} values for {count:,} vertices", "accessors")
            found[attribute.name] = attribute
        place = found["position"]
        if place.width != 3 or place.values.dtype.kind != "f":
            found["position"] = Attribute("position", "vector", place.values.reshape(count, -1)[:, :3].astype("<f4"),
                                          fields=place.fields)  # fmt: skip
        return {n: _moved(a, matrix) for n, a in found.items()}

    def _attribute(self, word: str, number: int) -> Attribute | None:
        """An array of a primitive or of instances as an attribute; None for what is not read."""
        if re.match("JOINTS_|WEIGHTS_|TANGENT", word):
            return None
        name = _NAMES.get(word, word.removeprefix("_").lower())
        values = self.arrays.numbers(number) if name != "colour" else self.arrays.raw(number)
        kind: Kind = "vector" if values.ndim == 2 else "integer" if values.dtype.kind in "iu" else "number"
        light: Light = ""
        if (
            name.startswith("colo")
            and re.fullmatch("_?COLOR_[0-9]+", word)
            and values.ndim == 2
            and values.shape[1] in (3, 4)
        ):
            # Linear light, also in whole numbers (glTF 2.0, 3.7.2.1).
            kind, light = "colour", "linear"
        if word.startswith("TEXCOORD_") and values.shape[1:] == (2,):
            # Pictures hang from the top there, and stand on the bottom here.
            values = values.astype("<f4")
            values[:, 1] = 1 - values[:, 1]
        stored = values.astype(values.dtype.newbyteorder("<"))
        dtype = stored.dtype.str.replace("=", "<")
        width = 1 if stored.ndim == 1 else stored.shape[1]
        axes = _columns(name, width)
        return Attribute(name, kind, np.ascontiguousarray(stored), (), tuple(Field(a, dtype) for a in axes),
                         light=light)  # fmt: skip

    # Clones

    def points(self, nodes: list[_Placed]) -> list[Thing]:
        """Primitives of points as clones."""
        found = []
        for node in nodes:
            for primitive in self.document.meshes[node.mesh].primitives:
                if primitive.mode == POINTS:
                    table = self._attributes(primitive, node.matrix)
                    count = len(table["position"].values)
                    found.append(
                        Thing(node.name, with_derived(of_points(count, table)), f"{count:,} clones, one a point")
                    )
        return found

    def clones(self, nodes: list[_Placed], mesh: int) -> Thing:
        """Nodes of one mesh as clones at their places."""
        matrices = np.stack([node.matrix @ np.linalg.inv(_Z_UP) for node in nodes])
        label = self.document.meshes[mesh].name or nodes[0].name
        names = [node.name for node in nodes]
        table = of_matrices(matrices)
        labels = tuple(dict.fromkeys(names))
        codes = {text: k for k, text in enumerate(labels)}
        table["name"] = Attribute("name", "text", np.array([codes[n] for n in names], np.int32), labels,
                                  (Field("name", "<i4"),))  # fmt: skip
        return self._as_clones(table, matrices, mesh, label)

    def instances(self, node: _Placed) -> Thing:
        """The instances of a node."""
        assert node.instances is not None
        given = {word: self._attribute(word, number) for word, number in node.instances.items()}
        sizes = {len(a.values) for a in given.values() if a}
        if len(sizes) != 1:
            raise self._damaged(f"the instances of {node.name!r} have arrays of different lengths, or none", "nodes")
        count = sizes.pop()
        matrices = np.broadcast_to(np.eye(4), (count, 4, 4)).copy()
        turns, scales = given.get("ROTATION"), given.get("SCALE")
        if turns is not None and turns.width == 4:
            matrices[:, :3, :3] = _rotations(turns.values.astype(np.float64))
        if scales is not None and scales.width == 3:
            matrices[:, :3, :3] *= scales.values[:, None, :].astype(np.float64)
        places = given.get("TRANSLATION")
        if places is not None and places.width == 3:
            matrices[:, :3, 3] = places.values
        matrices = node.matrix @ matrices @ np.linalg.inv(_Z_UP)
        table = of_matrices(matrices)
        for word, a in given.items():
            if a is not None and word not in ("TRANSLATION", "ROTATION", "SCALE") and a.name not in table:
                table[a.name] = a
        return self._as_clones(table, matrices, node.mesh, self.document.meshes[node.mesh].name or node.name)

    def _as_clones(self, table: dict[str, Attribute], matrices: np.ndarray, mesh: int, label: str) -> Thing:
        count = len(matrices)
        shape = Attribute("shape", "text", np.zeros(count, np.int32), (label or "shape",), (Field("shape", "<i4"),))
        if not np.isfinite(table["position"].values).all():
            raise self._damaged("some instances have no finite place", "nodes")
        table.setdefault("shape", shape)
        becomes = f"{count:,} clones of one shape"
        parts = self._parts(mesh)
        if self.each_part and len(parts) > 1:
            table = in_parts(table, matrices, np.zeros(count, np.int64), [parts])
            becomes = f"{count:,} copies of {len(parts)} parts, each an element"
            count *= len(parts)
        return Thing(label or "instances", with_derived(of_points(count, table)), becomes)

    def _parts(self, mesh: int) -> list[tuple[str, np.ndarray]]:
        """The pieces of a mesh by their materials' names, with their middles in our space."""
        found = []
        for k, primitive in enumerate(self.document.meshes[mesh].primitives):
            if primitive.mode in (TRIANGLES, STRIP, FAN) and "POSITION" in primitive.attributes:
                place = self._attributes(primitive, _Z_UP)["position"].values.astype(np.float64)
                m = primitive.material
                named = m is not None and m < len(self.document.materials) and self.document.materials[m].name
                found.append((named or f"part {k}", (place.min(axis=0) + place.max(axis=0)) / 2))
        return found


def _columns(name: str, width: int) -> list[str]:
    """What the columns of an attribute are called in files of columns."""
    known = {"position": "x y z", "normal": "nx ny nz", "uv": "u v", "colour": "red green blue alpha"}
    if name in known and width <= len(known[name].split()):
        return known[name].split()[:width]
    return [name] if width == 1 else [f"{name}_{axis}" for axis in "xyzw"[:width]] if width <= 4 else [
        f"{name}_{k}" for k in range(width)
    ]  # fmt: skip


def _moved(a: Attribute, matrix: np.ndarray) -> Attribute:
    if not a.role or a.values.dtype.kind != "f":
        return a
    values = moved(np.array(a.values), a.role, matrix)
    return Attribute(a.name, a.kind, values, a.labels, a.fields, a.missing, a.stands_for, a.light)


def _rotations(q: np.ndarray) -> np.ndarray:
    """(n, 3, 3) from quaternions (n, 4) x, y, z, w."""
    x, y, z, w = (q / np.maximum(np.linalg.norm(q, axis=1, keepdims=True), 1e-12)).T
    return np.stack(
        [
            np.stack([1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)], -1),
            np.stack([2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)], -1),
            np.stack([2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)], -1),
        ],
        1,
    )


def _materials(codes: np.ndarray, names: list[str]) -> Attribute:
    labels = (*(name or f"material {k}" for k, name in enumerate(names)), "")
    return Attribute("material", "text", np.where(codes < 0, len(names), codes).astype(np.int32), labels,
                     (Field("material", "<i4"),))  # fmt: skip


# Writing


def write(population: Population, results: Results | None, about: About = About()) -> bytes:
    """A mesh with its colours as COLOR_0 and its attributes as custom ones; clones as instances; strands as lines."""
    check_results(results)
    out = Writing()
    if isinstance(population.form, Polygons):
        _write_mesh(out, population, population.form, results, about)
    elif isinstance(population.form, Curves):
        _write_strands(out, population, population.form, results, about)
    else:
        _write_clones(out, population, results, about)
    return out.data()


def _colours(population: Population, results: Results | None) -> np.ndarray | None:
    colours = linear_colours(population, results)
    return None if colours is None else np.clip(colours, 0, 1).astype("<f4")


def _custom(population: Population, results: Results | None) -> Iterator[tuple[str, np.ndarray]]:
    """Attributes under names of their own, as glTF allows them: no 32-bit whole numbers, nothing that is not finite."""
    taken: set[str] = set()
    elements = population.elements
    columns = [(a.name, a.values, a.kind) for a in (elements.attribute(n) for n in elements.brought) if a.fields]
    if isinstance(population.form, Polygons) and not _apart(population.form):
        columns.append(("part", elements.attribute("part").values, "integer"))
    given = {CHANNELS[word].name: values for word, values in (results or {}).items() if word != "base_colour"}
    # Results of an earlier run are replaced.
    columns = [(name, values, kind) for name, values, kind in columns if name not in given]
    columns += [(name, values, "number") for name, values in given.items()]
    for name, values, kind in columns:
        if name in ("position", "normal", "uv", "colour", "orientation", "size"):
            continue
        word = "_" + (re.sub(r"[^A-Z0-9_]", "_", name.upper()) or "VALUE")
        while word in taken:
            word += "_"
        taken.add(word)
        width = 1 if values.ndim == 1 else values.shape[1]
        if width > 4 or (kind == "text" and width > 1):
            continue
        yield word, _allowed(values)


def _allowed(values: np.ndarray) -> np.ndarray:
    if values.dtype.kind in "iu":
        low, high = (int(values.min()), int(values.max())) if len(values) else (0, 0)
        for kind in ("u1", "<u2"):
            if low >= 0 and high <= np.iinfo(kind).max:
                return values.astype(kind)
    finite = np.where(np.isfinite(values), values, 0)
    return finite.astype("<f4")


def _write_mesh(out: Writing, population: Population, form: Polygons, results: Results | None, about: About) -> None:
    elements = population.elements
    position = moved(elements.attribute("position").readable, "point", _Y_UP).astype("<f4")
    normal = moved(elements.attribute("normal").readable, "normal", _Y_UP).astype("<f4")
    attributes = {
        "POSITION": out.add(position, target=34962, ends=True), "NORMAL": out.add(_unit(normal), target=34962),
    }  # fmt: skip
    uv = elements.find("uv")
    if uv is not None and uv.width == 2:
        attributes["TEXCOORD_0"] = out.add(_hanging(uv.readable), target=34962)
    colours = _colours(population, results)
    if colours is not None:
        attributes["COLOR_0"] = out.add(colours, target=34962)
    for word, values in _custom(population, results):
        attributes[word] = out.add(values, target=34962)
    out.json["meshes"], out.json["materials"] = [], []
    material = _material(out, about.name, None, surface_of(results, None, about), about, colours is not None)
    for label, triangles in _pieces(form):
        index = out.add(triangles.reshape(-1).astype("<u4"), target=34963)
        primitive = {"attributes": attributes, "indices": index, "material": material}
        out.json["meshes"].append({"name": label or about.name, "primitives": [primitive]})
        out.node({"name": label or about.name, "mesh": len(out.json["meshes"]) - 1})


def _write_strands(out: Writing, population: Population, form: Curves, results: Results | None, about: About) -> None:
    """Lines from each point of a strand to the next; _STRAND tells which strand a point belongs to."""
    position = moved(population.elements.attribute("position").readable, "point", _Y_UP).astype("<f4")
    attributes = {"POSITION": out.add(position, target=34962, ends=True)}
    own = population.elements.own
    if "normal" in own and own["normal"].width == 3:
        normal = moved(own["normal"].readable, "normal", _Y_UP).astype("<f4")
        attributes["NORMAL"] = out.add(_unit(normal), target=34962)
    if "uv" in own and own["uv"].width == 2:
        attributes["TEXCOORD_0"] = out.add(_hanging(own["uv"].readable), target=34962)
    colours = _colours(population, results)
    if colours is not None:
        attributes["COLOR_0"] = out.add(colours, target=34962)
    for word, values in _custom(population, results):
        if word != "_STRAND":
            attributes[word] = out.add(values, target=34962)
    # As a number for each strand from 0 on, so that 24 bits of a float do.
    strands = form.curve_of
    attributes["_STRAND"] = out.add(_allowed(strands), target=34962)
    joints = np.delete(np.arange(population.count), form.starts[1:] - 1)
    index = np.stack([joints, joints + 1], -1).reshape(-1).astype("<u4")
    out.json["materials"] = []
    surface = surface_of(results, None, about)
    primitive = {
        "attributes": attributes, "mode": LINES[0] if len(index) else POINTS,
        "material": _material(out, about.name, None, surface, about, colours is not None),
    }  # fmt: skip
    if len(index):
        primitive["indices"] = out.add(index, target=34963)
    out.json["meshes"] = [{"name": about.name, "primitives": [primitive]}]
    out.node({"name": about.name, "mesh": 0})


#: Parts that go out as nodes of their own; more would make the file unwieldy, and are told by the attribute _PART.
_MOST_NODES_OUT = 4096


def _apart(form: Polygons) -> bool:
    """Whether each part goes out as a node of its own."""
    part = form.of_faces.get(PART)
    return part is not None and len(part.labels) <= _MOST_NODES_OUT


def _pieces(form: Polygons) -> Iterator[tuple[str, np.ndarray]]:
    """The triangles of each part of a file, with its name; all together where there are no such parts, or too many."""
    part = form.of_faces.get(PART)
    if part is None or not _apart(form):
        yield "", form.triangles
        return
    of_triangles = part.values[form.cut[1]]
    order = np.argsort(of_triangles, kind="stable")
    ends = np.searchsorted(of_triangles[order], np.arange(len(part.labels) + 1))
    for k, label in enumerate(part.labels):
        if ends[k + 1] > ends[k]:
            yield label or f"part {k}", form.triangles[order[ends[k] : ends[k + 1]]]


def _unit(normals: np.ndarray) -> np.ndarray:
    lengths = np.linalg.norm(normals, axis=1, keepdims=True)
    return np.where(lengths > 1e-6, normals / np.maximum(lengths, 1e-12), [0, 1, 0]).astype("<f4")


def _write_clones(out: Writing, population: Population, results: Results | None, about: About) -> None:
    turns, sizes = standing(population)
    # The shape stands in the file's space too, so an instance turns about the same axis, seen from there.
    rotation = np.concatenate([moved(turns[:, :3], "direction", _Y_UP), turns[:, 3:]], axis=1).astype("<f4")
    rotation /= np.linalg.norm(rotation, axis=1, keepdims=True)
    arrays = {
        "TRANSLATION": moved(places_of(population), "point", _Y_UP).astype("<f4"), "ROTATION": rotation,
        "SCALE": np.repeat(sizes[:, None], 3, axis=1).astype("<f4"),
    }  # fmt: skip
    colours = _colours(population, results)
    if colours is not None:
        # Not in the extension's text, but what those that read it look for (common practice).
        arrays["_COLOR_0"] = colours
    for word, values in _custom(population, results):
        arrays[word] = values.astype("<f4") if values.dtype.itemsize < 4 else values
    out.json["materials"], out.json["meshes"] = [], []
    out.uses(INSTANCING, required=True)
    for piece in pieces_of(population, about):
        shape, rows = piece.mesh, piece.rows
        if not len(rows):
            continue
        vertices = moved(shape.vertices * np.float32(piece.size), "point", _Y_UP)
        held = {
            "POSITION": out.add(vertices.astype("<f4"), target=34962, ends=True),
            "NORMAL": out.add(_unit(moved(shape.normals, "normal", _Y_UP).astype("<f4")), target=34962),
        }
        if piece.picture is not None:
            held["TEXCOORD_0"] = out.add(_hanging(shape.uv), target=34962)
        index = "<u2" if len(vertices) < 65_536 else "<u4"
        surface = surface_of(results, piece, about)
        mesh = {
            "attributes": held, "indices": out.add(shape.faces.reshape(-1).astype(index), target=34963),
            "material": _material(out, piece.name, piece, surface, about, colours is not None),
        }  # fmt: skip
        attributes = {word: out.add(values[rows]) for word, values in arrays.items()}
        out.json["meshes"].append({"name": piece.name, "primitives": [mesh]})
        extensions = {INSTANCING: {"attributes": attributes}}
        out.node({"name": about.name, "mesh": len(out.json["meshes"]) - 1, "extensions": extensions})


def _hanging(uv: np.ndarray) -> np.ndarray:
    """Pictures hang from the top there, and stand on the bottom here."""
    return (uv * np.array([1, -1], np.float32) + np.array([0, 1], np.float32)).astype("<f4")


def _material(out: Writing, name: str, piece: Piece | None, surface: Surface, about: About, coloured: bool) -> int:
    """The number of a new material: what its elements have in common, and the mean of what they have not.

    Each element's own values are attributes beside it. ``coloured``: the colours come as attributes.
    """
    white = [1.0, 1.0, 1.0]
    base = white if coloured else surface["base_colour"].value.clip(0, 1).tolist()
    opacity, strength = surface["opacity"], surface["emission_strength"]
    plain: dict[str, Any] = {
        "baseColorFactor": [*base, opacity.number if not opacity.varies else 1.0],
        "metallicFactor": surface["metalness"].number, "roughnessFactor": surface["roughness"].number,
    }  # fmt: skip
    made: dict[str, Any] = {"name": name, "pbrMetallicRoughness": plain, "doubleSided": True}
    threshold = cut_out(about, piece)
    if threshold is not None:
        made |= {"alphaMode": "MASK", "alphaCutoff": threshold}
    elif opacity.varies or opacity.number < 1:
        made["alphaMode"] = "BLEND"
    extensions: dict[str, Any] = {}
    if strength.number > 0:
        glow = surface["emission_colour"].value.clip(0, 1) * min(strength.number, 1)
        made["emissiveFactor"] = glow.tolist()
        if strength.number > 1:
            extensions["KHR_materials_emissive_strength"] = {"emissiveStrength": strength.number}
    if surface["transmission"].number > 0:
        extensions["KHR_materials_transmission"] = {"transmissionFactor": surface["transmission"].number}
    texels = piece.texels if piece else about.texels
    picture = piece.picture if piece else about.picture
    if texels is not None and picture is not None:
        plain["baseColorTexture"] = _texture(out, name, texels, picture)
    if extensions:
        made["extensions"] = extensions
        for word in extensions:
            out.uses(word)
    out.json["materials"].append(made)
    return len(out.json["materials"]) - 1


def _texture(out: Writing, name: str, texels: np.ndarray, picture: ElementPicture) -> dict[str, Any]:
    """A picture in the file, and how it lies on the uv."""
    view = out.add_bytes(png_of(texels))
    out.json.setdefault("samplers", [{"wrapS": 10497, "wrapT": 10497}])
    out.json.setdefault("images", []).append({"name": name, "mimeType": "image/png", "bufferView": view})
    out.json.setdefault("textures", []).append({"source": len(out.json["images"]) - 1, "sampler": 0})
    found: dict[str, Any] = {"index": len(out.json["textures"]) - 1}
    into = within(picture.shift, picture.size, float(picture.turn))
    if not np.array_equal(into, np.eye(4)):
        # From uv that stand on the bottom to the extension's scale, turn and shift of uv that hang from the top.
        flip = np.array([[1, 0, 0], [0, -1, 1], [0, 0, 1.0]])
        plane = np.eye(3)
        plane[:2, :2], plane[:2, 2] = into[:2, :2], into[:2, 3]
        hung = flip @ plane @ flip
        turn = math.atan2(-hung[1, 0], hung[0, 0])
        scale = [math.hypot(hung[0, 0], hung[1, 0]), math.hypot(hung[0, 1], hung[1, 1])]
        found["extensions"] = {
            "KHR_texture_transform": {"offset": hung[:2, 2].tolist(), "rotation": turn, "scale": scale}
        }
        out.uses("KHR_texture_transform")
    return found


def _is_glb(data: bytes) -> bool:
    return data.startswith(MAGIC)


_KINDS = ("clones", "mesh", "strands")
FORMATS.add("glb", Format("glb", "GLB", ".glb", "model/gltf-binary", write, read, _is_glb, kinds=_KINDS))
