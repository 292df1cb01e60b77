"""How what arrives is coloured and drawn at first, and columns of one's own beside those that came."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from gaudyseed.core.colour.spaces import linear_to_oklab, parse_hex
from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.formats import FORMATS, read_points
from gaudyseed.core.geometry.shapes import shape_mesh
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.first import carried_colour, first_look, groups_of
from gaudyseed.core.look.model import Look
from gaudyseed.core.painting.columns import Target, with_painted
from gaudyseed.core.painting.painted import Painted, fill_of
from gaudyseed.core.pictures.thumbnail import picture_of
from gaudyseed.core.population import Attribute, Models, Population, of_points
from gaudyseed.core.population.derive import with_derived
from gaudyseed.core.population.makers.surface import SurfaceMaker
from gaudyseed.core.scene.assets import NO_ASSETS
from gaudyseed.core.sending import sent
from tests.forking import forked
from tests.support import ply_text, points

TABLE = "x,y,z,red,green,blue,kind,size\n" + "".join(
    f"{k},0,0,{(37 * k) % 256},{(91 * k) % 256},{(13 * k) % 256},{('fox', 'fish', 'owl')[k % 3]},1\n" for k in range(60)
)
LEVELS = np.array([[(37 * k) % 256, (91 * k) % 256, (13 * k) % 256] for k in range(60)])


def setUpModule() -> None:
    """Files of USD and pictures are read by forks."""
    unittest.enterModuleContext(forked())


def shown(population: Population, colours: str = "own") -> np.ndarray:
    return Evaluator().evaluate(population, first_look(population, colours)).colours


class FirstColours(unittest.TestCase):
    def test_a_file_arrives_in_its_own_colours_in_every_format(self):
        """The table's levels are sRGB (IEC 61966-2-1); every other file is made from it."""
        table = read_points(TABLE.encode(), "a.csv")
        self.assertEqual(carried_colour(table), "colour")
        wanted = np.array([parse_hex("#" + "".join(f"{v:02x}" for v in row)) for row in LEVELS])
        np.testing.assert_allclose(shown(table), wanted, atol=1e-6)
        for form in ("csv", "ply", "ply_ascii", "glb", "usd", "usdc"):
            moved, results, about = sent(Evaluator().evaluate(table, first_look(table)), "A", "ball")
            again = read_points(FORMATS[form].write(moved, results, about), f"a{FORMATS[form].ending}")
            np.testing.assert_allclose(shown(again), wanted, atol=2e-3, err_msg=form)
        mesh = SurfaceMaker(maker="mesh", surface="ring", subdivision=0).make(None)
        tinted = FORMATS["obj"].write(mesh, {"base_colour": np.resize(wanted.astype(np.float32), (mesh.count, 3))})
        np.testing.assert_allclose(shown(read_points(tinted, "a.obj")), np.resize(wanted, (mesh.count, 3)), atol=2e-3)

    def test_chance_only_where_nothing_is_carried_or_it_is_wished(self):
        plain = read_points(ply_text([f"{k} 0 0" for k in range(40)]), "a.ply")
        steps = [s.step for s in first_look(plain).lanes["base_colour"].layers[0].paint]
        self.assertEqual((carried_colour(plain), steps), ("", ["random", "ramp"]))
        table = read_points(TABLE.encode(), "a.csv")
        self.assertGreater(np.abs(shown(table, "chance") - shown(table)).max(), 0.1)

    def test_one_colour_for_each_of_a_few_values(self):
        table = read_points(TABLE.encode(), "a.csv")
        self.assertEqual(groups_of(table), [("kind", 3)])
        found = shown(table, "each:kind")
        kinds = [("fox", "fish", "owl")[k % 3] for k in range(60)]
        by_kind = {kind: np.unique(found[[k == kind for k in kinds]], axis=0) for kind in set(kinds)}
        self.assertEqual([len(rows) for rows in by_kind.values()], [1, 1, 1])
        # All are told apart, by far more than just noticeable (0.02 in OKLab, common practice).
        three = linear_to_oklab(np.concatenate(list(by_kind.values())))
        self.assertGreater(min(np.linalg.norm(three[a] - three[b]) for a, b in ((0, 1), (0, 2), (1, 2))), 0.1)
        for wrong, word in (("each:red", "red"), ("each:none", "kind")):
            with self.assertRaises(BadInput) as caught:
                first_look(table, wrong)
            self.assertIn(word, caught.exception.sentence)

    def test_24_colours_can_be_told_apart(self):
        rows = "x,y,z,group\n" + "".join(f"{k},0,0,{k % 24}\n" for k in range(240))
        table = read_points(rows.encode(), "a.csv")
        colours = linear_to_oklab(np.unique(shown(table, "each:group"), axis=0))
        self.assertEqual(len(colours), 24)
        apart = np.linalg.norm(colours[:, None] - colours[None], axis=2) + np.eye(24)
        self.assertGreater(apart.min(), 0.04)
        more = "x,y,z,group\n" + "".join(f"{k},0,0,{k % 25}\n" for k in range(250))
        self.assertEqual(groups_of(read_points(more.encode(), "a.csv")), [])

    def test_the_order_of_texts_is_that_of_the_alphabet_and_of_numbers_their_size(self):
        table = read_points(b"x,y,z,kind,n\n0,0,0,owl,7\n0,0,0,fish,-2\n0,0,0,fox,40\n0,0,0,fish,7\n", "a.csv")
        for name, wanted in (("kind", [2, 0, 1, 0]), ("n", [1, 0, 2, 1])):
            step = {"step": "attribute", "name": name, "component": "order"}
            document = {"gaudyseed": 3, "lanes": {"roughness": {"layers": [{"paint": [step]}]}}}
            found = Evaluator().evaluate(table, parse(Look, document)).lanes["roughness"].values
            # The middle of each one's share of 0 to 1 (docs/look-format.md), so that a palette of as many meets it.
            np.testing.assert_allclose(found, (np.array(wanted) + 0.5) / 3, atol=1e-6)

    def test_the_small_picture_shows_these_colours(self):
        """A file of one colour: what is not empty in the picture has its hue, and the middle is not empty."""
        rows = ["x,y,z,red,green,blue", *(f"{k % 20},{k // 20},0,200,40,30" for k in range(400))]
        table = read_points("\n".join(rows).encode(), "a.csv")
        picture = picture_of(table, first_look(table)).astype(int)
        there = picture[..., 3] > 200
        self.assertGreater(there.mean(), 0.1)
        np.testing.assert_allclose(picture[there][:, :3].mean(axis=0), [200, 40, 30], atol=2)
        self.assertTrue(there[75, 120])
        for count in (1, 2):
            few = points(count)
            self.assertGreater((picture_of(few, first_look(few))[..., 3] > 0).sum(), 0)

    def test_the_small_picture_shows_the_meshes_that_clones_are(self):
        """A rod that stands and the same laid down: as high, and as wide, as a rod is, not a dot."""
        rod = shape_mesh("block")
        rod = replace(rod, vertices=rod.vertices * np.float32([0.1, 0.1, 1]))
        upright, laid = [0, 0, 0, 1.0], [0, np.sqrt(0.5), 0, np.sqrt(0.5)]
        sides = []
        for turn in (upright, laid):
            one = with_derived(of_points(1, {
                "position": Attribute("position", "vector", np.zeros((1, 3), "<f4")),
                "orientation": Attribute("orientation", "vector", np.array([turn], "<f4")),
                "size": Attribute("size", "number", np.ones(1, "<f4")),
            }))  # fmt: skip
            one = replace(one, models=Models((rod,), np.zeros(1, np.int32)))
            rows, columns = np.nonzero(picture_of(one, first_look(one), 240, 240)[..., 3] > 128)
            sides.append((np.ptp(rows), np.ptp(columns)))
        self.assertGreater(sides[0][0], 2.5 * sides[0][1])
        self.assertGreater(sides[1][1], 1.5 * sides[1][0])


