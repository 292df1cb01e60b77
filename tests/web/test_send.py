"""The server: shapes, pictures on elements, shares of shapes and finishes, and what is wrong with these."""

from __future__ import annotations

import io

import numpy as np
import trimesh
from PIL import Image

from gaudyseed.core.geometry.shapes import SHAPES
from tests.support import look_document, messages, ramp
from tests.web.test_api import ServerCase

GREYS = ramp([0, 1], ["#000000", "#ffffff"], interpolation="straight")
ID = "beetle-sequins"
RANDOM = {"step": "random", "seed": 1}


class SendCase(ServerCase):
    def setUp(self):
        super().setUp()
        self.look = look_document(RANDOM, GREYS)
        self.scene["populations"][0]["look"] = self.look

    def asked(self, have: dict | None = None, **more) -> tuple[dict, dict, dict]:
        """Seen, told and arrays of the population."""
        wanted = [{"population": ID, "have": have or {}, **more}]
        answer = self.client.post("/api/evaluations", json={"scene": self.scene, "wanted": wanted})
        self.assertEqual(answer.status_code, 200, answer.data[:300])
        (seen, arrays), (told, _) = messages(answer.data)
        return seen["populations"][ID], told["populations"][ID], {k.partition("/")[2]: v for k, v in arrays.items()}


class Material(SendCase):
    def test_an_edit_of_one_lane_computes_and_sends_that_lane_alone(self):
        for k, word in enumerate(("roughness", "opacity", "offset", "emission_strength")):
            self.look["lanes"][word] = {"layers": [{"paint": [{"step": "random", "seed": 20 + k}, {"step": "levels"}]}]}
        self.look["shapes"] = [{"shape": "ball"}, {"shape": "card"}]
        seen, told, arrays = self.asked()
        self.assertLess({"base_colour", "roughness", "opacity", "offset", "shape"}, {*arrays, "x"})
        self.assertEqual(sum(told["shares"]["shape"]), seen["count"])
        have = {**seen["lanes"], **seen["material"]["also"], "groups": told["groups"]["digest"]}
        self.look["lanes"]["roughness"]["layers"][0]["paint"][1]["gamma"] = 2
        again, _, sent = self.asked(have)
        self.assertEqual(set(sent), {"roughness"})
        self.assertEqual(again["computed"], ["lanes.roughness.layers[0].paint[1]"])
        # Which shape an element is, and nothing else.
        have = {**have, **again["lanes"]}
        self.look["lanes"]["shape"] = {"layers": [], "seed": 77}
        self.assertEqual(set(self.asked(have)[2]), {"shape"})

    def test_a_mesh_sends_the_ends_of_its_lanes(self):
        self.scene["populations"][0]["maker"] = {"maker": "mesh", "surface": "ball", "subdivision": 1}
        self.look["lanes"]["base_colour"]["layers"][0]["paint"] = [
            {"step": "extent"},
            ramp([0, 0.5], ["#ff0000", "#0000ff"]),
        ]
        seen, told, arrays = self.asked()
        self.assertEqual(arrays["base_colour.table"].shape[1:], (64, 4))
        self.assertEqual(len(arrays["base_colour.at"]), seen["count"])
        # A stop that is moved sends the table, and the colours of the vertices; the numbers stay.
        have = {**seen["lanes"], **seen["material"]["also"], "groups": told["groups"]["digest"]}
        self.look["lanes"]["base_colour"]["layers"][0]["paint"][1]["stops"][1]["at"] = 0.6
        self.assertEqual(set(self.asked(have)[2]), {"base_colour", "base_colour.table"})

    def test_shares_weighed(self):
        self.look["lanes"]["base_colour"]["layers"][0]["paint"][1] = ramp([0, 0.5], ["#ff0000", "#0000ff"])
        low = [RANDOM, {"step": "levels", "contrast": 1000}]
        self.look["lanes"]["opacity"] = {"layers": [{"paint": low}]}
        counted = self.asked()[1]["groups"]
        weighed = self.asked(weigh="opacity")[1]["groups"]
        self.assertIsNone(counted["weighed"])
        np.testing.assert_allclose(weighed["weighed"], [0, counted["counts"][1]], atol=1)
        self.assertIsNone(self.asked(weigh="density")[1]["groups"]["weighed"])  # clones have none


