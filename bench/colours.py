"""Colour steps at 1,000,000 elements against the plain way."""

from __future__ import annotations

import io
from collections.abc import Callable
from functools import partial
from statistics import median
from typing import Any

import numpy as np
from PIL import Image
from scipy.interpolate import BSpline

from gaudyseed.core.colour.spaces import decode_srgb, display_bytes, encode_srgb, linear_to_oklab, parse_hex
from gaudyseed.core.kinds import COLOUR, NUMBER
from gaudyseed.core.look.evaluate import Evaluator, run_step
from gaudyseed.core.look.model import Look
from gaudyseed.core.look.steps import STEPS, Value
from gaudyseed.core.palette import from_picture, read_picture
from gaudyseed.core.population import Population

COUNT = 1_000_000
PLACES = [0.0, 0.2, 0.41, 0.63, 0.8, 1.0]
COLOURS = ["#131f4d", "#0b6a72", "#22a98a", "#f3b13c", "#ef5236", "#f7e7ce"]
_STOPS = [{"at": a, "colour": c} for a, c in zip(PLACES, COLOURS, strict=True)]

Timer = Callable[[Callable[[], object], int], list[float]]
Versus = Callable[[Callable[[], object], Callable[[], object], int], tuple[float, float]]


def _interpolated(values: np.ndarray, heights: np.ndarray) -> np.ndarray:
    return np.stack([np.interp(values, PLACES, heights[:, k]) for k in range(3)], axis=1)


def _spline(heights: np.ndarray) -> BSpline:
    """Uniform cubic over 0 to 5, with one more point beyond each end so that the ends are met."""
    points = np.concatenate([[2 * heights[0] - heights[1]], heights, [2 * heights[-1] - heights[-2]]])
    return BSpline(np.arange(-3, 9), points, 3)


def _plain_linear(lab: np.ndarray) -> np.ndarray:
    """OKLab to linear RGB (Ottosson 2020)."""
    long = lab[:, 0] + 0.3963377774 * lab[:, 1] + 0.2158037573 * lab[:, 2]
    medium = lab[:, 0] - 0.1055613458 * lab[:, 1] - 0.0638541728 * lab[:, 2]
    short = lab[:, 0] - 0.0894841775 * lab[:, 1] - 1.2914855480 * lab[:, 2]
    long, medium, short = long**3, medium**3, short**3
    return np.stack(
        [
            4.0767416621 * long - 3.3077115913 * medium + 0.2309699292 * short,
            -1.2684380046 * long + 2.6097574011 * medium - 0.3413193965 * short,
            -0.0041960863 * long - 0.7034186147 * medium + 1.7076147010 * short,
        ],
        axis=1,
    )


def bench_colour(rows: list[tuple[str, str, str]], timed: Timer, versus: Versus, population: Population) -> None:
    """Ramps, drift, encoding, a whole look, a palette."""
    from matplotlib.colors import LinearSegmentedColormap
    from skimage.color import hsv2rgb, rgb2hsv

    values = np.random.default_rng(1).random(COUNT).astype(np.float32)
    linear = np.array([parse_hex(c) for c in COLOURS])
    labs = linear_to_oklab(linear)
    table = LinearSegmentedColormap.from_list("stops", list(zip(PLACES, linear, strict=True)), N=256)
    even = np.linspace(0, 1, 6)
    soft, soft_lab = _spline(linear), _spline(labs)
    colours = linear[np.random.default_rng(2).integers(0, 6, COUNT)].astype(np.float32)
    offsets = np.random.default_rng(3).random((COUNT, 3)) * 0.1

    def drifted() -> np.ndarray:
        hsv = rgb2hsv(encode_srgb(colours))
        hsv += offsets
        hsv[:, 0] %= 1
        return decode_srgb(hsv2rgb(np.clip(hsv, 0, 1)))

    def stops(places: Any) -> list[dict[str, Any]]:
        return [{"at": float(a), "colour": c} for a, c in zip(places, COLOURS, strict=True)]

    number, colour = Value(NUMBER, values), Value(COLOUR, colours)
    base = {"step": "ramp", "stops": _STOPS}
    cases: list[tuple[str, dict[str, Any], Value, Callable[[], object], str]] = [
        ("linear ramp, linear RGB", {**base, "mix_in": "linear_rgb"}, number,
         lambda: _interpolated(values, linear), "wanted: 15, numpy.interp"),
        ("linear ramp, OKLab", base, number, lambda: _plain_linear(_interpolated(values, labs)),
         "wanted: 15, numpy.interp"),
        ("linear ramp, linear RGB, against a look-up", {**base, "mix_in": "linear_rgb"}, number,
         lambda: table(values), "wanted: 1, matplotlib's table of 256 entries"),
        ("linear ramp, OKLab, against a look-up", base, number, lambda: table(values),
         "wanted: 1, matplotlib's table of 256 entries"),
        ("B-spline ramp, linear RGB",
         {**base, "interpolation": "soft", "stops": stops(even), "mix_in": "linear_rgb"}, number,
         lambda: soft(values * 5), "wanted: 10, scipy.interpolate.BSpline"),
        ("B-spline ramp, OKLab", {**base, "interpolation": "soft", "stops": stops(even)}, number,
         lambda: _plain_linear(soft_lab(values * 5)), "wanted: 10, scipy.interpolate.BSpline"),
        ("drift in HSV", {"step": "drift", "seed": 1, "hue": [-9, 9], "saturation": [-0.05, 0.05],
                           "lightness": [-0.05, 0.05]}, colour, drifted,
         "wanted: 25, skimage.color.rgb2hsv and back"),
        ("drift in OKLCH", {"step": "drift", "seed": 1, "space": "oklch", "hue": [-9, 9]}, colour, drifted, "the same"),
        ("grade, all settings", {"step": "grade", "hue_turn": 20, "saturation": 1.2, "contrast": 1.1, "gamma": 1.1,
                                 "slope": [1.1, 1, 0.9], "power": [1, 1.1, 1]}, colour, drifted, "the same"),
    ]  # fmt: skip
    for name, document, incoming, plain, wanted in cases:
        step = STEPS[document["step"]].model_validate(document)

        run = partial(run_step, step, population, incoming)
        run()
        mine, theirs = versus(run, plain, 3)
        rows.append(
            (f"{name}, 1,000,000 elements", f"{mine:.1f} ms against {theirs:.0f} ms", f"{theirs / mine:.1f} ({wanted})")
        )

    _encoding(rows, versus)
    _whole_look(rows, timed, population)
    _picture(rows, timed)


