"""What an answer depended on is named, through whatever chain: the page asks again by that list."""

from __future__ import annotations

import copy
import unittest
from typing import Any

from gaudyseed.core.documents.document import parse
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.scope import ALL
from gaudyseed.core.scene.model import Scene
from gaudyseed.core.scene.run import SceneRun
from tests.support import look_document, ramp

GREYS = ramp([0, 1], ["#000000", "#ffffff"], interpolation="straight")
CHANCE = {"step": "random", "seed": 1}


def near(population: str) -> dict[str, Any]:
    """What the nearest element of a population has as its colour."""
    return {"step": "nearness", "population": population, "result": "value"}


def dots(name: str, *chain: dict[str, Any], surface: str = "ball", **maker: Any) -> dict[str, Any]:
    """A scatter with a look."""
    made = {"maker": "scatter", "surface": surface, "count": 40, **maker}
    return {"id": name, "name": name.upper(), "maker": made, "look": look_document(*chain)}


class Depends(unittest.TestCase):
    def run_of(self, scene: dict[str, Any]) -> SceneRun:
        return SceneRun(parse(Scene, scene), Evaluator(), lambda request: request.make(None))

    def held(self, scene: dict[str, Any], wanted: tuple[str, ...]) -> None:
        """``a`` depends on these, and on nothing else: an edit of their looks alters it."""
        run = self.run_of(scene)
        before = run.evaluation("a").digest
        self.assertEqual(sorted(run.dependencies("a").populations), sorted(wanted))
        for k, population in enumerate(scene["populations"]):
            if population["id"] == "a":
                continue
            edited = copy.deepcopy(scene)
            layer = edited["populations"][k]["look"]["lanes"]["base_colour"]["layers"][0]
            layer["paint"] = [{"step": "random", "seed": 99}, GREYS]
            after = self.run_of(edited).evaluation("a").digest
            self.assertEqual(after != before, population["id"] in wanted, population["id"])

    def test_what_is_read_reads_another(self):
        populations = [dots("a", near("b")), dots("b", near("c")), dots("c", CHANCE, GREYS), dots("d", CHANCE, GREYS)]
        self.held({"populations": populations}, ("b", "c"))

    def test_through_a_signal_of_the_scene(self):
        signals = [{"name": "tint", "chain": [near("c")]}]
        populations = [
            dots("a", {"step": "signal", "name": "tint"}),
            dots("b", CHANCE, GREYS),
            dots("c", CHANCE, GREYS),
        ]
        self.held({"signals": signals, "populations": populations}, ("c",))

    def test_what_it_stands_on_reads_another(self):
        mesh = {
            "id": "b",
            "name": "B",
            "maker": {"maker": "mesh", "surface": "ball"},
            "look": look_document(near("c")),
        }
        populations = [dots("a", {"step": "ground"}, on="b"), mesh, dots("c", CHANCE, GREYS)]
        self.held({"populations": populations}, ("b", "c"))

    def test_markers_and_pictures(self):
        one = [{"step": "nearness", "markers": ["baton"], "within": 3.0}, GREYS]
        every = [{"step": "nearness", "within": 3.0}, GREYS]
        picture = [{"step": "picture", "picture": "moon"}]
        markers = [{"name": "baton", "position": [1, 0, 0]}, {"name": "lamp", "position": [0, 2, 0]}]
        scene = {"markers": markers, "populations": [dots("a", near("b")), dots("b", *one), dots("c", *every),
                                                      dots("d", *picture)]}  # fmt: skip
        run = self.run_of(scene)
        for name in "abcd":
            run.evaluation(name)
        self.assertEqual(run.dependencies("a").markers, ("baton",))
        self.assertIn(ALL, run.dependencies("c").markers)
        self.assertEqual(run.dependencies("d").assets, ("moon",))
        self.assertEqual(run.dependencies("d").markers, ())
