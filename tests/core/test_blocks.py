"""Looks over blocks of elements: the same bytes as over all of them in memory, however they are cut and joined."""

from __future__ import annotations

import itertools
import json
import tempfile
import unittest
from collections import Counter
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
from click.testing import CliRunner, Result

from gaudyseed.cli import main
from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.formats import FORMATS, csv_points
from gaudyseed.core.formats.ply import blocks as ply
from gaudyseed.core.look.blocks import evaluate_blocks
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Look
from gaudyseed.core.look.scope import Surroundings
from gaudyseed.core.look.whole import Counted, OfKeys
from gaudyseed.core.population import Attribute, Field, Population, of_points
from gaudyseed.core.scene.dials import Dial
from tests.core import golden
from tests.support import points


def cut(population: Population, *sizes: int) -> Iterator[Population]:
    """The elements in blocks of these sizes, over and over; texts of a block are its own."""
    start = 0
    for size in itertools.cycle(sizes):
        if start >= population.count:
            return
        rows = np.arange(start, min(start + size, population.count))
        own = {name: _own_texts(a.taken(rows)) for name, a in population.elements.own.items()}
        yield of_points(len(rows), own)
        start += size


def _own_texts(a: Attribute) -> Attribute:
    if a.kind != "text":
        return a
    there, places = np.unique(a.values, return_inverse=True)
    return replace(a, values=places.astype(np.int32), labels=tuple(a.labels[k] for k in there))


def colours(population: Population, look: Look, *sizes: int, dials: list[Dial] = []) -> np.ndarray:  # noqa: B006
    around = Surroundings({d.name: d for d in dials})
    found = evaluate_blocks(look, lambda: cut(population, *sizes), around)
    return np.concatenate([evaluation.colours for evaluation in found])


def table(count: int = 700) -> Population:
    rng = np.random.default_rng(5)
    kind = Attribute("kind", "text", rng.integers(0, 4, count).astype(np.int32), ("reed", "ash", "oak", "elm"))
    found = points(count, 2, age=rng.normal(size=count).astype(np.float32).round(1), ring=rng.integers(0, 9, count))
    plain = {name: a for name, a in found.elements.own.items() if a.fields}
    return of_points(count, {**plain, "kind": kind})


GREY = {"step": "ramp", "interpolation": "straight",
        "stops": [{"at": 0, "colour": "#000000"}, {"at": 1, "colour": "#ffffff"}]}  # fmt: skip
AGE = {"step": "attribute", "name": "age"}


def look_of(*steps: dict[str, Any]) -> Look:
    return parse(Look, {"lanes": {"base_colour": {"layers": [{"paint": [*steps, GREY]}]}}})


class SameBytes(unittest.TestCase):
    #: Each depends on all elements, some on what another one of these gave.
    CHAINS = (
        (AGE, {"step": "range", "own": True}),
        (AGE, {"step": "even_out"}),
        (AGE, {"step": "even_out"}, {"step": "levels", "gamma": 2}, {"step": "range", "own": True}),
        ({"step": "attribute", "name": "ring"}, {"step": "even_out"}),
        ({"step": "extent", "axis": "x"},),
        ({"step": "extent", "axis": "y", "per": "kind"},),
        ({"step": "extent", "axis": "z", "per": "ring", "flip": True},),
        (AGE, {"step": "unify", "per": "kind", "by": "least"}, {"step": "range", "own": True}),
        (AGE, {"step": "unify", "per": "ring", "by": "greatest"}, {"step": "even_out"}),
        ({"step": "attribute", "name": "kind", "component": "order"},),
        ({"step": "attribute", "name": "ring", "component": "order"},),
        ({"step": "falloff"},),
        ({"step": "noise"},),
        ({"step": "nearness"},),
        ({"step": "formula", "text": "index / count"},),
        ({"step": "random", "seed": 4},),
        ({"step": "random", "seed": 4, "per": "kind"},),
    )

    def test_what_depends_on_all(self):
        population = table()
        for steps in self.CHAINS:
            look = look_of(*steps)
            whole = Evaluator().evaluate(population, look).colours
            self.assertGreater(len(np.unique(whole, axis=0)), 2, steps)
            for sizes in ((700,), (64,), (1, 300, 7)):
                np.testing.assert_array_equal(colours(population, look, *sizes), whole, str(steps))

    def test_looks_at_random(self):
        """Those that ``tests/core/golden.py`` makes, on plain points."""
        dials = [parse(Dial, d) for d in golden.DIALS]
        told: Counter[str] = Counter()
        for made, document, whole in itertools.islice(golden.documents("points"), 40):
            plain = {name: a for name, a in made.elements.own.items() if a.fields}
            population, look = of_points(made.count, plain), parse(Look, document)
            try:
                found = colours(population, look, 50, 9, dials=dials)
            except BadInput as error:
                told[error.code] += 1
                continue
            told["same"] += 1
            np.testing.assert_array_equal(found, whole, str(document))
        self.assertGreater(told["same"], 10, told)
        self.assertLessEqual(set(told), {"same", "not_in_blocks", "unknown_attribute"}, told)

    def test_what_needs_all_at_once_says_so(self):
        refused = (
            ("Spread", {"step": "spread", "seed": 1}),
            ("One value for all of a ring, by mean,", {"step": "unify", "per": "ring", "by": "mean"}),
        )
        for words, step in refused:
            with self.assertRaises(BadInput) as caught:
                colours(table(), look_of(AGE, step), 100)
            self.assertEqual((caught.exception.code, caught.exception.place),
                             ("not_in_blocks", "lanes.base_colour.layers[0].paint[1]"))  # fmt: skip
            self.assertIn(f"{words} needs all elements in memory at once", caught.exception.sentence)

    def test_passes_are_only_those_that_are_needed(self):
        begun = []

        def source() -> Iterator[Population]:
            begun.append(1)
            return cut(table(), 100)

        for steps, passes in (((AGE,), 2), ((AGE, {"step": "even_out"}), 3)):
            begun.clear()
            list(evaluate_blocks(look_of(*steps), source))
            self.assertEqual(len(begun), passes)


