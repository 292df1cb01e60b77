"""A small picture of a population, drawn with points alone: what a file looks like before it is added.

Not what the view shows: elements are dots of one size, faces are covered with points, the light is one lamp.
"""

from __future__ import annotations

import numpy as np

from ..colour.spaces import display_bytes
from ..geometry.placing import matrix, rotations
from ..kernels import pictures as kernels
from ..look.evaluate import Evaluator
from ..look.model import Look
from ..population import Models, Population
from ..population.derive import standing
from ..population.kinds import thinned

#: Points that are drawn at most.
_MOST = 60_000
#: How far it is drawn larger than it is shown, so that edges are smooth.
_FINER = 2
_TURN = (0.0, 0.0, -35.0), (-62.0, 0.0, 0.0)
_LAMP = np.array([-0.35, -0.55, 0.76])


def picture_of(population: Population, look: Look, width: int = 240, height: int = 150) -> np.ndarray:
    """(height, width, 4) uint8: levels of the display and alpha, seen from above and aside.

    Examples
    --------
    >>> from gaudyseed.core.look.first import first_look
    >>> from gaudyseed.core.population.makers.scatter import ScatterMaker
    >>> dots = ScatterMaker(maker="scatter", surface="ball", count=50).make(None)
    >>> picture_of(dots, first_look(dots)).shape
    (150, 240, 4)
    """
    shown = thinned(population, -(-population.count // _MOST)) if population.count > _MOST else population
    colours = Evaluator().evaluate(shown, look).colours
    places, colours, normals = _points(shown, colours)
    seen = places @ (matrix((0, 0, 0), _TURN[1], 1.0) @ matrix((0, 0, 0), _TURN[0], 1.0))[:3, :3].T
    across, down = width * _FINER, height * _FINER
    low, high = seen.min(axis=0), seen.max(axis=0)
    scale = 0.9 / max(float((high[0] - low[0]) / across), float((high[1] - low[1]) / down), 1e-30)
    x = (seen[:, 0] - (low[0] + high[0]) / 2) * scale + across / 2
    y = down / 2 - (seen[:, 1] - (low[1] + high[1]) / 2) * scale
    lit = 0.55 + 0.45 * np.abs(normals @ _LAMP) if normals is not None else np.ones(len(places))
    levels = display_bytes(np.ascontiguousarray(np.clip(colours * lit[:, None], 0, 1), np.float32))
    radius = _radius(shown, len(places), across * down)
    drawn = _splatted(x, y, seen[:, 2], levels, radius, across, down)
    return _shrunk(drawn, width, height)


def _points(population: Population, colours: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray | None]:
    """Places (m, 3), colours (m, 3) and normals (m, 3) of what is drawn; meshes are covered with points."""
    places = population.elements.attribute("position").readable.astype(np.float64)
    form = population.form.polygons
    if population.models is not None:
        return _of_models(population, population.models, places, colours)
    if form is None:
        return places, colours, None
    covered = _covering(places, form.triangles, _MOST)
    if covered is None:
        return places, colours, None
    at, weights, normals = covered
    return _mixed(places, at, weights), _mixed(colours, at, weights), normals


def _covering(
    places: np.ndarray, triangles: np.ndarray, count: int
) -> tuple[np.ndarray, np.ndarray, np.ndarray] | None:
    """Points at random on triangles: their corners (m, 3), the weights of these, normals; None where all are flat."""
    a, b, c = (places[triangles[:, k]] for k in range(3))
    square = np.cross(b - a, c - a)
    area = np.linalg.norm(square, axis=1)
    if not area.sum() > 0:
        return None
    rng = np.random.default_rng(1)
    of = np.searchsorted(np.cumsum(area), rng.random(count) * area.sum()).clip(0, len(area) - 1)
    return triangles[of], rng.dirichlet((1, 1, 1), count), square[of] / np.maximum(area[of], 1e-30)[:, None]


def _mixed(values: np.ndarray, at: np.ndarray, weights: np.ndarray) -> np.ndarray:
    return sum(weights[:, k, None] * values[at[:, k]] for k in range(at.shape[1]))


def _of_models(
    population: Population, models: Models, places: np.ndarray, colours: np.ndarray
) -> tuple[np.ndarray, np.ndarray, np.ndarray | None]:
    """Clones as the meshes that they came with, as many points on each."""
    turns, sizes = standing(population)
    spin = rotations(turns)
    each = max(1, _MOST // max(population.count, 1))
    at, tones, normals = [], [], []
    for k, mesh in enumerate(models.meshes):
        rows = np.flatnonzero(models.of == k)
        covered = _covering(mesh.vertices.astype(np.float64), mesh.faces, each)
        if covered is None or not len(rows):
            continue
        corners, weights, square = covered
        on = _mixed(mesh.vertices, corners, weights)
        at.append(
            (places[rows, None] + np.einsum("nij,mj->nmi", spin[rows] * sizes[rows, None, None], on)).reshape(-1, 3)
        )
        normals.append(np.einsum("nij,mj->nmi", spin[rows], square).reshape(-1, 3))
        tones.append(np.repeat(colours[rows], each, axis=0))
    if not at:
        return places, colours, None
    return np.concatenate(at), np.concatenate(tones), np.concatenate(normals)


def _radius(population: Population, points: int, pixels: int) -> int:
    """Of a dot in pixels: small where there are many."""
    if population.form.alone and population.models is None:
        return int(np.clip(np.sqrt(pixels / max(points, 1)) * 0.5, 1, 14))
    return 1 if population.form.curves is not None else 2


def _splatted(
    x: np.ndarray, y: np.ndarray, depth: np.ndarray, levels: np.ndarray, radius: int, width: int, height: int
) -> np.ndarray:
    """(height, width, 4) uint8: dots, the nearest in front."""
    nearest, held = np.full(width * height, -1, np.int64), np.full(width * height, -np.inf)
    columns, rows = np.rint(x).astype(np.int64), np.rint(y).astype(np.int64)
    kernels.splat(columns, rows, np.ascontiguousarray(depth, np.float64), radius, width, height, held, nearest)
    out = np.zeros((width * height, 4), np.uint8)
    there = nearest >= 0
    out[there, :3], out[there, 3] = levels[nearest[there]], 255
    return out.reshape(height, width, 4)


def _shrunk(drawn: np.ndarray, width: int, height: int) -> np.ndarray:
    """The mean of squares of pixels, colours weighed by their alpha."""
    # What has no dot is 0 in all four, so that the sum of colours is one weighed by alpha already.
    sums = np.zeros((height, width, 4), np.uint16)
    for row in range(_FINER):
        for column in range(_FINER):
            sums += drawn[row::_FINER, column::_FINER]
    dots = np.maximum(sums[..., 3:] // 255, 1)
    return np.concatenate([sums[..., :3] // dots, sums[..., 3:] // _FINER**2], axis=2).astype(np.uint8)
