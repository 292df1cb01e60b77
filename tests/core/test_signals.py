"""Signals, dials, parameters that follow them, and steps that hold chains."""

from __future__ import annotations

import unittest
from typing import ClassVar

import numpy as np

from gaudyseed.core.colour.harmony import rerolled
from gaudyseed.core.colour.spaces import encode_srgb, parse_hex, to_hex
from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.formats.palettes import write_text
from gaudyseed.core.formula import renamed_in_formula
from gaudyseed.core.kinds import COLOUR
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Look
from gaudyseed.core.look.rename import rename_dial, rename_signal
from gaudyseed.core.look.steps.curve import Curve as CurveStep
from gaudyseed.core.look.steps.ramp import Ramp as RampStep
from gaudyseed.core.palette import Swatch
from gaudyseed.core.reports.report import Reporter
from gaudyseed.core.scene.dials import Dial
from gaudyseed.core.scene.model import Scene
from tests.support import FIVE, look, look_document, points, ramp

WEAR = {"step": "attribute", "name": "wear"}
GREYS = ramp([0, 1], ["#000000", "#ffffff"], interpolation="straight", mix_in="linear_rgb")


def with_signals(signals: dict[str, list], *steps: dict, **layer) -> Look:
    document = look_document(*steps, **layer)
    document["signals"] = [{"name": name, "chain": chain} for name, chain in signals.items()]
    return parse(Look, document)


class Case(unittest.TestCase):
    def setUp(self):
        self.wear = np.linspace(0, 1, 101)
        self.population = points(101, wear=self.wear, part=np.arange(101) % 7)
        self.evaluator = Evaluator()

    def run_look(self, chain: Look, *dials: dict):
        return self.evaluator.evaluate(self.population, chain, dials=[parse(Dial, d) for d in dials])

    def greys(self, chain: Look, *dials: dict) -> np.ndarray:
        return self.run_look(chain, *dials).colours[:, 0]

    def refused(self, chain: Look, *dials: dict) -> BadInput:
        with self.assertRaises(BadInput) as caught:
            self.run_look(chain, *dials)
        return caught.exception


