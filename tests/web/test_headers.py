"""The headers of answers that are bytes are what the OpenAPI document declares, for every scene that ships."""

from __future__ import annotations

from pydantic import BaseModel

from gaudyseed.core.geometry.shapes import SHAPES
from gaudyseed.core.geometry.surfaces import SURFACES
from gaudyseed.demo import bench_scene, demo_scene, finale_scene, horse_scene, lesson_scene, route_scene
from gaudyseed.web.headers import LanesAnswer, PopulationHeader, ReportAnswer, ShapeHeader, SurfaceHeader
from tests.support import messages
from tests.web.test_api import ServerCase

SCENES = (demo_scene, route_scene, bench_scene, horse_scene, finale_scene, lesson_scene)


class Declared(ServerCase):
    def headers(self, answer) -> list[dict]:
        self.assertEqual(answer.status_code, 200, answer.data[:300])
        return [{k: v for k, v in header.items() if k not in ("arrays", "size")} for header, _ in messages(answer.data)]

    def holds(self, model: type[BaseModel], header: dict) -> None:
        """All that is there is declared, and of the kind that is declared."""
        again = model.model_validate(header, strict=False).model_dump(mode="json", exclude_unset=True)
        self.assertEqual(again, header)

    def test_evaluations_and_populations_of_all_scenes(self):
        for made in SCENES:
            scene = made().model_dump(mode="json")
            names = [p["id"] for p in scene["populations"]]
            previews = [None, {"of": "attribute", "name": "position"}]
            for preview in previews:
                wanted = [{"population": n, "trace": 3, "preview": preview, "weigh": "size"} for n in names]
                answer = self.client.post("/api/evaluations", json={"scene": scene, "wanted": wanted})
                for model, header in zip((LanesAnswer, ReportAnswer), self.headers(answer), strict=True):
                    self.holds(model, header)
            for name in names:
                answer = self.client.post("/api/populations", json={"scene": scene, "population": name})
                self.holds(PopulationHeader, self.headers(answer)[0])

    def test_of_those_that_the_page_has_digests_alone_and_what_is_wrong(self):
        lane = self.scene["populations"][0]["look"]["lanes"]["base_colour"]
        ask = {"scene": self.scene, "wanted": [{"population": "beetle-sequins"}]}
        _, told = self.headers(self.client.post("/api/evaluations", json=ask))
        known = [census["digest"] for census in told["populations"]["beetle-sequins"]["steps"].values()]
        ask["wanted"][0]["known"] = known
        _, told = self.headers(self.client.post("/api/evaluations", json=ask))
        self.holds(ReportAnswer, told)
        self.assertEqual({*map(len, told["populations"]["beetle-sequins"]["steps"].values())}, {1})
        second = {**self.scene["populations"][0], "id": "second"}
        lane["layers"][0]["paint"].insert(0, {"step": "attribute", "name": "nothing"})
        ask["scene"]["populations"].append(second)
        ask["wanted"] = [{"population": "beetle-sequins"}, {"population": "second"}]
        second["look"] = {"lanes": {}}
        seen, _ = self.headers(self.client.post("/api/evaluations", json=ask))
        self.assertIsNotNone(seen["populations"]["beetle-sequins"]["error"])
        self.holds(LanesAnswer, seen)

    def test_surfaces_and_shapes(self):
        for name in SURFACES:
            self.holds(SurfaceHeader, self.headers(self.client.get(f"/api/surfaces/{name}?coarse=4"))[0])
        for word in SHAPES:
            self.holds(ShapeHeader, self.headers(self.client.get(f"/api/shapes/{word}?coarse=1"))[0])
