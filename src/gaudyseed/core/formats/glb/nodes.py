"""The nodes of a glTF scene: which of them have meshes, where they stand, and what of them is left out."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from typing import TypeVar

import numpy as np

from ...errors import BadInput
from ..columns import MOST_ITEMS, MOST_SHARED, check_count
from ..gltf import (
    INSTANCING,
    Z_UP,
    Document,
    Node,
)
from ..reader_limits import LARGEST_MATRIX
from .primitives import damaged

MOST_NODES = 1_000_000


_Item = TypeVar("_Item")


@dataclass(frozen=True, eq=False)
class MeshNode:
    """A node with a mesh: its name, the mesh, and where it stands."""

    name: str
    mesh: int
    matrix: np.ndarray
    instances: dict[str, int] | None


class Nodes:
    """The nodes of one file."""

    def __init__(self, document: Document, name: str) -> None:
        self.document, self.name = document, name

    def check_counts(self, single: list[MeshNode], nodes: list[MeshNode]) -> None:
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

    def left_out(self, nodes: list[MeshNode]) -> list[str]:
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

    def placed(self) -> Iterator[MeshNode]:
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
                raise damaged(self.name, f"there is no scene {scene}", "scene")
            roots = self.document.scenes[scene].nodes
        if any(times > 1 for times in parents.values()) or any(parents[k] for k in roots):
            raise damaged(self.name, "a node has two parents, or its own child above it", "nodes")
        open_ = [(k, Z_UP) for k in reversed(roots)]
        visited = 0
        while open_:
            k, above = open_.pop()
            visited += 1
            if k >= len(nodes) or visited > len(nodes):
                raise damaged(self.name, f"there is no node {k}, or nodes go round in a circle", f"nodes.{k}")
            node = nodes[k]
            matrix = above @ self._matrix(node)
            if not np.abs(matrix).max() <= LARGEST_MATRIX:
                raise damaged(
                    self.name,
                    f"the transform of node {k}, with those above it, is not finite or beyond 1e12",
                    f"nodes.{k}",
                )
            open_ += [(child, matrix) for child in reversed(node.children)]
            if node.mesh is not None:
                if node.mesh >= len(self.document.meshes):
                    raise damaged(self.name, f"there is no mesh {node.mesh}", f"nodes.{k}")
                label = node.name or self.document.meshes[node.mesh].name or f"node {k}"
                yield MeshNode(label, node.mesh, matrix, self._instances_of(node))

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


def by_mesh(nodes: list[MeshNode], meshes: set[int]) -> list[list[MeshNode]]:
    """The nodes of some meshes that stand alone, those of one mesh together."""
    found: dict[int, list[MeshNode]] = {mesh: [] for mesh in sorted(meshes)}
    for node in nodes:
        if node.instances is None and node.mesh in found:
            found[node.mesh].append(node)
    return list(found.values())


def by_name(nodes: list[MeshNode]) -> list[list[MeshNode]]:
    """The nodes with instances, those of one name together: they are the shapes of one population."""
    found: dict[str, list[MeshNode]] = {}
    for node in nodes:
        if node.instances is not None:
            found.setdefault(node.name, []).append(node)
    return list(found.values())


def few_groups(groups: list[list[_Item]]) -> list[list[_Item]]:
    """The groups, each a population; one for all where nobody could look through so many."""
    return groups if len(groups) <= MOST_ITEMS else [[item for group in groups for item in group]]
