"""The demo scenes: Midnight Menagerie, a workshop that builds parade floats for a night carnival."""

from __future__ import annotations

from importlib import resources

from ..core.documents.document import parse, parse_json
from ..core.scene.model import Scene
from ..store import Missing, Store

SCENE_ID, ROUTE_ID, BENCH_ID, HORSE_ID = "midnight-menagerie", "parade-route", "workshop-bench", "hobby-horse"
FINALE_ID = "finale"
LESSON_ID = "three-remarks"


def demo_scene() -> Scene:
    """The scene that is shown first: three floats."""
    return _shipped(SCENE_ID)


def route_scene() -> Scene:
    """The walls along the parade's route: what noise, pictures, falloffs and a marker on keys do."""
    return _shipped(ROUTE_ID)


def bench_scene() -> Scene:
    """What lies on the workshop's bench: feathers of one picture, skittles, glass beads."""
    return _shipped(BENCH_ID)


def horse_scene() -> Scene:
    """The hobby-horse: a woollen mane, dyed along itself, with diamonds stencilled onto the crest it grows on."""
    return _shipped(HORSE_ID)


def finale_scene() -> Scene:
    """The finale: a carp that swims past and sheds sparks, a burst of confetti, and streamers that paint their ways."""
    return _shipped(FINALE_ID)


def lesson_scene() -> Scene:
    """A string of pennants with three mistakes in its look, to be mended by what the remarks say."""
    return _shipped(LESSON_ID)


def _shipped(scene: str) -> Scene:
    data = resources.files(__name__).joinpath(f"{scene}.json").read_bytes()
    return parse(Scene, parse_json(data, f"{scene}.json"))


def load_demo(store: Store) -> None:
    """Put the demo scenes into the store that are not there; edits to them are kept."""
    for scene in (SCENE_ID, ROUTE_ID, BENCH_ID, HORSE_ID, FINALE_ID, LESSON_ID):
        try:
            store.scene(scene)
        except Missing:
            store.create(_shipped(scene).model_dump_json(), "Load the demo", scene)
