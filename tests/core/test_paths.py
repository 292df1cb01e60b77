"""Typed paths and references: one rule for core and page, held to data/paths.json (the page: frontend/tests)."""

from __future__ import annotations

import json
import unittest
from pathlib import Path

from pydantic import ValidationError

from gaudyseed.core.documents.document import parse
from gaudyseed.core.documents.paths import parse_path, path_of, path_text, placed, pointer, resolve
from gaudyseed.core.documents.references import named
from gaudyseed.core.errors import BadInput
from gaudyseed.core.look.model import Look
from gaudyseed.core.scene.model import Scene
from tests.support import beetle_scene, look_document

CASES = json.loads((Path(__file__).parent / "data/paths.json").read_text())


class Core(unittest.TestCase):
    def test_the_cases(self):
        for text, keys, json_pointer in CASES["paths"]:
            self.assertEqual(parse_path(text), tuple(keys))
            self.assertEqual(path_text(tuple(keys)), text)
            self.assertEqual(pointer(text), json_pointer)
        for text in CASES["wrong"]:
            with self.assertRaises(BadInput, msg=text):
                parse_path(text)

    def test_what_lies_at_a_path(self):
        look = parse(Look, look_document({"step": "random", "seed": 7}, {"step": "component", "part": "x"}))
        self.assertEqual(resolve(look, "lanes.base_colour.layers[0].paint[0].seed"), 7)
        for text in (
            "lanes.roughness",
            "lanes.base_colour.layers[1]",
            "lanes.base_colour.layers[0].paint[0].model_dump",
        ):
            with self.assertRaises(BadInput, msg=text):
                resolve(look, text)
        plain = {"a": [1, {"b": 2}], "c": [3]}
        changed = placed(plain, ("a", 1, "b"), 5)
        self.assertEqual((changed, plain["a"][1]), ({"a": [1, {"b": 5}], "c": [3]}, {"b": 2}))
        self.assertIs(changed["c"], plain["c"])

    def test_the_path_of_an_error_walks_the_input(self):
        """What pydantic adds for the branches of unions is left out, whatever they are called."""
        document = beetle_scene()
        look = document["populations"][0]["look"]["lanes"]["base_colour"]["layers"][0]
        start = "populations[0].look.lanes.base_colour.layers[0]"
        cases = [
            (look["paint"][1]["stops"][1], "at", 7, f"{start}.paint[1].stops[1].at"),
            (look["paint"][1]["stops"][1], "at", {"signal": "s", "dial": "d"}, f"{start}.paint[1].stops[1].at"),
            (look["paint"][0], "seed", -1, f"{start}.paint[0].seed"),
            (look["paint"][0], "step", "nothing", f"{start}.paint[0]"),
            (look["paint"][0], "surplus", 1, f"{start}.paint[0].surplus"),
            (look, "mask", [{"step": "random", "seed": "x"}], f"{start}.mask[0].seed"),
            (look, "mask", [{"step": "random"}], f"{start}.mask[0].seed"),
            (document["populations"][0]["maker"], "count", 0, "populations[0].maker.count"),
            (document["populations"][0]["look"]["lanes"], "glow", {}, "populations[0].look.lanes.glow"),
        ]
        for holder, key, value, wanted in cases:
            before = dict(holder)
            holder[key] = value
            with self.assertRaises(BadInput) as caught:
                parse(Scene, document)
            self.assertEqual(caught.exception.place, wanted)
            holder.clear()
            holder.update(before)
        parse(Scene, document)

    def test_a_key_with_the_name_of_a_branch_is_a_key(self):
        self.assertEqual(
            path_of(("chain", 0, "mix", "chain"), {"chain": [{"step": "mix", "chain": []}]}), ("chain", 0, "chain")
        )
        both = {"step": "chain", "chain": [1]}
        self.assertEqual(path_of((0, "chain", "chain", 0), [both]), (0, "chain", 0))

    def test_names_are_found_by_their_types(self):
        signal = {"name": "wear", "chain": [{"step": "random", "seed": {"dial": "draw"}}]}
        steps = ({"step": "signal", "name": "wear"}, {"step": "levels", "gamma": {"signal": "wear"}})
        chain = {"name": "x", "chain": list(steps)}
        look = parse(Look, {"signals": [signal, chain]})
        self.assertEqual(list(named(look, "signal")), ["wear", "wear"])
        self.assertEqual(list(named(look, "dial")), ["draw"])
        with self.assertRaises(ValidationError):
            Look.model_validate({"signals": [signal, signal]})
