"""Ramps in every interpolation and space against SciPy and coloraide."""

from __future__ import annotations

import unittest

import numpy as np
from coloraide import Color
from scipy.interpolate import BSpline, CubicHermiteSpline

from gaudyseed.core.colour.mixing import from_space, to_space
from gaudyseed.core.colour.spaces import linear_to_oklab, oklab_to_linear, parse_hex
from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Look
from gaudyseed.core.look.steps.ramp import Ramp
from tests.support import FIVE, edit_ramp, look_document, points, ramp

PLACES = [0.05, 0.3, 0.42, 0.8, 1.0]
AT = np.linspace(-0.1, 1.1, 700).astype(np.float32)
#: Two saturated, one grey, one across the turn of the hue circle.
MIXED = ["#d8452f", "#2f6fd8", "#808080", "#e02fd8", "#e8d020"]
SPACES = {"linear_rgb": "srgb-linear", "display_rgb": "srgb", "oklab": "oklab", "oklch": "oklch", "hsv": "hsv"}


def compiled(places, colours, **more):
    return parse(Ramp, ramp(places, colours, **more)).compiled()


class Spaces(unittest.TestCase):
    """coloraide: interpolation in each space, hue fixed up as CSS Color Module Level 4 says."""

    def test_linear_in_every_space_and_way_round(self):
        for ours, theirs in SPACES.items():
            for hue in ("shorter", "longer") if ours in ("oklch", "hsv") else ("shorter",):
                found = compiled(PLACES, MIXED, interpolation="straight", mix_in=ours, hue=hue).colours_of(AT)
                wanted = np.empty_like(found)
                for k, v in enumerate(np.clip(AT, PLACES[0], PLACES[-1])):
                    j = min(int(np.searchsorted(PLACES, v, side="right")), 4) - 1
                    t = (float(v) - PLACES[j]) / (PLACES[j + 1] - PLACES[j])
                    pair = [Color(MIXED[j]).convert(theirs), Color(MIXED[j + 1]).convert(theirs)]
                    for c in pair:
                        c.normalize()
                    if ours in ("oklch", "hsv"):
                        # What counts as grey differs a little between libraries; here it is said. A missing hue
                        # takes the other's before the way is chosen (CSS Color Module Level 4, 12.2 and 12.4).
                        for c, other, text in zip(pair, pair[::-1], MIXED[j : j + 2], strict=True):
                            if text == "#808080":
                                c["hue"] = other["hue"]
                    mixed = Color.interpolate(pair, space=theirs, hue=hue)(t)
                    wanted[k] = mixed.convert("srgb-linear").coords(nans=False)
                np.testing.assert_allclose(found, np.maximum(wanted, 0), atol=2e-4, err_msg=f"{ours} {hue}")

    def test_there_and_back(self):
        linear = np.random.default_rng(1).random((500, 3))
        for space in SPACES:
            np.testing.assert_allclose(from_space(to_space(linear, space), space), linear, atol=1e-8)


