"""Meshes: what is told of a million vertices, subdivision, owners, scatter, files; against libraries and bounds."""

from __future__ import annotations

import io
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from statistics import median
from typing import Any

import numpy as np

from gaudyseed.core.formats import FORMATS, WriterContext
from gaudyseed.core.geometry import polygons
from gaudyseed.core.geometry.scatter import feet_on
from gaudyseed.core.geometry.subdivision import refined
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.population import Attribute, Field, Polygons, Population
from gaudyseed.core.population.meshes import of_polygons
from gaudyseed.core.population.owning import Owning

Row = tuple[str, str, str]
ROOT = Path(__file__).resolve().parent.parent


def sheet(side: int, triangles: bool) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A waving sheet of side x side vertices as triangles or quadrangles."""
    x, y = np.meshgrid(np.arange(side), np.arange(side))
    place = np.stack([x, y, 3 * np.sin(x / 9) * np.cos(y / 7)], -1).reshape(-1, 3).astype(np.float32) / 50
    at = np.arange(side * side, dtype=np.int32).reshape(side, side)
    quads = np.stack([at[:-1, :-1], at[:-1, 1:], at[1:, 1:], at[1:, :-1]], -1).reshape(-1, 4)
    faces = np.concatenate([quads[:, :3], quads[:, [0, 2, 3]]]) if triangles else quads
    return place, np.arange(0, faces.size + 1, faces.shape[1]), np.ascontiguousarray(faces.reshape(-1))


def mesh(side: int) -> Population:
    """The sheet of triangles as a population with a weight."""
    place, starts, corners = sheet(side, True)
    fields = tuple(Field(a, "<f4") for a in "xyz")
    weight = np.random.default_rng(1).random(len(place)).astype(np.float32)
    table = {
        "position": Attribute("position", "vector", place, (), fields),
        "weight": Attribute("weight", "number", weight, (), (Field("weight", "<f4"),)),
    }
    return of_polygons(table, Polygons(starts, corners))


def best(work: Callable[[], object], rounds: int = 5) -> float:
    """The least seconds of some rounds, after one that warms up."""
    work()
    found = []
    for _ in range(rounds):
        began = time.perf_counter()
        work()
        found.append(time.perf_counter() - began)
    return min(found)


def bench_meshes(rows: list[Row]) -> None:
    """All of it."""
    _told(rows)
    _subdivided(rows)
    _owned(rows)
    _scattered(rows)
    _edited(rows)
    _files(rows)


def _told(rows: list[Row]) -> None:
    import trimesh
    from scipy import sparse
    from scipy.sparse import csgraph

    place, starts, corners = sheet(1000, True)
    faces = corners.reshape(-1, 3)
    edges = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]]])
    graph = sparse.coo_matrix((np.ones(len(edges), np.int8), edges.T), shape=(len(place),) * 2).tocsr()
    mine = best(lambda: polygons.islands_of(starts, corners, len(place)))
    theirs = best(lambda: csgraph.connected_components(graph, directed=False), 2)
    rows.append(_against("islands, 1,000,000 vertices", mine, theirs, "wanted: 0.15 s; scipy.sparse.csgraph"))
    mine = best(lambda: (polygons.normals_of(place, starts, corners), polygons.areas(place, starts, corners)))

    def plain() -> object:
        other = trimesh.Trimesh(place, faces, process=False)
        return other.vertex_normals, other.area_faces

    rows.append(_against("normals and areas, 1,000,000 vertices", mine, best(plain, 1), "wanted: 0.2 s; trimesh"))
    edges_, normals = polygons.edges_of(starts, corners, len(place)), polygons.normals_of(place, starts, corners)
    del edges_
    took = best(lambda: polygons.mean_curvature(place, normals, faces))
    rows.append(("mean curvature, 1,000,000 vertices", f"{took:.2f} s", ""))


def _against(what: str, mine: float, theirs: float, wanted: str) -> Row:
    return what, f"{mine:.3f} s against {theirs:.2f} s", f"{theirs / mine:.1f} times as fast ({wanted})"


def _subdivided(rows: list[Row]) -> None:
    rng = np.random.default_rng(3)
    for name, side, triangles, wanted in (("Loop", 355, True, 1), ("Catmull-Clark", 501, False, 2)):
        place, starts, corners = sheet(side, triangles)
        columns = [rng.random(len(place)).astype(np.float32) for _ in range(3)]

        def work(place=place, starts=starts, corners=corners, columns=columns) -> object:  # type: ignore[no-untyped-def]
            step = refined(starts, corners, len(place))
            return step.smooth.mixed(place), [step.straight.mixed(c) for c in columns]

        faces = len(starts) - 1
        rows.append((f"{name}, {faces:,} to {4 * faces:,} faces with 3 attributes", f"{best(work, 3):.2f} s",
                     f"(wanted: {wanted} s)"))  # fmt: skip


def _owned(rows: list[Row]) -> None:
    rng = np.random.default_rng(5)
    index = rng.integers(0, 2000, 1_000_000).astype(np.int32)
    values = rng.random(1_000_000).astype(np.float32)
    owning = Owning(index, 2000)
    assert owning.sizes.sum() == len(index)
    mine = best(lambda: owning.of(values, "mean"), 9)
    theirs = best(lambda: np.bincount(index, values, 2000) / np.bincount(index, minlength=2000), 9)
    took = f"{1000 * mine:.1f} ms against {1000 * theirs:.1f} ms"
    rows.append(("unify by mean, 1,000,000 values over 2,000 parts", took,
                 f"{theirs / mine:.1f} times as fast (wanted: 3, numpy.bincount)"))  # fmt: skip


def _scattered(rows: list[Row]) -> None:
    place, starts, corners = sheet(500, True)
    triangles = corners.reshape(-1, 3)
    areas = polygons.areas(place, starts, corners)
    took = best(lambda: feet_on(place, triangles, areas, 100_000, 1, evenness=0.6), 3)
    rows.append((f"scatter of 100,000 on {len(triangles):,} faces, evenness 0.6", f"{took:.2f} s", "(wanted: 1 s)"))


def _edited(rows: list[Row]) -> None:
    """A ramp edit on a mesh of a million vertices, and on as many clones, in turns."""
    from bench.__main__ import bare, look

    populations = {"vertices": mesh(1000), "clones": bare(1_000_000)}
    evaluators = {name: Evaluator() for name in populations}
    times: dict[str, list[float]] = {name: [] for name in populations}
    for k in range(14):
        for name, population in populations.items():
            began = time.perf_counter()
            evaluators[name].evaluate(population, look(0.15 + 0.01 * k))
            times[name].append(1000 * (time.perf_counter() - began))
    one, other = (median(times[name][3:]) for name in populations)
    rows.append(("ramp edit, 1,000,000 vertices against as many clones", f"{one:.1f} ms against {other:.1f} ms",
                 f"{one / other:.2f} times as long (wanted: 1)"))  # fmt: skip


_READ = """
import sys, time, tracemalloc
from gaudyseed.core.formats import read_items
from gaudyseed.core.kernels import warm
warm()
data = open(sys.argv[1], "rb").read()
began = time.perf_counter()
things = read_items(data, sys.argv[1])
took = time.perf_counter() - began
del things
tracemalloc.start()
things = read_items(data, sys.argv[1])
print(took, 1 + tracemalloc.get_traced_memory()[1] / len(data), len(data))
"""


def _files(rows: list[Row]) -> None:
    """A million triangles in each format, read in a process of its own: seconds, and peak memory over the file."""
    made = mesh(708)
    results = {"base_colour": np.random.default_rng(2).random((made.count, 3)).astype(np.float32)}
    with tempfile.TemporaryDirectory() as folder:
        for form, wanted in (("glb", 1), ("ply", 1), ("obj", 4), ("usdc", 2)):
            path = Path(folder) / f"m{FORMATS[form].ending}"
            began = time.perf_counter()
            data = FORMATS[form].write(made, results, WriterContext("M"))
            wrote = time.perf_counter() - began
            path.write_bytes(_obj_of_110_mb(made) if form == "obj" else data)
            found = [_read(path) for _ in range(3)]
            took, factor, size = min(f[0] for f in found), max(f[1] for f in found), found[0][2]
            rows.append((f"import of {made.form.faces:,} triangles, {form}, {size / 1e6:.0f} MB",  # type: ignore[union-attr]
                         f"{took:.2f} s, peak {factor:.1f} times the file with it",
                         f"(wanted: {wanted} s, 8 times); written in {wrote:.1f} s"))  # fmt: skip


def _read(path: Path) -> tuple[float, float, float]:
    done = subprocess.run(
        [sys.executable, "-c", _READ, str(path)], cwd=ROOT, capture_output=True, text=True, check=True
    )
    took, factor, size = map(float, done.stdout.split())
    return took, factor, size


def _obj_of_110_mb(made: Population) -> bytes:
    """The same with uv and normals for each vertex, as programs write them."""
    place = made.elements.own["position"].values
    normal = made.elements.attribute("normal").readable
    out = io.StringIO()
    for word, columns in (("v", place), ("vt", place[:, :2]), ("vn", normal)):
        form = f"{word} " + " ".join(["%.8f"] * columns.shape[1]) + "\n"
        out.writelines(form % tuple(row) for row in columns.tolist())
    corners: Any = made.form.corners + 1  # type: ignore[union-attr]
    cells = [f"{k}/{k}/{k}" for k in range(made.count + 1)]
    out.writelines(f"f {cells[a]} {cells[b]} {cells[c]}\n" for a, b, c in corners.reshape(-1, 3).tolist())
    return out.getvalue().encode()
