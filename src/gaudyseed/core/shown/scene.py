"""A whole scene as it is shown: what a view, a still, a file and a proof draw, put together in one place."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..colour.documents import written
from ..errors import BadInput
from ..look.evaluate import Evaluator
from ..runtime.task import UNWATCHED, Task
from ..scene.cameras import Camera
from ..scene.model import ViewSettings
from ..scene.run import SceneRun
from .geometry import ShownGeometry, shown_geometry
from .population import ShownPopulation, shown_population


@dataclass(frozen=True)
class ShownMoment:
    """What follows the timeline, at the frame that is shown: markers (3,) float64 and dials by their names.

    Only those that have keys. Colours are written as #rrggbb.
    """

    frame: float
    markers: dict[str, np.ndarray]
    dials: dict[str, float | str]


@dataclass(frozen=True)
class ShownScene:
    """A scene as it is shown.

    Attributes
    ----------
    moment
        The frame, and what follows the timeline there.
    geometry, populations
        By the population's id; hidden populations are left out.
    camera
        Where it is looked at from; None where the one who draws chooses.
    view
        Light, surround and backdrop.
    """

    moment: ShownMoment
    geometry: dict[str, ShownGeometry]
    populations: dict[str, ShownPopulation]
    camera: Camera | None
    view: ViewSettings


def shown_moment(run: SceneRun) -> ShownMoment:
    """What follows the timeline at the frame of a run."""
    given, (dials, markers) = run.given, run.surroundings.keyed
    return ShownMoment(
        run.surroundings.moment.frame,
        {name: given.markers[name] for name in sorted(markers)},
        {name: _as_read(given.dials[name].value) for name in sorted(dials)},
    )


def _as_read(value: float | str) -> float | str:
    return written(value) if isinstance(value, str) else value


def shown_scene(
    run: SceneRun, evaluator: Evaluator, camera: str | None = None, task: Task = UNWATCHED, vision: str = ""
) -> ShownScene:
    """All that is seen of a scene, through one of its cameras; BadInput where the scene has no camera of that name.

    Examples
    --------
    >>> from gaudyseed.core.scene.model import Scene
    >>> scene = Scene.model_validate({"populations": [
    ...     {"id": "dots", "name": "Dots", "maker": {"maker": "scatter", "surface": "ball", "count": 9}},
    ...     {"id": "more", "name": "More", "maker": {"maker": "scatter", "surface": "ball"}, "shown": False}]})
    >>> shown = shown_scene(SceneRun(scene, Evaluator(), lambda r: r.make(None)), Evaluator())
    >>> list(shown.populations), shown.geometry["dots"].positions.shape, shown.camera
    (['dots'], (9, 3), None)
    """
    through = next((c for c in run.scene.cameras if c.name == camera), None)
    if camera is not None and through is None:
        names = ", ".join(c.name for c in run.scene.cameras) or "none"
        raise BadInput(f"There is no camera {camera!r}; there are: {names}.", place="camera", code="unknown_camera")
    there = [p.id for p in run.scene.populations if run.presence(p.id).shown]
    parts = {id_: task.part(k / len(there), (k + 1) / len(there)) for k, id_ in enumerate(there)}
    return ShownScene(
        shown_moment(run),
        {id_: shown_geometry(run, id_) for id_ in there},
        {id_: shown_population(run, id_, evaluator, parts[id_], vision) for id_ in there},
        through,
        run.scene.view,
    )
