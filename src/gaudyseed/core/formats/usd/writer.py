"""USD out: readable usda by our own writer, usdc by the library's process."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

import numpy as np

from ...channels import CHANNELS
from ...population import Attribute, Polygons, Population
from ...population.derive import standing
from ...population.kinds import KINDS
from ...population.meshes import PART
from ...population.naming import fits
from ...population.strands import of_strands, widths_of
from ...runtime.task import UNWATCHED, Task
from ..apart import run_apart, temporary_folder
from ..base import WriterContext
from ..columns import Results, check_results
from ..material import surface_of
from ..meshing import linear_colours
from ..shapes import pieces_of, places_of
from .materials import material_subsets, materials_text
from .reader import SECONDS, WORKER
from .text import PrimvarNames, array_text, binary_arrays, differing, primvar, primvar_metadata, type_of, usd_name


def write(
    population: Population, results: Results | None, context: WriterContext = WriterContext(), task: Task = UNWATCHED
) -> bytes:  # fmt: skip
    """Readable USD: a mesh with displayColor and primvars, its parts as subsets; clones as an instancer; strands."""
    return _text(population, results, context, task)


#: Pieces of text that an array comes in.
_PIECES = 3


def _text(population: Population, results: Results | None, context: WriterContext, task: Task) -> bytes:
    check_results(results)
    bodies = {"surface": _mesh, "ribbons": _curves, "instances": _instancer, "points": _points}
    body = bodies[KINDS[population.kind].written]
    head = f'#usda 1.0\n(\n    defaultPrim = "{usd_name(context.name)}"\n    metersPerUnit = 1\n    upAxis = "Z"\n)\n\n'
    arrays = len(population.elements.own) + len(results or {}) + 2
    return "".join([head, *task.along(body(population, results, context), _PIECES * arrays)]).encode()


def _of_attribute(a: Attribute, interpolation: str, words: PrimvarNames) -> Iterator[str]:
    word, shown = words.of(a)
    if a.kind == "text":
        texts = np.array([json.dumps(t, ensure_ascii=False) for t in a.labels], object)
        listed = ", ".join(texts[a.values].tolist())
        yield f"    string[] primvars:{word} = [{listed}]{primvar_metadata(interpolation, shown)}\n"
        return
    kind = type_of(a)
    if kind is None:
        return
    values = a.readable if a.kind == "colour" else a.present(a.values)
    if values.dtype.kind == "f":
        values = np.where(np.isfinite(values), values, 0).astype(values.dtype)
    if kind.startswith("color"):
        kind, values = "color3f", values[:, :3]
    yield from primvar(word, kind, values, interpolation, shown)


def _results(population: Population, results: Results | None, interpolation: str) -> Iterator[str]:
    colours = linear_colours(population, results)
    if colours is not None:
        yield from primvar("displayColor", "color3f", np.clip(colours, 0, None).astype(np.float32), interpolation)
    for word, values in (results or {}).items():
        if word != "base_colour":
            kind = "color3f" if values.ndim == 2 else "float"
            yield from primvar(CHANNELS[word].name, kind, values.astype(np.float32), interpolation)
    strength = (results or {}).get("emission_strength")
    if results and strength is not None:
        # What the preview surface takes in one: colour times strength.
        colour = results.get("emission_colour", np.ones((len(strength), 3), np.float32))
        yield from primvar("emission", "float3", (colour * strength[:, None]).astype(np.float32), interpolation)


def _carried(population: Population, words: PrimvarNames, left: tuple[str, ...]) -> Iterator[Attribute]:
    """What came in and goes out again; results of an earlier run are replaced."""
    names = population.elements.brought
    # What came as colours before an earlier run goes before what that run left.
    again = ("colour",) if "original_colour" in names else ()
    for name in names:
        a = population.elements.attribute(name)
        if name not in (*left, *again) and a.fields and not words.replaced(a):
            yield a


def _mesh(population: Population, results: Results | None, context: WriterContext) -> Iterator[str]:
    form = population.form.polygons
    assert form is not None
    name = usd_name(context.name)
    yield f'def Mesh "{name}" (\n    prepend apiSchemas = ["MaterialBindingAPI"]\n)\n{{\n'
    yield f'    rel material:binding = </{name}/Materials/{name}>\n    uniform token subdivisionScheme = "none"\n'
    yield from array_text("int[] faceVertexCounts", np.diff(form.starts))
    yield from array_text("int[] faceVertexIndices", form.corners)
    position = population.elements.attribute("position")
    yield from array_text("point3f[] points", position.readable)
    yield from array_text("float3[] extent", _extent(position.readable))
    yield from _results(population, results, "vertex")
    words = PrimvarNames(results)
    for a in _carried(population, words, ("position",)):
        yield from _of_attribute(a, "vertex", words)
    for a in form.of_corners.values():
        yield from _of_attribute(a, "faceVarying", words)
    for a in form.of_faces.values():
        if a.name != PART:
            yield from _of_attribute(a, "uniform", words)
    yield from _subsets(form)
    yield from materials_text(name, [(name, None, surface_of(results, None, context))], context)
    yield "}\n"


def _curves(population: Population, results: Results | None, context: WriterContext) -> Iterator[str]:
    form = population.form.curves
    assert form is not None
    name = usd_name(context.name)
    yield f'def BasisCurves "{name}" (\n    prepend apiSchemas = ["MaterialBindingAPI"]\n)\n{{\n'
    yield f"    rel material:binding = </{name}/Materials/{name}>\n"
    cubic = form.basis != "linear"
    yield f'    uniform token type = "{"cubic" if cubic else "linear"}"\n    uniform token wrap = "{form.wrap}"\n'
    if cubic:
        yield f'    uniform token basis = "{form.basis}"\n'
    yield from array_text("int[] curveVertexCounts", form.sizes)
    position = population.elements.attribute("position")
    yield from array_text("point3f[] points", position.readable)
    wide = widths_of(population)
    # As OpenUSD works extents out: the control points, with half the greatest width around them.
    half = float(wide.max(initial=0)) / 2
    yield from array_text("float3[] extent", _extent(position.readable, half))
    yield from array_text("float[] widths", wide, ' (\n        interpolation = "vertex"\n    )')
    yield from _results(population, results, "vertex")
    above, words = {n for table in population.elements.owners for n in table.attributes}, PrimvarNames(results)
    for a in _carried(population, words, ("position", "width", "id")):
        if a.name == "normal" and fits(a):
            yield from array_text("normal3f[] normals", a.readable, ' (\n        interpolation = "vertex"\n    )')
        elif a.name not in above or a.name in population.elements.own:
            yield from _of_attribute(a, "vertex", words)
    for a in of_strands(population).values():
        if a.fields and a.name not in population.elements.own:
            yield from _of_attribute(a, "uniform", words)
    yield from materials_text(name, [(name, None, surface_of(results, None, context))], context)
    yield "}\n"


#: Parts that go out as subsets; more are told by the primvar.
_MOST_SUBSETS = 4096


def _subsets(form: Polygons) -> Iterator[str]:
    part = form.of_faces.get(PART)
    if part is None:
        return
    if len(part.labels) > _MOST_SUBSETS:
        yield from primvar("part", "int", part.values, "uniform")
        return
    names = differing([usd_name(label or f"part_{k}") for k, label in enumerate(part.labels)])
    order = np.argsort(part.values, kind="stable")
    ends = np.searchsorted(part.values[order], np.arange(len(part.labels) + 1))
    for k in range(len(names)):
        if ends[k + 1] > ends[k]:
            yield f'\n    def GeomSubset "{names[k]}"\n    {{\n'
            yield '        uniform token elementType = "face"\n        uniform token familyName = "part"\n'
            yield from array_text("    int[] indices", order[ends[k] : ends[k + 1]])
            yield "    }\n"


def _extent(places: np.ndarray, around: float | np.ndarray = 0.0) -> np.ndarray:
    """(2, 3): the box of places with some room around each, or around all; both corners 0 where there are none."""
    if not len(places):
        return np.zeros((2, 3), np.float32)
    room = np.asarray(around, np.float32).reshape(-1, 1)
    return np.stack([(places - room).min(axis=0), (places + room).max(axis=0)])


def _points(population: Population, results: Results | None, context: WriterContext) -> Iterator[str]:
    """Points with ids, velocities and widths: a particle's size is a radius, a width its diameter."""
    name = usd_name(context.name)
    elements = population.elements
    yield f'def Points "{name}" (\n    prepend apiSchemas = ["MaterialBindingAPI"]\n)\n{{\n'
    yield f"    rel material:binding = </{name}/Materials/{name}>\n"
    position, size = elements.attribute("position").readable, elements.find("size")
    yield from array_text("point3f[] points", position)
    wide = 2 * np.abs(size.readable) if size is not None and size.width == 1 and size.kind != "text" else None
    yield from array_text("float3[] extent", _extent(position, 0.0 if wide is None else wide / 2))
    if wide is not None:
        yield from array_text("float[] widths", wide, ' (\n        interpolation = "vertex"\n    )')
    identity, velocity = elements.find("id"), elements.find("velocity")
    if identity is not None and identity.kind == "integer":
        yield from array_text("int64[] ids", identity.values)
    if velocity is not None and velocity.kind == "vector" and velocity.width == 3:
        yield from array_text("vector3f[] velocities", velocity.readable)
    yield from _results(population, results, "vertex")
    words = PrimvarNames(results)
    for a in _carried(population, words, ("position", "size", "id", "velocity")):
        yield from _of_attribute(a, "vertex", words)
    yield from materials_text(name, [(name, None, surface_of(results, None, context))], context)
    yield "}\n"


