"""Strands: how long they take to grow, to be coloured along themselves, and to go through files and into the view."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from statistics import median
from typing import Any

import numpy as np

from gaudyseed.core.formats import FORMATS, read_items
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Look
from gaudyseed.core.population import Population, of_points
from gaudyseed.core.population.derive import with_derived
from gaudyseed.core.population.makers.strands import StrandsMaker
from gaudyseed.core.population.meshes import column
from gaudyseed.core.population.strands import of_curves
from gaudyseed.core.sending import sent

Row = tuple[str, str, str]
Timed = Callable[..., list[float]]
STRANDS, POINTS = 100_000, 12
_COLOURS = ["#f4ead6", "#f2b03d", "#e8603c", "#8c1d63", "#3f3a78", "#1d49e0"]


def _look(first: dict[str, Any], per: str, moved: float = 0.0) -> Look:
    """A step, a ramp of six stops, and drift."""
    stops = [{"at": k / 5 + (moved if k == 2 else 0), "colour": c} for k, c in enumerate(_COLOURS)]
    paint = [
        first, {"step": "ramp", "interpolation": "straight", "mix_in": "oklab", "stops": stops},
        {"step": "drift", "per": per, "hue": [-9, 9], "lightness": [-0.06, 0.06], "seed": 3},
    ]  # fmt: skip
    return Look.model_validate({"lanes": {"base_colour": {"layers": [{"paint": paint}]}}})


def _clones(count: int) -> Population:
    """As many clones, with a number that is read where strands read their place along."""
    rng = np.random.default_rng(1)
    table = [column("position", "vector", rng.random((count, 3)), "x", "y", "z"),
             column("along", "number", rng.random(count), "along")]  # fmt: skip
    return with_derived(of_points(count, {a.name: a for a in table}))


def bench_strands(rows: list[Row], timed: Timed) -> None:
    """Growing, a chain along them against the same on clones, an edit of its ramp, files."""
    maker = StrandsMaker(maker="strands", surface="ball", count=STRANDS, points=POINTS)
    clumped = maker.changed(clumps=2000, frizz=0.01, wave=0.01)
    for name, made in (("plain", maker), ("clumped, waved and frizzy", clumped)):
        found = median(timed(lambda made=made: made.make(None), 4)[1:])  # type: ignore[arg-type]
        rows.append(
            (f"growing {STRANDS:,} strands of {POINTS} points, {name}", f"{found / 1000:.2f} s", "(wanted: 1.5 s)")
        )
    strands = maker.make(None)  # type: ignore[arg-type]
    clones = _clones(strands.count)
    evaluator = Evaluator()
    read = {"step": "attribute", "name": "along"}
    cold: dict[str, list[float]] = {"strands": [], "clones": []}
    for _ in range(7):
        # Anew each time, so that nothing of the population is known from before.
        fresh = of_curves(strands.elements.own, strands.form, strands.elements.owners[0].attributes)
        for name, population, look in (
            ("strands", fresh, _look({"step": "along"}, "strand")), ("clones", clones, _look(read, "element")),
        ):  # fmt: skip
            evaluator.cache.clear()
            began = time.perf_counter()
            evaluator.evaluate(population, look)
            cold[name].append(1000 * (time.perf_counter() - began))
    one, other = (median(cold[name][1:]) for name in ("strands", "clones"))
    what = "a chain along strands with drift per strand, 1,200,000 points, cold"
    told = f"{one:.0f} ms; the same on as many clones {other:.0f} ms"
    rows.append((what, told, f"{one / other:.2f} times (wanted: 1.3)"))
    edits: dict[str, list[float]] = {"strands": [], "clones": []}
    for k in range(9):
        for name, population, first, per in (
            ("strands", strands, {"step": "along"}, "strand"), ("clones", clones, read, "element"),
        ):  # fmt: skip
            began = time.perf_counter()
            evaluation = evaluator.evaluate(population, _look(first, per, 0.004 * k))
            evaluator.sent(evaluation.lanes["base_colour"])
            edits[name].append(1000 * (time.perf_counter() - began))
    one, other = (median(edits[name][2:]) for name in ("strands", "clones"))
    rows.append(("an edit of that ramp, to what is sent", f"{one:.0f} ms; on clones {other:.0f} ms",
                 f"{one / other:.2f} times (wanted: 1.2)"))  # fmt: skip
    bench_files(rows, strands, timed)


_WRITE = """
import sys
import numpy as np
from pxr import Usd, UsdGeom, Vt
places = np.load(sys.argv[1])
stage = Usd.Stage.CreateNew(sys.argv[2])
curves = UsdGeom.BasisCurves.Define(stage, "/fur")
curves.CreateTypeAttr("linear")
curves.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(places.reshape(-1, 3)))
curves.CreateCurveVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(places), places.shape[1], np.int32)))
curves.CreateWidthsAttr(Vt.FloatArray.FromNumpy(np.full(places.shape[0] * places.shape[1], 0.01, np.float32)))
curves.SetWidthsInterpolation("vertex")
stage.Save()
"""


def _curves(strands: Population, name: str) -> bytes:
    """A file of that name with the strands, written by the library of the standard alone."""
    with tempfile.TemporaryDirectory() as folder:
        places, path = Path(folder) / "places.npy", Path(folder) / name
        np.save(places, strands.elements.own["position"].values.reshape(STRANDS, POINTS, 3))
        subprocess.run([sys.executable, "-c", _WRITE, str(places), str(path)], check=True)
        return path.read_bytes()


def bench_files(rows: list[Row], strands: Population, timed: Timed) -> None:
    """Curves that another library wrote, read; and strands with their colours written."""
    for ending, told in (("usdc", "binary"), ("usda", "text")):
        name = f"fur.{ending}"
        data = _curves(strands, name)
        times = timed(partial(read_items, data, name), 3)
        rows.append((f"reading {STRANDS:,} USD curves of {POINTS} points, {told}", f"{median(times) / 1000:.2f} s",
                     "(wanted: 2 s)"))  # fmt: skip
    evaluation = Evaluator().evaluate(strands, _look({"step": "along"}, "strand"))
    for word, wanted in (("usdc", "(wanted: 3 s)"), ("usd", "(wanted: 3 s)"), ("glb", ""), ("csv", "")):
        began = time.perf_counter()
        population, results, about = sent(evaluation, "Fur", "sequin")
        data = FORMATS[word].write(population, results, about)
        took = time.perf_counter() - began
        rows.append((f"writing {FORMATS[word].title}, {STRANDS:,} strands of {POINTS} points with colours",
                     f"{took:.2f} s, {len(data) / 1e6:.0f} MB", wanted))  # fmt: skip


def scene(count: int, points: int) -> dict[str, Any]:
    """Strands on a ball with a ramp along them."""
    first = {"id": "fur", "name": "Fur",
             "maker": {"maker": "strands", "surface": "ball", "count": count, "points": points},
             "look": _look({"step": "along"}, "strand").model_dump(mode="json")}  # fmt: skip
    return {"gaudyseed": 3, "name": "Strands", "populations": [first]}


def bench_view(browser: Any, server: Any, rows: list[Row], keyed: Callable[..., list[float]]) -> None:
    """A stop of the ramp moved by key, to new colours in the view's buffers without drawing."""
    for count, points, wanted in ((3_200, 24, 40), (30_000, 12, 120)):
        page = browser.new_page(viewport={"width": 640, "height": 400}, bypass_csp=True)
        page.set_default_timeout(90_000)
        made = json.loads(server.post("/scenes", {"document": scene(count, points)}))["id"]
        page.goto(f"{server.address}?view=light&scene={made}")
        page.get_by_label("Values that reach the ramp").wait_for()
        times = keyed(page, page.get_by_role("slider").nth(2), 24)
        page.close()
        rows.append((f"edit of a ramp to colours in the view, {count:,} strands of {points} points, without drawing",
                     f"median {median(times[4:]):.1f} ms", f"(wanted: {wanted})"))  # fmt: skip
