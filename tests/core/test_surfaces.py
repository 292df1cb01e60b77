"""Populations on one another, in places of their own, in draft and whole; what a mesh is too coarse for."""

import json
import unittest

import numpy as np

from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.formats import FORMATS, read_items, read_points
from gaudyseed.core.geometry.parted import thing
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Look
from gaudyseed.core.look.scope import Surroundings
from gaudyseed.core.pictures.picture import Picture
from gaudyseed.core.population.kinds import thinned
from gaudyseed.core.population.makers.surface import SurfaceMaker
from gaudyseed.core.population.placed import placed
from gaudyseed.core.reports.report import Reporter
from gaudyseed.core.scene.model import Scene
from gaudyseed.core.scene.run import SceneRun
from tests.forking import forked
from tests.support import FIVE, look_document, points, ramp

NIGHT = ramp([0, 1], ["#000020", "#ffe0a0"], interpolation="straight")
NIGHT0 = {"step": "constant", "value": "#204060"}
HEIGHT = [{"step": "attribute", "name": "position", "component": "z"}, {"step": "range", "own": True}]


def setUpModule() -> None:
    """Files of USD and pictures are read by forks."""
    unittest.enterModuleContext(forked())


def population(name: str, maker: dict, *paint: dict, **more) -> dict:
    signals = more.pop("signals", [])
    return {
        "id": name,
        "name": name.title(),
        "maker": maker,
        "look": look_document(*paint) | {"signals": signals},
        **more,
    }


def mesh(*paint: dict, surface: str = "ball", subdivision: int = 1, **more) -> dict:
    maker = {"maker": "mesh", "surface": surface, "subdivision": subdivision}
    return population("ground", maker, *(paint or (*HEIGHT, NIGHT)), **more)


def dots(*paint: dict, **maker) -> dict:
    given = {"maker": "scatter", "on": "ground", "count": 2000, "seed": 3, **maker}
    return population("dots", given, *(paint or ({"step": "ground"},)))


class Made:
    """Makes populations and remembers what was made."""

    def __init__(self) -> None:
        self.made: dict[str, object] = {}
        self.evaluator = Evaluator()

    def run(self, *populations: dict, final: bool = False, **scene) -> SceneRun:
        document = parse(Scene, {"populations": list(populations), **scene})
        return SceneRun(document, self.evaluator, self.order, final=final)

    def order(self, order):
        if order.key not in self.made:
            self.made[order.key] = order.make(None)
        return self.made[order.key]