def _instancer(population: Population, results: Results | None, context: WriterContext) -> Iterator[str]:
    turns, sizes = standing(population)
    name, shapes = usd_name(context.name), pieces_of(population, context)
    words = differing([usd_name(piece.name) for piece in shapes])
    kinds = np.zeros(population.count, np.int32)
    for k, piece in enumerate(shapes):
        kinds[piece.rows] = k
    yield f'def PointInstancer "{name}"\n{{\n'
    yield from array_text("point3f[] positions", places_of(population))
    # Real part first. In half floats for readers that know nothing newer, whole for those that do.
    yield from array_text("quath[] orientations", turns[:, [3, 0, 1, 2]])
    yield from array_text("quatf[] orientationsf", turns[:, [3, 0, 1, 2]].astype(np.float32))
    yield from array_text("float3[] scales", np.repeat(sizes[:, None], 3, axis=1).astype(np.float32))
    yield from array_text("int[] protoIndices", kinds)
    yield f"    rel prototypes = [{', '.join(f'</{name}/{word}>' for word in words)}]\n"
    identity = population.elements.own.get("id")
    if identity is not None and identity.kind == "integer":
        yield from array_text("int64[] ids", identity.values)
    yield from _results(population, results, "vertex")
    prims = PrimvarNames(results)
    for a in _carried(population, prims, ("position", "orientation", "size", "id")):
        yield from _of_attribute(a, "vertex", prims)
    for word, piece in zip(words, shapes, strict=True):
        mesh = piece.mesh
        yield f'\n    def Mesh "{word}" (\n        prepend apiSchemas = ["MaterialBindingAPI"]\n    )\n    {{\n'
        yield f"        rel material:binding = </{name}/Materials/{word}>\n"
        yield '        uniform token subdivisionScheme = "none"\n        uniform bool doubleSided = 1\n'
        yield from array_text("    int[] faceVertexCounts", np.full(len(mesh.faces), 3))
        yield from array_text("    int[] faceVertexIndices", mesh.faces.reshape(-1))
        yield from array_text("    point3f[] points", mesh.vertices)
        yield from primvar("st", "texCoord2f", mesh.uv, "vertex")
        yield from array_text("    normal3f[] normals", mesh.normals, primvar_metadata("vertex"))
        yield from material_subsets(mesh, f"/{name}/Materials/{word}")
        yield "    }\n"
    listed = [(word, piece, surface_of(results, piece, context)) for word, piece in zip(words, shapes, strict=True)]
    yield from materials_text(name, listed, context)
    yield "}\n"


