"""What a population costs: elements, memory and time in the view and as it goes out, measured from the present rate."""

from __future__ import annotations

from flask import Blueprint
from pydantic import BaseModel, Field

from ...core.document import Document
from ...core.errors import BadInput
from ...core.look.evaluate import Evaluation
from ...core.population.makers import MakerModel
from ..drafts import Draft
from ..openapi import operation
from ..workshop import workshop

blueprint = Blueprint("costs", __name__)


class CostRequest(Document):
    """Of which population."""

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
    shop = workshop()
    run = shop.run(body.scene)
    order, maker = run.order(body.population), run.maker(body.population)
    made = run.population(body.population)
    try:
        held = _held(run.evaluation(body.population))
    except BadInput:
        held = 0
    rate = shop.rate(type(maker).__name__) + shop.rate(f"look of {body.population}")
    out = maker.estimated()
    return CostAnswer(
        view=made.count, out=made.count if out is None or order.maker is maker else out, more=_finer(maker),
        bytes=(made.nbytes + held) / max(made.count, 1), seconds=rate,
    )  # fmt: skip


def _held(evaluation: Evaluation) -> int:
    """Bytes that the results of a look take."""
    return sum(step.value.nbytes for step in evaluation.steps) + sum(a.nbytes for a in evaluation.results.values())


def _finer(maker: MakerModel) -> int | None:
    """The elements of a mesh after one more subdivision; None where it has no more."""
    level = getattr(maker, "subdivision", None)
    if not isinstance(level, int) or level >= 4:
        return None
    return maker.changed(subdivision=level + 1).estimated()
