"""GLB out: meshes and strands with their attributes, clones as instances of their shapes."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from ...channels import CHANNELS, Channel
from ...errors import BadInput
from ...geometry.placing import moved
from ...pictures.picture import lying, within
from ...population import Attribute, Curves, Polygons, Population
from ...population.attribute import WHOLE_FLOAT32
from ...population.derive import standing
from ...population.kinds import KINDS
from ...population.meshes import PART
from ...population.naming import fits
from ...population.strands import STRAND
from ...runtime.task import UNWATCHED, Task
from ..base import MeshPart, WriterContext
from ..columns import Results, check_results
from ..gltf import INSTANCING, LINES, POINTS, ROW, VERTEX, Y_UP, Writing
from ..material import Part, Surface, cut_out, png_of, surface_of
from ..meshing import linear_colours, split_at_seams, tubed, with_alpha
from ..shapes import pieces_of, places_of

if TYPE_CHECKING:
    from ...look.material import ElementPicture


def write(
    population: Population, results: Results | None, context: WriterContext = WriterContext(), task: Task = UNWATCHED
) -> bytes:  # fmt: skip
    """A mesh with its colours as COLOR_0 and its attributes as custom ones; clones as instances; strands as lines."""
    check_results(results)
    out = Writing(task)
    if not population.count:
        raise BadInput(
            "There are no elements at this frame, and glTF holds none. Choose another frame.", place="frame",
            code="nothing",
        )  # fmt: skip
    ways = {"surface": _write_mesh, "ribbons": _write_curves, "instances": _write_clones, "points": _write_points}
    ways[KINDS[population.kind].written](out, population, results, context)
    return out.data()


def _colours(population: Population, results: Results | None, context: WriterContext) -> np.ndarray | None:
    """(n, 3) colours, or (n, 4) with each element's opacity where elements differ in it; None where there are none."""
    colours = linear_colours(population, results)
    opacity = (results or {}).get("opacity")
    if opacity is not None and not surface_of(results, None, context)["opacity"].varies:
        opacity = None
    if colours is None and opacity is None:
        return None
    held = np.ones((population.count, 3)) if colours is None else colours
    return np.clip(held if opacity is None else np.column_stack([held, opacity]), 0, 1).astype("<f4")


@dataclass(frozen=True)
class _Column:
    """An attribute under a name of its own, as glTF allows it, with what only our reader understands."""

    word: str
    values: np.ndarray
    extras: dict[str, Any]


#: Names that have a place of their own in the file, by what is written.
_OF_MESHES = ("position", "normal", "uv", "colour")
_OF_CLONES = ("position", "orientation", "size", "colour")
#: Bytes of texts that a file holds beside a column.
_MOST_TEXT = 8 * 1024 * 1024


def _custom(population: Population, results: Results | None, placed: tuple[str, ...]) -> Iterator[_Column]:
    """Attributes that have no place of their own in the file: no 32-bit whole numbers, nothing that is not finite."""
    taken: set[str] = set()
    given = {CHANNELS[word].name: values for word, values in (results or {}).items() if word != "base_colour"}
    elements = population.elements
    for a in (elements.attribute(name) for name in elements.brought):
        # Results of an earlier run are replaced.
        if a.fields and (a.name not in placed or not fits(a)) and a.name not in given and a.width <= 4:
            yield _column(_word(a.name, taken), a)
    form = population.form.polygons
    if form is not None and not _apart(form):
        index = elements.owner_of("part")
        assert index is not None
        yield _Column(_word("part", taken), *_whole(index))
    brought = elements.own.get("colour")
    coloured = results is not None and "base_colour" in results and "original_colour" not in elements.own
    if coloured and brought is not None and brought.kind == "colour":
        yield _Column(_word("original_colour", taken), with_alpha(brought), {"light": "linear"})
    for name, values in given.items():
        yield _Column(_word(name, taken), values.astype("<f4"), {})


def _word(name: str, taken: set[str]) -> str:
    """The name of an attribute, which no other one has."""
    found = _SPELLED.get(name) or "_" + (re.sub(r"[^A-Z0-9_]", "_", name.upper()) or "VALUE")
    while found in taken:
        found += "_"
    taken.add(found)
    return found


