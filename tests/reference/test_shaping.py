"""Components, levels, curves, quantise, spread and formulas against outside references."""

import colorsys
import re
import unittest

import colour as colour_science
import numpy as np
from coloraide import Color
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import BPoly, PchipInterpolator
from scipy.spatial import cKDTree

from gaudyseed.core.colour.spaces import encode_srgb
from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.formula import FUNCTIONS, parse_formula
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.steps import STEPS
from gaudyseed.core.look.steps.spread import usual_distance
from gaudyseed.core.population import Attribute, Population, of_points
from gaudyseed.core.population.makers.scatter import ScatterMaker
from gaudyseed.core.reports.report import Reporter
from tests.support import FIVE, look, points, ramp
from tests.support import applied as run_alone

RNG = np.random.default_rng(12)
EDGES = [0.0, 1.0, -0.0, 0.5, 1e-30, -2.0, 7.0]


def applied(step: dict, values: np.ndarray, kind: str = "number", population: Population | None = None) -> np.ndarray:
    return run_alone(step, values, kind, population).array


class Components(unittest.TestCase):
    COLOURS = np.concatenate([RNG.random((400, 3)), np.eye(3), [[0, 0, 0], [1, 1, 1], [0.5, 0.5, 0.5]]]).astype(
        np.float32
    )

    def part(self, name: str) -> np.ndarray:
        return applied({"step": "component", "part": name}, self.COLOURS, "colour")

    def test_hsv_against_colorsys(self):
        wanted = np.array([colorsys.rgb_to_hsv(*c) for c in encode_srgb(self.COLOURS)])
        hue = self.part("hue")
        self.assertLess(np.abs((hue - wanted[:, 0] + 0.5) % 1 - 0.5).max(), 2e-5)
        np.testing.assert_allclose(self.part("saturation"), wanted[:, 1], atol=2e-5)
        np.testing.assert_allclose(self.part("value"), wanted[:, 2], atol=2e-6)

    def test_luminance_and_luma_against_colour_science(self):
        xyz = colour_science.RGB_to_XYZ(self.COLOURS.astype(float), "sRGB", apply_cctf_decoding=False)
        np.testing.assert_allclose(self.part("luminance"), xyz[:, 1], atol=2e-4)
        weights = colour_science.WEIGHTS_YCBCR["ITU-R BT.709"]
        kr, kb = weights[0], weights[1]
        wanted = encode_srgb(self.COLOURS) @ [kr, 1 - kr - kb, kb]
        np.testing.assert_allclose(self.part("luma"), wanted, atol=2e-5)

    def test_oklch_against_coloraide(self):
        lightness, chroma, hue = self.part("lightness"), self.part("chroma"), self.part("oklch_hue")
        for k, rgb in enumerate(self.COLOURS):
            wanted = Color("srgb-linear", rgb.tolist()).convert("oklch").coords()
            self.assertAlmostEqual(lightness[k], wanted[0], delta=2e-5)
            self.assertAlmostEqual(chroma[k], wanted[1], delta=2e-4)
            if wanted[1] > 0.01:
                self.assertLess(abs((hue[k] - wanted[2] / 360 + 0.5) % 1 - 0.5), 1e-3)

    def test_channels_axes_and_greys(self):
        np.testing.assert_array_equal(self.part("green"), self.COLOURS[:, 1])
        self.assertEqual(self.part("hue")[-3:].tolist(), [0, 0, 0])
        vectors = RNG.normal(size=(50, 3)).astype(np.float32)
        np.testing.assert_array_equal(applied({"step": "component", "part": "y"}, vectors, "vector"), vectors[:, 1])
        length = applied({"step": "component", "part": "length"}, vectors, "vector")
        np.testing.assert_allclose(length, np.linalg.norm(vectors, axis=1), rtol=1e-6)

    def test_random_colours_read_by_luma_bunch_up_by_hue_they_spread(self):
        """Common practice: saturated random colours leave the ends of luma unused, their hue does not."""
        saturated = np.array([colorsys.hsv_to_rgb(h, 1, 1) for h in RNG.random(4000)], np.float32)
        population = points(4000, tint=saturated)
        spread = {}
        for name in ("luma", "hue"):
            chain = look(
                {"step": "attribute", "name": "tint"}, {"step": "component", "part": name}, ramp([0, 0.5], FIVE[:2])
            )
            evaluator = Evaluator()
            census = Reporter(evaluator).steps(evaluator.evaluate(population, chain))
            spread[name] = census["lanes.base_colour.layers[0].paint[2]"]["ramp"]["reached"]
        self.assertGreater(spread["hue"], 0.98)
        self.assertLess(spread["luma"], 0.95)

    def test_a_wrong_part_is_refused(self):
        for part, name in (("x", "tint"), ("hue", "position")):
            population = points(5, tint=np.zeros((5, 3), np.float32))
            with self.assertRaises(BadInput):
                Evaluator().evaluate(
                    population,
                    look({"step": "attribute", "name": name}, {"step": "component", "part": part}, ramp([0], FIVE[:1])),
                )