def write_crate(
    population: Population, results: Results | None, context: WriterContext = WriterContext(), task: Task = UNWATCHED
) -> bytes:  # fmt: skip
    """Binary USD, which the library's process makes of the readable form and of its arrays as bytes."""
    arrays: list[np.ndarray] = []
    token = binary_arrays.set(arrays)
    try:
        text = _text(population, results, context, task.part(0, 0.3))
    finally:
        binary_arrays.reset(token)
    with temporary_folder() as folder:
        given, held, out = (folder / name for name in ("out.usda", "arrays", "out.usdc"))
        given.write_bytes(text)
        with held.open("wb") as file:
            for values in task.along(arrays):
                np.save(file, np.ascontiguousarray(values), allow_pickle=False)
        run_apart(WORKER, ["--crate", str(given), str(held), str(out)], context.name,
                  task.part(0.3, 1), SECONDS, "bad_usd")  # fmt: skip
        return out.read_bytes()


#: The words of the formats that hold all frames in one file.
SAMPLED = ("usd", "usdc")


def sampled(
    frames: Sequence[float], rate: float, ending: str, one: Callable[[float, Task], bytes], task: Task = UNWATCHED
) -> bytes:  # fmt: skip
    """One file of all frames, with time samples of all that differs from frame to frame.

    ``one(frame, task)`` gives a frame as a file of its own, in binary; ``rate`` is that of frames a second.
    """
    with temporary_folder() as folder:
        files = []
        for k, frame in enumerate(frames):
            files.append(folder / f"{k}.usdc")
            files[-1].write_bytes(one(frame, task.part(0.9 * k / len(frames), 0.9 * (k + 1) / len(frames))))
        task.reach(0.9, "joining frames")
        return joined(files, frames, rate, ending, task.part(0.9, 1))


def joined(files: Sequence[Path], frames: Sequence[float], rate: float, ending: str, task: Task = UNWATCHED) -> bytes:
    """Files of one frame each as one, with time samples of all that differs; ``rate`` is that of frames a second."""
    with temporary_folder() as folder:
        order, out = folder / "order.json", folder / f"out{ending}"
        order.write_text(json.dumps({"files": [str(f) for f in files], "frames": list(frames), "rate": rate}))
        run_apart(WORKER, ["--join", str(order), str(out)], out.name, task, SECONDS, "bad_usd")
        return out.read_bytes()
