"""Blend modes, grade, clamp and vision against the standards' formulas and reference libraries."""

from __future__ import annotations

import colorsys
import unittest

import colour as colour_science
import numpy as np
from coloraide import Color

from gaudyseed.core.colour import vision
from gaudyseed.core.colour.spaces import decode_srgb, encode_srgb
from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.kernels import blending
from gaudyseed.core.look.evaluate import Evaluator
from tests.support import FIVE, look, look_document, points, ramp
from tests.support import applied as run_alone

RNG = np.random.default_rng(8)
#: The standard's 17 x 17 grid of backdrop and source.
GRID = np.stack(np.meshgrid(np.linspace(0, 1, 17), np.linspace(0, 1, 17)), axis=-1).reshape(-1, 2).astype(np.float32)
#: Our words and coloraide's, which are those of W3C Compositing and Blending Level 1.
W3C = {
    "colour_dodge": "color-dodge", "colour_burn": "color-burn", "hard_light": "hard-light", "soft_light": "soft-light",
    "colour": "color",
}  # fmt: skip


def blended(base, paint, mode, amount=1.0, display=False, width=3):
    base, paint = np.ascontiguousarray(base, np.float32), np.ascontiguousarray(paint, np.float32)
    out = np.empty_like(base)
    amounts = np.atleast_1d(np.asarray(amount, np.float32))
    blending.blend(base.reshape(-1), paint.reshape(-1), amounts, width, blending.MODES[mode], display, out.reshape(-1))
    return out


def applied(step: dict, colours: np.ndarray) -> np.ndarray:
    return run_alone(step, colours, "colour").array


def by_the_standard(mode, cb, cs):
    """The pseudo-code of W3C Compositing and Blending Level 1, 10.2, line by line (from memory)."""

    def lum(c):
        return 0.3 * c[0] + 0.59 * c[1] + 0.11 * c[2]

    def clip_colour(c):
        light, low, high = lum(c), min(c), max(c)
        if low < 0:
            c = [light + (v - light) * light / (light - low) for v in c]
        if high > 1:
            c = [light + (v - light) * (1 - light) / (high - light) for v in c]
        return c

    def set_lum(c, light):
        return clip_colour([v + light - lum(c) for v in c])

    def sat(c):
        return max(c) - min(c)

    def set_sat(c, s):
        order, out = sorted(range(3), key=lambda k: c[k]), [0.0, 0.0, 0.0]
        low, mid, high = order
        if c[high] > c[low]:
            out[mid], out[high] = (c[mid] - c[low]) * s / (c[high] - c[low]), s
        return out

    if mode == "hue":
        return set_lum(set_sat(cs, sat(cb)), lum(cb))
    if mode == "saturation":
        return set_lum(set_sat(cb, sat(cs)), lum(cb))
    return set_lum(cs, lum(cb)) if mode == "colour" else set_lum(cb, lum(cs))


