"""GLB (glTF 2.0): meshes with transforms, custom attributes and colours; instances and points as clones.

Read here rather than by a library, because those at hand ignore normalised and sparse arrays and lose attributes.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace
from pathlib import PurePath

import numpy as np

from ...errors import BadInput
from ...geometry.placing import rotations
from ...geometry.shapes import ShapeMesh, of_faces
from ...plurals import counted, of_mesh
from ...population import Attribute, Field
from ...population.meshes import PART
from ...population.population import Models
from ...population.strands import PART as STRAND_PART
from ...population.strands import STRAND
from ...runtime.task import UNWATCHED, Task
from ..base import ImportedItem, ReadOptions
from ..columns import brought_as, clones_of
from ..gltf import (
    FAN,
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
    Primitive,
    opened,
)
from ..meshing import (
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
from ..stranding import strands_of
from .nodes import MeshNode, Nodes, by_mesh, by_name, few_groups
from .primitives import Primitives, damaged, moved_by


def read(data: bytes, name: str, task: Task = UNWATCHED, options: ReadOptions = ReadOptions()) -> list[ImportedItem]:
    """The meshes of a file as one mesh whose parts are its nodes, lines as strands; repeated meshes, points as clones.

    BadInput says where something is damaged; nothing outside the file is ever read.
    """
    document, buffers = opened(data, name)
    reader = _Reader(document, Arrays(document, buffers, name), name, task, options.each == "part")
    graph = Nodes(document, name)
    nodes = list(graph.placed())
    repeated = Counter(node.mesh for node in nodes if node.instances is None)
    as_clones = {mesh for mesh, times in repeated.items() if times > 1} if options.repeated == "clones" else set()
    things = []
    single = [node for node in nodes if node.instances is None and node.mesh not in as_clones]
    graph.check_counts(single, nodes)
    stem = PurePath(name).stem
    things += reader.mesh(single, stem)
    things += [reader.clones(members, stem) for members in few_groups(by_mesh(nodes, as_clones))]
    things += [reader.instances(members) for members in few_groups(by_name(nodes))]
    things += reader.points(single, stem)
    things += reader.strands(single, stem)
    if not things:
        raise BadInput(f"{name} holds no meshes, points or lines. Export them with it.", place=name, code="nothing")
    first = things[0].population
    things[0] = replace(things[0], population=replace(first, notes=(*graph.left_out(nodes), *first.notes)))
    return named_apart(things)


class _Reader:
    def __init__(self, document: Document, arrays: Arrays, name: str, task: Task, each_part: bool) -> None:
        self.document, self.arrays, self.name, self.task = document, arrays, name, task
        self.each_part = each_part
        self.primitives = Primitives(document, arrays, name)

    # Meshes

    def mesh(self, nodes: list[MeshNode], stem: str) -> list[ImportedItem]:
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
                tables.append(self.primitives.attributes(primitive, node.matrix))
                shared[key] = (count, len(tables[-1]["position"].values))
                count += shared[key][1]
            shift, vertices = shared[key]
            triangles = self.primitives.triangles(primitive, vertices)
            if np.linalg.det(node.matrix[:3, :3]) < 0:
                triangles = triangles[:, ::-1]
            corners.append(triangles + np.int32(shift) if shift else triangles)
            parts.append(np.full(len(triangles), number[node], np.int32))
            materials.append(self.primitives.material(primitive, len(triangles)))
        faces = corners[0] if len(corners) == 1 else np.concatenate(corners)
        table, more = joined(tables, [len(t["position"].values) for t in tables])
        flat = np.ascontiguousarray(faces.reshape(-1), np.int32)
        of_corners: dict[str, Attribute] = {}
        vertex = table.pop(VERTEX, None)
        if vertex is not None and len(tables) == 1:
            told = self.primitives._told(VERTEX, pieces[0][1].attributes[VERTEX])
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
        return [ImportedItem(title, population, of_mesh(len(faces), len(labels), "triangle"))]

    def strands(self, nodes: list[MeshNode], stem: str) -> list[ImportedItem]:
        """All lines of these nodes as strands, a part for each node, as a list of one or none."""
        pieces = [(node, p) for node in nodes for p in self.document.meshes[node.mesh].primitives if p.mode in LINES]
        if not pieces:
            return []
        number = {node: k for k, node in enumerate(dict.fromkeys(node for node, _ in pieces))}
        labels = [node.name for node in number]
        tables, sizes, parts, strands = [], [], [], []
        for node, primitive in self.task.along(pieces, len(pieces)):
            held = self.primitives.attributes(primitive, node.matrix)
            rows, counts = self.primitives.lines(primitive, held)
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
        return [ImportedItem(title, population, f"{counted(count, 'strand')} of {counted(population.count, 'point')}")]

    # Clones

    def points(self, nodes: list[MeshNode], stem: str) -> list[ImportedItem]:
        """Primitives of points as clones."""
        pieces = [(n, p) for n in nodes for p in self.document.meshes[n.mesh].primitives if p.mode == POINTS]
        found = []
        for group in few_groups([[piece] for piece in pieces]):
            tables = []
            for node, primitive in group:
                self.task.check()
                tables.append(self.primitives.attributes(primitive, node.matrix))
            table, notes = joined(tables, [len(held["position"].values) for held in tables])
            made = clones_of(table, self.name, tuple(notes))
            title = stem if len(group) > 1 else group[0][0].name
            found.append(ImportedItem(title, made, f"{counted(made.count, 'clone')}, one a point"))
        return found

    def clones(self, nodes: list[MeshNode], stem: str) -> ImportedItem:
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

    def instances(self, nodes: list[MeshNode]) -> ImportedItem:
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
            raise damaged(self.name, f"instance {bad + 1} of {label!r} has no finite place, turn or size", "nodes")
        table = {**of_matrices(every), **table}
        if row is not None and len(nodes) > 1 and np.array_equal(np.sort(row.values), np.arange(len(kinds))):
            # Written here: every element comes back to where it stood.
            order = np.argsort(row.values, kind="stable")
            table = {name: a.taken(order) for name, a in table.items()}
            every, kinds = every[order], kinds[order]
        meshes = [node.mesh for node in nodes]
        label = nodes[0].name if len(nodes) > 1 else self.document.meshes[meshes[0]].name or nodes[0].name
        return self._as_clones(table, every, meshes, kinds, label, notes)

    def _instances(self, node: MeshNode) -> tuple[dict[str, Attribute], np.ndarray]:
        """What the instances of a node carry, and (n, 4, 4) where they stand."""
        assert node.instances is not None
        given = {word: self.primitives.attribute(word, number) for word, number in node.instances.items()}
        sizes = {len(a.values) for a in given.values() if a}
        if len(sizes) != 1:
            raise damaged(
                self.name, f"the instances of {node.name!r} have arrays of different lengths, or none", "nodes"
            )
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
            table[carried.name] = moved_by(carried, node.matrix)
        return table, matrices

    def _as_clones(
        self, table: dict[str, Attribute], matrices: np.ndarray, meshes: list[int], kinds: np.ndarray, label: str,
        notes: Sequence[str] = (),
    ) -> ImportedItem:  # fmt: skip
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
        return ImportedItem(label or "instances", made, becomes)

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
                shared[key] = (shift, self.primitives.attributes(primitive, Z_UP), [])
                shift += len(shared[key][1]["position"].values)
            first, held, own = shared[key]
            own.append(self.primitives.triangles(primitive, len(held["position"].values)))
            faces.append(own[-1] + np.int32(first))
            materials.append((self._named(primitive, k), len(own[-1])))
        if not faces:
            return None
        vertices, normals, uv = [], [], []
        for _, held, own in shared.values():
            places, normal, lying = held["position"].readable, held.get("normal"), held.get("uv")
            if not np.isfinite(held["position"].values).all():
                raise damaged(self.name, "a mesh that clones are has a vertex without a finite place", "meshes")
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
                place = self.primitives.attributes(primitive, Z_UP)["position"].values.astype(np.float64)
                found.append((self._named(primitive, k), (place.min(axis=0) + place.max(axis=0)) / 2))
        return found


def _differ(values: np.ndarray) -> bool:
    """Whether no two are alike."""
    return len(np.unique(values)) == len(values)


def _materials(codes: np.ndarray, names: list[str]) -> Attribute:
    labels = (*(name or f"material {k}" for k, name in enumerate(names)), "")
    return Attribute("material", "text", np.where(codes < 0, len(names), codes).astype(np.int32), labels,
                     (Field("material", "<i4"),))  # fmt: skip


def is_glb(data: bytes) -> bool:
    """Whether these bytes are GLB."""
    return data.startswith(MAGIC)
