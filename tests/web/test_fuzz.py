"""Random documents against the server: each is answered, or refused with a sentence; never an error of the server's."""

from __future__ import annotations

import copy
import random
import tempfile
import unittest
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from gaudyseed.core.look.steps import REGISTRY
from gaudyseed.demo import demo_scene
from gaudyseed.store import Store
from gaudyseed.web import create_app

#: What is put in place of something in a document.
ODD: list[Any] = [
    None, True, -1, 0, 0.5, 1e30, -1e30, "", "x", "#ff0000", "size", "position", "element", "hue", "display", "value",
    [], {}, {"signal": "s"}, {"dial": "d"}, {"dial": "c"}, {"signal": "t", "low": -1e9, "high": 1e9}, [1, 2, 3], 4096,
]  # fmt: skip
READS = {"random": "number", "attribute": "number", "constant": "number", "formula": "number"}


class Documents:
    """Random looks, most of them sound."""

    def __init__(self, seed: int) -> None:
        self.rng = random.Random(seed)

    def step(self, word: str) -> dict[str, Any]:
        """A step with some settings."""
        choice = self.rng.choice
        colours = ["#123456", "#f0e0d0", {"signal": "t"}, {"dial": "c"}]
        stops = [{"at": a, "colour": choice(colours)} for a in sorted(self.rng.sample([0, 0.1, 0.5, 0.9, 1], 3))]
        made: dict[str, dict[str, Any]] = {
            "random": {"seed": choice([1, {"dial": "n"}]), "per": choice(["element", "id"])},
            "attribute": {"name": "size"},
            "constant": {"value": choice([0.5, {"dial": "d"}])},
            "formula": {"text": choice(["index / count", "d * 2 + size", "random(4)", "1 / 0", "x(position)"])},
            "signal": {"name": "s"},
            "drift": {
                "seed": 2,
                "hue": choice([[-9, 9], [0, {"signal": "s", "high": 90}]]),
                "space": choice(["hsv", "oklch"]),
            },
            "spread": {"seed": 3},
            "grade": {"hue_turn": choice([30, {"signal": "s", "low": -180, "high": 180}]), "gamma": choice([1, 2])},
            "component": {"part": choice(["hue", "luma", "chroma", "red"])},
            "palette": {"swatches": [{"colour": "#123456"}] * self.rng.randint(1, 5)},
            "choose": {"chains": [[{"step": "constant", "value": c}] for c in ("#ffeedd", "#102030")]},
            "ramp": {
                "interpolation": choice(["steps", "straight", "eased", "through", "soft"]),
                "mix_in": choice(["oklab", "oklch", "hsv", "display_rgb", "linear_rgb"]),
                "stops": stops,
            },
        }
        return {"step": word, **made.get(word, {})}

    def chain(self, end: str, reads: dict[str, str]) -> list[dict[str, Any]]:
        """A chain that fits together and ends in a kind."""
        word = self.rng.choice(list(reads))
        steps, kind = [self.step(word)], reads[word]
        for _ in range(self.rng.randint(0, 5)):
            word = self.rng.choice([w for w, step in REGISTRY.items() if kind in step.takes])
            step = self.step(word)
            if word == "mix":
                other = 0.3 if kind == "number" else "#aabbcc"
                step |= {"chain": [{"step": "constant", "value": other}], "blend": self.rng.choice(["add", "overlay"])}
            else:
                kind = "colour" if word == "choose" else REGISTRY[word].gives
            steps.append(step)
        if kind != end:
            steps.append(self.step("ramp") if end == "colour" else {"step": "component", "part": "luma"})
        return steps

    def look(self) -> dict[str, Any]:
        """Two signals, a layer with a mask."""
        tint = [{"step": "random", "seed": 2}, {"step": "palette", "swatches": [{"colour": "#7f8081"}]}]
        signals = [
            {"name": "s", "chain": [self.chain("number", READS)[0], {"step": "range", "own": True}]},
            {"name": "t", "chain": tint},
        ]
        layer = {
            "name": "Top", "paint": self.chain("colour", {**READS, "signal": "number"}),
            "mask": self.rng.choice([None, self.chain("number", READS)]),
            "amount": self.rng.choice([1, 0.5, {"signal": "s"}]),
            "blend": self.rng.choice(["normal", "hue", "overlay", "colour_burn", "average"]),
            "blend_in": self.rng.choice(["linear", "display"]),
        }  # fmt: skip
        return {"gaudyseed": 2, "signals": signals, "lanes": {"base_colour": {"layers": [layer]}}}

    def spoiled(self, look: dict[str, Any]) -> dict[str, Any]:
        """The look with something odd in one place."""
        path = self.rng.choice([p for p in paths(look) if p])
        held: Any = look
        for key in path[:-1]:
            held = held[key]
        held[path[-1]] = self.rng.choice(ODD)
        return look


def paths(value: Any, before: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """The places of everything in a document."""
    yield before
    items = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, child in items:
        yield from paths(child, (*before, key))


class Fuzz(unittest.TestCase):
    def test_random_looks(self):
        with tempfile.TemporaryDirectory() as folder:
            store = Store(Path(folder) / "data.sqlite")
            store.migrate()
            self.addCleanup(store.close)
            self.client = create_app(store).test_client()
            scene = demo_scene().model_dump(mode="json")
            scene["populations"][0]["maker"]["count"] = 60
            scene["dials"] = [{"name": "d", "value": 0.5}, {"name": "n", "value": 7}, {"name": "c", "value": "#ff8800"}]
            documents, answers = Documents(5), Counter()
            for k in range(400):
                draft = copy.deepcopy(scene)
                look = documents.look()
                draft["populations"][0]["look"] = documents.spoiled(look) if k % 2 else look
                path, body = self.request(documents.rng, draft)
                answer = self.client.post(f"/api{path}", json=body)
                answers[answer.status_code] += 1
                self.assertIn(answer.status_code, (200, 422), f"{body}\n{answer.data[:400]!r}")
                if answer.status_code == 422:
                    self.assertGreater(len(answer.json["sentence"]), 10)
            # Sound looks must be taken, or nothing was tried.
            self.assertGreater(answers[200], 120)
            self.assertGreater(answers[422], 50)

    def request(self, rng: random.Random, scene: dict[str, Any]) -> tuple[str, dict[str, Any]]:
        body = {"scene": scene, "population": "beetle-sequins"}
        first = "lanes.base_colour.layers[0].paint[1]"
        step = {"of": "step", "name": "signals[0].chain[1]"}
        shown = [None, {"of": "signal", "name": "t", "scale": "false_colour"}, {"of": "signal", "name": "s"}, step]
        kept = ["", "s > 0.5", "t", "d"]
        return rng.choice(
            [
                ("/evaluations", {**body, "trace": 3, "preview": rng.choice(shown), "vision": "tritanopia"}),
                ("/evaluations", {**body, "trace": 59}),
                ("/elements", {**body, "keep": rng.choice(kept), "sort": rng.choice(["s", "t", "result"])}),
                ("/ramp-edits", {**body, "place": first, "action": rng.choice(["flip", "snap", "space_by_share"])}),
                ("/dial-names", {"scene": body["scene"], "old": "d", "new": rng.choice(["u", "a b", "t", "", "sin"])}),
                ("/signal-names", {**body, "old": "s", "new": rng.choice(["u", "a b", "t", "", "sin"])}),
                ("/distributions", {**body, "place": rng.choice([first, "signals[0].chain[1]"])}),
                ("/exports", {**body, "format": rng.choice(["csv", "ply", "look"])}),
            ]
        )