#: Names of attributes of instances that have another one on meshes.
_SPELLED = {"uv": "_TEXCOORD_0"}


def _column(word: str, a: Attribute) -> _Column:
    """A column of any kind: vectors turned into the file's space; whole numbers and texts so that they come back."""
    values = a.present(a.values)
    extras: dict[str, Any] = {}
    if a.name != word.removeprefix("_").lower():
        extras["name"] = a.name
    if a.stands_for:
        extras["stands_for"] = a.stands_for
    if a.kind == "colour":
        return _Column(word, with_alpha(a), {**extras, "light": "linear"})
    if a.kind == "text":
        held, more = _whole(values)
        if sum(map(len, a.labels)) <= _MOST_TEXT:
            more["texts"] = list(a.labels)
        return _Column(word, held, {**extras, **more})
    if values.dtype.kind in "iu":
        held, more = _whole(values) if a.width == 1 else (values.astype("<f4"), {})
        return _Column(word, held, {**extras, **more})
    finite = np.where(np.isfinite(values), values, 0).astype("<f4")
    if word.startswith("_TEXCOORD_") and a.width == 2:
        return _Column(word, _hanging(finite), extras)
    return _Column(word, moved(finite, a.role, Y_UP) if a.role else finite, extras)


def _whole(values: np.ndarray) -> tuple[np.ndarray, dict[str, Any]]:
    """Whole numbers as glTF can hold them: in 8 or 16 bits, as floats while these are exact, else in parts of 16 bits.

    Parts are two's complement, the lowest first.
    """
    low, high = (int(values.min()), int(values.max())) if len(values) else (0, 0)
    for kind in ("u1", "<u2"):
        if low >= 0 and high <= np.iinfo(kind).max:
            return values.astype(kind), {}
    if max(-low, high) <= WHOLE_FLOAT32:
        return values.astype("<f4"), {"whole": 32}
    bits = 32 if low >= -(2**31) and high < 2**31 else 64
    return np.ascontiguousarray(values.astype(f"<i{bits // 8}")).view("<u2").reshape(len(values), -1), {"whole": bits}


def _write_mesh(out: Writing, population: Population, results: Results | None, context: WriterContext) -> None:
    form, split = population.form.polygons, None
    assert form is not None
    if form.of_corners:
        split = split_at_seams(population)
        population, results = split.population, results and {w: v[split.rows] for w, v in results.items()}
        form = split.form
    elements = population.elements
    position = moved(elements.attribute("position").readable, "point", Y_UP).astype("<f4")
    normal = moved(elements.attribute("normal").readable, "normal", Y_UP).astype("<f4")
    attributes = {
        "POSITION": out.add(position, target=34962, ends=True), "NORMAL": out.add(_unit(normal), target=34962),
    }  # fmt: skip
    uv = elements.find("uv")
    textured = uv.readable if uv is not None and fits(uv) else None
    laid = _surfaced(out, attributes, population, results, context, textured, _OF_MESHES)
    if split is not None:
        held, more = _whole(split.rows)
        attributes[VERTEX] = out.add(held, target=34962, extras={**more, "corners": list(split.names)})
    out.json["meshes"], out.json["materials"] = [], []
    surface = surface_of(results, None, context)
    materials: dict[str, int] = {}
    for label, triangles, faces in _pieces(form):
        primitives = []
        for name, rows in _by_material(form, faces):
            if name not in materials:
                named = name or context.name
                materials[name] = _material(out, named, None, surface, context, "COLOR_0" in attributes, laid)
            index = out.add(triangles[rows].reshape(-1).astype("<u4"), target=34963)
            primitives.append({"attributes": attributes, "indices": index, "material": materials[name]})
        out.json["meshes"].append({"name": label or context.name, "primitives": primitives})
        out.node({"name": label or context.name, "mesh": len(out.json["meshes"]) - 1})


