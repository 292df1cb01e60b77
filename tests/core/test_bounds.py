"""Nothing that a step gives, and nothing that a file holds, is negative light, infinite or no number."""

from __future__ import annotations

import unittest
import warnings

import numpy as np
from plyfile import PlyData

from gaudyseed.core.colour.spaces import decode_srgb, encode_srgb
from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.formats import FORMATS
from gaudyseed.core.kernels.blending import MODES, NON_SEPARABLE
from gaudyseed.core.kernels.encoding import LARGEST
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Look
from gaudyseed.core.population import Attribute, Polygons
from gaudyseed.core.population.meshes import of_polygons
from gaudyseed.core.reports.report import Reporter
from tests.support import look, look_document, points, ramp

FAR = {"step": "formula", "text": "v * 1e30"}
FAR_VECTOR = {"step": "formula", "text": "position * 1e30"}
DUSK = ramp([0, 0.5, 1], ["#102040", "#d8452f", "#f3dfb8"], interpolation="straight")
BRIGHT = {"step": "ramp", "stops": [{"at": 0, "colour": {"signal": "glow"}, "intensity": 1000}]}


def values() -> np.ndarray:
    return np.array([-3e38, -1e30, -1, -1e-40, 0, 1e-44, 1e-20, 0.5, 1, 1e9, 1e30, 3e38, np.nan, np.inf, -np.inf])


