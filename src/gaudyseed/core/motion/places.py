"""Where a population lets particles go: on its faces by area, along strands by length, at elements each alike."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..errors import BadInput
from ..geometry import polygons
from ..geometry.placing import moved
from ..population import Population
from ..population.naming import fits
from ..population.strands import drawn_places


@dataclass(frozen=True)
class Places:
    """What particles may leave, in the space of the scene.

    Attributes
    ----------
    vertices, normals
        (v, 3) float32 of the elements.
    corners
        (t, 3) int32: the elements of each cell: the three of a triangle, the two ends of a piece of strand (the second
        of them twice), or the same one three times.
    sides
        How many of the three corners count: 3, 2 or 1.
    uv
        (t, 3, 2) float32 at the corners of the cells; None where there is none.
    cumulative
        (t,) float64 from 0 to 1: how much of all births lies in the cells up to each.
    weight
        (v,) float32; None where births are even.
    """

    vertices: np.ndarray
    normals: np.ndarray
    corners: np.ndarray
    sides: int
    uv: np.ndarray | None
    cumulative: np.ndarray
    weight: np.ndarray | None

    def drawn(self, chances: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """(m,) the cells and (m, 3) float32 the weights of their corners, for (m, 6) chances from 0 to 1.

        In a cell births are as dense as the weight, which is linear between its corners: with the chance that is a
        corner's share of the weight a place is drawn that is as dense as that corner's own part. Spacings of three
        sorted chances are even on a triangle's corners and one more; two of them together fall off linearly.
        """
        at = chances[:, 0].astype(np.float64) + chances[:, 1].astype(np.float64) * 2.0**-24
        cells = np.minimum(np.searchsorted(self.cumulative, at, side="right"), len(self.corners) - 1)
        found = np.zeros((len(cells), 3), np.float32)
        if self.sides == 1:
            found[:, 0] = 1
            return cells, found
        many = self.sides if self.weight is None else self.sides + 1
        cuts = np.sort(chances[:, 2 : 1 + many], axis=1)
        spacings = np.diff(cuts, axis=1, prepend=0.0, append=1.0)
        found[:, : self.sides] = spacings[:, : self.sides]
        if self.weight is not None:
            own = self.weight[self.corners[cells]][:, : self.sides].astype(np.float64)
            steps = np.cumsum(own, axis=1) / np.maximum(own.sum(axis=1), 1e-300)[:, None]
            chosen = np.minimum((chances[:, 5:6] >= steps).sum(axis=1), self.sides - 1)
            found[np.arange(len(cells)), chosen] += spacings[:, self.sides]
        return cells, found

    def at(self, values: np.ndarray, cells: np.ndarray, weights: np.ndarray) -> np.ndarray:
        """(m, k) float32: values of the elements, (v, k), in cells by the weights of their corners."""
        return (values[self.corners[cells]] * weights[:, :, None]).sum(axis=1, dtype=np.float32)

    @cached_property
    def size(self) -> int:
        """How many elements there are."""
        return len(self.vertices)


def places_of(population: Population, placement: np.ndarray, weight: np.ndarray | None, place: str) -> Places:
    """Where a population lets particles go, by a weight of its elements, (v,), below 0 as 0; None for evenly.

    BadInput where the weight is 0 everywhere, or there is nothing.
    """
    elements = population.elements
    vertices = moved(drawn_places(population), "point", placement).astype(np.float32)
    table = elements.find("normal")
    fit = table is not None and table.kind == "vector" and table.width == 3
    normals = moved(table.readable, "normal", placement) if fit and table is not None else np.zeros_like(vertices)
    corners, sides, sizes, uv = _cells(population, vertices)
    weight = None if weight is None else np.maximum(weight, np.float32(0))
    if weight is not None:
        sizes = sizes * weight[corners][:, :sides].mean(axis=1)
    total = float(sizes.sum())
    if not total > 0:
        what = "its weight is 0 everywhere" if weight is not None else "it has no area, no length and no elements"
        raise BadInput(
            f"Nothing can be born there: {what}. Choose another weight, or another population.", place=place,
            code="no_room",
        )  # fmt: skip
    return Places(vertices, np.asarray(normals, np.float32), corners, sides, uv, np.cumsum(sizes) / total, weight)


def _cells(population: Population, vertices: np.ndarray) -> tuple[np.ndarray, int, np.ndarray, np.ndarray | None]:
    """The corners of the cells, how many count, their sizes (t,) float64, and the uv at their corners."""
    faces, curves = population.form.polygons, population.form.curves
    if faces is not None:
        triangles = faces.triangles
        flat = np.arange(0, 3 * len(triangles) + 1, 3)
        uv = faces.of_corners.get("uv")
        at = uv.readable[faces.cut[0]] if uv is not None and fits(uv) else None
        return triangles, 3, polygons.areas(vertices, flat, triangles.reshape(-1)), at
    if curves is not None:
        first = np.arange(len(vertices) - 1, dtype=np.int32)
        first = first[curves.curve_of[first] == curves.curve_of[first + 1]]
        corners = np.ascontiguousarray(np.stack([first, first + 1, first + 1], -1), np.int32)
        lengths = np.linalg.norm(vertices[first + 1].astype(np.float64) - vertices[first], axis=1)
        return corners, 2, lengths, None
    each = np.arange(len(vertices), dtype=np.int32)
    return np.repeat(each[:, None], 3, axis=1), 1, np.ones(len(each)), None
