"""Hostile and broken files: a sentence that says where and what to do, never a partial import."""

import struct
import unittest

import numpy as np

from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.formats import read_points
from gaudyseed.core.population.makers.scatter import ScatterMaker
from tests.support import ply_text

ROWS = ["0 0 0", "1 0 0", "0 1 0.5"]


def binary_ply(rows: list[tuple[float, ...]], count: int, order: str = "<") -> bytes:
    name = {"<": "binary_little_endian", ">": "binary_big_endian"}[order]
    head = f"ply\nformat {name} 1.0\nelement vertex {count}\n" + "".join(f"property float {a}\n" for a in "xyz")
    return head.encode() + b"end_header\n" + b"".join(struct.pack(f"{order}3f", *r) for r in rows)


class Refused(unittest.TestCase):
    def refused(self, data: bytes, name: str, *words: str) -> None:
        with self.assertRaises(BadInput) as caught:
            read_points(data, name)
        for word in words:
            self.assertIn(word, str(caught.exception))

    def test_ply(self):
        xyz = ("float x", "float y", "float z")
        three = [(0, 0, 0), (1, 0, 0), (0, 1, 0)]
        cases = [
            (ply_text(ROWS, count=5), "declares 5 vertices", "only 3"),
            (ply_text(ROWS, count=2), "declares 2 vertices", "1 lines follow"),
            (ply_text(ROWS, count=0), "0 vertices"),
            (ply_text(ROWS, count=10**9), "1,000,000,000", "only 3"),
            (ply_text(["0 0 0", "1 0"]), "Vertex 2", "2 values"),
            (ply_text(["0 0 0", "1 0 x"]), "Vertex 2", "'x'", "z"),
            (ply_text(["0 0 0", "1 nan 0"]), "vertex 2", "nan", "finite"),
            (ply_text(["0 0 0", "1 0 inf"]), "vertex 2", "inf"),
            (ply_text(["0 0 0 1"], (*xyz, "float x")), "second time", "'x'"),
            (ply_text(["0 0 0 300"], (*xyz, "uchar red")), "300", "0 to 255"),
            (ply_text(["0 0 0 1.5"], (*xyz, "int id")), "1.5", "whole number"),
            (ply_text(["0 0 0 2 1 1"], (*xyz, "list uchar int near")), "list", "'near'"),
            (ply_text(["0 0 0"], ("float x", "float y", "blob z")), "unknown type", "blob"),
            (ply_text(["0 0"], ("float x", "float y")), "no column z"),
            (ply_text(ROWS).replace(b"element vertex 3", b"element vertex three"), "three", "whole number"),
            (ply_text(ROWS).replace(b"element vertex 3", b"element face 3"), "no element 'vertex'"),
            (ply_text(ROWS).replace(b"format ascii", b"format utf8"), "utf8"),
            (ply_text(ROWS).replace(b"end_header", b"end"), "end_header"),
            (ply_text(ROWS).replace(b"property float z", b"properly float z"), "Line 6"),
            (binary_ply(three, 3)[:-5], "only 2"),
            (binary_ply(three, 4), "declares 4", "only 3"),
            (binary_ply(three, 2), "declares 2", "12 bytes follow"),
            (binary_ply(three, 10**9), "1,000,000,000"),
            (binary_ply([(0, 0, 0), (1, float("nan"), 0)], 2), "vertex 2", "y"),
            (binary_ply([(0, 0, float("-inf"))], 1, ">"), "vertex 1", "z"),
        ]
        for data, *words in cases:
            with self.subTest(words=words):
                self.refused(data, "points.ply", "points.ply", *words)

    def test_csv(self):
        cases = [
            (b"x,y,z\n1,2,3\n4,5\n", "Line 3", "2 cells"),
            (b"x,y,z\n1,2,3\n4,5,6,7\n", "Line 3", "4 cells"),
            ("x,y,z,name\n1,2,3,Käfer\n".encode("latin-1"), "Line 2", "UTF-8"),
            (",".join(f"c{k}" for k in range(10_000)).encode() + b"\n", "10,000 columns"),
            (b"x,y,z,name\n1,2,3,=HYPERLINK(1)\n", "Line 2", "name", "formula"),
            (b"x,y,z,name\n1,2,3,ok\n1,2,3,@SUM(A1)\n", "Line 3", "formula"),
            (b"x,y,z,name\n1,2,3,-cmd\n", "formula"),
            (b"x,y,z,=1+1\n1,2,3,4\n", "Line 1", "formula"),
            (b"x,y,z,x\n1,2,3,4\n", "'x'", "own name"),
            (b"x,y,,z\n1,2,3,4\n", "Column 3", "no name"),
            (b"x,y,z\n", "no rows"),
            (b"1,2,3\n4,5,6\n", "no header"),
            (b"a,b,c\n4,5,6\n", "no column x, y, z"),
            (b"x,y,z\n1,2,three\n", "text"),
            (b"x,y,z\n1,2,\n4,5,6\n", "z", "row 1"),
            (b'x,y,z\n1,2,"3\n', "CSV"),
            (b"x,y,z\n1,2,\x003\n", "zero byte"),
        ]
        for data, *words in cases:
            with self.subTest(words=words):
                self.refused(data, "points.csv", "points.csv", *words)

    def test_other_files(self):
        png = b"\x89PNG\r\n\x1a\n" + bytes(100)
        for name in ("picture.png", "points.ply", "points.csv"):
            self.refused(png, name, "PNG picture", "OBJ, PLY, GLB, USD or CSV")
        self.refused(b"", "empty.ply", "empty")
        self.refused(b" \n\n", "blank.csv", "empty")
        self.refused(b"solid cube", "shape.ply", "does not begin")
        self.refused(bytes(range(1, 255)) * 40, "noise.bin", "noise.bin")

    def test_a_path_in_the_name_is_not_followed(self):
        with self.assertRaises(BadInput) as caught:
            read_points(b"", "../../etc/passwd")
        self.assertNotIn("..", str(caught.exception))

    def test_random_damage_never_escapes(self):
        """Whatever the bytes, the answer is a population or a BadInput."""
        rng = np.random.default_rng(11)
        whole = [ply_text(ROWS), binary_ply([(0, 0, 0)] * 3, 3), b"x,y,z,name\n1,2,3,a\n4,5,6,b\n"]
        for data in whole:
            for _ in range(400):
                damaged = bytearray(data)
                for at in rng.integers(0, len(data), rng.integers(1, 6)):
                    damaged[at] = rng.integers(0, 256)
                damaged = damaged[: rng.integers(1, len(data) + 1)]
                try:
                    found = read_points(bytes(damaged), "points.ply" if data[:3] == b"ply" else "points.csv")
                except BadInput as error:
                    self.assertTrue(error.sentence.endswith("."), error.sentence)
                else:
                    self.assertGreater(found.count, 0)


class Makers(unittest.TestCase):
    def test_counts(self):
        for count, word in ((0, "1"), (10**9, "1000000"), (-5, "1"), ("many", "integer")):
            with self.assertRaises(BadInput) as caught:
                parse(ScatterMaker, {"maker": "scatter", "count": count})
            self.assertIn("count", str(caught.exception))
            self.assertIn(word, str(caught.exception))

    def test_what_is_missing_is_derived_and_said(self):
        found = read_points(ply_text(ROWS), "points.ply")
        self.assertEqual(len(found.notes), 3)
        self.assertEqual(found.elements.own["id"].values.tolist(), [0, 1, 2])
        np.testing.assert_allclose(np.linalg.norm(found.elements.own["normal"].values, axis=1), 1, atol=1e-6)

    def test_one_element(self):
        found = read_points(ply_text(["1 2 3"]), "one.ply")
        self.assertEqual(found.count, 1)
        self.assertGreater(found.elements.own["size"].values[0], 0)