class Standing(unittest.TestCase):
    def setUp(self):
        self.kept = Made()

    def test_the_ground_is_interpolated_at_the_foot(self):
        """Barycentric arithmetic by hand, of an attribute, of a signal and of the finished colour."""
        signal = {"name": "bands", "chain": [*HEIGHT, {"step": "quantise", "levels": 4}]}
        ground = mesh(signals=[signal])
        for of, name in (("attribute", "curvature"), ("signal", "bands"), ("channel", "roughness")):
            read = {"step": "ground", "of": of, "name": name}
            run = self.kept.run(ground, dots(read, NIGHT))
            found = run.evaluation("dots").steps[0].value.array
            feet = run.population("dots").standing
            below = run.evaluation("ground")
            values = {
                "attribute": below.population.elements.attribute("curvature").readable,
                "signal": below.signals["bands"].value.array,
                "channel": np.full(below.population.count, 0.3, np.float32),
            }[of]  # fmt: skip
            wanted = (values[feet.corners] * feet.weights).sum(axis=1)
            np.testing.assert_allclose(found, wanted, atol=1e-5, err_msg=of)
        run = self.kept.run(ground, dots())
        feet, colours = run.population("dots").standing, run.evaluation("ground").colours
        wanted = (colours[feet.corners] * feet.weights[:, :, None]).sum(axis=1)
        np.testing.assert_allclose(run.evaluation("dots").colours, wanted, atol=1e-5)

    def test_an_edit_of_the_ground_recolours_and_moves_nothing(self):
        one = self.kept.run(mesh(), dots())
        before = one.evaluation("dots").colours
        other = self.kept.run(mesh(*HEIGHT, ramp([0, 1], ["#200000", "#a0ffe0"])), dots())
        self.assertIs(other.population("dots"), one.population("dots"))
        self.assertGreater(np.abs(other.evaluation("dots").colours - before).max(), 0.3)
        # What does not read it is not computed again.
        plain = dots({"step": "random", "seed": 1}, NIGHT)
        self.kept.run(mesh(), plain).evaluation("dots")
        self.assertEqual(self.kept.run(mesh(*HEIGHT, NIGHT), plain).evaluation("dots").computed, [])

    def test_density_by_an_attribute_a_signal_and_a_channel(self):
        coat = {"of": "attribute", "name": "coat"}
        run = self.kept.run(mesh(surface="beetle", subdivision=0), dots(density=coat))
        names = run.population("dots").elements.attribute("part_name")
        bare = {k for k, name in enumerate(names.labels) if "leg" in name or "eye" in name or "belly" in name}
        self.assertFalse(set(names.values.tolist()) & bare)
        upper = {"name": "upper", "chain": [*HEIGHT, {"step": "levels", "black_point": 0.5, "white_point": 0.6}]}
        for density in ({"of": "signal", "name": "upper"}, {"of": "channel", "name": "roughness"}):
            ground = mesh(signals=[upper])
            ground["look"]["lanes"]["roughness"] = {"layers": [{"paint": [{"step": "signal", "name": "upper"}]}]}
            made = self.kept.run(ground, dots(density=density)).population("dots")
            self.assertGreater(made.elements.own["position"].values[:, 2].min(), 0.9)
        # Its places follow what says how densely they stand.
        ground["look"]["signals"][0]["chain"][-1] |= {"black_point": 0.8, "white_point": 0.9}
        moved = self.kept.run(ground, dots(density={"of": "signal", "name": "upper"})).population("dots")
        self.assertGreater(moved.elements.own["position"].values[:, 2].min(), 1.4)

    def test_parts_are_those_of_the_mesh(self):
        run = self.kept.run(mesh(surface="carp", subdivision=0), dots(count=500))
        made, below = run.population("dots"), run.population("ground")
        part = below.elements.owner_of("part")[made.standing.corners[:, 0]]
        np.testing.assert_array_equal(made.elements.owner_of("part"), part)
        np.testing.assert_array_equal(made.elements.attribute("part").values, part)

    def test_what_cannot_be_is_told(self):
        cases = (
            ((dots(),), "no population 'ground'"),
            ((population("ground", {"maker": "scatter", "count": 5}, NIGHT), dots()), "no faces"),
            ((mesh(), dots({"step": "ground", "of": "signal", "name": "band"})), "No signal is called 'band'"),
            ((mesh(), dots({"step": "ground", "of": "attribute", "name": "part_name"})), "holds texts"),
            ((mesh(), dots({"step": "ground", "of": "channel", "name": "shine"})), "no channel"),
            ((mesh(), dots(density={"of": "attribute", "name": "normal"})), "wants a number"),
            ((mesh(surface="beetle", subdivision=0), dots(density={"of": "attribute", "name": "cote"})), "coat"),
            ((population("dots", {"maker": "scatter", "count": 5}, {"step": "ground"}),), "stand on no population"),
            ((population("dots", {"maker": "scatter", "on": "dots", "count": 5}, {"step": "ground"}),), "circle"),
        )
        for populations, word in cases:
            with self.assertRaises(BadInput) as caught:
                self.kept.run(*populations).evaluation("dots")
            self.assertIn(word, caught.exception.sentence)

    def test_a_circle_of_standing_and_reading(self):
        one = population("a", {"maker": "scatter", "on": "b", "count": 5}, {"step": "ground"})
        two = population("b", {"maker": "scatter", "on": "a", "count": 5}, {"step": "ground"})
        with self.assertRaises(BadInput) as caught:
            self.kept.run(one, two).evaluation("a")
        self.assertEqual(caught.exception.code, "population_cycle")
        self.assertIn("'A' stands on 'B' stands on 'A'", caught.exception.sentence)