class Interpolations(unittest.TestCase):
    def coordinates(self):
        return linear_to_oklab(np.array([parse_hex(c) for c in MIXED]))

    def check(self, found, wanted_oklab):
        np.testing.assert_allclose(found, oklab_to_linear(wanted_oklab), atol=2e-5)

    def test_smooth_by_its_formula(self):
        found = compiled(PLACES, MIXED, interpolation="eased").colours_of(AT)
        x = np.clip(AT.astype(np.float64), PLACES[0], PLACES[-1])
        j = np.clip(np.searchsorted(PLACES, x, side="right") - 1, 0, 3)
        t = (x - np.array(PLACES)[j]) / np.diff(PLACES)[j]
        lab = self.coordinates()
        self.check(found, lab[j] + (lab[j + 1] - lab[j]) * (3 * t**2 - 2 * t**3)[:, None])

    def test_cardinal_against_scipy(self):
        """CubicHermiteSpline with tangents (1 - tension) times the slope between neighbours."""
        x, lab = np.array(PLACES), self.coordinates()
        for tension in (-0.5, 0.0, 0.4, 1.0):
            found = compiled(PLACES, MIXED, interpolation="through", tension=tension).colours_of(AT)
            before, after = np.maximum(np.arange(5) - 1, 0), np.minimum(np.arange(5) + 1, 4)
            slopes = (1 - tension) * (lab[after] - lab[before]) / (x[after] - x[before])[:, None]
            self.check(found, CubicHermiteSpline(x, lab, slopes)(np.clip(AT.astype(np.float64), x[0], x[-1])))

    def test_b_spline_against_scipy(self):
        """scipy.interpolate.BSpline, uniform cubic, with one more point beyond each end so that the ends are met."""
        for count in (2, 3, 5):
            colours, places = MIXED[:count], np.linspace(0, 1, count)
            lab = linear_to_oklab(np.array([parse_hex(c) for c in colours]))
            points = np.concatenate([[2 * lab[0] - lab[1]], lab, [2 * lab[-1] - lab[-2]]])
            spline = BSpline(np.arange(-3, count + 3), points, 3)
            found = compiled(places.tolist(), colours, interpolation="soft").colours_of(AT)
            self.check(found, spline(np.clip(AT.astype(np.float64), 0, 1) * (count - 1)))

    def test_places_of_a_b_spline_are_where_the_stops_stand(self):
        lab = self.coordinates()
        found = compiled(PLACES, MIXED, interpolation="soft").colours_of(np.array(PLACES, np.float32))
        wanted = lab.copy()
        wanted[1:-1] = (lab[:-2] + 4 * lab[1:-1] + lab[2:]) / 6
        self.check(found, wanted)

    def test_one_and_two_stops_and_values_that_are_none(self):
        odd = np.array([np.nan, -1e30, 1e30, 0, 1], np.float32)
        for kind in ("steps", "straight", "eased", "through", "soft"):
            for space in SPACES:
                for colours in (MIXED[:1], MIXED[:2], MIXED[2:3]):
                    places = np.linspace(0.2, 0.7, len(colours)).tolist()
                    made = compiled(places, colours, interpolation=kind, mix_in=space)
                    found = made.colours_of(odd)
                    self.assertTrue(np.isfinite(found[1:]).all(), f"{kind} {space}")
                    np.testing.assert_allclose(found[3], parse_hex(colours[0]), atol=2e-5)
                    np.testing.assert_allclose(found[4], parse_hex(colours[-1]), atol=2e-5)
                    self.assertEqual(made.colours_of(np.empty(0, np.float32)).shape, (0, 3))

    def test_held_stops_and_intensity(self):
        document = ramp(PLACES, MIXED, interpolation="straight", mix_in="linear_rgb")
        document["stops"][1]["hold"] = True
        document["stops"][4]["intensity"] = 6
        for kind in ("straight", "eased", "through", "soft"):
            made = parse(Ramp, {**document, "interpolation": kind}).compiled()
            found = made.colours_of(np.array([0.31, 0.4199, 0.42, 1.0], np.float32))
            if kind != "soft":
                np.testing.assert_allclose(found[:2], [parse_hex(MIXED[1])] * 2, atol=1e-5)
            np.testing.assert_allclose(found[3], parse_hex(MIXED[4]) * 6, rtol=1e-5)
            self.assertGreater(np.abs(found[2] - found[1]).max(), 0.05)


