"""Strands against NumPy, SciPy, published formulas, and files of other libraries."""

import io
import tempfile
import unittest
from pathlib import Path

import numpy as np
import trimesh
from pxr import Sdf, Usd, UsdGeom, UsdValidation, Vt
from scipy import stats
from scipy.interpolate import BPoly, BSpline, CubicHermiteSpline

from gaudyseed.core.colour.spaces import display_bytes
from gaudyseed.core.formats import FORMATS, read_items
from gaudyseed.core.geometry.cubics import at_controls, on_cubics
from gaudyseed.core.kinds import COLOUR, NUMBER
from gaudyseed.core.look.evaluate import Evaluator, run_step
from gaudyseed.core.look.results import Evaluation
from gaudyseed.core.look.steps import STEPS, Value
from gaudyseed.core.look.steps.melanin import hair_colour
from gaudyseed.core.population import Attribute, Curves, Field, Population
from gaudyseed.core.population.makers.imported import store_columns
from gaudyseed.core.population.makers.strands import StrandsMaker
from gaudyseed.core.population.meshes import column
from gaudyseed.core.population.strands import of_curves
from gaudyseed.core.sending import sent
from tests.core.test_roundtrip import Memory
from tests.forking import forked
from tests.reference import test_mesh_files
from tests.support import look, ramp

RNG = np.random.default_rng(14)
STRIPES = ramp([0, 0.5, 1], ["#f3e7cf", "#d24b4f", "#1f2f7a"], interpolation="straight")


def wandering(sizes: list[int], seed: int = 1) -> Population:
    """Strands of so many points each, every point somewhere else."""
    places = np.random.default_rng(seed).normal(size=(sum(sizes), 3)).astype(np.float32)
    return of_curves({"position": column("position", "vector", places, "x", "y", "z")}, form(sizes))


def form(sizes: list[int]) -> Curves:
    return Curves(np.concatenate([[0], np.cumsum(sizes)]))


def values(population: Population, name: str) -> np.ndarray:
    return population.elements.attribute(name).values


def coloured(population: Population, *steps: dict) -> Evaluation:
    return Evaluator().evaluate(population, look(*(steps or ({"step": "along"}, STRIPES))))


def written(population: Population, word: str, *steps: dict) -> bytes:
    return FORMATS[word].write(*sent(coloured(population, *steps), "Fur", "sequin"))


def setUpModule() -> None:
    """Files of USD are read by forks of one process."""
    unittest.enterModuleContext(forked())