class Blending(unittest.TestCase):
    """coloraide.compositing, which implements W3C Compositing and Blending Level 1."""

    def reference(self, base, paint, mode, amount, space):
        top = Color(space, paint.tolist(), amount)
        found = Color.layer([top, Color(space, base.tolist())], blend=W3C.get(mode, mode), space=space)
        return found.convert(space).coords()

    def test_separable_modes_over_the_whole_grid(self):
        for mode in blending.MODES:
            if mode in blending.NON_SEPARABLE or mode in ("add", "subtract", "minimum", "maximum", "average"):
                continue
            base, paint = np.repeat(GRID[:, :1], 3, axis=1), np.repeat(GRID[:, 1:], 3, axis=1)
            out = blended(base, paint, mode)
            wanted = [self.reference(b, p, mode, 1, "srgb-linear") for b, p in zip(base, paint, strict=True)]
            np.testing.assert_allclose(out, wanted, atol=3e-6, err_msg=mode)

    def test_non_separable_modes_over_the_grid_of_every_channel(self):
        rng = np.random.default_rng(3)
        base = np.stack([GRID[:, 0], GRID[:, 1], rng.permutation(GRID[:, 0])], axis=1)
        paint = np.stack([rng.permutation(GRID[:, 1]), GRID[:, 0], GRID[:, 1]], axis=1)
        for mode in blending.NON_SEPARABLE:
            out = blended(base, paint, mode)
            wanted = [by_the_standard(mode, b, p) for b, p in zip(base.tolist(), paint.tolist(), strict=True)]
            np.testing.assert_allclose(out, wanted, atol=4e-6, err_msg=mode)
            # coloraide weighs luminosity by 0.299, 0.587, 0.114 where the standard has 0.3, 0.59, 0.11.
            near = [self.reference(b, p, mode, 1, "srgb-linear") for b, p in zip(base, paint, strict=True)]
            np.testing.assert_allclose(out, near, atol=0.02, err_msg=mode)

    def test_amounts_and_display_encoding(self):
        base, paint = RNG.random((50, 3)), RNG.random((50, 3))
        for mode in ("normal", "multiply", "overlay", "soft_light", "hard_light"):
            for amount in (0.0, 0.35, 1.0):
                out = encode_srgb(blended(decode_srgb(base), decode_srgb(paint), mode, amount, display=True))
                wanted = [self.reference(b, p, mode, amount, "srgb") for b, p in zip(base, paint, strict=True)]
                np.testing.assert_allclose(out, wanted, atol=2e-5, err_msg=mode)
        each = RNG.random(50)
        np.testing.assert_allclose(
            blended(base, paint, "normal", each), base + (paint - base) * each[:, None], atol=1e-6
        )

    def test_arithmetic_modes_on_colours_numbers_and_vectors(self):
        """Their own definitions (common practice); numbers may go below 0, colours may not."""
        wanted = {
            "add": lambda a, b: a + b, "subtract": lambda a, b: a - b, "minimum": np.minimum, "maximum": np.maximum,
            "average": lambda a, b: (a + b) / 2,
        }  # fmt: skip
        a, b = RNG.random((40, 3)) * 3, RNG.random((40, 3)) * 3
        for mode, formula in wanted.items():
            np.testing.assert_allclose(blended(a, b, mode), np.maximum(formula(a, b), 0), atol=1e-6)
            np.testing.assert_allclose(blended(a, b, mode, width=1), formula(a, b), atol=1e-6)
        population = points(9, a=np.linspace(-2, 2, 9), b=np.linspace(3, -1, 9))
        read = lambda name: {"step": "attribute", "name": name}  # noqa: E731
        document = look_document(read("a"), ramp([0], FIVE[:1]))
        for mode, formula in wanted.items():
            mix = {"step": "mix", "factor": 1, "blend": mode, "chain": [read("b")]}
            document["signals"] = [{"name": "m", "chain": [read("a"), mix]}]
            found = Evaluator().evaluate(population, parse(type(look(read("a"))), document)).signal_values["m"].array
            np.testing.assert_allclose(found, formula(np.linspace(-2, 2, 9), np.linspace(3, -1, 9)), atol=1e-6)
        document["signals"][0]["chain"][1]["blend"] = "luminosity"
        with self.assertRaises(BadInput):
            Evaluator().evaluate(population, parse(type(look(read("a"))), document))

    def test_emission_and_edges_stay_finite(self):
        bright = np.array([[0, 0, 0], [1, 1, 1], [9, 0.5, 0], [256, 256, 256]], np.float32)
        for mode in blending.MODES:
            for display in (False, True):
                for base in bright:
                    out = blended(np.tile(base, (4, 1)), bright, mode, 0.5, display)
                    self.assertTrue(np.isfinite(out).all() and (out >= 0).all(), mode)
        self.assertEqual(blended(np.empty((0, 3)), np.empty((0, 3)), "normal").shape, (0, 3))


class Grade(unittest.TestCase):
    COLOURS = np.concatenate([RNG.random((300, 3)), np.eye(3), [[0, 0, 0], [1, 1, 1]]])

    def test_hue_turn_and_saturation_are_the_filters_matrices(self):
        """W3C Filter Effects Level 1, through coloraide's filters in sRGB; channels below 0 are held at 0."""
        linear = decode_srgb(self.COLOURS)
        for name, ours, amount in (
            ("hue-rotate", "hue_turn", 70.0),
            ("saturate", "saturation", 0.4),
            ("saturate", "saturation", 2.5),
        ):
            found = encode_srgb(applied({"step": "grade", ours: amount}, linear))
            wanted = [Color("srgb", c.tolist()).filter(name, amount, space="srgb").coords() for c in self.COLOURS]
            np.testing.assert_allclose(found, np.maximum(wanted, 0), atol=3e-4, err_msg=name)

    def test_brightness_and_contrast_are_the_filters_functions(self):
        linear = decode_srgb(self.COLOURS)
        for name, ours, amount in (
            ("brightness", "brightness", 1.6),
            ("contrast", "contrast", 1.8),
            ("contrast", "contrast", 0.3),
        ):
            found = encode_srgb(applied({"step": "grade", ours: amount}, linear))
            wanted = [Color("srgb", c.tolist()).filter(name, amount, space="srgb").coords() for c in self.COLOURS]
            np.testing.assert_allclose(found, np.maximum(wanted, 0), atol=5e-5, err_msg=name)

    def test_asc_cdl(self):
        """ASC CDL v1.2: (v * slope + offset) ** power, then saturation about Rec. 709 luma (formula from memory)."""
        slope, offset, power, saturation = [1.2, 0.9, 1.0], [0.05, 0.0, 0.1], [0.8, 1.0, 1.3], 0.7
        step = {"step": "grade", "slope": slope, "offset": offset, "power": power, "cdl_saturation": saturation}
        found = encode_srgb(applied(step, decode_srgb(self.COLOURS)))
        bent = (self.COLOURS * slope + offset) ** power
        luma = bent @ [0.2126, 0.7152, 0.0722]
        np.testing.assert_allclose(found, luma[:, None] + saturation * (bent - luma[:, None]), atol=5e-5)

    def test_the_order_and_the_rest(self):
        linear = decode_srgb(self.COLOURS)
        np.testing.assert_allclose(applied({"step": "grade"}, linear), linear, atol=2e-6)
        np.testing.assert_allclose(applied({"step": "grade", "gain": 3}, linear), linear * 3, rtol=5e-5, atol=2e-6)
        both = encode_srgb(applied({"step": "grade", "contrast": 0.5, "pivot": 0.2, "gamma": 2}, linear))
        np.testing.assert_allclose(both, ((self.COLOURS - 0.2) * 0.5 + 0.2) ** 0.5, atol=3e-5)
        bright = applied({"step": "grade", "hue_turn": 180, "saturation": 16, "contrast": 16}, [[9, 0, 3], [0, 0, 0]])
        self.assertTrue(np.isfinite(bright).all() and (bright >= 0).all())