class Placed(unittest.TestCase):
    def setUp(self):
        self.kept = Made()
        self.place = {"position": [3, {"dial": "y"}, 0], "turn": [0, 0, 90], "size": 2}
        self.dials = [{"name": "y", "value": -1}]

    def test_measures_say_in_whose_space(self):
        for space, wanted in (("own", [0.0, 2.0]), ("scene", [-3.0, 1.0])):
            read = {"step": "attribute", "name": "position", "component": "y", "space": space}
            run = self.kept.run(mesh(read, NIGHT, place=self.place), dials=self.dials)
            values = run.evaluation("ground").steps[0].value.array
            if space == "scene":
                np.testing.assert_allclose([values.min(), values.max()], wanted, atol=0.05)
            else:
                np.testing.assert_allclose([values.min(), values.max()], [-1, 1], atol=0.02)
        # Turned by a quarter, the own x is the scene's y.
        normal = [{"step": "attribute", "name": "normal", "space": s} for s in ("own", "scene")]
        own, there = (
            self.kept.run(mesh(n, {"step": "as_colour"}, place=self.place), dials=self.dials)
            .evaluation("ground").steps[0].value.array for n in normal
        )  # fmt: skip
        np.testing.assert_allclose(there[:, 1], own[:, 0], atol=1e-5)
        np.testing.assert_allclose(np.linalg.norm(there, axis=1), 1, atol=1e-5)

    def test_what_stands_there_moves_with_it(self):
        run = self.kept.run(mesh(place=self.place), dots(), dials=self.dials)
        np.testing.assert_array_equal(run.placement("dots"), run.placement("ground"))
        still = self.kept.run(mesh(), dots())
        self.assertIs(still.population("dots"), run.population("dots"))

    def test_files_hold_the_place_in_the_scene(self):
        run = self.kept.run(mesh(place=self.place), dots(), dials=self.dials, final=True)
        by = run.placement("dots")
        one = run.population("dots")
        back = read_points(FORMATS["ply"].write(placed(one, by), None), "a.ply")
        own = one.elements.own
        np.testing.assert_allclose(
            back.elements.own["position"].values, own["position"].values @ by[:3, :3].T + by[:3, 3], atol=1e-5
        )
        np.testing.assert_allclose(back.elements.own["size"].values, own["size"].values * 2, rtol=1e-5)
        np.testing.assert_allclose(back.elements.own["normal"].values[:, 1], own["normal"].values[:, 0], atol=1e-5)
        self.assertIs(placed(one, np.eye(4)), one)


class Draft(unittest.TestCase):
    def test_the_view_has_less_and_files_have_all(self):
        kept = Made()
        ground = mesh(subdivision=2, draft={"subdivision": 0})
        sparse = dots(count=3000) | {"draft": {"count": 800, "every": 4}}
        view, whole = kept.run(ground, sparse), kept.run(ground, sparse, final=True)
        self.assertEqual((view.population("dots").count, whole.population("dots").count), (200, 3000))
        self.assertLess(view.population("ground").count * 10, whole.population("ground").count)
        # The first of the whole, and with the same colours, although the ground is coarse in the view.
        at = view.population("dots").elements.own["id"].values
        ids = whole.population("dots").elements.own["id"].values[:800:4]
        np.testing.assert_array_equal(at, ids)
        np.testing.assert_allclose(view.evaluation("dots").colours, whole.evaluation("dots").colours[:800:4], atol=1e-6)

    def test_imports_are_thinned(self):
        made = points(10)
        self.assertEqual(
            thinned(made, 3).elements.own["id"].values.tolist(), made.elements.own["id"].values[::3].tolist()
        )


