"""The channels of the material: lanes over finishes, shapes and how they are chosen, what size, offset and spin do."""

from __future__ import annotations

import unittest

import numpy as np

from gaudyseed.core.channels import CHANNELS
from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.geometry.shapes import SHAPES, shape_mesh
from gaudyseed.core.look.choosing import chosen, weights_of
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Look
from gaudyseed.core.look.results import Evaluation
from gaudyseed.core.look.scope import Surroundings
from gaudyseed.core.population import Attribute, Population
from gaudyseed.core.reports.coverage import coverage, hidden
from gaudyseed.core.reports.report import Reporter
from gaudyseed.core.scene.model import Scene
from gaudyseed.core.scene.run import SceneRun
from gaudyseed.core.sending import moved_elements, sent, spun
from gaudyseed.core.shown.shading import looked_up
from gaudyseed.core.shown.tables import mapped
from tests.support import look_document, points, ramp

RANDOM = {"step": "random", "seed": 3}
GREYS = ramp([0, 1], ["#000000", "#ffffff"], interpolation="straight")


def lane(*steps: dict, blend: str = "normal", **settings) -> dict:
    return {"layers": [{"blend": blend, "paint": list(steps)}], **settings}


def document(**more) -> dict:
    lanes = {"base_colour": lane(RANDOM, GREYS), **more.pop("lanes", {})}
    return {"gaudyseed": 3, "lanes": lanes, **more}


def evaluated(population: Population, placement: np.ndarray | None = None, **more) -> Evaluation:
    place = {} if placement is None else {"placement": placement}
    return Evaluator().evaluate(population, parse(Look, document(**more)), **place)


def mesh(maker: dict | None = None, **look) -> Evaluation:
    made = maker or {"maker": "mesh", "surface": "sheet", "subdivision": 1}
    entry = {"id": "m", "name": "M", "maker": made, "look": document(**look)}
    scene = parse(Scene, {"gaudyseed": 3, "populations": [entry]})
    return SceneRun(scene, Evaluator(), lambda request: request.make(None)).evaluation("m")


class Choosing(unittest.TestCase):
    def test_typed_shares_are_those_of_the_elements(self):
        values = np.random.default_rng(1).random(1000).astype(np.float32)
        for shares in ([0.2, 0.5, 0.3], [0, 1, 0], [0.999, 0.001], [1, 1, 2, 4]):
            weights = weights_of(values, shares)
            counts = np.bincount(chosen(values, weights, "share").astype(int), minlength=len(shares))
            np.testing.assert_allclose(counts / 1000, np.array(shares) / sum(shares), atol=0.0011)
        for wrong in ([], [0, 0], [float("nan"), 1], [-1, 2]):
            with self.assertRaises(BadInput):
                weights_of(values, wrong)

    def test_what_has_no_weight_gets_nothing_even_at_the_ends(self):
        values = np.array([0, 0.5, 1, 7, -3], np.float32)
        self.assertEqual(chosen(values, (0, 1, 0), "share").tolist(), [1, 1, 1, 1, 1])

    def test_shapes_by_chance_by_a_share_and_by_a_number(self):
        shapes = [{"shape": "ball"}, {"shape": "card", "weight": 3}, {"shape": "ring", "weight": 0}]
        p = points(4000)
        counts = np.bincount(evaluated(p, shapes=shapes).lanes["shape"].values.astype(int), minlength=3)
        np.testing.assert_allclose(counts / 4000, [0.25, 0.75, 0], atol=0.03)
        by_seed = {"shape": {"layers": [], "seed": 9}}
        other = evaluated(p, shapes=shapes, lanes=by_seed).lanes["shape"].values
        self.assertGreater((other != evaluated(p, shapes=shapes).lanes["shape"].values).mean(), 0.2)
        third = {"step": "constant", "value": 2}
        picked = evaluated(p, shapes=shapes, lanes={"shape": lane(third, choose="number")})
        self.assertEqual(set(picked.lanes["shape"].values.tolist()), {2.0})
        self.assertEqual(Reporter(Evaluator()).material(picked)["shape"], [0, 0, 4000])

    def test_a_chain_reads_the_shape_and_the_lane_of_shapes_cannot_read_itself(self):
        shapes = [{"shape": "ball"}, {"shape": "card"}]
        colours = [{"step": "shape"}, ramp([0, 0.5], ["#ff0000", "#0000ff"])]
        found = evaluated(points(500), shapes=shapes, lanes={"base_colour": lane(*colours)})
        red = found.colours[:, 0] > 0.5
        np.testing.assert_array_equal(red, found.lanes["shape"].values == 0)
        with self.assertRaises(BadInput) as caught:
            evaluated(points(5), shapes=shapes, lanes={"shape": lane({"step": "shape"})})
        self.assertIn("circle", caught.exception.sentence)


