"""How particles fly and are born, against closed forms, another integrator, statistics and OpenUSD."""

from __future__ import annotations

import itertools
import json
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
from click.testing import CliRunner
from scipy import stats
from scipy.integrate import solve_ivp

from gaudyseed.cli import main
from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.formats import FORMATS, ReadOptions, read_items
from gaudyseed.core.kernels import flying
from gaudyseed.core.motion.births import Origin, born, of_burst, of_stream
from gaudyseed.core.motion.places import places_of
from gaudyseed.core.motion.sources import Forces, Source
from gaudyseed.core.motion.states import Acting, flown, nobody
from gaudyseed.core.population.appearing import appearances
from gaudyseed.core.population.makers.imported import store_columns
from gaudyseed.core.population.makers.sequence import SequenceFrame, sequence_of
from gaudyseed.core.scene.model import Scene
from tests.core.test_motion import RATE, at, made, scene_run, source, sparks, state_of
from tests.core.test_roundtrip import Memory
from tests.forking import forked
from tests.reference.test_look_format import pcg3d, unit

#: How far float32 is from exact over some hundred steps (measured).
FLOAT = 3e-5


def setUpModule() -> None:
    """Files of USD and pictures are read by forks."""
    unittest.enterModuleContext(forked())


def flight(forces: dict, substeps: int, frames: int = 24, count: int = 40, **of: object) -> tuple[np.ndarray, ...]:
    """Places and velocities (n, 3) at birth, and after so many frames."""
    maker = made(
        sources=[source(count=count, over=0, life=1e5, life_variation=0, **of)], forces=forces, substeps=substeps
    )
    first, last = state_of(maker, 0), state_of(maker, frames)
    return first.places.T, first.velocities.T, last.places.T, last.velocities.T


def curl(places: np.ndarray, forces: Forces, seed: int = 1) -> np.ndarray:
    """(n, 3) float64: the acceleration of turbulence of a strength of 1, by the kernel."""
    octaves, words = Acting([Source()], forces, np.zeros(3), np.zeros(3), seed).octaves(0.0)
    out = np.zeros((3, len(places)), np.float32)
    columns = [np.ascontiguousarray(places[:, k], np.float32) for k in range(3)]
    for row, word in zip(octaves, words, strict=True):
        flying.curl(*columns, *row[:4], *word, row[4], *out)
    return out.T.astype(np.float64)


class ClosedForms(unittest.TestCase):
    """Free flight, drag and wind: v' = g - k (v - u), solved by hand."""

    def test_free_flight_is_exact_at_any_number_of_steps(self):
        for substeps in (1, 5):
            x0, v0, x, v = flight({"gravity": 9.81, "drag": 0}, substeps)
            g = np.array([0, 0, -9.81])
            np.testing.assert_allclose(v, v0 + g, atol=FLOAT)
            np.testing.assert_allclose(x, x0 + v0 + g / 2, atol=FLOAT)

    def test_drag_and_wind(self):
        k, u, g = 1.7, np.array([2.0, -1.0, 0.5]), np.array([0, 0, -3.0])
        errors = []
        for substeps in (1, 2, 4):
            x0, v0, x, v = flight({"gravity": 3, "drag": k, "wind": u.tolist()}, substeps)
            settled, e = u + g / k, np.exp(-k)
            np.testing.assert_allclose(v, settled + (v0 - settled) * e, atol=FLOAT)  # exact at any step
            wanted = x0 + settled + (v0 - settled) * (1 - e) / k
            errors.append(np.abs(x - wanted).max())
        self.assertGreater(errors[0] / errors[1], 3.6, errors)  # second order
        self.assertLess(errors[0], 1e-3)

    def test_the_air_that_orbits_carries_along_once_in_a_turn(self):
        """With strong drag a particle goes with the air: half a turn a second is a whole one in two."""
        x0, _, x, _ = flight({"gravity": 0, "drag": 400, "orbit": 0.5}, 16, 48, point=[1.0, 0.5, 0.0], speed=0)
        np.testing.assert_allclose(x, x0, atol=0.02)

    def test_a_floor_returns_the_share_of_the_speed(self):
        """A fall of height h onto a floor comes back to b^2 h (conservation of energy)."""
        heights = []
        maker = made(sources=[source(count=1, over=0, point=[0, 0, 1.0], speed=0, life=100)], substeps=16,
                     forces={"gravity": 2, "drag": 0, "floor": True, "bounce": 0.6, "grip": 0})  # fmt: skip
        for frame in range(25, 54):  # it touches after a second
            heights.append(float(state_of(maker, frame).places[2, 0]))
        self.assertAlmostEqual(max(heights), 0.36, delta=0.01)
        self.assertGreaterEqual(min(heights), 0)


