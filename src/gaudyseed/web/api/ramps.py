"""Edits of a ramp that need the core's arithmetic."""

from __future__ import annotations

from flask import Blueprint
from pydantic import BaseModel, ConfigDict, Field

from ...core.colour.text import LONGEST, colours_in
from ...core.errors import BadInput
from ...core.look.model import Scene
from ...core.look.places import step_at
from ...core.look.ramp_edits import Action, edit_ramp
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
    action: Action
    shares: list[float] | None = Field(None, max_length=MOST_STOPS)


class RampAnswer(BaseModel):
    """The edited ramp."""

    ramp: Ramp


class ColourText(BaseModel):
    """Text with colours in it."""

    model_config = ConfigDict(extra="forbid")
    text: str = Field(max_length=LONGEST)


class FoundColour(BaseModel):
    """A colour of the text, with its place where one stands behind it."""

    colour: str
    at: float | None


class ColourList(BaseModel):
    """All of them, in order."""

    colours: list[FoundColour]


@operation(blueprint, "/colour-texts", method="post", body=ColourText, result=ColourList)
def read_colours(body: ColourText) -> ColourList:
    """The colours in a text: hex codes and CSS colours, separated by anything."""
    return ColourList(colours=[FoundColour(colour=c.colour, at=c.at) for c in colours_in(body.text)])


@operation(blueprint, "/ramp-edits", method="post", body=RampEdit, result=RampAnswer)
def edit(body: RampEdit) -> RampAnswer:
    """The ramp after an edit; nothing is saved."""
    shop = workshop()
    entry = chosen(body.scene, body.population)
    evaluation = shop.evaluator.evaluate(shop.population(entry.maker), entry.look, dials=body.scene.dials)
    for result in evaluation.steps:
        step = result.compiled.step
        if result.place == body.place and isinstance(step, Ramp) and result.before is not None:
            places = step.compiled(evaluation.signal_values).positions
            typed = step_at(entry.look, body.place)
            assert isinstance(typed, Ramp)
            return RampAnswer(ramp=edit_ramp(typed, body.action, result.before.value.array, body.shares, places))
    raise BadInput(f"There is no ramp that is on at {body.place!r}.", place="place")