class Finishes(unittest.TestCase):
    def test_lanes_vary_what_the_finish_has(self):
        finishes = [{"name": "a", "roughness": 0.8}]
        halved = lane({"step": "constant", "value": 0.5}, blend="multiply")
        found = evaluated(points(10), finishes=finishes, lanes={"roughness": halved})
        np.testing.assert_allclose(found.channel("roughness"), 0.4, atol=1e-6)
        # Changing the finish keeps the lanes.
        other = evaluated(points(10), finishes=[{"name": "b", "roughness": 0.2}], lanes={"roughness": halved})
        np.testing.assert_allclose(other.channel("roughness"), 0.1, atol=1e-6)
        np.testing.assert_array_equal(other.channel("metalness"), 0)

    def test_picked_by_a_number_blended_by_a_weight_and_given_by_a_shape(self):
        finishes = [{"name": "a", "roughness": 0}, {"name": "b", "roughness": 1, "emission_colour": "#ff0000"}]
        weight = [{"step": "attribute", "name": "w"}]
        p = points(5, w=np.array([0, 0.25, 0.5, 0.75, 1], np.float32))
        blended = evaluated(p, finishes=finishes, lanes={"finish": lane(*weight, choose="blend")})
        np.testing.assert_allclose(blended.channel("roughness"), [0, 0.25, 0.5, 0.75, 1], atol=1e-6)
        np.testing.assert_allclose(blended.channel("emission_colour")[:, 1], [1, 0.75, 0.5, 0.25, 0], atol=1e-6)
        picked = evaluated(p, finishes=finishes, lanes={"finish": lane(*weight, choose="number")})
        np.testing.assert_array_equal(picked.channel("roughness"), [0, 0, 0, 1, 1])
        shapes = [{"shape": "ball", "finish": "b"}, {"shape": "card", "finish": "a"}]
        shaped = evaluated(p, finishes=finishes, shapes=shapes, lanes={"shape": lane(*weight)})
        np.testing.assert_array_equal(shaped.channel("roughness"), 1 - shaped.lanes["shape"].values)

    def test_the_colour_below_the_surface_follows_the_base_colour(self):
        found = evaluated(points(50), finishes=[{"name": "wax", "subsurface": 0.7}])
        np.testing.assert_array_equal(found.channel("subsurface_colour"), found.colours)
        two = [{"name": "wax"}, {"name": "jade", "subsurface_colour": "#00ff00"}]
        half = lane({"step": "constant", "value": 0.5}, choose="blend")
        mixed = evaluated(points(50), finishes=two, lanes={"finish": half}).channel("subsurface_colour")
        np.testing.assert_allclose(mixed, found.colours / 2 + [0, 0.5, 0], atol=1e-6)
        painted = evaluated(points(50), lanes={"subsurface_colour": lane({"step": "constant", "value": "#0000ff"})})
        np.testing.assert_allclose(painted.channel("subsurface_colour"), [[0, 0, 1]] * 50, atol=1e-6)

    def test_dials_reach_finishes(self):
        finish = [{"name": "a", "roughness": {"dial": "worn"}}]
        scene = {"gaudyseed": 3, "dials": [{"name": "worn", "value": 0.75}], "populations": [
            {"id": "p", "name": "P", "maker": {"maker": "grid"}, "look": document(finishes=finish)}]}  # fmt: skip
        run = SceneRun(parse(Scene, scene), Evaluator(), lambda request: request.make(None))
        self.assertEqual(set(run.evaluation("p").channel("roughness").tolist()), {0.75})


