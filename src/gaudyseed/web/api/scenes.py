"""Scenes and their revisions."""

from __future__ import annotations

import json
from dataclasses import asdict
from datetime import datetime
from typing import Annotated

from flask import Blueprint
from pydantic import BaseModel, Field

from ...core.documents.document import Document, parse
from ...core.scene.model import Scene
from ...store import SceneState
from ..openapi import operation
from ..services import services

blueprint = Blueprint("scenes", __name__)


class SceneAnswer(Document):
    """A scene as it is shown."""

    id: str
    revision: int
    label: Annotated[str, Field(description="What the last edit did.")]
    can_undo: bool
    can_redo: bool
    document: Scene


class Base(BaseModel):
    """The revision that a change of what is shown begins from."""

    base: int = Field(ge=0, le=2**62)


class Shown(Base):
    """Another revision to show."""

    revision: int = Field(ge=0, le=2**62)


class Earlier(Document):
    """A revision of a scene."""

    revision: int
    parent: int | None
    label: str
    made: datetime
    shown: bool


class EarlierList(BaseModel):
    """Revisions, newest first, those of other branches too."""

    states: list[Earlier]


class SceneListed(BaseModel):
    """A scene in the list."""

    id: str
    name: str


class SceneList(BaseModel):
    """All scenes, oldest first, and those that were removed."""

    scenes: list[SceneListed]
    removed: list[SceneListed]


class NewScene(BaseModel):
    """A scene to begin."""

    document: Scene


class Save(Base):
    """An edit: the whole new document and the revision it began from."""

    edit: str = Field("", max_length=60, description="The edit's own name: sent again, it is not saved again.")
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
    store = services().store
    return SceneList(scenes=_listed(store.scenes()), removed=_listed(store.scenes(removed=True)))


def _listed(states: list[SceneState]) -> list[SceneListed]:
    return [SceneListed(id=s.id, name=json.loads(s.document)["name"]) for s in states]


@operation(blueprint, "/scenes", method="post", body=NewScene, result=SceneAnswer)
def create_scene(body: NewScene) -> SceneAnswer:
    """Begin a scene."""
    return _answer(services().store.create(_text(body.document), "Begin the scene"))


@operation(blueprint, "/scenes/<scene>", method="get", result=SceneAnswer)
def get_scene(scene: str) -> SceneAnswer:
    """A scene as it is shown."""
    return _answer(services().store.scene(scene))


@operation(blueprint, "/scenes/<scene>", method="put", body=Save, result=SceneAnswer)
def save_scene(scene: str, body: Save) -> SceneAnswer:
    """Save an edit as a new revision."""
    services().kept.settle(body.document)
    return _answer(services().store.save(scene, body.base, _text(body.document), body.label, body.edit or None))


@operation(blueprint, "/scenes/<scene>/undo", method="post", body=Base, result=SceneAnswer)
def undo_scene(scene: str, body: Base) -> SceneAnswer:
    """Go one revision back."""
    return _answer(services().store.undo(scene, body.base))


@operation(blueprint, "/scenes/<scene>/redo", method="post", body=Base, result=SceneAnswer)
def redo_scene(scene: str, body: Base) -> SceneAnswer:
    """Go one revision forth."""
    return _answer(services().store.redo(scene, body.base))


@operation(blueprint, "/scenes/<scene>/states", method="get", result=EarlierList)
def list_states(scene: str) -> EarlierList:
    """The scene's earlier states, on all branches."""
    states = services().store.earlier(scene)
    return EarlierList(states=[Earlier(**asdict(s)) for s in states])


@operation(blueprint, "/scenes/<scene>/states", method="post", body=Shown, result=SceneAnswer)
def show_state(scene: str, body: Shown) -> SceneAnswer:
    """Show an earlier state."""
    return _answer(services().store.show(scene, body.base, body.revision))


@operation(blueprint, "/scenes/<scene>", method="delete", result=SceneListed)
def remove_scene(scene: str) -> SceneListed:
    """Take a scene out of the list; it can be put back."""
    return _listed([services().store.set_removed(scene, True)])[0]


@operation(blueprint, "/scenes/<scene>/restore", method="post", result=SceneListed)
def restore_scene(scene: str) -> SceneListed:
    """Put a removed scene back into the list."""
    return _listed([services().store.set_removed(scene, False)])[0]


@operation(blueprint, "/scenes/<scene>/duplicate", method="post", result=SceneAnswer)
def duplicate_scene(scene: str) -> SceneAnswer:
    """A new scene with the same document, called a copy."""
    store = services().store
    found = parse(Scene, json.loads(store.scene(scene).document))
    copy = found.model_copy(update={"name": f"{found.name[:94]} copy"})
    return _answer(store.create(_text(copy), f"Duplicate {found.name}"))
