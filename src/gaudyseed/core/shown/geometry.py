"""What a population is drawn from: its positions and the arrays of its kind, named by what it is made of."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..population import Population
from ..population.kinds import KINDS, Drawn
from ..scene.run import SceneRun


@dataclass(frozen=True)
class ShownGeometry:
    """The geometry of one population in its own space.

    Attributes
    ----------
    key
        Equal keys have equal geometry.
    population
        What was made, without the columns that were painted onto it.
    drawn
        What it is drawn as.
    ground
        The shipped surface that it is scattered on; None for none.
    positions
        (n, 3) float32.
    arrays
        What else it is drawn with, by name: turns and sizes, triangles and normals, widths and starts.
    """

    key: str
    population: Population
    drawn: Drawn
    ground: str | None
    positions: np.ndarray
    arrays: dict[str, np.ndarray]

    @property
    def low(self) -> np.ndarray:
        """(3,) float64: the least corner of the box around the positions."""
        return self.positions.min(axis=0).astype(float) if len(self.positions) else np.zeros(3)

    @property
    def high(self) -> np.ndarray:
        """(3,) float64: the greatest corner of the box around the positions."""
        return self.positions.max(axis=0).astype(float) if len(self.positions) else np.zeros(3)

    @property
    def faces(self) -> int:
        """How many faces it has."""
        form = self.population.form.polygons
        return 0 if form is None else form.faces


def shown_geometry(run: SceneRun, population: str) -> ShownGeometry:
    """The geometry of a population of a scene by its id; BadInput where it cannot be made."""
    request = run.request(population)
    # Without painted columns: the page knows those from the scene, and a stroke makes nothing anew.
    made = run.target(population).population
    kind = KINDS[made.kind]
    return ShownGeometry(request.key, made, kind.drawn, request.maker.ground, kind.positions(made), kind.arrays(made))
