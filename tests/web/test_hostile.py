"""Requests and files that mean harm, or are odd: each is answered with a sentence, soon and in bounded memory."""

from __future__ import annotations

import contextlib
import io
import itertools
import json
import subprocess
import sys
import time
import unittest

import numpy as np
from PIL import Image

from gaudyseed.core.colour.text import colours_in
from gaudyseed.core.documents.document import parse_json
from gaudyseed.core.errors import BadInput
from gaudyseed.core.formats import read_points
from gaudyseed.core.formats.cells import runs_as_formula
from gaudyseed.core.palette import read_picture
from gaudyseed.core.runtime.task import Stopped, Task
from gaudyseed.web.openapi import document
from tests.forking import forked
from tests.support import ply_text, points
from tests.web.test_api import ServerCase, alone

#: Sentences of code that was never meant for a person.
RAW = ("Traceback", "object at 0x", "Error:", "NoneType", "<class")


def setUpModule() -> None:
    """Files of USD and pictures are read by forks."""
    unittest.enterModuleContext(forked())


def seconds(work) -> float:
    """Of the processor: a busy machine makes nothing slower."""
    began = time.thread_time()
    work()
    return time.thread_time() - began


class Texts(unittest.TestCase):
    def test_blanks_after_a_colour(self):
        for text in ("#fff" + " " * 40_000, "#fff 50" + " " * 40_000, ("#fff" + " " * 900) * 100, "rgb(" + " " * 40_000,
                     "#fff" + "\t@" * 20_000, "a" * 90_000, "#" * 90_000, "1" * 90_000):  # fmt: skip
            took = seconds(lambda text=text: _colours(text))
            self.assertLess(took, 3, text[:20])
        found = colours_in("#fff   @  50 %, red 20%")
        self.assertEqual([(c.colour, c.at) for c in found], [("#ffffff", 0.5), ("#ff0000", 0.2)])

    def test_channels_out_of_range_are_held_within_it(self):
        for text, wanted in (("rgb(300,300,300)", "#ffffff"), ("hsl(0,0%,101%)", "#ffffff"),
                             ("rgb(256, 0, 1)", "#ff0001"), ("rgb(200%,0%,0%)", "#ff0000")):  # fmt: skip
            self.assertEqual([c.colour for c in colours_in(text)], [wanted], text)

    def test_objects_of_many_keys_with_one_doubled(self):
        keys = [f"k{k}" for k in range(65_000)]
        text = "{" + ",".join(f'"{k}":1' for k in [*keys, keys[-1]]) + "}"
        with self.assertRaises(BadInput) as caught:
            self.assertLess(seconds(lambda: parse_json(text, "look")), 4)
        self.assertIn("'k64999' stands twice", caught.exception.sentence)
        plain = json.dumps(dict.fromkeys(keys, 1))
        self.assertLess(seconds(lambda: parse_json(plain, "look")), 4)


def _colours(text: str) -> None:
    with contextlib.suppress(BadInput):
        colours_in(text)


