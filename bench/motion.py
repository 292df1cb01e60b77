"""Particles and trails: a step of the motion, all frames of a burst, frames from the cache, edits, playing."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path
from statistics import median
from typing import Any

import numpy as np

from gaudyseed.core.documents.document import parse
from gaudyseed.core.kernels import flying
from gaudyseed.core.kernels.parallel import over
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.motion import states
from gaudyseed.core.motion.sources import Forces, Source
from gaudyseed.core.motion.states import Acting
from gaudyseed.core.population.makers import MakeRequest
from gaudyseed.core.scene.model import Scene
from gaudyseed.core.scene.provider import Provider
from gaudyseed.core.scene.run import SceneRun
from gaudyseed.core.scene.timecache import TimeCache

Rows = list[tuple[str, str, str]]
FORCES = {"gravity": 2.0, "drag": 0.5, "turbulence": 2.0, "turbulence_size": 0.6}


def seconds(work: Callable[[], object]) -> float:
    """How long it takes once."""
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def plain_step(x: np.ndarray, v: np.ndarray, h: float, scale: float, offset: np.ndarray, words: np.ndarray) -> None:
    """The same step of (3, n) places and velocities in plain NumPy: gravity, drag, one octave of turbulence."""
    middle = x + v * np.float32(h / 2)
    at = middle * np.float32(scale) + offset[:, None].astype(np.float32)
    base = np.floor(at)
    part, whole = at - base, base.astype(np.int64).astype(np.uint32) + words[:, None].astype(np.uint32)
    fade = part**3 * (part * (part * 6 - 15) + 10)
    slope = 30 * part * part * (part - 1) ** 2
    a = np.zeros_like(x)
    for corner in range(8):
        near = np.array([(corner >> k) & 1 for k in range(3)])
        w = np.where(near[:, None] > 0, fade, 1 - fade)
        dw = np.where(near[:, None] > 0, slope, -slope)
        d = part - near[:, None].astype(np.float32)
        hashed = whole + near[:, None].astype(np.uint32)
        key = _mixed(_mixed(hashed[0]) + hashed[1]) + hashed[2]
        g = [_slopes(_word(key ^ np.uint32(salt))) for salt in (0, 0x68E31DA4, 0xB5297A4D)]
        p, q, r = (sum(g[k][j] * d[j] for j in range(3)) for k in range(3))
        all_, x_, y_, z_ = w[0] * w[1] * w[2], dw[0] * w[1] * w[2], w[0] * dw[1] * w[2], w[0] * w[1] * dw[2]
        a[0] += y_ * r + all_ * g[2][1] - z_ * q - all_ * g[1][2]
        a[1] += z_ * p + all_ * g[0][2] - x_ * r - all_ * g[2][0]
        a[2] += x_ * q + all_ * g[1][0] - y_ * p - all_ * g[0][1]
    a[2] -= np.float32(FORCES["gravity"])
    k = FORCES["drag"]
    faded = np.float32(np.exp(-k * h))
    v[:] = v * faded + a * np.float32((1 - faded) / k)
    x[:] = middle + v * np.float32(h / 2)


def _mixed(x: np.ndarray) -> np.ndarray:
    x = x * np.uint32(0x7FEB352D)
    return x ^ (x >> np.uint32(16))


def _word(x: np.ndarray) -> np.ndarray:
    x = x * np.uint32(0x7FEB352D)
    x = x ^ (x >> np.uint32(15))
    x = x * np.uint32(0x846CA68B)
    return x ^ (x >> np.uint32(16))


def _slopes(w: np.ndarray) -> list[np.ndarray]:
    shifted = (w >> np.uint32(21), (w >> np.uint32(10)) & np.uint32(2047), w & np.uint32(1023))
    return [s.astype(np.float32) / np.float32(n) - 1 for s, n in zip(shifted, (1024, 1024, 512), strict=True)]


def _plain_seconds(x: np.ndarray, v: np.ndarray, octave: np.ndarray, words: np.ndarray) -> float:
    return seconds(lambda: plain_step(x, v, 1 / 48, float(octave[0]), octave[1:4], words))


def bench_step(rows: Rows, count: int = 1_000_000) -> None:
    """A step of many particles, against plain NumPy in the same run."""
    rng = np.random.default_rng(1)
    x, v = (rng.normal(size=(3, count)).astype(np.float32) for _ in range(2))
    acting = Acting([Source()], parse(Forces, FORCES), np.zeros(3), np.zeros(3), 1)
    table, common = acting.table(), acting.common()
    octaves, words = acting.octaves(0.0)
    which, steps = np.zeros(count, np.uint8), np.full(count, 1 / 48, np.float32)

    def ours() -> None:
        over(count, lambda a, b: flying.advance(x, v, which, steps, table, common, octaves, words, a, b))

    mine, theirs = [], []
    ours()
    # In a process of its own: what plain NumPy wants of memory is not ours.
    with ProcessPoolExecutor(1, get_context("spawn")) as apart:
        for _ in range(3):
            mine += [seconds(ours) for _ in range(3)]
            theirs.append(apart.submit(_plain_seconds, x, v, octaves[0], words[0]).result())
    ratio = median(theirs) / median(mine)
    rows.append((f"a step of {count:,} particles: gravity, drag, an octave of turbulence",
                 f"{1000 * median(mine):.0f} ms against {1000 * median(theirs):.0f} ms",
                 f"{ratio:.0f} times as fast (wanted: 150 ms, 20 times NumPy)"))  # fmt: skip


def _scene(count: int) -> Scene:
    """A burst that fades by age, and its trails."""
    lived = [{"step": "attribute", "name": "lived"}, {"step": "ramp", "stops": [
        {"at": 0, "colour": "#ffffff"}, {"at": 1, "colour": "#203060"}]}]  # fmt: skip
    burst = {"name": "a", "count": count, "over": 4, "cone": 90, "life": 20, "life_variation": 0}
    then = [{"step": "particle", "name": "base_colour"}, {"step": "component", "part": "luma"},
            {"step": "range", "own": True}, lived[1]]  # fmt: skip
    return parse(Scene, {"gaudyseed": 3, "populations": [
        {"id": "p", "name": "P", "maker": {"maker": "emission", "sources": [burst], "forces": FORCES},
         "look": {"lanes": {"base_colour": {"layers": [{"paint": lived}]}}}},
        {"id": "t", "name": "T", "maker": {"maker": "trails", "on": "p", "back": 60},
         "look": {"lanes": {"base_colour": {"layers": [{"paint": then}]}}}}]})  # fmt: skip


def _edited(scene: Scene, population: int, step: int, colour: str) -> Scene:
    """The scene with another last colour in a ramp."""
    document: dict[str, Any] = scene.model_dump(mode="json")
    chain = document["populations"][population]["look"]["lanes"]["base_colour"]["layers"][0]["paint"]
    chain[step]["stops"][-1]["colour"] = colour
    return parse(Scene, document)


def bench_frames(rows: Rows) -> None:
    """All frames of a burst, frames of many out of the cache, edits, playing and trails."""
    evaluator = Evaluator()

    def run(scene: Scene, frame: int, made: Callable[[MakeRequest], Any], store: TimeCache | None) -> SceneRun:
        return SceneRun(scene, evaluator, made, moment=scene.timeline.moment(frame), final=True, states=store)

    with tempfile.TemporaryDirectory() as folder:
        store = TimeCache(Path(folder))
        scene = _scene(40_000)
        took = seconds(lambda: run(scene, 120, Provider(None), store).population("p"))  # type: ignore[arg-type]
        rows.append(("40,000 particles, 120 frames, two steps a frame, turbulence, kept on the disk", f"{took:.2f} s",
                     "(wanted: 2.5 s)"))  # fmt: skip
        made = Provider(None)  # type: ignore[arg-type]
        run(scene, 120, made, store).evaluation("p")
        edits = [seconds(lambda k=k: run(_edited(scene, 0, 1, f"#2030{k:02x}"), 120, made, store).evaluation("p"))  # type: ignore[misc]
                 for k in range(20, 40)]  # fmt: skip
        rows.append(("an edit of the ramp of 40,000 particles, in process", f"{1000 * median(edits):.1f} ms",
                     "(wanted to the view: 30)"))  # fmt: skip
        # As after a start: nothing of before is held.
        made = Provider(None)  # type: ignore[arg-type]
        states._lately.clear()
        began = time.perf_counter()
        for frame in range(40, 110):
            run(scene, frame, made, store).evaluation("p")
        rate = 70 / (time.perf_counter() - began)
        rows.append(("playing 40,000 particles from the disk with a ramp over their age, in process",
                     f"{rate:.0f} frames a second", "(wanted: 30)"))  # fmt: skip
        made = Provider(None)  # type: ignore[arg-type]
        took = seconds(lambda: run(scene, 110, made, store).population("t"))
        rows.append(("trails of 40,000 particles, 60 frames, from the cache", f"{took:.2f} s", "(wanted: 1.5 s)"))
        first = seconds(lambda: run(scene, 110, made, store).evaluation("t"))
        again = [seconds(lambda k=k: run(_edited(scene, 1, 3, f"#2030{k:02x}"), 110, made, store).evaluation("t"))  # type: ignore[misc]
                 for k in range(40, 46)]  # fmt: skip
        rows.append(("their colours then, a chain of four steps", f"{first:.2f} s", "(wanted: 3 s)"))
        rows.append(("the same after an edit of the last ramp", f"{1000 * median(again):.0f} ms", "(wanted: 60)"))
    with tempfile.TemporaryDirectory() as folder:
        store = TimeCache(Path(folder))
        many = _scene(1_000_000)
        for frame in (6, 8):
            run(many, frame, Provider(None), store).population("p")  # type: ignore[arg-type]
        reads = []
        for _ in range(3):
            states._lately.clear()
            reads.append(seconds(lambda: run(many, 8, Provider(None), store).population("p")))  # type: ignore[arg-type]
        rows.append(("a frame of 1,000,000 particles from the cache", f"{1000 * median(reads):.0f} ms",
                     "(wanted: 40)"))  # fmt: skip


def main(rows: Rows) -> None:
    """All of it."""
    bench_step(rows)
    bench_frames(rows)
