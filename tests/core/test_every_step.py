"""What holds for every step there is: edges of populations and values, kinds, chunks, documents."""

from __future__ import annotations

import json
import unittest
from dataclasses import replace
from typing import get_args
from unittest import mock

import numpy as np

from gaudyseed.core.colour.spaces import HEX_PATTERN
from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.kernels import parallel
from gaudyseed.core.kinds import NUMBER
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Layer, Look
from gaudyseed.core.look.step.curved import CurvePoint
from gaudyseed.core.look.step.parameters import limits
from gaudyseed.core.look.steps import STEPS, Value
from gaudyseed.core.look.steps.ramp import Stop
from gaudyseed.core.palette import Swatch
from gaudyseed.core.population import of_points
from gaudyseed.core.reports.report import Reporter
from gaudyseed.core.scene.dials import Dial
from gaudyseed.core.scene.follow import Follow, FollowColour, FollowDial
from tests.support import FIVE, context, look_document, points, ramp

RANDOM = {"step": "random", "seed": 1}
SIZE = {"step": "attribute", "name": "size"}
DUSK = ramp([0, 0.3, 0.6, 1], FIVE[:4], interpolation="straight")
COLOUR = [{"step": "constant", "value": "#c8553d"}]

#: Every step with settings that make it work, after what it takes.
SAMPLES: dict[str, list[dict]] = {
    "random": [RANDOM, {**RANDOM, "numbers": 2}, {**RANDOM, "numbers": 3, "per": "id"}],
    "attribute": [SIZE, {"step": "attribute", "name": "position"}],
    "constant": [{"step": "constant", "value": 0.3}, COLOUR[0]],
    "formula": [{"step": "formula", "text": "random(3) * index / count"}, {"step": "formula", "text": "position * 2"}],
    "signal": [{"step": "signal", "name": "s"}, {"step": "signal", "name": "tint"}],
    "range": [{"step": "range", "own": True}, {"step": "range", "to_high": {"signal": "s", "high": 3}, "clamp": False}],
    "levels": [{"step": "levels", "gamma": 2, "contrast": 1.5}, {"step": "levels", "pivot": {"signal": "s"}}],
    "curve": [{"step": "curve", "interpolation": k} for k in ("straight", "monotone", "bezier")],
    "even_out": [{"step": "even_out"}, {"step": "even_out", "held": [0, 0.2, 0.2, 1]}],
    "quantise": [{"step": "quantise"}, {"step": "quantise", "of": "index", "beyond": "repeat"}],
    "spread": [{"step": "spread", "seed": 2}, {"step": "spread", "by": "ramp_bands", "seed": 2}],
    "choose": [{"step": "choose", "chains": [COLOUR, [RANDOM, DUSK]]}],
    "mix": [{"step": "mix", "chain": [RANDOM], "factor": {"signal": "s"}}],
    "component": [{"step": "component", "part": p} for p in ("hue", "luma", "luminance", "chroma", "blue")],
    "drift": [
        {"step": "drift", "seed": 1, "hue": [0, {"signal": "s", "high": 90}], "lightness": [-0.2, 0.2]},
        {
            "step": "drift",
            "seed": 1,
            "space": "oklch",
            "hue": [-30, 30],
            "saturation": [-0.2, 0.2],
            "gamma": [-1, 1],
            "chance": 0.5,
        },
    ],
    "melanin": [
        {"step": "melanin", "eumelanin": 0.4, "pheomelanin": {"signal": "s"}},
        {"step": "melanin", "by": "redness", "amount": 1, "redness": {"signal": "s"}, "roughness": {"signal": "s"}},
    ],
    "grade": [
        {"step": "grade", "hue_turn": {"signal": "s", "high": 180}, "contrast": 2, "power": [2, 1, 0.5]},
        {"step": "grade", "complement": True, "monochrome": {"signal": "s"}},
    ],
    "unify": [{"step": "unify", "per": "id", "by": by} for by in ("mean", "middle", "sum")],
    "as_colour": [{"step": "as_colour", "red": "z", "blue": "x", "green_from": "unit"}],
    "noise": [
        {"step": "noise", "seed": 2},
        {"step": "noise", "seed": 2, "pattern": "cells", "softness": 0.5, "octaves": 2},
        {"step": "noise", "seed": 2, "pattern": "cells", "measure": "border", "motion": "loop"},
        {"step": "noise", "seed": 2, "fold": "ridged", "motion": "speed", "turn": [0, 30, 0], "stretch": [1, 2, 1]},
        {"step": "noise", "seed": 2, "result": "colour", "by": "normal"},
    ],
    "falloff": [
        *({"step": "falloff", "shape": shape} for shape in ("line", "ball", "box", "angle", "plane")),
        {"step": "falloff", "shape": "line", "centre": [0, 0, 0], "end": [1, 1, 0], "flip": True, "profile": "full"},
    ],
    "extent": [{"step": "extent"}, {"step": "extent", "axis": "x", "per": "id", "flip": True, "low": -1}],
    "nearness": [{"step": "nearness"}, {"step": "nearness", "result": "distance"}],
    "picture": [{"step": "picture"}, {"step": "picture", "part": "grey", "edge": "mirror", "scale": [0.3, 0.2]}],
    "shape": [{"step": "shape"}, {"step": "shape", "given": "number"}],
    "clamp": [{"step": "clamp", "least": {"signal": "s", "high": 0.3}, "greatest": 0.8}],
    "palette": [
        {"step": "palette", "swatches": [{"colour": c} for c in FIVE]},
        {"step": "palette", "swatches": [{"colour": c} for c in (*FIVE[:3], {"signal": "tint"})]},
    ],
    "ramp": [
        ramp([0, 0.4, 0.7], [FIVE[0], {"signal": "tint"}, FIVE[2]], interpolation=k, mix_in=s)
        for k in ("steps", "straight", "eased", "through", "soft")
        for s in ("oklab", "hsv")
    ],
}
SIGNALS = [{"name": "s", "chain": [{"step": "random", "seed": 8}]}, {"name": "tint", "chain": [RANDOM, DUSK]}]


