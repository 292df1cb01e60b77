"""Whole numbers, ends, shares and orders that must come out exactly."""

from __future__ import annotations

import unittest
from unittest import mock

import numpy as np
from scipy.stats import rankdata

from gaudyseed.core.colour.documents import written as written_colour
from gaudyseed.core.colour.spaces import decode_srgb
from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Look
from gaudyseed.core.look.steps import formula
from gaudyseed.core.population import Attribute, Population, of_points
from gaudyseed.core.ramps.ramp import compile_ramp, edges_for_shares
from gaudyseed.core.reports.report import attribute_census
from gaudyseed.core.scene.dials import Dial
from gaudyseed.core.scene.model import Scene
from gaudyseed.core.scene.run import SceneRun
from gaudyseed.core.shown.preview import preview
from tests.support import FIVE, look, look_document, points, ramp

GREYS = ramp([0, 1], ["#000000", "#ffffff"], interpolation="straight")
BANDS = ramp([0, 0.2, 0.4, 0.6, 0.8], FIVE)
#: 1,500 whole numbers near 4.29e9, of which float32 can tell six apart.
FAR = np.arange(1500, dtype=np.int64) * 3 + 4_294_960_000


def numbers(population: Population, *steps: dict) -> np.ndarray:
    """What the last of these steps gives."""
    evaluation = Evaluator().evaluate(population, look(*steps, GREYS))
    return evaluation.layers[0].paint[len(steps) - 1].value.array


def read(name: str) -> dict:
    return {"step": "attribute", "name": name}


def written(text: str) -> dict:
    return {"step": "formula", "text": text}


class Moving(unittest.TestCase):
    """Colours between two keys are not rounded, whatever is made of them."""

    def test_a_colour_between_two_keys_is_exact_through_a_strong_grade(self):
        keys = [{"frame": 0, "value": "#050302", "to_next": "straight"}, {"frame": 24, "value": "#0a0c04"}]
        dial = {"name": "glow", "value": "#050302", "keys": keys}
        paint = [{"step": "constant", "value": {"dial": "glow"}}, {"step": "grade", "gain": 16}]
        dots = {"maker": "grid", "columns": 2, "rows": 1}
        entry = {"id": "p", "name": "P", "maker": dots, "look": look(*paint).model_dump(mode="json")}
        scene = parse(Scene, {"dials": [dial], "populations": [entry]})
        ends = [decode_srgb(np.array(levels) / 255) for levels in ([5, 3, 2], [10, 12, 4])]
        for frame in (1, 7, 11, 17):
            moment = scene.timeline.moment(float(frame))
            run = SceneRun(scene, Evaluator(), lambda request: request.make(None), moment=moment)
            t = frame / 24
            wanted = 16 * (ends[0] * (1 - t) + ends[1] * t)
            np.testing.assert_allclose(run.evaluation("p").colours[0], wanted, rtol=1e-5)

    def test_what_people_read_is_in_hexadecimal(self):
        between = parse(Dial, {"name": "a", "value": "#000000", "keys": [
            {"frame": 0, "value": "#000000"}, {"frame": 2, "value": "#ffffff"}]}).at(1)  # fmt: skip
        self.assertEqual(written_colour(between.value), "#bcbcbc")  # sRGB of half the light (IEC 61966-2-1)


class Placements(unittest.TestCase):
    def test_low_and_high_of_what_follows_in_a_placement(self):
        """A helping sentence, not the name of the key that was given."""
        for what in ({"dial": "far", "low": 0, "high": 3}, {"marker": "baton", "axis": "x", "low": 1}):
            with self.assertRaises(BadInput) as caught:
                parse(Look, look_document({"step": "falloff", "centre": [what, 0, 0], "size": [1, 1, 1]}))
            for word in ("low and high", "dial" if "dial" in what else "marker"):
                self.assertIn(word, caught.exception.sentence)
            self.assertNotIn("Nearest", caught.exception.sentence)