class Finite(unittest.TestCase):
    def run_look(self, document: dict) -> np.ndarray:
        """The colours, once every step's result has been looked at."""
        n = len(values())
        population = points(n, v=values(), w=values()[::-1].copy(), light=np.outer(values(), [1, -0.5, 1e-7]))
        evaluator = Evaluator()
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            evaluation = evaluator.evaluate(population, parse(Look, document))
        for result in evaluation.steps:
            array = result.value.array
            self.assertTrue(np.isfinite(array).all(), f"{result.place} {document}")
            if result.value.kind == "colour":
                self.assertGreaterEqual(array.min(), 0, f"{result.place} {document}")
        self.assertTrue(np.isfinite(evaluation.colours).all() and evaluation.colours.min() >= 0, str(document))
        Reporter(evaluator).steps(evaluation)
        Reporter(evaluator).trace(evaluation, 3)
        return evaluation.colours

    def test_numbers_that_would_overflow(self):
        length = {"step": "component", "part": "length"}
        other = {"step": "attribute", "name": "w"}
        swatches = [{"colour": c} for c in ("#102030", "#f0e0d0", "#808080")]
        chains = [
            [FAR_VECTOR, length, {"step": "range", "own": True}],
            [FAR, {"step": "range", "own": True, "to_low": -1e9, "to_high": 1e9, "clamp": False}],
            [FAR, {"step": "range", "from_low": -1, "from_high": 1, "clamp": False, "to_high": 1e9}],
            [FAR, {"step": "levels", "contrast": 1000, "gamma": 0.01, "black_point": -1e9, "white_point": -1e9}],
            [FAR, {"step": "quantise", "beyond": "repeat", "levels": 4096}],
            [FAR, {"step": "curve", "interpolation": "bezier"}],
            [FAR, {"step": "spread", "seed": 1}],
            [FAR, {"step": "even_out"}],
            [FAR, {"step": "choose", "of": "index", "beyond": "repeat", "chains": [[FAR], [other]]}],
            [{"step": "attribute", "name": "position", "component": "length"}],
        ]
        chains += [[FAR, {"step": "mix", "blend": b, "factor": f, "chain": [other]}] for b in MODES for f in (0, 0.5, 1)
                   if b not in NON_SEPARABLE]  # fmt: skip
        for chain in chains:
            self.run_look(look_document(*chain, DUSK))
        for chain in (
            [FAR_VECTOR, {"step": "palette", "swatches": swatches, "columns": 2}],
            [FAR_VECTOR, {"step": "mix", "blend": "multiply", "factor": 1, "chain": [FAR_VECTOR]},
             {"step": "palette", "swatches": swatches, "columns": 2}],
            [{"step": "random", "numbers": 2, "seed": 1}, {"step": "palette", "swatches": swatches, "columns": 64}],
        ):  # fmt: skip
            self.run_look(look_document(*chain))

    def test_colours_that_would_overflow(self):
        """Light from files up to 1e30 and below 0, brightened a thousandfold twice, through every step and blend."""
        light = {"step": "attribute", "name": "light"}
        glow = {"name": "glow", "chain": [light]}
        more = {"name": "more", "chain": [{"step": "random", "seed": 1}, BRIGHT]}
        brighter = {"step": "ramp", "stops": [{"at": 0, "colour": {"signal": "more"}, "intensity": 1000}]}
        begins = ([light], [{"step": "random", "seed": 1}, BRIGHT], [{"step": "random", "seed": 1}, brighter])
        steps = [
            {"step": "drift", "seed": 1, "hue": [-90, 90], "saturation": [-1, 1], "lightness": [-1, 1],
             "gamma": [-4, 4], "space": s} for s in ("hsv", "oklch")
        ]  # fmt: skip
        steps += [
            {"step": "grade", "gain": 16, "hue_turn": 100, "saturation": 16, "contrast": 16, "brightness": 16,
             "gamma": 0.01},
            {"step": "grade", "slope": [16, 0, 1], "offset": [4, -4, 0], "power": [16, 16, 0.01], "cdl_saturation": 16},
            {"step": "grade", "complement": True, "monochrome": 0.5, "gamma": 16},
            {"step": "clamp", "greatest": 64},
            {"step": "mix", "blend": "luminosity", "factor": 1, "chain": begins[1]},
        ]  # fmt: skip
        for begin in begins:
            for step in steps:
                document = look_document(*begin, step)
                self.run_look({**document, "signals": [glow, more]})
            for blend in MODES:
                for place in ("linear", "display"):
                    document = look_document(*begin)
                    top = {"paint": [light], "blend": blend, "blend_in": place, "amount": 0.7}
                    document["lanes"]["base_colour"]["layers"].append(top)
                    self.run_look({**document, "signals": [glow, more]})
            for part in ("hue", "saturation", "luma", "luminance", "chroma", "oklch_hue", "lightness", "red"):
                document = look_document(*begin, {"step": "component", "part": part}, DUSK)
                self.run_look({**document, "signals": [glow, more]})
        for between in ("steps", "straight", "eased", "through", "soft"):
            for space in ("oklab", "oklch", "linear_rgb", "display_rgb", "hsv"):
                stops = [{"at": 0, "colour": {"signal": "more"}, "intensity": 1000}, {"at": 0.5, "colour": "#000000"},
                         {"at": 1, "colour": {"signal": "glow"}}]  # fmt: skip
                paint = {"step": "ramp", "interpolation": between, "mix_in": space, "stops": stops}
                self.run_look({**look_document({"step": "random", "seed": 1}, paint), "signals": [glow, more]})
                still = ramp([0, 0.1, 0.5, 0.9], ["#ff0000", "#00ff00", "#0000ff", "#000000"], interpolation=between,
                             mix_in=space)  # fmt: skip
                still["stops"][1]["intensity"] = 1000
                self.run_look(look_document({"step": "random", "seed": 1}, still))

    def test_no_file_holds_what_is_no_number(self):
        population = points(5)
        place = Attribute("position", "vector", np.arange(15, dtype=np.float32).reshape(5, 3) ** 2)
        mesh = of_polygons({"position": place}, Polygons(np.array([0, 5]), np.arange(5, dtype=np.int32)))
        parted = mesh
        for bad in (np.nan, np.inf):
            colours = np.full((5, 3), 0.5, np.float32)
            colours[2, 1] = bad
            for form in FORMATS.values():
                made = mesh if "clones" not in form.kinds else parted if form.word == "csv_parts" else population
                with self.assertRaises(BadInput, msg=form.word):
                    form.write(made, {"base_colour": colours})
        evaluation = Evaluator().evaluate(points(15, v=values()), look(FAR, {"step": "range", "own": True}, DUSK))
        data = FORMATS["ply"].write(evaluation.population, evaluation.results)
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            vertex = _read(data)
        for name in ("base_colour_r", "base_colour_g", "base_colour_b"):
            self.assertTrue(np.isfinite(vertex[name]).all())


def _read(data: bytes):
    import io

    return PlyData.read(io.BytesIO(data))["vertex"]


