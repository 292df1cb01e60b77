"""What a library keeps: ramps, palettes, chains, layers and looks; and those it begins with."""

from __future__ import annotations

import base64
import json
import re
from importlib import resources
from typing import Any, Literal

from pydantic import Field

from .documents.document import Document, parse, parse_json
from .documents.upgrade import upgraded
from .look.material import Finish
from .look.model import Layer, Look
from .look.step.parameters import MOST_STEPS
from .look.steps import STEPS, AnyStep, Step

Kind = Literal["ramp", "palette", "chain", "layer", "look", "finish"]
STRIP = 160


class Chain(Document):
    """A chain that is kept: steps without a place in a look."""

    steps: tuple[AnyStep, ...] = Field(min_length=1, max_length=MOST_STEPS)


_MODELS: dict[str, type[Document]] = {
    "ramp": STEPS["ramp"], "palette": STEPS["palette"], "chain": Chain, "layer": Layer, "look": Look, "finish": Finish,
}  # fmt: skip


def current(document: str) -> dict[str, Any]:
    """A kept document, of whatever version of the format, as one of today's."""
    found: dict[str, Any] = upgraded(json.loads(document))
    return found


def checked(kind: Kind, document: Any) -> str:
    """The document as JSON text; BadInput where it is not of that kind."""
    return parse(_MODELS[kind], upgraded(document), "document").model_dump_json()


def strip_of(kind: str, document: str) -> list[str]:
    """Colours that stand for a ramp or palette; empty for others."""
    model = _MODELS[kind]
    return parse(model, current(document)).strip(STRIP) if issubclass(model, Step) else []


def beginnings() -> list[tuple[str, Kind, str, str]]:
    """(id, kind, name, document) of what every library begins with, our own."""
    data = parse_json(resources.files(__package__).joinpath("library.json").read_bytes(), "library.json")
    found: list[tuple[str, Kind, str, str]] = []
    for k, (name, interpolation, mix_in, text) in enumerate(data["ramps"]):
        pairs = [pair.split() for pair in text.split(",")]
        stops = [{"at": float(at), "colour": colour} for colour, at in pairs]
        step = {"step": "ramp", "interpolation": interpolation, "mix_in": mix_in, "stops": stops}
        found.append((f"ramp-{k:02d}", "ramp", name, checked("ramp", step)))
    for k, (name, columns, text) in enumerate(data["palettes"]):
        step = {"step": "palette", "name": name, "columns": columns, "swatches": [{"colour": c} for c in text.split()]}
        found.append((f"palette-{k:02d}", "palette", name, checked("palette", step)))
    for k, finish in enumerate(data["finishes"]):
        found.append((f"finish-{k:02d}", "finish", finish["name"], checked("finish", finish)))
    return found


def picture_of(kind: str, name: str) -> str:
    """A data URL of the picture that ships with a finish, rendered by this product; empty where there is none."""
    slug = name.lower().replace(" ", "-")
    held = resources.files(__package__).joinpath("finish_pictures", f"{slug}.png")
    if kind != "finish" or not re.fullmatch(r"[a-z-]+", slug) or not held.is_file():
        return ""
    return "data:image/png;base64," + base64.b64encode(held.read_bytes()).decode()