def _surfaced(
    out: Writing, attributes: dict[str, int], population: Population, results: Results | None, context: WriterContext,
    uv: np.ndarray | None, placed: tuple[str, ...],
) -> int | None:  # fmt: skip
    """Add what vertices have beside places and normals: uv, colours, and attributes under names of their own.

    Returns the number of the uv set that says how a picture lies; None where the first one does.
    """
    laid = None
    if uv is not None:
        sets = [uv, *(a.readable for a in _further(population, "texcoord", "vector", 2))]
        if context.picture is not None and _baked(context.picture):
            laid = len(sets)
            sets.append(lying(uv, _into(context.picture)))
        for k, values in enumerate(sets):
            attributes[f"TEXCOORD_{k}"] = out.add(_hanging(values), target=34962)
    colours = _colours(population, results, context)
    if colours is not None:
        attributes["COLOR_0"] = out.add(colours, target=34962)
        for k, a in enumerate(_further(population, "color", "colour", 4), 1):
            attributes[f"COLOR_{k}"] = out.add(np.clip(with_alpha(a), 0, 1).astype("<f4"), target=34962)
    for column in _custom(population, results, (*placed, *map(str.lower, attributes))):
        attributes[column.word] = out.add(column.values, target=34962, extras=column.extras)
    return laid


def _further(population: Population, name: str, kind: str, most: int) -> Iterator[Attribute]:
    """Attributes that glTF counts from 0, from 1 on: ``texcoord_1``, ``texcoord_2`` and so on."""
    for k in range(1, 17):
        a = population.elements.own.get(f"{name}_{k}")
        if a is None or a.kind != kind or a.width > most or not a.fields:
            return
        yield a


def _write_points(out: Writing, population: Population, results: Results | None, context: WriterContext) -> None:
    """Points with their colours and attributes."""
    position = moved(population.elements.attribute("position").readable, "point", Y_UP).astype("<f4")
    attributes = {"POSITION": out.add(position, target=34962, ends=True)}
    _surfaced(out, attributes, population, results, context, None, _OF_MESHES)
    out.json["materials"] = []
    surface = surface_of(results, None, context)
    material = _material(out, context.name, None, surface, context, "COLOR_0" in attributes, None)
    primitive = {"attributes": attributes, "mode": POINTS, "material": material}
    out.json["meshes"] = [{"name": context.name, "primitives": [primitive]}]
    out.node({"name": context.name, "mesh": 0})


def _write_curves(out: Writing, population: Population, results: Results | None, context: WriterContext) -> None:
    """Those of a section as tubes, all others as lines."""
    form = population.form.curves
    if form is None or form.section is None:
        _write_strands(out, population, results, context)
    else:
        made = tubed(population)
        _write_mesh(out, made.population, results and {w: v[made.rows] for w, v in results.items()}, context)


def _write_strands(out: Writing, population: Population, results: Results | None, context: WriterContext) -> None:
    """Lines from each point of a strand to the next; _STRAND tells which strand a point belongs to."""
    form = population.form.curves
    assert form is not None
    position = moved(population.elements.attribute("position").readable, "point", Y_UP).astype("<f4")
    attributes = {"POSITION": out.add(position, target=34962, ends=True)}
    own = population.elements.own
    if "normal" in own and fits(own["normal"]):
        normal = moved(own["normal"].readable, "normal", Y_UP).astype("<f4")
        attributes["NORMAL"] = out.add(_unit(normal), target=34962)
    uv = own["uv"].readable if "uv" in own and fits(own["uv"]) else None
    laid = _surfaced(out, attributes, population, results, context, uv, (*_OF_MESHES, STRAND))
    strands = _column("_STRAND", _numbered(population, form))
    attributes["_STRAND"] = out.add(strands.values, target=34962, extras=strands.extras)
    joints = np.delete(np.arange(population.count), form.starts[1:] - 1)
    index = np.stack([joints, joints + 1], -1).reshape(-1).astype("<u4")
    out.json["materials"] = []
    surface = surface_of(results, None, context)
    material = _material(out, context.name, None, surface, context, "COLOR_0" in attributes, laid)
    primitive = {"attributes": attributes, "mode": LINES[0] if len(index) else POINTS, "material": material}
    if len(index):
        primitive["indices"] = out.add(index, target=34963)
    out.json["meshes"] = [{"name": context.name, "primitives": [primitive]}]
    out.node({"name": context.name, "mesh": 0})


