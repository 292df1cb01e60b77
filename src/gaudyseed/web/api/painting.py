"""Painting: strokes over columns of a population, and columns kept from signals."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from flask import Blueprint
from pydantic import BaseModel, Field

from ...core.digest import digest_of
from ...core.documents.document import Document
from ...core.documents.named import NAME_PATTERN
from ...core.errors import BadInput
from ...core.painting.brush import MOST_DABS, Brush, brushed
from ...core.painting.columns import kept_from
from ...core.painting.painted import Painted, check_name, values_of
from ...core.scene.model import MOST_PAINTED
from ...core.scene.run import SceneRun
from ..drafts import Draft
from ..jobs import unless_gone
from ..openapi import operation
from ..services import services

blueprint = Blueprint("painting", __name__)

_Coordinate = Annotated[float, Field(ge=-1e9, le=1e9)]


class Stroke(Document):
    """Dabs of a brush over a column: where the brush went, in the population's own space.

    A stroke under way comes in parts, each over what the one before it gave; ``last`` keeps the column for good.
    """

    scene: Draft
    population: str = Field(max_length=40)
    column: str = Field(max_length=100)
    brush: Brush = Brush()
    dabs: list[tuple[_Coordinate, _Coordinate, _Coordinate]] = Field([], max_length=MOST_DABS)
    last: bool = True


class Keeping(Document):
    """A signal, or the result of a step, to be kept as a column of that name."""

    scene: Draft
    population: str = Field(max_length=40)
    signal: str = Field(max_length=100)
    name: str = Field(min_length=1, max_length=100, pattern=NAME_PATTERN)
    frame: float | None = None


class ColumnAnswer(BaseModel):
    """The column after it; nothing of the scene is saved."""

    painted: Painted


def _column(run: SceneRun, population: str, name: str) -> tuple[Painted, int]:
    columns = run.document(population).painted
    for k, painted in enumerate(columns):
        if painted.name == name:
            return painted, k
    raise BadInput(f"There is no painted column {name!r} here. Add one first.", place="column", code="unknown_column")


@operation(blueprint, "/strokes", method="post", body=Stroke, result=ColumnAnswer)
def stroke(body: Stroke) -> ColumnAnswer:
    """The column after a stroke; the page puts it into the scene."""
    shared = services()
    # On the whole: what the view does not draw is reached too.
    run = shared.run(body.scene, final=True)
    painted, k = _column(run, body.population, body.column)
    place = f"painted[{k}]"
    target = run.target(body.population)
    check_name(painted, place)
    values = values_of(painted, shared.kept, place)
    dabs = np.array(body.dabs, np.float32).reshape(-1, 3)
    after = brushed(target, painted, values, body.brush, dabs, unless_gone())
    data = after.packed()
    digest = shared.kept.hold(data)
    if body.last:
        shared.store.put_columns({digest: data})
    level = max(target.subdivision, painted.subdivision if values is not None else 0)
    return ColumnAnswer(painted=painted.model_copy(update={"digest": digest, "subdivision": level}))


@operation(blueprint, "/kept-values", method="post", body=Keeping, result=ColumnAnswer)
def keep_values(body: Keeping) -> ColumnAnswer:
    """A column of what a signal gives now; the page puts it into the scene."""
    shared = services()
    run = shared.run(body.scene, final=True, frame=body.frame)
    document = run.document(body.population)
    if len(document.painted) >= MOST_PAINTED and all(p.name != body.name for p in document.painted):
        raise BadInput(f"A population has at most {MOST_PAINTED} painted columns. Remove one.", place="name")
    found = run.evaluation(body.population).signals.get(body.signal)
    if found is None:
        raise BadInput(f"No signal is called {body.signal!r} here.", place="signal", code="unknown_signal")
    kind = found.value.kind
    if kind.word == "vector" and kind.width != 3:
        raise BadInput("Only numbers, colours and vectors of three are kept.", place="signal", code="wrong_kind")
    target = run.target(body.population)
    data = kept_from(target, found.value.array).packed()
    digest = digest_of(data)
    fill: float | str = "#000000" if kind.word == "colour" else 0.0
    painted = Painted(name=body.name, kind=kind.word, digest=digest, fill=fill, subdivision=target.subdivision)
    check_name(painted, "name")
    shared.store.put_columns({digest: data})
    return ColumnAnswer(painted=painted)