class Signals(Case):
    def test_read_in_chains_masks_and_formulas_in_any_order(self):
        chain = with_signals(
            {"late": [{"step": "formula", "text": "early * 2 - wear"}], "early": [WEAR]},
            {"step": "signal", "name": "late"}, GREYS, mask=[{"step": "signal", "name": "early"}],
        )  # fmt: skip
        np.testing.assert_allclose(self.greys(chain), self.wear**2 + (1 - self.wear), atol=1e-6)

    def test_a_circle_names_its_members(self):
        read = lambda name: [{"step": "signal", "name": name}]  # noqa: E731
        chain = with_signals({"a": read("b"), "b": [{"step": "formula", "text": "c + 1"}], "c": read("a")}, WEAR, GREYS)
        error = self.refused(chain)
        self.assertEqual(error.code, "signal_cycle")
        self.assertIn("'a' reads 'b' reads 'c' reads 'a'", error.sentence)
        following = {"step": "range", "to_high": {"signal": "self"}}
        self.assertEqual(self.refused(with_signals({"self": [WEAR, following]}, WEAR, GREYS)).code, "signal_cycle")

    def test_names_that_are_wrong_or_taken(self):
        missing = self.refused(with_signals({"Wear map": [WEAR]}, {"step": "signal", "name": "wear_map"}, GREYS))
        self.assertIn("only in case or spacing", missing.sentence)
        self.assertEqual(missing.fix.operations[0]["value"], "Wear map")
        self.assertEqual(self.refused(with_signals({"wear": [WEAR]}, WEAR, GREYS)).code, "name_taken")
        attribute = self.refused(with_signals({"glint": [WEAR]}, {"step": "attribute", "name": "glint"}, GREYS))
        self.assertEqual(attribute.fix.operations[0]["value"], {"step": "signal", "name": "glint"})
        near = self.refused(with_signals({}, {"step": "attribute", "name": "Wear"}, GREYS))
        self.assertEqual(near.fix.operations[0]["value"], "wear")
        for name in (" a", "a ", 'a"b', "f(x)", ""):
            with self.assertRaises(BadInput):
                with_signals({name: [WEAR]}, WEAR, GREYS)
        with self.assertRaises(BadInput):
            parse(Look, {"signals": [{"name": "a", "chain": [WEAR]}] * 2})

    def test_computed_once_and_cached(self):
        chain = with_signals({"s": [WEAR]}, {"step": "signal", "name": "s"}, GREYS)
        self.assertEqual(len(self.run_look(chain).computed), 3)
        changed = with_signals({"s": [WEAR, {"step": "even_out"}]}, {"step": "signal", "name": "s"}, GREYS)
        self.assertEqual(
            self.run_look(changed).computed,
            ["signals[0].chain[1]", *(f"lanes.base_colour.layers[0].paint[{k}]" for k in (0, 1))],
        )

    def test_renamed_everywhere(self):
        drift = {"step": "drift", "seed": 1, "hue": [0, {"signal": "s", "high": 30}]}
        choose = {"step": "choose", "chains": [[{"step": "signal", "name": "s"}], [WEAR]]}
        chain = with_signals(
            {"s": [WEAR], "t": [{"step": "formula", "text": "s*2 + value( 's' ) + size"}]},
            {"step": "signal", "name": "t"}, choose, GREYS, drift, amount={"signal": "s"},
        )  # fmt: skip
        renamed = rename_signal(chain, "s", "worn edge")
        self.assertEqual(renamed.signals[1].chain[0].text, 'value("worn edge")*2 + value( "worn edge" ) + size')
        self.assertNotIn('"s"', renamed.model_dump_json())
        np.testing.assert_array_equal(self.run_look(chain).colours, self.run_look(renamed).colours)
        self.assertEqual(rename_signal(renamed, "worn edge", "s").signals[0], chain.signals[0])
        for old, new in (("none", "x"), ("s", "t"), ("s", "")):
            with self.assertRaises(BadInput):
                rename_signal(chain, old, new)

    def test_renamed_in_formulas_as_typed(self):
        for before, after in (
            ("é + sin + s*s", "é + sin + wear2*wear2"),
            ("sin(s) + ss", "sin(wear2) + ss"),
            ('value("s")-s', 'value("wear2")-wear2'),
        ):
            self.assertEqual(renamed_in_formula(before, "s", "wear2"), after)
        self.assertEqual(renamed_in_formula("sin(sin)", "sin", "t"), "sin(t)")
        self.assertEqual(renamed_in_formula("s + 1", "s", "class"), 'value("class") + 1')

    def test_a_dial_is_renamed_in_every_population(self):
        def scene(*texts: str) -> Scene:
            looks = [
                look_document({"step": "formula", "text": text}, {**GREYS, "tension": {"dial": "low"}})
                for text in texts
            ]
            entries = [
                {"id": f"p{k}", "name": f"P{k}", "maker": {"maker": "scatter"}, "look": entry}
                for k, entry in enumerate(looks)
            ]
            dials = [{"name": "low", "value": 0.2}, {"name": "high", "value": 1}]
            return parse(Scene, {"gaudyseed": 3, "name": "s", "populations": entries, "dials": dials})

        carried = {"p0": ("wear",), "p1": ("wear", "low")}
        named = rename_dial(scene("wear * low + high", "low + 1"), "low", "late night", carried)
        self.assertEqual([d.name for d in named.dials], ["late night", "high"])
        steps = [p.look.lanes["base_colour"].layers[0].paint for p in named.populations]
        # An attribute goes before a dial of its name, so the second formula keeps what it reads.
        self.assertEqual([s[0].text for s in steps], ['wear * value("late night") + high', "low + 1"])
        self.assertEqual({s[1].tension.dial for s in steps}, {"late night"})
        cases = [("none", "x", "no dial"), ("low", "high", "already"), ("low", "wear", "value of the elements")]
        for old, new, word in [*cases, ("low", 'a"b', "")]:
            with self.assertRaises(BadInput) as caught:
                rename_dial(scene("low", "1"), old, new, carried)
            self.assertIn(word, str(caught.exception))

    def test_advised_where_nothing_reads_one(self):
        chain = with_signals({"lonely": [WEAR], "read": [WEAR]}, {"step": "formula", "text": "read"}, GREYS)
        found = Reporter(self.evaluator).advisories(self.run_look(chain))
        self.assertEqual([a["code"] for a in found], ["unread_signal"])
        self.assertIn("'lonely'", found[0]["sentence"])
        self.assertEqual(found[0]["fixes"][0]["operations"], [{"op": "remove", "path": "/signals/0"}])
        amount = with_signals({"read": [WEAR]}, WEAR, GREYS, amount={"signal": "read"})
        self.assertEqual(Reporter(self.evaluator).advisories(self.run_look(amount)), [])


