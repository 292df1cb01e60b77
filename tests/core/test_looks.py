"""Documents, kinds, evaluation, cache, layers, advisories."""

import gc
import json
import unittest
from unittest import mock

import numpy as np

from gaudyseed.core.colour.spaces import parse_hex
from gaudyseed.core.documents.document import parse, parse_json
from gaudyseed.core.errors import BadInput
from gaudyseed.core.kernels import parallel
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.first import look_of_maker
from gaudyseed.core.look.model import Look
from gaudyseed.core.look.steps.ramp import Ramp
from gaudyseed.core.population import Attribute, Owners, of_points
from gaudyseed.core.population.makers import MAKERS, MakerContext, MakeRequest, MakerModel
from gaudyseed.core.reports.report import Reporter
from gaudyseed.core.runtime import buffers
from gaudyseed.core.runtime import cache as cache_module
from gaudyseed.core.runtime.cache import ResultCache
from gaudyseed.core.runtime.task import Stopped, Task
from gaudyseed.core.scene.timeline import Moment
from gaudyseed.web.services import Services
from tests.support import FIVE, edit_ramp, look, look_document, points, ramp

BANDS = ramp([0, 0.2, 0.5, 0.7, 0.9], FIVE)
RANDOM = {"step": "random", "seed": 4}


class BadLooks(unittest.TestCase):
    """Each gets a sentence that names the place."""

    def refused(self, document, *words):
        with self.assertRaises(BadInput) as caught:
            parse(Look, parse_json(json.dumps(document), "look"))
        for word in words:
            self.assertIn(word, str(caught.exception))

    def test_documents(self):
        stops = [{"at": 0.5, "colour": "#000000"}, {"at": 0.2, "colour": "#ffffff"}]
        same = [{"at": 0.5, "colour": "#000000"}, {"at": 0.5, "colour": "#ffffff"}]
        many = [{"at": k / 10_000, "colour": "#000000"} for k in range(10_000)]
        place = "lanes.base_colour.layers[0].paint[0]"
        cases = [
            ({"gaudyseed": 3, "lane": {}}, "lane", "Nearest: lanes"),
            ({"gaudyseed": 4}, "newer Gaudy Seed", "format 4"),
            (look_document({"step": "ramp", "stops": stops}), f"{place}.stops", "stands before"),
            (look_document({"step": "ramp", "stops": same}), f"{place}.stops", "both stand at 0.5"),
            (look_document({"step": "ramp", "stops": many}), f"{place}.stops", "256"),
            (look_document({"step": "ramp", "stops": []}), f"{place}.stops"),
            (look_document(ramp([-0.1, 0.5], FIVE[:2])), f"{place}.stops[0].at", "-0.1"),
            (look_document(ramp([0.1, 1.5], FIVE[:2])), f"{place}.stops[1].at", "1.5"),
            (look_document(ramp([0.1], ["red"])), f"{place}.stops[0].colour", "six hexadecimal"),
            (look_document({"step": "rampp"}), "rampp", "There are"),
            (look_document({"seed": 3}), place, "step"),
            (look_document({"step": "random", "seed": -1}), f"{place}.seed", "-1"),
            (look_document({"step": "random", "seed": 1, "sed": 2}), f"{place}.sed", "Nearest: seed"),
            (look_document({"step": "drift", "seed": 1, "chance": "often"}), f"{place}.chance"),
            (look_document({"step": "constant", "value": "#12"}), f"{place}.value", "not a colour"),
            (look_document(RANDOM, amount=2), "layers[0].amount", "2"),
            (look_document(), "paint"),
            ([], ""),
            ("text", ""),
        ]
        for document, *words in cases:
            with self.subTest(document=str(document)[:80]):
                self.refused(document, *words)

    def test_json(self):
        deep = '{"a":' * 200_000 + "1" + "}" * 200_000
        for text, word in (
            ("", "Not JSON"), ("{", "line 1"), ('{"a": NaN}', "NaN"), ('{"a": 1, "a": 2}', "twice"), (deep, "Nested"),
            ("[" * 60 + "]" * 60, "Nested"), ('{"a": ' + "9" * 5000 + "}", ""), (b"\xff\xfe\x00", "UTF-8"),
        ):  # fmt: skip
            with self.subTest(text=text[:20]), self.assertRaises(BadInput) as caught:
                parse_json(text, "look")
            self.assertIn(word, str(caught.exception))

    def test_kinds(self):
        population = points(10, weight=np.arange(10.0))
        place = "lanes.base_colour.layers[0]"
        cases = [
            ((BANDS,), f"{place}.paint[0]", "nothing comes before"),
            ((RANDOM,), f"{place}.paint", "a number", "ramp"),
            ((RANDOM, {"step": "clamp"}), f"{place}.paint[1]", "wants a colour", "ramp"),
            ((RANDOM, BANDS, {"step": "even_out"}), f"{place}.paint[2]", "a colour comes"),
            ((RANDOM, RANDOM, BANDS), f"{place}.paint[1]", "only begin"),
            (({"step": "attribute", "name": "position"}, BANDS), f"{place}.paint[1]", "component"),
            (({"step": "attribute", "name": "Wieght"}, BANDS), f"{place}.paint[0].name", "Nearest: weight"),
            (({"step": "attribute", "name": "weight", "component": "x"}, BANDS), "component"),
            (({"step": "random", "seed": 1, "per": "weight"}, BANDS), "whole numbers or texts"),
            (({**RANDOM, "enabled": False}, BANDS), "nothing comes before"),
            (({**RANDOM, "enabled": False},), "Every step"),
        ]
        for steps, *words in cases:
            with self.subTest(steps=str(steps)[:90]), self.assertRaises(BadInput) as caught:
                Evaluator().evaluate(population, look(*steps))
            for word in words:
                self.assertIn(word, str(caught.exception))

    def test_kinds_are_mended_by_the_step_that_converts(self):
        population = points(10)
        drift = {"step": "drift", "seed": 1, "hue": [-5, 5]}
        for steps in (
            (RANDOM,), (RANDOM, drift), ({"step": "attribute", "name": "position"}, BANDS),
            (RANDOM, BANDS, {"step": "even_out"}, BANDS), (RANDOM, BANDS, {"step": "component"}, drift),
        ):  # fmt: skip
            with self.subTest(steps=str(steps)[:90]):
                document = look_document(*steps)
                with self.assertRaises(BadInput) as caught:
                    Evaluator().evaluate(population, parse(Look, document))
                for operation in caught.exception.fix.operations:
                    apply_patch(document, operation)
                self.assertEqual(len(document["lanes"]["base_colour"]["layers"][0]["paint"]), len(steps) + 1)
                Evaluator().evaluate(population, parse(Look, document))

    def test_levels(self):
        base = points(4)
        above = Owners("part", None, {"wear": Attribute("wear", "number", np.zeros(2, np.float32))})
        population = of_points(4, base.elements.own, (), (above,))
        with self.assertRaises(BadInput) as caught:
            Evaluator().evaluate(population, look({"step": "attribute", "name": "wear"}, BANDS))
        self.assertIn("lives on another level, each part", caught.exception.sentence)
        self.assertEqual(caught.exception.code, "wrong_level")