class Integrator(unittest.TestCase):
    """Against scipy's solve_ivp (DOP853) in the same field."""

    def solved(self, field, x0, v0, seconds):
        n = len(x0)

        def rates(_, y):
            x, v = y[: 3 * n].reshape(n, 3), y[3 * n :].reshape(n, 3)
            return np.concatenate([v.ravel(), field(x, v).ravel()])

        found = solve_ivp(rates, (0, seconds), np.concatenate([x0.ravel(), v0.ravel()]), "DOP853", rtol=1e-7, atol=1e-8)
        return found.y[: 3 * n, -1].reshape(n, 3)

    def compared(self, forces, field, seconds=1):
        errors = []
        for substeps in (2, 4, 8):
            x0, v0, x, _ = flight(forces, substeps, seconds * 24, 12, cone=180)
            wanted = self.solved(field, x0.astype(float), v0.astype(float), seconds)
            errors.append(np.abs(x - wanted).max())
        self.assertLess(errors[2], 0.01, errors)
        self.assertGreater(errors[0] / errors[1], 3.2, errors)  # second order
        self.assertGreater(errors[1] / errors[2], 2.8, errors)

    def test_orbit_with_drag(self):
        turn = 2 * np.pi * 0.4

        def field(x, v):
            flat = x * [1, 1, 0]
            air = turn * np.cross([0, 0, 1.0], flat)
            return -(turn**2) * flat - 1.2 * (v - air)

        self.compared({"gravity": 0, "drag": 1.2, "orbit": 0.4}, field)

    def test_turbulence(self):
        document = {"gravity": 0, "drag": 0.3, "turbulence": 1.5, "turbulence_size": 1.4}
        forces = parse(Forces, document)
        self.compared(document, lambda x, v: 1.5 * curl(x, forces) - 0.3 * v)


class Turbulence(unittest.TestCase):
    def test_nothing_gathers_in_it(self):
        """Divergence by central differences is below 1 % of the gradient, and the strength is the root mean square."""
        forces = parse(Forces, {"turbulence": 1, "turbulence_size": 1})
        rng, h = np.random.default_rng(3), 2**-6
        at = (np.floor(rng.uniform(-9, 9, (4000, 3)) * 64) + 32) / 64  # steps are exact in float32
        slopes = np.stack([(curl(at + h * e, forces) - curl(at - h * e, forces)) / (2 * h) for e in np.eye(3)], -1)
        divergence, gradient = np.trace(slopes, axis1=1, axis2=2), np.sqrt((slopes**2).sum(axis=(1, 2)))
        self.assertLess(np.sqrt((divergence**2).mean()), 0.01 * np.sqrt((gradient**2).mean()))
        for octaves in (1, 3):
            forces = parse(Forces, {"turbulence": 1, "turbulence_octaves": octaves})
            strength = np.sqrt((curl(rng.uniform(-50, 50, (200_000, 3)), forces) ** 2).sum(axis=1).mean())
            self.assertAlmostEqual(strength, 1, delta=0.02)


