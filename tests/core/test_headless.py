"""The command line with whole scenes: several populations, a ground, what the data file keeps, dials of every kind."""

from __future__ import annotations

import json

import numpy as np
from pxr import Usd, UsdGeom

from gaudyseed.core.digest import digest_of
from gaudyseed.core.documents.document import parse
from gaudyseed.core.formats import FORMATS, read_points
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.painting.painted import Values
from gaudyseed.core.scene.model import Scene
from gaudyseed.core.scene.run import SceneRun
from gaudyseed.store import Store
from tests.core.test_cli import CommandLine
from tests.support import FIVE, look_document, ramp

RANDOM = {"step": "random", "seed": 42}
BANDS = ramp([0, 0.5], FIVE[:2])


class Scenes(CommandLine):
    """A mesh, and sequins that stand on it and take its colours."""

    def setUp(self) -> None:
        mesh = {"maker": "mesh", "surface": "ring", "subdivision": 1}
        scatter = {"maker": "scatter", "surface": "ring", "on": "ring", "count": 400}
        read = [{"step": "ground"}]
        self.scene = {
            "gaudyseed": 3,
            "populations": [
                {"id": "ring", "name": "Ring", "maker": mesh, "look": look_document(RANDOM, BANDS)},
                {"id": "dots", "name": "Dots", "maker": scatter, "look": look_document(*read)},
            ],
        }  # fmt: skip
        self.file = self.written("scene.json", self.scene)

    def written(self, name: str, document: dict):
        path = self.folder / name
        path.write_text(json.dumps(document))
        return path

    def test_populations_are_chosen_and_stand_on_one_another(self):
        run = SceneRun(parse(Scene, self.scene), Evaluator(), lambda request: request.make(None))
        for name, identity, count in (("Dots", "dots", 400), ("ring", "ring", None)):
            done = self.run_it("--scene", self.file, "--population", name, "--out", "a.ply", "--census")
            self.assertEqual(done.returncode, 0, done.stderr)
            found = read_points((self.folder / "a.ply").read_bytes(), "a.ply")
            wanted = FORMATS["ply"].write(*run.sent(identity))
            self.assertEqual((self.folder / "a.ply").read_bytes(), wanted)
            self.assertEqual(found.count, count or run.evaluation("ring").population.count)
        levels = np.unique(run.evaluation("dots").colours, axis=0)
        self.assertGreater(len(levels), 1)

    def test_which_one_must_be_said_and_be_there(self):
        for more, word in (((), "'Ring', 'Dots'"), (("--population", "Hills"), "'Hills'")):
            done = self.run_it("--scene", self.file, "--out", "no.ply", *more)
            self.assertEqual((done.returncode, done.stderr.count("\n")), (2, 1), done.stderr)
            self.assertIn(word, done.stderr)
        done = self.run_it("--out", "no.ply")
        self.assertEqual(done.returncode, 2)
        self.assertIn("--scene", done.stderr)

    def test_a_file_takes_the_place_of_a_populations_elements(self):
        done = self.run_it(self.points, "--scene", self.file, "--population", "Ring", "--out", "b.ply")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertEqual(read_points((self.folder / "b.ply").read_bytes(), "b.ply").count, 300)

    def test_what_lies_in_the_data_file(self):
        data = self.folder / "kept.sqlite"
        store = Store(data)
        store.migrate()
        count = SceneRun(parse(Scene, self.scene), Evaluator(), lambda o: o.make(None)).population("ring").count
        painted = np.linspace(0, 1, count, dtype=np.float32)[:, None]
        digest = digest_of(Values(painted).packed())
        store.put_columns({digest: Values(painted).packed()})
        store.close()
        ring = self.scene["populations"][0]
        ring["painted"] = [{"name": "worn", "digest": digest, "subdivision": 1}]
        lane = {"layers": [{"paint": [{"step": "attribute", "name": "worn"}]}]}
        ring["look"]["lanes"]["roughness"] = lane
        file = self.written("painted.json", self.scene)
        done = self.run_it("--scene", file, "--population", "Ring", "--out", "no.ply")
        self.assertEqual((done.returncode, done.stderr.count("\n")), (2, 1), done.stderr)
        self.assertIn("--data", done.stderr)
        done = self.run_it("--scene", file, "--population", "Ring", "--data", data, "--out", "c.ply")
        self.assertEqual(done.returncode, 0, done.stderr)
        found = read_points((self.folder / "c.ply").read_bytes(), "c.ply").elements.attribute("roughness").readable
        np.testing.assert_allclose(found, painted[:, 0], atol=1e-6)

    def test_frames_are_whole_with_keys_and_without(self):
        for scene in (self.scene, {**self.scene, "timeline": {"first": 1, "last": 48}}):
            file = self.written("frames.json", scene)
            arguments = ("--scene", file, "--population", "Ring", "--out", "no.ply")
            done = self.run_it(*arguments, "--frame", "24.2")
            self.assertEqual((done.returncode, done.stderr.count("\n")), (2, 1), done.stderr)
            self.assertIn("24.2", done.stderr)
            self.assertEqual(self.run_it(*arguments, "--frame", "24").returncode, 0)
        done = self.run_it(self.points, "--look", self.look, "--out", "no.ply", "--frame", "24.2")
        self.assertEqual(done.returncode, 2)

    def test_frames_without_a_file_of_their_own(self):
        """Of files 1, 2 and 4 frame 3 is as frame 2, and 5 as 4; what is before the first is as that."""
        for k in (1, 2, 4):
            (self.folder / f"smoke.{k:04d}.csv").write_text(f"x,y,z\n{k},0,0\n0,{k},0\n")
        (self.folder / "smoke.wide.csv").write_text("not one of them")
        arguments = (self.folder / "smoke.0001.csv", "--look", self.look, "--out", "coloured.csv", "--frames", "0-5")
        done = self.run_it(*arguments)
        self.assertEqual(done.returncode, 0, done.stderr)
        held = {int(p.stem.partition(".")[2]): p.read_text() for p in self.folder.glob("coloured.*.csv")}
        self.assertEqual([held[k].splitlines()[1].split(",")[0] for k in range(6)], ["1", "1", "2", "2", "4", "4"])
        for frame, at in ((0, 1), (3, 2), (5, 4)):
            self.assertIn(f"frame {frame} has no file; that of frame {at} holds", done.stderr)
        self.assertEqual(done.stderr.count("has no file"), 3)
        done = self.run_it(*arguments[:-1], "1-3", "--missing", "stop")
        self.assertEqual((done.returncode, done.stderr.count("\n")), (2, 1), done.stderr)
        self.assertIn("Frame 3 has no file", done.stderr)

    def test_a_frame_without_particles_is_a_frame(self):
        """Of tables with no rows, and of points of USD (written and read by usd-core) with none at some frames."""
        stage = Usd.Stage.CreateNew(str(self.folder / "shot.usda"))
        stage.SetStartTimeCode(1)
        stage.SetEndTimeCode(4)
        points, lives = UsdGeom.Points.Define(stage, "/sparks"), [0, 2, 0, 3]
        for frame, many in enumerate(lives, 1):
            rows = "".join(f"{k},{frame},0,{k}\n" for k in range(many))
            (self.folder / f"spark.{frame}.csv").write_text(f"x,y,z,id\n{rows}")
            points.GetPointsAttr().Set([(k, frame, 0) for k in range(many)], frame)
        stage.GetRootLayer().Save()
        for name in ("spark.1.csv", "shot.usda"):
            done = self.run_it(
                self.folder / name, "--look", self.look, "--out", "lit.csv", "--frames", "1-4", "--numbered"
            )
            self.assertEqual(done.returncode, 0, done.stderr)
            found = sorted(self.folder.glob("lit.*.csv"))
            self.assertEqual([p.read_text().count("\n") - 1 for p in found], lives, name)
        done = self.run_it(self.folder / "spark.1.csv", "--look", self.look, "--out", "no.csv")
        self.assertEqual((done.returncode, done.stderr.count("\n")), (2, 1), done.stderr)
        self.assertIn("no rows", done.stderr)

    def test_points_of_usd_go_out_as_points(self):
        """With their ids, velocities and widths at every frame and the new colours; read by usd-core."""
        stage = Usd.Stage.CreateNew(str(self.folder / "shot.usda"))
        stage.SetStartTimeCode(1)
        stage.SetEndTimeCode(3)
        given = UsdGeom.Points.Define(stage, "/sparks")
        for frame in (1, 2, 3):
            given.GetPointsAttr().Set([(k, 0, frame) for k in range(frame)], frame)
            given.GetIdsAttr().Set([7 + k for k in range(frame)], frame)
            given.GetWidthsAttr().Set([0.5 + k for k in range(frame)], frame)
            given.GetVelocitiesAttr().Set([(0, 0, 24.0)] * frame, frame)
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
        stage.GetRootLayer().Save()
        out = self.folder / "lit.usdc"
        done = self.run_it(self.folder / "shot.usda", "--look", self.look, "--frames", "1-3", "--out", out)
        self.assertEqual(done.returncode, 0, done.stderr)
        written = Usd.Stage.Open(str(out))
        (made,) = [UsdGeom.Points(p) for p in written.Traverse() if p.IsA(UsdGeom.Points)]
        for name in ("Points", "Ids", "Widths", "Velocities"):
            for frame in (1, 2, 3):
                before, after = (getattr(of, f"Get{name}Attr")().Get(frame) for of in (given, made))
                np.testing.assert_allclose(np.array(after), np.array(before), atol=2e-6, err_msg=f"{name} {frame}")
        shown = UsdGeom.PrimvarsAPI(made).GetPrimvar("displayColor")
        self.assertEqual([len(shown.Get(frame)) for frame in (1, 2, 3)], [1, 2, 3])

    def test_what_is_lost_is_told(self):
        table = self.folder / "kinds.csv"
        table.write_text("x,y,z,kind\n0,0,0,fish\n1,0,0,fox\n")
        done = self.run_it(table, "--look", self.look, "--out", "kinds.ply")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("The texts of kind go out as numbers", done.stderr)