def _encoding(rows: list[tuple[str, str, str]], versus: Versus) -> None:
    """Bytes for the display, against the plain formula in NumPy's default type and in float32."""
    exact = np.random.default_rng(4).random((COUNT, 3))
    single = exact.astype(np.float32)

    def plain(linear: np.ndarray) -> np.ndarray:
        encoded = np.where(linear <= 0.0031308, linear * 12.92, 1.055 * linear ** (1 / 2.4) - 0.055)
        return np.clip(np.floor(encoded * 255 + 0.5), 0, 255).astype(np.uint8)

    display_bytes(single)
    ours = partial(display_bytes, single)
    (mine, double), (again, same) = (versus(ours, partial(plain, c), 5) for c in (exact, single))
    off = int(np.abs(display_bytes(single).astype(int) - plain(exact).astype(int)).max())
    ratios = f"{double / mine:.1f} (wanted: 10, NumPy); {same / again:.1f} of NumPy in float32; at most {off} level off"
    rows.append(("display encoding, 1,000,000 elements", f"{mine:.1f} ms against {double:.0f} ms", ratios))


def _layered(last: float) -> Look:
    """Three layers with masks, six steps in each paint."""
    layers = []
    for k in range(3):
        at = [*PLACES[:-2], last if k == 2 else 0.8, 1.0]
        paint = [
            {"step": "random", "seed": k}, {"step": "range", "to_high": 0.9}, {"step": "levels", "contrast": 1.2},
            {"step": "ramp", "stops": [{"at": a, "colour": c} for a, c in zip(at, COLOURS, strict=True)]},
            {"step": "drift", "seed": k, "hue": [-9, 9], "lightness": [-0.05, 0.05]},
            {"step": "grade", "saturation": 1.1},
        ]  # fmt: skip
        mask = [{"step": "random", "seed": 90 + k}, {"step": "range"}]
        layers.append(
            {"name": f"Layer {k}", "blend": ("normal", "overlay", "soft_light")[k], "paint": paint, "mask": mask}
        )
    return Look.model_validate({"lanes": {"base_colour": {"layers": layers}}})


def _whole_look(rows: list[tuple[str, str, str]], timed: Timer, population: Population) -> None:
    evaluator, chain = Evaluator(), _layered(0.8)

    def cold() -> None:
        evaluator.cache.clear()
        evaluator.evaluate(population, chain)

    cold()
    took = median(timed(cold, 7))
    rows.append(
        ("look of three layers with masks, six steps each, 1,000,000 elements, cold", f"{took:.0f} ms", "(wanted: 250)")
    )
    edits = iter([_layered(0.7 + 0.001 * k) for k in range(60)])
    evaluator.evaluate(population, next(edits))
    took = median(timed(lambda: evaluator.evaluate(population, next(edits)), 15))
    rows.append(("the same, an edit of the last ramp", f"{took:.0f} ms", "(wanted: 60)"))


def _picture(rows: list[tuple[str, str, str]], timed: Timer) -> None:
    from skimage import data

    file = io.BytesIO()
    Image.fromarray(data.coffee()).resize((4000, 3000), Image.Resampling.BICUBIC).save(file, "JPEG", quality=92)
    for count in (8, 64):
        took = median(timed(lambda count=count: from_picture(read_picture(file.getvalue()), count), 3))  # type: ignore[misc]
        rows.append((f"palette of {count} colours from a 12-megapixel picture", f"{took / 1000:.2f} s", "(wanted: 2)"))
