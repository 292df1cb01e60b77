"""Edits of signals, dials and steps that need the core: rename everywhere, freeze a distribution."""

from __future__ import annotations

from flask import Blueprint
from pydantic import BaseModel, ConfigDict, Field

from ...core.errors import BadInput
from ...core.look.model import Look, Scene
from ...core.look.rename import rename_dial, rename_signal
from ...core.look.steps.even_out import frozen_distribution
from ..openapi import operation
from ..workshop import chosen, workshop

blueprint = Blueprint("signals", __name__)


class SignalRename(BaseModel):
    """A new name for a signal of a population's look."""

    model_config = ConfigDict(extra="forbid")
    scene: Scene
    population: str = Field(max_length=40)
    old: str = Field(max_length=100)
    new: str = Field(max_length=100)


class DialRename(BaseModel):
    """A new name for a dial of the scene."""

    model_config = ConfigDict(extra="forbid")
    scene: Scene
    old: str = Field(max_length=100)
    new: str = Field(max_length=100)


class RenamedScene(BaseModel):
    """The edited scene; nothing is saved."""

    scene: Scene


class LookAnswer(BaseModel):
    """The edited look; nothing is saved."""

    look: Look


class FreezeRequest(BaseModel):
    """The distribution of the values that come into a step."""

    model_config = ConfigDict(extra="forbid")
    scene: Scene
    population: str = Field(max_length=40)
    place: str = Field(max_length=200)


class FreezeAnswer(BaseModel):
    """Values at even parts of the elements, from the least to the greatest."""

    frozen: list[float]


@operation(blueprint, "/signal-names", method="post", body=SignalRename, result=LookAnswer)
def rename(body: SignalRename) -> LookAnswer:
    """The look with the signal renamed wherever it is read."""
    return LookAnswer(look=rename_signal(chosen(body.scene, body.population).look, body.old, body.new))


@operation(blueprint, "/dial-names", method="post", body=DialRename, result=RenamedScene)
def name_dial(body: DialRename) -> RenamedScene:
    """The scene with the dial renamed wherever it is followed or read."""
    carried = {p.id: workshop().population(p.maker).names for p in body.scene.populations}
    return RenamedScene(scene=rename_dial(body.scene, body.old, body.new, carried))


@operation(blueprint, "/distributions", method="post", body=FreezeRequest, result=FreezeAnswer)
def freeze(body: FreezeRequest) -> FreezeAnswer:
    """The distribution that an even-out step would be frozen to."""
    shop = workshop()
    entry = chosen(body.scene, body.population)
    evaluation = shop.evaluator.evaluate(shop.population(entry.maker), entry.look, dials=body.scene.dials)
    for result in evaluation.steps:
        if result.place == body.place and result.before is not None and result.before.value.kind == "number":
            return FreezeAnswer(frozen=frozen_distribution(result.before.value.array))
    raise BadInput(f"No numbers come into a step at {body.place!r}.", place="place")
