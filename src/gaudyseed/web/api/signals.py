"""Renaming and removing signals, dials, populations and looks, wherever they are used."""

from __future__ import annotations

from typing import Literal

from flask import Blueprint
from pydantic import BaseModel, Field

from ...core.documents.document import Document
from ...core.look.model import Look
from ...core.look.rename import (
    rename_asset,
    rename_dial,
    rename_look,
    rename_marker,
    rename_painted,
    rename_shared_signal,
    rename_signal,
)
from ...core.removing import remove_population, remove_signal
from ...core.scene.model import Scene
from ..openapi import operation
from ..services import services

blueprint = Blueprint("signals", __name__)


class SignalRename(Document):
    """A new name for a signal of a population's look."""

    scene: Scene
    population: str = Field(max_length=40)
    old: str = Field(max_length=100)
    new: str = Field(max_length=100)


class SceneRename(Document):
    """A new name for a dial or a look of the scene."""

    scene: Scene
    old: str = Field(max_length=100)
    new: str = Field(max_length=100)


class PaintedRename(SceneRename):
    """A new name for a painted column of a population."""

    population: str = Field(max_length=40)


class RenamedScene(Document):
    """The edited scene; nothing is saved."""

    scene: Scene


class LookAnswer(BaseModel):
    """The edited look; nothing is saved."""

    look: Look


@operation(blueprint, "/signal-names", method="post", body=SignalRename, result=LookAnswer)
def rename(body: SignalRename) -> LookAnswer:
    """The look with the signal renamed wherever it is read."""
    return LookAnswer(look=rename_signal(services().run(body.scene).look(body.population), body.old, body.new))


@operation(blueprint, "/dial-names", method="post", body=SceneRename, result=RenamedScene)
def name_dial(body: SceneRename) -> RenamedScene:
    """The scene with the dial renamed wherever it is followed or read."""
    run = services().run(body.scene)
    carried = {p.id: run.population(p.id).elements.names for p in body.scene.populations}
    return RenamedScene(scene=rename_dial(body.scene, body.old, body.new, carried))


@operation(blueprint, "/look-names", method="post", body=SceneRename, result=RenamedScene)
def name_look(body: SceneRename) -> RenamedScene:
    """The scene with one of its looks renamed, for all populations that wear it."""
    return RenamedScene(scene=rename_look(body.scene, body.old, body.new))


@operation(blueprint, "/marker-names", method="post", body=SceneRename, result=RenamedScene)
def name_marker(body: SceneRename) -> RenamedScene:
    """The scene with a marker renamed wherever something goes along with it."""
    return RenamedScene(scene=rename_marker(body.scene, body.old, body.new))


@operation(blueprint, "/painted-names", method="post", body=PaintedRename, result=RenamedScene)
def name_painted(body: PaintedRename) -> RenamedScene:
    """The scene with a painted column renamed wherever its population's look reads it."""
    return RenamedScene(scene=rename_painted(body.scene, body.population, body.old, body.new))


@operation(blueprint, "/asset-names", method="post", body=SceneRename, result=RenamedScene)
def name_asset(body: SceneRename) -> RenamedScene:
    """The scene with a picture renamed wherever it is read."""
    return RenamedScene(scene=rename_asset(body.scene, body.old, body.new))


@operation(blueprint, "/shared-signal-names", method="post", body=SceneRename, result=RenamedScene)
def name_shared_signal(body: SceneRename) -> RenamedScene:
    """The scene with one of its signals renamed wherever a look reads it."""
    return RenamedScene(scene=rename_shared_signal(body.scene, body.old, body.new))


class RemovalRequest(Document):
    """A population that is to be removed, or a signal of its look, or with ``shared`` of the scene."""

    scene: Scene
    kind: Literal["population", "signal"]
    id: str = Field(max_length=40, description="Of the population.")
    name: str = Field("", max_length=100, description="Of the signal.")
    shared: bool = False


class Instead(Document):
    """What can be done for those that read it, and the scene after it."""

    label: str
    scene: Scene


class RemovalAnswer(Document):
    """Who reads it, in words, and the scene without it; nothing is saved."""

    label: str
    sentence: str
    readers: list[str]
    scene: Scene
    instead: Instead | None


@operation(blueprint, "/removals", method="post", body=RemovalRequest, result=RemovalAnswer)
def remove(body: RemovalRequest) -> RemovalAnswer:
    """What reads a thing that is to be removed, and the scene without it."""
    if body.kind == "population":
        found = remove_population(body.scene, body.id)
    else:
        found = remove_signal(body.scene, body.id, body.name, body.shared)
    instead = Instead(label=found.instead[0], scene=found.instead[1]) if found.instead else None
    return RemovalAnswer(
        label=f"Remove {found.what}", sentence=f"Others read {found.what}.", readers=found.readers, scene=found.scene,
        instead=instead,
    )  # fmt: skip