class Curves(unittest.TestCase):
    VALUES = np.concatenate([RNG.random(5000), EDGES]).astype(np.float32)

    def curve(self, places: list[tuple[float, float]], kind: str, **more) -> np.ndarray:
        document = {"step": "curve", "interpolation": kind, "points": [{"x": x, "y": y, **more} for x, y in places]}
        return applied(document, self.VALUES)

    def random_points(self) -> list[tuple[float, float]]:
        count = int(RNG.integers(2, 12))
        xs = np.sort(RNG.choice(np.arange(1, 1000), count, replace=False)) / 1000
        return [(float(x), float(y)) for x, y in zip(xs, RNG.random(count), strict=True)]

    def test_straight_against_numpy_interp(self):
        for _ in range(20):
            places = self.random_points()
            wanted = np.interp(self.VALUES, *np.array(places).T)
            np.testing.assert_allclose(self.curve(places, "straight"), wanted, atol=3e-5)

    def test_monotone_against_pchip(self):
        for _ in range(40):
            places = self.random_points()
            xs, ys = np.array(places).T
            wanted = PchipInterpolator(xs, ys)(np.clip(self.VALUES, xs[0], xs[-1]))
            np.testing.assert_allclose(self.curve(places, "monotone"), wanted, atol=2e-5)

    def test_bezier_against_bernstein_polynomials(self):
        places = [(0.1, 0.2), (0.6, 0.9)]
        found = self.curve(places, "bezier", left=(-0.2, 0.1), right=(0.15, 0.3))
        control = np.array([[0.1, 0.2], [0.25, 0.5], [0.4, 1.0], [0.6, 0.9]])
        curve = BPoly(control[:, None, :], [0, 1])
        xs, ys = curve(np.linspace(0, 1, 200_001)).T
        wanted = np.clip(np.interp(np.clip(self.VALUES, 0.1, 0.6), xs, ys), 0, 1)
        np.testing.assert_allclose(found, wanted, atol=2e-5)

    def test_order_is_checked(self):
        with self.assertRaises(BadInput) as caught:
            self.curve([(0.5, 0), (0.2, 1)], "straight")
        self.assertIn("left to right", caught.exception.sentence)

    def test_one_point_and_none(self):
        np.testing.assert_array_equal(self.curve([(0.5, 0.25)], "monotone"), 0.25)
        self.assertEqual(len(applied({"step": "curve"}, np.empty(0))), 0)


class LevelsAndQuantise(unittest.TestCase):
    def test_levels_by_their_formula(self):
        values = np.concatenate([RNG.random(2000) * 3 - 1, EDGES])
        step = {"step": "levels", "black_point": 0.1, "white_point": 0.7, "gamma": 2.2, "contrast": 1.5, "pivot": 0.4}
        bent = np.clip((values - 0.1) / 0.6, 0, 1) ** (1 / 2.2)
        np.testing.assert_allclose(applied(step, values), np.clip((bent - 0.4) * 1.5 + 0.4, 0, 1), atol=2e-5)
        np.testing.assert_allclose(applied({"step": "levels"}, values), np.clip(values, 0, 1), atol=1e-6)

    def test_item_i_of_n_falls_into_band_i(self):
        """Common practice: the last item falls into the last band, for every n from 1 to 64."""
        for n in range(1, 65):
            places = applied({"step": "quantise", "levels": n, "of": "index"}, np.arange(n))
            np.testing.assert_array_equal(np.floor(places * n), np.arange(n))
            beyond = applied({"step": "quantise", "levels": n, "of": "index"}, np.array([-3, n, n + 5]))
            np.testing.assert_array_equal(np.floor(beyond * n), [0, n - 1, n - 1])
            again = applied({"step": "quantise", "levels": n, "of": "index", "beyond": "repeat"}, np.arange(3 * n) - n)
            np.testing.assert_array_equal(np.floor(again * n), np.arange(3 * n) % n)
            values = np.concatenate([(np.arange(n) + 0.5) / n, [0, 1]])
            found = applied({"step": "quantise", "levels": n}, values)
            np.testing.assert_array_equal(np.floor(found * n), [*range(n), 0, n - 1])