class Dials(CommandLine):
    """Every kind of dial is turned by what it says, or by its value."""

    SEASON = {"dials": [{"name": "season", "choices": ["ball", "card", "ring"], "value": 0}]}

    def turned(self, document: dict, *dials: str, scene: dict | None = None):
        """What the command said, and what it wrote."""
        look = self.folder / "dialled.json"
        look.write_text(json.dumps(document))
        out = self.folder / "dialled.usda"
        out.unlink(missing_ok=True)
        arguments = [part for dial in dials for part in ("--dial", dial)]
        if scene:
            file = self.folder / "dials.json"
            file.write_text(json.dumps({"gaudyseed": 3, **scene}))
            arguments += ["--scene", str(file)]
        done = self.run_it(self.points, "--look", look, "--out", out, *arguments)
        return done, out.read_text() if out.exists() else ""

    def refused(self, document: dict, dial: str, *words: str, scene: dict | None = None) -> None:
        done, written = self.turned(document, dial, scene=scene)
        self.assertEqual((done.returncode, done.stderr.count("\n"), written), (2, 1, ""), done.stderr)
        for word in words:
            self.assertIn(word, done.stderr)

    def test_words_of_a_scenes_dial(self):
        document = {**look_document(RANDOM, BANDS), "shapes": [{"shape": {"dial": "season"}}]}
        for dials, shape in (((), "ball"), (("season=Card",), "card"), (("season=2",), "ring")):
            done, written = self.turned(document, *dials, scene=self.SEASON)
            self.assertEqual(done.returncode, 0, done.stderr)
            self.assertIn(f'def Mesh "{shape}"', written)
        for wrong in ("autumn", "3", "-1", "1.5"):
            self.refused(document, f"season={wrong}", wrong, "ball, card, ring", "0 to 2", scene=self.SEASON)

    def test_without_a_scene_the_words_are_those_of_what_follows(self):
        document = {**look_document(RANDOM, BANDS), "shapes": [{"shape": {"dial": "season"}}]}
        self.assertIn('def Mesh "rosette"', self.turned(document, "season=rosette")[1])
        self.refused(document, "season=autumn", "rosette", "bead")

    def test_switches(self):
        document = look_document(RANDOM, BANDS, amount={"dial": "lit"})
        scene = {"dials": [{"name": "lit", "value": True}]}
        off, on = (self.turned(document, f"lit={word}", scene=scene)[1] for word in ("off", "on"))
        self.assertTrue(off and on and off != on)
        for word, same in (("true", on), ("1", on), ("No", off), ("0", off)):
            self.assertEqual(self.turned(document, f"lit={word}", scene=scene)[1], same, word)
        self.refused(document, "lit=perhaps", "neither on nor off", scene=scene)

    def test_numbers_and_colours_of_a_scene_stay_what_they_are(self):
        document = look_document(RANDOM, ramp([0, 0.5], ["#000000", {"dial": "glow"}]), amount={"dial": "much"})
        scene = {"dials": [{"name": "glow", "value": "#102030"}, {"name": "much", "value": 1}]}
        self.assertEqual(self.turned(document, "glow=#ff8800", "much=0.5", scene=scene)[0].returncode, 0)
        self.refused(document, "glow=0.5", "a colour", scene=scene)
        self.refused(document, "much=#ff8800", "a number", scene=scene)
