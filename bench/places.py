"""Noise, falloffs, pictures, nearness, brushes and playing, against plain NumPy and SciPy in the same run."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from statistics import median
from typing import Any

import numpy as np
from scipy.ndimage import map_coordinates
from scipy.spatial import cKDTree
from tests.support import look_document, messages, ramp

from gaudyseed.core import noising
from gaudyseed.core.geometry.nearest import NearestPoint, along_curve
from gaudyseed.core.kernels import brushing, falloffs, noise
from gaudyseed.core.kernels.parallel import over
from gaudyseed.core.painting.brush import Filed
from gaudyseed.core.pictures.picture import Picture

Post = Callable[[str, dict[str, Any]], bytes]
Row = tuple[str, str, str]
Versus = Callable[..., tuple[float, float]]
COUNT = 1_000_000
_EDGES = np.array([[1, 1, 0], [-1, 1, 0], [1, -1, 0], [-1, -1, 0], [1, 0, 1], [-1, 0, 1], [1, 0, -1], [-1, 0, -1],
                   [0, 1, 1], [0, -1, 1], [0, 1, -1], [0, -1, -1], [1, 1, 0], [-1, 1, 0], [0, -1, 1], [0, -1, -1]],
                  np.float32)  # fmt: skip


def _places(size: float) -> np.ndarray:
    return (np.random.default_rng(1).random((COUNT, 3)) * size).astype(np.float32)


def _settings(**more: Any) -> noising.Settings:
    return noising.Settings(
        cells=more.get("cells", False), seed=3, octaves=more.get("octaves", 4), gain=0.5, lacunarity=2.0, fold="plain",
        measure="nearest", irregularity=1.0, softness=0.0, moves=False, at=0.0, period=0, low=0.0, high=1.0,
        contrast=1.0,
    )  # fmt: skip


def _columns(places: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    x, y, z = np.ascontiguousarray(places.T)
    return x, y, z


def _plain_octave(places: np.ndarray, table: np.ndarray) -> np.ndarray:
    """One octave of the published noise over whole arrays."""
    base = np.floor(places).astype(np.int32)
    part = places - base
    fade = part**3 * (part * (part * 6 - 15) + 10)
    total = np.zeros(len(places), np.float32)
    for corner in np.ndindex(2, 2, 2):
        x, y, z = ((base[:, a] + corner[a]) & 255 for a in range(3))
        way = _EDGES[table[(table[(table[x] + y) & 255] + z) & 255] & 15]
        weight = np.prod([fade[:, a] if corner[a] else 1 - fade[:, a] for a in range(3)], axis=0)
        total += weight * ((part - np.array(corner, np.float32)) * way).sum(axis=1)
    return total


def bench_places(rows: list[Row], versus: Versus) -> None:
    """The kernels at a million elements."""
    _noise(rows, versus)
    _falloffs(rows, versus)
    _pictures(rows, versus)
    _nearness(rows)
    _brush(rows)


def _noise(rows: list[Row], versus: Versus) -> None:
    places, out = _places(20), np.empty(COUNT, np.float32)
    table = np.random.default_rng(2).permutation(256).astype(np.int32)

    def filled(settings: noising.Settings) -> None:
        over(COUNT, lambda a, b: settings.fill(_columns(places[a:b]), 0, out[a:b]))

    def plain() -> np.ndarray:
        octaves = [_plain_octave(places * np.float32(2**o), table) / np.float32(2**o) for o in range(4)]
        return np.sum(octaves, axis=0)

    patches, cells = _settings(), _settings(cells=True, octaves=1)
    mine, theirs = versus(lambda: filled(patches), plain, 3)
    rows.append(("gradient noise, 4 octaves", f"{mine:.1f} ms", f"{theirs / mine:.0f} times NumPy (wanted: 40)"))
    first, second, ids = np.empty(COUNT, np.float32), np.empty(COUNT, np.float32), np.empty(COUNT, np.uint32)
    zero, one = np.float32(0), np.float32(1)

    def all_three() -> None:
        words = cells.words(0, 0)
        still = (one, zero, one, zero)

        def fill(a: int, b: int) -> None:
            to = first[a:b], second[a:b], ids[a:b]
            noise.cells(*_columns(places[a:b]), one, zero, zero, zero, *words, *still, *to)

        over(COUNT, fill)

    both, again = versus(all_three, lambda: filled(patches))
    rows.append(("exact cell noise, F1, F2 and id together", f"{both:.1f} ms",
                 f"{both / again:.2f} times gradient noise of 4 octaves (wanted: at most 2)"))  # fmt: skip


def _falloffs(rows: list[Row], versus: Versus) -> None:
    places, out = _places(20), np.empty(COUNT, np.float32)
    x, y, z = _columns(places)  # kept apart, as the steps keep them
    m = np.ascontiguousarray(np.eye(4)[:3] * 0.1, np.float32)
    spiral, one, two = np.float32(0.1), np.float32(1), np.float32(2)

    def smooth(d: np.ndarray) -> np.ndarray:
        t = np.clip((one - d) * two, 0, 1)
        return t * t * (3 - 2 * t)

    def moved() -> np.ndarray:
        return places @ m[:, :3].T + m[:, 3]

    def turns() -> np.ndarray:
        u = moved()
        t = np.arctan2(u[:, 1], u[:, 0]) / np.float32(2 * np.pi) + spiral * np.hypot(u[:, 0], u[:, 1])
        return smooth(1 - (t - np.floor(t)))

    centre = np.zeros(6, np.float32)
    plain: dict[str, Callable[[], np.ndarray]] = {
        "line": lambda: smooth(1 - (places @ m[0, :3] + m[0, 3])),
        "ball": lambda: smooth(np.sqrt((moved() ** 2).sum(axis=1))),
        "box": lambda: smooth(np.abs(moved()).max(axis=1)),
        "angle": turns,
        "plane": lambda: smooth(np.abs(places @ m[2, :3] + m[2, 3])),
    }
    for shape, (word, way) in enumerate(plain.items()):

        def ours(shape: int = shape) -> None:
            over(COUNT, lambda a, b: falloffs.falloff(x[a:b], y[a:b], z[a:b], m, centre, shape, spiral, one, two, 1,
                                                      False, out[a:b]))  # fmt: skip

        mine, theirs = versus(ours, way)
        rows.append((f"falloff, {word}", f"{mine:.2f} ms", f"{theirs / mine:.1f} times NumPy (wanted: 4)"))


def _pictures(rows: list[Row], versus: Versus) -> None:
    texels = np.random.default_rng(3).random((1024, 1024, 4)).astype(np.float32)
    us, vs = (np.arange(COUNT) % 1000 / 1000).astype(np.float32), (np.arange(COUNT) // 1000 / 1000).astype(np.float32)
    at, out = Picture("", texels).filling(0, "hold"), np.empty((COUNT, 4), np.float32)

    def ours() -> None:
        def fill(a: int, b: int) -> None:
            out[a:b] = at(us[a:b], vs[a:b])

        over(COUNT, fill)

    def plain() -> None:
        # Four channels, as ours: one call each.
        where = np.stack([(1 - vs) * 1024 - 0.5, us * 1024 - 0.5])
        for c in range(4):
            map_coordinates(texels[..., c], where, order=1, mode="nearest")

    mine, theirs = versus(ours, plain, 3)
    rows.append(("picture look-up, coherent, four channels", f"{mine:.1f} ms",
                 f"{theirs / mine:.0f} times scipy.ndimage (wanted: 15)"))  # fmt: skip


def _nearness(rows: list[Row]) -> None:
    asked, held = _places(1), _places(1)[:100_000].copy() + np.float32(0.0001)
    mine, theirs = [], []
    for _ in range(3):
        began = time.perf_counter()
        NearestPoint(held).to(asked, order=along_curve(asked))
        middle = time.perf_counter()
        cKDTree(held).query(asked, workers=2)
        mine.append(middle - began)
        theirs.append(time.perf_counter() - middle)
    rows.append(("nearness of 1,000,000 to 100,000 elements", f"{median(mine):.2f} s",
                 f"{median(theirs) / median(mine):.1f} times cKDTree with two workers (wanted: 1.5)"))  # fmt: skip


def _brush(rows: list[Row]) -> None:
    places, values = _places(1)[:200_000].copy(), np.zeros((200_000, 1), np.float32)
    times = []
    filed = Filed.of(places, 0.1)
    for k in range(30):
        dab = np.array([[0.5, 0.5, k / 30]], np.float32)
        began = time.perf_counter()
        brushing.dab(
            dab, np.float32(0.1), np.float32(0.5), np.float32(0.5), 0, np.ones(1, np.float32), values,
            *filed.cells,
        )  # fmt: skip
        times.append(1000 * (time.perf_counter() - began))
    rows.append(("a brush's dab on 200,000 vertices, the kernel", f"{median(times):.2f} ms", ""))


def _scene(maker: dict[str, Any], *steps: dict[str, Any]) -> dict[str, Any]:
    first = {"id": "a", "name": "A", "maker": maker, "look": look_document(*steps)}
    return {"gaudyseed": 3, "name": "Bench", "populations": [first]}


class _Asking:
    """Asks for one population again and again, as the page does."""

    def __init__(self, post: Post, scene: dict[str, Any]) -> None:
        self.post, self.scene = post, scene
        self.have: dict[str, str] = {}
        self.times: list[float] = []

    def once(self, frame: int | None = None) -> None:
        began = time.perf_counter()
        wanted = [{"population": "a", "have": self.have}]
        data = self.post("/evaluations", {"scene": self.scene, "wanted": wanted, "frame": frame})
        self.times.append(1000 * (time.perf_counter() - began))
        seen, told = (header["populations"]["a"] for header, _ in messages(data))
        self.have = {**seen["lanes"], "groups": told["groups"]["digest"]}


def handle_scene() -> dict[str, Any]:
    """50,000 clones coloured by a falloff, broken up by a noise in overlay, through a ramp."""
    greys = ramp([0, 0.5, 1], ["#101030", "#c03020", "#ffffff"], interpolation="straight")
    falloff = {"step": "falloff", "centre": [0, 0, 1], "size": [1, 1, 1]}
    overlay = {"step": "mix", "blend": "overlay", "factor": 0.7, "chain": [{"step": "noise", "size": 0.2}]}
    return _scene({"maker": "scatter", "surface": "beetle", "count": 50_000, "evenness": 0.3}, falloff, overlay, greys)


def bench_moving(post: Post, rows: list[Row]) -> None:
    """Dragging a falloff's handle, dabs through the server, and playing."""
    greys = ramp([0, 0.5, 1], ["#101030", "#c03020", "#ffffff"], interpolation="straight")
    dragged = _Asking(post, handle_scene())
    clones = dragged.scene["populations"][0]["maker"]
    paint = dragged.scene["populations"][0]["look"]["lanes"]["base_colour"]["layers"][0]["paint"]
    for k in range(125):
        paint[0]["centre"] = [0.01 * k, 0, 1]
        dragged.once()
    times = dragged.times[5:]
    rows.append(("a falloff's handle dragged, 50,000 clones, request to answer",
                 f"median {median(times):.1f} ms, 95th percentile {np.percentile(times, 95):.1f} ms",
                 "(wanted at the 95th: 25)"))  # fmt: skip
    moving = {"step": "noise", "size": 0.4, "motion": "speed", "speed": 1}
    played = _Asking(post, _scene({**clones, "count": 12_000}, moving, greys))
    for frame in range(100):
        played.once(frame)
    rate = 1000 * len(played.times[5:]) / sum(played.times[5:])
    rows.append(
        ("playing 12,000 clones with a moving noise and a ramp", f"{rate:.0f} answers a second", "(wanted: 24)")
    )
    scene = _scene({"maker": "mesh", "surface": "beetle", "subdivision": 2}, greys)
    scene["populations"][0]["painted"] = [{"name": "weight"}]
    scene["populations"][0]["look"]["lanes"]["base_colour"]["layers"][0]["paint"].insert(
        0, {"step": "attribute", "name": "weight"}
    )
    vertices = json.loads(post("/costs", {"scene": scene, "population": "a"}))["view"]
    dabs = []
    for k in range(25):
        body = {"scene": scene, "population": "a", "column": "weight", "dabs": [[0, 0.02 * k, 1]], "last": False}
        began = time.perf_counter()
        painted = json.loads(post("/strokes", body))["painted"]
        dabs.append(1000 * (time.perf_counter() - began))
        scene["populations"][0]["painted"] = [painted]
    rows.append((f"a brush's dab on {vertices:,} vertices, request to answer", f"median {median(dabs[3:]):.1f} ms",
                 "(wanted of 200,000: 20)"))  # fmt: skip
