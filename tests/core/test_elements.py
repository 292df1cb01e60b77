"""Rows of elements against plain sorting."""

import unittest

import numpy as np

from gaudyseed.core.errors import BadInput
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Look
from gaudyseed.core.population import Attribute, of_points
from gaudyseed.core.reports import rows as elements
from gaudyseed.core.runtime.cache import ResultCache
from tests.support import FIVE, look, points, ramp

CACHE = ResultCache(1 << 20)


class Rows(unittest.TestCase):
    def setUp(self):
        rng = np.random.default_rng(4)
        base = points(500, weight=rng.integers(0, 9, 500) / 8, id=rng.permutation(500).astype(np.int64))
        part = Attribute("part", "text", rng.integers(0, 3, 500).astype(np.int32), labels=("wing", "horn", "leg"))
        tint = Attribute("tint", "colour", rng.integers(0, 256, (500, 3)).astype(np.uint8))
        self.population = of_points(500, {**base.elements.own, "part": part, "tint": tint})
        self.evaluation = Evaluator().evaluate(
            self.population, look({"step": "random", "seed": 1}, ramp([0, 0.5], FIVE[:2]))
        )

    def order(self, *arguments):
        return elements.order(self.evaluation, ResultCache(), *arguments)

    def test_sorted_by_every_kind(self):
        columns = self.population.elements.own
        weights = columns["weight"].values
        np.testing.assert_array_equal(self.order("weight"), np.argsort(weights, kind="stable"))
        np.testing.assert_array_equal(self.order("weight", True), np.argsort(-weights, kind="stable"))
        heights = columns["position"].values[:, 2]
        np.testing.assert_array_equal(self.order("position.z"), np.argsort(heights, kind="stable"))
        names = np.array(columns["part"].labels)[columns["part"].values]
        self.assertEqual(names[self.order("part")].tolist(), sorted(names.tolist()))
        np.testing.assert_array_equal(self.order(), np.arange(500))
        results = [elements.rows(self.evaluation, self.order("result")[[0, -1]], CACHE)[k][-1] for k in (0, 1)]
        self.assertEqual(results, FIVE[:2])

    def test_kept_by_a_formula(self):
        weights = self.population.elements.own["weight"].values
        found = self.order("weight", False, "weight > 0.5 and index % 2 == 0")
        self.assertEqual(set(found), set(np.flatnonzero((weights > 0.5) & (np.arange(500) % 2 == 0))))
        self.assertTrue((np.diff(weights[found]) >= 0).all())
        self.assertEqual(len(self.order("", False, "weight < 0")), 0)

    def test_signals_are_columns_and_can_be_kept_by(self):
        document = look({"step": "random", "seed": 1}, ramp([0, 0.5], FIVE[:2])).model_dump(mode="json")
        document["signals"] = [{"name": "double", "chain": [{"step": "formula", "text": "weight * 2"}]}]
        self.evaluation = Evaluator().evaluate(self.population, Look.model_validate(document))
        self.assertIn("double", [c.key for c in elements.columns_of(self.evaluation)])
        weights = self.population.elements.own["weight"].values
        np.testing.assert_array_equal(self.order("double"), np.argsort(weights, kind="stable"))
        self.assertEqual(set(self.order("", False, "double > 1")), set(np.flatnonzero(weights > 0.5)))

    def test_rows_show_what_elements_carry(self):
        columns = elements.columns_of(self.evaluation)
        shown = elements.rows(self.evaluation, np.array([3, 7]), CACHE)
        self.assertEqual({len(row) for row in shown}, {len(columns)})
        by_key = dict(zip([c.key for c in columns], shown[1], strict=True))
        self.assertEqual(by_key["id"], int(self.population.elements.own["id"].values[7]))
        self.assertEqual(by_key["tint"], "#{:02x}{:02x}{:02x}".format(*self.population.elements.own["tint"].values[7]))
        self.assertIn(by_key["part"], ("wing", "horn", "leg"))
        self.assertEqual(elements.rows(self.evaluation, np.empty(0, np.int64), CACHE), [])

    def test_what_cannot_be_done_is_told(self):
        for arguments, word in (
            (("colour",), "no column"),
            (("position.q",), "no column"),
            (("position",), "no column"),
            (("", False, "weight >"), "something is missing"),
            (("", False, "weigth > 1"), "Nearest: weight"),
            (("", False, "position"), "vector"),
            (("", False, "open('x')"), "no function"),
        ):
            with self.subTest(arguments=arguments), self.assertRaises(BadInput) as caught:
                self.order(*arguments)
            self.assertIn(word, str(caught.exception))