class Stacks(Case):
    """Layers over the chain of a signal, against NumPy's own arithmetic."""

    HALF: ClassVar = {"step": "constant", "value": 0.5}

    def signal(self, *layers: dict, chain: list | None = None, **others: list) -> Look:
        document = look_document({"step": "signal", "name": "s"}, GREYS)
        document["signals"] = [
            {"name": "s", "chain": chain or [WEAR], "layers": list(layers)},
            *({"name": name, "chain": steps} for name, steps in others.items()),
        ]
        return parse(Look, document)

    def value(self, chain: Look) -> np.ndarray:
        return self.run_look(chain).signal_values["s"].array

    def test_numbers_take_every_arithmetic_mode_with_amount_and_mask(self):
        formulas = {
            "normal": lambda b, s: s, "add": lambda b, s: b + s, "subtract": lambda b, s: b - s,
            "minimum": np.minimum, "maximum": np.maximum, "average": lambda b, s: (b + s) / 2,
            "multiply": lambda b, s: b * s, "screen": lambda b, s: b + s - b * s, "difference": lambda b, s: abs(b - s),
        }  # fmt: skip
        mask = [WEAR, {"step": "range", "flip": True}]
        for blend, formula in formulas.items():
            layer = {"name": "over", "blend": blend, "amount": 0.8, "paint": [self.HALF], "mask": mask}
            mixed = self.wear + (formula(self.wear, 0.5) - self.wear) * 0.8 * (1 - self.wear)
            np.testing.assert_allclose(self.value(self.signal(layer)), mixed, atol=1e-6, err_msg=blend)

    def test_vectors_and_colours_and_an_amount_that_follows(self):
        three = [{"step": "random", "seed": 1, "numbers": 3}]
        over = {"paint": [{"step": "random", "seed": 2, "numbers": 3}], "blend": "subtract", "amount": {"signal": "a"}}
        chain = self.signal(over, chain=three, a=[WEAR])
        chain = chain.model_copy(update={"lanes": look(WEAR, GREYS).lanes})
        evaluation = self.run_look(chain)
        base = evaluation.signals["s"].chain[-1].value.array
        paint = evaluation.signals["s"].layers[0].paint[-1].value.array
        wanted = base - paint * self.wear[:, None]
        self.assertLess(wanted.min(), 0)  # vectors may be negative
        np.testing.assert_allclose(evaluation.signal_values["s"].array, wanted, atol=1e-6)
        tint = [{"step": "constant", "value": "#808080"}]
        layer = {"paint": [{"step": "constant", "value": "#ff0000"}], "blend": "luminosity", "blend_in": "display"}
        found = self.run_look(self.signal(layer, chain=tint).model_copy(update={"lanes": look(WEAR, GREYS).lanes}))
        self.assertEqual(found.signals["s"].value.kind, COLOUR)
        np.testing.assert_allclose(encode_srgb(found.signals["s"].value.array), 0.3, atol=1e-3)

    def test_wrong_kinds_and_modes_and_circles(self):
        for layer, word in (
            ({"paint": [self.HALF], "blend": "hue"}, "wants colours, but numbers come"),
            ({"paint": [self.HALF, GREYS]}, "ends with a colour, but a number is wanted"),
            ({"paint": [self.HALF], "mask": [self.HALF, GREYS]}, "but a number is wanted"),
            ({"paint": [{"step": "signal", "name": "s"}]}, "'s' reads 's'"),
            ({"paint": [self.HALF], "amount": {"signal": "s"}}, "'s' reads 's'"),
        ):
            refused = self.refused(self.signal(layer))
            self.assertIn(word, refused.sentence)
            self.assertTrue(refused.place.startswith("signals[0].layers[0]"), refused.place)

    def test_counted_cached_traced_advised_and_renamed(self):
        off = {"name": "off", "enabled": False, "paint": [self.HALF]}
        faint = {"name": "faint", "amount": 0, "paint": [self.HALF]}
        cover = {"name": "cover", "paint": [{"step": "signal", "name": "t"}], "mask": None}
        chain = self.signal(off, faint, cover, t=[WEAR])
        evaluation = self.run_look(chain)
        np.testing.assert_array_equal(evaluation.signals["s"].value.array, np.float32(self.wear))
        reporter = Reporter(self.evaluator)
        census = reporter.steps(evaluation)
        self.assertEqual(sum(census["signals[0]"]["numbers"]["bins"]), 101)
        self.assertIn("signals[0].layers[2].paint[0]", census)
        self.assertNotIn("signals[0].layers[0].paint[0]", census)
        found = {(a["code"], a["place"]) for a in reporter.advisories(evaluation)}
        self.assertEqual(found, {
            ("layer_hidden", "signals[0].chain[0]"), ("layer_amount_zero", "signals[0].layers[1].paint[0]"),
        })  # fmt: skip
        places = [step["place"] for step in reporter.trace(evaluation, 50)["steps"]]
        self.assertIn("signals[0].layers[2].paint[0]", places)
        again = self.run_look(self.signal(off, {**faint, "amount": 0.5}, {**cover, "amount": 0.5}, t=[WEAR]))
        self.assertEqual(again.computed, [p for p in again.computed if p.startswith("lanes")])
        np.testing.assert_allclose(again.signals["s"].value.array, 0.75 * self.wear + 0.125, atol=1e-6)
        named = rename_signal(chain, "t", "tide")
        self.assertEqual(named.signals[0].layers[2].paint[0].name, "tide")
        np.testing.assert_array_equal(self.run_look(named).colours, evaluation.colours)


