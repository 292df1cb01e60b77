"""Attributes on a coarser level: read by the owner of each element, in every place that reads attributes."""

from __future__ import annotations

import unittest

import numpy as np

from gaudyseed.core.errors import BadInput
from gaudyseed.core.formats import csv_points
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Look
from gaudyseed.core.population import Attribute, Owners, Population, of_points
from gaudyseed.core.population.makers.scatter import ScatterMaker
from gaudyseed.core.reports import rows as elements
from gaudyseed.core.runtime.cache import ResultCache
from gaudyseed.core.shown.preview import preview
from tests.support import points

GREYS = {
    "step": "ramp",
    "mix_in": "linear_rgb",
    "stops": [{"at": 0, "colour": "#000000"}, {"at": 1, "colour": "#ffffff"}],
}
PER_PART = {"step": "random", "per": "part", "seed": 42}


def painted(*steps) -> Look:
    return Look.model_validate({"lanes": {"base_colour": {"layers": [{"paint": [*steps, GREYS]}]}}})


def beetle(**settings) -> Population:
    return ScatterMaker(maker="scatter", **{"count": 3000, "seed": 7, **settings}).make(None)  # type: ignore[arg-type]


def values_of(population: Population, *steps) -> np.ndarray:
    """What the first chain gives before its ramp."""
    return Evaluator().evaluate(population, painted(*steps)).layers[0].paint[-2].value.array


class Reading(unittest.TestCase):
    def setUp(self):
        self.population = beetle()
        self.above = self.population.elements.owners[0]

    def test_an_element_carries_what_its_part_has(self):
        area = values_of(self.population, {"step": "attribute", "name": "part_area"})
        wanted = self.above.attributes["part_area"].values[self.above.index]
        np.testing.assert_array_equal(area, wanted)
        height = values_of(self.population, {"step": "attribute", "name": "part_middle", "component": "z"})
        np.testing.assert_array_equal(height, self.above.attributes["part_middle"].values[self.above.index, 2])
        self.assertEqual(self.population.elements.level_of("part"), "part")

    def test_formulas_previews_and_the_table_read_it_too(self):
        share = values_of(self.population, {"step": "formula", "text": "part_area / 10"})
        np.testing.assert_allclose(share, self.population.elements.attribute("part_area").values / 10, rtol=1e-6)
        evaluation = Evaluator().evaluate(self.population, painted(PER_PART))
        greys = np.unique(preview(evaluation, "attribute", "part_area", "greys").levels, axis=0)
        self.assertEqual(len(greys), 5)  # the two wing cases have one area
        named = preview(evaluation, "attribute", "part", "greys").levels[:, 0]
        part = self.population.elements.attribute("part")
        order = sorted(range(6), key=lambda k: named[part.values == k][0])
        self.assertEqual([part.labels[k] for k in order], sorted(part.labels))
        kept = elements.order(evaluation, ResultCache(1 << 20), sort="part", keep="part_area > 3")
        at = [c.key for c in elements.columns_of(evaluation)].index("part")
        rows = elements.rows(evaluation, kept, ResultCache(1 << 20))
        self.assertEqual(list(dict.fromkeys(r[at] for r in rows)), ["left wing case", "right wing case", "shield"])

    def test_an_own_attribute_hides_that_of_the_owner(self):
        own = Attribute("part_area", "number", np.full(3000, 5, np.float32))
        population = of_points(3000, {**self.population.elements.own, "part_area": own}, (), (self.above,))
        self.assertEqual(set(values_of(population, {"step": "attribute", "name": "part_area"})), {5})
        self.assertEqual(population.elements.names.count("part_area"), 1)

    def test_an_unknown_level_is_told(self):
        with self.assertRaises(BadInput) as caught:
            values_of(points(5), PER_PART)
        self.assertIn("No attribute is called 'part'", caught.exception.sentence)
        lost = Owners("part", None, {"part": Attribute("part", "integer", np.arange(2))})
        with self.assertRaises(BadInput) as caught:
            values_of(of_points(5, points(5).elements.own, (), (lost,)), PER_PART)
        self.assertEqual(caught.exception.code, "wrong_level")

    def test_the_digest_knows_owners_and_what_they_have(self):
        other = of_points(3000, self.population.elements.own, (), (
            Owners("part", self.above.index[::-1].copy(), self.above.attributes),
        ))  # fmt: skip
        bare = of_points(3000, self.population.elements.own)
        self.assertEqual(len({self.population.digest, other.digest, bare.digest, beetle(seed=8).digest}), 4)
        self.assertEqual(self.population.digest, beetle().digest)


class PerPart(unittest.TestCase):
    def test_all_elements_of_a_part_get_one_value(self):
        population = beetle()
        values, part = values_of(population, PER_PART), population.elements.attribute("part").values
        found = [np.unique(values[part == k]) for k in range(6)]
        self.assertEqual([len(f) for f in found], [1] * 6)
        self.assertEqual(len(np.unique(found)), 6)

    def test_it_stays_when_elements_come_go_and_move(self):
        """By the part's name, so neither the count nor the order of elements or parts matters."""

        def by_name(population: Population) -> dict[str, float]:
            values, part = values_of(population, PER_PART), population.elements.attribute("part")
            return {part.labels[k]: float(values[part.values == k][0]) for k in np.unique(part.values)}

        once = by_name(beetle())
        self.assertEqual(once, by_name(beetle(count=9000)))
        self.assertEqual(once, by_name(beetle(seed=3, evenness=0)))
        above = beetle().elements.owners[0]
        names = above.attributes["part"]
        turned = Attribute("part", "text", names.values[::-1].copy(), names.labels, names.fields)
        shuffled = Owners("part", (5 - above.index).astype(np.int32), {"part": turned})
        self.assertEqual(once, by_name(of_points(3000, beetle().elements.own, (), (shuffled,))))

    def test_it_goes_home_and_comes_back(self):
        """CSV carries the part of each element, so a look per part gives the same colours to the points imported."""
        population = beetle()
        evaluation = Evaluator().evaluate(population, painted(PER_PART))
        back = csv_points.read(csv_points.write(population, None), "home.csv")[0].population
        again = Evaluator().evaluate(back, painted(PER_PART))
        np.testing.assert_array_equal(evaluation.colours, again.colours)

    def test_whole_numbers_tell_owners_apart_too(self):
        owner = np.array([1, 0, 1, 2], np.int32)
        rows = {"part": Attribute("part", "integer", np.array([10, 20, 30]))}
        population = of_points(4, points(4).elements.own, (), (Owners("part", owner, rows),))
        values = values_of(population, PER_PART)
        keyed = points(4, part=np.array([20, 10, 20, 30]))
        np.testing.assert_array_equal(values, values_of(keyed, PER_PART))