class Births(unittest.TestCase):
    """Where and when, by chi-square and Kolmogorov-Smirnov (scipy.stats); how fast, by differences of places."""

    def test_by_area_and_by_a_weight(self):
        run = scene_run({"id": "ball", "name": "Ball", "maker": {"maker": "mesh", "surface": "ball"}})
        ball = run.population("ball")
        at = ball.elements.attribute("position").readable
        triangles = ball.form.polygons.triangles
        areas = np.linalg.norm(np.cross(at[triangles[:, 1]] - at[triangles[:, 0]],
                                        at[triangles[:, 2]] - at[triangles[:, 0]]), axis=1) / 2  # fmt: skip
        for weight in (None, np.clip(at[:, 2] - at[:, 2].mean(), 0, None) ** 2):
            places = places_of(ball, np.eye(4), weight, "")
            drawn = np.random.default_rng(5).random((60_000, 6)).astype(np.float32)
            cells, corners = places.drawn(drawn)
            expected = areas * (1 if weight is None else weight[triangles].mean(axis=1))
            order = np.argsort(expected)
            groups = np.array_split(order[expected[order] > 0], 40)
            counts = np.array([np.isin(cells, g).sum() for g in groups])
            wanted = np.array([expected[g].sum() for g in groups])
            self.assertGreater(stats.chisquare(counts, wanted * counts.sum() / wanted.sum()).pvalue, 1e-4)
            if weight is not None:
                # Within triangles too: the mean of the weight is that of its square over its mean.
                w = weight[triangles]
                second = ((w.sum(axis=1) ** 2 + (w**2).sum(axis=1)) / 12 * areas).sum() / (w.mean(axis=1) * areas).sum()
                self.assertAlmostEqual((weight[triangles[cells]] * corners).sum(axis=1).mean() / second, 1, delta=0.01)

    def test_times(self):
        burst = Source(count=20_000, begin=10, over=8)
        times = np.concatenate([of_burst(burst, 3, 0, frame)[1] for frame in range(8, 22)])
        self.assertEqual(len(times), 20_000)
        self.assertGreater(stats.kstest((times - 10) / 8, "uniform").pvalue, 1e-3)
        stream, given, found = Source(births="stream", rate=1000, begin=5, end=53), 0.0, []
        for frame in range(60):
            _, times, given = of_stream(stream, stream, given, frame, RATE)
            found += times.tolist()
        self.assertEqual(len(found), 2000)  # 48 frames of 24 in a second
        np.testing.assert_allclose(np.diff(found), RATE / 1000, rtol=1e-6)  # evenly, across frames too

    def test_the_velocity_of_what_they_leave(self):
        """A marker goes 3 units in a frame: at 24 frames a second 72 units a second; births lie on its way."""
        of = Source(out_of="marker", marker="m", speed=0, inherit=0.5)
        times = np.array([4.25, 4.5, 4.75])
        origins = (Origin(point=np.array(p, float)) for p in ([1, 0, 0], [4, 0, 0]))
        found = born(of, 1, 0, np.arange(3), times, 5, RATE, *origins)
        np.testing.assert_allclose(found.places[:, 0], [1.75, 2.5, 3.25], rtol=1e-6)
        np.testing.assert_allclose(found.velocities, [[36, 0, 0]] * 3, rtol=1e-6)

    def test_ways_are_even_on_a_cap(self):
        """The cosine to the aim is uniform on a cap of the sphere (Archimedes)."""
        of = Source(aim=(1.0, 2.0, -1.0), cone=50, speed=1, speed_variation=0)
        found = born(of, 7, 0, np.arange(5000), np.full(5000, 0.5), 1, RATE, Origin(point=np.zeros(3)),
                     Origin(point=np.zeros(3)))  # fmt: skip
        cosine = found.velocities @ (np.array([1, 2, -1]) / np.sqrt(6))
        low = np.cos(np.radians(50))
        self.assertGreater(stats.kstest((cosine - low) / (1 - low), "uniform").pvalue, 1e-3)


