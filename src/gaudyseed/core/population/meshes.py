"""Populations of kind mesh: vertices as elements, parts as their owners, and what every mesh has without asking."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Annotated

import numpy as np
from pydantic import Field as Parameter

from ..errors import BadInput
from ..geometry import polygons
from ..geometry.subdivision import Refined, refined
from ..runtime.task import Task
from ..scene.follow import Dialled
from .attribute import Attribute, Field
from .elements import KEY, Elements, Owners
from .forms import Polygons
from .naming import fits, free_name
from .owning import Owning
from .population import Population

#: How often a mesh is subdivided, as a parameter of its maker.
Subdivision = Dialled[Annotated[int, Parameter(ge=0, le=4)]]
#: Corners that a face may have.
MOST_CORNERS = 4096
#: Vertices that a mesh may have after subdivision.
MOST_VERTICES = 20_000_000


#: The attribute of faces that tells their part: a number, and the name of each, where several may have one name.
PART = "part"


def check_polygons(starts: np.ndarray, corners: np.ndarray, vertices: int, place: str) -> None:
    """BadInput where faces and vertices do not go together; the sentence names the first face that is wrong."""
    sizes = np.diff(starts)
    if len(starts) == 0 or starts[0] != 0 or (sizes < 0).any() or starts[-1] != len(corners):
        raise BadInput("The faces do not match their corners. Export the mesh again.", place=place, code="bad_faces")
    wrong = np.flatnonzero((sizes < 3) | (sizes > MOST_CORNERS))
    if len(wrong):
        raise BadInput(
            f"Face {wrong[0] + 1} has {sizes[wrong[0]]:,} corners; a face has 3 to {MOST_CORNERS:,}. "
            f"{len(wrong):,} faces are so. Remove them, or cut them into triangles.",
            place=f"{place}, face {wrong[0] + 1}", code="bad_faces",
        )  # fmt: skip
    outside = np.flatnonzero((corners < 0) | (corners >= vertices))
    if len(outside):
        face = int(np.searchsorted(starts, outside[0], side="right"))
        raise BadInput(
            f"Face {face} names vertex {int(corners[outside[0]])} (counted from 0), but there are {vertices:,}. "
            "The file is damaged or was cut off: export it again.",
            place=f"{place}, face {face}", code="bad_faces",
        )  # fmt: skip


def of_polygons(attributes: dict[str, Attribute], form: Polygons, notes: tuple[str, ...] = ()) -> Population:
    """A population of kind mesh.

    Parameters
    ----------
    attributes
        Of the vertices by name; ``position`` among them.
    form
        Its faces; they must have been checked. Where they have an attribute ``part`` (objects and named groups of a
        file) these are its parts, else its connected islands.

    Examples
    --------
    >>> corner = Attribute("position", "vector", np.eye(3, dtype=np.float32))
    >>> mesh = of_polygons({"position": corner}, Polygons(np.array([0, 3]), np.arange(3, dtype=np.int32)))
    >>> mesh.elements.level, mesh.elements.attribute("part_size").values.tolist()
    ('vertex', [3, 3, 3])
    """
    normal = attributes.get("normal")
    if normal is not None and not fits(normal):
        # Something else under the name of what a mesh cannot be without.
        name = free_name("normal_", attributes)
        attributes = {n: a for n, a in attributes.items() if n != "normal"} | {name: replace(normal, name=name)}
    positions = attributes["position"].readable
    owners = _parts(positions, form)
    derived = {n: d for n, d in _derived(positions, form, attributes).items() if n not in attributes}
    elements = Elements("vertex", len(positions), attributes, (owners,), derived)
    return Population("mesh", elements, form, notes)


def _derived(
    positions: np.ndarray, form: Polygons, attributes: Mapping[str, Attribute]
) -> dict[str, Callable[[], Attribute]]:
    """What every mesh has: its vertices' number, normal, island, edge length and curvature, and the uv of corners."""
    count = len(positions)

    def normals() -> np.ndarray:
        given = attributes.get("normal")
        return given.readable if given else polygons.normals_of(positions, form.starts, form.corners)

    def number(name: str, values: np.ndarray) -> Attribute:
        return Attribute(name, "number", values)

    found = {
        KEY: lambda: Attribute(KEY, "integer", np.arange(count, dtype=np.int32)),
        "normal": lambda: Attribute("normal", "vector", normals()),
        "island": lambda: Attribute("island", "integer", polygons.islands_of(form.starts, form.corners, count)[0]),
        "edge_length": lambda: number("edge_length", polygons.edge_lengths(positions, form.edges(count))),
        "curvature": lambda: number(
            "curvature", polygons.mean_curvature(positions, normals(), form.triangles)
        ),
    }  # fmt: skip
    uv = form.of_corners.get("uv")
    if uv is not None and fits(uv):
        found["uv"] = lambda: Attribute("uv", "vector", _of_first_corners(uv.readable, form, count))
    return found


def _of_first_corners(values: np.ndarray, form: Polygons, count: int) -> np.ndarray:
    """(n, k): of each vertex the value at the first corner that it has in a face; 0 where it has none."""
    owning = Owning(form.corners, count)
    return owning.of(values, "first")