class Moving(unittest.TestCase):
    def test_lift_goes_along_the_normal_up_or_a_vector(self):
        p = points(20)
        place, normal = (p.elements.attribute(n).readable for n in ("position", "normal"))
        two = {"step": "constant", "value": 2}

        def offset(along: str, **more) -> np.ndarray:
            made = moved_elements(evaluated(p, lanes={"offset": lane(two, along=along)}, **more))
            return made.elements.attribute("position").readable

        np.testing.assert_allclose(offset("normal"), place + 2 * normal, atol=1e-5)
        np.testing.assert_allclose(offset("up"), place + np.array([0, 0, 2]), atol=1e-5)
        way = {"name": "way", "chain": [{"step": "formula", "text": "position * 0.5"}]}
        np.testing.assert_allclose(offset("way", signals=[way]), 2 * place, atol=1e-5)
        # Up is that of the scene: in a population that lies on its side it is another way of its own.
        side = np.array([[1, 0, 0, 0], [0, 0, -1, 0], [0, 1, 0, 0], [0, 0, 0, 1.0]])
        found = moved_elements(evaluated(p, side, lanes={"offset": lane(two, along="up")}))
        moved = found.elements.attribute("position").readable - place
        np.testing.assert_allclose(moved @ side[:3, :3].T, [[0, 0, 2]] * 20, atol=1e-5)
        for wrong in ("nowhere", "size"):
            with self.assertRaises(BadInput) as caught:
                offset(wrong)
            self.assertEqual(caught.exception.place, "lanes.offset.along")

    def test_a_lifted_mesh_has_new_normals(self):
        wave = lane({"step": "formula", "text": "x(position) * 0.5"}, along="up")
        found = moved_elements(mesh(lanes={"offset": wave}))
        normals = found.elements.attribute("normal").readable
        places, triangles = found.elements.attribute("position").readable.astype(np.float64), found.form.triangles
        a, b, c = (places[triangles[:, k]] for k in range(3))
        wanted = np.zeros_like(places)
        for k in range(3):
            np.add.at(wanted, triangles[:, k], np.cross(b - a, c - a))
        wanted /= np.linalg.norm(wanted, axis=1, keepdims=True)
        self.assertGreater(float(np.einsum("ij,ij->i", normals, wanted).min()), 0.999)
        self.assertGreater(float(np.abs(normals[:, 0]).mean()), 0.3)  # the slope

    def test_spin_turns_about_the_own_axis(self):
        turns = np.array([[0.5, 0.5, 0.5, 0.5]])
        from scipy.spatial.transform import Rotation

        wanted = Rotation.from_quat(turns) * Rotation.from_euler("z", [70], degrees=True)
        np.testing.assert_allclose(spun(turns, np.array([70.0])), wanted.as_quat(), atol=1e-6)

    def test_size_is_a_factor_and_goes_out_with_the_files(self):
        p = points(30)
        own = p.elements.attribute("size").readable
        doubled = {"size": lane({"step": "constant", "value": 2}), "spin": lane({"step": "constant", "value": 90})}
        population, results, about = sent(evaluated(p, lanes=doubled), "p", "card")
        np.testing.assert_allclose(population.elements.attribute("size").readable, 2 * own, rtol=1e-6)
        self.assertIn("orientation", population.elements.brought)
        self.assertEqual(set(results), {"base_colour", "size", "spin"})
        self.assertEqual([piece.name for piece in about.pieces], ["card"])

    def test_a_signal_goes_out_in_place_of_a_column(self):
        p = points(6)
        fast = np.arange(18, dtype=np.float32).reshape(6, 3)
        column = Attribute("velocity", "vector", fast, fields=p.elements.own["position"].fields)
        p = p.painted({"velocity": column})
        damped = {"name": "damped", "chain": [{"step": "formula", "text": "velocity * 0.5"}]}
        outputs = [{"signal": "damped", "name": "velocity"}, {"signal": "damped", "name": "half"}]
        population, _, _ = sent(evaluated(p, signals=[damped], outputs=outputs), "p", "card")
        np.testing.assert_allclose(population.elements.attribute("velocity").values, fast / 2)
        self.assertEqual([f.name for f in population.elements.attribute("velocity").fields], ["x", "y", "z"])
        self.assertEqual([f.name for f in population.elements.attribute("half").fields], ["half_x", "half_y", "half_z"])
        for name in ("roughness", "id"):
            with self.assertRaises(BadInput) as caught:
                evaluated(p, signals=[damped], outputs=[{"signal": "damped", "name": name}])
            self.assertEqual(caught.exception.code, "name_taken")

    def test_pieces_are_those_of_shapes_and_finishes(self):
        look = {
            "finishes": [{"name": "foil", "metalness": 1}, {"name": "paper"}],
            "shapes": [{"shape": "ball", "finish": "foil", "size": 2}, {"shape": "card"}],
        }
        p = points(300)
        population, _, about = sent(evaluated(p, **look), "p", "sequin")
        self.assertEqual({piece.name for piece in about.pieces}, {"ball foil", "card foil", "card paper"})
        self.assertEqual(sum(len(piece.rows) for piece in about.pieces), 300)
        # The size of the shape is part of the elements' own, so that every format has the same.
        factor = population.elements.attribute("size").values / p.elements.attribute("size").values
        for piece in about.pieces:
            np.testing.assert_allclose(factor[piece.rows], 2 if piece.name == "ball foil" else 1)