class Measures(unittest.TestCase):
    def test_lengths_and_places_along_are_cumulative_sums(self):
        """NumPy: sums of the distances between neighbours, strand by strand."""
        sizes = [1, 2, 3, 50, 7, 1000]
        made = wandering(sizes)
        starts, places = made.form.starts, values(made, "position").astype(np.float64)
        for k in range(len(sizes)):
            own = places[starts[k] : starts[k + 1]]
            far = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(own, axis=0), axis=1))])
            here = slice(starts[k], starts[k + 1])
            np.testing.assert_allclose(values(made, "distance")[here], far, rtol=1e-6)
            np.testing.assert_allclose(values(made, "along")[here], far / max(far[-1], 1e-30), atol=1e-6)
            np.testing.assert_allclose(values(made, "strand_length")[here], far[-1], rtol=1e-6)
        numbered = run_step(STEPS["along"](step="along", by="number"), made).array
        wanted = np.concatenate([np.linspace(0, 1, n) for n in sizes])
        np.testing.assert_allclose(numbered, wanted, atol=1e-6)

    def test_a_circle_bends_by_its_radius_and_a_helix_by_its_pitch(self):
        """The curvature of a helix is r / (r^2 + p^2) (textbook)."""
        t = np.linspace(0, 4 * np.pi, 4000)
        for radius, pitch in ((2.0, 0.0), (0.5, 0.0), (1.5, 0.7)):
            places = np.stack([radius * np.cos(t), radius * np.sin(t), pitch * t], -1).astype(np.float32)
            made = of_curves({"position": Attribute("position", "vector", places)}, form([len(t)]))
            found = values(made, "curvature")
            np.testing.assert_allclose(np.median(found), radius / (radius**2 + pitch**2), rtol=0.02)
            ways = values(made, "direction")
            tangent = np.stack([-radius * np.sin(t), radius * np.cos(t), np.full_like(t, pitch)], -1)
            tangent /= np.linalg.norm(tangent, axis=1, keepdims=True)
            np.testing.assert_allclose(ways[1:-1], tangent[1:-1], atol=2e-3)

    def test_cubic_curves_in_their_bases(self):
        """scipy.interpolate: BSpline on uniform knots, CubicHermiteSpline with halved differences, BPoly."""
        points = RNG.normal(size=(10, 3)).astype(np.float32)
        n, ends = len(points), np.array([0, len(points)])
        spline = BSpline(np.arange(-3, n + 1), points, 3)
        knots = np.clip(np.arange(n), 1, n - 2) - 1
        slopes = (points[2:] - points[:-2]) / 2
        rom = CubicHermiteSpline(np.arange(n - 2), points[1:-1], slopes)
        bezier = BPoly(np.stack([points[3 * k : 3 * k + 4] for k in range(3)], 1), np.arange(4))
        for basis, curve, at in (
            ("bspline", spline, knots),
            ("catmullRom", rom, knots),
            ("bezier", bezier, np.arange(n) / 3),
        ):
            places, distance, along, lengths = on_cubics(points, ends, basis, "nonperiodic")
            np.testing.assert_allclose(places, curve(at), atol=2e-6, err_msg=basis)
            dense = curve(np.linspace(0, at[-1], 20_001))
            far = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(dense, axis=0), axis=1))])
            wanted = np.interp(at, np.linspace(0, at[-1], 20_001), far)
            np.testing.assert_allclose(distance, wanted, rtol=0.01, atol=1e-4, err_msg=basis)
            np.testing.assert_allclose(along, distance / lengths[0], atol=1e-6)

    def test_pinned_curves_reach_their_ends_and_closed_ones_come_back(self):
        points = RNG.normal(size=(8, 3)).astype(np.float32)
        ends = np.array([0, 8])
        for basis in ("bspline", "catmullRom"):
            places = on_cubics(points, ends, basis, "pinned")[0]
            np.testing.assert_allclose(places[[0, -1]], points[[0, -1]], atol=1e-6)
        around = np.concatenate([points, points[:3]])
        closed = BSpline(np.arange(-3, len(around) + 1), around, 3)
        # Knot k of the closed spline counts for control point k + 1.
        np.testing.assert_allclose(
            on_cubics(points, ends, "bspline", "periodic")[0][1:], closed(np.arange(7)), atol=2e-6
        )
        np.testing.assert_allclose(on_cubics(points, ends, "catmullRom", "periodic")[0], points, atol=1e-6)

    def test_what_varies_by_segment_comes_to_the_control_points(self):
        """Linear interpolation by numpy.interp over the ends of the segments."""
        ends = np.float32([1, 5, 2, 8])
        bezier = at_controls(ends, np.array([10]), "bezier", "nonperiodic", False)
        np.testing.assert_allclose(bezier, np.interp(np.arange(10) / 3, np.arange(4), ends), rtol=1e-6)
        spline = at_controls(ends, np.array([6]), "bspline", "nonperiodic", False)
        self.assertEqual(spline.tolist(), [1, 1, 5, 2, 8, 8])


class Roots(unittest.TestCase):
    def test_roots_are_uniform_by_area(self):
        """Chi-square of the roots on each twelfth of a ball's height: the area of a zone is that of its height
        (Archimedes)."""
        made = StrandsMaker(maker="strands", surface="ball", count=24_000, evenness=0, points=2, length=0.01).make(None)
        heights = made.elements.owners[0].attributes["root_position"].values[:, 2]
        counts, _ = np.histogram(heights, np.linspace(0, 2, 13))
        self.assertGreater(stats.chisquare(counts).pvalue, 1e-4)


