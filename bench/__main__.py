"""Measure the chain, the server and the page; print figures and write docs/performance.md."""

from __future__ import annotations

import argparse
import json
import os
import resource
import subprocess
import sys
import tempfile
import time
import tracemalloc
import urllib.request
from collections.abc import Callable
from functools import partial
from pathlib import Path
from statistics import median
from typing import Any

import numpy as np
from tests.support import beetle_scene

from bench import motion, strands
from bench.colours import bench_colour
from bench.edits import bench_edits
from bench.light import bench_light
from bench.meshes import bench_meshes
from bench.places import bench_moving, bench_places, handle_scene
from bench.plain import chain as plain_chain
from bench.send import bench_files, bench_lanes, bench_shapes, bench_view
from gaudyseed.core.documents.document import parse
from gaudyseed.core.kinds import NUMBER
from gaudyseed.core.look.evaluate import Evaluator, run_step
from gaudyseed.core.look.model import Look
from gaudyseed.core.look.steps import STEPS, Value
from gaudyseed.core.population import Attribute, Population, of_points
from gaudyseed.core.scene.model import Scene

Rows = list[tuple[str, str, str]]
ROOT = Path(__file__).resolve().parent.parent
PERFORMANCE = ROOT / "docs/performance.md"
PLACES = np.array([0.0, 0.2, 0.4, 0.6, 0.8, 1.0])
COLOURS = ["#131f4d", "#0b6a72", "#22a98a", "#f3b13c", "#ef5236", "#f6e7cf"]


def bare(count: int) -> Population:
    """A population with ids only."""
    return of_points(count, {"id": Attribute("id", "integer", np.arange(count, dtype=np.int64))})


def look(first: float = 0.2) -> Look:
    """random, range, ramp of six stops in OKLab, drift."""
    places = [0.0, first, *PLACES[2:]]
    paint: list[dict[str, Any]] = [
        {"step": "random", "seed": 42},
        {"step": "range", "to_low": 0.05, "to_high": 0.95},
        {"step": "ramp", "interpolation": "straight", "mix_in": "oklab",
         "stops": [{"at": a, "colour": c} for a, c in zip(places, COLOURS, strict=True)]},
        {"step": "drift", "hue": [-18, 18], "saturation": [-0.06, 0.06], "lightness": [-0.06, 0.06], "seed": 3},
    ]  # fmt: skip
    return Look.model_validate({"lanes": {"base_colour": {"layers": [{"paint": paint}]}}})


def timed(work: Callable[[], object], rounds: int) -> list[float]:
    """Milliseconds of each round."""
    found = []
    for _ in range(rounds):
        began = time.perf_counter()
        work()
        found.append(1000 * (time.perf_counter() - began))
    return found


def versus(ours: Callable[[], object], plain: Callable[[], object], rounds: int = 5) -> tuple[float, float]:
    """Milliseconds of both, in turns, so that what else the machine does falls on both: the medians of rounds.

    Each round counts the best of two calls of the plain way, and of as many of ours as take
    about as long, at most twenty.
    """
    mine, theirs = [], []
    for _ in range(rounds):
        theirs.append(min(timed(plain, 2)))
        first = timed(ours, 2)
        mine.append(min(first + timed(ours, max(0, min(18, int(theirs[-1] / max(min(first), 0.1)))))))
    return median(mine), median(theirs)


def bench_chain(rows: Rows) -> None:
    """The whole chain, result cache cold, kernels warm, against the plain script."""
    population, count = bare(1_000_000), 1_000_000
    assert population.elements.keys is not None
    evaluator, chain = Evaluator(), look()

    def ours() -> None:
        evaluator.cache.clear()
        evaluator.evaluate(population, chain)

    ours()
    mine, theirs = versus(ours, lambda: plain_chain(count, PLACES, COLOURS), 3)
    rows.append(
        (
            "chain of four steps, 1,000,000 elements, cache cold",
            f"{mine:.1f} ms against {theirs:.0f} ms",
            f"{theirs / mine:.1f} times as fast (wanted: 20)",
        )
    )


