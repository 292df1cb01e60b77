"""Files written by other libraries come in, are coloured and go out with every attribute intact."""

import csv
import io
import unittest
from decimal import Decimal

import numpy as np
import trimesh
from plyfile import PlyData, PlyElement

from gaudyseed.core.colour.spaces import display_bytes
from gaudyseed.core.formats import FORMATS, read_points
from gaudyseed.core.formats.lines import joined, number_cells
from gaudyseed.core.look.evaluate import Evaluator
from tests.support import FIVE, look, ramp

TYPES = [
    ("x", "f4"), ("y", "f4"), ("z", "f8"), ("red", "u1"), ("green", "u1"), ("blue", "u1"), ("weight", "f8"),
    ("part", "i4"), ("flag", "i1"), ("age", "u2"), ("vel_x", "f4"), ("vel_y", "f4"), ("vel_z", "f4"), ("big", "u4"),
]  # fmt: skip


def table(count: int = 500) -> np.ndarray:
    rng = np.random.default_rng(8)
    rows = np.empty(count, TYPES)
    for name, kind in TYPES:
        limits = np.iinfo(kind) if kind[0] in "iu" else None
        rows[name] = rng.integers(limits.min, int(limits.max) + 1, count) if limits else rng.normal(size=count)
    rows["weight"][3] = np.nan
    return rows


def plyfile_bytes(rows: np.ndarray, **options) -> bytes:
    out = io.BytesIO()
    PlyData([PlyElement.describe(rows, "vertex")], **options).write(out)
    return out.getvalue()


def coloured(population):
    chain = look({"step": "random", "seed": 4}, ramp([0, 0.2, 0.5, 0.7, 0.9], FIVE))
    return Evaluator().evaluate(population, chain).colours


class Ply(unittest.TestCase):
    def test_every_form_of_plyfile_keeps_every_attribute(self):
        rows = table()
        for options in ({"text": True}, {"text": False, "byte_order": "<"}, {"text": False, "byte_order": ">"}):
            data = plyfile_bytes(rows, **options)
            rows = PlyData.read(io.BytesIO(data))["vertex"].data  # as text, plyfile itself rounds
            population = read_points(data, "points.ply")
            self.assertEqual(population.elements.own["colour"].kind, "colour")
            self.assertEqual(population.elements.own["vel"].kind, "vector")
            colours = coloured(population)
            for form in ("ply", "ply_ascii"):
                back = PlyData.read(io.BytesIO(FORMATS[form].write(population, {"base_colour": colours})))["vertex"]
                for name, kind in TYPES:
                    kept = f"original_{name}" if name in ("red", "green", "blue") else name
                    self.assertEqual(back[kept].dtype, np.dtype(kind), name)
                    np.testing.assert_array_equal(back[kept], rows[name], err_msg=name)
                levels = np.stack([back[c] for c in ("red", "green", "blue")], axis=1)
                np.testing.assert_array_equal(levels, display_bytes(colours))
                linear = np.stack([back[f"base_colour_{c}"] for c in "rgb"], axis=1)
                np.testing.assert_array_equal(linear, colours)

    def test_a_mesh_of_trimesh_and_its_colours_in_trimesh(self):
        mesh = trimesh.creation.icosphere(subdivisions=4)
        population = read_points(mesh.export(file_type="ply", vertex_normal=True), "icosphere.ply")
        self.assertEqual(population.count, len(mesh.vertices))
        self.assertEqual(population.kind, "mesh")
        np.testing.assert_array_equal(population.form.triangles, mesh.faces)
        np.testing.assert_allclose(population.elements.own["normal"].values, mesh.vertex_normals, atol=1e-6)
        colours = coloured(population)
        back = trimesh.load(io.BytesIO(FORMATS["ply"].write(population, {"base_colour": colours})), file_type="ply")
        np.testing.assert_allclose(back.vertices, mesh.vertices, atol=1e-6)
        np.testing.assert_array_equal(back.visual.vertex_colors[:, :3], display_bytes(colours))

    def test_a_second_round_replaces_the_results_only(self):
        population = read_points(plyfile_bytes(table()), "points.ply")
        once = FORMATS["ply"].write(population, {"base_colour": coloured(population)})
        again = read_points(once, "again.ply")
        twice = FORMATS["ply"].write(again, {"base_colour": coloured(again)})
        self.assertEqual(once, twice)