class Edits(unittest.TestCase):
    def test_snap_space_by_share_and_locks(self):
        step = parse(Ramp, ramp([0.011, 0.26, 0.52, 0.74, 0.93], FIVE))
        snapped = [s.at for s in edit_ramp(step, "snap").stops]
        np.testing.assert_allclose(snapped, [0, 0.25, 0.5, 0.75, 0.95], atol=1e-9)
        values = (np.random.default_rng(3).random(5000) ** 2).astype(np.float32)
        equal = edit_ramp(step, "space_by_share", values)
        np.testing.assert_array_equal(np.bincount(equal.compiled().bands_of(values)), [1000] * 5)
        linear = parse(Ramp, {**ramp([0, 0.1, 0.2, 0.3, 0.4], FIVE), "interpolation": "straight"})
        spaced = [s.at for s in edit_ramp(linear, "space_by_share", values).stops]
        np.testing.assert_allclose(spaced, np.quantile(values, [0, 0.25, 0.5, 0.75, 1]), atol=2e-3)
        holding = [{"at": a, "colour": c} for a, c in zip((0.1, 0.5, 0.9), FIVE, strict=False)]
        holding[0]["hold"] = True
        flipped = edit_ramp(parse(Ramp, {**linear.model_dump(), "stops": holding}), "flip")
        self.assertEqual([s.hold for s in flipped.stops], [False, True, False])
        same = [0.5, 0.5005, 0.501, 0.5015, 0.502]
        self.assertEqual(len({s.at for s in edit_ramp(parse(Ramp, ramp(same, FIVE)), "snap").stops}), 5)
        with self.assertRaises(BadInput):
            edit_ramp(step, "space_by_share", np.empty(0, np.float32))


class Greys(unittest.TestCase):
    """A grey takes its neighbour's hue, whether something follows or not (CSS Color Module Level 4, 12.2)."""

    ORDERS = (
        ["#808080", "#d8452f", "#2f6fd8"], ["#d8452f", "#808080", "#2f6fd8"],
        ["#d8452f", "#2f6fd8", "#808080"],
        ["#808080", "#a0a0a0", "#2f6fd8", "#e8d020"], ["#2f6fd8", "#808080", "#202020", "#e8d020"],
        ["#808080", "#101010"],
    )  # fmt: skip

    def colours(self, stops, between, space, hue):
        paint = {"step": "ramp", "interpolation": between, "mix_in": space, "hue": hue, "stops": stops}
        signals = [
            {"name": "s", "chain": [{"step": "constant", "value": 0.5}]},
            {"name": "tint", "chain": [{"step": "constant", "value": stops[-1]["colour"]}]},
        ]
        if not isinstance(stops[-1]["colour"], str):
            signals[1]["chain"][0]["value"] = "#2f6fd8"
        document = {**look_document({"step": "random", "seed": 3}, paint), "signals": signals}
        return Evaluator().evaluate(points(300), parse(Look, document)).colours

    def test_the_same_whether_something_follows_or_not(self):
        for order in self.ORDERS:
            places = np.linspace(0.05, 0.9, len(order)).tolist()
            fixed = [{"at": a, "colour": c} for a, c in zip(places, order, strict=True)]
            half = {"signal": "s", "low": 0, "high": 2}
            ways = [
                [*fixed[:-1], {**fixed[-1], "intensity": half}],
                [{**fixed[0], "at": {"signal": "s", "low": 0, "high": 0.1}}, *fixed[1:]],
                [{**fixed[0], "intensity": half}, *fixed[1:]],
            ]
            if order[-1] == "#2f6fd8":
                ways.append([*fixed[:-1], {**fixed[-1], "colour": {"signal": "tint"}}])
            for between in ("straight", "eased", "through", "soft"):
                for space in ("oklch", "hsv"):
                    for hue in ("shorter", "longer"):
                        wanted = self.colours(fixed, between, space, hue)
                        for way in ways:
                            found = self.colours(way, between, space, hue)
                            message = f"{order} {between} {space} {hue}"
                            np.testing.assert_allclose(found, wanted, atol=3e-5, err_msg=message)

    def test_the_longer_way_is_one_for_all_that_lies_between_two_stops(self):
        """Two stops: a spline through them is straight. The longer way to a grey goes once round."""
        for pair in (["#808080", "#d8452f"], ["#d8452f", "#808080"]):
            for space in ("oklch", "hsv"):
                found = {}
                for between in ("straight", "through", "soft"):
                    stops = [{"at": 0, "colour": pair[0]}, {"at": 1, "colour": pair[1]}]
                    found[between] = self.colours(stops, between, space, "longer")
                    np.testing.assert_allclose(found[between], found["straight"], atol=3e-5, err_msg=f"{pair} {space}")
                plain = self.colours(stops, "straight", space, "shorter")
                self.assertGreater(np.abs(found["straight"] - plain).max(), 0.1)
