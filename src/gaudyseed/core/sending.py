"""What leaves the core for files: elements where offset and spin put them, their sizes and shapes, and results."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from .errors import BadInput
from .formats.base import MeshPart, WriterContext
from .formats.shapes import drawn_as
from .geometry.placing import IDENTITY, undoing
from .geometry.polygons import normals_of
from .geometry.shapes import ShapeMesh, shape_mesh
from .look.material import ElementPicture
from .look.results import Evaluation
from .pictures.picture import Picture
from .population import Attribute, Field, Population
from .population.derive import standing
from .population.meshes import column
from .population.placed import placed
from .population.strands import widths_of
from .shown.shading import versions

#: ``mesh_of(asset, place)``: a small mesh of the scene by its name; BadInput where there is none.
MeshOf = Callable[[str, str], ShapeMesh]


def no_mesh(asset: str, place: str) -> ShapeMesh:
    """Where there is no scene, there are no meshes but those that ship."""
    raise BadInput(f"The mesh {asset!r} is not here; it is kept in a scene.", place=place, code="unknown_mesh")


def ways(evaluation: Evaluation) -> np.ndarray:
    """(n, 3) or (1, 3) float32: which way an offset of 1 moves each element, in the population's own space.

    The normal and up have the length 1; a vector that the lane names counts with its length.
    """
    lane = evaluation.look.document.lanes.get("offset")
    along = lane.along if lane else "normal"
    if along == "normal":
        return evaluation.population.elements.attribute("normal").readable
    if along == "up":
        up = undoing(evaluation.scope.placement)[:3, :3] @ [0.0, 0.0, 1.0]
        return (up / max(float(np.linalg.norm(up)), 1e-12)).astype(np.float32)[None]
    value = evaluation.signals.get(along)
    if value is not None:
        return value.value.array
    return evaluation.population.elements.attribute(along).readable


def threshold_of(evaluation: Evaluation) -> float | None:
    """Below which opacity cuts elements out; None where they are seen through."""
    lane = evaluation.look.document.lanes.get("opacity")
    return None if lane is None else lane.threshold


def moved(evaluation: Evaluation) -> np.ndarray | None:
    """(n, 3) float32: where elements stand after their offset; None where none is moved."""
    lane = evaluation.lanes.get("offset")
    if lane is None:
        return None
    places = evaluation.population.elements.attribute("position").readable
    found: np.ndarray = places + ways(evaluation) * lane.channel.held(lane.values)[:, None]
    return found.astype(np.float32)


def moved_normals(evaluation: Evaluation) -> np.ndarray | None:
    """(n, 3) float32: the normals of a mesh after its offset; None where it is not moved, and for what is no mesh."""
    form, places = evaluation.population.form.polygons, moved(evaluation)
    if places is None or form is None:
        return None
    return normals_of(places, form.starts, form.corners)


def spun(turns: np.ndarray, degrees: np.ndarray) -> np.ndarray:
    """(n, 4) float32: quaternions (x, y, z, w) after a turn about their own third axis.

    >>> spun(np.array([[0, 0, 0, 1.0]]), np.array([180.0])).round(6).tolist()
    [[0.0, 0.0, 1.0, 0.0]]
    """
    half = np.radians(degrees.astype(np.float64)) / 2
    s, c = np.sin(half), np.cos(half)
    x, y, z, w = turns.astype(np.float64).T
    return np.stack([x * c + y * s, y * c - x * s, z * c + w * s, w * c - z * s], axis=1).astype(np.float32)


def moved_elements(evaluation: Evaluation) -> Population:
    """The population with size, width, offset and spin carried out; itself where its look has none of these."""
    population, lanes = evaluation.population, evaluation.lanes
    more: dict[str, Attribute] = {}
    own = population.elements.own
    places = moved(evaluation)
    if places is not None:
        way = ways(evaluation) * lanes["offset"].channel.held(lanes["offset"].values)[:, None]
        place = own["position"]
        more["position"] = replace(place, values=(place.values + way).astype(place.values.dtype))
        copies = own.get("copy_position")
        if copies is not None:
            more["copy_position"] = replace(copies, values=(copies.values + way).astype(copies.values.dtype))
    normals = moved_normals(evaluation)
    if normals is not None and "normal" in own:
        more["normal"] = replace(own["normal"], values=normals)
    factor = evaluation.size_factors
    if factor is not None:
        sizes = standing(population)[1] * factor
        more["size"] = Attribute("size", "number", sizes.astype("<f4"), (), (Field("size", "<f4"),))
    if "width" in lanes:
        factor = lanes["width"].channel.held(lanes["width"].values)
        more["width"] = column("width", "number", widths_of(population) * factor, "width")
    if "spin" in lanes:
        turns = spun(standing(population)[0], lanes["spin"].channel.held(lanes["spin"].values))
        fields = tuple(Field(f"q{axis}", "<f4") for axis in "xyzw")
        more["orientation"] = Attribute("orientation", "vector", turns, (), fields)
    if not more:
        return population
    elements = population.elements.with_more(more)
    if normals is not None:
        derived = {**elements.derived, "normal": lambda: Attribute("normal", "vector", normals)}
        elements = replace(elements, derived=derived)
    return replace(population, elements=elements)


def pieces_of(evaluation: Evaluation, shape: str, mesh_of: MeshOf = no_mesh) -> list[MeshPart]:
    """What the elements of clones are drawn as: shapes with the elements (m,) that are each of them.

    One for each shape and finish; one for each part where the elements are parts of copies.
    """
    population, look = evaluation.population, evaluation.look
    if population.shape or not look.shapes:
        drawn = [replace(piece, picture=look.picture) for piece in drawn_as(population, shape)]
        return [part for piece in drawn for part in _by_finish(evaluation, piece)]
    number, found = evaluation.chosen.shape, []
    for k, entry in enumerate(look.shapes if number is not None else look.shapes[:1]):
        rows = np.arange(population.count) if number is None else np.flatnonzero(number == k)
        mesh = mesh_of(entry.mesh, f"shapes[{k}].mesh") if entry.mesh else shape_mesh(entry.shape)
        name = entry.mesh or entry.shape
        found += _by_finish(evaluation, MeshPart(name, mesh, rows, picture=entry.picture or look.picture))
    return found


def _by_finish(evaluation: Evaluation, piece: MeshPart) -> list[MeshPart]:
    """A piece for each finish that its elements have; those between two count for the nearer one."""
    at, finishes = evaluation.chosen.finish, evaluation.look.finishes
    if at is None:
        return [replace(piece, finish=finishes[0])]
    nearest = np.rint(at[piece.rows]).astype(np.intp)
    found = []
    for k, finish in enumerate(finishes):
        rows = piece.rows[nearest == k]
        if len(rows):
            name = piece.name if len(finishes) == 1 else f"{piece.name} {finish.name}"
            found.append(replace(piece, name=name, rows=rows, finish=finish))
    return found


def sent(
    evaluation: Evaluation, name: str, shape: str, placement: np.ndarray = IDENTITY, mesh_of: MeshOf = no_mesh
) -> tuple[Population, dict[str, np.ndarray], WriterContext]:
    """The elements as they go out, what they got by channel, and what files are told beside that.

    Parameters
    ----------
    name, shape
        Of the population, and the shape that its elements have where the look has none.
    placement
        (4, 4): from the population's own space into that of the file.
    """
    population = placed(with_outputs(moved_elements(evaluation), evaluation), placement)
    mesh, look = population.form.polygons is not None, evaluation.look
    alone = population.form.alone
    pieces = [_shown(evaluation, piece) for piece in pieces_of(evaluation, shape, mesh_of)] if alone else []
    texels = _texels(evaluation, look.picture) if mesh and look.picture else None
    context = WriterContext(
        name, shape, tuple(pieces), look.finishes, evaluation.chosen.finish, look.picture, texels,
        threshold_of(evaluation), tuple(evaluation.outputs),
    )  # fmt: skip
    return population, evaluation.results, context


def _shown(evaluation: Evaluation, piece: MeshPart) -> MeshPart:
    return replace(piece, texels=_texels(evaluation, piece.picture)) if piece.picture else piece


def _texels(evaluation: Evaluation, picture: ElementPicture) -> np.ndarray:
    """(rows, columns, 4) uint8: the version of a picture that most of the mix is of."""
    mix = evaluation.lanes.get("picture_mix")
    second = mix is not None and len(mix.values) > 0 and float(mix.values.mean()) > 0.5
    found = picture_of(evaluation, picture)
    return versions(found, picture)[1 if second else 0]


def picture_of(evaluation: Evaluation, picture: ElementPicture) -> Picture:
    """The picture that elements show; BadInput where there is none of that name."""
    scope = evaluation.scope
    return scope.picture(picture.picture or next(iter(scope.surroundings.pictures), "moon"), "picture.picture")


def with_outputs(population: Population, evaluation: Evaluation) -> Population:
    """The population with the signals that its look sends as attributes, in place of those of the same name."""
    more = {}
    for name, value in evaluation.outputs.items():
        before = population.elements.find(name)
        width = value.kind.width
        if before is not None and before.width == width and before.fields:
            fields = tuple(Field(f.name, "<f4") for f in before.fields)
        else:
            parts = "rgb" if value.kind.word == "colour" else "xyzw" if width <= 4 else "0123456789abcdef"
            columns = [name] if width == 1 else [f"{name}_{parts[k]}" for k in range(width)]
            fields = tuple(Field(column, "<f4") for column in columns)
        role = before.stands_for if before is not None and before.width == width else ""
        more[name] = Attribute(name, value.kind.word, value.array.astype("<f4"), (), fields, None, role)
    return replace(population, elements=population.elements.with_more(more)) if more else population
