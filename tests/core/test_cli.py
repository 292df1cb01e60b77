"""The command line: the same bytes as the application, exit 2 and one sentence on bad input."""

import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np

from gaudyseed.core.formats import read_points
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Look
from gaudyseed.demo import demo_scene
from tests.support import FIVE, look_document, ply_text, ramp


class Colour(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name)
        places = np.random.default_rng(1).normal(size=(300, 3))
        cls.points = cls.folder / "points.ply"
        cls.points.write_bytes(ply_text([" ".join(map(repr, p)) for p in places.tolist()]))
        cls.document = look_document({"step": "random", "seed": 42}, ramp([0, 0.2, 0.5, 0.7, 0.9], FIVE))
        cls.look = cls.folder / "look.json"
        cls.look.write_text(json.dumps(cls.document))

    def run_it(self, *arguments):
        command = [sys.executable, "-m", "gaudyseed.cli", "colour", *map(str, arguments)]
        return subprocess.run(command, capture_output=True, text=True, cwd=self.folder, check=False)

    def test_the_same_bytes_as_the_core(self):
        population = read_points(self.points.read_bytes(), "points.ply")
        evaluator = Evaluator()
        wanted = evaluator.display(evaluator.evaluate(population, Look.model_validate(self.document)))
        for name in ("out.ply", "out.csv"):
            done = self.run_it(self.points, "--look", self.look, "--out", name, "--census")
            self.assertEqual(done.returncode, 0, done.stderr)
            back = read_points((self.folder / name).read_bytes(), name)
            np.testing.assert_array_equal(back.attributes["colour"].values, wanted)
            self.assertIn("300 elements", done.stdout)
            shares = [line.split() for line in done.stdout.splitlines()[1:]]
            self.assertEqual([s[0] for s in shares], FIVE)
            self.assertEqual(sum(int(s[1]) for s in shares), 300)

    def test_dials_are_given_by_name(self):
        follows = self.folder / "follows.json"
        colours = ["#000000", {"dial": "glow"}]
        chain = look_document({"step": "random", "seed": {"dial": "night"}}, ramp([0, 0.5], colours))
        follows.write_text(json.dumps(chain))
        command = (self.points, "--look", follows, "--census")
        done = self.run_it(*command, "--dial", "night=7", "--dial", "glow=#ff8800")
        self.assertIn("#ff8800", done.stdout, done.stderr)
        for dials, word in (
            ((), "'night'"),
            (("--dial", "night"), "no dial"),
            (("--dial", "night=nope"), "not a colour"),
        ):
            refused = self.run_it(*command, *dials)
            self.assertEqual(refused.returncode, 2)
            self.assertIn(word, refused.stderr)

    def test_bad_input(self):
        bad = self.folder / "bad.json"
        bad.write_text('{"gaudyseed": 2, "lanez": {}}')
        wrong = self.folder / "wrong.json"
        wrong.write_text(json.dumps(look_document({"step": "attribute", "name": "wear"}, ramp([0], FIVE[:1]))))
        cases = [
            ((self.points, "--look", bad, "--out", "no.ply"), "lanez"),
            (
                (self.points, "--look", wrong, "--out", "no.ply"),
                "wrong.json, lanes.base_colour.layers[0].paint[0].name",
            ),
            ((self.folder / "none.ply", "--look", self.look, "--out", "no.ply"), "none.ply"),
            ((self.points, "--look", self.look, "--out", "no.xyz"), ".xyz"),
            ((self.look, "--look", self.look, "--out", "no.ply"), "look.json"),
            ((self.points, "--look", self.look), "--out"),
            ((self.points, "--look", self.look, "--out", "nowhere/no.ply"), "nowhere"),
        ]
        for arguments, word in cases:
            done = self.run_it(*arguments)
            self.assertEqual(done.returncode, 2, arguments)
            self.assertIn(word, done.stderr)
            self.assertEqual(len([x for x in done.stderr.splitlines() if x.startswith("gaudyseed:")]), 1)
            self.assertFalse((self.folder / "no.ply").exists())
        self.assertEqual([p.name for p in self.folder.glob(".*")], [])


class Demo(unittest.TestCase):
    def test_the_scene_is_valid_and_has_twelve_thousand_sequins(self):
        maker = demo_scene().populations[0].maker
        self.assertEqual(maker.make(None).count, 12_000)