class Programmed(unittest.TestCase):
    """What docs/look-format.md says of an emission, programmed a second time in plain NumPy float64."""

    @staticmethod
    def chances(numbers, source_, purpose, seed):
        words = np.broadcast_arrays(*pcg3d(numbers, source_ + (purpose << 8), seed))
        return np.stack([unit(w) for w in words], -1)

    def test_a_burst_that_falls(self):
        n, begin, spread, substeps, frame = np.arange(300), 3, 4, 3, 12
        doc = {"name": "a", "count": 300, "begin": begin, "over": spread, "point": [1, 2, 3], "cone": 40, "speed": 2,
               "speed_variation": 0.5, "life": 0.4, "life_variation": 0.5}  # fmt: skip
        maker = made(sources=[source(name="b", count=5), doc], seed=77, substeps=substeps,
                     forces={"gravity": 4, "drag": 0.8, "wind": [1, 0, 0]})  # fmt: skip
        times = begin + spread * self.chances(n, 1, 1, 77)[:, 0]
        given, way = self.chances(n, 1, 6, 77), self.chances(n, 1, 5, 77)
        speed, life = 2 * (1 + 0.5 * (2 * given[:, 0] - 1)), 0.4 * (1 + 0.5 * (2 * given[:, 1] - 1))
        cosine = 1 - way[:, 0] * (1 - np.cos(np.radians(40)))
        sine, turn = np.sqrt(1 - cosine**2), 2 * np.pi * way[:, 1]
        # About z the axis that it lies least along is x: the first direction is z x x = y, the second z x y = -x.
        v = speed[:, None] * np.stack([-sine * np.sin(turn), sine * np.cos(turn), cosine], -1)
        x = np.tile([1.0, 2, 3], (300, 1))
        k, u, g = 0.8, np.array([1.0, 0, 0]), np.array([0, 0, -4.0])
        edges = np.arange(begin * substeps, frame * substeps + 1) / substeps
        for a, b in itertools.pairwise(edges):
            h = np.clip(b - np.maximum(times, a), 0, None)[:, None] / RATE
            x = x + v * h / 2
            v = u + (v - u) * np.exp(-k * h) + g * (1 - np.exp(-k * h)) / k
            x = x + v * h / 2
        state = state_of(maker, frame)
        of = state.sources == 1
        order = np.argsort(state.numbers[of])
        alive = (frame - times) / RATE < life
        np.testing.assert_array_equal(state.numbers[of][order], n[alive])
        self.assertTrue(0 < alive.sum() < 300)
        np.testing.assert_allclose(state.births[of][order], times[alive], rtol=1e-6)
        np.testing.assert_allclose(state.places.T[of][order], x[alive], atol=1e-5)
        np.testing.assert_allclose(state.velocities.T[of][order], v[alive], atol=1e-5)


