"""Draw the kite that stands for a picture in the guide and in the tests: ``.venv/bin/python tools/kite.py FILE``.

Every pixel is an element: the shapes below are attributes, and a look of our own colours them.
"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from gaudyseed.core.colour.spaces import display_bytes
from gaudyseed.core.documents.document import parse
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Look
from gaudyseed.core.population import Attribute, Field, of_points
from gaudyseed.core.population.derive import with_derived

WIDTH, HEIGHT = 600, 400
#: Drawn so many times finer, then averaged, so that edges are smooth.
_FINER = 2
#: The kite's corners from its middle, and how it hangs in the wind (radians).
_CORNERS = np.array([(0, 1.15), (0.86, 0.2), (0, -1.55), (-0.86, 0.2)])
_LEAN = -0.42
_SKY = [("#241a45", 0), ("#3d2a60", 0.4), ("#6b4273", 0.75), ("#a85f7c", 1)]
_CLOTH = ["#f4efe0", "#d8353a", "#1f8f8a", "#f2b632", "#2c4fa3", "#3a2418", "#f4efe0", "#e2574c", "#1f8f8a"]
_DRAWN = [{"step": "formula", "text": "where(piece > 0, 1, 0)"}]
_LOOK = {
    "gaudyseed": 3,
    "lanes": {"base_colour": {"layers": [
        {"name": "Sky", "paint": [
            {"step": "formula", "text": "0.5 - 0.5 * y(position) + 0.05 * wave"},
            {"step": "ramp", "mix_in": "oklab", "interpolation": "soft",
             "stops": [{"at": at, "colour": colour} for colour, at in _SKY]}]},
        {"name": "Cloth", "mask": _DRAWN, "paint": [
            {"step": "formula", "text": "(piece - 0.5) / 9"},
            {"step": "palette", "swatches": [{"colour": c} for c in _CLOTH]}]},
        {"name": "Shade", "blend": "multiply", "mask": _DRAWN, "paint": [
            {"step": "attribute", "name": "shade"},
            {"step": "ramp", "stops": [{"at": 0, "colour": "#6a6072"}, {"at": 1, "colour": "#ffffff"}]}]},
        {"name": "Grain", "amount": 0.5, "blend": "multiply", "paint": [
            {"step": "constant", "value": "#ffffff"},
            {"step": "drift", "seed": 4, "hue": [0, 0], "lightness": [-0.12, 0]}]},
    ]}},
}  # fmt: skip


def kite(width: int = WIDTH, height: int = HEIGHT) -> NDArray[np.uint8]:
    """A paper kite in an evening sky: ``(height, width, 3)`` levels of 8 bits, the same at every call.

    >>> kite(60, 40).shape
    (40, 60, 3)
    """
    across, down = width * _FINER, height * _FINER
    y, x = np.mgrid[0:down, 0:across].astype(np.float32)
    y, x = 1 - 2 * (y + 0.5) / down, (2 * (x + 0.5) / across - 1) * width / height
    piece, shade = _shapes(x, y)
    wave = np.sin(2.1 * x + 4 * y) * np.cos(1.3 * x - 7 * y)
    flat = {
        "position": np.stack([x, y, np.zeros_like(x)], axis=-1).reshape(-1, 3),
        "piece": piece.reshape(-1).astype(np.int32),
        "shade": shade.reshape(-1).astype(np.float32),
        "wave": wave.reshape(-1).astype(np.float32),
    }
    kinds = {"position": "vector", "piece": "integer"}
    attributes = {
        name: Attribute(name, kinds.get(name, "number"), values, fields=(Field(name, "<f4"),))
        for name, values in flat.items()
    }
    population = with_derived(of_points(across * down, attributes, kind="pixels"))
    colours = Evaluator().evaluate(population, parse(Look, _LOOK)).colours
    levels = display_bytes(colours).reshape(height, _FINER, width, _FINER, 3)
    return levels.mean(axis=(1, 3)).round().astype(np.uint8)


def _shapes(x: NDArray[np.float32], y: NDArray[np.float32]) -> tuple[NDArray[np.int_], NDArray[np.float32]]:
    """Which piece each pixel belongs to (0: sky, 1 to 9 as ``_CLOTH`` lists them), and its light."""
    turn = np.array([[np.cos(_LEAN), -np.sin(_LEAN)], [np.sin(_LEAN), np.cos(_LEAN)]])
    u, v = (np.tensordot(turn.T, np.stack([x - 0.16, y - 0.3]), axes=1)) / 0.54
    inside = np.ones(x.shape, bool)
    for (ax, ay), (bx, by) in zip(_CORNERS, np.roll(_CORNERS, -1, axis=0), strict=True):
        inside &= (bx - ax) * (v - ay) - (by - ay) * (u - ax) <= 0
    side = np.where(v > 0.2, np.where(u < 0, 2, 3), np.where(u < 0, 4, 5))
    rim = np.abs(u) / 0.86 + np.where(v > 0.2, (v - 0.2) / 0.95, (0.2 - v) / 1.75)
    cloth = np.where((rim > 0.62) & (rim < 0.74), 1, side)
    spars = (np.abs(u) < 0.018) | (np.abs(v - 0.2) < 0.018)
    piece = np.where(inside, np.where(spars, 6, cloth), 0)
    piece = np.where(piece == 0, _tail(u, v), piece)
    shade = np.clip(0.62 + 0.3 * np.cos(2.4 * u + 0.6) * np.cos(1.3 * v) - 0.18 * (u > 0), 0, 1)
    return piece, shade


def _tail(u: NDArray[np.float64], v: NDArray[np.float64]) -> NDArray[np.int_]:
    """The tail's line and its bows."""
    below = -1.55 - v
    middle = 0.22 * np.sin(3.2 * below) * np.minimum(below, 1.2)
    piece = np.where((below > 0) & (below < 1.75) & (np.abs(u - middle) < 0.014), 7, 0)
    for k, at in enumerate((0.3, 0.72, 1.14, 1.56)):
        centre = 0.22 * np.sin(3.2 * at) * min(at, 1.2)
        away, along = np.abs(u - centre), np.abs(below - at)
        piece = np.where((away < 0.2) & (along < 0.03 + 0.42 * away), 8 + k % 2, piece)
    return piece


if __name__ == "__main__":
    Image.fromarray(kite()).save(Path(sys.argv[1]))
