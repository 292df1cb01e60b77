"""What several tests need."""

from __future__ import annotations

import json
import struct
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from gaudyseed.core.documents.document import parse
from gaudyseed.core.kinds import COLOUR, NUMBER, Kind, vector
from gaudyseed.core.look.evaluate import run_step
from gaudyseed.core.look.model import Look
from gaudyseed.core.look.ramp_edits import edited_ramp
from gaudyseed.core.look.scope import Scope
from gaudyseed.core.look.steps import STEPS, Context, Step, Value
from gaudyseed.core.population import Attribute, Field, Population, of_points
from gaudyseed.core.population.derive import with_derived
from gaudyseed.core.runtime.task import UNWATCHED
from gaudyseed.demo import demo_scene

ROOT = Path(__file__).resolve().parent.parent
FIVE = ["#131f4d", "#0b6a72", "#22a98a", "#f3b13c", "#ef5236"]


def ramp(places: list[float], colours: list[str], **more: Any) -> dict[str, Any]:
    """A ramp step's document."""
    stops = [{"at": a, "colour": c} for a, c in zip(places, colours, strict=True)]
    return {"step": "ramp", "interpolation": "steps", "mix_in": "oklab", "stops": stops, **more}


def look_document(*steps: dict[str, Any], **layer: Any) -> dict[str, Any]:
    """A look with one layer of these steps."""
    return {"gaudyseed": 3, "lanes": {"base_colour": {"layers": [{"name": "Bands", "paint": list(steps), **layer}]}}}


def look(*steps: dict[str, Any], **layer: Any) -> Look:
    """The same, checked."""
    return parse(Look, look_document(*steps, **layer))


def points(count: int, seed: int = 1, **columns: np.ndarray) -> Population:
    """A population of random places with more number columns."""
    rng = np.random.default_rng(seed)
    places = rng.normal(size=(count, 3)).astype(np.float32)
    table = {"position": Attribute("position", "vector", places, fields=tuple(Field(a, "<f4") for a in "xyz"))}
    for name, values in columns.items():
        kind = "colour" if values.ndim == 2 else "integer" if values.dtype.kind in "iu" else "number"
        table[name] = Attribute(name, kind, values, fields=(Field(name, values.dtype.str),))  # type: ignore[arg-type]
    return with_derived(of_points(count, table))


def context(population: Population) -> Context:
    """What a step is given when it runs alone."""
    return Context(Scope(population), "place", UNWATCHED, NUMBER)


def kind_of(word: str, values: np.ndarray) -> Kind:
    """The kind of values by its word."""
    return {"number": NUMBER, "colour": COLOUR}.get(word) or vector(values.shape[1])


def applied(
    step: dict[str, Any], values: Any, word: str = "number", population: Population | None = None
) -> Value:  # fmt: skip
    """What a step alone gives for values that come in."""
    array = np.asarray(values, np.float32)
    return run_step(
        parse(STEPS[step["step"]], step),
        population or (points(len(array)) if len(array) else of_points(0, {})),
        Value(kind_of(word, array), array),
    )


def edit_ramp(step: Step, action: str, values: np.ndarray | None = None, shares: list[float] | None = None) -> Any:
    """The ramp step after an edit, for the values that reach it."""
    places = np.array([s.at for s in step.stops])  # type: ignore[attr-defined]
    reaching = np.empty(0, np.float32) if values is None else values
    return parse(type(step), edited_ramp(step.model_dump(mode="json"), action, reaching, shares, places))


def messages(data: bytes) -> Iterator[tuple[dict[str, Any], dict[str, np.ndarray]]]:
    """The messages of a binary answer of the server, header and arrays (the layout of web/binary.py)."""
    at = 0
    while at < len(data):
        arrays = {}
        assert data[at : at + 4] == b"GSB1", data[at : at + 80]
        (size,) = struct.unpack("<I", data[at + 4 : at + 8])
        header = json.loads(data[at + 8 : at + 8 + size])
        for a in header["arrays"]:
            count = int(np.prod(a["shape"]))
            values = np.frombuffer(data, a["dtype"], count, at + 8 + size + a["offset"])
            arrays[a["name"]] = values.reshape(a["shape"])
        at += 8 + size + header["size"]
        yield header, arrays


def unpack(data: bytes) -> tuple[dict[str, Any], dict[str, np.ndarray]]:
    """A binary answer of the server with all its messages joined."""
    whole: dict[str, Any] = {}
    arrays: dict[str, np.ndarray] = {}
    for header, more in messages(data):
        arrays |= more
        for name, entry in header.get("populations", {}).items():
            whole.setdefault("populations", {}).setdefault(name, {}).update(entry)
        whole = {**header, **whole}
    return whole, arrays


PLACES = ("float x", "float y", "float z")


def ply_text(rows: list[str], properties: tuple[str, ...] = PLACES, count: int | None = None) -> bytes:
    """An ASCII PLY file."""
    head = ["ply", "format ascii 1.0", f"element vertex {len(rows) if count is None else count}"]
    return "\n".join([*head, *(f"property {p}" for p in properties), "end_header", *rows, ""]).encode()


def beetle_scene() -> dict:
    """The scene that most tests begin with, as JSON: the demo's sequins, on a beetle that only carries them."""
    scene = demo_scene().model_dump(mode="json")
    scene["populations"] = scene["populations"][:1]
    scene["populations"][0]["maker"] |= {"on": None, "density": None}
    return scene
