"""Materials in USD: UsdPreviewSurface for each mesh part, which reads primvars where elements differ."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence

import numpy as np

from ...channels import CHANNELS
from ...geometry.shapes import ShapeMesh
from ..base import MeshPart, WriterContext
from ..material import Part, Surface, cut_out
from .text import (
    array_text,
    differing,
    usd_name,
)


def material_subsets(mesh: ShapeMesh, path: str) -> Iterator[str]:
    """The faces of each material that a shape came with, under its name; all look as the population does."""
    first = 0
    names = differing([usd_name(material) for material, _ in mesh.materials])
    for word, (material, count) in zip(names, mesh.materials, strict=True):
        yield f'\n        def GeomSubset "{word}" (\n'
        yield '            prepend apiSchemas = ["MaterialBindingAPI"]\n'
        yield f"            displayName = {json.dumps(material, ensure_ascii=False)}\n        )\n        {{\n"
        yield f"            rel material:binding = <{path}>\n"
        yield '            uniform token elementType = "face"\n            uniform token familyName = "materialBind"\n'
        yield from array_text("        int[] indices", np.arange(first, first + count, dtype=np.int32))
        yield "        }\n"
        first += count


def _inputs() -> Iterator[tuple[str, str, str]]:
    """The inputs of UsdPreviewSurface: what feeds each, its name and its type."""
    for channel in CHANNELS.values():
        if channel.inputs.usd:
            yield channel.word, channel.inputs.usd, "color3f" if channel.kind.word == "colour" else "float"
    yield "emission", "emissiveColor", "color3f"


def materials_text(
    name: str, pieces: Sequence[tuple[str, MeshPart | None, Surface]], context: WriterContext
) -> Iterator[str]:
    """UsdPreviewSurface for each piece, which reads by primvars what differs from element to element."""
    yield '\n    def Scope "Materials"\n    {\n'
    for word, piece, surface in pieces:
        path = f"/{name}/Materials/{word}"
        yield f'        def Material "{word}"\n        {{\n'
        yield f"            token outputs:surface.connect = <{path}/Surface.outputs:surface>\n\n"
        yield '            def Shader "Surface"\n            {\n'
        yield '                uniform token info:id = "UsdPreviewSurface"\n'
        yield "                token outputs:surface\n"
        readers = []
        for channel, target, kind in _inputs():
            part = glow(surface) if channel == "emission" else surface[channel]
            if part.varies:
                yield f"                {kind} inputs:{target}.connect = <{path}/{channel}.outputs:result>\n"
                readers.append((channel, part))
            else:
                yield f"                {kind} inputs:{target} = {_plain(part.value)}\n"
        threshold = cut_out(context, piece)
        if threshold is not None:
            yield f"                float inputs:opacityThreshold = {threshold:.9g}\n"
        yield "            }\n"
        for channel, part in readers:
            kind = "float3" if len(part.value) == 3 else "float"
            yield f'\n            def Shader "{channel}"\n            {{\n'
            yield f'                uniform token info:id = "UsdPrimvarReader_{kind}"\n'
            yield f'                string inputs:varname = "{_READ.get(channel, channel)}"\n'
            yield f"                {kind} inputs:fallback = {_plain(part.value)}\n"
            yield f"                {kind} outputs:result\n"
            yield "            }\n"
        yield "        }\n"
    yield "    }\n"


#: Primvars that are named otherwise than their channel.
_READ = {"base_colour": "displayColor", "emission": "emission"}


def glow(surface: Surface) -> Part:
    """Colour times strength of an element's own light."""
    colour, strength = surface["emission_colour"], surface["emission_strength"]
    return Part(colour.value * strength.number, (colour.varies or strength.varies) and not strength.grey)


def _plain(value: np.ndarray) -> str:
    texts = [f"{float(part):.9g}" for part in value]
    return texts[0] if len(texts) == 1 else f"({', '.join(texts)})"