def bench_steps(rows: Rows) -> None:
    """Single steps at 1,000,000 elements against the plain NumPy or SciPy way."""
    from scipy.interpolate import PchipInterpolator
    from scipy.stats import rankdata

    from bench.plain import pcg3d, unit

    count = 1_000_000
    population = bare(count)
    values = np.random.default_rng(1).random(count).astype(np.float32)
    places = np.random.default_rng(2).normal(size=(count, 3)).astype(np.float32)
    columns = {
        **population.elements.own,
        "a": Attribute("a", "number", values),
        "position": Attribute("position", "vector", places),
    }
    population = of_points(count, columns)
    incoming = Value(NUMBER, values)
    keys, ones = np.arange(count, dtype=np.uint32), np.ones(count, np.uint32)
    knots, heights = np.array([0, 0.2, 0.5, 0.8, 1]), np.array([0, 0.5, 0.4, 0.9, 1])
    points = [{"x": x, "y": y} for x, y in zip(knots.tolist(), heights.tolist(), strict=True)]
    text = "where(a > 0.5, a * 2 - x(position), sin(a * tau) + 0.5) * 0.25 + z(position) / 3"
    x, z, tau = places[:, 0], places[:, 2], np.float32(2 * np.pi)

    def by_hand() -> object:
        half, third = np.float32(0.5), np.float32(3)
        return (
            np.where(values > half, values * np.float32(2) - x, np.sin(values * tau) + half) * np.float32(0.25)
            + z / third
        )

    cases: list[tuple[str, dict[str, Any], Callable[[], object], str]] = [
        ("random", {"step": "random", "seed": 42}, lambda: unit(pcg3d(keys, ones, ones)[0]), "wanted: 10, NumPy"),
        ("even out", {"step": "even_out"}, lambda: (rankdata(values) - 0.5) / count, "wanted: 4, rankdata"),
        (
            "curve, monotone",
            {"step": "curve", "points": points},
            lambda: PchipInterpolator(knots, heights)(values),
            "wanted: 10, PchipInterpolator",
        ),
        ("formula of ten operations", {"step": "formula", "text": text}, by_hand, "wanted: 1, NumPy by hand"),
    ]
    for name, document, plain, wanted in cases:
        step = STEPS[document["step"]].model_validate(document)
        run = partial(run_step, step, population, incoming if step.takes else None)
        run()
        mine, theirs = versus(run, plain)
        memory = ""
        if document["step"] == "formula":
            memory = f"; peak memory {peak_of(run):.0f} MB against {peak_of(plain):.0f} MB"
        rows.append(
            (
                f"{name}, 1,000,000 elements",
                f"{mine:.1f} ms against {theirs:.0f} ms",
                f"{theirs / mine:.1f} ({wanted}){memory}",
            )
        )
    sequins = parse(Scene, beetle_scene()).populations[0].maker.make(None)  # type: ignore[arg-type]
    spread = STEPS["spread"].model_validate({"step": "spread", "seed": 1})
    part = Value(NUMBER, values[: sequins.count])
    took = median(timed(lambda: run_step(spread, sequins, part), 3))
    facts = run_step(spread, sequins, part).facts or {}
    fewer = 100 * (1 - facts["alike_after"] / facts["alike_before"])
    rows.append(
        (
            "spread on five bands, 12,000 sequins",
            f"{took:.0f} ms",
            f"{fewer:.0f} % fewer neighbours alike (wanted: 60 in 2 s)",
        )
    )


def peak_of(work: Callable[[], object]) -> float:
    """Most memory that a call holds at once, in MB, its result included."""
    tracemalloc.start()
    kept = work()
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    del kept
    return peak / 1e6


