"""The server: strands as the view wants them, what one edit sends, and what is refused without anything being saved."""

from __future__ import annotations

import numpy as np

from tests.support import look_document, messages, ramp
from tests.web.test_api import ServerCase

ALONG = {"step": "along"}
STRIPES = ramp([0, 0.5, 1], ["#f3e7cf", "#d24b4f", "#1f2f7a"], interpolation="straight")


class Strands(ServerCase):
    def setUp(self):
        super().setUp()
        skin = {"id": "skin", "name": "Skin", "maker": {"maker": "mesh", "surface": "ball", "subdivision": 0},
                "look": look_document({"step": "constant", "value": "#202020"})}  # fmt: skip
        self.fur = {"id": "fur", "name": "Fur", "maker": {"maker": "strands", "on": "skin", "count": 50, "points": 6},
                    "look": look_document(ALONG, STRIPES)}  # fmt: skip
        self.document = {"gaudyseed": 3, "name": "Strands", "populations": [skin, self.fur]}

    def post(self, path: str, body: dict):
        return self.client.post(f"/api/{path}", json=body)

    def evaluated(self, **more):
        return self.post("evaluations", {"scene": self.document, "wanted": [{"population": "fur", **more}]})

    def test_what_the_view_wants_of_them(self):
        answer = self.post("populations", {"scene": self.document, "population": "fur"})
        (header, arrays) = next(messages(answer.data))
        self.assertEqual((header["kind"], header["drawn"], header["count"]), ("strands", "ribbons", 300))
        self.assertEqual(
            [(level["name"], level["count"]) for level in header["levels"]][:2], [("point", 300), ("strand", 50)]
        )
        self.assertEqual(arrays["starts"].tolist(), list(range(0, 301, 6)))
        self.assertEqual(
            [len(arrays[name]) for name in ("positions", "normals", "widths", "parts")], [300, 300, 300, 300]
        )

    def test_an_edit_of_density_sends_density_alone(self):
        lane = {"layers": [{"paint": [{**ALONG, "flip": True}]}]}
        self.fur["look"]["lanes"]["density"] = lane
        (seen, arrays), (told, _) = messages(self.evaluated(weigh="density", trace=9).data)
        seen, told = seen["populations"]["fur"], told["populations"]["fur"]
        self.assertIn("fur/density", arrays)
        self.assertEqual((told["trace"]["strand"]["point"], told["trace"]["strand"]["points"]), (3, 6))
        self.assertAlmostEqual(sum(told["groups"]["weighed"]), float(arrays["fur/density"].sum()), places=3)
        lane["layers"][0]["paint"].append({"step": "range", "to_low": 0.2})
        have = {**seen["lanes"], **seen["material"]["also"], "groups": told["groups"]["digest"]}
        (_, sent), _ = messages(self.evaluated(have=have).data)
        self.assertEqual(set(sent), {"fur/density"})

    def test_what_cannot_be_is_a_sentence_and_nothing_is_saved(self):
        saved = self.post("scenes", {"document": self.document}).json
        address, base = f"/api/scenes/{saved['id']}", saved["revision"]
        for maker, word in (
            ({"count": 10**8}, "1000000"), ({"points": 1}, "2"), ({"length": -1}, "0"), ({"width_tip": 1e9}, "1000"),
        ):  # fmt: skip
            wrong = {
                **self.document,
                "populations": [self.document["populations"][0], {**self.fur, "maker": {**self.fur["maker"], **maker}}],
            }
            body = {"document": wrong, "base": base, "label": "Wrong", "edit": "e"}
            answer = self.client.put(address, json=body)
            self.assertEqual(answer.status_code // 100, 4, maker)
            self.assertIn(word, answer.json["sentence"].replace(",", ""), maker)
            self.assertEqual(self.client.get(address).json["revision"], base)
        # As many as are taken at all, with too many points: the scene can be kept, the strands are told.
        self.fur["maker"] |= {"count": 1_000_000, "points": 10_000}
        answer = self.evaluated()
        self.assertEqual((answer.status_code // 100, "at most 20,000,000" in answer.json["sentence"]), (4, True))

    def test_a_ground_that_is_removed_while_strands_stand_on_it(self):
        self.document["populations"] = [self.fur]
        saved = self.post("scenes", {"document": self.document})
        self.assertEqual(saved.status_code // 100, 2)
        answer = self.evaluated()
        self.assertEqual(answer.status_code // 100, 4)
        self.assertIn("no population 'skin'", answer.json["sentence"])
        self.assertEqual(self.post("populations", {"scene": self.document, "population": "fur"}).status_code // 100, 4)

    def test_files_that_cannot_be_strands(self):
        files = {
            "a.csv": b"x,y,z,strand\n0,0,0,1\n0,0,1,2\n1,0,0,1\n",
            "b.csv": b"x,y,z,strand\n0,0,0,1\n0,0,1,\n",
            "c.obj": b"v 0 0 0\nv 1 0 0\nl 1 7\n",
            "d.usda": b'#usda 1.0\ndef BasisCurves "f"\n{\n uniform token type = "linear"\n'
                      b" int[] curveVertexCounts = [3]\n point3f[] points = [(0, 0, 0), (1, 0, 0)]\n}\n",
        }  # fmt: skip
        before = self.client.get("/api/scenes").json
        for name, data in files.items():
            for path in ("imports/preview", "imports"):
                answer = self.client.post(f"/api/{path}?name={name}", data=data)
                self.assertEqual(answer.status_code // 100, 4, name)
                self.assertGreater(len(answer.json["sentence"]), 30)
        self.assertEqual(self.client.get("/api/scenes").json, before)

    def test_a_file_of_strands_is_stored_and_made_again(self):
        rows = "".join(f"{k % 3},0,{k // 3},{k // 3},{k / 10}\n" for k in range(12))
        data = f"x,y,z,strand,width\n{rows}".encode()
        preview = self.client.post("/api/imports/preview?name=fur.csv", data=data).json["things"][0]
        self.assertEqual((preview["kind"], preview["becomes"]), ("strands", "4 strands, one point a row"))
        maker = self.client.post("/api/imports?name=fur.csv", data=data).json["things"][0]["maker"]
        self.fur["maker"] = maker
        (header, arrays) = next(messages(self.post("populations", {"scene": self.document, "population": "fur"}).data))
        self.assertEqual(arrays["starts"].tolist(), [0, 3, 6, 9, 12])
        np.testing.assert_allclose(arrays["widths"], np.arange(12) / 10, rtol=1e-6)
        self.assertEqual(header["drawn"], "ribbons")