def _numbered(population: Population, form: Curves) -> Attribute:
    """The number or name of each point's strand; counted from 0 where neighbours would have one alike."""
    own = population.elements.owners[0].attributes[STRAND]
    told = own.width == 1 and own.absent is None and (own.values[1:] != own.values[:-1]).all()
    return (own if told else Attribute(STRAND, "integer", np.arange(form.count))).taken(form.curve_of)


#: Parts that go out as nodes of their own; more would make the file unwieldy, and are told by the attribute _PART.
_MOST_NODES_OUT = 4096


def _apart(form: Polygons) -> bool:
    """Whether each part goes out as a node of its own."""
    part = form.of_faces.get(PART)
    return part is not None and len(part.labels) <= _MOST_NODES_OUT


def _pieces(form: Polygons) -> Iterator[tuple[str, np.ndarray, np.ndarray]]:
    """The triangles of each part of a file, with its name and the face of each.

    All together where there are no such parts, or too many.
    """
    part = form.of_faces.get(PART)
    if part is None or not _apart(form):
        yield "", form.triangles, form.cut[1]
        return
    of_triangles = part.values[form.cut[1]]
    order = np.argsort(of_triangles, kind="stable")
    ends = np.searchsorted(of_triangles[order], np.arange(len(part.labels) + 1))
    for k, label in enumerate(part.labels):
        if ends[k + 1] > ends[k]:
            rows = order[ends[k] : ends[k + 1]]
            yield label or f"part {k}", form.triangles[rows], form.cut[1][rows]


#: Materials that go out under the names that faces came with; where there are more, all have one.
_MOST_MATERIALS = 256


def _by_material(form: Polygons, faces: np.ndarray) -> Iterator[tuple[str, np.ndarray]]:
    """Of triangles of these faces, (t,), the rows of each material that faces came with, and its name."""
    material = form.of_faces.get("material")
    if material is None or material.kind != "text" or len(material.labels) > _MOST_MATERIALS:
        yield "", np.arange(len(faces))
        return
    of = material.values[faces]
    kinds, first = np.unique(of, return_index=True)
    for k in kinds[np.argsort(first)].tolist():
        yield material.labels[k], np.flatnonzero(of == k)


def _unit(normals: np.ndarray) -> np.ndarray:
    lengths = np.linalg.norm(normals, axis=1, keepdims=True)
    return np.where(lengths > 1e-6, normals / np.maximum(lengths, 1e-12), [0, 1, 0]).astype("<f4")


def _write_clones(out: Writing, population: Population, results: Results | None, context: WriterContext) -> None:
    turns, sizes = standing(population)
    # The shape stands in the file's space too, so an instance turns about the same axis, seen from there.
    rotation = np.concatenate([moved(turns[:, :3], "direction", Y_UP), turns[:, 3:]], axis=1).astype("<f4")
    lengths = np.linalg.norm(rotation, axis=1, keepdims=True)
    rotation = np.where(lengths > 1e-12, rotation / np.maximum(lengths, 1e-12), [0, 0, 0, 1]).astype("<f4")
    columns = [
        _Column("TRANSLATION", moved(places_of(population), "point", Y_UP).astype("<f4"), {}),
        _Column("ROTATION", rotation, {}),
        _Column("SCALE", np.repeat(sizes[:, None], 3, axis=1).astype("<f4"), {}),
    ]
    colours = linear_colours(population, results)
    if colours is not None:
        # Not in the extension's text, but what those that read it look for (common practice).
        columns.append(_Column("_COLOR_0", np.clip(colours, 0, 1).astype("<f4"), {}))
    columns += map(_padded, _custom(population, results, _OF_CLONES))
    pieces = [part for piece in pieces_of(population, context) for part in _cut(piece, results, context)]
    pieces = [piece for piece in pieces if len(piece.rows)]
    if len(pieces) > 1:
        columns.append(_padded(_Column(ROW, *_whole(np.arange(population.count)))))
    out.json["materials"], out.json["meshes"] = [], []
    out.uses(INSTANCING, required=True)
    for piece in pieces:
        out.json["meshes"].append({"name": piece.name, "primitives": _shape(out, piece, results, context, colours)})
        attributes = {c.word: out.add(c.values[piece.rows], extras=c.extras) for c in columns}
        extensions = {INSTANCING: {"attributes": attributes}}
        out.node({"name": context.name, "mesh": len(out.json["meshes"]) - 1, "extensions": extensions})


