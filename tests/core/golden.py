"""Random looks over four populations, and what they came to: ``.venv/bin/python -m tests.core.golden`` records it.

Record anew only where a look is meant to come out otherwise; say so in the commit.
"""

from __future__ import annotations

import ctypes
import gzip
import json
import platform
from collections.abc import Iterator
from functools import cache
from hashlib import blake2b
from pathlib import Path
from random import Random
from typing import Any

import llvmlite
import numba
import numpy as np

from gaudyseed.core.colour.spaces import display_bytes
from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Look
from gaudyseed.core.look.steps import STEPS
from gaudyseed.core.population import Attribute, Field, Population, of_points
from gaudyseed.core.population.derive import with_derived
from gaudyseed.core.population.makers.scatter import ScatterMaker
from gaudyseed.core.scene.dials import Dial
from gaudyseed.web.api.steps import controls
from tests.support import points

RECORD = Path(__file__).parent / "data" / "golden.json.gz"
LOOKS = 60
COUNT = 180
#: Elements whose levels are kept, for machines that round otherwise.
SHOWN = 12
COLOUR_PARTS = ("hue", "saturation", "value", "luma", "red", "lightness", "chroma", "oklch_hue")
DIALS = [{"name": "night", "value": 0.35}, {"name": "sky", "value": "#7fb4d8"}]
FORMULAS = (
    "where(random(5) < 0.14, 0.97, random(3) * 0.8)", "modulo(index * 0.618, 1)", "length(position) / 3",
    "clamp(x(position) * 0.5 + 0.5, 0, 1)", "mix(random(1), 0.5, 0.4)", "id % 7 / 7",
    "where(not (random(2) > 0.4) and index > 3, 0.9, 0.2)", "abs(sin(index)) ** 1.5", "night * random(4)",
    "index / count",
)  # fmt: skip


def population_points() -> Population:
    """Plain points with a number and an integer."""
    return points(COUNT, 3, size=np.linspace(0.1, 0.9, COUNT), ring=np.arange(COUNT) % 9)


def population_scatter() -> Population:
    """Clones on a surface that has parts."""
    maker = ScatterMaker(maker="scatter", surface="beetle", count=COUNT, seed=5)
    return maker.make(lambda _name: np.empty(0))  # type: ignore[arg-type, return-value]


def population_wide() -> Population:
    """Large ids in another order than the rows, texts, and colours above 1."""
    rng = np.random.default_rng(8)
    place = rng.normal(size=(COUNT, 3)).astype(np.float32)
    plate = rng.integers(0, 4, COUNT).astype(np.int32)
    table = {
        "position": Attribute("position", "vector", place, fields=tuple(Field(a, "<f4") for a in "xyz")),
        "id": Attribute("id", "integer", 4_290_000_000 + rng.permutation(COUNT).astype(np.int64)),
        "plate": Attribute("plate", "text", plate, labels=("left", "right", "shield", "\u00e9lytre")),
        "glaze": Attribute("glaze", "colour", (rng.random((COUNT, 3)) * 1.6).astype(np.float32)),
    }
    return with_derived(of_points(COUNT, table, kind="plates"))


def population_few() -> Population:
    """One element alone."""
    return points(1, 2, size=np.array([0.4]))


POPULATIONS = {
    "points": population_points, "scatter": population_scatter, "plates": population_wide, "one": population_few,
}  # fmt: skip


@cache
def parameters(word: str) -> dict[str, Any]:
    """The schemas of a step's parameters."""
    return {k: v for k, v in controls(STEPS[word])["properties"].items() if k not in ("step", "enabled")}


