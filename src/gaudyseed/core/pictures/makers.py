"""Small pictures of what makers make, in greys, for the window in which one is chosen."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np

from ..documents.document import parse
from ..errors import BadInput
from ..look.evaluate import Evaluator
from ..look.model import Look
from ..population import Population
from ..population.makers import MAKERS, MakeRequest
from ..scene.model import Scene
from ..scene.run import SceneRun
from .thumbnail import picture_of

_GREYS = [{"at": at, "colour": colour} for at, colour in ((0.0, "#4a4a4a"), (0.5, "#8a8a8a"), (1.0, "#dedede"))]
#: When what moves is seen.
_FRAME = 24
_CHANCE = {"step": "random", "seed": 5}
#: A picture is small: fewer elements are clearer.
_FEWER: dict[str, dict[str, Any]] = {
    "threaded": {"on": "below", "size": 0.09},
    "scatter": {"surface": "ball", "count": 900, "size": 0.09, "offset": 0.0},
    "strands": {"surface": "ball"},
    "mesh": {"surface": "mask"},
    "grid": {"columns": 12, "rows": 12},
    "emission": {"sources": [{"name": "Burst", "count": 700, "cone": 70, "speed": 3.0, "size": 0.03}]},
    "trails": {"on": "below", "back": 24},
}
#: What has to be there for what stands on it.
_BELOW = {
    "threaded": [{"id": "below", "name": "Below", "maker": {"maker": "strands", "surface": "ball", "count": 160,
                  "length": 0.7}}],
    "trails": [{"id": "below", "name": "Below", "maker": {"maker": "emission", "sources": [
        {"name": "Sparks", "count": 60, "cone": 70, "speed": 3.0, "size": 0.02}]}}],
}  # fmt: skip


class _NoColumns:
    """Makers that are offered read no stored columns."""

    def column(self, digest: str) -> bytes:
        raise NotImplementedError(digest)


def _made(order: MakeRequest) -> Population:
    return order.make(_NoColumns())


def maker_picture(word: str, beginning: str = "") -> np.ndarray:
    """(90, 144, 4) uint8: levels of the display and alpha.

    Parameters
    ----------
    word
        The maker's.
    beginning
        One of its named beginnings; empty for its defaults.

    Raises
    ------
    BadInput
        Where there is no such maker, or it has no such beginning.

    Examples
    --------
    >>> maker_picture("grid").shape
    (90, 144, 4)
    """
    maker = MAKERS.get(word)
    if maker is None or not maker.offered:
        raise BadInput(f"There is no picture of a maker {word[:40]!r}.", place="maker")
    if beginning and beginning not in maker.beginnings:
        raise BadInput(f"The maker {word!r} has no beginning {beginning[:40]!r}.", place="beginning")
    return _drawn(word, beginning)


@lru_cache(maxsize=64)
def _drawn(word: str, beginning: str) -> np.ndarray:
    parameters = {**_FEWER.get(word, {}), **MAKERS[word].beginnings.get(beginning, {})}
    entries = [*_BELOW.get(word, ()), {"id": "it", "name": "It", "maker": {"maker": word, **parameters}}]
    timeline = {"first": _FRAME, "last": _FRAME}
    run = SceneRun(parse(Scene, {"gaudyseed": 3, "timeline": timeline, "populations": entries}), Evaluator(), _made)
    return picture_of(run.population("it"), parse(Look, _look(word)), 144, 90)


def _look(word: str) -> dict[str, object]:
    """By chance; strands along themselves, so that roots are dark; meshes in one grey."""
    read = {"strands": {"step": "along"}, "mesh": {"step": "constant", "value": 0.8}}.get(word, _CHANCE)
    paint = [read, {"step": "ramp", "interpolation": "straight", "stops": _GREYS}]
    return {"gaudyseed": 3, "lanes": {"base_colour": {"layers": [{"paint": paint}]}}}