class Bright(unittest.TestCase):
    """Emission keeps its strength through everything that works on display-encoded values (IEC 61966-2-1)."""

    def test_intensities_in_display_rgb(self):
        for intensity in (1, 2, 256, 257, 316, 500, 1000):
            stops = [{"at": 0, "colour": "#d8452f", "intensity": intensity}, {"at": 1, "colour": "#d8452f",
                      "intensity": intensity}]  # fmt: skip
            paint = {"step": "ramp", "mix_in": "display_rgb", "stops": stops}
            found = Evaluator().evaluate(points(4), look({"step": "constant", "value": 0.5}, paint)).colours
            np.testing.assert_allclose(found[0], decode_srgb(np.array([0xD8, 0x45, 0x2F]) / 255) * intensity, rtol=2e-5)

    def test_bright_grades(self):
        paint = {"step": "ramp", "stops": [{"at": 0, "colour": "#ffffff", "intensity": 1000}]}
        for contrast in (1, 2, 4):
            grade = {"step": "grade", "gain": 16, "brightness": contrast}
            found = Evaluator().evaluate(points(2), look({"step": "constant", "value": 0}, paint, grade)).colours
            np.testing.assert_allclose(found, decode_srgb(encode_srgb(16000.0) * contrast), rtol=3e-5)

    def test_up_to_the_bound_of_all_numbers(self):
        population = points(2, light=np.array([[1e30] * 3, [1e12] * 3]))
        light = {"step": "attribute", "name": "light"}
        for step in ({"step": "grade", "gamma": 1.0}, {"step": "drift", "seed": 1, "lightness": [0, 0]}):
            found = Evaluator().evaluate(population, look(light, step)).colours
            np.testing.assert_allclose(found[:, 0], [LARGEST, 1e12], rtol=1e-4)


class Negative(unittest.TestCase):
    """Light is never below 0, wherever it comes from and however often it is blended."""

    def test_one_rule_for_all(self):
        population = points(3, light=np.array([[-0.5, 0.25, 2.0], [0.1, -1e-3, 0], [-1, -1, -1]]))
        wanted = np.maximum(population.elements.own["light"].values, 0).astype(np.float32)
        light = {"step": "attribute", "name": "light"}
        for blend_in in ("linear", "display"):
            for amounts in ((1,), (1, 0), (1, 0, 0), (1, 1, 0)):
                layers = [{"paint": [light], "amount": a, "blend_in": blend_in} for a in amounts]
                document = {"lanes": {"base_colour": {"layers": layers}}}
                found = Evaluator().evaluate(population, parse(Look, document)).colours
                np.testing.assert_allclose(found, wanted, atol=1e-5, err_msg=f"{blend_in} {amounts}")

    def test_colours_beyond_the_gamut_are_cut(self):
        """A straight way through OKLab between two colours of the gamut leaves it."""
        wide = ramp([0, 1], ["#0000ff", "#ffff00"], interpolation="straight", mix_in="oklch")
        found = Evaluator().evaluate(points(400), look({"step": "random", "seed": 2}, wide)).colours
        self.assertEqual(found.min(), 0)
        self.assertGreater((found == 0).any(axis=1).mean(), 0.05)


class Greys(unittest.TestCase):
    """What rounding leaves of a grey that was mixed in OKLab is no hue, and nothing may be made of it."""

    GREY = ramp([0, 1], ["#303030", "#e0e0e0"], interpolation="straight")

    def coloured(self, *layers: dict) -> np.ndarray:
        document = {"gaudyseed": 3, "lanes": {"base_colour": {"layers": list(layers)}}}
        return Evaluator().evaluate(points(400), parse(Look, document)).colours

    def test_drift_and_hue(self):
        drift = {"step": "drift", "seed": 2, "hue": [-180, 180], "saturation": [0.5, 1]}
        moved = self.coloured({"paint": [{"step": "random", "seed": 1}, self.GREY, drift]})
        self.assertLess(np.ptp(moved, axis=1).max(), 1e-4)
        turns = [{"step": "component", "part": "hue"}, ramp([0, 1], ["#000000", "#ffffff"], interpolation="straight")]
        self.assertEqual(self.coloured({"paint": [{"step": "random", "seed": 1}, self.GREY, *turns]}).max(), 0)

    def test_blends_that_take_hue_or_saturation(self):
        paint = {"paint": [{"step": "random", "seed": 1}, self.GREY]}
        bright = ramp([0, 1], ["#ff3020", "#20c0ff"], interpolation="straight")
        bright["stops"][1]["intensity"] = 3
        colours = {"paint": [{"step": "random", "seed": 5}, bright]}
        for below, above, mode in ((colours, paint, "hue"), (colours, paint, "colour"), (paint, colours, "saturation")):
            made = self.coloured(below, {**above, "blend": mode})
            with self.subTest(mode=mode):
                self.assertLess((np.ptp(made, axis=1) / made.max(axis=1)).max(), 1e-3)