class Csv(unittest.TestCase):
    def test_a_file_of_the_csv_module(self):
        rng = np.random.default_rng(3)
        names = ["wing case", 'quoted "name"', "ünïcode", "line\nbreak", ""]
        rows = [[*rng.normal(size=3).tolist(), names[k % 5], int(rng.integers(0, 2**40)), k] for k in range(200)]
        out = io.StringIO()
        writer = csv.writer(out)
        writer.writerow(["x", "y", "z", "part", "serial", "id"])
        writer.writerows(rows)
        population = read_points(out.getvalue().encode("utf-8-sig"), "points.csv")
        self.assertEqual(population.elements.own["part"].kind, "text")
        written = FORMATS["csv"].write(population, {"base_colour": coloured(population)}).decode()
        back = list(csv.reader(io.StringIO(written, newline="")))
        self.assertEqual(back[0][:6], ["x", "y", "z", "part", "serial", "id"])
        for before, after in zip(rows, back[1:], strict=True):
            self.assertEqual([float(v) for v in after[:3]], before[:3])
            self.assertEqual(after[3], before[3])
            self.assertEqual([int(v) for v in after[4:6]], before[4:6])

    def test_the_same_points_as_csv_and_ply_get_the_same_colours(self):
        population = read_points(plyfile_bytes(table()), "points.ply")
        through = read_points(FORMATS["csv"].write(population, None), "points.csv")
        np.testing.assert_array_equal(coloured(population), coloured(through))


class Digits(unittest.TestCase):
    """Numbers in text have the fewest digits that read back, as Python's ``repr`` and NumPy's Dragon4 find them."""

    def texts(self, values: np.ndarray) -> list[str]:
        return joined([number_cells(values)], after=b" ").data.tobytes().decode().split()

    def numbers(self) -> np.ndarray:
        rng = np.random.default_rng(8)
        ends = [0, -0.0, 1, -1, 0.1, 1e-4, 9.9999e-5, 1e15, 1e16, 1e22, 1e-300, 2.0**-20, 2.0**53, np.nan, np.inf]
        return np.concatenate([
            ends, rng.random(20_000), np.round(rng.random(20_000), 4), 10 ** rng.uniform(-12, 20, 40_000),
            -(10 ** rng.uniform(-5, 16, 20_000)), rng.integers(0, 10**6, 5_000),
        ])  # fmt: skip

    def test_doubles_are_as_python_writes_them(self):
        values = self.numbers()
        self.assertEqual(self.texts(values), list(map(repr, values.tolist())))

    def test_floats_have_as_few_digits_as_numpy_finds(self):
        values = self.numbers().astype(np.float32)
        texts = self.texts(values)
        np.testing.assert_array_equal(np.array(texts).astype(np.float32), values)
        usual = (abs(values) >= 1e-11) & (abs(values) < 1e15)
        ours = [Decimal(t).normalize() for t, here in zip(texts, usual, strict=True) if here]
        theirs = [Decimal(np.format_float_scientific(v, unique=True)).normalize() for v in values[usual]]
        # Half way between two float32, one reader of decimals may take the one and another the other: there we write
        # more digits.
        held = map(float, values[usual])
        differing = [(b, v) for a, b, v in zip(ours, theirs, held, strict=True) if a != b]
        self.assertLess(len(differing), 0.01 * len(ours))
        for b, v in differing:
            self.assertEqual(2 * abs(b - Decimal(v)), Decimal(float(np.spacing(np.float32(abs(v))))), (b, v))

    def test_columns_of_a_packed_table(self):
        rows = np.zeros(3, np.dtype([("flag", "u1"), ("near", "<f4"), ("far", "<f8"), ("other", ">f4")]))
        rows["near"], rows["far"], rows["other"] = [0.1, 2, -3], [0.1, 2, -3], [0.1, 2, -3]
        for name, wanted in (("near", ["0.1", "2", "-3"]), ("far", ["0.1", "2.0", "-3.0"]), ("flag", ["0"] * 3)):
            self.assertEqual(self.texts(rows[name]), wanted)
        self.assertEqual(self.texts(rows["other"]), ["0.1", "2", "-3"])

    def test_whole_numbers(self):
        values = np.concatenate([[0, -1, 9, 10, -(2**63), 2**63 - 1], np.random.default_rng(1).integers(-99, 99, 99)])
        self.assertEqual(self.texts(values), list(map(str, values.tolist())))
        for kind in (np.uint8, np.int16, np.uint32, np.uint64):
            ends = np.array([np.iinfo(kind).min, np.iinfo(kind).max], kind)
            self.assertEqual(self.texts(ends), list(map(str, ends.tolist())))