class OwnColumns(unittest.TestCase):
    """A column with a role, and a default where a merged part lacks it."""

    #: The second part of the file has no heat, no way and no tint.
    MERGED = "x,y,z,heat,wx,wy,wz\n0,0,0,0.5,1,0,0\n1,0,0,,,,\n2,0,0,0.25,0,1,0\n"

    def onto(self, population: Population, **painted) -> Population:
        column = parse(Painted, {"name": "heat", **painted})
        return with_painted(Target(population, population.digest), (column,), NO_ASSETS)

    def test_what_is_lacking_gets_the_fill(self):
        table = read_points(self.MERGED.encode(), "a.csv")
        filled = self.onto(table, fill=0.75).elements.attribute("heat")
        self.assertEqual(filled.readable.tolist(), [0.5, 0.75, 0.25])
        self.assertEqual(filled.unreadable, 0)

    def test_fills_of_every_kind_and_the_role_in_space(self):
        self.assertEqual(
            fill_of(parse(Painted, {"name": "a", "kind": "vector", "fill": [1, 2, 3]})).tolist(), [1, 2, 3]
        )
        np.testing.assert_allclose(
            fill_of(parse(Painted, {"name": "a", "kind": "colour", "fill": "#ff0000"})), [1, 0, 0]
        )
        table = read_points(self.MERGED.encode(), "a.csv")
        for role in ("point", "direction", "normal"):
            made = self.onto(table, name="wind", kind="vector", fill=[0, 0, 2], role=role).elements.attribute("wind")
            self.assertEqual((made.role, made.readable.tolist()), (role, [[0, 0, 2]] * 3))
        for wrong in ({"fill": [1, 2, 3]}, {"kind": "colour", "role": "point"}):
            with self.assertRaises(BadInput):
                parse(Painted, {"name": "a", **wrong})
