"""The server: pictures, strokes, kept values, sequences, frames."""

from __future__ import annotations

import io
import json
import unittest

import numpy as np
from PIL import Image

from tests.forking import forked
from tests.support import look_document, ramp
from tests.web.test_api import ServerCase

GREYS = ramp([0, 1], ["#000000", "#ffffff"], interpolation="straight")
ID = "beetle-sequins"


def setUpModule() -> None:
    """Files of USD and pictures are read by forks."""
    unittest.enterModuleContext(forked())


def picture(colour: tuple[int, int, int] = (200, 30, 30)) -> bytes:
    file = io.BytesIO()
    Image.new("RGB", (9, 5), colour).save(file, "PNG")
    return file.getvalue()


class Assets(ServerCase):
    def test_kept_by_content_and_read(self):
        answers = [self.client.post("/api/assets?name=dusk.png", data=picture()).json for _ in range(2)]
        self.assertEqual(answers[0], answers[1])
        asset = answers[0]["asset"]
        self.assertEqual((asset["name"], asset["width"], asset["height"]), ("dusk", 9, 5))
        small = self.client.get(f"/api/assets/{asset['digest']}")
        self.assertEqual(Image.open(io.BytesIO(small.data)).size, (9, 5))
        self.scene["assets"] = [asset]
        self.scene["populations"][0]["look"] = look_document({"step": "picture"})
        self.assertEqual(set(map(tuple, self.evaluate()[1]["base_colour"].tolist())), {(200, 30, 30)})

    def test_those_that_ship(self):
        names = [p["name"] for p in self.client.get("/api/assets").json["pictures"]]
        self.assertEqual(names, ["moon", "harbour", "feather", "stencil"])
        for name in names:
            found = Image.open(io.BytesIO(self.client.get(f"/api/assets/{name}").data))
            self.assertEqual(max(found.size), 128)

    def test_refusals(self):
        self.refused(self.client.post("/api/assets?name=a.png", data=b"text"), 422, "no picture")
        self.refused(self.client.post("/api/assets", data=picture()), 422, "name")
        for name in ("0" * 32, "nothing", "..%2Fx"):
            self.assertIn(self.client.get(f"/api/assets/{name}").status_code, (404, 422))
        # A picture whose content is gone is told at its step; nothing breaks.
        self.scene["assets"] = [{"name": "gone", "digest": "0" * 32}]
        self.scene["populations"][0]["look"] = look_document({"step": "picture", "picture": "gone"})
        self.refused(
            self.client.post("/api/evaluations", json=self.asking()), 422, "gone from the data file", "picture"
        )