class Following(Case):
    def test_every_number_of_shaping_steps_for_each_element(self):
        """Against the steps' own formulas over arrays."""
        half = np.full(101, 0.5)
        cases = [
            ({"step": "range", "to_high": {"signal": "s", "high": 4}, "clamp": False}, half * 4 * self.wear),
            ({"step": "levels", "gamma": {"signal": "s", "low": 1, "high": 3}}, half ** (1 / (1 + 2 * self.wear))),
            ({"step": "levels", "gamma": {"signal": "s", "low": -9, "high": -9}}, half ** (1 / 0.01)),
            ({"step": "mix", "factor": {"signal": "s"}, "chain": [WEAR]}, half + (self.wear - half) * self.wear),
            ({"step": "quantise", "levels": {"signal": "s", "low": 1, "high": 5}},
             (np.floor(0.5 * np.floor(1 + 4 * self.wear)) + 0.5) / np.floor(1 + 4 * self.wear)),
        ]  # fmt: skip
        for step, wanted in cases:
            chain = with_signals({"s": [WEAR]}, {"step": "constant", "value": 0.5}, step, {**GREYS, "stops": [
                {"at": 0, "colour": "#000000"}, {"at": 1, "colour": "#ffffff", "intensity": 1}]})  # fmt: skip
            place = "lanes.base_colour.layers[0].paint[1]"
            found = next(r.value.array for r in self.run_look(chain).steps if r.place == place)
            np.testing.assert_allclose(found, wanted, atol=2e-6, err_msg=str(step))

    def test_a_drift_range_for_each_element(self):
        colour = {"step": "constant", "value": "#d8452f"}
        drift = {"step": "drift", "seed": 4, "hue": [0, {"signal": "s", "high": 60}]}
        evaluation = self.run_look(with_signals({"s": [WEAR]}, colour, drift))
        plain = self.run_look(with_signals({}, colour, {**drift, "hue": [0, 30]})).colours
        np.testing.assert_allclose(evaluation.colours[0], evaluation.layers[0].paint[0].value.array[0], atol=1e-6)
        np.testing.assert_allclose(evaluation.colours[50], plain[50], atol=1e-5)
        self.assertGreater(np.abs(evaluation.colours[100] - plain[100]).max(), 1e-3)

    def test_a_stop_whose_colour_comes_from_a_signal(self):
        tint = [WEAR, ramp([0, 1], ["#ff0000", "#0000ff"], interpolation="straight")]
        for kind in ("steps", "straight", "eased", "through", "soft"):
            for space in ("oklab", "oklch", "linear_rgb", "display_rgb", "hsv"):
                stops = [
                    {"at": 0, "colour": "#102030"},
                    {"at": 0.6, "colour": {"signal": "tint"}},
                    {"at": 1, "colour": "#f0d040"},
                ]
                paint = {"step": "ramp", "interpolation": kind, "mix_in": space, "stops": stops}
                evaluation = self.run_look(with_signals({"tint": tint}, {"step": "random", "seed": 3}, paint))
                for k in (0, 33, 100):
                    own = evaluation.signal_values["tint"].array[k]
                    value = evaluation.layers[0].paint[0].value.array[k : k + 1]
                    ramp_of_one = evaluation.layers[0].paint[1].compiled.step.compiled(evaluation.signal_values)
                    colours = ramp_of_one.colours.copy()
                    colours[1] = own
                    one = type(ramp_of_one)(ramp_of_one.positions, colours, kind, space, holds=ramp_of_one.holds)
                    np.testing.assert_allclose(
                        evaluation.colours[k], one.colours_of(value)[0], atol=3e-5, err_msg=f"{kind} {space}"
                    )
                Reporter(self.evaluator).steps(evaluation)

    def test_stops_whose_places_tension_and_intensity_follow_a_signal(self):
        """Each element's colour is that of a ramp of its own, written with its own numbers."""
        at = np.clip(0.1 + 0.7 * self.wear, 0, 1)
        for kind in ("steps", "straight", "eased", "through", "soft"):
            for space in ("oklab", "oklch", "linear_rgb", "display_rgb", "hsv"):

                def stops(place, intensity):
                    return [
                        {"at": 0.05, "colour": "#102030"}, {"at": place, "colour": "#d8452f", "intensity": intensity},
                        {"at": 0.4, "colour": "#22a98a"}, {"at": 0.95, "colour": "#f0d040"},
                    ]  # fmt: skip

                place, intensity = {"signal": "s", "low": 0.1, "high": 0.8}, {"signal": "s", "low": 1, "high": 3}
                settings = {"interpolation": kind, "mix_in": space, "tension": {"signal": "s", "high": 0.5}}
                paint = {"step": "ramp", **settings, "stops": stops(place, intensity)}
                evaluation = self.run_look(with_signals({"s": [WEAR]}, {"step": "random", "seed": 3}, paint))
                read, painted = evaluation.layers[0].paint
                for k in range(0, 101, 5):
                    # No stop stands before the one before it: the third is pushed along.
                    pushed = [{**s, "at": max(0.4, at[k] + 1e-6)} if s["at"] == 0.4 else s
                              for s in stops(float(at[k]), 1 + 2 * self.wear[k])]  # fmt: skip
                    own = {**paint, "tension": 0.5 * self.wear[k], "stops": pushed}
                    one = parse(RampStep, own).compiled()
                    value = read.value.array[k : k + 1]
                    if abs(value[0] - at[k]) < 1e-5:
                        continue
                    np.testing.assert_allclose(
                        evaluation.colours[k], one.colours_of(value)[0], atol=2e-4, err_msg=f"{kind} {space} {k}"
                    )
                    if kind == "step":
                        self.assertEqual(painted.value.bands[k], one.bands_of(value)[0])
                census = Reporter(self.evaluator).steps(evaluation)[painted.place]["ramp"]
                self.assertAlmostEqual(census["places"][1], at.mean(), places=5)
                self.assertAlmostEqual(census["places"][2], np.maximum(at, 0.4).mean(), places=5)
                self.assertEqual(sum(census["counts"]), 101)
                Reporter(self.evaluator).trace(evaluation, 7)
                Reporter(self.evaluator).advisories(evaluation)

    def test_points_of_a_curve_follow_a_signal_or_a_dial(self):
        """Each element's value is that of a curve of its own, written with its own numbers."""

        def points(x, y, left, right):
            moving = {"x": x, "y": y, "left": [left, 0.1], "right": [0.1, right]}
            return [{"x": 0.05, "y": 0.9}, {"x": 0.3, "y": 0.2}, moving, {"x": 0.9, "y": 0.7, "left": [-0.3, 0]}]

        def follow(low, high, **source):
            return {"low": low, "high": high, **(source or {"signal": "s"})}

        wear = self.wear
        for kind in ("straight", "monotone", "bezier"):
            ends = [(0.35, 0.85), (0.1, 1), (-0.2, 0), (-0.3, 0.3)]
            curve = {"step": "curve", "interpolation": kind, "points": points(*(follow(*e) for e in ends))}
            evaluation = self.run_look(with_signals({"s": [WEAR]}, {"step": "random", "seed": 3}, curve, GREYS))
            read, bent = (r.value.array for r in evaluation.layers[0].paint[:2])
            for k in range(0, 101, 4):
                own = [low + (high - low) * wear[k] for low, high in ends]
                one = parse(CurveStep, {**curve, "points": points(*map(float, own))})
                self.assertAlmostEqual(
                    bent[k], one.heights(read[k : k + 1], one.drawn())[0], places=4, msg=f"{kind} {k}"
                )
            drawn = Reporter(self.evaluator).steps(evaluation)["lanes.base_colour.layers[0].paint[1]"]
            np.testing.assert_allclose(drawn["points"][2][:2], [0.6, 0.55], atol=1e-5)
            dialled = {**curve, "points": points(*(follow(*e, dial="d") for e in ends))}
            chain = with_signals({}, {"step": "random", "seed": 3}, dialled, GREYS)
            fixed = {**curve, "points": points(*(low + (high - low) * 0.25 for low, high in ends))}
            np.testing.assert_array_equal(
                self.run_look(chain, {"name": "d", "value": 0.25}).colours,
                self.run_look(with_signals({}, {"step": "random", "seed": 3}, fixed, GREYS)).colours,
            )

    def test_a_point_never_passes_the_one_before_it(self):
        chased = {"step": "curve", "interpolation": "straight", "points": [
            {"x": {"signal": "s", "low": 0, "high": 1}, "y": 0}, {"x": 0.5, "y": 1}]}  # fmt: skip
        evaluation = self.run_look(with_signals({"s": [WEAR]}, {"step": "constant", "value": 0.5}, chased, GREYS))
        found = evaluation.layers[0].paint[1].value.array
        np.testing.assert_allclose(found, np.where(self.wear <= 0.4999, 1, 0), atol=1e-6)
        refused = self.refused(with_signals({}, WEAR, {**chased, "points": [
            {"x": {"dial": "d"}, "y": 0}, {"x": 0.5, "y": 1}]}, GREYS), {"name": "d", "value": 0.7})  # fmt: skip
        self.assertIn("to the right of point 1", refused.sentence)

    def test_every_channel_of_a_decision_list_follows(self):
        settings = {"slope": (0.5, 2), "offset": (-0.1, 0.2), "power": (0.5, 2)}
        colour = {"step": "constant", "value": "#d8a52f"}
        for name, (low, high) in settings.items():
            for channel in range(3):

                def grade(value, name=name, channel=channel):
                    neutral = 0.0 if name == "offset" else 1.0
                    return {"step": "grade", name: [value if k == channel else neutral for k in range(3)],
                            "cdl_saturation": 0.8}  # fmt: skip

                follow = {"signal": "s", "low": low, "high": high}
                each = self.run_look(with_signals({"s": [WEAR]}, colour, grade(follow))).colours
                for k in (0, 37, 100):
                    plain = self.run_look(with_signals({}, colour, grade(low + (high - low) * self.wear[k]))).colours
                    np.testing.assert_allclose(each[k], plain[k], atol=2e-6, err_msg=f"{name} {channel}")
        saturation = {"step": "grade", "cdl_saturation": {"signal": "s", "low": 0, "high": 2}}
        each = self.run_look(with_signals({"s": [WEAR]}, colour, saturation)).colours
        self.assertLess(np.ptp(encode_srgb(each[0])), 1e-5)
        self.assertGreater(np.ptp(encode_srgb(each[100])), np.ptp(encode_srgb(each[50])))

    def test_swatches_whose_colours_weights_and_number_follow(self):
        tint = [WEAR, ramp([0, 1], ["#ff0000", "#0000ff"], interpolation="straight")]
        swatches = [{"colour": "#102030", "weight": {"dial": "much"}}, {"colour": {"signal": "tint"}},
                    {"colour": {"dial": "night"}, "weight": 2}]  # fmt: skip
        palette = {"step": "palette", "parts": "weights", "columns": {"dial": "much"}, "swatches": swatches}
        chain = with_signals({"tint": tint}, WEAR, palette)
        much, night = {"name": "much", "value": 1}, {"name": "night", "value": "#40c080"}
        evaluation = self.run_look(chain, much, night)
        read, painted = evaluation.layers[0].paint
        own = evaluation.signal_values["tint"].array
        cells = np.searchsorted([0.25, 0.5], read.value.array, side="right")
        common = np.array([parse_hex("#102030"), [0, 0, 0], parse_hex("#40c080")])[cells]
        wanted = np.where((cells == 1)[:, None], own, common)
        np.testing.assert_array_equal(painted.value.bands, cells)
        np.testing.assert_allclose(evaluation.colours, wanted, atol=1e-6)
        census = Reporter(self.evaluator).steps(evaluation)[painted.place]["palette"]
        self.assertEqual(census["colours"], ["#102030", to_hex(own.mean(axis=0)), "#40c080"])
        self.assertEqual(sum(census["counts"]), len(own))
        refused = self.refused(chain, {**much, "value": 0.5}, night)
        self.assertIn("follows a dial: 'much'", refused.sentence)

    def test_swatches_that_follow_stay_when_others_are_drawn_anew_and_are_grey_in_files(self):
        following = Swatch(colour={"signal": "tint"})
        found = rerolled([Swatch(colour="#d8452f"), following], seed=3)
        self.assertEqual(found[1], following)
        self.assertNotEqual(found[0].colour, "#d8452f")
        self.assertEqual(write_text([following], 8), b"#808080\n")

    def test_dials_are_numbers_colours_and_seeds(self):
        chain = with_signals(
            {}, {"step": "random", "seed": {"dial": "night"}},
            ramp([0, 0.5], [FIVE[0], {"dial": "glow"}]) | {"tension": {"dial": "low"}},
            {"step": "drift", "seed": 1, "hue": [0, {"dial": "low", "high": 90}]},
            amount={"dial": "low", "low": 1, "high": 0},
        )  # fmt: skip
        dials = [{"name": "night", "value": 42}, {"name": "glow", "value": "#ff8800"}, {"name": "low", "value": 0.25}]
        plain = with_signals(
            {}, {"step": "random", "seed": 42}, ramp([0, 0.5], [FIVE[0], "#ff8800"]) | {"tension": 0.25},
            {"step": "drift", "seed": 1, "hue": [0, 22.5]}, amount=0.75,
        )  # fmt: skip
        np.testing.assert_array_equal(self.run_look(chain, *dials).colours, self.run_look(plain).colours)
        for bad, word in (
            ([], "No dial is called"),
            ([{"name": "night", "value": 4.5}, *dials[1:]], "follows a dial: 'night'"),
            ([dials[0], {"name": "glow", "value": 1}, dials[2]], "wants a colour"),
            ([*dials[:2], {"name": "low", "value": "#ffffff"}], "wants a number"),
            ([*dials[:2], {"name": "low", "value": 7}], "less than or equal"),
        ):
            self.assertIn(word, self.refused(chain, *bad).sentence)
        formula = with_signals({}, {"step": "formula", "text": "wear * low"}, GREYS)
        np.testing.assert_allclose(self.greys(formula, dials[2]), self.wear * 0.25, atol=1e-6)

    def test_what_cannot_be_followed_is_told(self):
        cases = [
            ({"step": "drift", "seed": 1, "hue": [0, {"signal": "nope"}]}, "No signal is called 'nope'"),
            (
                {"step": "drift", "seed": 1, "hue": [0, {"signal": "tint"}]},
                "wants a number, but the signal 'tint' gives a colour",
            ),
        ]
        for step, sentence in cases:
            chain = with_signals(
                {"tint": [{"step": "constant", "value": "#808080"}]}, {"step": "signal", "name": "tint"}, step
            )
            self.assertIn(sentence, self.refused(chain).sentence)
        for wrong in (
            {},
            {"signal": "a", "dial": "b"},
            {"signal": 3},
            {"sig": "a"},
            "text",
            181,
            {"signal": "a", "low": "x"},
        ):
            with self.assertRaises(BadInput) as caught:
                with_signals({}, WEAR, GREYS, {"step": "drift", "seed": 1, "hue": wrong})
            self.assertIn("paint[2].hue", caught.exception.place)