class Looks:
    """Makes random looks that fit a population, every parameter drawn from what the step's schema allows."""

    def __init__(self, seed: str, population: Population) -> None:
        self.rng = Random(seed)
        self.columns = {a.name: a.kind for a in population.elements.own.values()}
        self.signals: list[str] = []

    def colour(self) -> str:
        """A hex colour; one in eight is a grey."""
        levels = [self.rng.randrange(256)] * 3 if self.rng.random() < 0.12 else self.rng.choices(range(256), k=3)
        return "#{:02x}{:02x}{:02x}".format(*levels)

    def number(self, schema: dict[str, Any], follow: str = "") -> Any:
        """A number within its limits, or one that follows."""
        low, high = max(schema.get("minimum", -2), -60), min(schema.get("maximum", 2), 60)
        low, high = max(low, -2.0) if abs(low) < 60 else low, min(high, 3.0) if abs(high) < 60 else high
        if schema.get("type") == "integer":
            low, high = schema["minimum"], min(schema["maximum"], schema["minimum"] + 9)
            return self.rng.randint(low, high)
        a, b = (round(self.rng.uniform(low, high), 3) for _ in range(2))
        draw = self.rng.random()
        if follow == "signal" and self.signals and draw < 0.25:
            return {"signal": "t", "low": a, "high": b}
        return {"dial": "night", "low": a, "high": b} if follow and draw < 0.32 else a

    def parameter(self, schema: dict[str, Any], key: str) -> Any:
        """A value of one parameter."""
        if "enum" in schema:
            return self.rng.choice(schema["enum"])
        if schema.get("type") == "boolean":
            return self.rng.random() < 0.3
        if "prefixItems" in schema:
            options = schema["prefixItems"][0]["anyOf"][0]
            return [self.number(options, "signal") for _ in schema["prefixItems"]]
        if key == "seed":
            return self.rng.randint(0, 99)
        return self.number(schema, schema.get("follow", ""))

    def stops(self) -> list[dict[str, Any]]:
        """Two to six stops; some are held, bright, or follow."""
        places = sorted({round(self.rng.random(), 3) for _ in range(self.rng.randint(2, 6))})
        made = [{"at": at, "colour": self.colour()} for at in places]
        for stop in made:
            draw = self.rng.random()
            if draw < 0.1:
                stop["hold"] = True
            elif draw < 0.2:
                stop["intensity"] = self.number({"minimum": 0, "maximum": 3}, "signal")
            elif draw < 0.28:
                stop["colour"] = {"dial": "sky"}
            elif draw < 0.34 and "tint" in self.signals:
                stop["colour"] = {"signal": "tint"}
        return made

    def special(self, word: str, kind: str) -> dict[str, Any]:
        """What no schema tells."""
        rng = self.rng
        if word == "attribute":
            name = rng.choice([n for n, k in self.columns.items() if k != "text"])
            part = rng.choice(["whole", "x", "length"]) if self.columns[name] == "vector" else "whole"
            return {"name": name, "component": part}
        if word == "constant":
            return {"value": self.colour() if kind == "colour" else round(rng.random(), 3)}
        if word == "curve":
            xs = sorted({round(rng.random(), 3) for _ in range(4)})
            return {"points": [{"x": x, "y": round(rng.random(), 3)} for x in xs]}
        if word == "even_out":
            return {"held": sorted(round(rng.random(), 3) for _ in range(rng.choice([0, 0, 9])))}
        if word == "palette":
            swatches = [{"colour": self.colour(), "weight": rng.choice([1, 1, 2, 0])} for _ in range(rng.randint(1, 9))]
            return {"name": "Palette", "swatches": swatches}
        return {}

    def step(self, word: str, kind: str = "number") -> dict[str, Any]:
        """A step with about half of its parameters set."""
        made: dict[str, Any] = {"step": word}
        special = self.special(word, kind)
        for key, schema in parameters(word).items():
            if key in ("linked", "edges", "numbers", *special):
                continue
            if "control" in schema and schema["control"] not in ("interval", "triple", "seed"):
                continue
            if "default" not in schema or self.rng.random() < 0.5:
                made[key] = self.parameter(schema, key)
        if word == "ramp":
            made["stops"] = self.stops()
        elif word == "formula":
            made["text"] = self.rng.choice(FORMULAS)
        elif word == "component":
            made["part"] = "x" if kind == "vector" else self.rng.choice(COLOUR_PARTS)
        elif word == "random":
            made["per"] = self.rng.choice(["element", "element", *(["part"] if "part" in self.columns else [])])
        elif word == "signal":
            made["name"] = self.rng.choice(self.signals)
        elif word == "choose":
            made["chains"] = [self.chain("colour", 2) for _ in range(self.rng.randint(1, 2))]
        elif word == "mix":
            made["chain"] = self.chain(kind, 2)
        return made | special

    def first_kind(self, step: dict[str, Any]) -> str:
        """What a chain's first step gives."""
        if step["step"] == "attribute":
            kind = self.columns[step["name"]] if step["component"] == "whole" else "number"
            return "number" if kind == "integer" else kind
        return "colour" if step.get("name") == "tint" else "number"

    def chain(self, end: str, most: int = 5) -> list[dict[str, Any]]:
        """A chain that ends in a number or a colour."""
        firsts = ["random", "random", "attribute", "formula", "constant", *(["signal"] if self.signals else [])]
        steps = [self.step(self.rng.choice(firsts))]
        kind = self.first_kind(steps[0])
        for _ in range(self.rng.randint(0, most)):
            fitting = [w for w, step in STEPS.items() if kind in step.takes and (w, kind) != ("mix", "vector")]
            word = self.rng.choice(fitting)
            steps.append(self.step(word, kind))
            kind = {"choose": "colour", "mix": kind, "drift": kind, "unify": kind}.get(word, STEPS[word].gives.word)
        if kind != end and kind == "vector":
            steps, kind = [*steps, {"step": "component", "part": "length"}], "number"
        if kind != end:
            steps.append(self.step("ramp") if end == "colour" else {"step": "component", "part": "luma"})
        return steps

    def look(self) -> dict[str, Any]:
        """Signals with layers over them, and one to four layers with masks."""
        rng, self.signals, signals = self.rng, [], []
        for name, end in (("t", "number"), ("tint", "colour")):
            chain = self.chain(end, 3)
            over = [{"name": "Over", "amount": 0.4, "blend": "multiply", "paint": self.chain(end, 2)}]
            signals.append({"name": name, "chain": chain, "layers": over if rng.random() < 0.3 else []})
            self.signals = [s["name"] for s in signals]
        blends = parameters("mix")["blend"]["enum"]
        layers = [
            {
                "name": f"Layer {k}", "paint": self.chain("colour"),
                "blend": "normal" if k == 0 else rng.choice(blends), "blend_in": rng.choice(["linear", "display"]),
                "amount": self.number({"minimum": 0, "maximum": 1}, "signal"),
                "mask": self.chain("number", 3) if rng.random() < 0.4 else None,
            }
            for k in range(rng.randint(1, 4))
        ]  # fmt: skip
        return {"gaudyseed": 3, "signals": signals, "lanes": {"base_colour": {"layers": layers}}}


