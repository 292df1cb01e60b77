"""The demo scene: Midnight Menagerie, a workshop that builds parade floats for a night carnival."""

from __future__ import annotations

from importlib import resources

from ..core.document import parse, parse_json
from ..core.look.model import Scene
from ..store import Missing, Store

SCENE_ID = "midnight-menagerie"


def demo_scene() -> Scene:
    """The scene as it is shipped."""
    data = resources.files(__name__).joinpath("midnight-menagerie.json").read_bytes()
    return parse(Scene, parse_json(data, "midnight-menagerie.json"))


def load_demo(store: Store) -> None:
    """Put the demo scene into the store if it is not there; edits to it are kept."""
    try:
        store.scene(SCENE_ID)
    except Missing:
        store.create(demo_scene().model_dump_json(), "Load the demo", SCENE_ID)