class TooCoarse(unittest.TestCase):
    def advisories(self, *paint: dict, subdivision: int = 0, surface: str = "mask") -> list[dict]:
        kept = Made()
        run = kept.run(mesh(*paint, surface=surface, subdivision=subdivision))
        return [a for a in Reporter(kept.evaluator).advisories(run.evaluation("ground")) if a["code"] == "too_coarse"]

    def of_picture(self, step: dict, texels: np.ndarray) -> list[dict]:
        """The same of a picture that is read."""
        evaluator = Evaluator()
        made = SurfaceMaker(maker="mesh", surface="mask", subdivision=0).make(None)
        shown = Surroundings({}, assets=lambda name, place: Picture(name, texels.copy()), pictures=("squares",))
        evaluation = evaluator.evaluate(made, parse(Look, look_document(step)), surroundings=shown)
        return [a for a in Reporter(evaluator).advisories(evaluation) if a["code"] == "too_coarse"]

    def test_a_hard_edge_is_told_with_its_fix_and_a_soft_ramp_is_not(self):
        hard = ramp([0, 0.4, 0.8], FIVE[:3], interpolation="steps")
        told = self.advisories(*HEIGHT, hard)
        self.assertEqual([a["fixes"][0]["action"] for a in told], ["subdivide"])
        self.assertEqual(self.advisories(*HEIGHT, NIGHT), [])
        count = [int(a["sentence"].split(":")[1].split()[0].replace(",", "")) for a in told]
        self.assertGreater(count[0], 100)

    def test_it_counts_the_vertices_at_the_edge(self):
        """By hand: a band's edge at a height crosses exactly the edges whose ends lie on both sides of it."""
        kept = Made()
        hard = ramp([0, 0.5], ["#000000", "#ffffff"], interpolation="steps")
        run = kept.run(mesh(*HEIGHT, hard, surface="mask", subdivision=0))
        evaluation = run.evaluation("ground")
        values = evaluation.steps[1].value.array
        ends = evaluation.population.form.edges(evaluation.population.count).ends
        crossing = (values[ends[:, 0]] < 0.5) != (values[ends[:, 1]] < 0.5)
        wanted = len(np.unique(ends[crossing]))
        (told,) = [a for a in Reporter(kept.evaluator).advisories(evaluation) if a["code"] == "too_coarse"]
        self.assertIn(f"{wanted:,} vertices", told["sentence"])

    def test_what_is_read_by_place_is_told_too(self):
        """A falloff narrower than an edge, a fine noise, a picture with hard borders; each wider or softer is not."""
        narrow = {
            "step": "falloff",
            "shape": "plane",
            "centre": [0, 0, 0.3],
            "size": [1, 1, 0.05],
            "profile": "straight",
        }
        fine = {"step": "noise", "size": 0.05, "seed": 1}
        for step in (narrow, fine):
            told = self.advisories(step, NIGHT)
            self.assertEqual([a["fixes"][0]["action"] for a in told if a["place"].endswith("paint[0]")], ["subdivide"])
        wide = {**narrow, "size": [1, 1, 2]}
        for step in (wide, {**fine, "size": 3}):
            self.assertEqual([a for a in self.advisories(step, NIGHT) if a["place"].endswith("paint[0]")], [], step)
        count = [len(self.advisories(narrow, NIGHT, subdivision=k)) for k in (0, 3)]
        self.assertEqual(count, [1, 0])
        # Squares of a few texels: their borders lie between vertices.
        texels = np.ones((24, 24, 4), np.float32)
        texels[..., :3] = np.kron(np.indices((6, 6)).sum(axis=0) % 2, np.ones((4, 4)))[..., None]
        squares = {"step": "picture", "picture": "squares", "centre": [0, 0, 0], "size": [1.5, 1.5], "turn": [90, 0, 0]}
        self.assertEqual([a["fixes"][0]["action"] for a in self.of_picture(squares, texels)], ["subdivide"])
        texels[..., :3] = 0.5
        self.assertEqual(self.of_picture(squares, texels), [])

    def test_half_way_along_an_edge_is_worked_out_there(self):
        """By hand: a plane's weight at the middles of edges, against the mix of their ends."""
        step = {"step": "falloff", "shape": "plane", "centre": [0, 0, 0.3], "size": [1, 1, 0.05], "profile": "straight"}
        kept = Made()
        run = kept.run(mesh(step, NIGHT, surface="mask", subdivision=0))
        evaluation = run.evaluation("ground")
        place = evaluation.population.elements.attribute("position").readable.astype(float)
        ends = evaluation.population.form.edges(evaluation.population.count).ends

        def weight(z: np.ndarray) -> np.ndarray:
            return np.clip(1 - np.abs(z - 0.3) / 0.05, 0, 1)

        z = place[:, 2]
        middle = (z[ends[:, 0]] + z[ends[:, 1]]) / 2
        apart = np.abs(weight(middle) - (weight(z)[ends[:, 0]] + weight(z)[ends[:, 1]]) / 2)
        wanted = len(np.unique(ends[apart > 0.2]))
        told = [a for a in Reporter(kept.evaluator).advisories(evaluation) if a["place"].endswith("paint[0]")]
        self.assertIn(f"{wanted:,} vertices", told[0]["sentence"])

    def test_tiles_of_one_value_are_fine(self):
        hard = ramp([0, 0.4, 0.8], FIVE[:3], interpolation="steps")
        self.assertEqual(self.advisories({"step": "random", "per": "part", "seed": 1}, hard, surface="carp"), [])


class Missing(unittest.TestCase):
    def test_a_default_stands_in_and_is_told(self):
        step = {"step": "attribute", "name": "wearing", "otherwise": 0.25}
        kept = Made()
        run = kept.run(mesh(step, NIGHT))
        evaluation = run.evaluation("ground")
        self.assertEqual(set(evaluation.steps[0].value.array.tolist()), {0.25})
        (told,) = [a for a in Reporter(kept.evaluator).advisories(evaluation) if a["code"] == "attribute_lacks"]
        self.assertIn("'wearing'", told["sentence"])
        with self.assertRaises(BadInput):
            kept.run(mesh({**step, "otherwise": None}, NIGHT)).evaluation("ground")
        colour = kept.run(mesh({**step, "otherwise": "#ff0000"})).evaluation("ground")
        np.testing.assert_allclose(colour.colours[0], [1, 0, 0])

    def test_what_is_missing_of_a_column_too(self):
        rows = ["x,y,z,wear", "0,0,0,0.5", "1,0,0,", "0,1,0,nan"]
        made = read_points("\n".join(rows).encode(), "a.csv")
        look = look_document({"step": "attribute", "name": "wear", "otherwise": 0.75}, NIGHT)
        found = Evaluator().evaluate(made, parse(Look, look))
        self.assertEqual(found.steps[0].value.array.tolist(), [0.5, 0.75, 0.75])


