"""Particles and trails: the same motion however it is asked for, what they carry, and what is refused."""

from __future__ import annotations

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
from scipy import stats

from gaudyseed.core.advisories.trails import corners
from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.formats import FORMATS, read_points
from gaudyseed.core.kernels import parallel
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Look
from gaudyseed.core.motion import states
from gaudyseed.core.motion.states import State
from gaudyseed.core.population import following
from gaudyseed.core.population.makers import MakerContext
from gaudyseed.core.population.makers.emission import EmissionMaker
from gaudyseed.core.reading import Reading
from gaudyseed.core.reports.report import Reporter
from gaudyseed.core.scene.model import Scene
from gaudyseed.core.scene.motion import flight_of, motion_of, work_out
from gaudyseed.core.scene.run import SceneRun
from gaudyseed.core.scene.timecache import TimeCache
from gaudyseed.core.scene.timeline import Moment
from tests.support import ROOT, look_document, points

RATE = 24.0
GREYS = {"step": "ramp", "stops": [{"at": 0, "colour": "#000000"}, {"at": 1, "colour": "#ffffff"}]}
BALL = {"id": "ball", "name": "Ball", "maker": {"maker": "mesh", "surface": "ball"}}
UP_DOWN = [{"step": "attribute", "name": "position", "component": "z"}, {"step": "range", "own": True}, GREYS]


def source(**more):
    return {"name": "a", "count": 300, "over": 4, **more}


def made(**more) -> EmissionMaker:
    return parse(EmissionMaker, {"maker": "emission", "sources": [source()], **more})


def at(frame: float, **more) -> MakerContext:
    return MakerContext(moment=Moment(frame, frame / RATE, RATE), **more)


def state_of(maker: EmissionMaker, frame: int, **more) -> State:
    return maker.state(at(frame, **more))


def scene_run(*populations: dict, frame: float = 0, provided=None, **scene) -> SceneRun:
    document = parse(Scene, {"gaudyseed": 3, "populations": list(populations), **scene})
    given = provided or (lambda request: request.make(None))
    return SceneRun(document, Evaluator(), given, moment=document.timeline.moment(frame))


def sparks(*paint: dict, lanes: dict | None = None, **maker) -> dict:
    emission = {"maker": "emission", "sources": [source()], **maker}
    look = look_document(*(paint or ({"step": "attribute", "name": "lived"}, GREYS)))
    look["lanes"] |= lanes or {}
    return {"id": "sparks", "name": "Sparks", "maker": emission, "look": look}


def trails(*paint: dict, **maker) -> dict:
    chain = paint or ({"step": "particle", "of": "channel", "name": "base_colour"},)
    return {"id": "trails", "name": "Trails", "maker": {"maker": "trails", "on": "sparks", **maker},
            "look": look_document(*chain)}  # fmt: skip


def values(population, name: str) -> np.ndarray:
    return population.elements.attribute(name).values


def by_id(state: State, name: str) -> np.ndarray:
    found = getattr(state, name)
    return (found.T if name in ("places", "velocities") else found)[np.lexsort((state.numbers, state.sources))]


