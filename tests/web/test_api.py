"""The server: evaluation, revisions, imports, exports, errors, who may talk to it."""

import json
import tempfile
import unittest
from pathlib import Path

import numpy as np

from gaudyseed.core.colour.spaces import display_bytes
from gaudyseed.core.formats import read_points
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.runtime.task import Stopped
from gaudyseed.core.scene.model import Scene
from gaudyseed.store import Store
from gaudyseed.web import create_app
from gaudyseed.web.jobs import Latest
from gaudyseed.web.security import Guard, Throttle
from tests.core.test_motion import scene_run, sparks
from tests.forking import forked
from tests.reference.test_kept import written
from tests.support import FIVE, beetle_scene, look_document, ply_text, points, ramp, unpack

POINTS = ply_text(
    ["0 0 0 0.1 255 0 0", "1 0 0 0.4 0 255 0", "0 1 0 0.9 0 0 255"],
    ("float x", "float y", "float z", "float weight", "uchar red", "uchar green", "uchar blue"),
)


def setUpModule() -> None:
    """Files of USD and pictures are read by forks."""
    unittest.enterModuleContext(forked())


class ServerCase(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.store = Store(Path(folder.name) / "data.sqlite")
        self.store.migrate()
        self.addCleanup(self.store.close)
        self.app = create_app(self.store)
        self.client = self.app.test_client()
        self.scene = beetle_scene()
        self.scene["populations"][0]["maker"]["count"] = 2000

    def evaluate(self, **more):
        """The entry of the one population, and its arrays by channel."""
        response = self.client.post("/api/evaluations", json=self.asking(**more))
        self.assertEqual(response.status_code, 200, response.data[:300])
        header, arrays = unpack(response.data)
        found = {name.partition("/")[2]: array for name, array in arrays.items()}
        return header["populations"][more.get("population", "beetle-sequins")], found

    def asking(self, session="", sequence=0, vision=None, **more):
        """A request for the one population."""
        wanted = [{"population": "beetle-sequins", **more}]
        return {"scene": self.scene, "wanted": wanted, "session": session, "sequence": sequence, "vision": vision}

    def refused(self, response, status=422, *words):
        self.assertEqual(response.status_code, status, response.data[:300])
        self.assertEqual(set(response.json), {"code", "sentence", "place", "fix", "kinds"})
        for word in words:
            self.assertIn(word, response.json["sentence"] + response.json["place"])


class Makers(ServerCase):
    def test_endings_of_files_come_from_the_formats(self):
        formats = self.client.get("/api/steps").json["formats"]
        found = {ending: f["name"] for f in formats for ending in f["endings"]}
        self.assertEqual(found, {
            ".csv": "csv", ".txt": "csv", ".glb": "glb", ".obj": "obj", ".ply": "ply", ".usd": "usd", ".usda": "usd",
            ".usdc": "usd", ".usdz": "usd",
        })  # fmt: skip
        self.assertEqual({f["name"] for f in formats if f["shapes"]}, {"glb", "obj", "ply"})

    def test_of_a_look_that_cannot_run_what_the_steps_before_give_is_told(self):
        layer = self.scene["populations"][0]["look"]["lanes"]["base_colour"]["layers"][0]
        random, ramp_step = layer["paint"][:2]
        three = {"step": "random", "seed": 2, "numbers": 3}
        layer["mask"] = [three]
        layer["paint"] = [random, ramp_step, {"step": "drift", "seed": 3}, {"step": "levels"}, {"step": "clamp"}]
        error = self.client.post("/api/evaluations", json=self.asking()).json
        start = "lanes.base_colour.layers[0].paint"
        self.assertTrue(error["place"].endswith(f"{start}[3]"), error)
        self.assertEqual(error["kinds"], {f"{start}[0]": "number", f"{start}[1]": "colour", f"{start}[2]": "colour"})
        layer["paint"] = layer["paint"][:2]
        error = self.client.post("/api/evaluations", json=self.asking()).json
        self.assertEqual(error["kinds"]["lanes.base_colour.layers[0].mask[0]"], "vector")

    def test_each_has_a_picture_and_so_has_each_beginning(self):
        makers = [m for m in self.client.get("/api/steps").json["makers"] if m["offered"]]
        pictures = set()
        for maker in makers:
            for beginning in ("", *(b["name"] for b in maker["beginnings"])):
                found = self.client.get(f"/api/makers/{maker['name']}/picture?beginning={beginning}")
                self.assertEqual((found.status_code, found.data[:4]), (200, b"\x89PNG"), maker["name"])
                pictures.add(found.data)
            self.assertTrue(maker["summary"])
            named = [name for section in maker["parameters"].get("sections", ()) for name in section["names"]]
            self.assertLessEqual(set(named), set(maker["parameters"]["properties"]))
        strands = next(m for m in makers if m["name"] == "strands")
        self.assertEqual([b["name"] for b in strands["beginnings"]], ["Wool", "Fringe", "Fur", "Grass"])
        self.assertGreater(len(pictures), len(makers))
        self.refused(self.client.get("/api/makers/strands/picture?beginning=Moss"), 422, "no beginning")
        self.refused(self.client.get("/api/makers/import/picture"), 422)

    def test_steps_that_can_do_nothing_say_why(self):
        answer = self.client.post("/api/populations", json={"scene": self.scene, "population": "beetle-sequins"})
        unfit = unpack(answer.data)[0]["unfit"]
        self.assertEqual(set(unfit), {"along", "ground", "particle"})
        self.assertIn("Only strands", unfit["along"])

    def test_what_reads_a_thing_that_goes_is_named(self):
        look = self.scene["populations"][0]["look"]
        look["signals"] = [{"name": "wear", "chain": [{"step": "random", "seed": 1}]}]
        look["lanes"]["base_colour"]["layers"][0]["paint"][0] = {"step": "signal", "name": "wear"}
        body = {"scene": self.scene, "kind": "signal", "id": "beetle-sequins", "name": "wear"}
        answer = self.client.post("/api/removals", json=body).json
        self.assertEqual(answer["readers"], ["Base colour of Beetle sequins reads it."])
        self.assertEqual(answer["instead"]["label"], "Put its chain in their place")
        gone = self.client.post("/api/removals", json={**body, "kind": "population"}).json
        self.assertEqual((gone["readers"], gone["scene"]["populations"]), ([], []))
        self.refused(self.client.post("/api/removals", json={**body, "name": "tear"}), 422, "no signal 'tear'")

    def test_costs_are_those_of_now(self):
        """The first making counts in what a machine does once: asked again, nothing is dearer."""
        body = {"scene": self.scene, "population": "beetle-sequins"}
        first = self.client.post("/api/costs", json=body).json
        again = self.client.post("/api/costs", json=body).json
        self.assertGreater(first["seconds"], 0)
        self.assertLessEqual(again["seconds"], first["seconds"])
        # Two thousand sequins of three steps take well below a second on any machine.
        self.assertLess(again["seconds"] * 2000, 1)


class Evaluations(ServerCase):
    def test_the_colours_are_those_of_the_core(self):
        header, arrays = self.evaluate(trace=5)
        document = Scene.model_validate(self.scene).populations[0]
        population = document.maker.make(self.store)
        evaluator = Evaluator()
        evaluation = evaluator.evaluate(population, document.look)
        np.testing.assert_array_equal(arrays["base_colour"], display_bytes(evaluation.colours))
        counts = np.bincount(arrays["groups"], minlength=5)
        np.testing.assert_array_equal(counts, header["groups"]["counts"])
        self.assertEqual(header["trace"]["element"], 5)
        self.assertEqual(len(header["steps"]), 3)

    def test_a_ramp_edit_recomputes_the_ramp_and_what_follows(self):
        self.assertEqual(len(self.evaluate()[0]["computed"]), 3)
        self.scene["populations"][0]["look"]["lanes"]["base_colour"]["layers"][0]["paint"][1]["stops"][1]["at"] = 0.4
        header, _ = self.evaluate()
        self.assertEqual([p[-8:] for p in header["computed"]], ["paint[1]", "paint[2]"])
        self.assertEqual(header["reused"], 1)

    def test_greys_of_an_attribute(self):
        look = self.scene["populations"][0]["look"]
        look["signals"] = [{"name": "height", "chain": [{"step": "attribute", "name": "position", "component": "z"}]}]
        steps = ("lanes.base_colour.layers[0].paint[0]", "signals[0].chain[0]")
        found = [("attribute", "position"), ("signal", "height"), *(("step", place) for place in steps)]
        pictures = []
        for of, name in found:
            rgb = self.evaluate(preview={"of": of, "name": name})[1]["preview"]
            self.assertTrue((rgb == rgb[:, :1]).all())
            pictures.append(rgb.tobytes())
            coloured = self.evaluate(preview={"of": of, "name": name, "scale": "false_colour"})[1]["preview"]
            # The scale of false colours grows lighter as the greys do.
            order = np.argsort(rgb[:, 0], kind="stable")
            self.assertTrue((np.diff(coloured[order][::400] @ [0.2126, 0.7152, 0.0722]) > -3).all())
        self.assertEqual(pictures[0], pictures[1])
        for of, word in (("attribute", "size"), ("signal", "height"), ("step", "no step")):
            body = self.asking(preview={"of": of, "name": "sice"})
            self.refused(self.client.post("/api/evaluations", json=body), 422, word)

    def test_signals_are_renamed_and_distributions_held(self):
        look = self.scene["populations"][0]["look"]
        look["signals"] = [{"name": "s", "chain": [{"step": "random", "seed": 1}]}]
        look["lanes"]["base_colour"]["layers"][0]["paint"][0] = {"step": "formula", "text": "s"}
        body = {"scene": self.scene, "population": "beetle-sequins"}
        dialled = {**body["scene"], "dials": [{"name": "d", "value": 0.5}]}
        named = self.client.post("/api/dial-names", json={"scene": dialled, "old": "d", "new": "night"}).json["scene"]
        self.assertEqual(named["dials"], [{"name": "night", "value": 0.5, "choices": [], "keys": []}])
        wrong = {"scene": dialled, "old": "e", "new": "f"}
        self.refused(self.client.post("/api/dial-names", json=wrong), 422, "no dial")
        renamed = self.client.post("/api/signal-names", json={**body, "old": "s", "new": "wear"}).json["look"]
        self.assertEqual(renamed["lanes"]["base_colour"]["layers"][0]["paint"][0]["text"], "wear")
        self.refused(self.client.post("/api/signal-names", json={**body, "old": "t", "new": "u"}), 422, "no signal")
        place = "lanes.base_colour.layers[0].paint[1]"
        look["lanes"]["base_colour"]["layers"][0]["paint"].insert(1, {"step": "even_out"})
        holding = {**body, "place": place, "action": "hold"}
        held = self.client.post("/api/step-edits", json=holding).json["step"]["held"]
        self.assertEqual(held, sorted(held))
        self.refused(self.client.post("/api/step-edits", json={**holding, "place": f"{place}x"}), 422)
        self.refused(self.client.post("/api/step-edits", json={**holding, "action": "flip"}), 422, "no edit 'flip'")

    def test_an_overtaken_request_is_dropped(self):
        self.evaluate(session="a", sequence=5)
        response = self.client.post("/api/evaluations", json=self.asking("a", 4))
        self.refused(response, 409)
        self.assertEqual(response.json["code"], "overtaken")
        self.evaluate(session="b", sequence=1)

    def test_latest_notices_while_it_runs(self):
        latest = Latest()
        overtaken = latest.enter("a", 1)
        self.assertFalse(overtaken())
        latest.enter("a", 2)
        self.assertTrue(overtaken())
        with self.assertRaises(Stopped):
            latest.enter("a", 1)

    def test_bad_requests(self):
        url = "/api/evaluations"
        good = self.asking()
        self.refused(self.client.post(url, data="{", content_type="application/json"), 422, "JSON")
        self.refused(self.client.post(url, data=json.dumps(good)), 422, "content type")
        self.refused(self.client.post(url, json={**good, "wanted": [{"population": "none"}]}), 422, "none")
        self.refused(self.client.post(url, json=self.asking(trace=10**6)), 422, "2,000 elements")
        self.refused(self.client.post(url, json={**good, "extra": 1}), 422, "extra")
        deep = '{"scene":' * 5000 + "1" + "}" * 5000
        self.refused(self.client.post(url, data=deep, content_type="application/json"), 422, "Nested")
        for count in (0, 10**9):
            self.scene["populations"][0]["maker"]["count"] = count
            self.refused(self.client.post(url, json=good), 422, "scene.populations[0].maker.count")
        self.refused(self.client.put("/api/scenes", json={}), 405)
        self.refused(self.client.get("/api/nothing"), 404)


class Scenes(ServerCase):
    def test_edit_undo_redo(self):
        begun = self.client.post("/api/scenes", json={"document": self.scene}).json
        url = f"/api/scenes/{begun['id']}"
        changed = {**self.scene, "name": "Second night"}
        saved = self.client.put(url, json={"base": begun["revision"], "label": "Rename", "document": changed}).json
        self.assertTrue(saved["can_undo"])
        undone = self.client.post(f"{url}/undo", json={"base": saved["revision"]}).json
        self.assertEqual(undone["document"]["name"], self.scene["name"])
        self.refused(self.client.post(f"{url}/undo", json={"base": saved["revision"]}), 409, "another window")
        redone = self.client.post(f"{url}/redo", json={"base": undone["revision"]}).json
        self.assertEqual(redone["document"]["name"], "Second night")
        stale = self.client.put(url, json={"base": begun["revision"], "label": "Late", "document": self.scene})
        self.refused(stale, 409, "another window")
        self.assertEqual(self.client.get(url).json["document"]["name"], "Second night")
        self.refused(self.client.get("/api/scenes/none"), 404, "none")

    def test_a_bad_document_changes_nothing(self):
        begun = self.client.post("/api/scenes", json={"document": self.scene}).json
        url = f"/api/scenes/{begun['id']}"
        twice = {**self.scene, "populations": self.scene["populations"] * 2}
        body = {"base": begun["revision"], "label": "Bad", "document": twice}
        self.refused(self.client.put(url, json=body), 422, "beetle-sequins")
        self.assertEqual(self.client.get(url).json["revision"], begun["revision"])

    def test_shares_and_ramp_edits(self):
        place = "lanes.base_colour.layers[0].paint[1]"
        body = {"scene": self.scene, "population": "beetle-sequins", "place": place}
        shares = [0.3, 0.25, 0.2, 0.15, 0.1]
        setting = {**body, "action": "set_shares"}
        ramp_step = self.client.post("/api/step-edits", json={**setting, "shares": shares}).json["step"]
        self.scene["populations"][0]["look"]["lanes"]["base_colour"]["layers"][0]["paint"][1] = ramp_step
        self.assertEqual(self.evaluate()[0]["groups"]["counts"], [600, 500, 400, 300, 200])
        self.refused(self.client.post("/api/step-edits", json={**setting, "shares": [1]}), 422, "5 colours")
        wrong = {**body, "place": "lanes.base_colour.layers[0].paint[0]", "action": "flip"}
        self.refused(self.client.post("/api/step-edits", json=wrong), 422, "has no edit")


def alone(maker: dict) -> dict:
    """A request to make one population."""
    return {"scene": {"populations": [{"id": "p", "name": "P", "maker": maker}]}, "population": "p"}


class Imports(ServerCase):
    def count_columns(self) -> int:
        with self.store.engine.connect() as connection:
            return connection.exec_driver_sql("select count(*) from column_data").scalar()

    def test_in_and_home_again(self):
        preview = self.client.post("/api/imports/preview?name=three.ply", data=POINTS)
        self.assertEqual([thing["count"] for thing in preview.json["things"]], [3])
        self.assertEqual(self.count_columns(), 0)
        answer = self.client.post("/api/imports?name=three.ply", data=POINTS).json["things"][0]
        kinds = {a["name"]: a["kind"] for a in answer["maker"]["attributes"]}
        self.assertEqual(kinds["colour"], "colour")
        chain = look_document({"step": "attribute", "name": "weight"}, ramp([0, 0.3, 0.5], FIVE[:3]))
        self.scene["populations"].append(
            {"id": "three", "name": "Three points!", "maker": answer["maker"], "look": chain}
        )
        body = {"scene": self.scene, "population": "three", "format": "ply"}
        response = self.client.post("/api/exports", json=body)
        self.assertIn('filename="three-points.ply"', response.headers["Content-Disposition"])
        back = read_points(response.data, "back.ply")
        np.testing.assert_allclose(back.elements.own["weight"].values, [0.1, 0.4, 0.9], rtol=1e-6)
        self.assertEqual(back.elements.own["original_colour"].values.tolist(), [[255, 0, 0], [0, 255, 0], [0, 0, 255]])
        result = ["#{:02x}{:02x}{:02x}".format(*c) for c in back.elements.own["colour"].values]
        self.assertEqual(result, FIVE[:3])
        made = self.client.post("/api/populations", json={"scene": self.scene, "population": "three"})
        self.assertEqual(unpack(made.data)[0]["count"], 3)

    def test_bad_files_store_nothing(self):
        for name, data in (
            ("a.ply", POINTS[:-30]),
            ("a.csv", b"x,y\n1,2\n"),
            ("a.ply", b""),
            ("a.png", b"\x89PNG1234"),
        ):
            for url in ("/api/imports/preview", "/api/imports"):
                self.refused(self.client.post(f"{url}?name={name}", data=data), 422)
        self.refused(self.client.post("/api/imports", data=POINTS), 422, "name")
        self.assertEqual(self.count_columns(), 0)

    def test_how_things_are_coloured_at_first(self):
        """Own colours, chance, one each: the look that comes with the maker, and a picture of it beforehand."""
        rows = "x,y,z,red,green,blue,kind\n" + "".join(f"{k},0,0,{9 * k},80,90,{'abc'[k % 3]}\n" for k in range(20))
        pictures = set()
        for colours, steps in (
            ("own", ["attribute"]), ("chance", ["random", "ramp"]), ("each:kind", ["attribute", "palette"]),
        ):  # fmt: skip
            asked = f"name=a.csv&colours={colours}"
            thing = self.client.post(f"/api/imports/preview?{asked}", data=rows.encode()).json["things"][0]
            self.assertEqual((thing["colours"], thing["groups"]), ("colour", [["kind", 3]]))
            self.assertTrue(thing["picture"].startswith("data:image/png;base64,"))
            pictures.add(thing["picture"])
            made = self.client.post(f"/api/imports?{asked}", data=rows.encode()).json["things"][0]
            paint = made["look"]["lanes"]["base_colour"]["layers"][0]["paint"]
            self.assertEqual([step["step"] for step in paint], steps)
        self.assertEqual(len(pictures), 3)
        for url in ("/api/imports/preview", "/api/imports"):
            for colours, word in (("blue", "own, chance"), ("each:x", "kind"), ("each:", "kind")):
                answer = self.client.post(f"{url}?name=a.csv&colours={colours}", data=rows.encode())
                self.refused(answer, 422, word)

    def test_what_would_be_lost_is_told_before_a_file_is_written(self):
        rows = b"x,y,z,kind,heat\n0,0,0,fish,1\n1,0,0,fox,\n"
        thing = self.client.post("/api/imports?name=a.csv", data=rows).json["things"][0]
        self.scene["populations"].append({"id": "a", "name": "A", "maker": thing["maker"], "look": thing["look"]})
        told = self.client.post("/api/exports/losses", json={"scene": self.scene, "population": "a"}).json["losses"]
        self.assertEqual(set(told), {"ply", "ply_ascii", "glb", "usd", "usdc"})
        self.assertIn("kind", told["ply"][0])
        self.assertIn("heat", told["glb"][0])
        plain = self.client.post("/api/imports?name=three.ply", data=POINTS).json["things"][0]
        self.scene["populations"].append({"id": "b", "name": "B", "maker": plain["maker"], "look": plain["look"]})
        told = self.client.post("/api/exports/losses", json={"scene": self.scene, "population": "b"}).json["losses"]
        self.assertEqual(told, {})
        self.refused(self.client.post("/api/exports/losses", json={"scene": self.scene, "population": "no"}), 422)

    def test_meshes_of_ones_own_are_drawn(self):
        """A file of instances of two shapes: they come along, and the view fetches each once."""
        data = written("glb", points(30), shapes=[{"shape": "ball"}, {"shape": "card", "size": 2}])
        thing = self.client.post("/api/imports?name=two.glb", data=data).json["things"][0]
        self.assertEqual(thing["shape"], "own")
        entry = {"id": "two", "name": "Two", "maker": thing["maker"], "look": thing["look"], "shape": "own"}
        self.scene["populations"].append(entry)
        header, _ = unpack(self.client.post("/api/evaluations", json=self.asking(population="two")).data)
        shapes = header["populations"]["two"]["material"]["shapes"]
        self.assertEqual(len(shapes), 2)
        for shape in shapes:
            found, arrays = unpack(self.client.get(f"/api/shapes/{shape['key']}").data)
            self.assertEqual(arrays["faces"].shape, (found["triangles"], 3))
        self.refused(self.client.get("/api/shapes/" + "0" * 32), 422)
        # Meshes that are others, or gone, are a sentence.
        for models in (
            {**thing["maker"]["models"], "meshes": ["0" * 32] * 2},
            {**thing["maker"]["models"], "meshes": [thing["maker"]["models"]["of"]] * 2},
            {**thing["maker"]["models"], "meshes": thing["maker"]["models"]["meshes"][:1]},
        ):
            self.refused(self.client.post("/api/populations", json=alone({**thing["maker"], "models": models})), 422)

    def test_a_maker_with_columns_that_are_not_there(self):
        maker = self.client.post("/api/imports?name=three.ply", data=POINTS).json["things"][0]["maker"]
        changes = [("digest", "0" * 32), ("dtype", "<f8"), ("width", 2), ("kind", "text"), ("kind", "number")]
        for key, value in [*changes, ("name", "place"), ("fields", [{"name": "x", "dtype": "<f4"}])]:
            broken = json.loads(json.dumps(maker))
            broken["attributes"][0][key] = value
            self.refused(self.client.post("/api/populations", json=alone(broken)), 422)

    def test_columns_that_only_share_a_name_with_what_the_view_wants(self):
        names = ("x", "y", "z", "normal", "size_x", "size_y", "size_z", "orientation", "colour")
        rows = [" ".join(str(k * 0.5 + n) for n in range(len(names))) for k in range(4)]
        data = ply_text(rows, tuple(f"float {n}" for n in names))
        answer = self.client.post("/api/imports?name=odd.ply", data=data).json["things"][0]
        kinds = {a["name"]: (a["kind"], a["width"]) for a in answer["maker"]["attributes"]}
        self.assertEqual(
            (kinds["normal"], kinds["size"], kinds["colour"]), (("number", 1), ("vector", 3), ("number", 1))
        )
        header, arrays = unpack(self.client.post("/api/populations", json=alone(answer["maker"])).data)
        self.assertEqual((header["count"], arrays["orientations"].shape, arrays["sizes"].shape), (4, (4, 4), (4,)))
        self.scene["populations"].append({"id": "odd", "name": "Odd", "maker": answer["maker"], "look": {}})
        for name in kinds:
            self.evaluate(population="odd", preview={"of": "attribute", "name": name})
        body = {"scene": self.scene, "population": "odd"}
        listed = self.client.post("/api/elements", json={**body, "sort": "size.y"}).json
        self.assertEqual((listed["matched"], len(listed["rows"])), (4, 4))
        back = self.client.post("/api/exports", json={**body, "format": "csv"}).data
        self.assertEqual(set(back.decode().splitlines()[0].split(",")[: len(names)]), set(names))

    def test_exports_of_all_formats(self):
        for form in ("ply", "ply_ascii", "csv"):
            body = {"scene": self.scene, "population": "beetle-sequins", "format": form}
            data = self.client.post("/api/exports", json=body).data
            self.assertEqual(read_points(data, f"x.{form[:3]}").count, 2000)
        body["format"] = "look"
        self.assertEqual(json.loads(self.client.post("/api/exports", json=body).data)["gaudyseed"], 3)


class AllFrames(ServerCase):
    def test_several_frames_in_one_usd_file(self):
        """Read by usd-core: the ids of a frame are those of the scene at that frame."""
        from pxr import Usd, UsdGeom

        scene = {"gaudyseed": 3, "populations": [sparks()]}
        ask = {"scene": scene, "population": "sparks", "format": "usdc", "frames": [3, 5]}
        answer = self.client.post("/api/exports", json=ask)
        self.assertEqual(answer.status_code, 200, answer.data[:300])
        self.assertIn('filename="sparks.usdc"', answer.headers["Content-Disposition"])
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "all.usdc"
            path.write_bytes(answer.data)
            stage = Usd.Stage.Open(str(path))
            points = UsdGeom.Points(stage.GetDefaultPrim())
            self.assertEqual(points.GetPointsAttr().GetTimeSamples(), [3, 4, 5])
            for frame in (3, 5):
                flown = scene_run(*scene["populations"], frame=frame).population("sparks").elements
                np.testing.assert_array_equal(points.GetIdsAttr().Get(frame), flown.attribute("id").values)
        for more, word in (({"format": "ply"}, "USD alone"), ({"frames": [5, 3]}, "no frames"),
                           ({"frames": [0, 10_000]}, "more than"), ({"frames": [-1, 3]}, "frames")):  # fmt: skip
            refused = self.client.post("/api/exports", json={**ask, **more})
            self.assertEqual(refused.status_code, 422)
            self.assertIn(word, refused.json["sentence"] + refused.json["place"])


class Doors(ServerCase):
    def test_foreign_hosts_and_origins(self):
        self.refused(self.client.get("/api/scenes", headers={"Host": "evil.example"}), 403)
        self.refused(self.client.post("/api/scenes", json={}, headers={"Origin": "http://evil.example"}), 403)
        self.assertEqual(self.client.get("/api/scenes", headers={"Origin": "http://localhost"}).status_code, 200)

    def test_a_token_is_asked_for_beyond_loopback(self):
        client = create_app(self.store, Guard("secret")).test_client()
        self.refused(client.get("/api/scenes"), 401)
        self.refused(client.get("/api/scenes", headers={"Authorization": "Bearer wrong"}), 401)
        self.assertEqual(client.get("/api/scenes", headers={"Authorization": "Bearer secret"}).status_code, 200)
        self.assertEqual(client.get("/?token=secret").status_code, 302)
        self.assertEqual(client.get("/api/scenes").status_code, 200)

    def test_an_empty_token_is_none(self):
        client = create_app(self.store, Guard("")).test_client()
        self.refused(client.get("/api/scenes", headers={"Host": "evil.example"}), 403)
        self.assertEqual(client.get("/api/scenes").status_code, 200)

    def test_guesses_are_slowed_and_the_holder_comes_in_again(self):
        now = [0.0]
        throttle = Throttle(lambda: now[0])
        for k in range(throttle.FREE):
            self.assertEqual(throttle.wait("1.2.3.4"), 0, k)
            throttle.note("1.2.3.4", False)
        waits = []
        for _ in range(8):
            waits.append(throttle.wait("1.2.3.4"))
            now[0] += waits[-1]
            self.assertEqual(throttle.wait("1.2.3.4"), 0)
            throttle.note("1.2.3.4", False)
        self.assertEqual(waits, [1, 2, 4, 8, 16, 32, 60, 60])
        self.assertEqual(throttle.wait("5.6.7.8"), 0)
        throttle.note("1.2.3.4", True)
        self.assertEqual(throttle.wait("1.2.3.4"), 0)
        client = create_app(self.store, Guard("secret")).test_client()
        wrong = {"Authorization": "Bearer wrong"}
        answers = [client.get("/api/scenes", headers=wrong).status_code for _ in range(8)]
        self.assertEqual(answers, [401] * 5 + [429] * 3)
        self.refused(client.get("/api/scenes", headers={"Authorization": "Bearer secret"}), 429, "Wait")

    def test_odd_hosts_origins_and_tokens(self):
        for client in (self.client, create_app(self.store, Guard("s\u00e9cret")).test_client()):
            for headers in ({"Origin": "http://["}, {"Origin": "\u00e9"}, {"Host": "["}, {"Host": "[::1"},
                            {"Authorization": "Bearer \u00fc"}, {"Cookie": "gaudyseed_token=\u00fc"},
                            {"Cookie": 'gaudyseed_token="'}, {"Authorization": "Basic x"}):  # fmt: skip
                coded = {k: v.encode().decode("latin-1") for k, v in headers.items()}
                answer = client.get("/api/scenes", headers=coded)
                self.assertIn(answer.status_code, (200, 400, 401, 403), headers)
            self.assertIn(client.get("/api/scenes?token=%C3%BC%FF").status_code, (200, 401))
        self.assertIn("form-action 'none'", self.client.get("/api/scenes").headers["Content-Security-Policy"])

    def test_what_is_unforeseen_shows_no_traceback(self):
        @self.app.get("/api/broken")
        def broken() -> str:
            raise ValueError("secret detail")

        with self.assertLogs("gaudyseed", "ERROR"):
            answer = self.client.get("/api/broken")
        self.assertEqual((answer.status_code, answer.json["code"]), (500, "unforeseen"))
        self.assertNotIn(b"secret detail", answer.data)

    def test_files_outside_the_page_are_not_served(self):
        for path in ("/../app.py", "/..%2fapp.py", "/assets/../../app.py"):
            self.assertEqual(self.client.get(path).status_code, 404)

    def test_the_page_asks_for_nothing_from_elsewhere(self):
        page = self.client.get("/")
        self.assertEqual(page.status_code, 200)
        self.assertNotIn(b"http://", page.data)
        self.assertNotIn(b"https://", page.data)
        self.assertIn("default-src 'self'", page.headers["Content-Security-Policy"])

    def test_every_operation_of_the_document_answers(self):
        document = self.client.get("/api/openapi.json").json
        self.assertGreater(len(document["paths"]), 9)
        for path, methods in document["paths"].items():
            for method in methods:
                response = getattr(self.client, method)(path.replace("{scene}", "none").replace("{name}", "none"))
                self.assertLess(response.status_code, 500, path)
                self.assertNotIn(response.status_code, (405,), path)


class Library(ServerCase):
    def test_it_begins_with_ramps_and_palettes_and_keeps_more(self):
        listed = self.client.get("/api/library").json["items"]
        self.assertGreaterEqual(sum(i["kind"] == "ramp" for i in listed), 12)
        self.assertTrue(all(i["strip"] or i["kind"] == "finish" for i in listed))
        self.assertEqual(sum(i["kind"] == "finish" for i in listed), 12)
        step = self.scene["populations"][0]["look"]["lanes"]["base_colour"]["layers"][0]["paint"][1]
        kept = self.client.post("/api/library", json={"kind": "ramp", "name": "Mine", "document": step}).json
        self.assertEqual(len(kept["strip"]), 160)
        marked = self.client.put(f"/api/library/{kept['id']}", json={"favourite": True, "name": "Ours"}).json
        self.assertEqual((marked["favourite"], marked["name"]), (True, "Ours"))
        self.assertEqual(self.client.get("/api/library?kind=ramp").json["items"][0]["id"], kept["id"])
        for item in (kept["id"], listed[0]["id"]):
            self.assertEqual(self.client.delete(f"/api/library/{item}").status_code, 200)
            self.refused(self.client.delete(f"/api/library/{item}"), 404)
        self.store.begin_library([(listed[0]["id"], "ramp", "Again", "{}")])
        left = {i["id"] for i in self.client.get("/api/library").json["items"]}
        self.assertEqual(left, {i["id"] for i in listed[1:]}, "what was removed stays removed")

    def test_what_cannot_be_kept(self):
        for body in (
            {"kind": "ramp", "name": "x", "document": {"step": "ramp", "stops": []}},
            {"kind": "look", "name": "x", "document": {"lanes": {"base": 1}}},
            {"kind": "song", "name": "x", "document": {}},
            {"kind": "look", "name": "", "document": {}},
            {"kind": "look", "name": "x", "document": {}, "picture": "https://example.org/a.png"},
            {"kind": "look", "name": "x", "document": {}, "picture": "data:image/svg+xml;base64,AAAA"},
        ):
            self.refused(self.client.post("/api/library", json=body), 422)
        look = self.scene["populations"][0]["look"]
        chain = {"steps": look["lanes"]["base_colour"]["layers"][0]["paint"]}
        for kind, document in (("look", look), ("chain", chain), ("layer", look["lanes"]["base_colour"]["layers"][0])):
            body = {"kind": kind, "name": kind, "document": document, "picture": "data:image/png;base64,iVBORw0KGgo="}
            self.assertEqual(self.client.post("/api/library", json=body).status_code, 200)


class Palettes(ServerCase):
    def test_pictures_files_and_harmonies(self):
        self.refused(self.client.post("/api/palettes/picture?count=8", data=b"\x89PNG broken"), 422, "no picture")
        for count in ("1", "65", "x", "", "9" * 9):
            self.refused(self.client.post(f"/api/palettes/picture?count={count}", data=b""), 422)
        swatches = [{"colour": c} for c in ("#131f4d", "#0b6a72", "#22a98a", "#f3b13c")]
        for form, ending in (("png", "png"), ("text", "txt"), ("tokens", "json")):
            body = {"swatches": swatches, "columns": 2, "name": "Fair / ../x", "format": form}
            written = self.client.post("/api/palettes/files", json=body)
            self.assertNotIn("/", written.headers["Content-Disposition"])
            back = self.client.post(f"/api/palettes/file?name=a.{ending}", data=written.data).json
            self.assertEqual([s["colour"] for s in back["swatches"]], [s["colour"] for s in swatches])
        ordered = self.client.post("/api/palettes/order", json={"swatches": swatches, "order": "lightness"}).json
        self.assertEqual(ordered["swatches"][0]["colour"], "#131f4d")
        drawn = self.client.post("/api/palettes/reroll", json={"swatches": swatches, "seed": 3, "least": 0.1}).json
        self.assertEqual(len(drawn["swatches"]), 4)
        crowded = {"swatches": swatches * 60, "seed": 3, "least": 0.5}
        self.refused(self.client.post("/api/palettes/reroll", json=crowded), 422, "room")
        pairs = self.client.post("/api/palettes/nearest", json={"swatches": swatches}).json["pairs"]
        self.assertEqual([p["vision"] for p in pairs], ["all", "protanopia", "deuteranopia", "tritanopia"])
        self.assertEqual(self.client.post("/api/palettes/nearest", json={"swatches": swatches[:1]}).json["pairs"], [])
        triad = self.client.post("/api/harmonies", json={"colour": "#a86a4c", "relation": "triad"}).json
        self.assertEqual(len(triad["swatches"]), 3)
        self.refused(self.client.post("/api/harmonies", json={"colour": "red", "relation": "triad"}), 422)
        self.refused(self.client.post("/api/colour-texts", json={"text": "none here"}), 422, "No colours")
        plain, seen = self.evaluate(), self.evaluate(vision="tritanopia")
        self.assertFalse((plain[1]["base_colour"] == seen[1]["base_colour"]).all())
