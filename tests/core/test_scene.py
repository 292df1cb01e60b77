"""Scenes: shared looks and signals, dials of every sort, what is missing, and vectors of a width."""

from __future__ import annotations

import gc
import unittest
import weakref
from typing import Any

import numpy as np

from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.formats import FORMATS, read_points
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Look
from gaudyseed.core.look.rename import rename_dial, rename_look, rename_shared_signal
from gaudyseed.core.population import Attribute, Elements, Owners, of_points
from gaudyseed.core.population.makers.imported import store_columns
from gaudyseed.core.reports.report import Reporter
from gaudyseed.core.scene.dials import Dial
from gaudyseed.core.scene.model import Scene
from gaudyseed.core.scene.run import SceneRun
from tests.core.test_roundtrip import Memory
from tests.support import FIVE, look_document, points, ramp

RANDOM = {"step": "random", "seed": 1}
DUSK = ramp([0, 0.5, 1], FIVE[:3], interpolation="straight")
BALL = {"maker": "scatter", "surface": "ball", "count": 40}


def population(name: str, **more: Any) -> dict[str, Any]:
    return {"id": name.lower(), "name": name, "maker": BALL, **more}


def ran(document: dict[str, Any]) -> SceneRun:
    return SceneRun(parse(Scene, document), Evaluator(), lambda request: request.make(None))  # type: ignore[arg-type]


class SharedLooks(unittest.TestCase):
    DOCUMENT = {
        "populations": [population("One", wears="Dusk"), population("Two", wears="Dusk"), population("Three")],
        "looks": [{"name": "Dusk", "look": look_document(RANDOM, DUSK)}],
    }

    def test_what_is_edited_once_is_seen_in_all_that_wear_it(self):
        run = ran(self.DOCUMENT)
        np.testing.assert_array_equal(run.evaluation("one").colours, run.evaluation("two").colours)
        self.assertTrue((run.evaluation("three").colours == 1).all())
        other = {**self.DOCUMENT, "looks": [{"name": "Dusk", "look": look_document({**RANDOM, "seed": 5}, DUSK)}]}
        changed = ran(other)
        np.testing.assert_array_equal(changed.evaluation("one").colours, changed.evaluation("two").colours)
        self.assertFalse((changed.evaluation("one").colours == run.evaluation("one").colours).all())

    def test_results_are_given_back_without_the_collector(self):
        run = ran(self.DOCUMENT)
        evaluation = weakref.ref(run.evaluation("one"))
        gc.disable()
        self.addCleanup(gc.enable)
        del run
        self.assertIsNone(evaluation())

    def test_a_look_that_is_not_there_is_refused(self):
        with self.assertRaises(BadInput) as caught:
            parse(Scene, {"populations": [population("One", wears="dusk")], "looks": self.DOCUMENT["looks"]})
        self.assertIn("'Dusk' differs only in case", caught.exception.sentence)
        with self.assertRaises(BadInput):
            parse(Scene, {"looks": self.DOCUMENT["looks"] * 2})

    def test_it_is_renamed_for_all_that_wear_it(self):
        scene = rename_look(parse(Scene, self.DOCUMENT), "Dusk", "Late dusk")
        self.assertEqual([p.wears for p in scene.populations], ["Late dusk", "Late dusk", None])
        self.assertEqual(scene.looks[0].name, "Late dusk")
        with self.assertRaises(BadInput):
            rename_look(scene, "Dusk", "x")

    def test_a_dial_is_renamed_in_it(self):
        follow = {"step": "levels", "gamma": {"dial": "night", "low": 1, "high": 2}}
        text = {"step": "formula", "text": "night * 0.5"}
        document = {
            **self.DOCUMENT, "dials": [{"name": "night", "value": 0.5}],
            "looks": [{"name": "Dusk", "look": look_document(text, follow, DUSK)}],
        }  # fmt: skip
        carried = {name: ["position"] for name in ("one", "two", "three")}
        scene = rename_dial(parse(Scene, document), "night", "hour", carried)
        paint = scene.looks[0].look.lanes["base_colour"].layers[0].paint
        self.assertEqual((paint[0].text, paint[1].gamma.dial), ("hour * 0.5", "hour"))
        with self.assertRaises(BadInput):
            rename_dial(parse(Scene, document), "night", "size", {**carried, "two": ["size"]})