class Same(unittest.TestCase):
    STORM = {"forces": {"turbulence": 2, "turbulence_octaves": 2, "floor": True}, "substeps": 3}

    def setUp(self):
        states._lately.clear()

    def test_for_every_order_of_asking_and_any_chunks(self):
        maker = made(**self.STORM)
        wanted = state_of(maker, 30).places
        for frames, chunk in (((30,), 64), ((3, 30, 11, 29, 30), 32_768)):
            states._lately.clear()
            with mock.patch.object(parallel, "CHUNK", chunk):
                for frame in frames:
                    found = state_of(maker, frame)
            np.testing.assert_array_equal(found.places, wanted)

    def test_more_leave_the_earlier_ones_as_they_fly(self):
        few, many = (made(**self.STORM, sources=[source(count=n), source(name="b", births="stream", end=n // 10)])
                     for n in (200, 500))  # fmt: skip
        a, b = state_of(few, 18), state_of(many, 18)
        common = np.isin(b.numbers.astype(np.int64) * 2 + b.sources, a.numbers.astype(np.int64) * 2 + a.sources)
        self.assertTrue(a.count < b.count and common.sum() == a.count)
        rest = b.taken(np.flatnonzero(common))
        for name in ("places", "velocities", "lives", "sizes", "births"):
            np.testing.assert_array_equal(by_id(a, name), by_id(rest, name), err_msg=name)

    def test_kept_states_are_taken_and_damaged_ones_made_again(self):
        maker = made()
        with tempfile.TemporaryDirectory() as folder:
            store = TimeCache(Path(folder))
            wanted = state_of(maker, 12, states=store).places
            files = [p for p in Path(folder).rglob("*") if p.is_file()]
            self.assertEqual(len(files), 13)
            states._lately.clear()
            with mock.patch.object(states.flying, "advance", side_effect=AssertionError("simulated again")):
                np.testing.assert_array_equal(state_of(maker, 12, states=TimeCache(Path(folder))).places, wanted)
            for path in files:
                data = path.read_bytes()
                path.write_bytes(data[: len(data) // 2] if path.name < "8" else data[:-90] + bytes(90))
            states._lately.clear()
            np.testing.assert_array_equal(state_of(maker, 12, states=TimeCache(Path(folder))).places, wanted)

    def test_a_key_changes_motion_from_its_frame_on(self):
        def keys(value: float) -> list[str]:
            dial = {
                "name": "pull",
                "value": 1,
                "keys": [{"frame": 0, "value": 1, "to_next": "hold"}, {"frame": 10, "value": value, "to_next": "hold"}],
            }
            run = scene_run(sparks(forces={"gravity": {"dial": "pull"}}), frame=20, dials=[dial])
            request = run.request("sparks")
            return request.maker.keys(request.context)

        a, b = keys(2.0), keys(3.0)
        self.assertEqual(a[:10], b[:10])
        self.assertTrue(all(x != y for x, y in zip(a[10:], b[10:], strict=True)))

    def test_colours_never_simulate(self):
        run = scene_run(sparks(), frame=10)
        run.evaluation("sparks")
        with mock.patch.object(states.flying, "advance", side_effect=AssertionError("simulated again")):
            states_before = run.request("sparks").key
            other = scene_run(sparks({"step": "random", "seed": 9}, GREYS), frame=10)
            other.evaluation("sparks")
        self.assertEqual(other.request("sparks").key, states_before)


class Carried(unittest.TestCase):
    def shed(self, **more) -> dict:
        shed = {"births": "stream", "rate": 400, "out_of": "population", "on": "ball", "outward": 1, "cone": 5}
        return {**source(**shed), **more}

    def test_born_with_the_colours_of_a_mesh(self):
        ball = {**BALL, "look": look_document(*UP_DOWN)}
        run = scene_run(ball, sparks({"step": "ground", "name": "base_colour", "when": "birth"},
                                     sources=[self.shed()]), frame=12)  # fmt: skip
        found = run.evaluation("sparks")
        z = values(found.population, "birth_position")[:, 2]
        self.assertGreater(stats.spearmanr(found.colours[:, 0], z).statistic, 0.98)
        # They fly along the normal of the place that they left.
        v = values(found.population, "velocity")
        away = (v * values(found.population, "birth_normal")).sum(axis=1) / np.linalg.norm(v, axis=1)
        self.assertGreater(np.median(away), 0.9)

    def test_each_reads_the_population_that_it_left(self):
        """A ball of height and a red ring that blinks: by source, now and at birth."""
        blink = {"name": "glow", "value": 0, "keys": [{"frame": 0, "value": 0, "to_next": "hold"},
                                                      {"frame": 6, "value": 1, "to_next": "hold"}]}  # fmt: skip
        red = {"step": "ramp", "stops": [{"at": 0, "colour": "#000000"}, {"at": 1, "colour": "#ff0000"}]}
        ring = {**BALL, "id": "ring", "look": look_document({"step": "constant", "value": {"dial": "glow"}}, red)}
        sources = [self.shed(), self.shed(name="b", on="ring"), source(name="c")]
        for when in ("now", "birth"):
            read = {"step": "ground", "name": "base_colour", "when": when}
            run = scene_run({**BALL, "look": look_document(*UP_DOWN)}, ring, sparks(read, sources=sources),
                            frame=12, dials=[blink])  # fmt: skip
            found = run.evaluation("sparks")
            of = found.population.elements.owner_of("source")
            late = values(found.population, "birth_frame") > 5
            of_ring = np.where(late | (when == "now"), 1, 0)[of == 1]
            np.testing.assert_allclose(found.colours[of == 1], of_ring[:, None] * [1.0, 0, 0], atol=1e-6, err_msg=when)
            z = values(found.population, "birth_position")[of == 0, 2]
            self.assertGreater(stats.spearmanr(found.colours[of == 0, 0], z).statistic, 0.98)
            np.testing.assert_array_equal(found.colours[of == 2], 0)
            self.assertEqual(set(run.dependencies("sparks").populations), {"ball", "ring"})
        kept = {**BALL, "look": look_document(*UP_DOWN) | {"signals": [{"name": "s", "chain": UP_DOWN[:2]}]}}
        other = {**ring, "look": ring["look"] | {"signals": [{"name": "s", "chain": UP_DOWN}]}}
        run = scene_run(kept, other, sparks({"step": "ground", "of": "signal", "name": "s"}, sources=sources),
                        dials=[blink])  # fmt: skip
        with self.assertRaisesRegex(BadInput, "a number and a colour"):
            run.evaluation("sparks")

    def test_a_mesh_too_coarse_for_what_is_read_of_it_is_told_with_its_fix(self):
        """Common practice: subdivided often enough, what a mesh shows arrives with what leaves it."""
        hard = {"step": "ramp", "interpolation": "steps", "stops": [{"at": 0, "colour": "#000000"},
                                                                    {"at": 0.5, "colour": "#ffffff"}]}  # fmt: skip
        for subdivision, paint, told in ((0, hard, 1), (0, GREYS, 0)):
            maker = {"maker": "mesh", "surface": "mask", "subdivision": subdivision}
            mask = {**BALL, "maker": maker, "look": look_document(*UP_DOWN[:2], paint)}
            run = scene_run(mask, sparks({"step": "ground"}, sources=[self.shed()]), frame=6)
            evaluation = run.evaluation("sparks")
            found = [a for a in Reporter(Evaluator()).advisories(evaluation) if a["code"] == "too_coarse_below"]
            self.assertEqual(len(found), told, (subdivision, paint))
            for advisory in found:
                (fix,) = advisory["fixes"]
                self.assertEqual((fix["action"], fix["population"]), ("subdivide", "ball"))

    def test_then_is_not_now_where_the_mesh_changes(self):
        dial = {"name": "glow", "value": 0, "keys": [{"frame": 0, "value": 0, "to_next": "hold"},
                                                     {"frame": 6, "value": 1, "to_next": "hold"}]}  # fmt: skip
        paint = [
            {"step": "random", "seed": 1},
            {"step": "range", "to_low": {"dial": "glow"}, "to_high": {"dial": "glow"}},
            GREYS,
        ]
        for when in ("now", "birth"):
            read = {"step": "ground", "name": "base_colour", "when": when}
            run = scene_run({**BALL, "look": look_document(*paint)}, sparks(read, sources=[self.shed()]), frame=12,
                            dials=[dial])  # fmt: skip
            found = run.evaluation("sparks")
            late = values(found.population, "birth_frame") > 5
            wanted = np.where(late, 1, 0) if when == "birth" else np.ones(len(late))
            np.testing.assert_allclose(found.colours[:, 0], wanted, atol=1e-6, err_msg=when)
        self.assertIn("ball", run.dependencies("sparks").populations)
        self.assertTrue(run.timed("sparks"))

    def test_a_mesh_that_moves_is_followed_between_frames(self):
        marker = {"name": "m", "keys": [{"frame": 0, "value": [0, 0, 0], "to_next": "straight"},
                                        {"frame": 24, "value": [12, 0, 0], "to_next": "straight"}]}  # fmt: skip
        ball = {**BALL, "place": {"position": [{"marker": "m", "axis": "x"}, 0, 0]}}
        run = scene_run(ball, sparks(sources=[self.shed(speed=0, inherit=1)], forces={"gravity": 0, "drag": 0}),
                        frame=20, markers=[marker])  # fmt: skip
        found = run.population("sparks")
        np.testing.assert_allclose(values(found, "velocity")[:, 0], 12, atol=1e-3)
        # All go along with it, so they are still on its skin: a ball of radius 1 about (10, 0, 1).
        far = np.linalg.norm(values(found, "position") - [10, 0, 1], axis=1)
        np.testing.assert_allclose(far, 1, atol=0.02)

    def test_weights_clones_and_strands(self):
        weight = {"of": "signal", "name": "top"}
        top = {
            "name": "top",
            "chain": [{"step": "extent"}, {"step": "levels", "black_point": 0.8, "white_point": 0.81}],
        }
        ball = {**BALL, "look": {**look_document(*UP_DOWN), "signals": [top]}}
        found = scene_run(ball, sparks(sources=[self.shed(weight=weight)]), frame=9).population("sparks")
        self.assertGreater(values(found, "birth_position")[:, 2].min(), 1.5)
        bare = {**ball, "look": {**ball["look"], "signals": [{**top, "chain": [{"step": "constant", "value": 0}]}]}}
        with self.assertRaises(BadInput) as caught:
            scene_run(bare, sparks(sources=[self.shed(weight=weight)]), frame=9).population("sparks")
        self.assertIn("0 everywhere", caught.exception.sentence)
        for word in ("scatter", "strands"):
            below = {"id": "ball", "name": "Ball", "maker": {"maker": word, "surface": "ball", "count": 40}}
            run = scene_run(below, sparks(sources=[self.shed()]), frame=9)
            places = values(run.population("ball"), "position")
            born = values(run.population("sparks"), "birth_position")
            nearest = np.linalg.norm(born[:, None] - places, axis=2).min(axis=1)
            self.assertLess(nearest.max(), 1e-5 if word == "scatter" else 0.1)

    def test_groups_go_different_ways(self):
        two = [source(name="lines", count=40, feels={"gravity": 0}), source(name="dust", count=60)]
        density = {"density": {"layers": [{"paint": [{"step": "formula", "text": "1 / 2 ** (2 * (source + 1))"}]}]}}
        run = scene_run(sparks(sources=two, lanes=density), frame=9)
        found = run.evaluation("sparks")
        index = found.population.elements.owner_of("source")
        np.testing.assert_allclose(found.channel("density"), np.where(index == 0, 0.25, 0.0625))
        self.assertEqual(found.population.elements.attribute("source_name").labels, ("lines", "dust"))
        z = values(found.population, "velocity")[:, 2]
        self.assertGreater(z[index == 0].mean(), z[index == 1].mean())


class Ways(unittest.TestCase):
    """What the guide shows, each against plain NumPy; its formulas stand in the guide word by word."""

    GUIDE = (ROOT / "docs/guide/README.md").read_text()

    def test_each_formula_of_the_guide(self):
        two = [source(name="lines", count=200), source(name="dust", count=300, speed=30)]
        run = scene_run(sparks(sources=two), frame=12)
        p = run.population("sparks").elements
        lived, speed, which = (p.attribute(n).readable for n in ("lived", "speed", "source"))
        velocity, born, at_ = (p.attribute(n).readable for n in ("velocity", "birth_position", "position"))
        ways = {
            "max(0, 1 - 0.9 * lived)": np.maximum(0, 1 - 0.9 * lived),
            "(x(velocity) / max(speed, 0.001) + 1) / 2": (velocity[:, 0] / speed + 1) / 2,
            "where(source == 0, (speed / 25) ** 3, 1)": np.where(which == 0, (speed / 25) ** 3, 1),
            "1 / 2 ** (2 * (source + 1))": np.where(which == 0, 1 / 4, 1 / 16),
            "where(source == 0, 0.2, 1)": np.where(which == 0, 0.2, 1),
            "length(position - birth_position)": np.linalg.norm(at_ - born, axis=1),
        }
        for text, wanted in ways.items():
            self.assertIn(f"`{text}`", self.GUIDE)
            blur = {"motion_blur": {"layers": [{"paint": [{"step": "formula", "text": text}]}]}}
            found = scene_run(sparks(sources=two, lanes=blur), frame=12).evaluation("sparks")
            np.testing.assert_allclose(found.channel("motion_blur"), wanted, rtol=1e-4, atol=1e-5, err_msg=text)

    def test_glints_show_no_pattern(self):
        text = "where(modulo(id, 9) == floor(9 * random(4)), 10 * random(5), 0)"
        self.assertIn(f"`{text}`", self.GUIDE)
        lane = {"emission_strength": {"layers": [{"paint": [{"step": "formula", "text": text}]}]}}
        found = scene_run(sparks(sources=[source(count=9000, over=0)], lanes=lane), frame=2).evaluation("sparks")
        bright = found.channel("emission_strength") > 0
        self.assertAlmostEqual(bright.mean(), 1 / 9, delta=0.012)
        ids = values(found.population, "id")[bright]
        self.assertGreater(stats.chisquare(np.bincount(ids % 9, minlength=9)).pvalue, 1e-3)
        self.assertLessEqual(found.channel("emission_strength").max(), 10)

    def test_by_source_and_through_a_noise_that_stands_still(self):
        two = [source(name="lines"), source(name="dust")]
        for per in ({"step": "random", "per": "source", "seed": 3}, {"step": "random", "seed": 3}):
            chain = [per, *([] if "per" in per else [{"step": "unify", "per": "source"}]), GREYS]
            found = scene_run(sparks(*chain, sources=two), frame=9).evaluation("sparks")
            self.assertEqual(len(np.unique(found.colours[:, 0])), 2)
        noise = {"step": "noise", "seed": 5, "size": 0.5, "space": "scene"}
        early, late = (scene_run(sparks(noise, GREYS), frame=f).evaluation("sparks") for f in (6, 20))
        self.assertFalse(early.scope.timed)
        # What is at the same place gets the same colour, whenever: as points that never moved.
        at_ = late.population.elements.attribute("position")
        still = points(len(at_.values))
        still = replace(still, elements=still.elements.with_more({"position": at_}))
        same = Evaluator().evaluate(still, parse(Look, look_document(noise, GREYS))).colours
        np.testing.assert_allclose(late.colours, same, atol=1e-5)


class Trails(unittest.TestCase):
    def test_points_lie_where_particles_were_and_go_from_old_to_new(self):
        run = scene_run(sparks(), trails(back=8), frame=10)
        found = run.population("trails")
        form, frames = found.form.curves, values(found, "drawn_frame")
        self.assertTrue((np.diff(frames)[np.diff(form.curve_of) == 0] > 0).all())
        heads = form.starts[1:] - 1
        now = run.population("sparks")
        order = np.argsort(values(now, "id"))
        np.testing.assert_array_equal(values(found, "position")[heads], values(now, "position")[order])
        before = scene_run(sparks(), frame=5).population("sparks")
        of_five = values(found, "position")[frames == 5]
        np.testing.assert_array_equal(of_five, values(before, "position")[np.argsort(values(before, "id"))])
        self.assertGreaterEqual(frames.min(), 2)

    def test_as_thick_as_the_particle(self):
        """A size is a radius and a width a diameter: a factor of 1 means equal."""
        run = scene_run(sparks(), trails(back=8, tail=0, head=0, width=1), frame=10)
        found, now = run.population("trails"), run.population("sparks")
        heads = found.form.curves.starts[1:] - 1
        sizes = values(now, "size")[np.argsort(values(now, "id"))]
        np.testing.assert_allclose(values(found, "width")[heads], 2 * sizes, rtol=1e-6)
        tapered = scene_run(sparks(), trails(back=8, tail=0.5), frame=10).population("trails")
        self.assertEqual(values(tapered, "width")[tapered.form.curves.starts[:-1]].max(), 0)

    def test_then_and_now(self):
        colours = {}
        for when in ("then", "now"):
            run = scene_run(sparks(), trails({"step": "particle", "when": when}, back=8), frame=10)
            found = run.evaluation("trails")
            form = found.population.form.curves
            colours[when] = found.colours[:, 0]
            lived = run.evaluation("sparks").colours[:, 0]
            np.testing.assert_allclose(
                colours[when][form.starts[1:] - 1], lived[np.argsort(values(run.population("sparks"), "id"))]
            )
        # Age only grows: what was left earlier is darker, and the whole trail has the head's colour now.
        self.assertTrue((np.diff(colours["then"])[np.diff(form.curve_of) == 0] >= 0).all())
        np.testing.assert_array_equal(colours["now"], colours["now"][form.starts[1:] - 1][form.curve_of])

    def test_then_is_the_same_however_few_states_are_held_at_once(self):
        run = scene_run(sparks(), trails(back=8, points=3), frame=10)
        left = run.population("trails").following
        held = {
            frame: run.at(frame).population("sparks").elements.attribute("position").readable for frame in range(11)
        }
        asked = []

        def values(frame: int) -> np.ndarray:
            asked.append(frame)
            return held[frame]

        whole = left.then(values, 3)
        with mock.patch.object(following, "_MOST_ROWS", 1):
            np.testing.assert_array_equal(left.then(values, 3), whole)
        self.assertEqual(asked, left.frames.tolist() * 2)
        same = left.between.same
        np.testing.assert_array_equal(whole[same], [held[int(left.frames[f])][r] for f, r in zip(
            left.between.at[same], left.between.low[same], strict=True)])  # fmt: skip

    def test_more_points_a_frame_bend_smoothly(self):
        """Corners above 20 degrees are told, with a fix; with more points they go (common practice)."""
        storm = {"forces": {"turbulence": 60, "turbulence_size": 0.25}, "substeps": 8}
        parts = []
        for many in (1, 8):
            run = scene_run(sparks(**storm), trails(back=8, points=many), frame=10)
            found = run.population("trails")
            parts.append(corners(found) / found.count)
            inside = np.isin(values(found, "drawn_frame") % 1, [0.25, 0.5, 0.75])
            self.assertEqual(inside.any(), many == 8)
            told = Reporter(Evaluator()).advisories(run.evaluation("trails"))
            actions = [f["action"] for a in told if a["code"] == "trail_corners" for f in a["fixes"]]
            self.assertEqual(actions, ["more_points"] if many == 1 else [])
        self.assertLess(parts[1], 0.1 * parts[0])

    def test_half_as_thick_as_the_particles_is_told_of_files(self):
        """Widths that are radii, as from programs that hand on a particle's size (common practice)."""
        rows = [
            f"{t},{k},0,0,{w},{s}" for t in (1, 2) for k, (w, s) in enumerate([(0.1, 0.1), (0.2, 0.2), (0.15, 0.15)])
        ]
        text = "strand,x,y,z,width,size\n" + "\n".join(rows)
        for factor, codes in ((1, ["half_as_thick"]), (2, [])):
            lines = [r if r[0] == "s" else ",".join([*r.split(",")[:4], f"{factor * float(r.split(',')[4])}",
                     r.split(",")[5]]) for r in text.splitlines()]  # fmt: skip
            found = read_points("\n".join(lines).encode(), "a.csv")
            self.assertEqual(found.kind, "strands")
            evaluator = Evaluator()
            look = parse(Look, look_document({"step": "random", "seed": 1}, GREYS))
            told = [a for a in Reporter(evaluator).advisories(evaluator.evaluate(found, look))
                    if a["code"] == "half_as_thick"]  # fmt: skip
            self.assertEqual([a["code"] for a in told], codes)
            for advisory in told:
                document = look.model_dump(mode="json", exclude_none=True)
                (operation,) = advisory["fixes"][0]["operations"]
                document["lanes"][operation["path"].removeprefix("/lanes/")] = operation["value"]
                wider = evaluator.evaluate(found, parse(Look, document))
                np.testing.assert_array_equal(wider.results["width"], 2)
                self.assertNotIn("half_as_thick", [a["code"] for a in Reporter(evaluator).advisories(wider)])

    def test_what_becomes_of_those_that_are_gone(self):
        brief = {"sources": [source(life=0.2, life_variation=0, count=50, over=0)]}
        counts = {}
        for gone in ("drawn_in", "stays", "fades"):
            run = scene_run(sparks(**brief), trails(back=6, gone=gone, fading=10), frame=9)
            found = run.population("trails")
            counts[gone] = found.count
            if gone == "fades":
                np.testing.assert_allclose(values(found, "fading"), 0.5)  # gone after frame 4
            run.evaluation("trails")
        self.assertTrue(0 < counts["drawn_in"] < counts["stays"] == counts["fades"], counts)
        late = scene_run(sparks(**brief), trails(back=6, gone="fades", fading=10), frame=16)
        self.assertEqual(late.population("trails").count, 0)

    def test_thinned_and_home(self):
        run = scene_run(sparks(), {**trails(back=8, every=3), "draft": {"every": 2}}, frame=10)
        found, whole = run.population("trails"), run.whole().population("trails")
        self.assertEqual(found.form.curves.count, -(-whole.form.curves.count // 2))
        self.assertTrue((values(whole, "trail") % 3 == 0).all())
        run.evaluation("trails")
        for word in ("csv", "glb", "usd", "obj"):
            placed, results, context = run.whole().sent("trails")
            back = read_points(FORMATS[word].write(placed, results, context), f"x{FORMATS[word].ending}")
            self.assertEqual(back.form.curves.count, whole.form.curves.count, word)


class Kept(unittest.TestCase):
    def test_births_a_frame_are_those_that_come(self):
        """A burst over four frames and a stream whose rate follows a dial on keys, counted without flying."""
        flow = {"births": "stream", "rate": {"dial": "rate"}, "begin": 2, "end": 15}
        keys = [{"frame": 0, "value": 100}, {"frame": 20, "value": 2000}]
        scene = {"dials": [{"name": "rate", "value": 100, "keys": keys}],
                 "timeline": {"first": 0, "last": 20}}  # fmt: skip
        long = {"life": 50, "life_variation": 0}
        run = scene_run(sparks(sources=[source(**long), source(**{**flow, **long, "name": "b"})]), frame=20, **scene)
        births = np.array(motion_of(run, None).births)
        born = np.ceil(values(run.population("sparks"), "birth_frame")).astype(int)
        came = np.bincount(born, minlength=21)
        self.assertAlmostEqual(births[:2].sum() + births[2:5].sum(), came[:5].sum(), delta=15)
        # Of the stream alone to one.
        np.testing.assert_allclose(births[6:16], came[6:16], atol=1)
        self.assertEqual(births[16:].max(), 0)

    def test_what_is_there_what_it_costs_and_the_way_of_one(self):
        with tempfile.TemporaryDirectory() as folder:
            store, document = TimeCache(Path(folder)), {"gaudyseed": 3, "populations": [sparks()]}
            scene = parse(Scene, {**document, "timeline": {"first": 0, "last": 20}})

            def run(frame: int) -> SceneRun:
                return SceneRun(scene, Evaluator(), lambda request: request.make(None),
                                moment=scene.timeline.moment(frame), states=store)  # fmt: skip

            states._lately.clear()
            self.assertEqual(motion_of(run(0), store).missing, 21)
            self.assertGreater(motion_of(run(0), store).size, 16 * 300 * states.A_PARTICLE)
            run(7).population("sparks")
            self.assertEqual(motion_of(run(0), store).frames, (True,) * 8 + (False,) * 13)
            self.assertEqual(work_out(run(0)), 1)
            self.assertEqual(motion_of(run(0), store).missing, 0)
            shown = run(20)
            way = flight_of(shown, "sparks", 5)
            now, first = shown.population("sparks"), np.ceil(values(shown.population("sparks"), "birth_frame")[5])
            self.assertEqual(way.frames.tolist(), list(range(int(first), 21)))
            np.testing.assert_allclose(way.places[-1], values(now, "position")[5])
            np.testing.assert_allclose(way.speeds[-1], values(now, "speed")[5], rtol=1e-6)
            self.assertIsNone(flight_of(scene_run(BALL), "ball", 0))


class Played(unittest.TestCase):
    """From frame to frame only what is new is worked out, and nothing of it is ever old."""

    SHED = {"births": "stream", "rate": 200, "out_of": "population", "on": "ball", "outward": 1}

    def scene(self, colour: str = "#ffffff", tint: str = "#ff0000") -> list[dict]:
        """Trails of sparks that have the colours of a ball, which has those of a cloud."""
        near = {"step": "nearness", "population": "cloud", "result": "value"}
        cloud = {"id": "cloud", "name": "Cloud", "maker": {"maker": "scatter", "surface": "sheet", "count": 9},
                 "look": look_document({"step": "constant", "value": tint})}  # fmt: skip
        ball = {**BALL, "look": look_document({"step": "constant", "value": colour})}
        if tint != "#ff0000":
            ball["look"] = look_document(near)
        read = {"step": "ground", "when": "birth"}
        return [ball, cloud, sparks(read, sources=[source(**self.SHED)]), trails(back=12)]

    def colours(self, populations: list[dict], frame: int = 14) -> np.ndarray:
        return scene_run(*populations, frame=frame).evaluation("trails").colours

    def test_one_frame_more_reads_one_frame(self):
        populations, asked = self.scene(), []
        plain = Reading.of_evaluation

        def read(reading, evaluation, place):
            asked.append(place)
            return plain(reading, evaluation, place)

        self.colours(populations, 14)
        with mock.patch.object(Reading, "of_evaluation", read):
            before = len(asked)
            self.colours(populations, 15)
            first = len(asked) - before
            self.colours(populations, 16)
        # At the frame itself to know the kind, and at the new one: not at all the twelve before.
        self.assertLess(first, 10)
        self.assertLess(len(asked) - before - first, 10)

    def test_the_colour_of_what_was_left_reaches_the_trails_at_once(self):
        for colour, wanted in (("#ffffff", [1, 1, 1]), ("#00ff00", [0, 1, 0]), ("#ffffff", [1, 1, 1])):
            found = self.colours(self.scene(colour))
            np.testing.assert_allclose(found, np.broadcast_to(wanted, found.shape), atol=1e-6)

    def test_so_does_that_of_what_this_one_reads(self):
        for tint, wanted in (("#00ff00", [0, 1, 0]), ("#0000ff", [0, 0, 1])):
            found = self.colours(self.scene(tint=tint))
            np.testing.assert_allclose(found, np.broadcast_to(wanted, found.shape), atol=1e-6)

    def test_births_by_a_look_that_reads_another_follow_that_one(self):
        """Born where the ball is bright, which it is as the cloud is: nothing is born of a black one."""
        near = {"step": "nearness", "population": "cloud", "result": "value"}
        bright = {"signals": [{"name": "bright", "chain": [near, {"step": "component", "part": "luma"}]}]}
        for tint, born in (("#ffffff", True), ("#000000", False), ("#ffffff", True)):
            ball, cloud, *_ = self.scene(tint=tint)
            ball["look"] = look_document(near) | bright
            shed = source(**self.SHED, weight={"of": "signal", "name": "bright"})
            run = scene_run(ball, cloud, sparks(sources=[shed]), frame=8)
            if born:
                self.assertGreater(run.population("sparks").count, 40)
            else:
                with self.assertRaisesRegex(BadInput, "0 everywhere"):
                    run.population("sparks")

    def test_a_place_with_keys_moves_what_is_born_anew(self):
        for far in (6.0, 12.0, 6.0):
            marker = {"name": "m", "keys": [{"frame": 0, "value": [0, 0, 0], "to_next": "straight"},
                                            {"frame": 12, "value": [far, 0, 0], "to_next": "straight"}]}  # fmt: skip
            ball, *others = self.scene()
            ball |= {"place": {"position": [{"marker": "m", "axis": "x"}, 0, 0]}}
            found = scene_run(ball, *others, frame=12, markers=[marker]).population("sparks")
            self.assertAlmostEqual(float(values(found, "birth_position")[:, 0].max()), far, delta=1.1)


class Refused(unittest.TestCase):
    def test_sentences(self):
        shed = source(out_of="population", on="sparks")
        cases = [
            ([sparks(sources=[shed])], "sparks", "circle"),
            ([sparks(sources=[{**shed, "on": "hat"}])], "sparks", "There is no population"),
            ([sparks(sources=[{**shed, "on": None}])], "sparks", "Choose the population"),
            ([sparks(sources=[source(out_of="marker", marker="m")])], "sparks", "No marker"),
            ([sparks(sources=[source(out_of="marker")])], "sparks", "Choose the marker"),
            ([trails()], "trails", "There is no population"),
            ([{**trails(), "maker": {"maker": "trails"}}], "trails", "Choose the particles"),
            ([BALL, {**trails(), "maker": {"maker": "trails", "on": "ball", "begin": 5}}, ], "trails", ""),
            ([sparks(sources=[source(count=5_000_000, over=0), source(name="b", count=9, over=0)])], "sparks",
             "at most 5,000,000"),
        ]  # fmt: skip
        for populations, asked, word in cases:
            with self.subTest(word=word):
                if not word:  # vertices have ids too
                    self.assertGreater(scene_run(*populations, frame=6).population(asked).count, 0)
                    continue
                with self.assertRaises(BadInput) as caught:
                    scene_run(*populations, frame=5).population(asked)
                self.assertIn(word, caught.exception.sentence)
                self.assertTrue(caught.exception.place)
        with self.assertRaises(BadInput) as caught:
            scene_run(sparks(), frame=20_000).population("sparks")
        self.assertIn("10,000 are followed", caught.exception.sentence)
        for wrong in (
            {"life": 0},
            {"size": -1},
            {"count": -1},
            {"births": "stream", "begin": 9, "end": 3},
            {"speed": float("inf")},
        ):
            with self.assertRaises(BadInput):
                made(sources=[source(**wrong)])
        with self.assertRaises(BadInput):
            made(sources=[source(), source()])

    def test_before_anything_is_born(self):
        run = scene_run(sparks(sources=[source(begin=30)]), trails(), frame=3)
        for name in ("sparks", "trails"):
            self.assertEqual(run.evaluation(name).colours.shape, (0, 3))
        placed, results, context = run.sent("sparks")
        for word in ("csv", "ply", "usd", "usdc"):
            self.assertTrue(FORMATS[word].write(placed, results, context), word)
        with self.assertRaises(BadInput):
            FORMATS["glb"].write(placed, results, context)