class Drifting(unittest.TestCase):
    def setUp(self):
        self.made = wandering([3, 9, 1, 20, 5] * 30)
        self.of = self.made.form.curve_of

    def test_a_strand_drifts_as_one(self):
        """All points of a strand get the same: the least and greatest of each owner by numpy.minimum.reduceat."""
        colours = np.tile(np.float32([0.4, 0.2, 0.1]), (self.made.count, 1))
        step = STEPS["drift"](step="drift", per="strand", hue=(-40, 40), lightness=(-0.2, 0.2), seed=4)
        found = run_step(step, self.made, Value(COLOUR, colours)).array
        heads = self.made.form.starts[:-1]
        np.testing.assert_array_equal(np.minimum.reduceat(found, heads), np.maximum.reduceat(found, heads))
        self.assertGreater(len(np.unique(found, axis=0)), 140)
        numbers = run_step(
            STEPS["drift"](step="drift", per="strand", value=(-0.2, 0.3), seed=4), self.made,
            Value(NUMBER, np.full(self.made.count, 0.5, np.float32)),
        ).array  # fmt: skip
        np.testing.assert_array_equal(np.minimum.reduceat(numbers, heads), np.maximum.reduceat(numbers, heads))
        each = numbers[heads]
        # Uniform over the interval: Kolmogorov and Smirnov.
        self.assertGreater(stats.kstest(each, stats.uniform(0.3, 0.5).cdf).pvalue, 1e-3)

    def test_unify_per_strand_is_a_weighted_bincount(self):
        numbers = RNG.random(self.made.count).astype(np.float32)
        found = run_step(STEPS["unify"](step="unify", per="strand"), self.made, Value(NUMBER, numbers)).array
        wanted = np.bincount(self.of, weights=numbers) / np.bincount(self.of)
        np.testing.assert_allclose(found, wanted[self.of], rtol=1e-6)

    def test_what_is_added_before_a_ramp_takes_its_contrast_away(self):
        """Common practice: two populations of equal spread, one added to the other, leave the ramp less to tell."""
        made = wandering([24] * 500)
        steps = [{"step": "along"}, {"step": "drift", "value": [-0.5, 0.5], "seed": 2}, STRIPES]
        plain, noisy = (coloured(made, *chain).colours for chain in ((steps[0], STRIPES), steps))
        along = values(made, "along")
        # How much of the colours' variance the place along explains (squared correlation).
        explained = [np.corrcoef(along, c[:, 0])[0, 1] ** 2 for c in (plain, noisy)]
        self.assertLess(explained[1], 0.6 * explained[0])


