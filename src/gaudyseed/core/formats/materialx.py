"""MaterialX: the materials alone, as OpenPBR surfaces that read by name what differs from element to element.

The names of inputs are those of the OpenPBR Surface 1.1 specification and of the node definitions that ship with
MaterialX 1.39.
"""

from __future__ import annotations

import re
from xml.etree import ElementTree
from xml.etree.ElementTree import Element, SubElement

import numpy as np

from ..population import Population
from ..runtime.task import UNWATCHED, Task
from .base import FORMATS, Format, WriterContext
from .columns import Results, check_results
from .material import Part, Surface, surfaces

#: Inputs of the surface with their types, by channel.
_INPUTS = {
    "base_colour": ("base_color", "color3"), "metalness": ("base_metalness", "float"),
    "roughness": ("specular_roughness", "float"), "transmission": ("transmission_weight", "float"),
    "subsurface": ("subsurface_weight", "float"), "subsurface_colour": ("subsurface_color", "color3"),
    "subsurface_radius": ("subsurface_radius", "float"), "emission_colour": ("emission_color", "color3"),
    "emission_strength": ("emission_luminance", "float"), "opacity": ("geometry_opacity", "float"),
}  # fmt: skip
#: Candela per square metre of a strength of 1: white paper in a lit room, about (a choice of ours).
NITS = 1000.0
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
    # Tinted glass takes the base colour.
    for channel, (target, kind) in [*_INPUTS.items(), ("base_colour", ("transmission_color", "color3"))]:
        part = surface[channel]
        if part.varies:
            SubElement(shader, "input", name=target, type=kind, nodegraph=f"{word}_values", output=f"{channel}_out")
        else:
            SubElement(shader, "input", name=target, type=kind, value=_text(_scaled(channel, part.value)))
    material = SubElement(root, "surfacematerial", name=word, type="material")
    SubElement(material, "input", name="surfaceshader", type="surfaceshader", nodename=f"{word}_surface")


def _scaled(channel: str, value: np.ndarray) -> np.ndarray:
    return value * NITS if channel == "emission_strength" else value


def _read(graph: Element, channel: str, part: Part) -> None:
    """A channel read by its name; strengths become luminances."""
    _, kind = _INPUTS[channel]
    node = SubElement(graph, "geompropvalue", name=channel, type=kind)
    SubElement(node, "input", name="geomprop", type="string", uniform="true", value=_READ.get(channel, channel))
    SubElement(node, "input", name="default", type=kind, value=_text(part.value))
    last = channel
    if channel == "emission_strength":
        last = f"{channel}_nits"
        scaled = SubElement(graph, "multiply", name=last, type="float")
        SubElement(scaled, "input", name="in1", type="float", nodename=channel)
        SubElement(scaled, "input", name="in2", type="float", value=f"{NITS:g}")
    SubElement(graph, "output", name=f"{channel}_out", type=kind, nodename=last)


def _text(value: np.ndarray) -> str:
    return ", ".join(f"{float(part):.9g}" for part in value)


_KINDS = ("clones", "mesh", "strands")
FORMATS.add(
    "materialx",
    Format("materialx", "MaterialX, materials alone", ".mtlx", "application/xml", write, kinds=_KINDS),
)  # fmt: skip