class Strokes(ServerCase):
    def setUp(self):
        super().setUp()
        self.scene["populations"][0]["painted"] = [{"name": "weight"}]
        self.scene["populations"][0]["look"] = look_document({"step": "attribute", "name": "weight"}, GREYS)

    def stroke(self, **more):
        body = {"scene": self.scene, "population": ID, "column": "weight", "dabs": [[0, 0, 1.4]], **more}
        return self.client.post("/api/strokes", json=body)

    def test_painted_and_seen_before_it_is_kept(self):
        painted = self.stroke(brush={"radius": 0.7}, last=False).json["painted"]
        with self.assertRaises(KeyError):
            self.store.column(painted["digest"])
        self.scene["populations"][0]["painted"] = [painted]
        levels = self.evaluate()[1]["base_colour"]
        self.assertGreater(int(levels.max()), 200)
        self.assertEqual(int(levels.min()), 0)
        again = self.stroke(dabs=[], brush={"radius": 0.7}).json["painted"]
        self.assertEqual(again["digest"], painted["digest"])
        self.assertTrue(self.store.column(painted["digest"]))

    def test_refusals(self):
        self.refused(self.stroke(dabs=[[0, 0, 0]] * 100_000), 422, "20000")
        self.refused(self.stroke(brush={"radius": 0}), 422, "radius")
        self.refused(self.stroke(column="other"), 422, "no painted column")
        self.assertEqual(self.stroke(dabs=[[1e6, 0, 0]]).status_code, 200)
        self.scene["populations"][0]["painted"] = [{"name": "weight", "digest": "0" * 32}]
        self.refused(self.stroke(), 422, "painted values", "painted[0]")
        self.refused(self.client.post("/api/evaluations", json=self.asking()), 422, "painted values")

    def test_renamed_wherever_it_is_read(self):
        look = self.scene["populations"][0]["look"]
        look["signals"] = [{"name": "s", "chain": [{"step": "formula", "text": "weight * 2"}]}]
        body = {"scene": self.scene, "population": ID, "old": "weight", "new": "soot"}
        first = self.client.post("/api/painted-names", json=body).json["scene"]["populations"][0]
        self.assertEqual(first["painted"][0]["name"], "soot")
        self.assertEqual(first["look"]["lanes"]["base_colour"]["layers"][0]["paint"][0]["name"], "soot")
        self.assertEqual(first["look"]["signals"][0]["chain"][0]["text"], "soot * 2")
        self.refused(self.client.post("/api/painted-names", json={**body, "old": "none"}), 422, "no painted column")

    def test_kept_values(self):
        look = look_document({"step": "signal", "name": "s"}, GREYS)
        look["signals"] = [{"name": "s", "chain": [{"step": "random", "seed": 1}]}]
        self.scene["populations"][0]["look"] = look
        before = self.evaluate()[1]["base_colour"]
        body = {"scene": self.scene, "population": ID, "signal": "s", "name": "held"}
        painted = self.client.post("/api/kept-values", json=body).json["painted"]
        self.scene["populations"][0]["painted"] = [painted]
        self.scene["populations"][0]["look"] = look_document({"step": "attribute", "name": "held"}, GREYS)
        np.testing.assert_array_equal(self.evaluate()[1]["base_colour"], before)
        self.refused(self.client.post("/api/kept-values", json={**body, "signal": "none"}), 422, "No signal")


class Time(ServerCase):
    def test_frames(self):
        near = {"step": "nearness", "markers": ["m"], "within": 1}
        self.scene["populations"][0]["look"] = look_document(near, GREYS)
        keys = [{"frame": 0, "value": [0, 0, 0]}, {"frame": 10, "value": [2, 0, 0]}]
        self.scene["markers"] = [{"name": "m", "keys": keys}]
        found = []
        for frame in (None, 0, 5):
            response = self.client.post("/api/evaluations", json={**self.asking(), "frame": frame})
            found.append(response.data)
            self.assertIn(b'"timed":true', response.data.replace(b" ", b""))
        self.assertNotEqual(found[1][-6000:], found[2][-6000:])
        self.assertIn(b'"m":[1.0,0.0,0.0]', found[2].replace(b" ", b""))
        for frame in (-1, 10**9, 0.5):
            self.refused(
                self.client.post("/api/evaluations", json={**self.asking(), "frame": frame}), 422, "is no frame"
            )
        renamed = self.client.post("/api/marker-names", json={"scene": self.scene, "old": "m", "new": "baton"}).json[
            "scene"
        ]
        self.assertEqual(
            renamed["populations"][0]["look"]["lanes"]["base_colour"]["layers"][0]["paint"][0]["markers"], ["baton"]
        )

    def test_sequences(self):
        frames = []
        for k in (3, 1):
            text = "x,y,z\n" + "".join(f"{n},{k},0\n" for n in range(k + 1))
            things = self.client.post(f"/api/imports?name=a.{k}.csv", data=text.encode()).json["things"]
            frames.insert(0, {"frame": k, "maker": things[0]["maker"]})
        maker = self.client.post("/api/sequences", json={"file": "a.1.csv", "frames": frames}).json["maker"]
        self.scene["populations"][0]["maker"] = maker
        counts = []
        for frame in (0, 2, 3, 9):
            body = {"scene": self.scene, "population": ID, "frame": frame}
            data = self.client.post("/api/populations", json=body).data
            counts.append(json.loads(data[8 : 8 + int.from_bytes(data[4:8], "little")])["count"])
        self.assertEqual(counts, [2, 2, 4, 4])
        self.refused(self.client.post("/api/sequences", json={"file": "a", "frames": frames[::-1]}), 422, "comes after")
