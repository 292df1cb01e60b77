"""Real copies in a mesh: parts that share a name and a shape, as clones at their places."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np

from ..geometry.placing import affine
from ..plurals import counted
from ..population import Attribute, Polygons, Population
from ..population.derive import with_derived
from ..population.meshes import PART, of_polygons
from ..population.population import of_points
from .base import ImportedItem
from .meshing import named_apart, of_matrices, part_attribute, text_attribute

#: Copies that make it worth while to take them as clones.
FEWEST = 2
#: How far a copy may differ from the first, in parts of its size.
_NEAR = 2e-3
#: Parts of a mesh that are looked through for copies.
_MOST_PARTS = 50_000


@dataclass(frozen=True)
class _Pieces:
    """The vertices and faces of each part of a mesh, those of one part together."""

    vertices: np.ndarray
    starts: np.ndarray
    faces: np.ndarray
    face_starts: np.ndarray

    def of(self, part: int) -> tuple[np.ndarray, np.ndarray]:
        """The rows of its vertices and of its faces."""
        rows = self.vertices[self.starts[part] : self.starts[part + 1]]
        return rows, self.faces[self.face_starts[part] : self.face_starts[part + 1]]


def copies_apart(things: list[ImportedItem]) -> list[ImportedItem]:
    """Things of a file, the real copies in its meshes as clones."""
    return named_apart([other for thing in things for other in apart(thing)])


def stem(name: str) -> str:
    """A name without the number that programs put after copies.

    >>> stem("tile.012"), stem("tile 3"), stem("tile_7"), stem("tile")
    ('tile', 'tile', 'tile', 'tile')
    """
    return re.sub(r"[ ._-]*[0-9]+$", "", name) or name


def apart(thing: ImportedItem) -> list[ImportedItem]:
    """A mesh as what is left of it, and clones for each name whose parts have one shape; as it is where there are none.

    Copies may be moved, turned and sized; the first of them is the one that the others are measured by.
    """
    mesh = thing.population
    form = mesh.form.polygons
    part = form.of_faces.get(PART) if form is not None else None
    if part is None or form is None or len(part.labels) > _MOST_PARTS:
        return [thing]
    pieces = _pieces(mesh, form, len(part.labels))
    groups: dict[str, list[int]] = {}
    for k, label in enumerate(part.labels):
        groups.setdefault(stem(label), []).append(k)
    clones, taken = [], np.zeros(len(part.labels), bool)
    for name, members in groups.items():
        if len(members) < FEWEST or not name:
            continue
        matrices, same = _fitted(mesh, form, pieces, members)
        if len(same) >= FEWEST:
            taken[same] = True
            clones.append(_clones(name, [part.labels[k] for k in same], matrices))
    if not clones:
        return [thing]
    left = _without(mesh, form, part, taken)
    return [*([left] if left else []), *clones]


def _pieces(mesh: Population, form: Polygons, count: int) -> _Pieces:
    owner = mesh.elements.owner_of("part")
    assert owner is not None
    of_faces = form.of_faces[PART].values
    rows, faces = np.argsort(owner, kind="stable"), np.argsort(of_faces, kind="stable")
    ends = np.arange(count + 1)
    return _Pieces(rows, np.searchsorted(owner[rows], ends), faces, np.searchsorted(of_faces[faces], ends))


def _fitted(mesh: Population, form: Polygons, pieces: _Pieces, members: list[int]) -> tuple[np.ndarray, list[int]]:
    """(k, 4, 4) from the first part's own middle to each that has its shape, and which those are."""
    places = mesh.elements.own["position"].readable.astype(np.float64)
    rows, faces = pieces.of(members[0])
    pattern = _pattern(form, rows, faces)
    first = places[rows]
    middle = first.mean(axis=0)
    shape = first - middle
    spread = float(np.sqrt((shape**2).sum(axis=1).mean()))
    found, same = [], []
    for k in members:
        mine, my_faces = pieces.of(k)
        if len(mine) != len(rows) or len(my_faces) != len(faces) or spread == 0:
            continue
        if not np.array_equal(_pattern(form, mine, my_faces), pattern):
            continue
        there = places[mine]
        linear, size, centre = _umeyama(shape, there)
        if np.abs(shape @ linear.T * size + centre - there).max() <= _NEAR * spread * size:
            found.append(affine(linear * size, centre))
            same.append(k)
    return np.array(found).reshape(-1, 4, 4), same


def _pattern(form: Polygons, rows: np.ndarray, faces: np.ndarray) -> np.ndarray:
    """The corners of a part's faces, as places among its own vertices."""
    sizes = np.diff(form.starts)[faces]
    at = np.repeat(form.starts[faces] - np.concatenate([[0], np.cumsum(sizes)[:-1]]), sizes) + np.arange(sizes.sum())
    return np.searchsorted(rows, form.corners[at])


def _umeyama(shape: np.ndarray, there: np.ndarray) -> tuple[np.ndarray, float, np.ndarray]:
    """The rotation, size and place that take a shape about its middle nearest to other points (Umeyama 1991)."""
    centre = there.mean(axis=0)
    u, s, v = np.linalg.svd((there - centre).T @ shape)
    flip = np.diag([1.0, 1.0, np.sign(np.linalg.det(u) * np.linalg.det(v)) or 1.0])
    size = float((s * np.diag(flip)).sum() / (shape**2).sum())
    return u @ flip @ v, max(size, 1e-12), centre


def _clones(name: str, names: list[str], matrices: np.ndarray) -> ImportedItem:
    count = len(names)
    table = of_matrices(matrices)
    table["name"] = text_attribute("name", names)
    table["shape"] = text_attribute("shape", [name] * count)
    return ImportedItem(name, with_derived(of_points(count, table)), f"{counted(count, 'clone')}, one a copy")


def _without(mesh: Population, form: Polygons, part: Attribute, taken: np.ndarray) -> ImportedItem | None:
    """The mesh without some of its parts; None where nothing is left."""
    kept_faces = np.flatnonzero(~taken[part.values])
    owner = mesh.elements.owner_of("part")
    assert owner is not None
    kept = np.flatnonzero(~np.concatenate([taken, [False]])[np.minimum(owner, len(taken))])
    if not len(kept_faces):
        return None
    number = np.full(mesh.count, -1, np.int32)
    number[kept] = np.arange(len(kept), dtype=np.int32)
    sizes = np.diff(form.starts)[kept_faces]
    at = np.repeat(form.starts[kept_faces] - np.concatenate([[0], np.cumsum(sizes)[:-1]]), sizes)
    at = at + np.arange(sizes.sum())
    left = np.flatnonzero(~taken)
    again = np.cumsum(~taken) - 1
    of_faces = {n: a.taken(kept_faces) for n, a in form.of_faces.items()}
    of_faces[PART] = part_attribute(again[part.values[kept_faces]], [part.labels[k] for k in left])
    finer = Polygons(
        np.concatenate([[0], np.cumsum(sizes)]), number[form.corners[at]], of_faces,
        {n: a.taken(at) for n, a in form.of_corners.items()},
    )  # fmt: skip
    own = {n: a.taken(kept) for n, a in mesh.elements.own.items()}
    made = of_polygons(own, finer, mesh.notes)
    return ImportedItem("the rest", made, f"a mesh of {counted(finer.faces, 'face')} and {counted(len(left), 'part')}")