class SharedSignals(unittest.TestCase):
    def test_all_populations_read_them_and_an_own_one_goes_before(self):
        signal = {"name": "wear", "chain": [{"step": "constant", "value": 0.25}]}
        own = {"name": "wear", "chain": [{"step": "constant", "value": 0.75}]}
        reading = look_document({"step": "signal", "name": "wear"}, DUSK)
        run = ran(
            {
                "signals": [signal],
                "populations": [
                    population("One", look=reading), population("Two", look={**reading, "signals": [own]}),
                    population("Three"),
                ],
            }
        )  # fmt: skip
        self.assertEqual(set(run.evaluation("one").signals["wear"].value.array), {0.25})
        self.assertEqual(set(run.evaluation("two").signals["wear"].value.array), {0.75})
        self.assertEqual(run.evaluation("three").signals, {}, "one that nothing reads is not computed")
        self.assertEqual(run.evaluation("one").signals["wear"].place, "scene.signals[0]")
        step = run.written("one", "scene.signals[0].chain[0]")
        self.assertEqual(step.step, "constant")

    def test_they_are_renamed_where_they_are_read(self):
        signal = {"name": "wear", "chain": [RANDOM]}
        own = look_document({"step": "signal", "name": "wear"}, DUSK) | {"signals": [signal]}
        reading = look_document({"step": "formula", "text": "wear * 2"}, DUSK)
        document = {"signals": [signal], "populations": [population("One", look=reading), population("Two", look=own)]}
        scene = rename_shared_signal(parse(Scene, document), "wear", "age")
        texts = [p.look.lanes["base_colour"].layers[0].paint[0] for p in scene.populations]
        self.assertEqual((texts[0].text, texts[1].name, scene.signals[0].name), ("age * 2", "wear", "age"))
        hiding = {
            **document,
            "populations": [population("One", look={**reading, "signals": [{**signal, "name": "age"}]})],
        }
        with self.assertRaises(BadInput):
            rename_shared_signal(parse(Scene, hiding), "wear", "age")


class Dials(unittest.TestCase):
    def test_what_a_dial_may_be(self):
        for value, said in ((0.5, "a number"), (True, "on or off"), ("#aabbcc", "a colour")):
            self.assertEqual(parse(Dial, {"name": "d", "value": value}).said, said)
        chosen = parse(Dial, {"name": "d", "value": 1, "choices": ["day", "night"]})
        self.assertEqual((chosen.said, chosen.choice), ("a choice", "night"))
        for wrong in (2, -1, 0.5, "#aabbcc", True):
            with self.assertRaises(BadInput, msg=str(wrong)):
                parse(Dial, {"name": "d", "value": wrong, "choices": ["day", "night"]})

    def test_they_reach_what_is_one_for_a_population(self):
        document = {
            "dials": [
                {"name": "many", "value": 90}, {"name": "on", "value": 1, "choices": ["beetle", "ring"]},
                {"name": "form", "value": 1, "choices": ["ball", "tile"]}, {"name": "parade", "value": False},
                {"name": "tint", "value": "#ff0000"},
            ],
            "populations": [
                population(
                    "One", maker={**BALL, "surface": {"dial": "on"}, "count": {"dial": "many"}},
                    shape={"dial": "form"}, shown={"dial": "parade"},
                )
            ],
        }  # fmt: skip
        run = ran(document)
        self.assertEqual((run.presence("one").shape, run.presence("one").shown), ("tile", False))
        self.assertEqual(run.population("one").count, 90)
        again = ran({**document, "populations": [population("One", maker={**BALL, "surface": "ring", "count": 90})]})
        self.assertEqual(run.population("one").digest, again.population("one").digest)
        for wrong in ({"shown": {"dial": "tint"}}, {"shape": {"dial": "tint"}}, {"shape": {"dial": "gone"}}):
            with self.assertRaises(BadInput, msg=str(wrong)):
                ran({**document, "populations": [population("One", **wrong)]}).presence("one")
        wrong_count = {**BALL, "count": {"dial": "tint"}}
        with self.assertRaises(BadInput) as caught:
            ran({**document, "populations": [population("One", maker=wrong_count)]}).population("one")
        self.assertIn("It follows a dial: 'tint'", caught.exception.sentence)

    def test_on_and_off_counts_as_one_and_nothing_for_numbers(self):
        look = parse(Look, look_document({"step": "constant", "value": {"dial": "d"}}, DUSK))
        dials = [parse(Dial, {"name": "d", "value": True})]
        whole = Evaluator().evaluate(points(3), look, dials=dials)
        self.assertEqual(set(whole.layers[0].paint[0].value.array), {1.0})