class Files(unittest.TestCase):
    """Particles as USD points, read by usd-core itself and checked by its validation; and read back by us."""

    def test_points_of_usd(self):
        from pxr import Usd, UsdGeom, UsdValidation

        validators = UsdValidation.ValidationRegistry().GetOrLoadAllValidators()

        placed, results, context = scene_run(sparks(), frame=9).sent("sparks")
        for word in ("usd", "usdc"):
            data = FORMATS[word].write(placed, results, context)
            with tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / f"x{FORMATS[word].ending}"
                path.write_bytes(data)
                stage = Usd.Stage.Open(str(path))
                self.assertEqual(UsdValidation.ValidationContext(validators).Validate(stage), [])
                points = UsdGeom.Points(stage.GetDefaultPrim())
                elements = placed.elements
                np.testing.assert_array_equal(points.GetPointsAttr().Get(), elements.attribute("position").readable)
                np.testing.assert_array_equal(points.GetVelocitiesAttr().Get(), elements.attribute("velocity").readable)
                np.testing.assert_array_equal(points.GetIdsAttr().Get(), elements.attribute("id").values)
                # A width is a diameter (UsdGeomPoints), a particle's size a radius.
                np.testing.assert_allclose(
                    points.GetWidthsAttr().Get(), 2 * elements.attribute("size").readable, rtol=1e-6
                )
                extent = points.GetExtentAttr().Get()
                self.assertTrue(
                    np.allclose(
                        extent,
                        UsdGeom.Points.ComputeExtent(points.GetPointsAttr().Get(), points.GetWidthsAttr().Get()),
                        atol=1e-5,
                    )
                )
            back = read_items(data, path.name)[0].population
            np.testing.assert_allclose(
                back.elements.attribute("velocity").readable, elements.attribute("velocity").readable
            )

    def test_frames_as_time_samples_of_one_file(self):
        """Read by usd-core, and by us frame by frame: what is missing follows from the ids."""
        from pxr import Usd, UsdGeom

        scene = {"gaudyseed": 3, "populations": [sparks(sources=[source(life=0.2, life_variation=0)])]}
        with tempfile.TemporaryDirectory() as folder:
            given, out = Path(folder) / "scene.json", Path(folder) / "out.usdc"
            given.write_text(json.dumps(scene))
            command = ["colour", "--scene", str(given), "--frames", "2-8", "--samples", "--out", str(out)]
            done = CliRunner().invoke(main, command)
            self.assertEqual(done.exit_code, 0, done.output)
            stage = Usd.Stage.Open(str(out))
            points = UsdGeom.Points(stage.GetDefaultPrim())
            self.assertEqual((stage.GetStartTimeCode(), stage.GetEndTimeCode(), stage.GetFramesPerSecond()), (2, 8, 24))
            self.assertEqual(points.GetPointsAttr().GetTimeSamples(), list(range(2, 9)))
            frames, columns = [], {}
            for frame in range(2, 9):
                flown_ = scene_run(*scene["populations"], frame=frame).population("sparks").elements
                np.testing.assert_array_equal(points.GetIdsAttr().Get(frame), flown_.attribute("id").values)
                np.testing.assert_array_equal(points.GetPointsAttr().Get(frame), flown_.attribute("position").readable)
                read = read_items(out.read_bytes(), out.name, options=ReadOptions(frame=frame))[0].population
                bare = {n: a for n, a in read.elements.own.items() if n in ("id", "position")}
                maker, more = store_columns(replace(read, elements=replace(read.elements, own=bare)), "out.usdc")
                frames.append(SequenceFrame(frame=frame, maker=maker))
                columns |= more
        sequence, more = sequence_of(frames, "out.usdc")
        kept = Memory({**columns, **more})
        flying_ = sequence.changed(particles=True).make(kept, at(5)).elements
        self.assertEqual(flying_.level, "particle")
        known = scene_run(*scene["populations"], frame=5).population("sparks").elements
        np.testing.assert_array_equal(flying_.attribute("id").values, known.attribute("id").values)
        # Half-way between its neighbours a central difference is the velocity, to the second order.
        both = (flying_.attribute("birth_frame").values > 2) & (known.attribute("lived").readable < 0.7)
        both &= flying_.attribute("birth_frame").values < 5
        a, b = (e.attribute("velocity").readable[both] for e in (flying_, known))
        self.assertGreater(both.sum(), 20)
        np.testing.assert_allclose(a, b, atol=0.1)
        # Of those that were seen from birth to end, the age counts from the first frame.
        seen = flying_.attribute("birth_frame").values[both]
        np.testing.assert_array_equal(seen, np.ceil(known.attribute("birth_frame").readable[both]))
        np.testing.assert_allclose(flying_.attribute("age").values[both], (5 - seen) / RATE)
        with self.assertRaises(BadInput):
            replace_ids = [SequenceFrame(frame=1, maker=frames[0].maker.changed(attributes=[
                a.model_dump() for a in frames[0].maker.attributes if a.name != "id"]))]  # fmt: skip
            without, more = sequence_of(replace_ids, "x")
            without.changed(particles=True).make(Memory({**columns, **more}), at(1))

    def test_ids_that_come_twice_or_again_are_told(self):
        ids = [np.array([1, 2, 2, 7]), np.array([1, 2]), np.array([1, 2, 7])]
        found = appearances([4, 5, 6], lambda k: ids[k])
        self.assertEqual(found.first.tolist(), [4, 4, 4])
        self.assertEqual(found.last.tolist(), [6, 6, 6])
        self.assertEqual(len(found.notes), 2)
        self.assertIn("2 at frame 4", found.notes[0])
        self.assertIn("7 between frames 4 and 6", found.notes[1])

    def test_ids_that_change_their_source_are_told(self):
        """As numbers and as words, whichever a file has; only where both frames say it."""
        for words in (("0", "1"), ("dust", "line")):
            frames, columns = [], {}
            for frame, of in ((3, (0, 0, 1)), (4, (0, 1, 1)), (5, (0, 1, 1))):
                rows = "".join(f"{k},0,{frame},{k},{words[s]}\n" for k, s in enumerate(of))
                (item,) = read_items(f"x,y,z,id,source\n{rows}".encode(), f"a.{frame}.csv")
                maker, more = store_columns(item.population, "a.3.csv")
                frames.append(SequenceFrame(frame=frame, maker=maker))
                columns |= more
            sequence, more = sequence_of(frames, "a.3.csv")
            notes = sequence.changed(particles=True).make(Memory({**columns, **more}), at(4)).notes
            told = [note for note in notes if "source" in note]
            self.assertEqual(told, ["Ids that change their source: 1 at frame 4."])


class Nothing(unittest.TestCase):
    def test_nobody_flies(self):
        acting = [Acting([Source()], Forces(), np.zeros(3), np.zeros(3), 1)]
        self.assertEqual(flown(nobody(1), np.zeros(0), acting, 1, RATE).count, 0)
        self.assertIsNotNone(parse(Scene, {"populations": []}))