class Holding(Case):
    def test_item_i_of_n_takes_chain_i(self):
        """For every n from 1 to 64; the last item takes the last chain (common practice)."""
        for n in range(1, 65):
            population = points(n, item=np.arange(n))
            chains = [[{"step": "constant", "value": float(k)}] for k in range(n)]
            chain = with_signals(
                {"c": [{"step": "attribute", "name": "item"}, {"step": "choose", "of": "index", "chains": chains}]},
                {"step": "signal", "name": "c"}, GREYS,
            )  # fmt: skip
            values = self.evaluator.evaluate(population, chain).signal_values["c"].array
            np.testing.assert_array_equal(values, np.arange(n))

    def test_values_beyond_and_edges(self):
        chains = [[{"step": "constant", "value": float(k)}] for k in range(3)]
        population = points(7, v=np.array([-1, 0, 0.333, 0.334, 1, 1.4, np.nan]))
        for beyond, wanted in (("hold", [0, 0, 0, 1, 2, 2, 0]), ("repeat", [0, 0, 0, 1, 2, 1, 0])):
            step = {"step": "choose", "beyond": beyond, "chains": chains}
            chain = with_signals(
                {"c": [{"step": "attribute", "name": "v"}, step]}, {"step": "signal", "name": "c"}, GREYS
            )
            found = self.evaluator.evaluate(population, chain).signal_values["c"].array
            np.testing.assert_array_equal(found, wanted, err_msg=beyond)

    def test_kinds_must_agree(self):
        blue = [{"step": "constant", "value": "#0000ff"}]
        error = self.refused(with_signals({}, WEAR, {"step": "choose", "chains": [blue, [WEAR]]}))
        self.assertIn("Chain 1 gives a colour, but chain 2 gives a number", error.sentence)
        self.assertEqual(error.place, "lanes.base_colour.layers[0].paint[1].chains[1]")
        self.assertIn(
            "Both must be", self.refused(with_signals({}, WEAR, {"step": "mix", "chain": blue}, GREYS)).sentence
        )
        inner = with_signals({}, WEAR, {"step": "choose", "chains": [[GREYS]]})
        self.assertEqual(self.refused(inner).place, "lanes.base_colour.layers[0].paint[1].chains[0][0]")
        with self.assertRaises(BadInput) as caught:
            with_signals({}, WEAR, {"step": "choose", "chains": [[WEAR], [{"step": "random", "sed": 1}]]})
        self.assertEqual(caught.exception.place, "lanes.base_colour.layers[0].paint[1].chains[1][0].seed")

    def test_there_is_an_end_to_chains_in_chains(self):
        chain = [WEAR]
        for _ in range(3):
            chain = [WEAR, {"step": "choose", "chains": [chain] * 12}]
        error = self.refused(with_signals({"many": chain}, WEAR, GREYS))
        self.assertIn("more than 1000 steps", error.sentence)

    def test_inner_steps_are_counted_cached_and_traced(self):
        chains = [[{"step": "constant", "value": c}] for c in ("#ff0000", "#00ff00")]
        chain = with_signals({}, WEAR, {"step": "choose", "chains": chains}, {"step": "mix", "chain": chains[0]})
        evaluation = self.run_look(chain)
        reporter = Reporter(self.evaluator)
        self.assertEqual(len(reporter.steps(evaluation)), 6)
        self.assertEqual(len(reporter.trace(evaluation, 3)["steps"]), 6)
        self.assertEqual(self.run_look(chain).computed, [])
        np.testing.assert_allclose(evaluation.colours[[0, 100]], [[1, 0, 0], [0.5, 0.5, 0]])


