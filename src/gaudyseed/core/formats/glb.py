"""GLB (glTF 2.0): meshes with transforms, custom attributes and colours; instances and points as clones.

Read here rather than by a library, because those at hand ignore normalised and sparse arrays and lose attributes.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import PurePath
from typing import Annotated, Literal, TypeVar

import numpy as np
from pydantic import BaseModel, ConfigDict, ValidationError
from pydantic import Field as PydanticField

from ..errors import BadInput
from ..geometry.placing import Role, moved, rotations
from ..geometry.shapes import ShapeMesh, of_faces
from ..plurals import counted, of_mesh
from ..population import Attribute, Field
from ..population.attribute import Kind, Light
from ..population.meshes import PART
from ..population.population import Models
from ..population.strands import PART as STRAND_PART
from ..population.strands import STRAND
from ..runtime.task import UNWATCHED, Task
from .base import FORMATS, Format, Thing, Wish
from .columns import MOST_SHARED, MOST_THINGS, brought_as, check_count, clones_of, columns_of
from .glb_out import write
from .gltf import (
    FAN,
    INSTANCING,
    LINES,
    MAGIC,
    POINTS,
    ROW,
    STRIP,
    TRIANGLES,
    VERTEX,
    Y_UP,
    Z_UP,
    Arrays,
    Document,
    Node,
    Primitive,
    opened,
)
from .meshing import (
    MOST_MODELS,
    in_parts,
    joined,
    mesh_of,
    named_apart,
    of_matrices,
    part_attribute,
    text_attribute,
    uneven,
    welded,
)
from .reader_limits import LARGEST_MATRIX
from .stranding import strands_of

MOST_NODES = 1_000_000
_Item = TypeVar("_Item")
_NAMES = {"POSITION": "position", "NORMAL": "normal", "TEXCOORD_0": "uv", "COLOR_0": "colour", "_COLOR_0": "colour"}


class Told(BaseModel):
    """What our writer says of an array in its extras: its own name, what it is in space, how whole numbers are held."""

    model_config = ConfigDict(extra="ignore", frozen=True, strict=True)

    name: Annotated[str, PydanticField(max_length=200)] = ""
    stands_for: Role = ""
    light: Light = ""
    whole: Literal[0, 32, 64] = 0
    corners: tuple[Annotated[str, PydanticField(max_length=200)], ...] = PydanticField((), strict=False)
    texts: tuple[Annotated[str, PydanticField(max_length=1 << 20)], ...] = PydanticField((), strict=False)


@dataclass(frozen=True, eq=False)
class _Placed:
    """A node with a mesh: its name, the mesh, and where it stands."""

    name: str
    mesh: int
    matrix: np.ndarray
    instances: dict[str, int] | None


def read(data: bytes, name: str, task: Task = UNWATCHED, wish: Wish = Wish()) -> list[Thing]:
    """The meshes of a file as one mesh whose parts are its nodes, lines as strands; repeated meshes, points as clones.

    BadInput says where something is damaged; nothing outside the file is ever read.
    """
    document, buffers = opened(data, name)
    reader = _Reader(document, Arrays(document, buffers, name), name, task, wish.each == "part")
    nodes = list(reader.placed())
    repeated = Counter(node.mesh for node in nodes if node.instances is None)
    as_clones = {mesh for mesh, times in repeated.items() if times > 1} if wish.repeated == "clones" else set()
    things = []
    single = [node for node in nodes if node.instances is None and node.mesh not in as_clones]
    reader.check_counts(single, nodes)
    stem = PurePath(name).stem
    things += reader.mesh(single, stem)
    things += [reader.clones(members, stem) for members in _few(_by_mesh(nodes, as_clones))]
    things += [reader.instances(members) for members in _few(_by_name(nodes))]
    things += reader.points(single, stem)
    things += reader.strands(single, stem)
    if not things:
        raise BadInput(f"{name} holds no meshes, points or lines. Export them with it.", place=name, code="nothing")
    first = things[0].population
    things[0] = replace(things[0], population=replace(first, notes=(*reader.left_out(nodes), *first.notes)))
    return named_apart(things)


def _by_mesh(nodes: list[_Placed], meshes: set[int]) -> list[list[_Placed]]:
    """The nodes of some meshes that stand alone, those of one mesh together."""
    found: dict[int, list[_Placed]] = {mesh: [] for mesh in sorted(meshes)}
    for node in nodes:
        if node.instances is None and node.mesh in found:
            found[node.mesh].append(node)
    return list(found.values())


def _by_name(nodes: list[_Placed]) -> list[list[_Placed]]:
    """The nodes with instances, those of one name together: they are the shapes of one population."""
    found: dict[str, list[_Placed]] = {}
    for node in nodes:
        if node.instances is not None:
            found.setdefault(node.name, []).append(node)
    return list(found.values())


def _few(groups: list[list[_Item]]) -> list[list[_Item]]:
    """The groups, each a population; one for all where nobody could look through so many."""
    return groups if len(groups) <= MOST_THINGS else [[item for group in groups for item in group]]


class _Reader:
    def __init__(self, document: Document, arrays: Arrays, name: str, task: Task, each_part: bool) -> None:
        self.document, self.arrays, self.name, self.task = document, arrays, name, task
        self.each_part = each_part

    def check_counts(self, single: list[_Placed], nodes: list[_Placed]) -> None:
        """BadInput where the file holds more than is taken, before anything of it is laid out.

        ``single`` are the nodes whose meshes are laid out at their places.
        """
        accessors = self.document.accessors

        def count(number: int | None) -> int:
            return accessors[number].count if number is not None and number < len(accessors) else 0

        # Of each kind what is laid out, by the array that it comes of; pieces of one place share their vertices.
        vertices: dict[tuple[object, ...], int] = {}
        faces: list[int] = []
        for node in single:
            for p in self.document.meshes[node.mesh].primitives:
                vertices[(*sorted(p.attributes.items()), node.matrix.tobytes())] = p.attributes.get("POSITION", -1)
                if p.indices is not None:
                    faces.append(p.indices)
        copies = [max(of.values(), key=count) for node in nodes if (of := node.instances)]
        for numbers, each in ((list(vertices.values()), 1), (faces, 3), (copies, 1)):
            whole, stored = sum(map(count, numbers)) // each, sum(map(count, set(numbers))) // each
            check_count(whole, self.name)
            if whole > stored:
                check_count(whole - stored, self.name, MOST_SHARED)

    def left_out(self, nodes: list[_Placed]) -> list[str]:
        """Sentences about what these nodes have and is not read."""
        meshes = [self.document.meshes[k] for k in {node.mesh for node in nodes}]
        words = {w.partition("_")[0] for m in meshes for p in m.primitives for w in p.attributes}
        skinned = any(node.skin is not None for node in self.document.nodes) or bool(words & {"JOINTS", "WEIGHTS"})
        lost = {
            "tangents": "TANGENT" in words,
            "skins (everything stands in its rest pose)": skinned,
            "morph targets (everything has its base form)": any(p.targets for m in meshes for p in m.primitives),
        }
        told = [what for what, there in lost.items() if there]
        return [f"Left out: {', '.join(told)}."] if told else []

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
        open_ = [(k, Z_UP) for k in reversed(roots)]
        visited = 0
        while open_:
            k, above = open_.pop()
            visited += 1
            if k >= len(nodes) or visited > len(nodes):
                raise self._damaged(f"there is no node {k}, or nodes go round in a circle", f"nodes.{k}")
            node = nodes[k]
            matrix = above @ self._matrix(node)
            if not np.abs(matrix).max() <= LARGEST_MATRIX:
                raise self._damaged(
                    f"the transform of node {k}, with those above it, is not finite or beyond 1e12", f"nodes.{k}"
                )
            open_ += [(child, matrix) for child in reversed(node.children)]
            if node.mesh is not None:
                if node.mesh >= len(self.document.meshes):
                    raise self._damaged(f"there is no mesh {node.mesh}", f"nodes.{k}")
                label = node.name or self.document.meshes[node.mesh].name or f"node {k}"
                yield _Placed(label, node.mesh, matrix, self._instances_of(node))

    def _damaged(self, what: str, place: str) -> BadInput:
        return BadInput(f"{self.name}: {what}. Export the file again.", place=f"{self.name}, {place}", code="bad_glb")

    def _matrix(self, node: Node) -> np.ndarray:
        """(4, 4): where a node stands in the one above; plain numbers, since files have many nodes."""
        if node.matrix is not None:
            return np.array(node.matrix).reshape(4, 4).T
        x, y, z, w = node.rotation or (0.0, 0.0, 0.0, 1.0)
        a, b, c = node.scale or (1.0, 1.0, 1.0)
        px, py, pz = node.translation or (0.0, 0.0, 0.0)
        return np.array([
            [(1 - 2 * (y * y + z * z)) * a, 2 * (x * y - z * w) * b, 2 * (x * z + y * w) * c, px],
            [2 * (x * y + z * w) * a, (1 - 2 * (x * x + z * z)) * b, 2 * (y * z - x * w) * c, py],
            [2 * (x * z - y * w) * a, 2 * (y * z + x * w) * b, (1 - 2 * (x * x + y * y)) * c, pz],
            [0.0, 0.0, 0.0, 1.0],
        ])  # fmt: skip

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
        for node, primitive in self.task.along(pieces, len(pieces)):
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
        flat = np.ascontiguousarray(faces.reshape(-1), np.int32)
        of_corners: dict[str, Attribute] = {}
        vertex = table.pop(VERTEX, None)
        if vertex is not None and len(tables) == 1:
            told = self._told(VERTEX, pieces[0][1].attributes[VERTEX])
            table, flat, of_corners = welded(table, flat, vertex, told.corners)
        of_faces = {PART: part_attribute(np.concatenate(parts), labels)}
        codes = np.concatenate(materials)
        if (codes >= 0).any():
            of_faces["material"] = _materials(codes, [m.name for m in self.document.materials])
        population = mesh_of(
            table, np.arange(0, 3 * len(faces) + 1, 3), flat, self.name, of_faces=of_faces, of_corners=of_corners,
            notes=more,
        )  # fmt: skip
        title = labels[0] if len(labels) == 1 else stem
        return [Thing(title, population, of_mesh(len(faces), len(labels), "triangle"))]

    def _material(self, primitive: Primitive, faces: int) -> np.ndarray:
        """(f,) int32: the material of each triangle, -1 for none."""
        k = primitive.material
        return np.full(faces, k if k is not None and k < len(self.document.materials) else -1, np.int32)

    def _triangles(self, primitive: Primitive, vertices: int) -> np.ndarray:
        """(t, 3): the vertices of each triangle, strips and fans laid out."""
        order = self._order(primitive, vertices)
        if len(order) < 3:
            raise self._damaged(f"a mesh of {len(order)} corners has no triangles", "meshes")
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
        if order.ndim != 1 or (primitive.indices is not None and order.dtype.kind != "u"):
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
        tables, sizes, parts, strands = [], [], [], []
        for node, primitive in self.task.along(pieces, len(pieces)):
            held = self._attributes(primitive, node.matrix)
            rows, counts = self._lines(primitive, held)
            tables.append({n: a.taken(rows) for n, a in held.items() if n != STRAND})
            named = held.get(STRAND)
            begins = rows[np.cumsum(counts) - counts]
            strands.append({STRAND: named.taken(begins)} if named is not None and named.width == 1 else {})
            sizes.append(counts)
            parts.append(np.full(len(counts), number[node], np.int32))
        table, more = joined(tables, [len(t["position"].values) for t in tables])
        above, _ = joined(strands, [len(counts) for counts in sizes])
        if STRAND in above and (above[STRAND].missing is not None or not _differ(above[STRAND].values)):
            del above[STRAND]
        if len(labels) > 1:
            above[STRAND_PART] = part_attribute(np.concatenate(parts), labels)
        population = strands_of(table, np.concatenate(sizes), self.name, strands=above, notes=more)
        count = population.elements.owners[0].count
        title = labels[0] if len(labels) == 1 else stem
        return [Thing(title, population, f"{counted(count, 'strand')} of {counted(population.count, 'point')}")]

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
        # Those that glTF names first: no other one takes the place of what is called so.
        for word, number in sorted(primitive.attributes.items(), key=lambda item: item[0].startswith("_")):
            attribute = self._attribute(word, number)
            if attribute is None:
                continue
            if len(attribute.values) != count:
                raise self._damaged(f"{word} has {len(attribute.values):,} values for {count:,} vertices", "accessors")
            if word == VERTEX and self.arrays.accessor(number).extras:
                found[VERTEX] = attribute
                continue
            attribute = brought_as(attribute, {*found, "position"} if word.startswith("_") else set(found))
            found[attribute.name] = attribute
        place = found["position"]
        if place.width != 3:
            raise self._damaged("POSITION holds no places of three numbers", "accessors")
        if place.values.dtype.kind != "f":
            found["position"] = replace(place, kind="vector", values=place.values.astype("<f4"))
        return {n: _moved(a, matrix) for n, a in found.items()}

    def _attribute(self, word: str, number: int) -> Attribute | None:
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

    def _told(self, word: str, number: int) -> Told:
        """What a file that was written here tells of an array beside its numbers."""
        extras = self.arrays.accessor(number).extras
        if not isinstance(extras, dict) or not word.startswith("_"):
            return Told()
        try:
            return Told.model_validate(extras)
        except ValidationError:
            return Told()

    def _whole(self, name: str, word: str, values: np.ndarray, bits: int) -> Attribute:
        """Whole numbers that were written as floats, or in parts of 16 bits, the lowest first."""
        if values.ndim == 1:
            whole = np.rint(np.clip(np.nan_to_num(values), -(2**31), 2**31 - 1)).astype(f"<i{bits // 8}")
        elif values.dtype == np.uint16 and values.shape[1] == bits // 16:
            whole = np.ascontiguousarray(values.astype("<u2")).view(f"<i{bits // 8}")[:, 0]
        else:
            raise self._damaged(f"{word} says that it holds whole numbers of {bits} bits, but does not", "accessors")
        return Attribute(name, "integer", whole, (), (Field(name, whole.dtype.str),))

    def _texts(self, name: str, word: str, values: np.ndarray, texts: tuple[str, ...]) -> Attribute:
        """Texts by their numbers."""
        codes = values.astype(np.int64) if values.ndim == 1 and np.isfinite(values).all() else np.array([-1])
        if codes.min() < 0 or codes.max() >= len(texts):
            raise self._damaged(f"{word} names texts that are not listed with it", "accessors")
        return Attribute(name, "text", codes.astype(np.int32), texts, (Field(name, "<i4"),))

    # Clones

    def points(self, nodes: list[_Placed], stem: str) -> list[Thing]:
        """Primitives of points as clones."""
        pieces = [(n, p) for n in nodes for p in self.document.meshes[n.mesh].primitives if p.mode == POINTS]
        found = []
        for group in _few([[piece] for piece in pieces]):
            tables = []
            for node, primitive in group:
                self.task.check()
                tables.append(self._attributes(primitive, node.matrix))
            table, notes = joined(tables, [len(held["position"].values) for held in tables])
            made = clones_of(table, self.name, tuple(notes))
            title = stem if len(group) > 1 else group[0][0].name
            found.append(Thing(title, made, f"{counted(made.count, 'clone')}, one a point"))
        return found

    def clones(self, nodes: list[_Placed], stem: str) -> Thing:
        """Nodes of one mesh, or of several, as clones at their places."""
        self.task.check()
        matrices = np.stack([node.matrix for node in nodes]) @ Y_UP
        meshes = list(dict.fromkeys(node.mesh for node in nodes))
        number = {mesh: k for k, mesh in enumerate(meshes)}
        kinds = np.array([number[node.mesh] for node in nodes], np.int32)
        label = stem if len(meshes) > 1 else self.document.meshes[meshes[0]].name or nodes[0].name
        table = of_matrices(matrices)
        table["name"] = text_attribute("name", [node.name for node in nodes])
        return self._as_clones(table, matrices, meshes, kinds, label)

    def instances(self, nodes: list[_Placed]) -> Thing:
        """The instances of nodes of one name, which are the shapes of one population."""
        tables, matrices = [], []
        for node in nodes:
            self.task.check()
            table, placed = self._instances(node)
            tables.append(table)
            matrices.append(placed)
        counts = [len(placed) for placed in matrices]
        table, notes = joined(tables, counts)
        row = table.pop(ROW, None)
        every, kinds = np.concatenate(matrices), np.repeat(np.arange(len(nodes), dtype=np.int32), counts)
        if not np.isfinite(every).all():
            bad = int(np.flatnonzero(~np.isfinite(every).all(axis=(1, 2)))[0])
            label = nodes[kinds[bad]].name
            raise self._damaged(f"instance {bad + 1} of {label!r} has no finite place, turn or size", "nodes")
        table = {**of_matrices(every), **table}
        if row is not None and len(nodes) > 1 and np.array_equal(np.sort(row.values), np.arange(len(kinds))):
            # Written here: every element comes back to where it stood.
            order = np.argsort(row.values, kind="stable")
            table = {name: a.taken(order) for name, a in table.items()}
            every, kinds = every[order], kinds[order]
        meshes = [node.mesh for node in nodes]
        label = nodes[0].name if len(nodes) > 1 else self.document.meshes[meshes[0]].name or nodes[0].name
        return self._as_clones(table, every, meshes, kinds, label, notes)

    def _instances(self, node: _Placed) -> tuple[dict[str, Attribute], np.ndarray]:
        """What the instances of a node carry, and (n, 4, 4) where they stand."""
        assert node.instances is not None
        given = {word: self._attribute(word, number) for word, number in node.instances.items()}
        sizes = {len(a.values) for a in given.values() if a}
        if len(sizes) != 1:
            raise self._damaged(f"the instances of {node.name!r} have arrays of different lengths, or none", "nodes")
        count = sizes.pop()
        matrices = np.broadcast_to(np.eye(4), (count, 4, 4)).copy()
        turns, scales = given.get("ROTATION"), given.get("SCALE")
        if turns is not None and turns.width == 4:
            matrices[:, :3, :3] = rotations(turns.values.astype(np.float64))
        if scales is not None and scales.width == 3:
            matrices[:, :3, :3] *= scales.values[:, None, :].astype(np.float64)
        places = given.get("TRANSLATION")
        if places is not None and places.width == 3:
            matrices[:, :3, 3] = places.values
        matrices = node.matrix @ matrices @ Y_UP
        table: dict[str, Attribute] = {}
        for word, a in given.items():
            if a is None or word in ("TRANSLATION", "ROTATION", "SCALE"):
                continue
            if word == ROW:
                table[ROW] = a
                continue
            carried = brought_as(a, {*table, "position", "orientation", "size"})
            table[carried.name] = _moved(carried, node.matrix)
        return table, matrices

    def _as_clones(
        self, table: dict[str, Attribute], matrices: np.ndarray, meshes: list[int], kinds: np.ndarray, label: str,
        notes: Sequence[str] = (),
    ) -> Thing:  # fmt: skip
        """Clones at their places, each one of some meshes, (n,) which; these come along as what they are drawn as."""
        count = len(matrices)
        shapes = text_attribute("shape", [self.document.meshes[mesh].name or "shape" for mesh in meshes])
        table.setdefault("shape", shapes.taken(kinds))
        becomes = f"{counted(count, 'clone')} of {'one shape' if len(meshes) == 1 else f'{len(meshes)} shapes'}"
        more = [*notes, *uneven(matrices)]
        parts = [self._parts(mesh) for mesh in meshes] if self.each_part else []
        drawn, of = self._models(meshes, more), kinds
        if any(len(p) > 1 for p in parts):
            table = in_parts(table, matrices, kinds.astype(np.int64), parts)
            becomes = f"{counted(count, 'copy', 'copies')} of {len(parts[0])} parts, each an element"
            pieces = [piece for mesh in drawn for piece in mesh.apart()]
            first = np.cumsum([0, *(len(mesh.materials) or 1 for mesh in drawn)])
            of = (first[kinds[table["copy"].values]] + table["part"].values).astype(np.int32) if drawn else kinds
            drawn = pieces
        made = clones_of(table, self.name, tuple(more))
        if drawn:
            made = replace(made, models=Models(tuple(drawn), of))
        return Thing(label or "instances", made, becomes)

    def _models(self, meshes: list[int], notes: list[str]) -> list[ShapeMesh]:
        """The meshes that clones are, in our space; none where there are too many of them, or some have no faces."""
        if len(meshes) > MOST_MODELS:
            notes.append(f"They are {len(meshes):,} different meshes; at most {MOST_MODELS} come along to be drawn.")
            return []
        found = [self._model(mesh) for mesh in meshes]
        return [mesh for mesh in found if mesh is not None] if all(found) else []

    def _model(self, mesh: int) -> ShapeMesh | None:
        """A mesh as the shape of clones, its pieces one after another under their materials' names."""
        # Pieces that share their arrays share their vertices.
        shared: dict[tuple[tuple[str, int], ...], tuple[int, dict[str, Attribute], list[np.ndarray]]] = {}
        faces, materials, shift = [], [], 0
        for k, primitive in enumerate(self.document.meshes[mesh].primitives):
            if primitive.mode not in (TRIANGLES, STRIP, FAN) or "POSITION" not in primitive.attributes:
                continue
            self.task.check()
            key = tuple(sorted(primitive.attributes.items()))
            if key not in shared:
                shared[key] = (shift, self._attributes(primitive, Z_UP), [])
                shift += len(shared[key][1]["position"].values)
            first, held, own = shared[key]
            own.append(self._triangles(primitive, len(held["position"].values)))
            faces.append(own[-1] + np.int32(first))
            materials.append((self._named(primitive, k), len(own[-1])))
        if not faces:
            return None
        vertices, normals, uv = [], [], []
        for _, held, own in shared.values():
            places, normal, lying = held["position"].readable, held.get("normal"), held.get("uv")
            if not np.isfinite(held["position"].values).all():
                raise self._damaged("a mesh that clones are has a vertex without a finite place", "meshes")
            derived = of_faces(places, np.concatenate(own))
            vertices.append(places)
            normals.append(derived.normals if normal is None else normal.readable)
            uv.append(derived.uv if lying is None else lying.readable)
        places, square, flat, corners = (np.concatenate(part) for part in (vertices, normals, uv, faces))
        return ShapeMesh(places, square, flat, corners, tuple(materials))

    def _named(self, primitive: Primitive, number: int) -> str:
        """The name of a piece's material; its number where that has none."""
        m = primitive.material
        named = self.document.materials[m].name if m is not None and m < len(self.document.materials) else ""
        return named or f"part {number}"

    def _parts(self, mesh: int) -> list[tuple[str, np.ndarray]]:
        """The pieces of a mesh by their materials' names, with their middles in our space."""
        found = []
        for k, primitive in enumerate(self.document.meshes[mesh].primitives):
            if primitive.mode in (TRIANGLES, STRIP, FAN) and "POSITION" in primitive.attributes:
                place = self._attributes(primitive, Z_UP)["position"].values.astype(np.float64)
                found.append((self._named(primitive, k), (place.min(axis=0) + place.max(axis=0)) / 2))
        return found


def _differ(values: np.ndarray) -> bool:
    """Whether no two are alike."""
    return len(np.unique(values)) == len(values)


def _moved(a: Attribute, matrix: np.ndarray) -> Attribute:
    if not a.role or a.values.dtype.kind != "f":
        return a
    values = moved(np.array(a.values), a.role, matrix)
    return Attribute(a.name, a.kind, values, a.labels, a.fields, a.missing, a.stands_for, a.light)


def _materials(codes: np.ndarray, names: list[str]) -> Attribute:
    labels = (*(name or f"material {k}" for k, name in enumerate(names)), "")
    return Attribute("material", "text", np.where(codes < 0, len(names), codes).astype(np.int32), labels,
                     (Field("material", "<i4"),))  # fmt: skip


def _is_glb(data: bytes) -> bool:
    return data.startswith(MAGIC)


_KINDS = ("clones", "mesh", "strands")
FORMATS.add(
    "glb",
    Format(
        "glb",
        "GLB",
        ".glb",
        "model/gltf-binary",
        write,
        read,
        _is_glb,
        shapes=True,
        kinds=_KINDS,
        lacks=("gaps", "doubles", "wide", "faces"),
    ),
)