class ShapeMeshes(unittest.TestCase):
    def test_they_are_one_unit_across_closed_or_flat_and_face_outwards(self):
        for word in SHAPES:
            made = shape_mesh(word)
            with self.subTest(shape=word):
                sides = made.vertices.max(axis=0) - made.vertices.min(axis=0)
                self.assertAlmostEqual(float(sides.max()), 1, delta=0.09)
                np.testing.assert_allclose(np.linalg.norm(made.normals, axis=1), 1, atol=1e-5)
                self.assertTrue(((made.uv >= 0) & (made.uv <= 1)).all())
                a, b, c = (made.vertices[made.faces[:, k]] for k in range(3))
                # Six times the volume, by the divergence theorem: positive where faces look outwards.
                self.assertGreaterEqual(float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum()), -1e-6)


class EndsPerPixel(unittest.TestCase):
    RAMP = ramp([0, 0.3, 0.62], ["#131f4d", "#22a98a", "#f3b13c"])
    READ = [{"step": "extent", "axis": "x"}]

    def test_band_edges_are_exact_to_the_last_bit(self):
        end = mapped(mesh(lanes={"base_colour": lane(*self.READ, self.RAMP)}), "base_colour")
        for edge in (np.float32(0.3), np.float32(0.62)):
            self.assertIn(edge, end.edges)
            around = np.array([np.nextafter(edge, np.float32(0)), edge])
            below, above = looked_up(end.edges, end.rows, around)
            self.assertGreater(np.abs(above - below).max(), 0.2)

    def test_the_table_is_what_the_steps_give(self):
        levels = {"step": "levels", "black_point": 0.2, "white_point": 0.7, "gamma": 1.7}
        smooth = ramp([0, 0.4, 1], ["#131f4d", "#d8452f", "#ffffff"], interpolation="eased")
        for steps in ([levels, self.RAMP], [smooth], [levels, smooth, {"step": "grade", "contrast": 1.4}]):
            found = mesh(lanes={"base_colour": lane(*self.READ, *steps)})
            end = mapped(found, "base_colour")
            from gaudyseed.core.colour.spaces import encode_srgb

            wanted = encode_srgb(np.clip(found.colours, 0, 1))
            np.testing.assert_allclose(looked_up(end.edges, end.rows, end.numbers), wanted, atol=1.2 / 255)

    def test_numbers_too_and_only_where_the_last_steps_map_alone(self):
        cut = {"opacity": lane(*self.READ, {"step": "levels", "black_point": 0.49, "white_point": 0.51}, threshold=0.5)}
        found = mesh(lanes=cut)
        end = mapped(found, "opacity")
        held = looked_up(end.edges, end.rows, end.numbers)[:, 0]
        np.testing.assert_allclose(held, found.channel("opacity"), atol=2e-3)
        drift = {"step": "drift", "seed": 1, "hue": [-10, 10]}
        for steps in ([*self.READ, self.RAMP, drift], [RANDOM], [{"step": "constant", "value": "#ff0000"}]):
            self.assertIsNone(
                mapped(
                    mesh(lanes={"base_colour": lane(*steps, *([GREYS, drift] if steps == [RANDOM] else []))}),
                    "base_colour",
                )
            )
        self.assertIsNone(mapped(evaluated(points(9)), "base_colour"))  # clones have no faces
        masked = {"layers": [{"paint": [*self.READ, self.RAMP]}, {"amount": 0.5, "paint": [RANDOM, GREYS]}]}
        self.assertIsNone(mapped(mesh(lanes={"base_colour": masked}), "base_colour"))