def bench_growth(rows: Rows) -> None:
    """Ten million elements in a process of its own: time and peak memory."""
    program = """
import resource, time
from bench.__main__ import bare, look
from gaudyseed.core.look.evaluate import Evaluator
times = []
for count in (1_000_000, 10_000_000):
    population = bare(count); population.elements.keys; evaluator = Evaluator(); best = 1e9
    for _ in range(4):
        evaluator.cache.clear()
        began = time.perf_counter()
        evaluator.evaluate(population, look())
        best = min(best, time.perf_counter() - began)
    times.append(best)
print(times[0], times[1], resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
"""
    done = subprocess.run([sys.executable, "-c", program], cwd=ROOT, capture_output=True, text=True, check=True)
    one, ten, peak = map(float, done.stdout.split())
    rows.append(
        (
            "chain of four steps, 10,000,000 elements",
            f"{1000 * ten:.0f} ms, {ten / one:.1f} times the time of a tenth",
            f"peak memory {peak:.0f} MB (wanted: below 1,500)",
        )
    )


class Server:
    """The real server on a scene of its own."""

    def __enter__(self) -> Server:
        self.folder = tempfile.TemporaryDirectory()
        command = [sys.executable, "-m", "gaudyseed.cli", "demo", "--no-open", "--port", "8930"]
        command += ["--data", str(Path(self.folder.name) / "bench.sqlite")]
        self.began = time.perf_counter()
        self.process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, cwd=ROOT)
        assert self.process.stdout
        self.address = self.process.stdout.readline().split()[-1]
        urllib.request.urlopen(self.address).read()
        self.ready = time.perf_counter() - self.began
        return self

    def __exit__(self, *_: object) -> None:
        self.process.terminate()
        self.process.wait()
        self.folder.cleanup()

    def post(self, path: str, body: dict[str, Any]) -> bytes:
        """The answer to JSON."""
        headers = {"Content-Type": "application/json"}
        request = urllib.request.Request(f"{self.address}api{path}", json.dumps(body).encode(), headers)
        with urllib.request.urlopen(request) as response:
            data: bytes = response.read()
            return data


def bench_page(server: Server, rows: Rows) -> None:
    """Drag to new pixels in the browser with 50,000 clones: all but the drawing."""
    from playwright.sync_api import sync_playwright
    from tests.browser.driver import ARGUMENTS, chromium

    with sync_playwright() as p:
        browser = p.chromium.launch(executable_path=chromium(), args=ARGUMENTS)
        page = browser.new_page(viewport={"width": 640, "height": 400}, bypass_csp=True)
        page.set_default_timeout(90_000)
        began = time.perf_counter()
        scene = json.loads(server.post("/scenes", {"document": beetle_scene()}))["id"]
        page.goto(f"{server.address}?view=light&scene={scene}")
        page.get_by_label("Values that reach the ramp").wait_for()
        usable = time.perf_counter() - began
        page.keyboard.press("Alt+1")
        _count(page, 50_000)
        page.keyboard.press("Alt+2")
        times = _ramp_edits(page, 60)
        pauses = _scrolled(page)
        page.close()
        mesh = _mesh_edits(browser, server)
        handle = _handle_moves(browser, server)
        bench_view(browser, server, rows, _keyed)
        strands.bench_view(browser, server, rows, _keyed)
        browser.close()
    bench_light(server.address, rows)
    total = server.ready + usable
    rows.append(("cold start after set-up to usable page", f"{total:.1f} s", "(wanted: below 5)"))
    told = ", ".join(f"{p:.0f}" for p in pauses)
    rows.append(
        ("table of 100,000 rows, scrolled", f"worst pause {min(pauses):.0f} ms", f"(wanted: 100); passes: {told} ms")
    )
    rows.append(
        (
            "edit to colours in the view, 50,000 clones, without drawing",
            f"median {median(times[5:]):.1f} ms",
            "(wanted: 50)",
        )
    )
    rows.append(
        (
            "edit to colours in the view, a mesh of 297,000 vertices, without drawing",
            f"median {mesh:.1f} ms",
            "(wanted of 200,000: 60)",
        )
    )
    rows.append(
        (
            "a falloff's handle moved, 50,000 clones, to colours in the view, without drawing",
            f"median {handle:.1f} ms",
            "(wanted: 50)",
        )
    )


