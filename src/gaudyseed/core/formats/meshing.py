"""What the readers and writers of meshes share: building populations, and what goes out with polygons."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..colour.spaces import display_bytes, encode_srgb
from ..errors import BadInput
from ..population import Attribute, Polygons, Population
from ..population.meshes import PART, check_polygons, of_polygons
from .columns import Results

#: Parts that a mesh of a file may have.
MOST_PARTS = 4_000_000


def mesh_of(
    attributes: dict[str, Attribute], starts: np.ndarray, corners: np.ndarray, name: str, *,
    of_faces: dict[str, Attribute] | None = None, of_corners: dict[str, Attribute] | None = None,
    notes: Sequence[str] = (),
) -> Population:  # fmt: skip
    """A mesh out of a file: indices and places are checked, what is odd is told in notes.

    BadInput names the first place or face that cannot be used.
    """
    position = attributes["position"]
    bad = np.flatnonzero(~np.isfinite(position.values).all(axis=1))
    if len(bad):
        raise BadInput(
            f"{len(bad):,} vertices of {name} have no usable place: the first is vertex {bad[0] + 1}. "
            "Give every vertex finite coordinates.",
            place=f"{name}, vertex {bad[0] + 1}", code="bad_coordinate",
        )  # fmt: skip
    check_polygons(starts, corners, len(position.values), name)
    form = Polygons(
        np.ascontiguousarray(starts, np.int64), np.ascontiguousarray(corners, np.int32), of_faces or {},
        of_corners or {},
    )  # fmt: skip
    return of_polygons(attributes, form, (*notes, *_odd(form, len(position.values))))


def _odd(form: Polygons, vertices: int) -> list[str]:
    """Sentences about what is unusual and was kept."""
    found = []
    used = np.zeros(vertices, bool)
    used[form.corners] = True
    loose = int(vertices - used.sum())
    if loose:
        found.append(f"{loose:,} vertices are in no face; they are kept.")
    crowded = int((form.edges(vertices).users > 2).sum())
    if crowded:
        found.append(f"{crowded:,} edges are shared by more than two faces; they stay where they are when subdivided.")
    return found


def part_attribute(of_faces: np.ndarray, names: Sequence[str]) -> Attribute:
    """The attribute of faces that tells their part by number; several parts may have one name."""
    return Attribute(PART, "text", np.ascontiguousarray(of_faces, np.int32), tuple(names))


def polygons_of(population: Population, what: str) -> Polygons:
    """The faces of a mesh; BadInput where it has none to write."""
    if not isinstance(population.form, Polygons):
        raise BadInput(f"{what} holds meshes; these elements have no faces. Choose another format.", code="no_faces")
    return population.form


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


__all__ = [
    "MOST_PARTS", "display_bytes", "linear_colours", "mesh_of", "part_attribute", "polygons_of", "shown_colours",
]  # fmt: skip