class Formulas(unittest.TestCase):
    def test_not_outside_conditions(self):
        values = np.linspace(0, 1, 9)
        population = points(9, t=values)
        for text, wanted in (
            ("not (t > 0.5)", values <= 0.5), ("not t", values == 0), ("not not t", values != 0),
            ("2 * (not t) + 1", 2 * (values == 0) + 1),
            ("not (t > 0.2 and t < 0.7)", ~((values > 0.2) & (values < 0.7))),
        ):  # fmt: skip
            np.testing.assert_array_equal(numbers(population, written(text)), np.float32(wanted), err_msg=text)

    def test_index_and_random_go_on_from_chunk_to_chunk(self):
        count = 5_000
        population = points(count)
        whole = numbers(population, written("random(7)"))
        with mock.patch.object(formula, "CHUNK", 640):
            np.testing.assert_array_equal(numbers(population, written("index")), np.arange(count))
            np.testing.assert_array_equal(numbers(population, written("random(7)")), whole)
            np.testing.assert_array_equal(numbers(population, written("index + index % 3")),
                                          np.arange(count) + np.arange(count) % 3)  # fmt: skip
        self.assertGreater(len(np.unique(whole)), count - 5)


class Ranges(unittest.TestCase):
    def test_the_greatest_value_becomes_exactly_one(self):
        rng = np.random.default_rng(3)
        own = {"step": "range", "own": True, "clamp": False}
        for k in range(200):
            values = (rng.normal(size=17) * 10.0 ** rng.integers(-6, 7) + rng.normal() * 100).astype(np.float32)
            if values.min() == values.max():
                continue
            found = numbers(points(17, v=values), read("v"), own)
            self.assertEqual((found[values.argmax()], found[values.argmin()]), (1.0, 0.0), k)

    def test_whole_numbers_come_back_whole(self):
        for count in range(2, 300):
            index = np.arange(count)
            population = points(count, k=index)
            onto = {"step": "range", "own": True, "to_low": 0, "to_high": count - 1}
            np.testing.assert_array_equal(numbers(population, read("k"), onto), index, err_msg=str(count))
            step = {"step": "quantise", "of": "index", "levels": count}
            bands = np.floor(numbers(population, read("k"), onto, step).astype(float) * count)
            np.testing.assert_array_equal(bands, index, err_msg=str(count))

    def test_ends_meet_ends_and_a_range_of_no_width_gives_the_first(self):
        population = points(3, v=np.array([-1e9, 0.0, 1e9]))
        step = {"step": "range", "from_low": -1e9, "from_high": 1e9, "to_low": 1e9, "to_high": 1e-9}
        np.testing.assert_array_equal(numbers(population, read("v"), step)[[0, 2]], np.float32([1e9, 1e-9]))
        flat = {"step": "range", "from_low": 0.3, "from_high": 0.3, "to_low": 0.25}
        np.testing.assert_array_equal(numbers(population, read("v"), flat), [0.25] * 3)