def _ramp_edits(page: Any, rounds: int) -> list[float]:
    """Milliseconds from each move of a stop to its colours in the view's buffers."""
    return _keyed(page, page.get_by_role("slider").nth(1), rounds)


def _keyed(page: Any, held: Any, rounds: int, keys: tuple[str, str] = ("ArrowLeft", "ArrowRight")) -> list[float]:
    """Milliseconds from each key on something to its colours in the view's buffers."""
    # The view loads after the page.
    page.locator("[role=application]").wait_for()
    held.focus()
    times = []
    for k in range(rounds):
        before = page.evaluate("document.querySelector('[role=application]').dataset.applied")
        held.press(keys[k % 2])
        page.wait_for_function(
            "b => {const d = document.querySelector('[role=application]').dataset;"
            " return d.applied !== b && d.drawn === d.applied}",
            arg=before,
        )
        # Drawing in software takes both cores for a while after it was asked for: let it end.
        page.wait_for_timeout(300)
        times.append(float(page.evaluate("document.querySelector('[role=application]').dataset.took")))
    return times


def _mesh_edits(browser: Any, server: Server) -> float:
    """The same on a mesh of 296,973 vertices: the carp, its tiles cut twice."""
    scene = beetle_scene()
    maker = {"maker": "mesh", "surface": "carp", "subdivision": 2, "smooth": False}
    steps = [{"step": "random", "per": "part", "seed": 1}, scene["populations"][0]["look"]["lanes"]["base_colour"][
        "layers"][0]["paint"][1]]  # fmt: skip
    scene["populations"] = [{"id": "m", "name": "M", "maker": maker, "look": scene["populations"][0]["look"]}]
    scene["populations"][0]["look"]["lanes"]["base_colour"]["layers"][0]["paint"] = steps
    made = json.loads(server.post("/scenes", {"document": scene}))["id"]
    page = browser.new_page(viewport={"width": 640, "height": 400}, bypass_csp=True)
    page.set_default_timeout(90_000)
    page.goto(f"{server.address}?view=light&scene={made}")
    page.get_by_label("Values that reach the ramp").wait_for()
    return median(_ramp_edits(page, 25)[5:])


def _handle_moves(browser: Any, server: Server) -> float:
    """The median for a handle of a falloff that is moved by key."""
    page = browser.new_page(viewport={"width": 640, "height": 400}, bypass_csp=True)
    page.set_default_timeout(90_000)
    scene = json.loads(server.post("/scenes", {"document": handle_scene()}))["id"]
    page.goto(f"{server.address}?view=light&scene={scene}")
    page.get_by_role("button", name="Falloff").first.click()
    handle = page.get_by_role("button", name="Move the centre")
    handle.wait_for()
    times = _keyed(page, handle, 30)
    page.close()
    return median(times[5:])


def _count(page: Any, elements: int) -> None:
    field = page.get_by_role("textbox", name="Count")
    field.fill(str(elements))
    field.press("Enter")
    page.get_by_text(f"{elements:,} elements", exact=True).wait_for()


def _scrolled(page: Any) -> list[float]:
    """The longest time between two frames while the table of 100,000 elements scrolls, by rows and by far jumps.

    In each of three passes: what the machine gives to others meanwhile shows in some of them.
    """
    page.keyboard.press("Alt+1")
    _count(page, 100_000)
    page.get_by_role("button", name="All elements").click()
    page.get_by_role("row").nth(3).wait_for()
    page.wait_for_timeout(3000)
    pauses: list[float] = []
    for _ in range(3):
        pauses.append(page.evaluate(_SCROLL))
        page.wait_for_timeout(1000)
    return pauses


_SCROLL = """async () => {
            const grid = document.querySelector('[role=grid]');
            grid.scrollTop = 0;
            let last = performance.now(), worst = 0;
            for (let k = 0; k < 240; k++) {
                grid.scrollTop += k < 120 ? 240 : 10000;
                await new Promise(requestAnimationFrame);
                worst = Math.max(worst, performance.now() - last);
                last = performance.now();
            }
            return worst;
        }"""


