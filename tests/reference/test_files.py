"""Files written by other libraries come in, are coloured and go out with every attribute intact."""

import csv
import io
import unittest

import numpy as np
import trimesh
from plyfile import PlyData, PlyElement

from gaudyseed.core.colour.spaces import display_bytes
from gaudyseed.core.formats import FORMATS, read_points
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
