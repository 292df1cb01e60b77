"""Advisories about colour: each is given where it should be, each fix mends it, and a good look has none."""

from __future__ import annotations

import unittest

import numpy as np

from gaudyseed.core.document import parse
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Look
from gaudyseed.core.report import Reporter
from tests.core.test_looks import apply_patch
from tests.support import FIVE, look_document, points, ramp

RANDOM = {"step": "random", "seed": 1}
BANDS = ramp([0, 0.2, 0.5, 0.7, 0.9], FIVE)
LAYER = {"name": "Bands", "paint": [RANDOM, BANDS]}


def layers(*documents: dict) -> dict:
    return {"lanes": {"base_colour": {"layers": [{**LAYER, **d} for d in documents]}}}


class Case(unittest.TestCase):
    def setUp(self):
        rng = np.random.default_rng(7)
        self.population = points(4000, piled=rng.random(4000) ** 3, low=rng.random(4000) * 0.7, glow=rng.random(4000))

    def advised(self, document: dict) -> dict[str, dict]:
        evaluator = Evaluator()
        evaluation = evaluator.evaluate(self.population, parse(Look, document))
        return {a["code"]: a for a in Reporter(evaluator).advisories(evaluation)}

    def mended(self, document: dict, code: str, fix: int = 0) -> dict:
        """The advisory is there, its fix takes it away; returns the mended look."""
        found = self.advised(document)
        self.assertIn(code, found)
        whole = parse(Look, document).model_dump(mode="json")
        for operation in found[code]["fixes"][fix]["operations"]:
            apply_patch(whole, operation)
        self.assertNotIn(code, self.advised(whole), code)
        return whole


class Ramps(Case):
    def test_stops_that_stand_for_an_edge(self):
        near = ramp([0, 0.5, 0.503, 1], FIVE[:4], interpolation="straight")
        mended = self.mended(look_document(RANDOM, near), "stops_as_edge")
        self.assertTrue(mended["lanes"]["base_colour"]["layers"][0]["paint"][1]["stops"][1]["hold"])
        stepped = {**near, "interpolation": "steps"}
        self.assertNotIn("stops_as_edge", self.advised(look_document(RANDOM, stepped)))

    def test_a_stop_that_no_element_reaches(self):
        read = {"step": "attribute", "name": "low"}
        document = look_document(read, ramp([0, 0.2, 0.45, 0.72, 0.95], FIVE))
        mended = self.mended(document, "unreached_stop")
        self.assertEqual(len(mended["lanes"]["base_colour"]["layers"][0]["paint"][1]["stops"]), 3)

    def test_shares_that_the_widths_do_not_promise(self):
        read = {"step": "attribute", "name": "piled"}
        self.mended(look_document(read, BANDS), "shares_uneven")
        locked = {**BANDS, "stops": [{**s, "locked": k == 1} for k, s in enumerate(BANDS["stops"])]}
        self.assertNotIn("shares_uneven", self.advised(look_document(read, locked)))

    def test_few_values_that_reach_every_band_are_no_fault(self):
        five = {"step": "quantise", "levels": 5}
        even = ramp([0, 0.2, 0.4, 0.6, 0.8], FIVE)
        self.assertNotIn("ramp_underused", self.advised(look_document(RANDOM, five, even)))
        mixed = {**even, "interpolation": "straight"}
        self.assertNotIn("ramp_underused", self.advised(look_document(RANDOM, five, mixed)))
        two = {"step": "quantise", "levels": 2}
        self.assertIn("ramp_underused", self.advised(look_document(RANDOM, two, even)))


class Colours(Case):
    def test_drift_so_wide_that_the_ramp_is_lost(self):
        wide = {"step": "drift", "seed": 2, "hue": [-180, 180], "lightness": [-0.5, 0.5]}
        document = look_document(RANDOM, BANDS, wide)
        found = self.advised(document)
        self.assertIn("drift_too_wide", found)
        whole = parse(Look, document).model_dump(mode="json")
        for operation in found["drift_too_wide"]["fixes"][0]["operations"]:
            apply_patch(whole, operation)
        paint = whole["lanes"]["base_colour"]["layers"][0]["paint"]
        self.assertEqual((paint[2]["hue"], paint[2]["lightness"]), ([-90, 90], [-0.25, 0.25]))
        narrow = {**wide, "hue": [-10, 10], "lightness": [-0.05, 0.05]}
        self.assertNotIn("drift_too_wide", self.advised(look_document(RANDOM, BANDS, narrow)))

    def test_hue_turned_on_greys(self):
        grey = {"step": "constant", "value": "#777777"}
        self.mended(look_document(grey, {"step": "grade", "hue_turn": 30}), "hue_turn_of_greys")

    def test_large_bands_hard_to_tell_apart(self):
        alike = ramp([0, 0.5], ["#3c6e8f", "#3f7290"])
        mended = self.mended(look_document(RANDOM, alike), "bands_alike")
        self.assertNotEqual(mended["lanes"]["base_colour"]["layers"][0]["paint"][1]["stops"][0]["colour"], "#3c6e8f")
        # Told apart by all, but not without medium-wave cones.
        document = look_document(RANDOM, ramp([0, 0.5], ["#b8733a", "#8c8a2f"]))
        found = self.advised(document)
        self.assertIn("opia", found["bands_alike"]["sentence"])
        self.mended(document, "bands_alike")
        small = ramp([0, 0.95], ["#3c6e8f", "#3f7290"])
        self.assertNotIn("bands_alike", self.advised(look_document(RANDOM, small)))
        swatches = [{"colour": c} for c in ("#3c6e8f", "#3f7290")]
        self.mended(look_document(RANDOM, {"step": "palette", "swatches": swatches}), "bands_alike")

    def test_a_base_colour_brighter_than_one(self):
        bright = {**BANDS, "stops": [{**s, "intensity": 4} for s in BANDS["stops"]]}
        self.mended(look_document(RANDOM, bright), "result_outside")


class Layers(Case):
    def test_layers_that_are_not_seen(self):
        mended = self.mended(layers({}, {"name": "Faint", "amount": 0}), "layer_amount_zero")
        self.assertEqual(mended["lanes"]["base_colour"]["layers"][1]["amount"], 1)
        for fix in (0, 1):
            self.mended(layers({"name": "Under"}, {"name": "Over"}), "layer_hidden", fix)
        for over in ({"blend": "multiply"}, {"amount": 0.5}, {"mask": [RANDOM]}, {"enabled": False}):
            self.assertNotIn("layer_hidden", self.advised(layers({}, over)))

    def test_seeds_that_agree_by_chance_or_on_purpose(self):
        twice = layers({}, {"blend": "multiply"})
        self.mended(twice, "same_seed", 0)
        linked = self.mended(twice, "same_seed", 1)
        paint = linked["lanes"]["base_colour"]["layers"][1]["paint"]
        self.assertTrue(paint[0]["linked"])
        paint[0]["seed"] = 99
        found = self.advised(linked)
        self.assertIn("linked_alone", found)
        self.mended(linked, "linked_alone", 0)
        self.mended(linked, "linked_alone", 1)

    def test_a_good_look_is_left_in_peace(self):
        drift = {"step": "drift", "seed": 3, "hue": [-9, 9], "saturation": [-0.06, 0.06], "lightness": [-0.07, 0.07]}
        for kind in ("steps", "straight", "eased", "through", "soft"):
            self.assertEqual(self.advised(look_document(RANDOM, {**BANDS, "interpolation": kind}, drift)), {}, kind)