def _parts(positions: np.ndarray, form: Polygons) -> Owners:
    """The table of the parts: number, name, size in elements, area, middle and extent."""
    given = form.of_faces.get(PART)
    names: tuple[str, ...]
    if given is None:
        index, count = polygons.islands_of(form.starts, form.corners, len(positions))
        of_faces, names = index[form.corners[form.starts[:-1]]], ()
    else:
        of_faces = given.values
        index, names = _part_of_vertices(of_faces, given.labels, form, len(positions))
        count = len(names)
    owning = Owning(np.ascontiguousarray(index, np.int32), count)
    by_face = Owning(np.ascontiguousarray(of_faces, np.int32), count)
    areas = np.minimum(polygons.areas(positions, form.starts, form.corners), 1e30).astype(np.float32)
    low, high = owning.of(positions, "least"), owning.of(positions, "greatest")
    table = [
        Attribute("part", "integer", np.arange(count, dtype=np.int32)),
        *([_named(names)] if any(names) else []),
        Attribute("part_size", "integer", owning.sizes.astype(np.int32)),
        Attribute("part_area", "number", by_face.of(areas, "sum")),
        Attribute("part_middle", "vector", (low + high) / 2),
        Attribute("part_extent", "vector", high - low),
    ]
    return Owners("part", owning.index, {a.name: a for a in table})


def _named(names: tuple[str, ...]) -> Attribute:
    """The names of parts; those without one are called after their number, so that they differ from one another."""
    shown = [name or f"part {k}" for k, name in enumerate(names)]
    labels = tuple(dict.fromkeys(shown))
    codes = {label: k for k, label in enumerate(labels)}
    return Attribute("part_name", "text", np.array([codes[name] for name in shown], np.int32), labels)


def _part_of_vertices(
    of_faces: np.ndarray, names: tuple[str, ...], form: Polygons, vertices: int
) -> tuple[np.ndarray, tuple[str, ...]]:
    """(n,) int32, and the names: a vertex belongs to the part of the first face that has it.

    Vertices in no face are a part of their own.
    """
    found = np.full(vertices, -1, np.int32)
    # Written backwards, so that the first face has the last word.
    found[form.corners[::-1]] = of_faces[form.face_of][::-1]
    loose = found < 0
    if loose.any():
        found[loose] = len(names)
        names = (*names, "loose vertices")
    return found, names


# Subdivision


def subdivided_count(vertices: int, faces: int, corners: int, levels: int) -> int:
    """About how many vertices a closed mesh has after so many levels: each adds one for an edge, and one for a face.

    >>> subdivided_count(8, 6, 24, 1), subdivided_count(4, 4, 12, 1)
    (26, 10)
    """
    triangles = corners == 3 * faces
    for _ in range(levels):
        # A closed mesh has half as many edges as corners.
        vertices, faces, corners = (
            vertices + corners // 2 + (0 if triangles else faces),
            4 * faces if triangles else corners,
            4 * corners,
        )
    return vertices


def subdivided(population: Population, levels: int, smooth: bool, task: Task) -> Population:
    """The mesh with every face cut in four (triangles) or at each corner (polygons), so many times.

    Old vertices come first, in their order. Places become smooth where that is wanted; all other values lie straight
    between those that there are; texts, whole numbers and parts are those of the nearest old vertex.
    """
    for level in range(levels):
        # Each has four times the faces of the one before.
        task.reach(4.0 ** (level - levels), f"subdividing, level {level + 1} of {levels}")
        form = population.form.polygons
        assert form is not None
        if population.count + 2 * len(form.corners) > MOST_VERTICES:
            raise BadInput(
                f"Subdivided so often the mesh would have more than {MOST_VERTICES:,} vertices. Lower its subdivision.",
                place="subdivision", code="too_many",
            )  # fmt: skip
        step = refined(form.starts, form.corners, population.count)
        finer = Polygons(
            step.starts, step.corners,
            {n: a.taken(step.face_of) for n, a in form.of_faces.items()},
            {n: _of_corners(a, step) for n, a in form.of_corners.items()},
        )  # fmt: skip
        table = {n: _of_vertices(a, step, smooth) for n, a in population.elements.own.items()}
        if smooth:
            # They belong to the faces that there were.
            table.pop("normal", None)
        population = of_polygons(table, finer, population.notes)
    return population


def _of_vertices(a: Attribute, step: Refined, smooth: bool) -> Attribute:
    if a.kind in ("integer", "text"):
        return _numbered(a, step) if a.name == KEY else a.taken(step.straight.first)
    rows = step.smooth if smooth and a.name == "position" else step.straight
    missing = None if a.missing is None else a.missing[step.straight.first]
    return replace(a, values=rows.mixed(a.values), missing=missing)


def _numbered(a: Attribute, step: Refined) -> Attribute:
    """Old vertices keep their ids; new ones count on from the greatest."""
    new = len(step.straight.starts) - 1 - len(a.values)
    beyond = int(a.values.max()) + 1 if len(a.values) else 0
    if beyond + new > np.iinfo(a.values.dtype).max:
        return a.taken(step.straight.first)
    return Attribute(a.name, a.kind, np.concatenate([a.values, beyond + np.arange(new, dtype=a.values.dtype)]),
                     (), a.fields)  # fmt: skip


def _of_corners(a: Attribute, step: Refined) -> Attribute:
    mixing = a.kind not in ("integer", "text")
    missing = None if a.missing is None else step.of_corners(a.missing, mixing=False)
    return replace(a, values=step.of_corners(a.values, mixing), missing=missing)


def column(name: str, kind: str, values: np.ndarray, *columns: str) -> Attribute:
    """An attribute of float32 numbers that goes to files under the names of its columns."""
    fields = tuple(Field(c, "<f4") for c in columns)
    return Attribute(name, kind, np.ascontiguousarray(values, np.float32), (), fields)  # type: ignore[arg-type]