class Advisories(unittest.TestCase):
    def told(self, population: Population, **look) -> dict[str, dict]:
        return {a["code"]: a for a in Reporter(Evaluator()).advisories(evaluated(population, **look))}

    def test_each_with_its_way_out(self):
        half = {"step": "constant", "value": 0.5}
        zero = {"step": "constant", "value": 0}
        wide = [RANDOM, {"step": "range", "to_high": 9}]
        shapes = [{"shape": "ball"}, {"shape": "card", "weight": 0}]
        leaks = {"picture": {"picture": "harbour"}, "lanes": {"base_colour": lane(RANDOM, ramp([0], ["#c83020"]))}}
        cases = {
            "picture_leaks": leaks,
            "picture_without_alpha": {"picture": {"picture": "moon", "grey": True, "cut": "alpha"}},
            "no_picture": {"lanes": {"picture_gamma": lane(RANDOM, {"step": "range", "to_low": 0.5, "to_high": 2})}},
            "emission_clipped": {"lanes": {"emission_strength": lane(*wide)}},
            "opacity_hides": {"lanes": {"opacity": lane(zero)}},
            "offset_far": {"lanes": {"offset": lane(RANDOM, {"step": "range", "to_high": 500})}},
            "covered": {"lanes": {"size": lane({"step": "constant", "value": 40})}},
            "shape_unused": {"shapes": shapes},
            "lane_as_finish": {"lanes": {"roughness": lane({"step": "constant", "value": 0.3})}},
            "half_metal": {"lanes": {"metalness": lane(half)}},
            "too_smooth": {"lanes": {"roughness": lane(zero)}},
        }
        for code, look in cases.items():
            with self.subTest(code=code):
                found = self.told(points(400), **look)
                self.assertIn(code, found)
                self.assertTrue(found[code]["fixes"], code)
                self.assertTrue(all(fix["operations"] for fix in found[code]["fixes"]))

    def test_a_cut_at_a_threshold_hides_what_lies_below(self):
        most = {"lanes": {"opacity": lane(RANDOM, threshold=0.97)}}
        self.assertIn("96.", self.told(points(4000), **most)["opacity_hides"]["sentence"].replace("97.", "96."))
        none = {"lanes": {"opacity": lane({"step": "constant", "value": 0.9}, threshold=0.2)}}
        self.assertEqual(self.told(points(40), **none)["opacity_hides"]["sentence"], "Opacity hides nothing.")
        self.assertNotIn("opacity_hides", self.told(points(400), lanes={"opacity": lane(RANDOM)}))

    def test_coverage_of_a_grid_is_that_of_its_discs(self):
        grid = {"maker": "grid", "columns": 60, "rows": 40, "column_spacing": 0.1, "row_spacing": 0.1, "size": 0.1}
        found = coverage(mesh(grid))
        self.assertAlmostEqual(
            found, np.pi / 4, delta=0.04
        )  # a disc in its square; the outermost half squares are missing
        # Points thrown at random leave exp(-c) of a surface bare (Poisson); by trial on a torus.
        rng = np.random.default_rng(2)
        places, radius, count = rng.random((900, 2)), 0.03, 900
        spots = rng.random((4000, 2))
        apart = np.abs(spots[:, None] - places[None])
        bare = (np.minimum(apart, 1 - apart) ** 2).sum(axis=2).min(axis=1) > radius**2
        covered = count * np.pi * radius**2
        self.assertAlmostEqual(hidden(covered), 1 - (1 - bare.mean()) / covered, delta=0.02)


