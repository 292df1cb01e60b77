"""What a population costs: elements, memory and time in the view and as it goes out, measured from the present rate."""

from __future__ import annotations

import contextlib
import time

from flask import Blueprint
from pydantic import BaseModel, Field

from ...core.documents.document import Document
from ...core.errors import BadInput
from ...core.look.evaluate import Evaluator
from ...core.look.results import Evaluation
from ...core.population.makers import MakeRequest, MakerModel
from ...core.scene.run import SceneRun
from ..drafts import Draft
from ..openapi import operation
from ..services import services

blueprint = Blueprint("costs", __name__)

#: Elements up to which costs are measured anew; and the seconds within which something is made once more for that.
_MEASURED, _SOON = 100_000, 1.5


class CostRequest(Document):
    """Asks what a population costs to make."""

    scene: Draft
    population: str = Field(max_length=40)


class CostAnswer(BaseModel):
    """Elements in the view, as they go out, and after one more subdivision; bytes and seconds for each of them.

    Seconds are 0 until something has been made and coloured.
    """

    view: int
    out: int
    more: int | None
    bytes: float
    seconds: float


@operation(blueprint, "/costs", method="post", body=CostRequest, result=CostAnswer)
def costs(body: CostRequest) -> CostAnswer:
    """What a population costs, without making more of it than there is."""
    shared = services()
    run = shared.run(body.scene)
    request, maker = run.request(body.population), run.maker(body.population)
    made = run.population(body.population)
    try:
        held = _held(run.evaluation(body.population))
    except BadInput:
        held = 0
    if made.count <= _MEASURED:
        _measure(run, request, body.population, made.count)
    rate = shared.rate(type(maker).__name__) + shared.rate(f"look of {body.population}")
    out = maker.estimated()
    return CostAnswer(
        view=made.count, out=made.count if out is None or request.maker is maker else out, more=_finer(maker),
        bytes=(made.nbytes + held) / max(made.count, 1), seconds=rate,
    )  # fmt: skip


def _measure(run: SceneRun, request: MakeRequest, population: str, count: int) -> None:
    """Make and colour it once more, with nothing kept: the first time was not this machine's pace."""
    shared = services()
    maker = type(request.maker).__name__
    if shared.rate(maker) * count < _SOON:
        began = time.perf_counter()
        request.make(shared.store)
        shared.note_rate(maker, (time.perf_counter() - began) / max(count, 1))
    anew = SceneRun(run.scene, Evaluator(), shared.population, kept=shared.kept, moment=run.surroundings.moment)
    with contextlib.suppress(BadInput):
        anew.population(population)
        began = time.perf_counter()
        anew.evaluation(population)
        shared.note_rate(f"look of {population}", (time.perf_counter() - began) / max(count, 1))


def _held(evaluation: Evaluation) -> int:
    """Bytes that the results of a look take."""
    return sum(step.value.nbytes for step in evaluation.steps) + sum(a.nbytes for a in evaluation.results.values())


def _finer(maker: MakerModel) -> int | None:
    """The elements of a mesh after one more subdivision; None where it has no more."""
    level = getattr(maker, "subdivision", None)
    if not isinstance(level, int) or level >= 4:
        return None
    return maker.changed(subdivision=level + 1).estimated()
