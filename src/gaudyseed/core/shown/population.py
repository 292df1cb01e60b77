"""What the view needs of an evaluated population: lanes as they are sent, tables, finishes, shapes and pictures."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any, Literal

import numpy as np

from ..channels import CHANNELS
from ..colour.spaces import encode_srgb
from ..digest import digest_of
from ..formats.shapes import OWN, plain_shape
from ..look.evaluate import Evaluator
from ..look.material import ElementPicture, Finish
from ..look.results import Evaluation
from ..pictures.picture import within
from ..runtime.task import UNWATCHED, Task
from ..scene.run import SceneRun
from ..sending import moved_normals, picture_of, threshold_of, ways
from .tables import mapped

#: Which way an offset moves: along each element's normal, up, or along the vectors of the array *ways*.
Along = Literal["normal", "up", "ways"]


@dataclass(frozen=True)
class NamedArray:
    """An array, and the digest that names its content."""

    digest: str
    values: np.ndarray


@dataclass(frozen=True)
class ShownPicture:
    """A picture on elements.

    Attributes
    ----------
    key
        Equal keys have equal texels.
    source
        The digest of its file, or the name of one that ships.
    settings
        How its two versions are made of it, without what can change and leave the texels as they are.
    into
        The first two rows of the matrix from uv to the picture's place: x, y and shift of each.
    cut
        Whether it cuts elements out below ``threshold``.
    through
        A factor of its light where that goes through.
    """

    key: str
    source: str
    settings: dict[str, Any]
    into: tuple[float, ...]
    cut: bool
    threshold: float
    through: float


@dataclass(frozen=True)
class ShownShape:
    """A shape of instances: the key of its mesh, a factor of size, and the picture on it."""

    key: str
    size: float
    picture: ShownPicture | None


@dataclass(frozen=True)
class ShownPopulation:
    """How one population is drawn, beside its geometry.

    Attributes
    ----------
    made
        The key of its geometry.
    visible
        Whether it is shown at all.
    shape
        What its elements are drawn as where the look has no shapes.
    placement
        (4, 4) float64: from its own space into that of the scene.
    lanes
        By the channel, its values as they are sent: uint8 levels or float32.
    arrays
        What else comes with the lanes: ``<channel>.at`` and ``<channel>.table`` where a lane ends per pixel; ``ways``
        (n, 3) of an offset along vectors; ``normals`` (n, 3) of a mesh that is moved.
    rows
        By the channel, how many rows its table has.
    finishes
        The finishes as numbers, colours as levels of the display; None where one follows the base colour.
    shapes
        The shapes of instances.
    threshold
        Below which opacity cuts out; None where elements are seen through.
    along, up
        Which way an offset moves, and (3,) which way is up in the population's own space.
    """

    made: str
    visible: bool
    shape: str
    placement: np.ndarray
    lanes: dict[str, NamedArray]
    finishes: tuple[dict[str, Any], ...]
    shapes: tuple[ShownShape, ...]
    threshold: float | None
    along: Along = "normal"
    up: tuple[float, ...] = (0.0, 0.0, 1.0)
    arrays: dict[str, NamedArray] = field(default_factory=dict)
    rows: dict[str, int] = field(default_factory=dict)


def shown_population(
    run: SceneRun, population: str, evaluator: Evaluator, task: Task = UNWATCHED, vision: str = ""
) -> ShownPopulation:
    """How a population of a scene is drawn.

    Parameters
    ----------
    vision
        A dichromacy that colours are shown as seen with; empty for none.

    Examples
    --------
    >>> from gaudyseed.core.scene.model import Scene
    >>> scene = Scene.model_validate({"populations": [
    ...     {"id": "dots", "name": "Dots", "maker": {"maker": "scatter", "surface": "ball", "count": 9},
    ...      "look": {"lanes": {"base_colour": {"layers": [{"paint": [{"step": "constant", "value": "#c8553d"}]}]}}}}]})
    >>> shown = shown_population(SceneRun(scene, Evaluator(), lambda r: r.make(None)), "dots", Evaluator())
    >>> shown.lanes["base_colour"].values.shape, shown.shapes[0].key
    ((9, 3), 'sequin')
    """
    evaluation, presence = run.evaluation(population), run.presence(population)
    arrays, rows = _tables(evaluation)
    offset = _offset(evaluation)
    along: Along = "ways" if "ways" in offset else "up" if _offset_along(evaluation) == "up" else "normal"
    up = ways(evaluation)[0].tolist() if along == "up" else (0.0, 0.0, 1.0)
    return ShownPopulation(
        made=run.request(population).key,
        visible=presence.shown,
        shape=presence.shape,
        placement=run.placement(population),
        lanes={
            word: NamedArray(*evaluator.sent(lane, task, vision)) for word, lane in evaluation.lanes.items()
        },
        finishes=tuple(finish_numbers(finish) for finish in evaluation.look.finishes),
        shapes=_shapes(run, presence.shape, evaluation),
        threshold=threshold_of(evaluation),
        along=along,
        up=tuple(up),
        arrays={**arrays, **offset},
        rows=rows,
    )  # fmt: skip


def _tables(evaluation: Evaluation) -> tuple[dict[str, NamedArray], dict[str, int]]:
    """The lanes of a mesh that end per pixel."""
    arrays, rows = {}, {}
    for word in evaluation.lanes:
        end = mapped(evaluation, word)
        if end is not None:
            arrays[f"{word}.at"] = NamedArray(end.at, end.numbers)
            arrays[f"{word}.table"] = NamedArray(end.digest, end.texels)
            rows[word] = len(end.rows)
    return arrays, rows


def _offset_along(evaluation: Evaluation) -> str:
    lane = evaluation.look.document.lanes.get("offset")
    return lane.along if lane is not None and "offset" in evaluation.lanes else "normal"


def _offset(evaluation: Evaluation) -> dict[str, NamedArray]:
    """The vectors of an offset where the view cannot tell them from the elements, and the normals that it leaves."""
    lane = evaluation.lanes.get("offset")
    if lane is None:
        return {}
    found = {}
    way = ways(evaluation)
    # Clones that came turned may stand otherwise than their normals.
    turned = "orientation" in evaluation.population.elements.own
    if len(way) > 1 and (_offset_along(evaluation) != "normal" or turned):
        found["ways"] = NamedArray(digest_of("ways", way), way)
    normals = moved_normals(evaluation)
    if normals is not None:
        found["normals"] = NamedArray(digest_of("normals", lane.digest), normals)
    return found


@lru_cache(maxsize=256)
def finish_numbers(finish: Finish) -> dict[str, Any]:
    """A finish by channel as lists of numbers; colours as levels of the display, None where they follow the base."""
    found: dict[str, Any] = {"name": finish.name}
    for channel in CHANNELS.values():
        # The base colour comes with its lane.
        if channel.of_finish and channel.word != "base_colour":
            value = finish.of(channel)
            shown = value if value is None or channel.sent != "display" else encode_srgb(value)
            found[channel.word] = None if shown is None else [round(float(v), 6) for v in shown]
    return found


def _shapes(run: SceneRun, own: str, evaluation: Evaluation) -> tuple[ShownShape, ...]:
    look, models = evaluation.look, evaluation.population.models
    if own == OWN and models is not None and not look.shapes:
        lying = None if look.picture is None else _picture(run, evaluation, look.picture)
        return tuple(ShownShape(key, 1.0, lying) for key in models.keys)
    found = []
    for k, shape in enumerate(look.shapes or (None,)):
        key: str = shape.shape if shape is not None else plain_shape(own)
        if shape is not None and shape.mesh is not None:
            run.asset_mesh(shape.mesh, f"shapes[{k}].mesh")
            key = next(a.digest for a in run.scene.assets if a.name == shape.mesh and a.kind == "mesh")
        picture = (shape.picture if shape else None) or look.picture
        size = 1.0 if shape is None else shape.size
        found.append(ShownShape(key, size, None if picture is None else _picture(run, evaluation, picture)))
    return tuple(found)


def _picture(run: SceneRun, evaluation: Evaluation, picture: ElementPicture) -> ShownPicture:
    picture_of(evaluation, picture)
    named = picture.picture or next(iter(evaluation.scope.surroundings.pictures), "moon")
    source = next((a.digest for a in run.scene.assets if a.name == named and a.kind == "picture"), named)
    into = within(picture.shift, picture.size, float(picture.turn))
    still = picture.model_dump(mode="json", exclude={"shift", "size", "turn", "threshold", "picture", "through"})
    return ShownPicture(
        digest_of("element picture", source, still),
        source,
        still,
        (*into[0, :2].tolist(), float(into[0, 3]), *into[1, :2].tolist(), float(into[1, 3])),
        picture.cut != "none",
        float(picture.threshold),
        float(picture.through),
    )