class Missing(unittest.TestCase):
    TEXT = b"x,y,z,age,name\n0,0,0,5,a\n1,0,0,,b\n2,0,0,9,\n"

    def test_whole_numbers_stay_whole_where_some_are_missing(self):
        population = read_points(self.TEXT, "x.csv")
        age = population.elements.own["age"]
        self.assertEqual(
            (age.kind, age.values.tolist(), age.missing.tolist()), ("integer", [5, 0, 9], [False, True, False])
        )
        self.assertEqual(age.unreadable, 1)
        self.assertEqual(FORMATS["csv"].write(population, None).replace(b"\r\n", b"\n"), self.TEXT)

    def test_they_read_as_nothing_and_it_is_told(self):
        population = read_points(self.TEXT, "x.csv")
        look = parse(Look, look_document({"step": "attribute", "name": "age"}, {"step": "range", "own": True}, DUSK))
        evaluator = Evaluator()
        evaluation = evaluator.evaluate(population, look)
        self.assertEqual(evaluation.layers[0].paint[0].value.array.tolist(), [5, 0, 9])
        found = [a for a in Reporter(evaluator).advisories(evaluation) if a["code"] == "missing_values"]
        self.assertIn("1 element has no number in 'age'", found[0]["sentence"])

    def test_the_store_and_ply_keep_them(self):
        population = read_points(self.TEXT, "x.csv")
        maker, blobs = store_columns(population, "x.csv")
        again = maker.make(Memory(blobs))
        self.assertEqual(again.digest, population.digest)
        kept = read_points(FORMATS["ply"].write(population, None), "x.ply").elements.own["age"]
        np.testing.assert_array_equal(kept.values, [5, np.nan, 9])
        column = next(a for a in maker.attributes if a.name == "age")
        blobs[column.missing] = b"\x00\x02\x00"
        with self.assertRaises(BadInput):
            maker.make(Memory(blobs))

    def test_a_mask_is_part_of_the_content(self):
        plain = Attribute("n", "integer", np.arange(3))
        masked = Attribute("n", "integer", np.arange(3), missing=np.array([False, True, False]))
        self.assertNotEqual(plain.digest, masked.digest)
        self.assertEqual(masked.taken(np.array([1, 2])).missing.tolist(), [True, False])

    def test_ids_that_are_missing_tell_nobody_apart(self):
        population = read_points(b"x,y,z,id\n0,0,0,7\n1,0,0,\n2,0,0,\n", "x.csv")
        self.assertEqual(population.elements.keys[0].tolist(), [0, 1, 2])
        self.assertIn("Some elements have no id", " ".join(population.notes))


class Levels(unittest.TestCase):
    def test_an_owner_of_an_owner_is_found_along_both_indices(self):
        strand = Owners("strand", np.array([0, 0, 1, 2]), {"strand": Attribute("strand", "integer", np.arange(3))})
        tuft = Owners(
            "tuft", np.array([1, 0, 1]), {"tuft": Attribute("tuft", "text", np.array([0, 1]), ("a", "b"))}, "strand"
        )
        elements = Elements("point", 4, {}, (strand, tuft))
        self.assertEqual(elements.attribute("tuft").values.tolist(), [1, 1, 0, 1])
        self.assertEqual((elements.level_of("tuft"), strand.count, tuft.count), ("tuft", 3, 2))


class Widths(unittest.TestCase):
    """Vectors of another length are refused while a look is compiled, before any array is touched."""

    def refused(self, *steps: dict, population=None) -> BadInput:
        with self.assertRaises(BadInput) as caught:
            evaluation = Evaluator()
            evaluation.evaluate(population or points(4), parse(Look, look_document(*steps)))
        return caught.exception

    def test_a_part_that_is_not_there(self):
        two = {**RANDOM, "numbers": 2}
        error = self.refused(two, {"step": "component", "part": "z"}, DUSK)
        self.assertEqual((error.code, error.place), ("wrong_kind", "lanes.base_colour.layers[0].paint[1].part"))
        self.assertIn("has 2 components, so no 'z'", error.sentence)

    def test_vectors_that_are_joined(self):
        two, three = {**RANDOM, "numbers": 2}, {**RANDOM, "numbers": 3}
        end = [{"step": "component", "part": "x"}, DUSK]
        mixed = self.refused(two, {"step": "mix", "chain": [three]}, *end)
        self.assertIn("A vector of 2 comes, but the other chain gives a vector of 3", mixed.sentence)
        chosen = self.refused(RANDOM, {"step": "choose", "chains": [[two], [three]]}, *end)
        self.assertIn("a vector of 2, but chain 2 gives a vector of 3", chosen.sentence)

    def test_layers_over_a_signal(self):
        signal = {"name": "s", "chain": [{**RANDOM, "numbers": 2}], "layers": [{"paint": [{**RANDOM, "numbers": 3}]}]}
        with self.assertRaises(BadInput) as caught:
            Evaluator().evaluate(points(4), parse(Look, {"signals": [signal]}))
        self.assertIn("ends with a vector of 3, but a vector of 2 is wanted", caught.exception.sentence)

    def test_attributes_have_the_width_of_their_columns(self):
        table = {**points(3).elements.own, "uv": Attribute("uv", "vector", np.zeros((3, 2), np.float32))}
        chain = [{"step": "attribute", "name": "uv"}, {"step": "component", "part": "z"}, DUSK]
        self.assertIn("no 'z'", self.refused(*chain, population=of_points(3, table)).sentence)