class Melanin(unittest.TestCase):
    #: d'Eon et al. 2011, supplemental table: absorption per unit of eumelanin and of pheomelanin (from memory).
    EU, PHEO = np.array([0.419, 0.697, 1.37]), np.array([0.187, 0.4, 1.05])

    def absorption(self, colour: np.ndarray, b: float) -> np.ndarray:
        """Chiang et al. 2016, equation 9: the absorption that gives a colour at a roughness around (from memory)."""
        return (np.log(colour) / (5.969 - 0.215 * b + 2.532 * b**2 - 10.73 * b**3 + 5.574 * b**4 + 0.245 * b**5)) ** 2

    def test_the_published_formula_leads_back_to_the_table(self):
        for eumelanin, pheomelanin, roughness in ((0.3, 0.4, 0.3), (1.3, 0.0, 0.5), (0.0, 0.6, 0.1), (0.05, 0.02, 0.9)):
            one = hair_colour(np.array([eumelanin]), np.array([pheomelanin]), roughness)[0]
            found = self.absorption(one.astype(np.float64), roughness)
            np.testing.assert_allclose(found, eumelanin * self.EU + pheomelanin * self.PHEO, rtol=2e-4)

    def test_amount_and_redness_are_the_two_amounts(self):
        made = wandering([4])
        by = [
            {"by": "redness", "amount": 1.2, "redness": 0.25}, {"by": "amounts", "eumelanin": 0.9, "pheomelanin": 0.3}
        ]  # fmt: skip
        one, two = (run_step(STEPS["melanin"](step="melanin", **more), made).array for more in by)
        np.testing.assert_allclose(one, two, rtol=1e-6)
        self.assertEqual(hair_colour(np.zeros(1), np.zeros(1), 0.3).tolist(), [[1, 1, 1]])

    def test_more_pigment_is_darker_and_pheomelanin_is_redder(self):
        """Facts of hair: eumelanin browns and blacks, pheomelanin reddens (common knowledge of the trade)."""
        amounts = np.linspace(0.01, 4, 60)
        for colours in (hair_colour(amounts, 0 * amounts, 0.3), hair_colour(0 * amounts, amounts, 0.3)):
            self.assertTrue((np.diff(colours, axis=0) <= 0).all())
        brown, red = hair_colour(np.array([0.2, 0.0]), np.array([0.0, 0.2 * 0.419 / 0.187]), 0.3)
        self.assertAlmostEqual(float(brown[0]), float(red[0]), places=4)
        self.assertLess(red[2] / red[0], brown[2] / brown[0])


def groom(cubic: str = "") -> tuple[bytes, dict[str, np.ndarray]]:
    """Curves that usd-core writes, with primvars of every interpolation."""
    rng = np.random.default_rng(3)
    counts = np.array([4, 7, 4, 10] if cubic == "bezier" else [4, 9, 5, 12], np.int32)
    places = rng.normal(size=(counts.sum(), 3)).astype(np.float32)
    held = {"points": places, "counts": counts, "shade": rng.random(len(places)).astype(np.float32),
            "clump": np.array([3, 1, 4, 1], np.int32), "tint": rng.random((len(places), 3)).astype(np.float32),
            "widths": rng.random(len(places)).astype(np.float32)}  # fmt: skip
    stage = Usd.Stage.CreateInMemory()
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
    curves = UsdGeom.BasisCurves.Define(stage, "/groom/fur")
    curves.CreateTypeAttr("cubic" if cubic else "linear")
    if cubic:
        curves.CreateBasisAttr(cubic)
    curves.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(places))
    curves.CreateCurveVertexCountsAttr(Vt.IntArray.FromNumpy(counts))
    curves.CreateWidthsAttr(Vt.FloatArray.FromNumpy(held["widths"]))
    curves.SetWidthsInterpolation("vertex")
    primvars = UsdGeom.PrimvarsAPI(curves)
    primvars.CreatePrimvar("shade", Sdf.ValueTypeNames.FloatArray, "vertex").Set(Vt.FloatArray.FromNumpy(held["shade"]))
    primvars.CreatePrimvar("clump", Sdf.ValueTypeNames.IntArray, "uniform").Set(Vt.IntArray.FromNumpy(held["clump"]))
    primvars.CreatePrimvar("tint", Sdf.ValueTypeNames.Color3fArray, "vertex").Set(Vt.Vec3fArray.FromNumpy(held["tint"]))
    primvars.CreatePrimvar("breed", Sdf.ValueTypeNames.StringArray, "constant").Set(["merino"])
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "fur.usdc"
        stage.Export(str(path))
        return path.read_bytes(), held


def opened(data: bytes, ending: str):  # type: ignore[no-untyped-def]
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"out{ending}"
        path.write_bytes(data)
        return Usd.Stage.Open(str(path))