def chains() -> list[tuple[str, Look]]:
    """Each sample in a look that ends in colours."""
    found = []
    for word, samples in SAMPLES.items():
        step = STEPS[word]
        for sample in samples:
            before = (
                {"number": [RANDOM], "vector": [{**RANDOM, "numbers": 3}], "colour": [RANDOM, DUSK]}[step.takes[0]]
                if step.takes
                else []
            )
            document = look_document(*before, sample)
            kind = _kind(document)
            end = {"number": [DUSK], "vector": [{"step": "component", "part": "length"}, DUSK], "colour": []}[kind]
            if (word == "random" and sample.get("numbers", 1) > 1) or sample.get("name") == "position":
                end = [{"step": "component", "part": "y"}, DUSK]
            found.append((json.dumps(sample), with_signals(look_document(*before, sample, *end))))
    return found


def with_signals(document: dict) -> Look:
    return parse(Look, {**document, "signals": SIGNALS})


def _kind(document: dict) -> str:
    """What the chain gives, as its own error tells it."""
    try:
        Evaluator().evaluate(points(3), with_signals(document))
    except BadInput as error:
        return "vector" if "ends with a vector" in error.sentence else "number"
    return "colour"


class EveryStep(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.chains = chains()

    def test_none_is_left_out(self):
        # What stands on another population needs one; strands and trails: test_strands, test_motion.
        self.assertEqual(set(SAMPLES), set(STEPS) - {"ground", "along", "particle"})

    def test_empty_one_few_equal_and_odd_values(self):
        """Finite float32 colours of the right shape, and censuses that are JSON, for every population."""
        rng = np.random.default_rng(3)
        wild = np.array([np.nan, np.inf, -np.inf, 3e38, -3e38, 0, 1e-38])
        populations = {
            "none": of_points(0, {n: _first(a, 0) for n, a in points(4).elements.own.items()}),
            "one": points(1),
            "equal": points(9, size=np.full(9, 0.25)),
            "odd": points(7, size=wild),
            "many": points(300, size=rng.random(300)),
        }
        for name, population in populations.items():
            for what, chain in self.chains:
                evaluator = Evaluator()
                evaluation = evaluator.evaluate(population, chain)
                message = f"{name}: {what}"
                self.assertEqual(evaluation.colours.shape, (population.count, 3), message)
                self.assertEqual(evaluation.colours.dtype, np.float32, message)
                self.assertTrue(np.isfinite(evaluation.colours).all(), message)
                reporter = Reporter(evaluator)
                report = [reporter.steps(evaluation), reporter.groups(evaluation).counts]
                json.dumps([report, reporter.advisories(evaluation)], allow_nan=False)
                if population.count:
                    json.dumps(reporter.trace(evaluation, 0), allow_nan=False)

    def test_the_same_bytes_for_any_chunking_and_order_of_requests(self):
        population = points(2_003, size=np.random.default_rng(1).random(2_003))
        results = []
        for chunk, order in ((32_768, 1), (1_000, -1), (19, 1)):
            with mock.patch.object(parallel, "CHUNK", chunk):
                evaluator = Evaluator()
                found = {w: evaluator.evaluate(population, c).colours.tobytes() for w, c in self.chains[::order]}
                results.append(found)
        for what, _ in self.chains:
            self.assertEqual(len({r[what] for r in results}), 1, what)

    def test_documents_come_back_as_they_were(self):
        for what, chain in self.chains:
            again = parse(Look, json.loads(chain.model_dump_json()))
            self.assertEqual(again, chain, what)

    def test_a_step_that_is_off_changes_nothing(self):
        population = points(50)
        plain = Evaluator().evaluate(population, with_signals(look_document(RANDOM, DUSK))).colours
        for word, samples in SAMPLES.items():
            takes = STEPS[word].takes
            if not takes:
                continue
            off = {**samples[0], "enabled": False}
            steps = [RANDOM, off, DUSK] if "number" in takes else [RANDOM, DUSK, off]
            found = Evaluator().evaluate(population, with_signals(look_document(*steps))).colours
            np.testing.assert_array_equal(found, plain, err_msg=word)

    def test_followed_numbers_stay_within_the_limits_of_the_parameter(self):
        """For every number that can follow: a signal far outside counts as the nearest limit."""
        checked = 0
        for word, step in STEPS.items():
            for name, field in step.model_fields.items():
                if Follow not in get_args(field.annotation):
                    continue
                low, high = limits(step, name)
                if not np.isfinite([low, high]).all():
                    continue
                population = points(4)
                made = {**SAMPLES[word][0], name: {"signal": "s", "low": -1e9, "high": 1e9}}
                far = Value(NUMBER, np.array([0, 1, 0, 1], np.float32))
                found = replace(context(population), signals={"s": far}).numbers(parse(step, made), name)(0, 4)
                np.testing.assert_allclose(found, np.float32([low, high, low, high]), err_msg=f"{word}.{name}")
                checked += 1
        self.assertGreater(checked, 22)

    def test_every_number_and_colour_can_follow(self):
        """All but a held distribution and typed band edges, which are data."""
        wanted, checked = {Follow, FollowColour, FollowDial}, 0
        for model in (*STEPS.values(), Stop, CurvePoint, Swatch, Layer):
            for name, field in model.model_fields.items():
                kinds = set(_kinds(field.annotation))
                coloured = any(HEX_PATTERN in str(part) for part in (field, field.annotation))
                if name not in ("held", "edges", "gaudyseed") and (kinds & {int, float} or coloured):
                    self.assertTrue(kinds & wanted, f"{model.__name__}.{name}")
                    checked += 1
        self.assertGreater(checked, 45)

    def test_dials_reach_every_number_that_can_follow(self):
        population = points(40)
        for word, name, value in (
            ("drift", "chance", 0.5), ("levels", "gamma", 2.0),
            ("range", "to_high", 0.5), ("quantise", "levels", 3.0),
            ("grade", "gain", 0.5), ("clamp", "least", 0.4),
            ("grade", "monochrome", 1.0), ("spread", "bands", 3.0), ("random", "seed", 9.0),
            ("random", "numbers", 1.0), ("palette", "columns", 3.0),
        ):  # fmt: skip
            sample = {k: v for k, v in SAMPLES[word][0].items() if not isinstance(v, dict)}
            whole = word in ("spread", "random", "palette")
            results = []
            for given in ({"dial": "d"}, int(value) if whole else value):
                step, takes = {**sample, name: given}, STEPS[word].takes
                steps = (
                    [RANDOM, DUSK, step] if takes[:1] == ("colour",) else [step, DUSK] if not takes else [RANDOM, step]
                )
                if "vector" in takes:  # the grid of a palette is chosen from by two numbers
                    steps[0] = {**RANDOM, "numbers": 2}
                elif takes == ("number",):
                    steps.append(DUSK)
                look = with_signals(look_document(*steps))
                dials = [parse(Dial, {"name": "d", "value": value})]
                results.append(Evaluator().evaluate(population, look, dials=dials).colours)
            np.testing.assert_array_equal(results[0], results[1], err_msg=f"{word}.{name}")


def _kinds(annotation) -> list:
    """The types that an annotation is made of, those within tuples and unions included."""
    parts = get_args(annotation)
    return [annotation] if not parts else [kind for part in parts for kind in _kinds(part)]


def _first(attribute, count: int):
    """The first few rows of an attribute."""
    return attribute.taken(np.arange(count))