class Shares(SendCase):
    def weights(self, shares: list, of: str = "shape"):
        body = {"scene": self.scene, "population": ID, "of": of, "shares": shares}
        return self.client.post("/api/material-shares", json=body)

    def test_they_are_those_that_were_typed(self):
        self.look["shapes"] = [{"shape": "ball"}, {"shape": "card"}, {"shape": "ring"}]
        found = self.weights([0.5, 0.1, 0.4]).json["weights"]
        for shape, weight in zip(self.look["shapes"], found, strict=True):
            shape["weight"] = weight
        seen, told, _ = self.asked()
        np.testing.assert_allclose(np.array(told["shares"]["shape"]) / seen["count"], [0.5, 0.1, 0.4], atol=1e-3)

    def test_refusals(self):
        self.refused(self.weights([0.5, 0.5]), 422, "0 of shape")
        self.look["shapes"] = [{"shape": "ball"}, {"shape": "card"}]
        for shares in ([1], [0.2] * 3, [0, 0], [-1, 2]):
            self.refused(self.weights(shares), 422, "")
        self.look["lanes"]["shape"] = {"choose": "number", "layers": [{"paint": [RANDOM]}]}
        self.refused(self.weights([1, 1]), 422, "Choose the shape by share")


class Shapes(SendCase):
    def test_those_that_ship_and_those_of_a_scene(self):
        for word in SHAPES:
            self.assertEqual(self.client.get(f"/api/shapes/{word}").status_code, 200)
        mesh = trimesh.creation.icosphere(subdivisions=1).export(file_type="ply")
        asset = self.client.post("/api/assets?name=knob.ply", data=mesh).json["asset"]
        self.assertEqual((asset["kind"], asset["name"], asset["width"]), ("mesh", "knob", 80))
        self.assertEqual(self.client.get(f"/api/shapes/{asset['digest']}").status_code, 200)
        self.scene["assets"] = [asset]
        self.look["shapes"] = [{"mesh": "knob"}]
        self.assertEqual(self.asked()[0]["material"]["shapes"][0]["key"], asset["digest"])
        body = {"scene": self.scene, "population": ID, "format": "usd"}
        self.assertIn(b'def Mesh "knob"', self.client.post("/api/exports", json=body).data)

    def test_refusals(self):
        for name in ("nothing", "0" * 32, "..%2Fx"):
            self.assertIn(self.client.get(f"/api/shapes/{name}").status_code, (404, 422))
        empty = b"v 0 0 0\nv 1 0 0\nv 0 1 0\n"
        self.refused(self.client.post("/api/assets?name=a.obj", data=empty), 422, "no faces")
        many = trimesh.creation.icosphere(subdivisions=6).export(file_type="ply")
        self.refused(self.client.post("/api/assets?name=a.ply", data=many), 422, "81,920 triangles")
        for ending in ("obj", "ply", "glb"):
            self.refused(self.client.post(f"/api/assets?name=a.{ending}", data=b"\x00\xff not a mesh"), 422, "")
        self.scene["assets"] = [{"name": "gone", "kind": "mesh", "digest": "0" * 32}]
        for mesh, sentence in (("gone", "The mesh 'gone' is gone"), ("other", "No mesh is called 'other'")):
            self.look["shapes"] = [{"mesh": mesh}]
            self.refused(self.client.post("/api/evaluations", json=self.asking()), 422, sentence)


class ElementPictures(SendCase):
    def test_two_versions_and_what_cuts_out(self):
        body = {"source": "feather", "picture": {"cut": "alpha", "second": {"brightness": 0.5}}}
        answer = self.client.post("/api/element-pictures", json=body)
        header, arrays = next(messages(answer.data))
        self.assertEqual(arrays["first"].shape, (header["rows"], header["columns"], 4))
        self.assertLess(arrays["second"][..., :3].mean(), arrays["first"][..., :3].mean())
        self.assertEqual((arrays["first"][..., 3].min(), arrays["first"][..., 3].max()), (0, 255))

    def test_large_ones_come_smaller(self):
        file = io.BytesIO()
        Image.new("L", (3000, 40), 99).save(file, "PNG")
        digest = self.client.post("/api/assets?name=a.png", data=file.getvalue()).json["asset"]["digest"]
        answer = self.client.post("/api/element-pictures", json={"source": digest, "picture": {}})
        header, _ = next(messages(answer.data))
        self.assertEqual((header["columns"], header["rows"]), (750, 10))

    def test_refusals(self):
        for source in ("nothing", "0" * 32, "../../x"):
            body = {"source": source, "picture": {}}
            self.assertIn(self.client.post("/api/element-pictures", json=body).status_code, (404, 422))
        for wrong in ({"first": {"gamma": 0}}, {"threshold": 2}, {"size": [0, 1]}, {"cut": "hue"}):
            body = {"source": "moon", "picture": wrong}
            self.refused(self.client.post("/api/element-pictures", json=body), 422, "")
        self.look["picture"] = {"picture": "nothing"}
        self.refused(self.client.post("/api/evaluations", json=self.asking()), 422, "No picture is called 'nothing'")


class Tints(SendCase):
    def test_from_dark_to_light_through_the_colour(self):
        found = self.client.post("/api/tints", json={"colour": "#c8553d"}).json["colours"]
        self.assertIn("#c8553d", found)
        light = [sum(bytes.fromhex(c[1:])) for c in found]
        self.assertEqual(light, sorted(light))
        self.refused(self.client.post("/api/tints", json={"colour": "red"}), 422, "")