class Cells(unittest.TestCase):
    RUN = ("=1+1", "+1+A1", "-1+cmd", "-2+3", "@SUM(A1)", "\n=1", "\r=1", "\t=1", "\u00a0=1", " =1", "\uff1d1+1",
           "\uff0b1a", "\uff0dA1", "\uff20A", "\u200b=1", "\ufeff=2", "\t5", "=\u200b1", "-1.5e3x", "+infx", "--1",
           "\u2212A1")  # fmt: skip
    STAY = (
        "",
        "-",
        "+",
        "-1",
        "+1.5",
        "-1e-9",
        " -3 ",
        "-.5",
        "-inf",
        "+nan",
        "left-hand",
        "a=1",
        "1=1",
        "1+1",
        "#=1",
        "5 @ 3",
    )

    def test_one_rule_both_ways(self):
        for text in self.RUN:
            self.assertTrue(runs_as_formula(text), repr(text))
            quoted = '"' + text.replace('"', '""') + '"'
            with self.assertRaises(BadInput) as caught:
                read_points(f"x,y,z,n\n0,0,0,plain\n1,1,1,{quoted}\n".encode(), "a.csv")
            self.assertEqual(caught.exception.code, "formula_cell", repr(text))
        for text in self.STAY:
            self.assertFalse(runs_as_formula(text), repr(text))
            found = read_points(f'x,y,z,n\n0,0,0,plain\n1,1,1,"{text}"\n'.encode(), "a.csv")
            self.assertEqual(found.elements.own["n"].labels[-1], text)

    def test_names_too(self):
        for name in ("=A1", "@x", "-1+1", "+a"):
            with self.assertRaises(BadInput) as caught:
                read_points(ply_text(["0 0 0 1"], ("float x", "float y", "float z", f"float {name}")), "a.ply")
            self.assertEqual(caught.exception.code, "formula_cell")
            with self.assertRaises(BadInput):
                read_points(f"x,y,z,{name}\n0,0,0,1\n".encode(), "a.csv")

    def test_what_came_in_by_other_ways_is_held_back_on_the_way_out(self):
        from gaudyseed.core.formats import FORMATS
        from gaudyseed.core.population import Attribute, Field, of_points

        base = points(3)
        for bad in (
            Attribute("n", "text", np.zeros(3, np.int32), labels=("=1+1",), fields=(Field("n", "<i4"),)),
            Attribute("n", "number", np.zeros(3), fields=(Field("=1+1", "<f8"),)),
        ):
            population = of_points(3, {**base.elements.own, "n": bad})
            with self.assertRaises(BadInput):
                FORMATS["csv"].write(population, None)

    def test_names_that_become_alike_are_told_apart(self):
        """Read back by our own reader, which refuses two properties of one name."""
        from gaudyseed.core.formats import FORMATS

        rows = "x,y,z,a b,a_b,\u00e9,\u00fc,a_b_2\n0,0,0,1,2,3,4,5\n"
        population = read_points(rows.encode(), "a.csv")
        for form in ("ply", "ply_ascii"):
            back = read_points(FORMATS[form].write(population, {"base_colour": np.zeros((1, 3), np.float32)}), "a.ply")
            values = [back.elements.own[n].values[0] for n in ("a_b", "a_b_2", "_", "__2", "a_b_2_2")]
            self.assertEqual(values, [1, 2, 3, 4, 5])

    def test_names_that_are_too_long(self):
        name = "n" * 201
        for data, file in ((ply_text(["0 0 0 1"], ("float x", "float y", "float z", f"float {name}")), "a.ply"),
                           (f"x,y,z,{name}\n0,0,0,1\n".encode(), "a.csv")):  # fmt: skip
            with self.assertRaises(BadInput) as caught:
                read_points(data, file)
            self.assertIn("at most 200", caught.exception.sentence)


#: Run in a process of its own: its peak of memory is that of one reading.
MEASURE = """
import sys, resource, pathlib
from gaudyseed.core.formats import read_points
from gaudyseed.core.errors import BadInput
from gaudyseed.core.kernels import text
data = pathlib.Path(sys.argv[1]).read_bytes()
peak = lambda: resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
before = peak()
try:
    read_points(data, sys.argv[1])
except BadInput as error:
    print(error, file=sys.stderr)
print((peak() - before) / len(data))
"""