class BadInputs(unittest.TestCase):
    def refused(self, **look) -> BadInput:
        with self.assertRaises(BadInput) as caught:
            evaluated(points(5), **look)
        self.assertTrue(caught.exception.sentence.endswith("."), caught.exception.sentence)
        return caught.exception

    def test_documents(self):
        self.assertIn("Nearest: roughness", self.refused(lanes={"rougness": lane(RANDOM)}).sentence)
        self.assertIn("32", self.refused(shapes=[{"shape": "ball"}] * 33).sentence)
        self.assertIn("weights", self.refused(shapes=[{"shape": "ball", "weight": 0}]).sentence)
        self.assertIn("finish", self.refused(shapes=[{"shape": "ball", "finish": "gold"}]).sentence)
        self.assertIn("two finishes", self.refused(finishes=[{"name": "a"}, {"name": "a"}]).sentence)
        self.assertIn("threshold", self.refused(lanes={"roughness": lane(RANDOM, threshold=0.5)}).sentence)
        for threshold in (-0.1, 1.5):
            self.refused(lanes={"opacity": lane(RANDOM, threshold=threshold)})
        self.refused(picture={"first": {"gamma": 0}})
        self.refused(lanes={"shape": lane(RANDOM, choose="blend")})
        self.assertIn("key", self.refused(finishes=[{"name": "a", "iridescence": 1}]).sentence)
        self.assertIn("newer", self.refused(gaudyseed=9).sentence)

    def test_kinds_do_not_mix(self):
        self.assertEqual(self.refused(lanes={"roughness": lane(RANDOM, GREYS)}).code, "wrong_kind")
        self.assertEqual(self.refused(lanes={"emission_colour": lane(RANDOM)}).code, "wrong_kind")
        self.assertEqual(self.refused(lanes={"density": lane(RANDOM)}).code, "wrong_channel")

    def test_every_channel_holds_far_and_odd_values_within_its_limits(self):
        odd = np.array([np.nan, -5, 1e30, -1e30, 0.5], np.float32)
        p = points(5, w=odd)
        read = {"step": "attribute", "name": "w"}
        for word, channel in CHANNELS.items():
            if channel.kind.word != "number" or "clones" not in (channel.populations or ("clones",)):
                continue
            with self.subTest(channel=word):
                look = {"shapes": [{"shape": "ball"}, {"shape": "card"}], "finishes": [{"name": "a"}, {"name": "b"}]}
                found = evaluated(p, lanes={word: lane(read)}, **look)
                population, results, _ = sent(found, "p", "ball")
                held = channel.held(results[word])
                self.assertTrue(np.isfinite(held).all())
                self.assertTrue((held >= channel.least).all() and (held <= channel.greatest).all())
                self.assertTrue(np.isfinite(population.elements.attribute("position").readable).all())


class Colourings(unittest.TestCase):
    def test_one_noise_colours_lifts_and_roughens_and_is_worked_out_once(self):
        relief = {"name": "relief", "chain": [{"step": "noise", "seed": 4}]}
        read = {"step": "signal", "name": "relief"}
        lanes = {"base_colour": lane(read, GREYS), "offset": lane(read), "roughness": lane(read)}
        evaluator, look = Evaluator(), parse(Look, document(signals=[relief], lanes=lanes))
        p = points(400)
        found = evaluator.evaluate(p, look, surroundings=Surroundings({}))
        self.assertEqual([place for place in found.computed if "signals" in place], ["signals[0].chain[0]"])
        np.testing.assert_array_equal(found.channel("offset"), found.channel("roughness"))
        # An edit of one lane works out that lane alone.
        changed = document(signals=[relief], lanes={**lanes, "offset": lane(read, {"step": "range", "to_high": 3})})
        again = evaluator.evaluate(p, parse(Look, changed), surroundings=Surroundings({}))
        self.assertEqual(again.computed, ["lanes.offset.layers[0].paint[1]"])


