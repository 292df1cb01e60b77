"""Ramp edits as the page asks for them: only what it does not have comes back, unchanged populations go as texts."""

from __future__ import annotations

import copy
import json
import time
from collections.abc import Callable
from statistics import median
from typing import Any

import numpy as np
from tests.support import beetle_scene, messages

Post = Callable[[str, dict[str, Any]], bytes]
Row = tuple[str, str, str]
_CHOSEN = "beetle-sequins"
#: Layers of a scene that is large.
LAYERS = 12


class Edits:
    """Moves a stop of the chosen population's first ramp, again and again."""

    def __init__(self, post: Post, scene: dict[str, Any]) -> None:
        self.post, self.scene = post, scene
        self.chosen = next(p for p in scene["populations"] if p["id"] == _CHOSEN)
        self.others = [p if p is self.chosen else json.dumps(p) for p in scene["populations"]]
        self.have: dict[str, str] = {}
        self.times: list[float] = []
        #: Inside the server, until the colours and until all is sent.
        self.colours: list[float] = []
        self.inside: list[float] = []
        self.computed: set[str] = set()

    def once(self, at: float) -> None:
        """One edit, timed."""
        layers = self.chosen["look"]["lanes"]["base_colour"]["layers"]
        layers[0]["paint"][1]["stops"][1]["at"] = at
        texts = [json.dumps(p) if p is self.chosen else p for p in self.others]
        wanted = [{"population": _CHOSEN, "have": self.have}]
        began = time.perf_counter()
        data = self.post("/evaluations", {"scene": {**self.scene, "populations": texts}, "wanted": wanted})
        self.times.append(1000 * (time.perf_counter() - began))
        seen, told = (header for header, _ in messages(data))
        self.colours.append(seen["milliseconds"])
        self.inside.append(told["milliseconds"])
        entry, report = seen["populations"][_CHOSEN], told["populations"][_CHOSEN]
        self.have = {**entry["lanes"], "groups": report["groups"]["digest"]}
        if len(self.times) > 1:
            self.computed.add(" ".join(p[p.rindex(".") + 1 :] for p in entry["computed"]))

    def forget(self, first: int) -> None:
        """Leave out the first ones, which warm up."""
        del self.times[:first], self.inside[:first], self.colours[:first]


def bench_edits(post: Post, rows: list[Row]) -> None:
    """A ramp edit, request to answer, for two counts; then in a scene of eight large populations against one."""
    for count, wanted, rounds in ((50_000, 8, 200), (1_000_000, 80, 40)):
        scene = beetle_scene()
        scene["populations"][0]["maker"].update(count=count, evenness=0.3)
        edits = Edits(post, scene)
        for k in range(rounds + 5):
            edits.once(0.2 + 0.13 * k / rounds)
        edits.forget(5)
        p95 = float(np.percentile(edits.times, 95))
        rows.append(
            (
                f"ramp edit, {count:,} elements, request to answer",
                f"median {median(edits.times):.1f} ms, 95th percentile {p95:.1f} ms "
                f"({median(edits.inside):.1f} ms inside, {median(edits.colours):.1f} ms to the colours)",
                f"(wanted: {wanted}); recomputed: {', '.join(sorted(edits.computed))}",
            )
        )
    _scenes(post, rows)


def _scenes(post: Post, rows: list[Row]) -> None:
    """One population of twelve layers, and eight such, in turns."""
    one, eight = Edits(post, large(1)), Edits(post, large(8))
    for k in range(105):
        # Other places for each, so that neither finds the results of the other.
        one.once(0.2 + 0.06 * k / 100)
        eight.once(0.27 + 0.06 * k / 100)
    one.forget(5)
    eight.forget(5)
    alone, among = median(one.times), median(eight.times)
    rows.append(
        (
            "ramp edit among 8 populations of 12 layers, 12,000 elements each",
            f"median {among:.1f} ms against {alone:.1f} ms for one population alone",
            f"{among - alone:+.1f} ms (wanted: at most +2)",
        )
    )


def large(populations: int) -> dict[str, Any]:
    """The demo's scene with so many populations of twelve layers, each of which lets those below shine through."""
    scene = beetle_scene()
    first = scene["populations"][0]
    layer = first["look"]["lanes"]["base_colour"]["layers"][0]
    for k in range(1, LAYERS):
        more = copy.deepcopy(layer)
        more |= {"name": f"Layer {k}", "amount": 0.2}
        more["paint"][0]["seed"] = 100 + k
        first["look"]["lanes"]["base_colour"]["layers"].append(more)
    for k in range(1, populations):
        scene["populations"].append({**copy.deepcopy(first), "id": f"more-{k}", "name": f"More {k}"})
    return scene
