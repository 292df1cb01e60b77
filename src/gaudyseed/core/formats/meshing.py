"""What the readers and writers of meshes share: building populations, and what goes out with polygons."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from ..colour.spaces import encode_srgb
from ..errors import BadInput
from ..geometry.placing import quaternions
from ..geometry.polygons import edges_of
from ..geometry.tubing import tubes
from ..plurals import counted
from ..population import Attribute, Elements, Field, Polygons, Population
from ..population.meshes import PART, check_polygons, of_polygons
from ..population.naming import LONGEST_NAME, sayable, well_named
from ..population.strands import ON_CURVE, directions, drawn_places, widths_of
from .base import ImportedItem
from .columns import MOST_ITEMS, Results, check_count, check_placed, clones_of

#: Parts that a mesh of a file may have.
MOST_PARTS = 4_000_000
#: Meshes that the clones of one population may be.
MOST_MODELS = 64


def mesh_of(
    attributes: dict[str, Attribute], starts: np.ndarray, corners: np.ndarray, name: str, *,
    of_faces: dict[str, Attribute] | None = None, of_corners: dict[str, Attribute] | None = None,
    notes: Sequence[str] = (),
) -> Population:  # fmt: skip
    """A mesh out of a file: indices and places are checked, what is odd is told in notes.

    BadInput names the first place or face that cannot be used.
    """
    position = attributes["position"]
    check_count(len(position.values), name)
    check_placed(position.values, name, "vertex", "vertices")
    check_polygons(starts, corners, len(position.values), name)
    form = Polygons(
        np.ascontiguousarray(starts, np.int64), np.ascontiguousarray(corners, np.int32),
        well_named(of_faces or {}, name), well_named(of_corners or {}, name),
    )  # fmt: skip
    return of_polygons(well_named(attributes, name), form, (*notes, *_odd(form, len(position.values))))


def _odd(form: Polygons, vertices: int) -> list[str]:
    """Sentences about what is unusual and was kept."""
    found = []
    used = np.zeros(vertices, bool)
    used[form.corners] = True
    loose = int(vertices - used.sum())
    if loose:
        found.append(f"{loose:,} vertices are in no face; they are kept.")
    # Not kept: most meshes are never asked for their edges.
    crowded = int((edges_of(form.starts, form.corners, vertices).users > 2).sum())
    if crowded:
        found.append(f"{crowded:,} edges are shared by more than two faces; they stay where they are when subdivided.")
    return found


def part_attribute(of_faces: np.ndarray, names: Sequence[str]) -> Attribute:
    """The attribute of faces that tells their part by number; several parts may have one name."""
    return Attribute(PART, "text", np.ascontiguousarray(of_faces, np.int32), tuple(map(sayable, names)))


def numbered_parts(given: Attribute) -> dict[str, Attribute]:
    """Attributes of faces out of a column that tells each face's part by number.

    Numbers from 0 without great gaps are the parts' own. All others, of any type, become names of parts, and stay
    beside them as they came.
    """
    values = given.values
    if given.width > 1 or given.kind == "text":
        return {given.name + "_": replace(given, name=given.name + "_")}
    if given.kind == "integer" and values.min() >= 0 and values.max() < min(len(values), MOST_PARTS):
        return {PART: part_attribute(values, [""] * (int(values.max()) + 1))}
    numbers, of = np.unique(values, return_inverse=True)
    kept = {given.name + "_": replace(given, name=given.name + "_")}
    if len(numbers) > MOST_PARTS:
        return kept
    return {PART: part_attribute(of.reshape(-1), [f"{v:.9g}" for v in numbers.tolist()]), **kept}


class Tubed(NamedTuple):
    """Curves as a mesh of tubes, and of each vertex the point that it is around, (m,) int64."""

    population: Population
    rows: np.ndarray


def tubed(population: Population) -> Tubed:
    """Curves of a section as the tubes that they stand for, with what their points and they themselves have."""
    form = population.form.curves
    assert form is not None and form.section is not None
    made = tubes(drawn_places(population), directions(population), widths_of(population), form.starts, *form.section)
    own = {n: a.taken(made.rows) for n, a in population.elements.own.items() if n not in (ON_CURVE, PART)}
    own["position"] = replace(own["position"], values=made.places)
    own["normal"] = Attribute("normal", "vector", made.normals, stands_for="normal")
    curves = form.curve_of[made.rows]
    for name, a in population.elements.owners[0].attributes.items():
        own.setdefault(name, a.taken(curves))
    # The ends of a tube are no things of their own.
    own[PART] = Attribute(PART, "integer", np.zeros(len(made.rows), np.int32))
    faces = Polygons(3 * np.arange(len(made.triangles) + 1), made.triangles.reshape(-1))
    return Tubed(of_polygons(own, faces, population.notes), made.rows)


@dataclass(frozen=True)
class Split:
    """A mesh whose vertices are several where the corners that meet there differ.

    Attributes
    ----------
    rows
        (m,) int64: the vertex of the mesh that each is.
    names
        Of the attributes that were the corners'.
    """

    population: Population
    form: Polygons
    rows: np.ndarray
    names: tuple[str, ...]


def split_at_seams(population: Population) -> Split:
    """The mesh for formats that know no values of corners: what corners have, their vertices have.

    The vertices that there were come first, in their order; those of corners that differ from the first one there
    follow. Normals are those of the whole.
    """
    form = population.form.polygons
    assert form is not None
    carried = {n: a for n, a in form.of_corners.items() if a.values.dtype.kind in "fiu"}
    corners, count = np.asarray(form.corners, np.int64), population.count
    # Each vertex stays as its first corner is; written backwards, so that the first one has the last word.
    first = np.full(count, -1, np.int64)
    first[corners[::-1]] = np.arange(len(corners) - 1, -1, -1)
    differs = np.zeros(len(corners), bool)
    for a in carried.values():
        words = _as_words(a)
        differs |= (words != words[first[corners]]).any(axis=1)
    odd = np.flatnonzero(differs)
    keys = np.ascontiguousarray(np.column_stack([corners[odd], *(_as_words(a)[odd] for a in carried.values())]))
    whole = keys.view(np.dtype((np.void, keys.itemsize * keys.shape[1]))).reshape(-1)
    _, at, of = np.unique(whole, return_index=True, return_inverse=True)
    # Further vertices in the order in which their corners come.
    order = np.argsort(at, kind="stable")
    rank = np.empty(len(order), np.int64)
    rank[order] = np.arange(len(order))
    number, more = corners.copy(), odd[at[order]]
    number[odd] = count + rank[of.reshape(-1)]
    rows = np.concatenate([np.arange(count), corners[more]])
    corner_of = np.concatenate([first, more])
    elements, loose = population.elements, corner_of < 0
    own = {n: a.taken(rows) for n, a in elements.own.items()}
    own["normal"] = elements.attribute("normal").taken(rows)
    for name, a in carried.items():
        taken = a.taken(np.maximum(corner_of, 0))
        if loose.any():
            gone = loose if taken.missing is None else loose | taken.missing
            taken = replace(taken, missing=gone)
        own[name] = taken
    above = tuple(
        replace(o, index=None if o.index is None else o.index[rows], named="") if not o.below else o
        for o in elements.owners
    )
    finer = Polygons(form.starts, number.astype(np.int32), form.of_faces)
    made = replace(population, form=finer, elements=Elements(elements.level, len(rows), own, above))
    return Split(made, finer, rows, tuple(carried))


def welded(
    table: dict[str, Attribute], corners: np.ndarray, vertex: Attribute, names: Sequence[str]
) -> tuple[dict[str, Attribute], np.ndarray, dict[str, Attribute]]:
    """What was split at seams as it was: attributes of vertices, the vertex of each corner, attributes of corners.

    As it came where the numbers of the vertices are no such numbers.
    """
    number = vertex.values
    count = int(number.max()) + 1 if vertex.kind == "integer" and vertex.width == 1 else 0
    if not 0 < count <= len(number) or number.min() < 0 or not np.array_equal(number[:count], np.arange(count)):
        return table, corners, {}
    of_corners = {n: table[n].taken(corners) for n in names if n in table}
    first = np.arange(count)
    kept = {n: a.taken(first) for n, a in table.items() if n not in of_corners}
    return kept, number[corners].astype(np.int32), of_corners


def _as_words(a: Attribute) -> np.ndarray:
    """(c, k) int64 that are equal where values are; what is missing is one value."""
    values = a.values.reshape(len(a.values), -1)
    words = values.astype(np.float64).view(np.int64) if values.dtype.kind == "f" else values.astype(np.int64)
    return words if a.missing is None else np.where(a.missing[:, None], np.iinfo(np.int64).min, words)


def polygons_of(population: Population, what: str) -> Polygons:
    """The faces of a mesh; BadInput where it has none to write."""
    form = population.form.polygons
    if form is None:
        raise BadInput(f"{what} holds meshes; these elements have no faces. Choose another format.", code="no_faces")
    return form


def shown_colours(population: Population, results: Results | None) -> np.ndarray | None:
    """(n, 3) display-encoded 0..1: the result, else a colour that the elements brought; None where there is none."""
    if results and "base_colour" in results:
        return encode_srgb(np.clip(results["base_colour"], 0, 1))
    brought = population.elements.own.get("colour")
    return None if brought is None or brought.kind != "colour" else encode_srgb(np.clip(brought.readable, 0, 1))


def linear_colours(population: Population, results: Results | None) -> np.ndarray | None:
    """(n, 3) linear float32: the result, else a colour that the elements brought; None where there is none."""
    if results and "base_colour" in results:
        return results["base_colour"]
    brought = population.elements.own.get("colour")
    return None if brought is None or brought.kind != "colour" else brought.readable


def with_alpha(a: Attribute) -> np.ndarray:
    """(n, 3) linear float32 of a column of colours, or (n, 4) with its alpha as 0 to 1 where it has one."""
    if a.width < 4:
        return a.readable
    alpha = a.values[:, 3].astype(np.float32)
    if a.values.dtype.kind in "iu":
        alpha /= np.float32(np.iinfo(a.values.dtype).max)
    return np.column_stack([a.readable, a.present(np.where(np.isfinite(alpha), alpha, 0))]).astype("<f4")


def named_apart(things: list[ImportedItem]) -> list[ImportedItem]:
    """The things with names that differ."""
    seen: Counter[str] = Counter()
    found = []
    for thing in things:
        plain = sayable(thing.name)[:LONGEST_NAME] or "population"
        seen[plain] += 1
        again = seen[plain]
        found.append(replace(thing, name=plain if again == 1 else f"{plain} {again}"))
    return found


def few_clones(things: list[ImportedItem], stem: str, name: str) -> list[ImportedItem]:
    """Clones of a file, each a population; one for all where nobody could look through so many."""
    if len(things) <= MOST_ITEMS:
        return things
    counts = [thing.population.count for thing in things]
    own = [{n: a for n, a in t.population.elements.own.items() if a.fields} for t in things]
    table, notes = joined(own, counts)
    of = np.repeat(np.arange(len(things)), counts)
    named = text_attribute("name", [thing.name for thing in things]).taken(of)
    table = {"name": named, **table} if "name" not in table else table
    made = clones_of(table, name, tuple(dict.fromkeys([*things[0].population.notes, *notes])))
    return [ImportedItem(stem, made, f"{counted(made.count, 'clone')} of {counted(len(things), 'thing')}")]


def of_matrices(matrices: np.ndarray) -> dict[str, Attribute]:
    """Places, turns and sizes of clones from (n, 4, 4)."""
    linear = matrices[:, :3, :3]
    sizes = np.cbrt(np.abs(np.linalg.det(linear)))
    turns = quaternions(linear)

    def column(name: str, kind: str, values: np.ndarray, *axes: str) -> Attribute:
        fields = tuple(Field(a, "<f4") for a in axes)
        return Attribute(name, kind, values.astype("<f4"), (), fields)  # type: ignore[arg-type]

    return {
        "position": column("position", "vector", matrices[:, :3, 3], "x", "y", "z"),
        "orientation": column("orientation", "vector", turns, "qx", "qy", "qz", "qw"),
        "size": column("size", "number", sizes, "size"),
    }


def uneven(matrices: np.ndarray) -> list[str]:
    """A sentence about those of (n, 4, 4) whose sizes differ from side to side, or that are mirrored."""
    linear = matrices[:, :3, :3]
    lengths = np.linalg.norm(linear, axis=1)
    greatest = np.maximum(lengths.max(axis=1), 1e-30)
    odd = int(((lengths.min(axis=1) < 0.999 * greatest) | (np.linalg.det(linear / greatest[:, None, None]) < 0)).sum())
    if not odd:
        return []
    return [f"{odd:,} copies are mirrored or of unequal size along their sides; they get one size for all three."]


def in_parts(
    table: dict[str, Attribute],
    matrices: np.ndarray,
    kinds: np.ndarray,
    parts: Sequence[Sequence[tuple[str, np.ndarray]]],
) -> dict[str, Attribute]:
    """Clones as one element for each part of each of them.

    Parameters
    ----------
    matrices
        (n, 4, 4): where each clone stands.
    kinds
        (n,): which of the things of ``parts`` it is, each the names of its parts with their middles (3,).
    """
    counts = np.array([len(p) for p in parts])[kinds]
    rows = np.repeat(np.arange(len(kinds)), counts)
    part = np.arange(len(rows)) - np.repeat(np.cumsum(counts) - counts, counts)
    offsets = np.concatenate([[0], np.cumsum([len(p) for p in parts])])[:-1]
    flat = offsets[kinds[rows]] + part
    middles = np.array([middle for p in parts for _, middle in p], np.float64)
    labels, codes = numbered_texts([name for p in parts for name, _ in p])
    there = (matrices[rows, :3, :3] @ middles[flat][:, :, None])[:, :, 0] + matrices[rows, :3, 3]
    found = {name: a.taken(rows) for name, a in table.items() if name != "id"}
    place = found["position"]
    found["position"] = replace(place, values=there.astype("<f4"))
    axes = tuple(Field(f"copy_position_{a}", "<f4") for a in "xyz")
    found["copy_position"] = replace(place, name="copy_position", fields=axes, stands_for="point")
    for name, values in (("copy", rows), ("part", part)):
        found[name] = Attribute(name, "integer", values.astype("<i4"), (), (Field(name, "<i4"),))
    found["part_name"] = Attribute("part_name", "text", codes[flat], labels, (Field("part_name", "<i4"),))
    return found


def numbered_texts(names: Sequence[str]) -> tuple[tuple[str, ...], np.ndarray]:
    """The texts that there are, each once, and (n,) int32 which one each is.

    >>> numbered_texts(["fish", "fox", "fish"])[1].tolist()
    [0, 1, 0]
    """
    labels = tuple(dict.fromkeys(names))
    number = {label: k for k, label in enumerate(labels)}
    return labels, np.array([number[name] for name in names], np.int32)


def text_attribute(name: str, names: Sequence[str]) -> Attribute:
    """A column of texts, one for each element."""
    labels, codes = numbered_texts(names)
    return Attribute(name, "text", codes, labels, (Field(name, "<i4"),))


def joined(tables: list[dict[str, Attribute]], counts: list[int]) -> tuple[dict[str, Attribute], list[str]]:
    """Several tables of so many rows as one; what some of them lack is missing there.

    And sentences about what was left out.
    """
    found, notes = {}, []
    for name in dict.fromkeys(n for table in tables for n in table):
        having = [table[name] for table in tables if name in table]
        if len({(a.kind, a.width, a.light) for a in having}) > 1:
            notes.append(f"The attribute {name!r} is of different kinds in different meshes and was left out.")
            continue
        rows = [(table.get(name), count) for table, count in zip(tables, counts, strict=True)]
        found[name] = having[0] if len(rows) == 1 else _of_all(name, having[0], rows)
    return found, notes


def _of_all(name: str, first: Attribute, rows: list[tuple[Attribute | None, int]]) -> Attribute:
    """One attribute out of those of several tables, each with how many rows it has."""
    having = [a for a, _ in rows if a]
    labels = tuple(dict.fromkeys(label for a in having for label in a.labels))
    codes = {label: k for k, label in enumerate(labels)}
    dtype = np.dtype(np.int32) if labels else np.result_type(*[a.values.dtype for a in having])
    values, absent = [], []
    for a, count in rows:
        if a is None:
            values.append(np.zeros((count, *first.values.shape[1:]), dtype))
        elif labels:
            # Codes of one table's texts become those of all.
            values.append(np.array([codes[label] for label in a.labels], np.int32)[a.values])
        else:
            values.append(a.values.astype(dtype))
        gone = np.full(count, a is None)
        absent.append(gone if a is None or a.missing is None else gone | a.missing)
    missing = np.concatenate(absent)
    fields = tuple(Field(f.name, dtype.newbyteorder("<").str) for f in first.fields)
    return Attribute(
        name, first.kind, np.concatenate(values), labels, fields, missing if missing.any() else None, first.stands_for,
        first.light,
    )  # fmt: skip