def main() -> None:
    """Run all and write the table."""
    rows: Rows = []
    bench_chain(rows)
    bench_steps(rows)
    bench_colour(rows, timed, versus, bare(1_000_000))
    bench_growth(rows)
    bench_meshes(rows)
    motion.main(rows)
    bench_places(rows, versus)
    bench_lanes(rows, timed)
    bench_files(rows)
    strands.bench_strands(rows, timed)
    with Server() as server:
        rows.append(("server start to first page", f"{server.ready:.2f} s", "(wanted with the page: below 5)"))
        bench_edits(server.post, rows)
        bench_moving(server.post, rows)
        bench_shapes(server.post, rows)
        bench_page(server, rows)
    lines = [f"| {a} | {b} | {c} |" for a, b, c in rows]
    text = "\n".join(["| what | measured | ratio or bound |", "|---|---|---|", *lines])
    print(text)
    cores = os.cpu_count()
    head = (
        "# Performance\n\nWritten by `./gaudy bench`; each ratio is against a plain script in the same run "
        f"(bench/plain.py). Machine: {cores} cores, shared and noisy: compare ratios, not milliseconds.\n\n"
    )
    PERFORMANCE.write_text(head + text + "\n")
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"(peak of this process: {peak:.0f} MB)")


def page_alone() -> None:
    """What the page does, with a server of its own; its figures take the place of those that were written."""
    rows: Rows = []
    with Server() as server:
        bench_page(server, rows)
    text = PERFORMANCE.read_text().splitlines()
    for row in rows:
        line = f"| {' | '.join(row)} |"
        print(line)
        text = [line if old.startswith(f"| {row[0]} |") else old for old in text]
    PERFORMANCE.write_text("\n".join(text) + "\n")


def only(core: Callable[[Rows], None], served: Callable[[Any, Server, Rows], None]) -> None:
    """What belongs to one subject alone; the table is printed, not written."""
    from playwright.sync_api import sync_playwright
    from tests.browser.driver import ARGUMENTS, chromium

    rows: Rows = []
    core(rows)
    with Server() as server, sync_playwright() as p:
        browser = p.chromium.launch(executable_path=chromium(), args=ARGUMENTS)
        served(browser, server, rows)
        browser.close()
    print("\n".join(f"| {a} | {b} | {c} |" for a, b, c in rows))


def _send_served(browser: Any, server: Server, rows: Rows) -> None:
    bench_shapes(server.post, rows)
    bench_view(browser, server, rows, _keyed)


def _send_core(rows: Rows) -> None:
    bench_lanes(rows, timed)
    bench_files(rows)


def _motion() -> None:
    """The motion alone, and the greatest memory."""
    rows: Rows = []
    motion.main(rows)
    print("\n".join(f"| {a} | {b} | {c} |" for a, b, c in rows))
    print(f"(peak of this process: {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB)")


def _fuzz(part: float) -> int:
    from bench import fuzz

    return fuzz.main(part=part)


def chosen(arguments: list[str]) -> int | None:
    """Run what the arguments name: one subject, or without any of them the whole, which writes docs/performance.md."""
    parser = argparse.ArgumentParser("./gaudy bench", description=chosen.__doc__)
    only_one = parser.add_mutually_exclusive_group()
    for name, words in (("strands", "strands alone"), ("send", "channels, shapes and files alone"),
                        ("page", "the page alone"), ("motion", "particles and trails alone")):  # fmt: skip
        only_one.add_argument(f"--{name}", action="store_true", help=f"{words}; printed, not written")
    only_one.add_argument("--fuzz", type=float, nargs="?", const=1.0, metavar="PART", help="the whole fuzz, or a part")
    asked = parser.parse_args(arguments)
    if asked.strands:
        return only(partial(strands.bench_strands, timed=timed), partial(strands.bench_view, keyed=_keyed))
    if asked.send:
        return only(_send_core, _send_served)
    if asked.page:
        return page_alone()
    if asked.motion:
        return _motion()
    return main() if asked.fuzz is None else _fuzz(asked.fuzz)


if __name__ == "__main__":
    sys.exit(chosen(sys.argv[1:]))