class FarNumbers(unittest.TestCase):
    """Whole numbers beyond 2^24, against NumPy and SciPy in 64 bits."""

    def setUp(self):
        self.population = points(1500, far=FAR, number=FAR.astype(np.float64), near=np.arange(1500))

    def test_steps_work_them_out_exactly(self):
        for name in ("far", "number"):
            even = numbers(self.population, read(name), {"step": "even_out"})
            np.testing.assert_allclose(even, (rankdata(FAR) - 0.5) / 1500, atol=1e-7)
            self.assertEqual(len(np.unique(even)), 1500)
            own = numbers(self.population, read(name), {"step": "range", "own": True, "to_high": 1499})
            np.testing.assert_array_equal(own, np.arange(1500))
            typed = {"step": "levels", "black_point": 0, "white_point": 1}
            offset = FAR - FAR[0]
            shifted = points(1500, far=offset + 20_000_001)
            typed = {"step": "levels", "black_point": 20_000_001, "white_point": 20_000_001 + int(offset[-1])}
            np.testing.assert_allclose(numbers(shifted, read("far"), typed), offset / offset[-1], atol=1e-7)
            seventh = {"step": "quantise", "of": "index", "levels": 7, "beyond": "repeat"}
            np.testing.assert_allclose(numbers(self.population, read(name), seventh), (FAR % 7 + 0.5) / 7, atol=1e-7)
            chains = [[{"step": "constant", "value": k}] for k in range(5)]
            fifth = {"step": "choose", "of": "index", "beyond": "repeat", "chains": chains}
            np.testing.assert_array_equal(numbers(self.population, read(name), fifth), FAR % 5)

    def test_held(self):
        held = np.quantile(FAR.astype(float), np.linspace(0, 1, 513)).tolist()
        even = numbers(self.population, read("far"), {"step": "even_out", "held": held})
        np.testing.assert_allclose(even, np.arange(1500) / 1499, atol=2e-6)

    def test_formulas(self):
        for text, wanted in (
            ("far % 7", FAR % 7), ("number % 11", FAR % 11), ("(far - 4294960000) / 3", np.arange(1500)),
            ("far > 4294960300", FAR > 4_294_960_300),
            ("where(far % 2 == 0, 1, near)", np.where(FAR % 2, np.arange(1500), 1)),
            ("near % 16777217", np.arange(1500)), ("(near + 16777217) % 16777217", np.arange(1500)),
        ):  # fmt: skip
            np.testing.assert_array_equal(numbers(self.population, written(text)), np.float32(wanted), err_msg=text)

    def test_what_would_lose_digits_is_refused_with_a_way_out(self):
        spread = {"step": "spread", "seed": 1}
        mix = {"step": "mix", "chain": [read("near")]}
        for steps in ((read("far"), spread), (read("far"), mix), (written("far"),), (written("far + near"),)):
            with self.subTest(steps=steps), self.assertRaises(BadInput) as caught:
                numbers(self.population, *steps)
            self.assertEqual(caught.exception.code, "digits_lost")
        signal = {"signals": [{"name": "s", "chain": [read("far")]}]}
        with self.assertRaises(BadInput) as caught:
            document = {**look({"step": "signal", "name": "s"}, GREYS).model_dump(mode="json"), **signal}
            Evaluator().evaluate(self.population, parse(Look, document))
        self.assertEqual(caught.exception.place, "signals[0].chain[0]")
        self.assertEqual(caught.exception.fix.operations[0]["path"], "/signals/0/chain/-")
        with self.assertRaises(BadInput):
            look({"step": "constant", "value": 123_456_789}, GREYS)

    def test_numbers_beyond_what_doubles_hold(self):
        huge = np.arange(50, dtype=np.int64) + 2**60
        population = points(50, huge=huge)
        np.testing.assert_allclose(
            numbers(population, read("huge"), {"step": "even_out"}), (np.arange(50) + 0.5) / 50, atol=1e-7
        )
        for steps in ((read("huge"), {"step": "range", "own": True}), (written("huge % 7"),)):
            with self.assertRaises(BadInput) as caught:
                numbers(population, *steps)
            self.assertEqual(caught.exception.code, "digits_lost")

    def test_they_are_shown_as_they_are(self):
        evaluation = Evaluator().evaluate(self.population, look(read("far"), {"step": "even_out"}, GREYS))
        shown = preview(evaluation, "attribute", "far", "greys")
        self.assertEqual(shown.ends, (float(FAR[0]), float(FAR[-1])))
        self.assertGreater(len(np.unique(shown.levels)), 200)
        census = attribute_census(self.population.elements.attribute("far"))
        self.assertEqual((census["low"], census["high"], sum(census["bins"])), (FAR[0], FAR[-1], 1500))
        self.assertLess(max(census["bins"]), 30)