class Files(unittest.TestCase):
    def measured(self, data: bytes, name: str) -> float:
        """How many times the file its reading takes at its peak."""
        import tempfile
        from pathlib import Path

        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / name
            path.write_bytes(data)
            done = subprocess.run(
                [sys.executable, "-c", MEASURE, str(path)], capture_output=True, text=True, timeout=60
            )
        self.assertEqual(done.returncode, 0, done.stderr)
        return float(done.stdout)

    def test_memory_of_text_files(self):
        rng = np.random.default_rng(1)
        table = rng.normal(size=(150_000, 6))
        rows = [" ".join(f"{v:.7g}" for v in row) for row in table.tolist()]
        names = ("float x", "float y", "float z", "float a", "float b", "float c")
        self.assertLess(self.measured(ply_text(rows, names), "points.ply"), 6)
        commas = "\n".join(["x,y,z,a,b,c,n", *(f"{row.replace(' ', ',')},n{k % 99}" for k, row in enumerate(rows))])
        self.assertLess(self.measured(commas.encode(), "points.csv"), 6)

    def test_a_cell_of_a_hundred_thousand_digits(self):
        for cell in ("1" * 100_000, "x" * 100_000):
            rows = [f"{k} 0 0" for k in range(20_000)]
            rows[7] = f"{cell} 0 0"
            data = ply_text(rows)
            self.assertLess(seconds(lambda data=data: self._refused(data, "a.ply")), 4)
            self.assertLess(self.measured(data, "a.ply"), 6)
        wide = "x,y,z\n" + "0,0,0\n" * 10 + "1" * 100_000 + ",0,0\n"
        self._refused(wide.encode(), "a.csv")

    def _refused(self, data: bytes, name: str) -> None:
        with self.assertRaises(BadInput):
            read_points(data, name)

    def test_reading_stops_when_its_reader_has_gone(self):
        rows = [f"{k} 0 0" for k in range(120_000)]
        for data, name in ((ply_text(rows), "a.ply"), (("x,y,z\n" + "0,0,0\n" * 120_000).encode(), "a.csv")):
            calls = itertools.count()
            with self.assertRaises(Stopped):
                read_points(data, name, Task(lambda calls=calls: next(calls) >= 3))
            self.assertEqual(next(calls), 4)

    def test_numbers_are_read_as_python_reads_them(self):
        """Every form of number, against ``float`` and ``int`` of the standard library."""
        rng = np.random.default_rng(2)
        texts = [repr(float(v)) for v in rng.normal(size=300) * 10.0 ** rng.integers(-30, 30, 300)]
        texts += ["0", "-0", "+7", "007", "1e5", "1E-5", ".5", "5.", "-.5e+3", "123456789012345678",
                  "1234567890123456789",
                  "0.1", "1e22", "1e23", "9007199254740993", "4.35", "1e-400", "1e400", "inf", "-Infinity", "NaN",
                  "2.2250738585072011e-308", "0" * 40 + "1", "1" + "0" * 30, "179769313486231580793e289"]  # fmt: skip
        column = "\n".join(f"{k},0,0,{t}" for k, t in enumerate(texts))
        values = read_points(f"x,y,z,v\n{column}\n".encode(), "a.csv").elements.own["v"].values
        np.testing.assert_array_equal(values, [float(t) for t in texts])
        plain = [t for t in texts if "inf" not in t.lower() and "nan" not in t.lower()]
        data = ply_text([f"0 0 0 {t}" for t in plain], ("float x", "float y", "float z", "double v"))
        np.testing.assert_array_equal(read_points(data, "a.ply").elements.own["v"].values, [float(t) for t in plain])
        for odd in ("1_0", "0x10", "1e", "--1", "1.2.3", "e5", "\u0663", "1 2", "nano", "+", "."):
            found = read_points(f"x,y,z,v\n0,0,0,{odd}\n0,0,0,1\n".encode(), "a.csv") if odd not in ("--1",) else None
            if found is not None:
                self.assertEqual(found.elements.own["v"].kind, "text", odd)

    def test_csv_as_the_standard_library_reads_it(self):
        """Quotes, line breaks and empty lines as ``csv`` of the standard library has them (RFC 4180)."""
        import csv

        rng = np.random.default_rng(3)
        pieces = ["a", "b c", ",", '"', '""', "\n", "\r\n", "x", "\u00e9", ""]
        for k in range(200):
            texts = ["".join(rng.choice(pieces, rng.integers(1, 5))) + "t" for _ in range(6)]
            out = io.StringIO()
            writer = csv.writer(out, lineterminator=("\n", "\r\n", "\r")[k % 3], quoting=csv.QUOTE_NONNUMERIC)
            writer.writerow(["x", "y", "z", "n"])
            for j, text in enumerate(texts):
                writer.writerow([j, 0, 0, text if not runs_as_formula(text) else "plain"])
            data = out.getvalue()
            rows = list(csv.reader(io.StringIO(data, newline="")))[1:]
            column = read_points(data.encode(), "a.csv").elements.own["n"]
            self.assertEqual([column.labels[c] for c in column.values], [row[3] for row in rows], repr(data))


PICTURES = """
import io, resource, sys, threading
from PIL import Image
from gaudyseed.core.palette import read_picture
data = sys.stdin.buffer.read()
threads = [threading.Thread(target=read_picture, args=(data,)) for _ in range(8)]
[t.start() for t in threads]
[t.join() for t in threads]
print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
"""


class Pictures(unittest.TestCase):
    def test_eight_large_ones_at_once(self):
        out = io.BytesIO()
        Image.new("RGBA", (8000, 5000), (10, 200, 30, 120)).save(out, "PNG")
        self.assertLess(len(out.getvalue()), 200_000)
        done = subprocess.run([sys.executable, "-c", PICTURES], input=out.getvalue(), capture_output=True, timeout=120)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertLess(float(done.stdout), 2000)

    def test_the_same_picture_in_strips(self):
        """Against Pillow's own reduction of the whole."""
        rng = np.random.default_rng(1)
        pixels = rng.integers(0, 256, (2500, 1700, 3), np.uint8)
        out = io.BytesIO()
        Image.fromarray(pixels).save(out, "PNG")
        whole = np.asarray(Image.fromarray(pixels).reduce(2))
        np.testing.assert_array_equal(read_picture(out.getvalue()), whole)
        deep = io.BytesIO()
        Image.fromarray(pixels[..., 0].astype(np.uint16) << 8).save(deep, "PNG")
        grey = np.asarray(Image.fromarray(pixels[..., 0]).reduce(2))
        np.testing.assert_array_equal(read_picture(deep.getvalue())[..., 0], grey)

    def test_no_address_of_an_object_is_shown(self):
        for data in (b"no picture", b"\x89PNG\r\n\x1a\n" + b"\x00" * 40, b"GIF89a", b"RIFF....WEBPVP8 "):
            with self.assertRaises(BadInput) as caught:
                read_picture(data)
            self.assertNotIn("0x", caught.exception.sentence)


