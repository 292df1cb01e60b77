"""What is removed while others read it: named beforehand, and the scene in which they work on."""

from __future__ import annotations

import unittest

import numpy as np

from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.removing import remove_population, remove_signal
from gaudyseed.core.scene.model import Scene
from gaudyseed.core.scene.run import SceneRun
from gaudyseed.demo import demo_scene, horse_scene
from tests.support import look_document

GREYS = {"step": "ramp", "stops": [{"at": 0, "colour": "#000000"}, {"at": 1, "colour": "#ffffff"}]}


def colours(scene: Scene, population: str) -> np.ndarray:
    """What the elements get."""
    return SceneRun(scene, Evaluator(), lambda request: request.make(None)).evaluation(population).colours


class Signals(unittest.TestCase):
    def scene(self, *paint: dict, layers: tuple[dict, ...] = (), **more) -> Scene:
        look = look_document(*paint)
        chain = [{"step": "random", "seed": 5}, {"step": "levels", "gamma": 2}]
        look["signals"] = [{"name": "wear", "chain": chain, "layers": list(layers)}, *more.get("signals", ())]
        maker = {"maker": "grid", "columns": 6, "rows": 5}
        entry = {"id": "a", "name": "Pads", "maker": maker, "look": look}
        return parse(Scene, {"gaudyseed": 3, "populations": [entry]})

    def test_its_chain_goes_where_it_was_read(self):
        reads = {"name": "twice", "chain": [{"step": "signal", "name": "wear"}, {"step": "range", "to_high": 0.5}]}
        scene = self.scene({"step": "signal", "name": "wear"}, GREYS, signals=[reads])
        found = remove_signal(scene, "a", "wear")
        self.assertEqual(found.readers, ["Base colour of Pads reads it.", "The signal 'twice' of Pads reads it."])
        assert found.instead is not None
        label, instead = found.instead
        self.assertEqual(label, "Put its chain in their place")
        self.assertEqual([s.name for s in instead.populations[0].look.signals], ["twice"])
        np.testing.assert_array_equal(colours(instead, "a"), colours(scene, "a"))
        with self.assertRaises(BadInput):
            colours(found.scene, "a")

    def test_what_nothing_reads_goes_at_once(self):
        found = remove_signal(self.scene({"step": "random", "seed": 1}, GREYS), "a", "wear")
        self.assertEqual((found.readers, found.instead), ([], None))
        self.assertEqual(found.scene.populations[0].look.signals, ())

    def test_a_number_that_follows_it_cannot_have_its_chain(self):
        follows = {"step": "levels", "gamma": {"signal": "wear", "low": 1, "high": 3}}
        found = remove_signal(self.scene({"step": "random", "seed": 1}, follows, GREYS), "a", "wear")
        self.assertEqual((found.readers, found.instead), (["Base colour of Pads reads it."], None))
        formula = {"step": "formula", "text": "wear * 2"}
        self.assertEqual(len(remove_signal(self.scene(formula, GREYS), "a", "wear").readers), 1)

    def test_one_of_the_scene_in_every_look(self):
        scene = self.scene({"step": "signal", "name": "dusk"}, GREYS).model_dump(mode="json")
        scene["signals"] = [{"name": "dusk", "chain": [{"step": "random", "seed": 9}]}]
        scene["populations"].append({**scene["populations"][0], "id": "b", "name": "More pads"})
        whole = parse(Scene, scene)
        found = remove_signal(whole, "a", "dusk", shared=True)
        self.assertEqual(found.readers, [f"Base colour of {name} reads it." for name in ("Pads", "More pads")])
        np.testing.assert_array_equal(colours(found.instead[1], "b"), colours(whole, "b"))  # type: ignore[index]
        for name, population in (("dusk", "c"), ("dawn", "a")):
            with self.assertRaises(BadInput):
                remove_signal(whole, population, name, shared=True)


class Populations(unittest.TestCase):
    def test_what_stands_on_it_can_stand_by_itself(self):
        scene = demo_scene()
        found = remove_population(scene, "beetle")
        self.assertEqual(found.readers, ["Beetle sequins stands on it."])
        assert found.instead is not None
        sequins = next(p for p in found.instead[1].populations if p.id == "beetle-sequins")
        self.assertEqual((sequins.maker.on, sequins.maker.surface), (None, "beetle"))  # type: ignore[attr-defined]
        self.assertEqual(len(colours(found.instead[1], "beetle-sequins")), sequins.maker.count)  # type: ignore[attr-defined]
        with self.assertRaises(BadInput):
            colours(found.scene, "beetle-sequins")
        alone = remove_population(scene, "mosaic-carp")
        self.assertEqual((alone.readers, alone.instead), ([], None))

    def test_beads_cannot_stand_without_strands(self):
        found = remove_population(horse_scene(), "mane")
        self.assertEqual((found.readers, found.instead), (["Mane beads stands on it."], None))

    def test_what_measures_to_it_measures_to_markers(self):
        maker = {"maker": "grid", "columns": 4, "rows": 4}
        near = look_document({"step": "nearness", "population": "a"}, GREYS)
        entries = [{"id": k, "name": k, "maker": maker, **more} for k, more in (("a", {}), ("b", {"look": near}))]
        found = remove_population(parse(Scene, {"gaudyseed": 3, "populations": entries}), "a")
        self.assertEqual(found.readers, ["b measures to it."])
        self.assertEqual(len(colours(found.instead[1], "b")), 16)  # type: ignore[index]