class Clamps(unittest.TestCase):
    def test_complement_against_colorsys(self):
        colours = RNG.random((200, 3))
        found = encode_srgb(applied({"step": "grade", "complement": True}, decode_srgb(colours)))
        for before, after in zip(colours, found, strict=True):
            h, s, v = colorsys.rgb_to_hsv(*before)
            np.testing.assert_allclose(after, colorsys.hsv_to_rgb((h + 0.5) % 1, s, v), atol=2e-5)

    def test_monochrome_least_greatest(self):
        colours = RNG.random((200, 3)) * 1.4
        found = encode_srgb(applied({"step": "grade", "monochrome": 1}, decode_srgb(colours)))
        luma = colours @ [0.2126, 0.7152, 0.0722]
        np.testing.assert_allclose(found, np.repeat(luma[:, None], 3, axis=1), atol=3e-5)
        held = encode_srgb(applied({"step": "clamp", "least": 0.2, "greatest": 0.6}, decode_srgb(colours)))
        np.testing.assert_allclose(held, np.clip(colours, 0.2, 0.6), atol=2e-5)


class Visions(unittest.TestCase):
    """Machado et al. 2009, as colour-science has its matrices."""

    def test_matrices(self):
        names = {"protanopia": "Protanomaly", "deuteranopia": "Deuteranomaly", "tritanopia": "Tritanomaly"}
        for ours, theirs in names.items():
            reference = colour_science.CVD_MATRICES_MACHADO2010[theirs][1.0]
            np.testing.assert_allclose(vision.MATRICES[ours], reference, atol=1e-6)

    def test_greys_stay_and_red_and_green_meet(self):
        greys = np.repeat(np.linspace(0, 1, 9)[:, None], 3, axis=1)
        for name in vision.MATRICES:
            np.testing.assert_allclose(vision.simulated(greys, name), greys, atol=2e-6)
        pair = decode_srgb(np.array([[0.72, 0.45, 0.2], [0.45, 0.6, 0.2]]))
        self.assertLess(vision.distances(pair, "deuteranopia")[0, 1], 0.5 * vision.distances(pair)[0, 1])


class DriftsInOklch(unittest.TestCase):
    """coloraide's OKLCH, with intervals read off the results."""

    def lch(self, linear):
        return np.array([Color("srgb-linear", c.tolist()).convert("oklch").coords() for c in linear])

    def test_ranges(self):
        base = decode_srgb(np.array([0.55, 0.45, 0.4]))
        colours = np.tile(base, (800, 1))
        before = self.lch(base[None])[0]
        step = {"step": "drift", "seed": 5, "space": "oklch", "hue": [-6, 30], "lightness": [-0.01, 0.05],
                "saturation": [0, 0.02]}  # fmt: skip
        after = self.lch(applied(step, colours))
        turned = (after[:, 2] - before[2] + 180) % 360 - 180
        for moved, low, high in (
            (turned, -6, 30), (after[:, 0] - before[0], -0.01, 0.05), (after[:, 1] - before[1], 0, 0.02 * 0.4),
        ):  # fmt: skip
            self.assertGreaterEqual(moved.min(), low - 1e-3)
            self.assertLessEqual(moved.max(), high + 1e-3)
            self.assertGreater(moved.max() - moved.min(), 0.9 * (high - low))

    def test_gamma_in_powers_of_two(self):
        colours = np.tile(decode_srgb(np.array([0.5, 0.5, 0.5])), (500, 1))
        for space in ("hsv", "oklch"):
            out = encode_srgb(applied({"step": "drift", "seed": 1, "space": space, "gamma": [0, 1]}, colours))
            # v ** (2 ** -u) with u in [0, 1): from 0.5 up to the square root of 0.5.
            self.assertGreaterEqual(out.min(), 0.5 - 1e-4)
            self.assertLess(out.max(), 0.5**0.5 + 1e-4)
            self.assertGreater(out.max(), 0.7)
