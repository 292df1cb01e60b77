"""Documents of version 2: read everywhere, and the colours that they had (those of 240 looks: test_golden)."""

from __future__ import annotations

import colorsys
import unittest
from dataclasses import replace

import numpy as np

from gaudyseed.core.colour.spaces import decode_srgb, encode_srgb
from gaudyseed.core.documents.document import parse
from gaudyseed.core.documents.upgrade import upgraded
from gaudyseed.core.errors import BadInput
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Look
from gaudyseed.core.population import Attribute
from gaudyseed.core.scene.model import Scene
from tests.support import points

RANDOM = {"step": "random", "seed": 3}
GREYS = {"step": "ramp", "stops": [{"at": 0, "colour": "#000000"}, {"at": 1, "colour": "#ffffff"}]}


def painted(*steps: dict, **lanes: dict) -> dict:
    """A look of version 2 with a chain."""
    return {"gaudyseed": 2, "lanes": {"base_colour": {"layers": [{"paint": list(steps)}]}, **lanes}}


class Versions(unittest.TestCase):
    def test_the_words_of_version_2(self):
        lane = {"layers": [{"paint": [RANDOM]}], "along": "up"}
        maker = {"maker": "scatter", "count": 5, "lift": 0.25}
        old = painted(RANDOM, {"step": "even_out", "frozen": [0, 1]}, GREYS, lift=lane)
        reads = painted({"step": "ground", "of": "channel", "name": "lift"}, GREYS)
        entries = [{"id": k, "name": k, "maker": maker, "look": look} for k, look in (("a", old), ("b", reads))]
        scene = parse(Scene, {"gaudyseed": 2, "populations": entries})
        found = scene.model_dump(mode="json")
        first, second = found["populations"]
        self.assertEqual((found["gaudyseed"], first["look"]["gaudyseed"]), (3, 3))
        self.assertEqual(first["maker"]["offset"], 0.25)
        self.assertEqual(list(first["look"]["lanes"]), ["base_colour", "offset"])
        self.assertEqual(first["look"]["lanes"]["base_colour"]["layers"][0]["paint"][1]["held"], [0, 1])
        self.assertEqual(second["look"]["lanes"]["base_colour"]["layers"][0]["paint"][0]["name"], "offset")
        self.assertEqual(upgraded(found), found)

    def test_a_grade_that_moved_value_has_the_colours_that_it_had(self):
        """HSV value moved by Python's colorsys, between the W3C filters saturate and brightness by their own steps."""
        colours = np.random.default_rng(24).random((200, 3)) * 0.7
        paint = Attribute("paint", "colour", decode_srgb(colours).astype(np.float32))
        population = points(200)
        population = replace(population, elements=population.elements.with_more({"paint": paint}))
        read = {"step": "attribute", "name": "paint"}

        def shown(*steps: dict) -> np.ndarray:
            look = parse(Look, painted(read, *steps))
            return encode_srgb(Evaluator().evaluate(population, look).colours)

        found = shown({"step": "grade", "value": 0.2, "saturation": 0.5, "contrast": 1.2, "enabled": True})
        soft = shown({"step": "grade", "saturation": 0.5})
        raised = [colorsys.hsv_to_rgb(h, s, v + 0.2) for h, s, v in (colorsys.rgb_to_hsv(*c) for c in soft)]
        wanted = np.clip((np.array(raised) - 0.5) * 1.2 + 0.5, 0, None)
        np.testing.assert_allclose(found, wanted, atol=1e-4)
        np.testing.assert_allclose(shown({"step": "grade", "value": 0.2, "enabled": False}), colours, atol=1e-4)
        np.testing.assert_allclose(shown({"step": "grade", "value": 0}), colours, atol=1e-4)

    def test_other_versions_are_refused_and_errors_named_at_their_place(self):
        for version, words in ((1, "early"), (4, "newer")):
            with self.assertRaises(BadInput) as caught:
                parse(Look, {**painted(RANDOM, GREYS), "gaudyseed": version})
            self.assertIn(words, caught.exception.sentence)
        with self.assertRaises(BadInput) as caught:
            parse(Look, painted(RANDOM, {"step": "even_out", "frozen": "wide"}, GREYS))
        self.assertIn("paint[1].held", caught.exception.place)
        for odd in (None, 3, "text", [1, [2]], {"step": 4}, {"step": "grade", "value": None}, {"lanes": [], "name": 4}):
            upgraded(odd)