class Spread(unittest.TestCase):
    def test_neighbours_differ_and_every_value_stays(self):
        """Against a brute-force count of neighbours with cKDTree."""
        population = ScatterMaker(maker="scatter", count=12_000).make(None)
        values = RNG.random(12_000).astype(np.float32)
        found = applied({"step": "spread", "bands": 5, "seed": 3}, values, population=population)
        np.testing.assert_array_equal(np.sort(found), np.sort(values))
        places = population.elements.own["position"].values
        tree = cKDTree(places)
        reach = np.median(tree.query(places, k=7)[0][:, 6])
        pairs = tree.query_pairs(reach, output_type="ndarray")

        def alike(v: np.ndarray) -> int:
            bands = np.minimum((v * 5).astype(int), 4)
            return int((bands[pairs[:, 0]] == bands[pairs[:, 1]]).sum())

        self.assertGreater(len(pairs), 25_000)
        self.assertLess(alike(found), 0.4 * alike(values))
        again = applied({"step": "spread", "bands": 5, "seed": 3}, values, population=population)
        np.testing.assert_array_equal(found, again)

    def test_by_the_bands_of_what_comes_next(self):
        """Bands of typed shares: fewer touching pairs of one colour than with equal bands, counted with cKDTree."""
        population = ScatterMaker(maker="scatter", count=6_000).make(None)
        places = population.elements.own["position"].values
        pairs = cKDTree(places).query_pairs(usual_distance(places), output_type="ndarray")
        steps = ramp([0, 0.36, 0.62, 0.78, 0.91], FIVE)
        palette = {"step": "palette", "parts": "weights", "swatches": [
            {"colour": c, "weight": w} for c, w in zip(FIVE, (36, 26, 16, 13, 9), strict=True)]}  # fmt: skip

        def alike(by: str, end: dict) -> tuple[int, np.ndarray]:
            spread = {"step": "spread", "by": by, "seed": 3}
            evaluation = Evaluator().evaluate(population, look({"step": "random", "seed": 7}, spread, end))
            bands = evaluation.layers[0].paint[-1].value.bands
            facts = evaluation.layers[0].paint[1].value.facts
            same = int((bands[pairs[:, 0]] == bands[pairs[:, 1]]).sum())
            if by == "ramp_bands":
                self.assertEqual((facts["pairs"], facts["alike_after"]), (len(pairs), same))
            return same, np.bincount(bands)

        for end in (steps, palette):
            (equal, counts), (by_ramp, others) = alike("equal_bands", end), alike("ramp_bands", end)
            np.testing.assert_array_equal(counts, others)
            self.assertLess(by_ramp, 0.6 * equal)
        # Between stops that are mixed, what is nearest to which stop counts: the edges lie half-way.
        mixed = parse(STEPS["ramp"], {**steps, "interpolation": "straight"})
        spread = parse(STEPS["spread"], {"step": "spread", "by": "ramp_bands", "seed": 1})
        np.testing.assert_allclose(spread.before(mixed, "").edges, [0.18, 0.49, 0.7, 0.845])
        for follows in (None, parse(STEPS["range"], {"step": "range"})):
            with self.assertRaises(BadInput) as caught:
                spread.before(follows, "lanes.base_colour.layers[0].paint[1]")
            self.assertEqual(caught.exception.fix.operations[0]["path"], "/lanes/base_colour/layers/0/paint/1/by")
        moving = {**steps, "stops": [*steps["stops"][:4], {"at": {"signal": "s"}, "colour": FIVE[4]}]}
        with self.assertRaises(BadInput) as caught:
            spread.before(parse(STEPS["ramp"], moving), "x")
        self.assertIn("fix the places", str(caught.exception))
        values = RNG.random(6_000).astype(np.float32)
        typed = {"step": "spread", "seed": 1, "edges": [0.36, 0.62, 0.78, 0.91]}
        found = applied(typed, values, population=population)
        np.testing.assert_array_equal(np.sort(found), np.sort(values))
        with self.assertRaises(BadInput):
            applied({**typed, "edges": [0.5, 0.2]}, values, population=population)

    def test_few_and_equal_places(self):
        for count in (1, 2, 3, 40):
            base = points(count)
            heap = Attribute("position", "vector", np.zeros((count, 3), np.float32))
            population = of_points(count, {**base.elements.own, "position": heap})
            values = RNG.random(count).astype(np.float32)
            found = applied({"step": "spread", "seed": 1}, values, population=population)
            np.testing.assert_array_equal(np.sort(found), np.sort(values))


