"""Colour spaces and drift against outside libraries."""

import colorsys
import unittest

import colour as colour_science
import numpy as np
from coloraide import Color

from gaudyseed.core.colour import spaces
from gaudyseed.core.kernels import drift, encoding, hashing, waves

RNG = np.random.default_rng(20)
LINEAR = np.concatenate([RNG.random((2000, 3)), [[0, 0, 0], [1, 1, 1], [0.0031308, 0.0031309, 0.5]]])


class SrgbEncoding(unittest.TestCase):
    """IEC 61966-2-1, through colour-science."""

    def test_exact_formulas(self):
        reference = colour_science.models.eotf_inverse_sRGB(LINEAR)
        np.testing.assert_allclose(spaces.encode_srgb(LINEAR), reference, atol=1e-9)
        np.testing.assert_allclose(spaces.decode_srgb(reference), colour_science.models.eotf_sRGB(reference), atol=1e-9)

    def test_kernels_stay_within_their_stated_error(self):
        values = np.linspace(0, 1, 400_001, dtype=np.float32)
        out = np.empty_like(values)
        encoding.encode_values(values, out)
        reference = colour_science.models.eotf_inverse_sRGB(values.astype(np.float64))
        self.assertLess(np.abs(out - reference).max(), 6e-7)
        encoding.decode_values(values, out)
        self.assertLess(np.abs(out - colour_science.models.eotf_sRGB(values.astype(np.float64))).max(), 6e-7)

    def test_emission_above_one(self):
        values = np.linspace(1, 256, 100_001, dtype=np.float32)
        encoded, back = np.empty_like(values), np.empty_like(values)
        encoding.encode_values(values, encoded)
        reference = 1.055 * values.astype(np.float64) ** (1 / 2.4) - 0.055  # the standard's power, continued
        self.assertLess((np.abs(encoded - reference) / reference).max(), 1e-5)
        encoding.decode_values(encoded, back)
        self.assertLess((np.abs(back - values) / values).max(), 1e-4)

    def test_bytes_are_at_most_one_level_off_and_nearly_always_exact(self):
        values = np.linspace(-0.1, 1.2, 300_000, dtype=np.float32)
        out = np.empty(len(values), np.uint8)
        encoding.encode_bytes(values, out)
        reference = np.clip(colour_science.models.eotf_inverse_sRGB(np.clip(values, 0, 1).astype(np.float64)), 0, 1)
        levels = np.floor(reference * 255 + 0.5)
        off = np.abs(out - levels)
        self.assertLessEqual(off.max(), 1)
        self.assertLess((off > 0).mean(), 0.001)

    def test_every_level_comes_back(self):
        for level in range(256):
            code = f"#{level:02x}{255 - level:02x}7f"
            colour = spaces.parse_hex(code).astype(np.float32)
            self.assertEqual(spaces.to_hex(colour), code)
            self.assertEqual(spaces.display_bytes(colour[None])[0].tolist(), [level, 255 - level, 127])


class WithoutCalls(unittest.TestCase):
    """Cube roots, sines and cosines of the kernels against NumPy in float64."""

    def test_cube_roots(self):
        values = np.concatenate([RNG.random(3000) * 2 - 0.5, 10.0 ** RNG.uniform(-25, 25, 500), [0, 1, -1, 1e-35, -8]])
        values = values.astype(np.float32)
        found = np.array([waves.cube_root(v) for v in values])
        wanted = np.where(np.abs(values) > 1e-30, np.cbrt(values.astype(np.float64)), 0)
        np.testing.assert_allclose(found, wanted, rtol=4e-7)

    def test_sines_and_cosines_in_turns(self):
        turns = np.concatenate([RNG.uniform(-3, 3, 3000), np.arange(-8, 9) / 8]).astype(np.float32)
        found = np.array([waves.cosine_and_sine(v) for v in turns])
        angles = 2 * np.pi * turns.astype(np.float64)
        np.testing.assert_allclose(found, np.stack([np.cos(angles), np.sin(angles)], axis=1), atol=5e-7)


class OkLab(unittest.TestCase):
    """Ottosson 2020, through colour-science and coloraide."""

    def test_against_colour_science(self):
        xyz = colour_science.RGB_to_XYZ(LINEAR, "sRGB", apply_cctf_decoding=False)
        np.testing.assert_allclose(spaces.linear_to_oklab(LINEAR), colour_science.XYZ_to_Oklab(xyz), atol=2e-4)

    def test_against_coloraide(self):
        for rgb in LINEAR[:200]:
            reference = Color("srgb-linear", rgb.tolist()).convert("oklab").coords()
            np.testing.assert_allclose(spaces.linear_to_oklab(rgb), reference, atol=2e-6)

    def test_there_and_back(self):
        np.testing.assert_allclose(spaces.oklab_to_linear(spaces.linear_to_oklab(LINEAR)), LINEAR, atol=1e-9)


