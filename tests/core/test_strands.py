"""Strands: how they grow, what their points know, what chains do along them, and what is refused."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
from click.testing import CliRunner
from pydantic import ValidationError

from gaudyseed.cli import main
from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.formats import read_items
from gaudyseed.core.kinds import NUMBER
from gaudyseed.core.look.evaluate import Evaluator, run_step
from gaudyseed.core.look.model import Look
from gaudyseed.core.look.steps import STEPS, Value
from gaudyseed.core.population import Curves
from gaudyseed.core.population.kinds import thinned
from gaudyseed.core.population.makers.imported import store_columns
from gaudyseed.core.population.makers.strands import StrandsMaker
from gaudyseed.core.population.meshes import column
from gaudyseed.core.population.strands import of_curves
from gaudyseed.core.reports.report import Reporter
from gaudyseed.core.sending import sent
from tests.core.test_roundtrip import Memory
from tests.core.test_surfaces import Made
from tests.forking import forked
from tests.reference.test_strands import groom, wandering
from tests.support import look, ramp

STRIPES = ramp([0.1, 0.5, 0.9], ["#f3e7cf", "#d24b4f", "#1f2f7a"], interpolation="straight")
ALONG = {"step": "along"}


def setUpModule() -> None:
    """Files of USD and pictures are read by forks."""
    unittest.enterModuleContext(forked())


def grown(**more):
    return StrandsMaker(maker="strands", **{"surface": "ball", "count": 60, "points": 8, **more}).make(None)


def values(population, name: str) -> np.ndarray:
    return population.elements.attribute(name).values


def skin(**more) -> dict:
    look_ = {
        "gaudyseed": 3,
        "lanes": {"base_colour": {"layers": [{"paint": [{"step": "constant", "value": "#888888"}]}]}},
    }
    return {"id": "skin", "name": "Skin", "maker": {"maker": "mesh", "surface": "ball", "subdivision": 1},
            "look": {**look_, **more}}  # fmt: skip


def fur(*paint: dict, lanes: dict | None = None, signals: tuple = (), **maker) -> dict:
    made = {"maker": "strands", "on": "skin", "count": 80, "points": 6, **maker}
    base = {"base_colour": {"layers": [{"paint": list(paint or (ALONG, STRIPES))}]}}
    return {"id": "fur", "name": "Fur", "maker": made,
            "look": {"gaudyseed": 3, "signals": list(signals), "lanes": {**base, **(lanes or {})}}}  # fmt: skip


class Growing(unittest.TestCase):
    def test_the_same_again_and_those_that_were_there_stay(self):
        for more in ({}, {"clumps": 12, "frizz": 0.02, "curl": 0.03, "wave": 0.02}):
            one, again, other = grown(**more), grown(**more), grown(**more, seed=2)
            self.assertEqual(one.digest, again.digest)
            self.assertNotEqual(one.digest, other.digest)
            larger = grown(**more, count=150)
            np.testing.assert_array_equal(values(one, "position"), values(larger, "position")[: one.count])
            np.testing.assert_array_equal(values(one, "width"), values(larger, "width")[: one.count])
            np.testing.assert_array_equal(values(one, "strand"), values(larger, "strand")[: one.count])

    def test_the_same_for_any_chunks(self):
        from gaudyseed.core.population.makers import strands

        usual, before = strands._CHUNK, grown(count=300).digest
        try:
            strands._CHUNK = 7
            self.assertEqual(grown(count=300).digest, before)
        finally:
            strands._CHUNK = usual

    def test_each_control_does_what_it_says(self):
        def tips(**more) -> np.ndarray:
            plain = {
                "lean": 0,
                "lean_variation": 0,
                "droop": 0,
                "length_variation": 0,
                "length": 0.5,
                "width_variation": 0,
            }
            made = grown(**{**plain, **more})
            return values(made, "position").reshape(-1, 8, 3)

        straight = tips()
        ways = straight[:, -1] - straight[:, 0]
        np.testing.assert_allclose(np.linalg.norm(ways, axis=1), 0.5, rtol=1e-5)
        # Along the normals of a ball.
        np.testing.assert_allclose(ways / 0.5, straight[:, 0] - [0, 0, 1], atol=0.03)
        leant = tips(lean=40)
        cosine = (
            ((leant[:, 1] - leant[:, 0]) * ways).sum(axis=1) / 0.5 / np.linalg.norm(leant[:, 1] - leant[:, 0], axis=1)
        )
        np.testing.assert_allclose(np.degrees(np.arccos(cosine)), 40, atol=0.5)
        toward = tips(lean=60, toward=(1, 0, 0))
        self.assertGreater((toward[:, -1] - toward[:, 0])[:, 0].mean(), 0.2)
        self.assertLess(tips(droop=3)[:, -1, 2].mean(), straight[:, -1, 2].mean() - 0.05)
        bent = [np.median(values(grown(droop=0, **more), "curvature")) for more in ({}, {"curl": 0.05}, {"wave": 0.05})]
        self.assertTrue(bent[1] > 3 * bent[0] and bent[2] > 3 * bent[0], bent)
        spread = [self.between_tips(tips(clumps=5, tightness=t)) for t in (0.0, 0.9)]
        self.assertLess(spread[1], 0.6 * spread[0])
        self.assertGreater(np.abs(tips(frizz=0.05)[:, -1] - straight[:, -1]).mean(), 0.01)
        np.testing.assert_allclose(tips(frizz=0.05)[:, 0], straight[:, 0], atol=1e-6)
        widths = values(grown(width_root=0.02, width_tip=0.005, width_variation=0), "width").reshape(-1, 8)
        np.testing.assert_allclose(widths[:, [0, -1]], np.tile([0.02, 0.005], (len(widths), 1)), rtol=1e-6)

    @staticmethod
    def between_tips(points: np.ndarray) -> float:
        """The distance from each tip to the nearest other one, at the median."""
        tips = points[:, -1]
        far = np.linalg.norm(tips[:, None] - tips, axis=2) + 9 * np.eye(len(tips))
        return float(np.median(far.min(axis=1)))

    def test_where_they_grow_and_how_long_by_what_is_painted_or_any_signal(self):
        upper = {
            "name": "upper",
            "chain": [
                {"step": "extent"},
                {"step": "quantise", "levels": 2},
                {"step": "range", "from_low": 0.25, "from_high": 0.75},
            ],
        }
        ground = skin(signals=[upper])
        read = {"of": "signal", "name": "upper"}
        dense = Made().run(ground, fur(density=read)).population("fur")
        self.assertGreater(values(dense, "root_position")[:, 2].min(), 0.9)
        half = Made().run(ground, fur(length_by=read, length_variation=0)).population("fur")
        lengths = half.elements.owners[0].attributes["strand_length"].values
        # Where the signal is 0 none grow; between the corners of a triangle it is in between.
        self.assertLess(len(lengths), 75)
        self.assertLess(lengths.max(), 0.41)
        self.assertAlmostEqual(float(np.median(lengths)), 0.4, places=2)

    def test_what_a_point_knows(self):
        run = Made().run(skin(), fur())
        made = run.population("fur")
        names = ("along", "distance", "strand", "strand_length", "root_position", "root_uv", "root_normal", "direction",
                 "curvature", "width", "part", "normal")  # fmt: skip
        for name in names:
            self.assertEqual(len(values(made, name)), made.count, name)
        self.assertEqual([o.level for o in made.elements.owners], ["strand", "part"])
        roots, first = values(made, "root_position"), values(made, "position")[made.form.starts[:-1]]
        np.testing.assert_array_equal(roots[made.form.starts[:-1]], first)
        up = values(made, "root_normal")
        np.testing.assert_allclose(np.linalg.norm(up, axis=1), 1, atol=1e-5)
        self.assertEqual(made.standing.carried(np.ones(9999, np.float32)).shape, (made.count,))

    def test_a_dab_on_the_skin_makes_no_strand_anew(self):
        """Paint of the ground that no maker reads changes what its strands read, and not where they are."""
        kept = Made()
        ground = skin(signals=[{"name": "dye", "chain": [{"step": "extent"}]}])
        run = kept.run(ground, fur())
        made = [run.request("fur").key]
        other = {**ground, "look": skin(signals=[{"name": "dye", "chain": [{"step": "extent", "flip": True}]}])["look"]}
        run = kept.run(other, fur())
        made.append(run.request("fur").key)
        self.assertEqual(made[0], made[1])
        # What reads it changes.
        reading = fur(density={"of": "signal", "name": "dye"})
        runs = [kept.run(g, reading) for g in (ground, other)]
        keys = [run.request("fur").key for run in runs]
        self.assertNotEqual(*keys)


class Along(unittest.TestCase):
    def test_by_number_flipped_and_bent(self):
        made = wandering([5, 3])
        step = STEPS["along"]
        self.assertEqual(
            run_step(step(step="along", by="number"), made).array.tolist(), [0, 0.25, 0.5, 0.75, 1, 0, 0.5, 1]
        )
        whole = run_step(step(step="along"), made).array
        np.testing.assert_allclose(run_step(step(step="along", flip=True), made).array, 1 - whole)
        bent = step(step="along", by="number", points=[{"x": 0, "y": 1}, {"x": 0.5, "y": 0}, {"x": 1, "y": 1}],
                    interpolation="straight")  # fmt: skip
        np.testing.assert_allclose(run_step(bent, made).array, [1, 0.5, 0, 0.5, 1, 1, 0, 1], atol=1e-6)

    def test_of_what_is_no_strand(self):
        with self.assertRaises(BadInput) as caught:
            Made().run({**skin(), "look": fur()["look"]}).evaluation("skin")
        self.assertEqual(caught.exception.code, "no_strands")
        self.assertIn("stands alone", caught.exception.sentence)

    def test_a_stop_takes_its_colour_from_the_skin_where_that_is_painted(self):
        """The map on the skin drives the tips alone: roots are the same everywhere, tips differ with the map."""
        stencil = {
            "name": "stencil",
            "chain": [
                {"step": "extent", "axis": "x"},
                {"step": "quantise", "levels": 2},
                {"step": "range", "from_low": 0.25, "from_high": 0.75},
            ],
        }
        blue = [{"step": "constant", "value": "#1d49e0"}]
        tip = {
            "name": "tip",
            "chain": [
                {"step": "constant", "value": "#8c1d63"},
                {"step": "mix", "factor": {"signal": "there"}, "chain": blue},
            ],
        }
        there = {"name": "there", "chain": [{"step": "ground", "of": "signal", "name": "stencil"}]}
        dyed = {"step": "ramp", "stops": [{"at": 0, "colour": "#ffffff"}, {"at": 1, "colour": {"signal": "tip"}}]}
        evaluation = Made().run(skin(signals=[stencil]), fur(ALONG, dyed, signals=(there, tip))).evaluation("fur")
        rows = evaluation.colours.reshape(-1, 6, 3)
        np.testing.assert_allclose(rows[:, 0], 1, atol=1e-6)
        stencilled = evaluation.signals["there"].value.array.reshape(-1, 6)[:, -1]
        np.testing.assert_array_equal(stencilled, evaluation.signals["there"].value.array.reshape(-1, 6)[:, 0])
        blues = rows[:, -1, 2]
        self.assertGreater(blues[stencilled > 0.99].min(), 3 * blues[stencilled < 0.01].max())

    def test_the_skin_s_own_colour_never_reaches_them_unless_read(self):
        grey, red = ({**skin(), "look": skin()["look"]} for _ in range(2))
        red["look"] = {
            "gaudyseed": 3,
            "lanes": {"base_colour": {"layers": [{"paint": [{"step": "constant", "value": "#ff0000"}]}]}},
        }
        found = [Made().run(g, fur()).evaluation("fur") for g in (grey, red)]
        self.assertEqual(found[0].digest, found[1].digest)
        read = [Made().run(g, fur({"step": "ground"})).evaluation("fur").colours for g in (grey, red)]
        self.assertGreater(np.abs(read[0] - read[1]).max(), 0.5)


class PerStrand(unittest.TestCase):
    def test_every_seeded_step_takes_per(self):
        seeded = [word for word, step in STEPS.items() if "seed" in step.model_fields]
        self.assertEqual(sorted(seeded), ["drift", "noise", "random", "spread"])
        made, heads = grown(), grown().form.starts[:-1]
        numbers = np.random.default_rng(2).random(made.count).astype(np.float32)
        for word in seeded:
            more = {"value": (-0.2, 0.2)} if word == "drift" else {}
            step = STEPS[word](step=word, per="strand", seed=3, **more)
            incoming = np.repeat(numbers[heads], 8) if word == "drift" else numbers
            found = run_step(step, made, Value(NUMBER, incoming) if step.takes else None).array
            np.testing.assert_array_equal(np.minimum.reduceat(found, heads), np.maximum.reduceat(found, heads), word)
            self.assertGreater(len(np.unique(found)), 40, word)
            alone = run_step(
                STEPS[word](step=word, seed=3, **more), made, Value(NUMBER, numbers) if step.takes else None
            )
            self.assertGreater(len(np.unique(alone.array)), 400, word)
            with self.assertRaises(BadInput) as caught:
                run_step(STEPS[word](step=word, per="width", seed=3, **more), made, Value(NUMBER, numbers))
            self.assertIn("whole numbers or texts", caught.exception.sentence)

    def test_spread_per_strand_exchanges_whole_strands(self):
        made = grown(count=300)
        incoming = np.repeat(np.random.default_rng(2).random(300).astype(np.float32), 8)
        found = run_step(STEPS["spread"](step="spread", per="strand", seed=3), made, Value(NUMBER, incoming))
        np.testing.assert_array_equal(np.sort(found.array), np.sort(incoming))
        self.assertLess(found.facts["alike_after"], found.facts["alike_before"])

    def test_before_the_ramp_it_moves_tones_and_after_it_it_tints_them(self):
        made = grown()
        before = Evaluator().evaluate(
            made, look(ALONG, {"step": "drift", "per": "strand", "value": [-0.2, 0.2], "seed": 1}, STRIPES)
        )
        after = Evaluator().evaluate(
            made, look(ALONG, STRIPES, {"step": "drift", "per": "strand", "hue": [-20, 20], "seed": 1})
        )
        plain = Evaluator().evaluate(made, look(ALONG, STRIPES))
        census = Reporter(Evaluator()).steps(before)["lanes.base_colour.layers[0].paint[1]"]
        self.assertEqual(census["drift"]["value"]["ends"], [-0.2, 0.2])
        # Drifted before the ramp, tones are still those of the ramp.
        steps = STEPS["ramp"](**STRIPES).compiled().colours_of(np.linspace(0, 1, 4000, dtype=np.float32))
        far = np.abs(before.colours[:, None] - steps[None, ::8]).max(axis=2).min(axis=1)
        self.assertLess(far.max(), 0.01)
        off = np.abs(after.colours[:, None] - steps[None, ::8]).max(axis=2).min(axis=1)
        self.assertGreater(off.max(), 0.05)
        self.assertGreater(np.abs(before.colours - plain.colours).max(), 0.1)


class Advice(unittest.TestCase):
    def told(self, *paint: dict, **more) -> list[dict]:
        evaluation = Evaluator().evaluate(grown(count=200, points=16, **more), look(*paint))
        return [a for a in Reporter(Evaluator()).advisories(evaluation) if a["code"] == "drift_breaks_order"]

    def test_a_drift_that_loses_the_ramps_order_is_told_and_mended(self):
        wide = {"step": "drift", "value": [-0.4, 0.4], "seed": 1}
        (found,) = self.told(ALONG, wide, STRIPES)
        self.assertIn("% of the strands come out of order", found["sentence"])
        self.assertEqual([f["label"] for f in found["fixes"]], ["Drift each strand as one", "Narrow it"])
        (operation,) = found["fixes"][1]["operations"]
        self.assertTrue(operation["path"].endswith("/paint/1/value"))
        self.assertEqual(self.told(ALONG, {**wide, "value": operation["value"], "per": "strand"}, STRIPES), [])
        # As one, but further than a tone is wide: most points of many strands have another tone.
        (found,) = self.told(ALONG, {**wide, "value": [-1, 1], "per": "strand"}, STRIPES)
        self.assertEqual([f["label"] for f in found["fixes"]], ["Narrow it"])
        (operation,) = found["fixes"][0]["operations"]
        self.assertEqual(self.told(ALONG, {**wide, "value": operation["value"], "per": "strand"}, STRIPES), [])

    def test_it_is_silent_where_the_order_stays(self):
        self.assertEqual(
            self.told(ALONG, {"step": "drift", "value": [-0.05, 0.05], "per": "strand", "seed": 1}, STRIPES), []
        )
        self.assertEqual(self.told(ALONG, STRIPES, {"step": "drift", "hue": [-90, 90], "seed": 1}), [])


class OneGradient(unittest.TestCase):
    def test_it_drives_density_width_and_a_blend_each_of_which_is_switched_off_without_losing_it(self):
        signal = {"name": "taper", "chain": [{**ALONG, "flip": True}]}
        read = {"step": "signal", "name": "taper"}
        lanes = {word: {"layers": [{"paint": [read]}]} for word in ("density", "width")}
        dye = {"step": "mix", "factor": {"signal": "taper"}, "chain": [{"step": "constant", "value": "#7a1f5c"}]}
        blend = [{"step": "constant", "value": "#f3e7cf"}, dye]
        run = Made().run(skin(), fur(*blend, lanes=lanes, signals=(signal,)))
        population, results, _ = run.sent("fur")
        along = values(population, "along")
        for word in ("density", "width"):
            np.testing.assert_allclose(results[word], 1 - along, atol=1e-6)
        np.testing.assert_allclose(
            values(population, "width"), values(run.population("fur"), "width") * (1 - along), rtol=1e-5, atol=1e-9
        )
        off = {**lanes, "width": {**lanes["width"], "enabled": False}}
        population, results, _ = Made().run(skin(), fur(*blend, lanes=off, signals=(signal,))).sent("fur")
        self.assertNotIn("width", results)
        np.testing.assert_array_equal(values(population, "width"), values(run.population("fur"), "width"))

    def test_lift_goes_along_the_root_s_normal(self):
        run = Made().run(skin(), fur(lanes={"offset": {"layers": [{"paint": [{"step": "constant", "value": 0.25}]}]}}))
        population = run.sent("fur")[0]
        moved = values(population, "position") - values(run.population("fur"), "position")
        np.testing.assert_allclose(moved, 0.25 * values(population, "root_normal"), atol=1e-5)

    def test_they_are_weighed_by_density(self):
        run = Made().run(
            skin(),
            fur(ALONG, {**STRIPES, "interpolation": "steps"}, lanes={"density": {"layers": [{"paint": [ALONG]}]}}),
        )
        reporter, evaluation = Reporter(Evaluator()), run.evaluation("fur")
        groups = reporter.groups(evaluation)
        wanted = np.bincount(groups.of, weights=values(run.population("fur"), "along"))
        np.testing.assert_allclose(reporter.weighed(evaluation, groups, "density"), wanted, rtol=1e-5)


class Beads(unittest.TestCase):
    def beads(self, kept: Made | None = None, strands: dict | None = None, **maker):
        look_ = {"gaudyseed": 3, "lanes": {"base_colour": {"layers": [{"paint": [{"step": "ground"}]}]}}}
        entry = {"id": "beads", "name": "Beads", "maker": {"maker": "threaded", "on": "fur", **maker}, "look": look_}
        return (kept or Made()).run(skin(), strands or fur(), entry)

    def test_by_number_and_by_spacing(self):
        run = self.beads(count=3, first=0, last=1)
        made, strands = run.population("beads"), run.population("fur")
        self.assertEqual(made.count, 3 * 80)
        np.testing.assert_allclose(values(made, "along").reshape(-1, 3), np.tile([0, 0.5, 1], (80, 1)), atol=1e-5)
        ends = values(strands, "position").reshape(80, 6, 3)[:, [0, -1]]
        np.testing.assert_allclose(values(made, "position").reshape(80, 3, 3)[:, [0, -1]], ends, atol=1e-6)
        spaced = self.beads(by="spacing", spacing=0.1, first=0, last=1).population("beads")
        strand = spaced.elements.owners[0].index
        gaps = np.diff(values(spaced, "distance"))[np.diff(strand) == 0]
        np.testing.assert_allclose(gaps, 0.1, rtol=1e-3)
        lengths = strands.elements.owners[0].attributes["strand_length"].values
        np.testing.assert_array_equal(np.bincount(strand), np.floor(lengths / 0.1 + 1e-6).astype(int) + 1)

    def test_they_take_up_the_colour_of_their_strand_and_carry_its_attributes(self):
        """Between two points of a strand: linear interpolation by numpy.interp."""
        run = self.beads(count=4)
        beads, strands = run.evaluation("beads"), run.evaluation("fur")
        made, on = beads.population, strands.population
        for k in (0, 17, 201, 319):
            strand = int(made.elements.owners[0].index[k])
            rows = slice(on.form.starts[strand], on.form.starts[strand + 1])
            at = values(made, "along")[k]
            wanted = [np.interp(at, values(on, "along")[rows], strands.colours[rows, c]) for c in range(3)]
            np.testing.assert_allclose(beads.colours[k], wanted, atol=2e-5)
            self.assertEqual(values(made, "strand")[k], values(on, "strand")[rows][0])
        for name in ("width", "curvature", "direction", "root_uv", "strand_length", "part"):
            self.assertEqual(len(values(made, name)), made.count, name)

    def test_they_are_thinned_by_the_density_and_stay_where_they_were(self):
        thin = fur(lanes={"density": {"layers": [{"paint": [{**ALONG, "flip": True}]}]}})
        all_, some = (self.beads(strands=thin, count=20, first=0, thinned=t).population("beads") for t in (False, True))
        self.assertEqual(all_.count, 1600)
        self.assertAlmostEqual(some.count / 1600, 0.5, delta=0.06)
        kept = np.isin(values(all_, "id"), values(some, "id"))
        np.testing.assert_array_equal(values(all_, "position")[kept], values(some, "position"))
        counts, _ = np.histogram(values(some, "along"), 4, (0, 1))
        self.assertTrue((np.diff(counts) < 0).all(), counts)
        fewer = self.beads(share=0.25, count=2).population("beads")
        self.assertAlmostEqual(fewer.count / 160, 0.25, delta=0.15)

    def test_what_is_no_strand_or_has_no_room(self):
        kept = Made()
        cases = {
            "choose strands": {"on": None}, "is no strands": {"on": "skin"},
            "at most 1,000,000": {"count": 10_000, "on": "fur"},
            "There is no population": {"on": "hat"},
        }  # fmt: skip
        thick = fur(count=200)
        for word, maker in cases.items():
            with self.subTest(word), self.assertRaises(BadInput) as caught:
                self.beads(kept, strands=thick, **maker).population("beads")
            self.assertIn(word.lower(), caught.exception.sentence.lower())
        none = fur(lanes={"density": {"layers": [{"paint": [{"step": "constant", "value": 0}]}]}})
        with self.assertRaises(BadInput) as caught:
            self.beads(strands=none).population("beads")
        self.assertEqual(caught.exception.place, "maker.thinned")


class InTheView(unittest.TestCase):
    def test_every_nth_strand_keeps_what_is_random(self):
        made = grown(count=100)
        chain = look(
            {"step": "random", "per": "strand", "seed": 1}, STRIPES, {"step": "drift", "hue": [-30, 30], "seed": 2}
        )
        whole = Evaluator().evaluate(made, chain).colours.reshape(100, 8, 3)
        few = thinned(made, 7)
        self.assertEqual(few.form.count, 15)
        np.testing.assert_array_equal(Evaluator().evaluate(few, chain).colours.reshape(15, 8, 3), whole[::7])
        entry = {**fur(), "draft": {"every": 4}}
        run = Made().run(skin(), entry)
        self.assertEqual((run.population("fur").form.count, run.whole().population("fur").form.count), (20, 80))
        feet = np.arange(9999, dtype=np.float32)
        wanted = thinned(run.whole().population("fur"), 4).standing.carried(feet)
        np.testing.assert_array_equal(run.population("fur").standing.carried(feet), wanted)

    def test_a_trace_has_the_strand_s_tones(self):
        evaluation = Evaluator().evaluate(grown(), look(ALONG, STRIPES))
        found = Reporter(Evaluator()).trace(evaluation, 19)
        self.assertEqual((found["strand"]["points"], found["strand"]["point"]), (8, 3))
        self.assertEqual(found["strand"]["tones"][0], Reporter(Evaluator()).trace(evaluation, 16)["result"])
        self.assertEqual(found["strand"]["tones"][-1], Reporter(Evaluator()).trace(evaluation, 23)["result"])
        self.assertEqual(found["owners"][0]["level"], "strand")


class Rooted(unittest.TestCase):
    """Strands of a file on a mesh of the scene."""

    def setUp(self):
        whole = Made().run(skin(), fur())
        self.strands = whole.population("fur")
        points = {n: self.strands.elements.own[n] for n in ("position", "width")}
        maker, self.blobs = store_columns(of_curves(points, self.strands.form), "fur.usd")
        self.maker = maker.model_dump(mode="json")

    def run_it(self, **maker):
        document = {"populations": [skin(), {**fur(), "maker": {**self.maker, "on": "skin", **maker}}]}
        from gaudyseed.core.scene.model import Scene
        from gaudyseed.core.scene.run import SceneRun

        return SceneRun(parse(Scene, document), Evaluator(), lambda request: request.make(Memory(self.blobs)))

    def test_they_know_the_skin_below(self):
        made = self.run_it().population("fur")
        np.testing.assert_allclose(values(made, "root_uv"), values(self.strands, "root_uv"), atol=2e-3)
        np.testing.assert_allclose(values(made, "root_normal"), values(self.strands, "root_normal"), atol=2e-3)
        np.testing.assert_allclose(made.standing.carried(values(Made().run(skin()).population("skin"), "position")),
                                   values(made, "root_position"), atol=1e-4)  # fmt: skip

    def test_a_root_outside_is_told_with_its_distance(self):
        moved = values(self.strands, "position").copy()
        moved[self.strands.form.starts[3] : self.strands.form.starts[4]] += [0, 0, 5]
        points = {"position": column("position", "vector", moved, "x", "y", "z")}
        maker, self.blobs = store_columns(of_curves(points, self.strands.form), "fur.usd")
        self.maker = maker.model_dump(mode="json")
        with self.assertRaises(BadInput) as caught:
            self.run_it().population("fur")
        self.assertIn("1 of 80 roots lie further than", caught.exception.sentence)
        self.assertIn("strand 4", caught.exception.sentence)
        self.assertEqual(self.run_it(reach=9).population("fur").count, self.strands.count)


class Refused(unittest.TestCase):
    def refused(self, data: str | bytes, name: str, *words: str) -> None:
        with self.assertRaises(BadInput) as caught:
            read_items(data.encode() if isinstance(data, str) else data, name)
        for word in words:
            self.assertIn(word, caught.exception.sentence)
        with tempfile.TemporaryDirectory() as folder:
            path, out = Path(folder) / name, Path(folder) / "out.csv"
            path.write_bytes(data.encode() if isinstance(data, str) else data)
            chain = Path(folder) / "look.json"
            chain.write_text(look({"step": "random", "seed": 1}, STRIPES).model_dump_json())
            done = CliRunner().invoke(main, ["colour", str(path), "--look", str(chain), "--out", str(out)])
            self.assertEqual((done.exit_code, out.exists()), (2, False), done.output)

    def test_the_column_strand(self):
        rows = "x,y,z,strand\n0,0,0,1\n0,0,1,1\n1,0,0,{}\n1,0,1,{}\n"
        self.refused(rows.format("", 2), "a.csv", "row 3", "is empty")
        self.refused(rows.format(2, 1), "a.csv", "Row 4 goes on with strand 1", "Sort the rows")
        self.refused(rows.format(1.5, 2), "a.csv", "holds 1.5")
        (thing,) = read_items(rows.format(7, 9).encode(), "a.csv")
        self.assertEqual(thing.population.form.sizes.tolist(), [2, 1, 1])
        self.assertIn("leave some out", thing.population.notes[0])
        named = "x,y,z,strand\n0,0,0,left\n0,0,1,left\n1,0,0,right\n"
        (thing,) = read_items(named.encode(), "a.csv")
        self.assertEqual(thing.population.elements.attribute("strand").labels, ("left", "right"))

    def usd(self, counts: list[int], points: int, more: str = "", kind: str = "linear") -> str:
        listed = ", ".join(f"({k}, 0, {k * k})" for k in range(points))
        return (
            f'#usda 1.0\ndef BasisCurves "fur"\n{{\n    uniform token type = "{kind}"\n    int[] curveVertexCounts = '
            f"{counts}\n    point3f[] points = [{listed}]\n{more}}}\n"
        )

    def test_counts_that_do_not_add_up(self):
        self.refused(self.usd([3, 3], 5), "a.usda", "count 6 points together, but there are 5")
        self.refused(self.usd([3, 0, 2], 5), "a.usda", "Curve 2 has 0 points")
        self.refused(self.usd([3, -1, 3], 5), "a.usda", "Curve 2 has -1 points")

    def test_cubic_curves_with_a_wrong_number_of_points(self):
        basis = '    uniform token basis = "{}"\n    uniform token wrap = "{}"\n'
        self.refused(
            self.usd([5], 5, basis.format("bezier", "nonperiodic"), "cubic"), "a.usda", "has 5 points", "4, 7, 10"
        )
        self.refused(self.usd([5], 5, basis.format("bezier", "periodic"), "cubic"), "a.usda", "3, 6, 9")
        self.refused(self.usd([3], 3, basis.format("bspline", "nonperiodic"), "cubic"), "a.usda", "4 or more")
        self.refused(self.usd([1], 1, basis.format("catmullRom", "pinned"), "cubic"), "a.usda", "2 or more")

    def test_widths_below_0_or_of_a_wrong_length(self):
        self.refused(
            self.usd([3], 3, "    float[] widths = [1, -2, 3]\n"), "a.usda", "width below 0", "point 2 of strand 1"
        )
        self.refused(self.usd([3, 2], 5, "    float[] widths = [1, 2, 3]\n"), "a.usda", "3 widths where 5 are wanted")

    def test_no_number_along_a_strand(self):
        self.refused(self.usd([3], 3).replace("(1, 0, 1)", "(nan, 0, 1)"), "a.usda", "point 2 of strand 1")
        self.refused("x,y,z,strand\n0,0,0,1\n0,0,nan,1\n", "a.csv", "no usable z")
        self.refused("v 0 0 0\nv 1 0 0\nl 1 2 9\n", "a.obj", "Line 3 names vertex 9")
        self.refused("v 0 0 0\nv 1 0 0\nl\n", "a.obj", "Line 3")

    def test_single_points_and_strands_of_no_length_are_kept_and_told(self):
        (thing,) = read_items(
            self.usd([1, 3], 4).replace("(2, 0, 4)", "(1, 0, 1)").replace("(3, 0, 9)", "(1, 0, 1)").encode(), "a.usda"
        )
        told = " ".join(thing.population.notes)
        self.assertIn("1 strands have one point", told)
        self.assertIn("1 strands have no length", told)
        self.assertEqual(values(thing.population, "along").tolist(), [0, 0, 0.5, 1])
        found = Evaluator().evaluate(thing.population, look(ALONG, STRIPES))
        self.assertTrue(np.isfinite(found.colours).all())

    def test_very_long_strands_and_very_many(self):
        made = grown(count=3, points=10_000)
        self.assertEqual(made.form.sizes.tolist(), [10_000] * 3)
        self.assertTrue(np.isfinite(values(made, "curvature")).all())
        with self.assertRaises(ValidationError):
            StrandsMaker(maker="strands", count=10**8)
        with self.assertRaises(BadInput) as caught:
            grown(count=1_000_000, points=10_000)
        self.assertIn("at most 20,000,000", caught.exception.sentence)

    def test_a_ground_without_uv_under_a_map_and_a_ground_that_is_gone(self):
        strands = wandering([4, 4])
        with self.assertRaises(BadInput) as caught:
            Evaluator().evaluate(strands, look({"step": "picture", "on": "uv", "uv": "root_uv"}))
        self.assertIn("'root_uv'", caught.exception.sentence)
        for step in ({"step": "ground"}, ALONG):
            with self.assertRaises(BadInput) as caught:
                Made().run(fur(step, STRIPES)).evaluation("fur")
            self.assertIn("no population 'skin'", caught.exception.sentence)

    def test_no_strand_has_a_length(self):
        flat = skin(signals=[{"name": "none", "chain": [{"step": "constant", "value": 0}]}])
        with self.assertRaises(BadInput) as caught:
            Made().run(flat, fur(length_by={"of": "signal", "name": "none"})).population("fur")
        self.assertEqual(caught.exception.place, "maker.length_by")
        with self.assertRaises(BadInput) as caught:
            Made().run(skin(), fur(length_by={"of": "attribute", "name": "normal"})).population("fur")
        self.assertIn("how long they are wants a number", caught.exception.sentence)

    def test_a_document_that_lies(self):
        maker, blobs = store_columns(wandering([3, 4]), "fur")
        lying = [{"count": 1}, {"basis": "bezier"}, {"sizes": "0" * 32}]
        for more in lying:
            document = {**maker.model_dump(mode="json"), "curves": {**maker.curves.model_dump(mode="json"), **more}}
            with self.subTest(more), self.assertRaises(BadInput):
                parse(type(maker), document).make(Memory(blobs))


class CommandLine(unittest.TestCase):
    def test_a_groom_is_coloured_and_written(self):
        data, held = groom()
        with tempfile.TemporaryDirectory() as folder:
            path, out, chain = (Path(folder) / name for name in ("fur.usdc", "out.csv", "look.json"))
            path.write_bytes(data)
            chain.write_text(parse(Look, look(ALONG, STRIPES).model_dump(mode="json")).model_dump_json())
            done = CliRunner().invoke(main, ["colour", str(path), "--look", str(chain), "--out", str(out)])
            self.assertEqual(done.exit_code, 0, done.output)
            (thing,) = read_items(out.read_bytes(), "out.csv")
            self.assertEqual(thing.population.form.sizes.tolist(), held["counts"].tolist())
            self.assertIsInstance(thing.population.form, Curves)
            wanted = sent(
                Evaluator().evaluate(read_items(data, "fur.usdc")[0].population, look(ALONG, STRIPES)), "a", "ball"
            )
            np.testing.assert_allclose(
                values(thing.population, "base_colour"), wanted[1]["base_colour"], rtol=1e-6, atol=1e-8
            )