class Files(unittest.TestCase):
    def test_curves_of_another_library_and_home_again(self):
        """usd-core wrote them and reads them again: every primvar as it was, the colours at each point."""
        for cubic in ("", "bezier", "bspline", "catmullRom"):
            data, held = groom(cubic)
            (thing,) = read_items(data, "fur.usdc")
            made = thing.population
            self.assertEqual((made.kind, made.form.sizes.tolist()), ("strands", held["counts"].tolist()))
            self.assertEqual(made.form.basis, cubic or "linear")
            np.testing.assert_array_equal(values(made, "shade"), held["shade"])
            np.testing.assert_array_equal(values(made, "width"), held["widths"])
            above = made.elements.owners[0].attributes
            self.assertEqual(above["clump"].values.tolist(), held["clump"].tolist())
            self.assertEqual(above["breed"].labels, ("merino",))
            colours = coloured(made).colours
            for word, ending in (("usd", ".usda"), ("usdc", ".usdc")):
                stage = opened(written(made, word), ending)
                curves = UsdGeom.BasisCurves(stage.GetDefaultPrim())
                np.testing.assert_array_equal(np.array(curves.GetPointsAttr().Get()), held["points"])
                self.assertEqual(list(curves.GetCurveVertexCountsAttr().Get()), held["counts"].tolist())
                self.assertEqual(str(curves.GetTypeAttr().Get()), "cubic" if cubic else "linear")
                if cubic:
                    self.assertEqual(str(curves.GetBasisAttr().Get()), cubic)
                primvars = UsdGeom.PrimvarsAPI(curves)
                for name, wanted in (("shade", held["shade"]), ("tint", held["tint"]), ("clump", held["clump"])):
                    np.testing.assert_array_equal(np.array(primvars.GetPrimvar(name).Get()), wanted, name)
                self.assertEqual(str(primvars.GetPrimvar("clump").GetInterpolation()), "uniform")
                shown = primvars.GetPrimvar("displayColor")
                self.assertEqual(str(shown.GetInterpolation()), "vertex")
                np.testing.assert_allclose(np.array(shown.Get()), colours, rtol=1e-6)
                np.testing.assert_array_equal(np.array(curves.GetWidthsAttr().Get()), held["widths"])

    def test_usd_core_finds_no_fault(self):
        made = StrandsMaker(maker="strands", surface="ball", count=50, points=6).make(None)
        stage = opened(written(made, "usd"), ".usda")
        validators = UsdValidation.ValidationRegistry().GetOrLoadAllValidators()
        self.assertEqual(UsdValidation.ValidationContext(validators).Validate(stage), [])
        curves = UsdGeom.BasisCurves(stage.GetDefaultPrim())
        self.assertEqual(curves.ComputeVertexDataSize(Usd.TimeCode.Default()), made.count)
        # The extent is what the library itself works out of points and widths.
        wanted = UsdGeom.Boundable.ComputeExtentFromPlugins(curves, Usd.TimeCode.Default())
        np.testing.assert_allclose(np.array(curves.GetExtentAttr().Get()), np.array(wanted), atol=1e-6)

    def test_two_prims_are_two_parts(self):
        stage = Usd.Stage.CreateInMemory()
        for k, name in enumerate(("mane", "tail")):
            curves = UsdGeom.BasisCurves.Define(stage, f"/{name}")
            curves.CreateTypeAttr("linear")
            curves.CreatePointsAttr([(k, 0, 0), (k, 0, 1), (k, 0, 2)])
            curves.CreateCurveVertexCountsAttr([3])
        (thing,) = read_items(stage.ExportToString().encode(), "horse.usda")
        names = thing.population.elements.attribute("part_name")
        self.assertEqual([names.labels[k] for k in names.values], ["mane"] * 3 + ["tail"] * 3)

    def test_the_khronos_validator_and_trimesh_read_the_lines(self):
        made = StrandsMaker(maker="strands", surface="ball", count=40, points=5).make(None)
        data = written(made, "glb")
        issues = test_mesh_files.Glb().validated(data)
        self.assertEqual((issues["numErrors"], issues["numWarnings"]), (0, 0), issues["messages"][:3])
        scene = trimesh.load(io.BytesIO(data), file_type="glb", process=False)
        (path,) = scene.geometry.values()
        self.assertEqual(len(path.vertices), made.count)
        # Their y is up.
        x, y, z = values(made, "position").T
        np.testing.assert_allclose(path.vertices, np.stack([x, z, -y], -1), atol=1e-6)

    def test_the_polylines_of_a_file_line_by_line(self):
        """The text of the file taken apart here: ``l`` names the points of a strand in order, ``v`` has its colour."""
        made = wandering([3, 8, 2])
        text = written(made, "obj").decode()
        lines = [line.split()[1:] for line in text.splitlines() if line.startswith("l ")]
        self.assertEqual([len(line) for line in lines], [3, 8, 2])
        rows = [list(map(float, line.split()[1:])) for line in text.splitlines() if line.startswith("v ")]
        np.testing.assert_allclose(np.array(rows)[:, :3], values(made, "position"), rtol=1e-7)
        levels = display_bytes(coloured(made).colours)
        self.assertLessEqual(np.abs(np.array(rows)[:, 3:6] * 255 - levels).max(), 0.51)
        (thing,) = read_items(text.encode(), "fur.obj")
        self.assertEqual(thing.population.form.sizes.tolist(), [3, 8, 2])

    def test_every_format_brings_strands_back(self):
        """Real strands of differing counts, with numbers, whole numbers and texts at points and strands."""
        sizes = [4, 1, 6, 2, 9]
        points = {
            "position": column("position", "vector", RNG.normal(size=(22, 3)), "x", "y", "z"),
            "width": column("width", "number", RNG.random(22), "width"),
            "wear": column("wear", "number", RNG.random(22), "wear"),
            "row": Attribute("row", "integer", np.arange(22, dtype=np.int32) % 7, (), (Field("row", "<i4"),)),
        }
        made = of_curves(points, form(sizes))
        for word in ("csv", "glb", "usd", "usdc"):
            with self.subTest(word):
                (thing,) = read_items(written(made, word), f"fur{FORMATS[word].ending}")
                back = thing.population
                self.assertEqual(back.form.sizes.tolist(), sizes)
                for name in ("position", "width", "wear", "row"):
                    np.testing.assert_allclose(values(back, name), values(made, name), rtol=1e-6, atol=1e-7)
                maker, blobs = store_columns(back, "fur")
                self.assertEqual(maker.make(Memory(blobs)).digest, back.digest)

    def test_line_strips_loops_and_lines_of_gltf(self):
        """The modes of glTF 2.0 (3.7.2.1): LINES join where one begins at the end of the one before."""
        places = np.float32([[0, 0, 0], [1, 0, 0], [2, 0, 0], [3, 0, 0], [4, 0, 0]])
        index = np.array([0, 1, 1, 2, 3, 4], "<u2")
        for mode, wanted in ((1, [3, 2]), (2, [6]), (3, [5])):
            order = index if mode == 1 else np.arange(5, dtype="<u2")
            binary = places.tobytes() + order.tobytes() + b"\0\0" * (len(order) % 2)
            document = {
                "asset": {"version": "2.0"}, "buffers": [{"byteLength": len(binary)}],
                "bufferViews": [
                    {"buffer": 0, "byteLength": 60}, {"buffer": 0, "byteOffset": 60, "byteLength": order.nbytes}
                ],
                "accessors": [
                    {"bufferView": 0, "componentType": 5126, "count": 5, "type": "VEC3"},
                    {"bufferView": 1, "componentType": 5123, "count": len(order), "type": "SCALAR"},
                ],
                "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1, "mode": mode}]}],
                "nodes": [{"mesh": 0}], "scenes": [{"nodes": [0]}],
            }  # fmt: skip
            (thing,) = read_items(test_mesh_files.glb(document, binary), "lines.glb")
            self.assertEqual(thing.population.form.sizes.tolist(), wanted, mode)