class Evaluation(unittest.TestCase):
    def test_an_edit_recomputes_only_what_follows(self):
        population, evaluator = points(1000), Evaluator()
        drift = {"step": "drift", "seed": 1, "hue": [-10, 10]}
        steps = [RANDOM, {"step": "range"}, BANDS, drift]
        place = "lanes.base_colour.layers[0].paint"
        self.assertEqual(len(evaluator.evaluate(population, look(*steps)).computed), 4)
        steps[2] = ramp([0, 0.3, 0.5, 0.7, 0.9], FIVE)
        second = evaluator.evaluate(population, look(*steps))
        self.assertEqual(second.computed, [f"{place}[2]", f"{place}[3]"])
        self.assertEqual(second.reused, 2)
        steps[3] = {**drift, "hue": [-11, 11]}
        self.assertEqual(evaluator.evaluate(population, look(*steps)).computed, [f"{place}[3]"])
        self.assertEqual(evaluator.evaluate(population, look(*steps)).computed, [])

    def test_the_same_bytes_for_any_chunking(self):
        population = points(10_007, weight=np.linspace(-1, 2, 10_007))
        drift = {
            "step": "drift",
            "seed": 1,
            "hue": [-20, 20],
            "saturation": [-0.1, 0.1],
            "lightness": [-0.1, 0.1],
            "chance": 0.5,
        }
        chains = [
            look(RANDOM, ramp([0, 0.3, 0.9], FIVE[:3], interpolation="straight"), drift),
            look({"step": "attribute", "name": "weight"}, {"step": "even_out"}, BANDS, drift, blend="multiply"),
        ]
        results = []
        for chunk in (32_768, 1_000, 17):
            with mock.patch.object(parallel, "CHUNK", chunk):
                results.append([Evaluator().evaluate(population, c).colours.tobytes() for c in chains])
        self.assertEqual(results[0], results[1])
        self.assertEqual(results[0], results[2])

    def test_colours_follow_the_id_through_reordering_and_removal(self):
        ids = np.random.default_rng(1).permutation(500).astype(np.int64)
        whole = points(500, id=ids)
        chain = look(RANDOM, BANDS, {"step": "drift", "seed": 2, "hue": [-30, 30]})
        colours = dict(zip(ids.tolist(), Evaluator().evaluate(whole, chain).colours.tolist(), strict=True))
        some = ids[::-3].copy()
        for key, colour in zip(
            some.tolist(), Evaluator().evaluate(points(len(some), id=some), chain).colours.tolist(), strict=True
        ):
            self.assertEqual(colours[key], colour)

    def test_random_per_text_agrees_among_equals(self):
        labels, codes = ("wing", "horn", "leg"), np.arange(300, dtype=np.int32) % 3
        base = points(300)
        table = {**base.elements.own, "part": Attribute("part", "text", codes, labels=labels)}
        named = of_points(300, table)
        colours = (
            Evaluator()
            .evaluate(named, look({**RANDOM, "per": "part"}, ramp([0, 1], FIVE[:2], interpolation="straight")))
            .colours
        )
        self.assertEqual(len(np.unique(colours, axis=0)), 3)
        # The number belongs to the word, not to its place among the words.
        other = Attribute("part", "text", codes.copy(), labels=("leg", "wing", "horn"))
        again = of_points(300, {**base.elements.own, "part": other})
        swapped = (
            Evaluator()
            .evaluate(again, look({**RANDOM, "per": "part"}, ramp([0, 1], FIVE[:2], interpolation="straight")))
            .colours
        )
        np.testing.assert_array_equal(swapped[1], colours[0])

    def test_layers_and_masks(self):
        """Normal and multiply of W3C Compositing and Blending Level 1, mixed in by amount and mask."""
        population = points(4, weight=np.array([0, 0.25, 0.5, 2.0]))
        top = {"name": "top", "paint": [{"step": "constant", "value": "#804020"}]}
        base = {"name": "base", "paint": [{"step": "constant", "value": "#c0ffee"}]}
        b, t = parse_hex("#c0ffee"), parse_hex("#804020")
        mask = [{"step": "attribute", "name": "weight"}]
        weights = np.array([0, 0.25, 0.5, 1.0])[:, None]
        cases = [
            ({"amount": 0.3}, b + (t - b) * 0.3),
            ({"blend": "multiply"}, b * t),
            ({"blend": "multiply", "amount": 0.5}, b + (b * t - b) * 0.5),
            ({"mask": mask}, b + (t - b) * weights),
            ({"mask": mask, "blend": "multiply", "amount": 0.5}, b + (b * t - b) * weights * 0.5),
        ]
        for extra, wanted in cases:
            document = {"gaudyseed": 3, "lanes": {"base_colour": {"layers": [base, {**top, **extra}]}}}
            found = Evaluator().evaluate(population, parse(Look, document)).colours
            np.testing.assert_allclose(found, np.broadcast_to(wanted, (4, 3)), atol=1e-6)
        off = {"gaudyseed": 3, "lanes": {"base_colour": {"enabled": False, "layers": [base]}}}
        np.testing.assert_array_equal(Evaluator().evaluate(population, parse(Look, off)).colours, 1.0)

    def test_extreme_values_stay_finite(self):
        wild = np.array([np.nan, np.inf, -np.inf, 1e300, -1e300, 0, 1e-320])
        population = points(7, wild=wild)
        for own in (True, False):
            shape = {"step": "range", "own": own, "from_low": 0, "from_high": 1e-9, "to_high": 1e9, "clamp": False}
            for kind in ("steps", "straight"):
                chain = look({"step": "attribute", "name": "wild"}, shape, {**BANDS, "interpolation": kind})
                evaluation = Evaluator().evaluate(population, chain)
                self.assertTrue(np.isfinite(evaluation.colours).all())
                report = Reporter(Evaluator())
                json.dumps([report.steps(evaluation), report.groups(evaluation).counts], allow_nan=False)

    def test_an_overtaken_evaluation_stops(self):
        calls = 0

        def stops() -> bool:
            nonlocal calls
            calls += 1
            return calls > 3

        with self.assertRaises(Stopped):
            Evaluator().evaluate(points(200_000), look(RANDOM, BANDS), Task(stops))
        self.assertLess(calls, 12)

    def test_the_cache_keeps_its_limit(self):
        cache = ResultCache(1000)
        for k in range(50):
            cache.put(str(k), k, 100)
        self.assertLessEqual(cache.size, 1000)
        self.assertIsNone(cache.get("0"))
        self.assertEqual(cache.get("49"), 49)
        cache.put("huge", 1, 900)
        self.assertIsNone(cache.get("huge"))

    def test_one_budget_for_all_caches_and_idle_buffers(self):
        self.addCleanup(cache_module.set_budget, cache_module.budget())
        cache_module.set_budget(cache_module.LEAST)
        megabyte = 1 << 20
        populations, results = ResultCache(lasting=True), ResultCache()
        populations.put("mesh", "made", 180 * megabyte)
        for k in range(40):
            results.put(f"step {k}", k, 20 * megabyte)
            # It is used at every edit, so it outlasts what is made of it.
            self.assertEqual(populations.get("mesh"), "made")
        self.assertLessEqual(cache_module.altogether(), cache_module.LEAST)
        self.assertEqual(results.get("step 39"), 39)
        self.assertIsNone(results.get("step 30"))
        # A buffer that lies idle gives way before anything that may be wanted again.
        del populations, results
        gc.collect()
        kept = ResultCache()
        array = buffers.empty(30 * megabyte // 4)
        del array
        self.assertGreaterEqual(buffers.idle(), 30 * megabyte)
        before = cache_module.altogether()
        kept.put("much", 1, cache_module.LEAST - before + 20 * megabyte)
        self.assertEqual(kept.get("much"), 1)
        self.assertLess(buffers.idle(), 30 * megabyte)

    def test_what_was_not_used_lately_goes_though_it_lasts(self):
        self.addCleanup(cache_module.set_budget, cache_module.budget())
        cache_module.set_budget(cache_module.LEAST)
        populations, results = ResultCache(lasting=True), ResultCache()
        populations.put("old", 1, 100 << 20)
        for _ in range(cache_module._LATELY + 10):
            results.get("nothing")
            results.put("small", 1, 1)
        results.put("large", 2, 200 << 20)
        self.assertIsNone(populations.get("old"))
        self.assertEqual(results.get("large"), 2)

    def test_an_edit_of_a_large_population_does_not_make_it_anew(self):
        """One that takes two thirds of the budget, each edit a third: a counter says how often it was made."""
        self.addCleanup(cache_module.set_budget, cache_module.budget())
        shared, made = Services(mock.Mock()), []

        class Large(MakerModel):
            def make(self, columns, context=None):
                made.append(1)
                return points(400_000)

        Large.model_rebuild(force=True)
        size = 2 * points(400_000).nbytes
        with mock.patch.object(cache_module, "LEAST", 1), mock.patch.object(cache_module, "_STEP", 1):
            cache_module.set_budget(size * 3 // 2)
            for k in range(30):
                population = shared.population(MakeRequest(Large()))
                shared.evaluator.evaluate(population, look(RANDOM, {"step": "levels", "gamma": 1 + 0.01 * k}, BANDS))
                self.assertLessEqual(cache_module.altogether(), size * 3 // 2)
        self.assertEqual(len(made), 1)


class First(unittest.TestCase):
    def test_what_a_maker_makes_at_first_has_a_look_that_runs(self):
        """Each that is offered and needs nothing else in the scene; the same to the page, which asks for it."""
        for word, maker in MAKERS.items():
            if not maker.offered or word in ("threaded", "trails"):
                continue
            at = MakerContext(moment=Moment(24.0, 1.0))  # what moves is seen a second later
            made = maker(maker=word, **{**maker.begins, **({"count": 50} if maker.counted else {})}).make(None, at)
            colours = Evaluator().evaluate(made, look_of_maker(maker)).colours
            self.assertGreater(len(np.unique(colours.round(3), axis=0)), 1, word)
        along = [step.step for step in look_of_maker(MAKERS["strands"]).lanes["base_colour"].layers[0].paint]
        self.assertEqual(along, ["along", "ramp"])


class Reports(unittest.TestCase):
    def advised(self, population, chain):
        evaluator = Evaluator()
        evaluation = evaluator.evaluate(population, chain)
        return {a["code"]: a for a in Reporter(evaluator).advisories(evaluation)}

    def test_advisories_and_their_fixes(self):
        population = points(4000, piled=np.random.default_rng(1).random(4000) ** 6 * 0.4)
        drift = {"step": "drift", "seed": 1, "hue": [-10, 10]}
        grey = {"step": "constant", "value": "#888888"}
        cases = [
            ("drift_chance_zero", (RANDOM, BANDS, {**drift, "chance": 0})),
            ("drift_ranges_zero", (RANDOM, BANDS, {**drift, "hue": [0, 0]})),
            ("drift_without_saturation", (grey, drift)),
            ("ramp_underused", ({"step": "attribute", "name": "piled"}, BANDS)),
        ]
        for code, steps in cases:
            chain = look(*steps)
            found = self.advised(population, chain)
            self.assertEqual(set(found), {code})
            document = chain.model_dump(mode="json")
            for operation in found[code]["fixes"][0]["operations"]:
                apply_patch(document, operation)
            self.assertNotIn(code, self.advised(population, parse(Look, document)))
        self.assertEqual(self.advised(population, look(RANDOM, BANDS, drift)), {})

    def test_the_step_that_decides_the_shares_is_named_where_it_stands_now(self):
        """The same layer at another place, after one that was below it is gone: the same colours, another path."""
        evaluator, population = Evaluator(), points(400)
        reporter = Reporter(evaluator)
        top = {"name": "Top", "paint": [RANDOM, BANDS]}
        below = {"name": "Below", "paint": [RANDOM, ramp([0, 0.5], FIVE[:2])]}
        for layers in ([below, top], [top], [below, below, top], [top, {**below, "amount": 0.5}]):
            document = {"lanes": {"base_colour": {"layers": layers}}}
            evaluation = evaluator.evaluate(population, parse(Look, document))
            place = f"lanes.base_colour.layers[{layers.index(top)}].paint[1]"
            self.assertEqual(reporter.groups(evaluation).place, place)
            reporter.advisories(evaluation)

    def test_missing_values_are_counted(self):
        found = self.advised(
            points(4, v=np.array([0.1, np.nan, np.inf, 0.9])), look({"step": "attribute", "name": "v"}, BANDS)
        )
        self.assertIn("2 elements", found["missing_values"]["sentence"])
        found = self.advised(
            points(4, v=np.array([0.1, np.nan, np.inf, 0.9])), look({"step": "formula", "text": "v / 2"}, BANDS)
        )
        self.assertIn("2 elements", found["missing_values"]["sentence"])

    def test_how_much_of_the_range_even_values_reach(self):
        """Few values leave most of it out, however even they are."""
        for values, wanted in ((np.arange(3000) / 3000, 1.0), (np.arange(3000) % 3 / 3, 3 / 64), (np.zeros(9), 1 / 64)):
            evaluator = Evaluator()
            chain = look({"step": "attribute", "name": "v"}, {"step": "even_out"}, BANDS)
            census = Reporter(evaluator).steps(evaluator.evaluate(points(len(values), v=values), chain))
            self.assertAlmostEqual(census["lanes.base_colour.layers[0].paint[1]"]["reached"], wanted)

    def test_census_counts_everything(self):
        population = points(5000)
        evaluator = Evaluator()
        evaluation = evaluator.evaluate(
            population, look(RANDOM, {"step": "range", "to_high": 2, "clamp": False}, BANDS)
        )
        reporter = Reporter(evaluator)
        for census in reporter.steps(evaluation).values():
            if "numbers" in census:
                n = census["numbers"]
                self.assertEqual(sum(n["bins"]) + n["below"] + n["above"], 5000)
            if "ramp" in census:
                self.assertEqual(sum(census["ramp"]["counts"]), 5000)
        groups = reporter.groups(evaluation)
        self.assertEqual(sum(groups.counts), 5000)
        np.testing.assert_array_equal(np.bincount(groups.of, minlength=5), groups.counts)

    def test_continuous_ramps_count_by_the_nearest_stop(self):
        """Brute force over OKLab distances."""
        from gaudyseed.core.colour.spaces import linear_to_oklab

        evaluator, population = Evaluator(), points(3000)
        evaluation = evaluator.evaluate(population, look(RANDOM, {**BANDS, "interpolation": "straight"}))
        groups = Reporter(evaluator).groups(evaluation)
        stops = linear_to_oklab(np.array([parse_hex(c) for c in FIVE]))
        labs = linear_to_oklab(evaluation.colours)
        nearest = np.linalg.norm(labs[:, None] - stops[None], axis=2).argmin(axis=1)
        # Between two of 4,096 table places an element may fall to the other side.
        self.assertLess((nearest != groups.of).mean(), 0.003)

    def test_what_is_hidden_does_not_decide_the_shares(self):
        """A covering layer without a ramp: elements are grouped by what is seen."""
        evaluator, population = Evaluator(), points(900)
        chains = [[{"step": "constant", "value": c}] for c in FIVE[:3]]
        tops = [
            ([{"step": "constant", "value": "#c8553d"}], [900], ["#c8553d"]),
            ([RANDOM, {"step": "choose", "chains": chains}], None, FIVE[:3]),
            ([RANDOM, {"step": "palette", "swatches": [{"colour": c} for c in FIVE[:2]]}], None, FIVE[:2]),
        ]
        for paint, counts, colours in tops:
            document = look(RANDOM, BANDS).model_dump(mode="json")
            document["lanes"]["base_colour"]["layers"].append({"name": "Top", "paint": paint})
            groups = Reporter(evaluator).groups(evaluator.evaluate(population, parse(Look, document)))
            self.assertEqual(groups.colours, colours)
            self.assertEqual(sum(groups.counts), 900)
            if counts:
                self.assertEqual(groups.counts, counts)

    def test_a_trace_tells_the_values(self):
        evaluator, population = Evaluator(), points(100, id=np.arange(1000, 1100))
        evaluation = evaluator.evaluate(population, look(RANDOM, BANDS))
        trace = Reporter(evaluator).trace(evaluation, 7)
        self.assertEqual(trace["id"], 1007)
        value = trace["steps"][0]["number"]
        band = int(np.searchsorted([0.2, 0.5, 0.7, 0.9], value, side="right"))
        self.assertEqual(trace["steps"][1]["stop"], band)
        self.assertEqual(trace["result"], FIVE[band])

    def test_ramp_edits(self):
        step = parse(Ramp, BANDS)
        flipped = edit_ramp(step, "flip")
        np.testing.assert_allclose([s.at for s in flipped.stops], [0, 0.1, 0.3, 0.5, 0.8], atol=1e-12)
        self.assertEqual([s.colour for s in flipped.stops], FIVE[::-1])
        np.testing.assert_allclose([s.at for s in edit_ramp(step, "space_evenly").stops], [0, 0.2, 0.4, 0.6, 0.8])
        linear = parse(Ramp, {**BANDS, "interpolation": "straight"})
        self.assertEqual([s.at for s in edit_ramp(linear, "space_evenly").stops], [0, 0.25, 0.5, 0.75, 1])
        values = np.random.default_rng(2).random(1000).astype(np.float32)
        for shares, word in (([0.5, 0.5], "5 colours"), ([0.3] * 5, "150"), ([-1, 1, 0.5, 0.5, 0], "0 to 100")):
            with self.assertRaises(BadInput) as caught:
                edit_ramp(step, "set_shares", values, shares)
            self.assertIn(word, str(caught.exception))
        with self.assertRaises(BadInput):
            edit_ramp(linear, "set_shares", values, [0.2] * 5)


def apply_patch(document, operation):
    """The operations of RFC 6902 that fixes use."""
    *keys, last = operation["path"].split("/")[1:]
    for key in keys:
        document = document[int(key)] if isinstance(document, list) else document[key]
    if operation["op"] == "remove":
        del document[int(last) if isinstance(document, list) else last]
    elif isinstance(document, list) and operation["op"] == "add":
        document.insert(len(document) if last == "-" else int(last), operation["value"])
    else:
        document[int(last) if isinstance(document, list) else last] = operation["value"]