def _padded(column: _Column) -> _Column:
    """An attribute of instances: numbers of four bytes, as readers expect (common practice)."""
    if column.values.itemsize * (column.values.size // max(len(column.values), 1)) % 4 == 0:
        return column
    extras = column.extras if "texts" in column.extras else {"whole": 32, **column.extras}
    return _Column(column.word, column.values.astype("<f4"), extras)


def _cut(piece: MeshPart, results: Results | None, context: WriterContext) -> Iterator[MeshPart]:
    """A piece, parted where a threshold cuts: what is cut out stays in the file, and its material shows nothing."""
    opacity = (results or {}).get("opacity")
    if context.threshold is None or opacity is None:
        yield piece
        return
    there = opacity[piece.rows] >= context.threshold
    yield replace(piece, rows=piece.rows[there])
    yield replace(piece, rows=piece.rows[~there], cut_out=True)


def _shape(
    out: Writing, piece: MeshPart, results: Results | None, context: WriterContext, colours: np.ndarray | None
) -> list[dict[str, Any]]:
    """The primitives of the mesh that a piece's elements are: one for each material that it came with."""
    shape = piece.mesh
    vertices = moved(shape.vertices, "point", Y_UP)
    held = {
        "POSITION": out.add(vertices.astype("<f4"), target=34962, ends=True),
        "NORMAL": out.add(_unit(moved(shape.normals, "normal", Y_UP).astype("<f4")), target=34962),
    }
    if piece.picture is not None or shape.materials:
        held["TEXCOORD_0"] = out.add(_hanging(shape.uv), target=34962)
    laid = 1 if piece.picture is not None and _baked(piece.picture) else None
    if laid and piece.picture is not None:
        held[f"TEXCOORD_{laid}"] = out.add(_hanging(lying(shape.uv, _into(piece.picture))), target=34962)
    kind = "<u2" if len(vertices) < 65_536 else "<u4"
    surface, found, first = surface_of(results, piece, context), [], 0
    for name, count in shape.materials or ((piece.name, len(shape.faces)),):
        index = shape.faces[first : first + count].reshape(-1).astype(kind)
        material = _material(out, name, piece, surface, context, colours is not None, laid)
        found.append({"attributes": held, "indices": out.add(index, target=34963), "material": material})
        first += count
    return found


def _hanging(uv: np.ndarray) -> np.ndarray:
    """Pictures hang from the top there, and stand on the bottom here."""
    return (uv * np.array([1, -1], np.float32) + np.array([0, 1], np.float32)).astype("<f4")


def _material(
    out: Writing,
    name: str,
    piece: MeshPart | None,
    surface: Surface,
    context: WriterContext,
    coloured: bool,
    laid: int | None,
) -> int:
    """The number of a new material: what its elements have in common, and the mean of what they have not.

    Each element's own values are attributes beside it. ``coloured``: the colours come as attributes, of vertices with
    their opacity, which a reader multiplies with the material's. ``laid``: the uv set that says how a picture lies.
    """
    white = [1.0, 1.0, 1.0]
    base = white if coloured else surface["base_colour"].value.clip(0, 1).tolist()
    opacity, strength = surface["opacity"], surface["emission_strength"]
    plain: dict[str, Any] = {
        "baseColorFactor": [*base, _alpha(opacity, piece, context, coloured)],
    }
    made: dict[str, Any] = {"name": name, "pbrMetallicRoughness": plain, "doubleSided": True}
    threshold = cut_out(context, piece)
    if threshold is not None:
        made |= {"alphaMode": "MASK", "alphaCutoff": threshold}
    elif opacity.varies or opacity.number < 1:
        made["alphaMode"] = "BLEND"
    extensions: dict[str, Any] = {}
    if strength.number > 0:
        glow = surface["emission_colour"].value.clip(0, 1) * min(strength.number, 1)
        made["emissiveFactor"] = glow.tolist()
        if strength.number > 1:
            extensions["KHR_materials_emissive_strength"] = {"emissiveStrength": strength.number}
    made["extensions"] = extensions
    for channel in CHANNELS.values():
        if channel.inputs.gltf:
            _put_factor(made, channel, surface[channel.word])
    texels = piece.texels if piece else context.texels
    picture = piece.picture if piece else context.picture
    if texels is not None and picture is not None:
        plain["baseColorTexture"] = _texture(out, name, texels, picture, laid)
    for word in extensions:
        out.uses(word)
    if not extensions:
        del made["extensions"]
    out.json["materials"].append(made)
    return len(out.json["materials"]) - 1


def _put_factor(made: dict[str, Any], channel: Channel, part: Part) -> None:
    """Put a channel's value at its path in a material; extensions are there only for what is not the default."""
    *path, last = channel.inputs.gltf.split(".")
    if path[0] == "extensions" and np.array_equal(part.value, channel.default):
        return
    for word in path:
        made = made.setdefault(word, {})
    made[last] = part.number if channel.kind.word == "number" else part.value.clip(0, 1).tolist()


def _alpha(opacity: Part, piece: MeshPart | None, context: WriterContext, coloured: bool) -> float:
    """What a material says of opacity: clones the mean of their elements, or all or nothing where a threshold cuts.

    Vertices bring theirs with their colours.
    """
    if piece is None:
        return 1.0 if opacity.varies and coloured else opacity.number
    if piece.cut_out:
        return 0.0
    return 1.0 if context.threshold is not None else opacity.number


def _into(picture: ElementPicture) -> np.ndarray:
    """(4, 4): from an element's uv onto the picture."""
    return within(picture.shift, picture.size, float(picture.turn))


def _baked(picture: ElementPicture) -> bool:
    """Whether it lies so that a scale, a turn and a shift cannot say it: turned, and of unequal size."""
    linear = _into(picture)[:2, :2]
    return abs(float(linear[:, 0] @ linear[:, 1])) > 1e-6 * float(np.linalg.norm(linear) ** 2)


def _texture(out: Writing, name: str, texels: np.ndarray, picture: ElementPicture, laid: int | None) -> dict[str, Any]:
    """A picture in the file, and how it lies on the uv."""
    view = out.add_bytes(png_of(texels))
    out.json.setdefault("samplers", [{"wrapS": 10497, "wrapT": 10497}])
    out.json.setdefault("images", []).append({"name": name, "mimeType": "image/png", "bufferView": view})
    out.json.setdefault("textures", []).append({"source": len(out.json["images"]) - 1, "sampler": 0})
    found: dict[str, Any] = {"index": len(out.json["textures"]) - 1}
    if laid is not None:
        return {**found, "texCoord": laid}
    into = _into(picture)
    if not np.array_equal(into, np.eye(4)):
        # From uv that stand on the bottom to the extension's scale, turn and shift of uv that hang from the top.
        flip = np.array([[1, 0, 0], [0, -1, 1], [0, 0, 1.0]])
        plane = np.eye(3)
        plane[:2, :2], plane[:2, 2] = into[:2, :2], into[:2, 3]
        hung = flip @ plane @ flip
        turn = math.atan2(-hung[1, 0], hung[0, 0])
        scale = [math.hypot(hung[0, 0], hung[1, 0]), math.hypot(hung[0, 1], hung[1, 1])]
        found["extensions"] = {
            "KHR_texture_transform": {"offset": hung[:2, 2].tolist(), "rotation": turn, "scale": scale}
        }
        out.uses("KHR_texture_transform")
    return found
