"""Scenes and their revisions."""

from __future__ import annotations

import json
from typing import Annotated

from flask import Blueprint
from pydantic import BaseModel, ConfigDict, Field

from ...core.documents import parse
from ...core.look.model import Scene
from ...store import SceneState
from ..openapi import operation
from ..workshop import workshop

blueprint = Blueprint("scenes", __name__)


class SceneAnswer(BaseModel):
    """A scene as it is shown."""

    id: str
    revision: int
    label: Annotated[str, Field(description="What the last edit did.")]
    can_undo: bool
    can_redo: bool
    document: Scene


class SceneListed(BaseModel):
    """A scene in the list."""

    id: str
    name: str


class SceneList(BaseModel):
    """All scenes, oldest first."""

    scenes: list[SceneListed]


class NewScene(BaseModel):
    """A scene to begin."""

    model_config = ConfigDict(extra="forbid")
    document: Scene


class Save(BaseModel):
    """An edit: the whole new document and the revision it began from."""

    model_config = ConfigDict(extra="forbid")
    base: int
    label: str = Field(min_length=1, max_length=200)
    document: Scene


def _text(scene: Scene) -> str:
    return json.dumps(scene.model_dump(mode="json", exclude_none=False), separators=(",", ":"))


def _answer(state: SceneState) -> SceneAnswer:
    return SceneAnswer(
        id=state.id, revision=state.revision, label=state.label, can_undo=state.can_undo, can_redo=state.can_redo,
        document=parse(Scene, json.loads(state.document)),
    )  # fmt: skip


@operation(blueprint, "/scenes", method="get", result=SceneList)
def list_scenes() -> SceneList:
    """All scenes."""
    found = [SceneListed(id=s.id, name=json.loads(s.document)["name"]) for s in workshop().store.scenes()]
    return SceneList(scenes=found)


@operation(blueprint, "/scenes", method="post", body=NewScene, result=SceneAnswer)
def create_scene(body: NewScene) -> SceneAnswer:
    """Begin a scene."""
    return _answer(workshop().store.create(_text(body.document), "Begin the scene"))


@operation(blueprint, "/scenes/<scene>", method="get", result=SceneAnswer)
def get_scene(scene: str) -> SceneAnswer:
    """A scene as it is shown."""
    return _answer(workshop().store.scene(scene))


@operation(blueprint, "/scenes/<scene>", method="put", body=Save, result=SceneAnswer)
def save_scene(scene: str, body: Save) -> SceneAnswer:
    """Save an edit as a new revision."""
    return _answer(workshop().store.save(scene, body.base, _text(body.document), body.label))


@operation(blueprint, "/scenes/<scene>/undo", method="post", result=SceneAnswer)
def undo_scene(scene: str) -> SceneAnswer:
    """Go one revision back."""
    return _answer(workshop().store.undo(scene))


@operation(blueprint, "/scenes/<scene>/redo", method="post", result=SceneAnswer)
def redo_scene(scene: str) -> SceneAnswer:
    """Go one revision forth."""
    return _answer(workshop().store.redo(scene))
