"""Documents of version 1: read everywhere, and the same colours as the version that wrote them gave."""

from __future__ import annotations

import json
import unittest
from pathlib import Path

import numpy as np

from gaudyseed.core.colour.spaces import display_bytes
from gaudyseed.core.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Dial, Look, Scene
from gaudyseed.core.upgrade import upgraded
from tests.support import FIVE, points

#: Looks of version 1, and the display-encoded colours that the code of that version made of them (80 looks of
#: random steps, layers, signals and dials over 48 points, without those that led out of the gamut, where colours
#: could be negative then).
RECORDED = json.loads((Path(__file__).parent / "data" / "version_1.json").read_text())


class Versions(unittest.TestCase):
    def test_looks_of_version_1_have_the_colours_they_had(self):
        population = points(48, size=np.linspace(0.1, 0.9, 48))
        dials = [parse(Dial, d) for d in RECORDED["dials"]]
        self.assertEqual(len(RECORDED["looks"]), 80)
        for k, entry in enumerate(RECORDED["looks"]):
            look = parse(Look, entry["look"])
            self.assertEqual(look.gaudyseed, 2)
            found = display_bytes(Evaluator().evaluate(population, look, dials=dials).colours).astype(int)
            wanted = np.array([list(bytes.fromhex(c)) for c in entry["colours"]])
            np.testing.assert_allclose(found, wanted, atol=1, err_msg=f"{k}: {json.dumps(entry['look'])}")

    def test_an_upgraded_document_stays_as_it_is(self):
        for entry in RECORDED["looks"]:
            document = parse(Look, entry["look"]).model_dump(mode="json")
            self.assertEqual(upgraded(document), document)

    def test_a_scene_of_version_1(self):
        ramp = {"step": "ramp", "interpolation": "step", "stops": [{"at": 0, "colour": FIVE[0]}]}
        drift = {"step": "drift", "seed": 1, "hue": 9, "direction": "below"}
        old = {"gaudyseed": 1, "lanes": {"base_colour": {"layers": [{"paint": [{"step": "random", "seed": 1}, ramp,
               drift, {"step": "limits", "complement": True, "enabled": False}]}]}}}  # fmt: skip
        maker = {"maker": "scatter", "count": 5}
        scene = parse(Scene, {"gaudyseed": 1, "populations": [{"id": "a", "name": "A", "maker": maker, "look": old}]})
        paint = scene.model_dump(mode="json")["populations"][0]["look"]["lanes"]["base_colour"]["layers"][0]["paint"]
        self.assertEqual([s["step"] for s in paint], ["random", "ramp", "drift", "grade", "clamp"])
        self.assertEqual((paint[1]["interpolation"], paint[2]["hue"]), ("steps", [0.0, -9.0]))
        self.assertEqual([s["enabled"] for s in paint[2:]], [True, False, False])
        self.assertEqual((scene.gaudyseed, scene.populations[0].look.gaudyseed), (2, 2))

    def test_what_cannot_be_upgraded_is_told_at_its_place(self):
        for step, place in (
            ({"step": "drift", "seed": 1, "hue": "wide"}, "paint[0].hue"),
            ({"step": "drift", "seed": 1, "hue": 9, "width": 3}, "paint[0].width"),
            ({"step": "limits", "minimum": -3}, "paint[0].least"),
            ({"step": "limits", "least": 0.1, "colour": "#ffffff"}, "paint[0].colour"),
            ({"step": "ramp", "interpolation": [], "stops": []}, "paint[0].interpolation"),
        ):
            document = {"gaudyseed": 1, "lanes": {"base_colour": {"layers": [{"paint": [step]}]}}}
            with self.subTest(step=step), self.assertRaises(BadInput) as caught:
                parse(Look, document)
            self.assertIn(place, caught.exception.place)
        for odd in (None, 3, "text", [1, [2]], {"step": 4}, {"step": "drift", "hue": None, "direction": 3}):
            upgraded(odd)
