"""Any table of columns survives our own formats; any bytes survive the binary layout."""

import unittest

import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st

from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.formats import FORMATS, read_points
from gaudyseed.core.formats.columns import outgoing
from gaudyseed.core.formats.lines import joined, number_cells
from gaudyseed.core.look.model import Look
from gaudyseed.core.look.steps import STEPS
from gaudyseed.core.population.makers.imported import pack_labels, store_columns, unpack_labels
from gaudyseed.core.scene.model import Scene
from gaudyseed.demo import demo_scene
from gaudyseed.web.binary import pack
from tests.forking import forked
from tests.support import points, unpack

DTYPES = ["<f4", "<f8", "|i1", "|u1", "<i2", "<u2", "<i4", "<u4"]
KEYS = ["gaudyseed", "lanes", "base_colour", "layers", "paint", "mask", "step", "stops", "at", "seed"]
NAMES = st.from_regex(r"[a-z][a-z0-9]{0,8}", fullmatch=True)


def column(dtype: str, count: int, seed: int) -> np.ndarray:
    rng = np.random.default_rng(seed)
    if dtype[1] == "f":
        return (rng.normal(size=count) * 10.0 ** rng.integers(-20, 20, count)).astype(dtype)
    limits = np.iinfo(dtype)
    return rng.integers(limits.min, int(limits.max) + 1, count).astype(dtype)


def setUpModule() -> None:
    """Files of USD are read by forks of one process."""
    unittest.enterModuleContext(forked())


class Memory:
    """A store of columns in memory."""

    def __init__(self, columns):
        self.columns = columns

    def column(self, digest):
        return self.columns[digest]


class Tables(unittest.TestCase):
    @settings(max_examples=40, deadline=None)
    @example({"a": "<f4", "u": "<f4", "v": "<f4"}, 1, 0)
    @example({"u": "<f4", "a": "<f4", "v": "<f4"}, 1, 0)
    @given(st.dictionaries(NAMES, st.sampled_from(DTYPES), max_size=6), st.integers(1, 40), st.integers(0, 99))
    def test_columns_survive_every_format(self, extra, count, seed):
        taken = {"position", "normal", "size", "x", "y", "z"}
        columns = {n: column(t, count, seed) for n, t in extra.items() if n not in taken}
        population = points(count, seed, **columns)
        wanted = {c.name: c.values for c in outgoing(population, None)}
        for form in ("ply", "ply_ascii", "csv"):
            back = read_points(FORMATS[form].write(population, None), f"x.{form[:3]}")
            found = {c.name: c.values for c in outgoing(back, None)}
            self.assertEqual(list(found), list(wanted))
            for name, values in wanted.items():
                np.testing.assert_array_equal(found[name].astype(values.dtype), values, err_msg=f"{form} {name}")

    def test_columns_survive_the_store(self):
        names = ("wing", "", 'ünï, "x"\n', "=looks bad")
        codes = np.arange(40, dtype=np.int32) % 4
        rows = ["x,y,z,part,n"] + [f"{k},{k * 2},{k * 3},{'ab'[k % 2]},{k}" for k in range(40)]
        population = read_points("\n".join(rows).encode(), "x.csv")
        maker, blobs = store_columns(population, "x.csv")
        again = maker.make(Memory(blobs))
        self.assertEqual(again.digest, population.digest)
        self.assertEqual(unpack_labels(pack_labels(names)), names)
        self.assertEqual(len(codes), 40)
        with self.assertRaises(BadInput):
            maker.make(Memory({}))

    @settings(max_examples=60)
    @given(st.lists(st.floats(allow_nan=False, width=32), min_size=1, max_size=20))
    def test_digits_read_back_exactly(self, values):
        for dtype in ("<f4", "<f8"):
            array = np.array(values, dtype)
            texts = joined([number_cells(array)], after=b" ").data.tobytes().split()
            np.testing.assert_array_equal(np.array(list(map(float, texts))).astype(dtype), array)


class Layout(unittest.TestCase):
    @settings(max_examples=40, deadline=None)
    @given(
        st.dictionaries(
            NAMES, st.tuples(st.sampled_from(["float32", "uint8", "int32"]), st.integers(0, 50)), max_size=5
        )
    )
    def test_arrays_survive(self, shapes):
        rng = np.random.default_rng(1)
        arrays = {n: rng.integers(0, 200, (count, 3)).astype(kind) for n, (kind, count) in shapes.items()}
        header, back = unpack(pack({"note": "ünïcode"}, arrays))
        self.assertEqual(header["note"], "ünïcode")
        for name, array in arrays.items():
            np.testing.assert_array_equal(back[name], array)
        for listed in header["arrays"]:
            self.assertEqual(listed["offset"] % 8, 0)

    def test_numbers_that_json_does_not_know_are_nothing(self):
        odd = {"a": [1.5, float("nan"), {"b": float("inf")}], "c": "x"}
        self.assertEqual(unpack(pack(odd, {}))[0]["a"], [1.5, None, {"b": None}])


class Documents(unittest.TestCase):
    def test_a_scene_is_stored_as_it_came(self):
        scene = demo_scene()
        self.assertEqual(parse(Scene, scene.model_dump(mode="json")), scene)

    @settings(max_examples=150, deadline=None)
    @given(
        st.recursive(
            st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=8),
            lambda inner: st.lists(inner, max_size=4)
            | st.dictionaries(
                st.sampled_from(KEYS),
                inner, max_size=4,
            ),
            max_leaves=20,
        )
    )  # fmt: skip
    def test_any_value_is_a_look_or_refused_with_a_sentence(self, value):
        try:
            parse(Look, value)
        except BadInput as error:
            self.assertTrue(error.sentence.endswith("."), error.sentence)

    def test_every_step_is_described_for_people(self):
        for name, step in STEPS.items():
            self.assertGreater(len(step.__doc__ or ""), 20, name)
            self.assertIn(step.gives.word, ("number", "vector", "colour"))