class Routes(ServerCase):
    """Every route there is, with every parameter out of its kind."""

    ODD = (None, True, -1, 2**70, 1e308, "", "x" * 300, "\u00b2", "\u0663", "\x00", "../..", [], {}, [[]], {"a": {}})

    def test_every_parameter_out_of_its_kind(self):
        sound = self.sound()
        calls = 0
        for path, methods in document()["paths"].items():
            for method, described in methods.items():
                operation = described["operationId"]
                schema = described.get("requestBody", {}).get("content", {}).get("application/json", {}).get("schema")
                if schema is None:
                    for odd in ("\u00b2", "x" * 300, "%00", "-1", "a/b", "\u00e9"):
                        address = path.replace("{", "").replace("}", "") if "{" not in path else _filled(path, odd)
                        for query in ("", "?name=a.png&count=" + odd, "?kind=" + odd, "?name=" + odd):
                            calls += self.answered(method, address + query, data=b"\x00\xff")
                    continue
                fields = document()["components"]["schemas"][schema["$ref"].rpartition("/")[2]]["properties"]
                base = {k: v for k, v in sound.items() if k in fields}
                address = _filled(path, "nowhere")
                for name in fields:
                    for odd in self.ODD:
                        calls += self.answered(method, address, json={**base, name: odd})
                for body in (b"", b"{", b"[1]", b"\xff", b"null", b'{"a":1,"a":2}', b"9" * 5000):
                    calls += self.answered(method, address, data=body, content_type="application/json")
                self.answered(method, address, data=b"{}", content_type="text/plain")
                self.assertTrue(operation)
        self.assertGreater(calls, 900)

    def sound(self) -> dict:
        self.scene["populations"][0]["maker"]["count"] = 40
        swatches = [{"colour": "#102030"}, {"colour": "#f0e0d0"}]
        return {
            "scene": self.scene, "population": "beetle-sequins", "document": self.scene, "base": 1, "label": "x",
            "edit": "",
            "maker": self.scene["populations"][0]["maker"], "format": "csv", "swatches": swatches, "columns": 2,
            "order": "hue",
            "seed": 1, "least": 0.01, "name": "n", "colour": "#102030", "relation": "triad", "space": "hsv",
            "text": "#fff",
            "place": "lanes.base_colour.layers[0].paint[1]", "action": "flip", "old": "a", "new": "b", "kind": "ramp",
            "revision": 1, "sort": "size", "census": True,
        }  # fmt: skip

    def answered(self, method: str, address: str, **more) -> int:
        answer = self.client.open(address, method=method.upper(), **more)
        text = f"{method} {address} {str(more)[:300]}"
        self.assertLess(answer.status_code, 500, text)
        if answer.status_code >= 400:
            sentence = answer.json["sentence"]
            self.assertGreater(len(sentence), 8, text)
            self.assertFalse([w for w in RAW if w in sentence], f"{text}: {sentence}")
        return 1

    def test_labels_that_are_another_column(self):
        rows = "x,y,z,n\n0,0,0,left\n1,1,1,right\n"
        maker = self.client.post("/api/imports?name=a.csv", data=rows.encode()).json["things"][0]["maker"]
        text = next(a for a in maker["attributes"] if a["kind"] == "text")
        for other in maker["attributes"]:
            text["labels"] = other["digest"]
            answer = self.client.post("/api/populations", json=alone(maker))
            self.refused(answer, 422, "Import again")

    def test_counts_and_columns_of_other_digits(self):
        out = io.BytesIO()
        Image.new("RGB", (8, 8)).save(out, "PNG")
        for count in ("\u00b2", "\u0663", "1e1", "-4", "99999"):
            self.refused(self.client.post(f"/api/palettes/picture?count={count}", data=out.getvalue()), 422)
        body = {"scene": self.scene, "population": "beetle-sequins"}
        for sort in ("position.\u00b2", "position.\u0663", "position.99", "position."):
            self.refused(self.client.post("/api/elements", json={**body, "sort": sort}), 422, "no column")


def _filled(path: str, value: str) -> str:
    head, brace, rest = path.partition("{")
    return head + value + _filled(rest.partition("}")[2], value) if brace else head