def turned(base: Population, rows: np.ndarray) -> Population:
    """The same elements in another order."""
    table = {n: Attribute(a.name, a.kind, np.ascontiguousarray(a.values[rows])) for n, a in base.elements.own.items()}
    return of_points(base.count, table)


class Spreads(unittest.TestCase):
    def test_the_order_of_the_rows_does_not_matter_where_there_is_an_id(self):
        rng = np.random.default_rng(4)
        ids = rng.permutation(10_000)[:600] + 5_000_000_000
        base = points(600, id=ids, v=rng.random(600))
        spread = {"step": "spread", "bands": 4, "seed": 6}
        plain = numbers(base, read("v"), spread)
        self.assertGreater((plain != base.elements.own["v"].values.astype(np.float32)).sum(), 100)
        for turn in (np.arange(600)[::-1], rng.permutation(600)):
            table = {
                n: type(a)(a.name, a.kind, np.ascontiguousarray(a.values[turn])) for n, a in base.elements.own.items()
            }
            found = numbers(of_points(600, table), read("v"), spread)
            np.testing.assert_array_equal(found, plain[turn])

    def test_equal_ids_are_told_apart_by_place(self):
        base = points(300, id=np.arange(300) // 3, v=np.random.default_rng(1).random(300))
        spread = {"step": "spread", "bands": 4, "seed": 6}
        plain = numbers(base, read("v"), spread)
        turn = np.arange(300)[::-1]
        np.testing.assert_array_equal(numbers(turned(base, turn), read("v"), spread), plain[turn])


class Shares(unittest.TestCase):
    """Typed shares against counts of the values themselves."""

    def counts(self, values, edges):
        places = np.concatenate([[min(edges[0] / 2, 0.0)], edges])
        found = compile_ramp(places, ["#000000"] * len(places), "steps", "oklab").bands_of(values)
        return np.bincount(found, minlength=len(places))

    def test_every_typed_share_is_met_exactly(self):
        rng = np.random.default_rng(8)
        for k in range(400):
            count, bands = int(rng.integers(20, 4000)), int(rng.integers(2, 12))
            # Values as random gives them, whole parts of 2^24: the nearest neighbours that there can be.
            values = (rng.choice(2**24 - 2, count, replace=False) + 1).astype(np.float32) / np.float32(2**24)
            if k % 4 == 0:  # all in a small corner
                values = np.float32(0.5) + np.arange(count, dtype=np.float32) * np.float32(2**-23)
            wanted = rng.multinomial(count, rng.dirichlet(np.full(bands, 0.4)))
            edges = edges_for_shares(values, wanted / count)
            self.assertTrue((np.diff(edges) > 0).all() and edges[0] > 0 and edges[-1] <= 1)
            np.testing.assert_array_equal(self.counts(values, edges), wanted, err_msg=str(k))

    def test_a_share_of_nothing_leaves_nothing(self):
        values = (np.arange(1, 1000) / 1000).astype(np.float32)
        for shares in ([0, 0.5, 0.5], [0.5, 0, 0.5], [0.5, 0.5, 0], [0, 0, 1], [1, 0, 0], [0, 1, 0]):
            found = self.counts(values, edges_for_shares(values, np.array(shares)))
            np.testing.assert_array_equal(found[np.array(shares) == 0], 0, err_msg=str(shares))

    def test_what_the_ends_always_have_is_told(self):
        values = np.array([0, 0.2, 0.4, 0.8, 1], np.float32)
        for shares, word in (([0, 1], "0 or less"), ([1, 0], "1 or more")):
            with self.assertRaises(BadInput) as caught:
                edges_for_shares(values, np.array(shares, float))
            self.assertIn(word, caught.exception.sentence)
        np.testing.assert_array_equal(self.counts(values, edges_for_shares(values, np.array([0.2, 0.8]))), [1, 4])
