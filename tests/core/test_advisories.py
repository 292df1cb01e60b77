"""Advisories about colour: each is given where it should be, each fix mends it, and a good look has none."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Look
from gaudyseed.core.population import Attribute, Field
from gaudyseed.core.population.makers.grid import GridMaker
from gaudyseed.core.reports.report import Reporter
from gaudyseed.core.scene.model import Scene
from gaudyseed.core.scene.run import SceneRun, signals_asked
from gaudyseed.demo import bench_scene, demo_scene, finale_scene, horse_scene, lesson_scene, route_scene
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

    def test_a_handful_of_elements_need_not_reach_a_whole_ramp(self):
        mixed = look_document({"step": "attribute", "name": "low"}, ramp([0, 1], FIVE[:2], interpolation="straight"))
        for count, told in ((5, False), (40, True)):
            self.population = points(count, low=np.linspace(0.1, 0.4, count))
            self.assertEqual("ramp_underused" in self.advised(mixed), told, count)

    def test_two_values_on_stops_of_a_mixed_ramp_are_no_fault(self):
        """A formula of two values before a mixed ramp: both lie on stops, so nothing is left unused by mistake."""
        two = {"step": "formula", "text": "floor(random(1) * 2) / 2"}
        mixed = ramp([0, 0.5, 1], FIVE[:3], interpolation="straight")
        self.assertNotIn("ramp_underused", self.advised(look_document(two, mixed)))
        between = {"step": "formula", "text": "floor(random(1) * 2) / 10 + 0.2"}
        self.assertIn("ramp_underused", self.advised(look_document(between, mixed)))


class Patterns(unittest.TestCase):
    """What the eye finds in elements that stand in rows, or are few."""

    def advised(self, population, *paint: dict) -> dict[str, dict]:
        evaluator = Evaluator()
        evaluation = evaluator.evaluate(population, parse(Look, look_document(*paint)))
        return {a["code"]: a for a in Reporter(evaluator).advisories(evaluation)}

    def grid(self, columns: int = 20, rows: int = 20):
        return GridMaker(maker="grid", columns=columns, rows=rows, layers=1).make(None)

    def test_elements_that_are_counted_off_in_a_row(self):
        for text in ("index % 3 / 3", "modulo(id, 4) / 4", "0.1 + index % 3 / 3"):
            found = self.advised(self.grid(), {"step": "formula", "text": text}, BANDS)
            self.assertIn("counted_off", found, text)
            (fix,) = found["counted_off"]["fixes"]
            whole = parse(Look, look_document({"step": "formula", "text": text}, BANDS)).model_dump(mode="json")
            for operation in fix["operations"]:
                apply_patch(whole, operation)
            mended = whole["lanes"]["base_colour"]["layers"][0]["paint"][0]
            self.assertIn("random(1)", mended["text"])
            self.assertNotIn("counted_off", self.advised(self.grid(), mended, BANDS))
            # Of as many values as before, by chance.
            values = Evaluator().evaluate(self.grid(), parse(Look, whole)).steps[0].value.array
            self.assertEqual(len(np.unique(values)), 3 if "3" in text else 4)
        scattered = points(400)
        for text, population in (
            ("index % 3 / 3", scattered),
            ("index / 400", self.grid()),
            ("index % 90", self.grid()),
        ):
            self.assertNotIn("counted_off", self.advised(population, {"step": "formula", "text": text}, BANDS), text)

    def test_equal_neighbours_where_a_palette_is_random(self):
        palette = {"step": "palette", "swatches": [{"colour": c} for c in FIVE[:3]]}
        found = self.advised(self.grid(10, 10), RANDOM, palette)
        self.assertIn("neighbours_alike", found)
        (fix,) = found["neighbours_alike"]["fixes"]
        whole = parse(Look, look_document(RANDOM, palette)).model_dump(mode="json")
        for operation in fix["operations"]:
            apply_patch(whole, operation)
        paint = whole["lanes"]["base_colour"]["layers"][0]["paint"]
        self.assertEqual([s["step"] for s in paint], ["random", "spread", "palette"])
        self.assertNotIn("neighbours_alike", self.advised(self.grid(10, 10), *paint))
        # Not where nobody sees them one by one, nor where it was put in order on purpose.
        self.assertNotIn("neighbours_alike", self.advised(self.grid(40, 40), RANDOM, palette))
        ordered = {"step": "attribute", "name": "position", "component": "x"}
        self.assertNotIn("neighbours_alike", self.advised(self.grid(10, 10), ordered, palette))


class Pictures(unittest.TestCase):
    """A picture read by uv: outside 0 to 1, on one texel, and as it should be."""

    def advised(self, uv: np.ndarray, **settings) -> dict[str, dict]:
        population = points(len(uv))
        laid = Attribute("uv", "vector", uv.astype(np.float32), fields=(Field("u", "<f4"), Field("v", "<f4")))
        population = replace(population, elements=population.elements.with_more({"uv": laid}))
        step = {"step": "picture", "on": "uv", "edge": "hold", **settings}
        evaluator = Evaluator()
        evaluation = evaluator.evaluate(population, parse(Look, look_document(step)))
        return {a["code"]: a for a in Reporter(evaluator).advisories(evaluation)}

    def test_where_the_uv_lie(self):
        uv = np.random.default_rng(2).random((400, 2))
        self.assertEqual(set(self.advised(uv)) & {"picture_outside", "picture_one_texel"}, set())
        outside = self.advised(uv + 3)
        self.assertIn("100 %", outside["picture_outside"]["sentence"])
        self.assertEqual(outside["picture_outside"]["fixes"][0]["operations"][0]["value"], "repeat")
        self.assertNotIn("picture_outside", self.advised(uv + 3, edge="repeat"))
        for one in (uv * 1e-5 + 0.5, np.full((400, 2), 0.25)):
            told = self.advised(one)
            self.assertIn("picture_one_texel", told)
            self.assertEqual(told["picture_one_texel"]["fixes"][0]["operations"][0]["value"], "plane")


class Faint(Case):
    def test_an_opacity_at_which_colours_are_hardly_seen(self):
        faint = {"step": "range", "to_low": 0, "to_high": 0.15}
        whole = look_document(RANDOM, BANDS)
        whole["lanes"]["opacity"] = {"layers": [{"paint": [RANDOM | {"seed": 5}, faint]}]}
        found = self.advised(whole)
        share = 100 * float(np.mean([0.5 / 255 < 0.15 * k / 4000 < 0.1 for k in range(4000)]))
        told = float(found["hardly_seen"]["sentence"].split()[0])
        self.assertAlmostEqual(told, share, delta=3)
        self.mended(whole, "hardly_seen")
        whole["lanes"]["opacity"]["layers"][0]["paint"][1]["to_high"] = 1
        self.assertNotIn("hardly_seen", self.advised(whole))
        # What is cut out is meant to be gone.
        whole["lanes"]["opacity"]["layers"][0]["paint"][1]["to_high"] = 0.15
        whole["lanes"]["opacity"]["threshold"] = 0.05
        self.assertNotIn("hardly_seen", self.advised(whole))


class Demo(unittest.TestCase):
    def said(self, scene: Scene) -> list[str]:
        """The codes of all remarks on a scene."""
        evaluator = Evaluator()
        run = SceneRun(scene, evaluator, lambda request: request.make(None))
        told = [Reporter(evaluator).advisories(run.evaluation(p.id)) for p in scene.populations]
        return [a["code"] for advisories in told for a in advisories]

    def test_the_demo_is_free_of_remarks_but_for_the_lesson(self):
        for make in (demo_scene, route_scene, bench_scene, horse_scene, finale_scene):
            self.assertEqual(self.said(make()), [], make().name)
        self.assertEqual(sorted(self.said(lesson_scene())), ["bands_alike", "shares_uneven", "unreached_stop"])

    def test_a_signal_that_another_population_reads_is_not_idle(self):
        scene = horse_scene().model_dump(mode="json")
        self.assertEqual(signals_asked(parse(Scene, scene)), {"stencil"})
        self.assertEqual(self.said(parse(Scene, scene)), [])
        horse = next(p for p in scene["populations"] if p["id"] == "carved-horse")
        alone = {**scene, "populations": [horse]}
        self.assertEqual(self.said(parse(Scene, alone)), ["unread_signal"])


class Palettes(Case):
    SEVEN = [{"colour": c} for c in ("#d5342c", "#ef7d1a", "#f4c430", "#3f9b48", "#2c7fb8", "#6b3fa0", "#f2efe6")]

    def test_numbers_beyond_1_pile_up_on_the_last_swatch(self):
        """As a ramp's: a number of 0 to 20 gives most of the elements one swatch."""
        wide = {"step": "formula", "text": "20 * piled"}
        palette = {"step": "palette", "name": "Seven", "swatches": self.SEVEN}
        self.mended(look_document(wide, palette), "palette_clipped")
        self.assertNotIn("palette_clipped", self.advised(look_document(RANDOM, palette)))

    def test_species_that_share_a_swatch_though_there_is_one_for_each(self):
        """Counted by hand: of three texts two fall into one of three parts."""
        codes = np.arange(4000, dtype=np.int32) % 3
        kind = Attribute("species", "text", codes, ("ant", "bee", "moth"), (Field("species", "<i4"),))
        elements = self.population.elements.with_more({"species": kind})
        self.population = replace(self.population, elements=elements)
        palette = {"step": "palette", "name": "Three", "swatches": self.SEVEN[:3]}

        def swatches(seed: int) -> int:
            document = look_document({"step": "random", "per": "species", "seed": seed}, palette)
            colours = Evaluator().evaluate(self.population, parse(Look, document)).colours
            return len(np.unique(colours, axis=0))

        shares = next(s for s in range(50) if swatches(s) < 3)
        apart = next(s for s in range(500) if swatches(s) == 3)
        mended = self.mended(
            look_document({"step": "random", "per": "species", "seed": shares}, palette), "keys_share_swatch"
        )
        read = mended["lanes"]["base_colour"]["layers"][0]["paint"][0]
        self.assertEqual((read["name"], read["component"]), ("species", "order"))
        fine = look_document({"step": "random", "per": "species", "seed": apart}, palette)
        self.assertNotIn("keys_share_swatch", self.advised(fine))

    def test_shares_are_typed_as_weights(self):
        """The wanted shares of uneven values, met to within an element."""
        palette = {"step": "palette", "swatches": self.SEVEN[:4]}
        document = look_document({"step": "attribute", "name": "piled"}, palette)
        evaluator = Evaluator()
        evaluation = evaluator.evaluate(self.population, parse(Look, document))
        result = evaluation.step_at("lanes.base_colour.layers[0].paint[1]")
        assert result is not None
        outcome = Reporter(evaluator).outcome(evaluation, result)
        typed = result.compiled.step.edited("set_shares", outcome, result.compiled.step, [0.1, 0.2, 0.3, 0.4])
        document["lanes"]["base_colour"]["layers"][0]["paint"][1] = typed.model_dump(mode="json")
        bands = evaluator.evaluate(self.population, parse(Look, document)).steps[1].value.bands
        np.testing.assert_allclose(np.bincount(bands) / 4000, [0.1, 0.2, 0.3, 0.4], atol=1 / 4000)
        with self.assertRaises(BadInput):
            result.compiled.step.edited("set_shares", outcome, result.compiled.step, [0.5, 0.5])


class Left(Case):
    def test_a_remark_that_is_left_is_told_no_more(self):
        entry = {"id": "a", "name": "A", "maker": {"maker": "grid"}, "muted": [{"code": "same_seed", "place": "x[0]"}]}
        population = parse(Scene, {"gaudyseed": 3, "populations": [entry]}).populations[0]
        self.assertTrue(population.mutes({"code": "same_seed", "place": "x[0]"}))
        self.assertFalse(population.mutes({"code": "same_seed", "place": "x[1]"}))
        self.assertFalse(population.mutes({"code": "other", "place": "x[0]"}))


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