def documents(name: str) -> Iterator[tuple[Population, dict[str, Any], np.ndarray]]:
    """The looks of one population that can be evaluated, with their colours."""
    population = POPULATIONS[name]()
    looks, dials = Looks(name, population), [parse(Dial, d) for d in DIALS]
    made = 0
    while made < LOOKS:
        document = looks.look()
        try:
            colours = Evaluator().evaluate(population, parse(Look, document), dials=dials).colours
        except BadInput:  # such as a component of a number; nothing is lost by another one
            continue
        made += 1
        yield population, document, colours


def entry(colours: np.ndarray) -> dict[str, str]:
    """What is kept of colours: the digest of their bytes, and the levels of a few."""
    chosen = np.linspace(0, len(colours) - 1, min(SHOWN, len(colours))).round().astype(int)
    digest = blake2b(np.ascontiguousarray(colours).tobytes(), digest_size=12).hexdigest()
    return {"digest": digest, "levels": display_bytes(colours)[chosen].tobytes().hex()}


def machine() -> str:
    """What rounding can depend on: the instructions that NumPy chose, the mathematics library and the compilers."""
    from numpy._core._multiarray_umath import __cpu_features__

    features = " ".join(sorted(name for name, there in __cpu_features__.items() if there))
    libc = ctypes.CDLL(None).gnu_get_libc_version if hasattr(ctypes.CDLL(None), "gnu_get_libc_version") else None
    if libc:
        libc.restype = ctypes.c_char_p
    parts = (features, libc().decode() if libc else platform.platform(), np.__version__, numba.__version__,
             llvmlite.__version__)  # fmt: skip
    return blake2b("\n".join(parts).encode(), digest_size=8).hexdigest()


def main() -> None:
    """Record."""
    looks = {
        name: [{"look": document, **entry(colours)} for _, document, colours in documents(name)] for name in POPULATIONS
    }
    text = json.dumps({"machine": machine(), "looks": looks}, separators=(",", ":"))
    RECORD.write_bytes(gzip.compress(text.encode(), mtime=0))


if __name__ == "__main__":
    main()
