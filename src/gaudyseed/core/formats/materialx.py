"""MaterialX: the materials alone, as OpenPBR surfaces that read by name what differs from element to element.

The names of inputs are those of the OpenPBR Surface 1.1 specification and of the node definitions that ship with
MaterialX 1.39.
"""

from __future__ import annotations

import re
from xml.etree import ElementTree
from xml.etree.ElementTree import Element, SubElement

import numpy as np

from ..channels import BASE_COLOUR, CHANNELS, Channel
from ..population import Population
from ..runtime.task import UNWATCHED, Task
from .base import FORMATS, Format, WriterContext
from .columns import Results, check_results
from .material import Part, Surface, surfaces

#: Names of primvars that are not their channel's.
_READ = {"base_colour": "displayColor"}


def write(
    population: Population, results: Results | None, context: WriterContext = WriterContext(), task: Task = UNWATCHED
) -> bytes:  # fmt: skip
    """A material for each shape and finish of clones, or one for a mesh; values that differ are read by name."""
    check_results(results)
    root = Element("materialx", version="1.39", colorspace="lin_rec709")
    taken: set[str] = set()
    for name, _, surface in task.along(surfaces(population, results, context)):
        _material(root, _word(name, taken), surface)
    ElementTree.indent(root)
    return ElementTree.tostring(root, encoding="utf-8", xml_declaration=True) + b"\n"


def _word(name: str, taken: set[str]) -> str:
    """A name as MaterialX allows it, that no other material has."""
    plain = re.sub(r"[^A-Za-z0-9_]+", "_", name).strip("_") or "material"
    plain = f"_{plain}" if plain[0].isdigit() else plain
    found, k = plain, 2
    while found in taken:
        found, k = f"{plain}_{k}", k + 1
    taken.add(found)
    return found


def _material(root: Element, word: str, surface: Surface) -> None:
    varying = {channel: part for channel, part in surface.items() if part.varies}
    if varying:
        graph = SubElement(root, "nodegraph", name=f"{word}_values")
        for channel, part in varying.items():
            _read(graph, channel, part)
    shader = SubElement(root, "open_pbr_surface", name=f"{word}_surface", type="surfaceshader")
    inputs = [(c, c.inputs.openpbr) for c in CHANNELS.values() if c.word in surface and c.inputs.openpbr]
    # Tinted glass takes the base colour.
    for row, target in [*inputs, (BASE_COLOUR, "transmission_color")]:
        channel, kind, part = row.word, _type(row), surface[row.word]
        if part.varies:
            SubElement(shader, "input", name=target, type=kind, nodegraph=f"{word}_values", output=f"{channel}_out")
        else:
            SubElement(shader, "input", name=target, type=kind, value=_text(part.value * row.inputs.openpbr_scale))
    material = SubElement(root, "surfacematerial", name=word, type="material")
    SubElement(material, "input", name="surfaceshader", type="surfaceshader", nodename=f"{word}_surface")


def _type(channel: Channel) -> str:
    return "color3" if channel.kind.word == "colour" else "float"


def _read(graph: Element, channel: str, part: Part) -> None:
    """A channel read by its name; strengths become luminances."""
    row = CHANNELS[channel]
    kind, scale = _type(row), row.inputs.openpbr_scale
    node = SubElement(graph, "geompropvalue", name=channel, type=kind)
    SubElement(node, "input", name="geomprop", type="string", uniform="true", value=_READ.get(channel, channel))
    SubElement(node, "input", name="default", type=kind, value=_text(part.value))
    last = channel
    if scale != 1:
        last = f"{channel}_scaled"
        scaled = SubElement(graph, "multiply", name=last, type="float")
        SubElement(scaled, "input", name="in1", type="float", nodename=channel)
        SubElement(scaled, "input", name="in2", type="float", value=f"{scale:g}")
    SubElement(graph, "output", name=f"{channel}_out", type=kind, nodename=last)


def _text(value: np.ndarray) -> str:
    return ", ".join(f"{float(part):.9g}" for part in value)


_KINDS = ("clones", "mesh", "strands", "particles", "trails")
FORMATS.add(
    "materialx",
    Format("materialx", "MaterialX, materials alone", ".mtlx", "application/xml", write, kinds=_KINDS),
)  # fmt: skip
