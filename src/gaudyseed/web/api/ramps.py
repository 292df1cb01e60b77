"""Edits of a ramp that need the core's arithmetic."""

from __future__ import annotations

from typing import Literal

from flask import Blueprint
from pydantic import BaseModel, ConfigDict, Field

from ...core.errors import BadInput
from ...core.look.model import Scene
from ...core.look.ramp_edits import edit_ramp
from ...core.look.steps.ramp import MOST_STOPS, Ramp
from ..openapi import operation
from ..workshop import chosen, workshop

blueprint = Blueprint("ramps", __name__)


class RampEdit(BaseModel):
    """An edit of the ramp at a place of a population's look."""

    model_config = ConfigDict(extra="forbid")
    scene: Scene
    population: str = Field(max_length=40)
    place: str = Field(max_length=200, description="Such as lanes.base_colour.layers[0].paint[1].")
    action: Literal["flip", "space_evenly", "set_shares"]
    shares: list[float] | None = Field(None, max_length=MOST_STOPS)


class RampAnswer(BaseModel):
    """The edited ramp."""

    ramp: Ramp


@operation(blueprint, "/ramp-edits", method="post", body=RampEdit, result=RampAnswer)
def edit(body: RampEdit) -> RampAnswer:
    """The ramp after an edit; nothing is saved."""
    shop = workshop()
    entry = chosen(body.scene, body.population)
    evaluation = shop.evaluator.evaluate(shop.population(entry.maker), entry.look)
    for result in evaluation.steps:
        step = result.compiled.step
        if result.place == body.place and isinstance(step, Ramp) and result.before is not None:
            return RampAnswer(ramp=edit_ramp(step, body.action, result.before.value.array, body.shares))
    raise BadInput(f"There is no ramp that is on at {body.place!r}.", place="place")