NAMES = {"a": RNG.random(50).astype(np.float32), "b": (RNG.random(50) * 4 - 2).astype(np.float32)}


def expressions() -> st.SearchStrategy[str]:
    """Random formulas of numbers, a and b."""
    leaves = st.sampled_from(["a", "b", "0.5", "2", "3.25", "pi"])

    def grow(inner: st.SearchStrategy[str]) -> st.SearchStrategy[str]:
        return st.one_of(
            st.builds("({} {} {})".format, inner, st.sampled_from(["+", "-", "*", "/", "%"]), inner),
            st.builds("(1 * ({} {} {}))".format, inner, st.sampled_from(["<", ">="]), inner),
            st.builds("-{}".format, inner),
            st.builds("{}({})".format, st.sampled_from(["sin", "cos", "abs", "floor"]), inner),
            st.builds("{}({}, {})".format, st.sampled_from(["min", "max"]), inner, inner),
            st.builds("where({}, {}, {})".format, inner, inner, inner),
            st.builds("({} if {} else {})".format, inner, inner, inner),
        )

    return st.recursive(leaves, grow, max_leaves=10)


class Formulas(unittest.TestCase):
    def value(self, text: str) -> np.ndarray:
        return parse_formula(text).over(lambda name, a, b: NAMES[name][a:b], 0, 50)

    @settings(max_examples=300, deadline=None)
    @given(expressions())
    def test_random_expressions_against_numpy(self, text):
        """The same text handed to NumPy in float32 through Python's own eval, with where as np.where: to the bit."""
        space = {
            "a": NAMES["a"],
            "b": NAMES["b"],
            "F": np.float32,
            "pi": np.float32(np.pi),
            "sin": np.sin,
            "cos": np.cos,
            "abs": np.abs,
            "floor": np.floor,
            "min": np.minimum,
            "max": np.maximum,
            "where": lambda c, x, y: np.where(np.asarray(c) != 0, x, y),
        }
        plain = re.sub(r"\b\d+(\.\d+)?", r"F(\g<0>)", text)  # NumPy's numbers divide by zero, Python's do not
        while " if " in plain:  # Python's own conditional knows no arrays
            plain = as_where(plain)
        with np.errstate(all="ignore"):
            wanted = np.broadcast_to(np.asarray(eval(plain, {}, space), np.float32), 50)
        np.testing.assert_array_equal(self.value(text), np.where(np.isfinite(wanted), wanted, 0))

    def test_what_it_can_do(self):
        population = points(100, weight=np.linspace(0, 1, 100))
        cases = {
            "where(index % 7 == 0, 1, 0)": (np.arange(100) % 7 == 0).astype(float),
            "index / (count - 1)": np.arange(100) / 99,
            "length(position)": np.linalg.norm(population.elements.own["position"].values, axis=1),
            "z(position) > 0 and not weight < 0.5": (population.elements.own["position"].values[:, 2] > 0)
            & (np.linspace(0, 1, 100) >= 0.5),
            "clamp(weight * 2, 0.5, 1)": np.clip(np.linspace(0, 1, 100) * 2, 0.5, 1),
            "mix(weight, 1, 0.25)": np.linspace(0, 1, 100) * 0.75 + 0.25,
            "power(weight, 2) + modulo(index, 3)": np.linspace(0, 1, 100) ** 2 + np.arange(100) % 3,
            'value("weight") / 0': np.zeros(100),
            "frame + seconds": np.zeros(100),
        }
        for text, wanted in cases.items():
            with self.subTest(text=text):
                found = applied({"step": "formula", "text": text}, np.zeros(100), population=population)
                np.testing.assert_allclose(found, wanted, atol=1e-5)
        vector = applied({"step": "formula", "text": "normalise(position) * 2"}, np.zeros(100), population=population)
        np.testing.assert_allclose(np.linalg.norm(vector, axis=1), 2, atol=1e-5)
        chance = applied({"step": "formula", "text": "random(3) < 0.25"}, np.zeros(9000), population=points(9000))
        self.assertAlmostEqual(chance.mean(), 0.25, delta=0.03)

    def test_errors_point_at_the_character(self):
        population = points(3, weight=np.zeros(3))
        cases = {
            "weight + * 2": "character 10",
            "wieght * 2": "Nearest: weight",
            "2 + foo": "character 5",
            "2 * Weight": "only in case",
            "where(1, 2)": "3 values",
            "sine(1)": "Nearest: sin",
            "weight.real": "cannot stand",
            "1 +": "something is missing",
            "x(weight)": "vector",
            "random(weight)": "whole number",
            "[1]": "cannot stand",
            "~1": "not",
            "1 @ 2": "operator",
            "'a'": "not a number",
        }
        for text, word in cases.items():
            with self.subTest(text=text), self.assertRaises(BadInput) as caught:
                Evaluator().evaluate(population, look({"step": "formula", "text": text}, ramp([0], FIVE[:1])))
            self.assertIn(word, str(caught.exception))

    def test_ten_thousand_hostile_strings_neither_run_nor_crash(self):
        pieces = [
            "__import__('os')",
            ".__class__",
            "().__class__.__bases__[0]",
            "eval",
            "exec",
            "open('/etc/passwd')",
            "lambda: 0",
            "[x for x in y]",
            "{}",
            "a",
            "1",
            "(",
            ")",
            "+",
            "**",
            "9**9**9",
            "'",
            '"',
            "\\",
            "\x00",
            "é",
            "where(",
            ",",
            "=",
            ":=",
            "f'{a}'",
            "0x",
            "1e999",
            "...",
            "await a",
            "yield",
            "*a",
            "random(",
            "value('a')",
            "\n",
            "#",
            "@",
            "~",
            "not ",
        ]
        rng = np.random.default_rng(99)
        fine = 0
        for _ in range(10_000):
            text = "".join(rng.choice(pieces, rng.integers(1, 8)))
            try:
                found = parse_formula(text).over(lambda name, a, b: NAMES["a"][a:b], 0, 5)
            except BadInput as error:
                self.assertTrue(error.sentence)
            else:
                self.assertTrue(np.isfinite(found).all())
                fine += 1
        self.assertGreater(fine, 100)

    def test_every_function_takes_what_it_says(self):
        for name, (few, most, _) in FUNCTIONS.items():
            for count in {few, most}:
                argument = "v" if name in "xyz" else "a"
                text = f"{name}({', '.join([argument] * count)})"
                found = parse_formula(text).over(lambda n, a, b: np.ones((5, 3)) if n == "v" else NAMES["a"][:5], 0, 5)
                self.assertEqual(found.shape, (5,))


def as_where(text: str) -> str:
    """The innermost ``(x if c else y)`` as a call of where."""
    at = text.index(" if ")
    start, depth = at, 0
    while depth >= 0:
        start -= 1
        depth += {")": 1, "(": -1}.get(text[start], 0) if text[start] in "()" else 0
        if depth < 0:
            break
    middle, depth = at + 4, 0
    while not (depth == 0 and text.startswith(" else ", middle)):
        depth += {"(": 1, ")": -1}.get(text[middle], 0)
        middle += 1
    end, depth = middle + 6, 0
    while not (depth == 0 and text[end] == ")"):
        depth += {"(": 1, ")": -1}.get(text[end], 0)
        end += 1
    yes, condition, no = text[start + 1 : at], text[at + 4 : middle], text[middle + 6 : end]
    return f"{text[:start]}where({condition}, {yes}, {no}){text[end + 1 :]}"