class Measures(unittest.TestCase):
    """Parts of measures join in any order to the same bytes, those of the whole (NumPy's own, over all values)."""

    def test_in_any_order(self):
        rng = np.random.default_rng(1)
        values = rng.integers(-40, 40, 500).astype(np.float32) / 8
        keys = rng.integers(0, 6, 500)
        parts = np.split(np.arange(500), [60, 61, 300])
        different, counts = np.unique(values, return_counts=True)
        for order in itertools.permutations(range(4)):
            counted = [Counted.of(values[parts[k]]) for k in order]
            ends = [_ends(keys[parts[k]], values[parts[k]]) for k in order]
            joined, of_keys = counted[0], ends[0]
            for more, other in zip(counted[1:], ends[1:], strict=True):
                joined, of_keys = joined.joined(more), of_keys.joined(other)
            np.testing.assert_array_equal(joined.values, different)
            np.testing.assert_array_equal(joined.counts, counts)
            for k in range(6):
                least, greatest = of_keys.of(np.array([k]))
                self.assertEqual((least[0], greatest[0]), (values[keys == k].min(), values[keys == k].max()))


class Files(unittest.TestCase):
    """A table of any length, coloured by the command line in blocks: the bytes of the file coloured whole."""

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        for module in (csv_points, ply):
            less = mock.patch.object(module, "ROWS", 20_000)
            less.start()
            self.addCleanup(less.stop)

    def written(self, form: str) -> Path:
        """50,000 rows with numbers, whole numbers of which some are missing, texts and long ids."""
        rng, count = np.random.default_rng(7), 50_000
        gaps = rng.random(count) < 0.1
        gaps[:20_000] = False
        table = {
            **table_of_places(rng, count),
            "ring": Attribute("ring", "integer", rng.integers(0, 9, count).astype("<i4"), (),
                              (Field("ring", "<i4"),), gaps),
            "kind": Attribute("kind", "text", np.sort(rng.integers(0, 3, count)).astype(np.int32),
                              ("reed", "ash", "oak"), (Field("kind", "<i4"),)),
            "id": Attribute("id", "integer", rng.permutation(count) + 2**40, (), (Field("id", "<i8"),)),
        }  # fmt: skip
        path = self.folder / f"table{FORMATS[form].ending}"
        path.write_bytes(FORMATS[form].write(of_points(count, table), None))
        return path

    def run_on(self, path: Path, out: str, *options: str) -> Result:
        look_file = self.folder / "look.json"
        steps = [AGE, {"step": "even_out"}, GREY]
        per_kind = [{"step": "extent", "axis": "x", "per": "kind"}]
        lanes = {"base_colour": {"layers": [{"paint": steps}]}, "roughness": {"layers": [{"paint": per_kind}]}}
        look_file.write_text(json.dumps({"lanes": lanes}))
        command = ["colour", str(path), "--look", str(look_file), "--out", str(self.folder / out), *options]
        return CliRunner().invoke(main, command)

    def test_the_bytes_of_the_whole(self):
        for form in ("csv", "ply"):
            path = self.written(form)
            for ending in (".csv", ".ply"):
                told = [self.run_on(path, f"whole{ending}"), self.run_on(path, f"blocks{ending}", "--blocks")]
                self.assertEqual([t.exit_code for t in told], [0, 0], [t.output for t in told])
                whole, found = ((self.folder / f"{word}{ending}").read_bytes() for word in ("whole", "blocks"))
                self.assertTrue(whole == found, f"{form} to {ending}")
                self.assertGreater(len(whole), 1_000_000)

    def test_what_is_no_table_is_refused(self):
        path = self.folder / "a.obj"
        path.write_text("v 0 0 0\n")
        for given, out, words in (
            (path, "x.csv", "cannot be read in blocks"),
            (self.written("csv"), "x.glb", "GLB cannot be written in blocks"),
        ):
            told = self.run_on(given, out, "--blocks")
            self.assertEqual(told.exit_code, 2)
            self.assertIn(words, told.output)
            self.assertFalse((self.folder / out).exists())


def table_of_places(rng: np.random.Generator, count: int) -> dict[str, Attribute]:
    places = rng.normal(size=(count, 3)).astype("<f4")
    age = rng.normal(size=count).astype("<f4")
    return {
        "position": Attribute("position", "vector", places, (), tuple(Field(a, "<f4") for a in "xyz")),
        "age": Attribute("age", "number", age, (), (Field("age", "<f4"),)),
    }


def _ends(keys: np.ndarray, values: np.ndarray) -> OfKeys:
    there = np.unique(keys)
    ends = [(values[keys == k].min(), values[keys == k].max()) for k in there]
    return OfKeys(there, *(np.array(column, np.float32) for column in zip(*ends, strict=True)))