class Drift(unittest.TestCase):
    """HSV of Python's colorsys, element by element, with the same random parts."""

    def drifted(self, colours, hue, saturation, lightness, offset, gain, chance=1.0, seed=3):
        n = len(colours)
        low, high = np.arange(n, dtype=np.uint32), np.zeros(n, np.uint32)
        out = np.empty_like(colours)
        ranges = [
            np.full(n, part * width, np.float32)
            for width in (hue, saturation, lightness, 0.0)
            for part in (offset, gain)
        ]
        drift.drift(
            colours.reshape(-1), low, high, np.uint32(seed), np.uint32(7), *ranges, np.full(n, chance, np.float32),
            False, False, out.reshape(-1),
        )  # fmt: skip
        parts = np.empty((n, 3), np.float32)
        hashing.random_three(low, high, np.uint32(seed), np.uint32(7), parts)
        return out, offset + gain * parts

    def reference(self, colour, part, hue, saturation, lightness):
        r, g, b = spaces.encode_srgb(colour.astype(np.float64))
        h, s, v = colorsys.rgb_to_hsv(r, g, b)
        h = (h + part[0] * hue) % 1.0
        s = min(max(s + part[1] * saturation, 0), 1) if s > 0 else 0.0
        v = min(max(v + part[2] * lightness, 0), 1)
        return np.array(colorsys.hsv_to_rgb(h, s, v))

    def compare(self, colours, *ranges, offset=-1.0, gain=2.0):
        out, parts = self.drifted(colours, *ranges, offset, gain)
        wanted = np.array([self.reference(c, p, *ranges) for c, p in zip(colours, parts, strict=True)])
        np.testing.assert_allclose(spaces.encode_srgb(out), wanted, atol=2e-5)

    def test_random_colours(self):
        colours = RNG.random((3000, 3)).astype(np.float32)
        self.compare(colours, 0.08, 0.2, 0.15)
        self.compare(colours, 0.5, 0.0, 0.0, offset=0.0, gain=1.0)
        self.compare(colours, 0.0, 1.0, 0.0, offset=0.0, gain=-1.0)

    def test_edges_of_the_hexcone(self):
        corners = np.array([[r, g, b] for r in (0, 1) for g in (0, 1) for b in (0, 1)] * 50, np.float32)
        self.compare(corners, 0.25, 0.1, 0.1)

    def test_greys_keep_their_hue_and_saturation(self):
        greys = np.repeat(np.linspace(0, 1, 500, dtype=np.float32)[:, None], 3, axis=1)
        out, _ = self.drifted(greys, 0.5, 1.0, 0.0, -1.0, 2.0)
        np.testing.assert_allclose(out, greys, atol=2e-6)

    def test_chance_is_a_probability_and_the_rest_is_untouched(self):
        colours = RNG.random((100_000, 3)).astype(np.float32)
        out, _ = self.drifted(colours, 0.1, 0.1, 0.1, -1.0, 2.0, chance=0.3)
        moved = (out != colours).any(axis=1)
        # Four standard deviations of a binomial share at n = 100,000.
        self.assertAlmostEqual(moved.mean(), 0.3, delta=4 * np.sqrt(0.3 * 0.7 / 100_000))

    def test_directions_bound_the_hue(self):
        colours = np.tile(spaces.parse_hex("#d8452f").astype(np.float32), (20_000, 1))
        before = colorsys.rgb_to_hsv(*spaces.encode_srgb(colours[0]))[0]
        for offset, gain, low, high in ((-1, 2, -0.05, 0.05), (0, 1, 0, 0.05), (0, -1, -0.05, 0)):
            out, _ = self.drifted(colours, 0.05, 0, 0, offset, gain)
            hues = np.array([colorsys.rgb_to_hsv(*c)[0] for c in spaces.encode_srgb(out)])
            turned = (hues - before + 0.5) % 1 - 0.5
            self.assertGreater(turned.min(), low - 1e-4)
            self.assertLess(turned.max(), high + 1e-4)
            self.assertGreater(turned.max() - turned.min(), 0.95 * (high - low))