class Held(Case):
    def test_a_held_distribution_does_not_know_the_others(self):
        """Within the distance of two places, (rank - 0.5) / n of the elements it was taken from (rankdata's)."""
        from scipy.stats import rankdata

        from gaudyseed.core.look.steps.even_out import held_distribution

        values = (np.random.default_rng(3).random(5000) ** 3).astype(np.float32)
        step = {"step": "even_out", "held": held_distribution(values)}
        some = points(400, v=values[:400])
        chain = with_signals({"e": [{"step": "attribute", "name": "v"}, step]}, {"step": "signal", "name": "e"}, GREYS)
        found = self.evaluator.evaluate(some, chain).signal_values["e"].array
        np.testing.assert_allclose(found, ((rankdata(values) - 0.5) / 5000)[:400], atol=1.5 / 512)
        for held in ([], held_distribution(np.zeros(9, np.float32))):
            equal = with_signals(
                {"e": [WEAR, {"step": "even_out", "held": held}]}, {"step": "signal", "name": "e"}, GREYS
            )
            self.assertTrue(np.isfinite(self.run_look(equal).colours).all())
        for wrong in ([1.0], [1.0, 0.5], [0.0, float("inf")]):
            with self.assertRaises((BadInput, ValueError)):
                with_signals({}, WEAR, {"step": "even_out", "held": wrong}, GREYS)