class Copies(unittest.TestCase):
    """A grid, and copies of things with named parts."""

    def made(self, *paint: dict, **maker):
        kept = Made()
        run = kept.run(
            population("g", {"maker": "grid", "columns": 4, "rows": 3, "layers": 2, "size": 0.5, **maker}, *paint)
        )
        return run, run.population("g")

    def test_a_grid(self):
        _, made = self.made(NIGHT0, column_spacing=2.0, row_spacing=1.0, layer_spacing=3.0)
        own = made.elements.own
        self.assertEqual(made.count, 24)
        np.testing.assert_allclose(own["position"].values[0], [-3, -1, 0.25])
        np.testing.assert_allclose(own["position"].values[-1], [3, 1, 3.25])
        self.assertEqual([own[n].values[13] for n in ("column", "row", "layer")], [1, 0, 1])
        with self.assertRaises(BadInput) as caught:
            self.made(NIGHT0, columns=1000, rows=1000, layers=2)
        self.assertIn("2,000,000 elements", caught.exception.sentence)

    def test_one_per_name_one_per_copy_and_one_for_each(self):
        for per, wanted in (("element", 96), ("copy", 24), ("part_name", 4), ("part", 4)):
            run, made = self.made({"step": "random", "per": per, "seed": 1}, NIGHT, copies="lantern", each="part")
            self.assertEqual(made.count, 96)
            values = run.evaluation("g").steps[0].value.array
            self.assertEqual(len(np.unique(values)), wanted, per)
        owners = made.elements.owners[0]
        self.assertEqual((owners.level, owners.count), ("copy", 24))
        steps = [{"step": "random", "seed": 1}, {"step": "unify", "per": "copy"}, NIGHT]
        run, _ = self.made(*steps, copies="lantern", each="part")
        unified = run.evaluation("g").steps[1].value.array.reshape(24, 4)
        np.testing.assert_allclose(unified.std(axis=1), 0, atol=1e-7)

    def test_parts_stand_at_their_middles(self):
        """By hand: a lantern's tassel hangs below its copy by its middle times the size, turned with the copy."""
        _, made = self.made(NIGHT0, copies="lantern", each="part")
        thing_of = thing("lantern")
        tassel = thing_of.parts.index("tassel")
        at = made.elements.own["position"].values[tassel]
        whole = made.elements.attribute("copy_position").values[tassel]
        np.testing.assert_allclose(at - whole, thing_of.middles[tassel] * 0.5, atol=1e-6)

    def test_files_have_a_shape_for_each_part(self):
        run, made = self.made({"step": "random", "seed": 1}, NIGHT, copies="rosette", each="part")
        results = run.evaluation("g").results
        for form in ("glb", "usd"):
            things = read_items(FORMATS[form].write(made, results), f"a{FORMATS[form].ending}")
            self.assertEqual(sum(t.population.count for t in things), 72)
            back = np.concatenate([t.population.elements.own["position"].values for t in things])
            whole = made.elements.attribute("copy_position").values
            for place in whole[::9]:
                self.assertLess(np.abs(back - place).sum(axis=1).min(), 1e-5)
            colours = np.concatenate([t.population.elements.own["colour"].readable for t in things])
            np.testing.assert_allclose(np.sort(colours[:, 0]), np.sort(results["base_colour"][:, 0]), atol=1e-5)

    def test_a_scatter_of_copies_on_a_mesh_keeps_its_ground(self):
        kept = Made()
        run = kept.run(mesh(), dots(copies="rosette", each="part", count=50))
        made = run.population("dots")
        self.assertEqual((made.count, len(made.standing.corners)), (150, 150))
        colours = run.evaluation("dots").colours.reshape(50, 3, 3)
        self.assertEqual(np.ptp(colours, axis=1).max(), 0)


class Written(unittest.TestCase):
    def test_a_scene_of_meshes_is_read_as_it_is_written(self):
        scene = parse(Scene, {"populations": [mesh(place={"turn": [0, 0, 5]}), dots(density={"name": "curvature"})]})
        again = parse(Scene, json.loads(scene.model_dump_json()))
        self.assertEqual(again, scene)
        self.assertEqual(again.populations[1].maker.density.of, "attribute")