class Blends(unittest.TestCase):
    """Finishes mixed by one factor: whole, with their base colours, among those that are named."""

    FINISHES = [
        {"name": "wax", "roughness": 0.9, "metalness": 0, "base_colour": "#ff0000"},
        {"name": "foil", "roughness": 0.1, "metalness": 1, "base_colour": "#0000ff", "emission_strength": 2},
        {"name": "felt", "roughness": 0.5, "subsurface": 0.6},
    ]

    def found(self, factor: float, paint: list[dict] | None = None, **settings):
        blend = lane({"step": "constant", "value": factor}, choose="blend", **settings)
        lanes = {"base_colour": {"layers": [{"paint": paint, "blend": "multiply"}] if paint else []}, "finish": blend}
        evaluation = evaluated(points(5), finishes=self.FINISHES, lanes=lanes)
        return evaluation, {word: values[0] for word, values in evaluation.results.items()}

    def test_base_colours_are_mixed_in_linear_light_and_painted_over(self):
        _, found = self.found(0.25, among=["wax", "foil"])
        np.testing.assert_allclose(found["base_colour"], [0.75, 0, 0.25], atol=1e-6)
        grey = {"step": "constant", "value": "#808080"}
        _, painted = self.found(0.25, [grey], among=["wax", "foil"])
        np.testing.assert_allclose(painted["base_colour"], np.array([0.75, 0, 0.25]) * 0.2158605, atol=1e-6)  # sRGB 128
        # One that says nothing is white.
        _, white = self.found(1, among=["wax", "felt"])
        np.testing.assert_allclose(white["base_colour"], [1, 1, 1], atol=1e-6)

    def test_whole_finishes_by_one_factor_among_those_named(self):
        for among, factor, roughness, metalness in (
            (["felt", "foil"], 0.5, 0.3, 0.5), (["foil", "felt"], 0, 0.1, 1), (["foil", "felt", "wax"], 0.75, 0.7, 0),
            (None, 0.5, 0.1, 1),
        ):  # fmt: skip
            evaluation, found = self.found(factor, **({} if among is None else {"among": among}))
            for word, wanted in (("roughness", roughness), ("metalness", metalness)):
                self.assertAlmostEqual(float(found[word]), wanted, places=6, msg=f"{among} {word}")
            # Those behind it are still there, for shapes that name them.
            self.assertEqual(len(evaluation.look.finishes), 3)

    def test_what_among_must_name(self):
        for among, word in ((["wax", "wool"], "wool"), (["wax", "wax"], "twice")):
            with self.assertRaises(BadInput) as caught:
                self.found(0.5, among=among)
            self.assertIn(word, caught.exception.sentence)


class Documents(unittest.TestCase):
    def test_a_shape_of_its_own_finish_keeps_it_in_a_blend(self):
        look = {"finishes": Blends.FINISHES, "shapes": [{"shape": "ball", "finish": "felt"}]}
        blend = lane({"step": "constant", "value": 0.5}, choose="blend", among=["wax", "foil"])
        found = evaluated(points(5), **look, lanes={"finish": blend}).results
        self.assertEqual((float(found["roughness"][0]), float(found["subsurface"][0])), (0.5, np.float32(0.6)))

    def test_a_look_of_before_is_as_it_was(self):
        old = parse(Look, look_document(RANDOM, GREYS))
        self.assertEqual((old.finishes, old.shapes, old.picture, old.outputs), ((), (), None, ()))
        found = Evaluator().evaluate(points(9), old)
        self.assertEqual(set(found.results), {"base_colour"})
