"""Hostile and broken files of meshes: a sentence that says where and what to do, nothing half read."""

import contextlib
import io
import json
import struct
import unittest
import zipfile
from dataclasses import replace

import numpy as np

from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.formats import FORMATS, read_items, read_points
from gaudyseed.core.geometry.packed_shapes import packed, unpacked
from gaudyseed.core.geometry.shapes import shape_mesh
from gaudyseed.core.population import Attribute, Field
from gaudyseed.core.population.makers.imported import ImportedMaker, store_columns
from gaudyseed.core.population.makers.surface import SurfaceMaker
from tests.core.test_roundtrip import Memory
from tests.forking import forked
from tests.reference.test_mesh_files import glb
from tests.support import points

SQUARE = ["v 0 0 0", "v 1 0 0", "v 1 1 0", "v 0 1 0"]


def obj(*lines: str) -> bytes:
    return "\n".join([*SQUARE, *lines]).encode()


def ply(faces: list[str], vertices: int = 4, more: str = "", form: str = "ascii") -> bytes:
    head = ["ply", f"format {form} 1.0", f"element vertex {vertices}", *(f"property float {a}" for a in "xyz")]
    head += [
        f"element face {len(faces)}",
        "property list uchar int vertex_indices",
        *([more] if more else []),
        "end_header",
    ]
    rows = ["0 0 0", "1 0 0", "1 1 0", "0 1 0"][:vertices]
    return ("\n".join([*head, *rows, *faces]) + "\n").encode()


def triangle_glb(**changes) -> bytes:
    """One triangle, with something else in its JSON."""
    binary = np.eye(3, dtype="<f4").tobytes() + np.array([0, 1, 2], "<u2").tobytes() + b"\0\0"
    document = {
        "asset": {"version": "2.0"}, "buffers": [{"byteLength": 44}],
        "bufferViews": [{"buffer": 0, "byteLength": 36}, {"buffer": 0, "byteOffset": 36, "byteLength": 6}],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"},
            {"bufferView": 1, "componentType": 5123, "count": 3, "type": "SCALAR"},
        ],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}],
        "nodes": [{"mesh": 0}], "scenes": [{"nodes": [0]}],
    }  # fmt: skip
    for path, value in changes.items():
        at = document
        *keys, last = path.split("__")
        for key in keys:
            at = at[int(key) if key.isdigit() else key]
        at[int(last) if last.isdigit() else last] = value
    return glb(document, binary)


def setUpModule() -> None:
    """Files of USD are read by forks of one process."""
    unittest.enterModuleContext(forked())


class Refusing(unittest.TestCase):
    def refused(self, data: bytes, name: str, *words: str) -> None:
        with self.assertRaises(BadInput) as caught:
            read_items(data, name)
        self.assertTrue(caught.exception.sentence.endswith("."), caught.exception.sentence)
        for word in words:
            self.assertIn(word, str(caught.exception))


class Indices(Refusing):
    def test_of_obj(self):
        for line, *words in (
            ("f 1 2 9", "line 5", "vertex 9", "the file has 4"), ("f 0 1 2", "index 0", "counts from 1"),
            ("f -9 1 2", "vertex -9"), ("f 1.5 2 3", "1.5"), ("f 1 2", "three corners"), ("f 1//4 2 3", "normal 4"),
            ("f 1/2 2 3", "uv 2"), ("f a b c", "'a'"), ("v 1 2", "3 numbers"), ("v 1 2 x\nf 1 2 3", "'x'"),
            ("v nan 0 0\nf 1 2 3", "number"), ("vn 0 0\nf 1 2 3", "3 numbers"), ("f 1/1/1/1 2 3", "1/1/1/1"),
            ("f 99999999999999999999 1 2", "vertex"),
        ):  # fmt: skip
            self.refused(obj(line), "a.obj", *words)
        self.refused(b"# nothing\nf 1 2 3\n", "a.obj", "no vertices")

    def test_of_ply(self):
        for faces, *words in (
            (["3 0 1 9"], "Face 1", "vertex 9", "4"), (["3 0 1 -2"], "Face 1"), (["3 0 1 1.5"], "whole number"),
            (["2 0 1"], "Face 1", "2 corners"), (["3 0 1"], "face 1", "fewer"), (["3 0 1 2 3"], "Face 1", "more"),
            (["-3 0 1 2"], "list"), (["3 0 1 x"], "'x'"), (["1e9 0 1"], "fewer"),
        ):  # fmt: skip
            self.refused(ply(faces), "a.ply", *words)
        wide = " ".join(map(str, [4200, *([0, 1, 2] * 1400)]))
        self.refused(ply([wide]).replace(b"uchar int", b"int int"), "a.ply", "4,200 corners")
        self.refused(ply(["3 0 1 2"]).replace(b"element face 1", b"element face 1000000000"), "a.ply", "1,000,000,000")
        head = (
            ply([], 4, form="binary_little_endian").split(b"end_header\n")[0].replace(b"face 0", b"face 2")
            + b"end_header\n"
        )
        body = np.zeros((4, 3), "<f4").tobytes() + b"\x03" + struct.pack("<3i", 0, 1, 2) + b"\xff"
        self.refused(head + body, "a.ply", "number 2", "does not fit")

    def test_of_polygons_with_many_corners(self):
        """Five thousand corners are more than a face may have, a thousand are not."""
        turn = 2 * np.pi * np.arange(5000) / 5000
        ring = [f"v {np.cos(t):.6f} {np.sin(t):.6f} 0" for t in turn]
        self.refused("\n".join([*ring, "f " + " ".join(map(str, range(1, 5001)))]).encode(), "a.obj", "5,000 corners")
        mesh = read_points("\n".join([*ring, "f " + " ".join(map(str, range(1, 4001)))]).encode(), "a.obj")
        self.assertEqual(len(mesh.form.corners), 4000)
        self.assertIn("1,000 vertices are in no face", mesh.notes[0])


class Odd(unittest.TestCase):
    """What is unusual but no fault: it is read, told, and everything can be computed."""

    def test_faces_without_area_repeated_and_shared_by_three(self):
        lines = ["f 1 2 3", "f 1 2 3", "f 2 1 4", "f 1 1 2", "f 3 3 3"]
        mesh = read_points(obj(*lines, "v 5 5 5"), "odd.obj")
        self.assertEqual((mesh.form.faces, mesh.count), (5, 5))
        self.assertTrue(any("more than two faces" in note for note in mesh.notes), mesh.notes)
        self.assertTrue(any("in no face" in note for note in mesh.notes), mesh.notes)
        for name in mesh.elements.names:
            found = mesh.elements.attribute(name)
            if found.kind != "text":
                self.assertTrue(np.isfinite(found.readable).all(), name)
        maker, blobs = store_columns(mesh, "odd.obj")
        for smooth in (True, False):
            finer = maker.changed(subdivision=2, smooth=smooth).make(Memory(blobs))
            self.assertTrue(np.isfinite(finer.elements.attribute("position").readable).all())

    def test_normals_and_uv_that_are_no_numbers(self):
        text = ply(["3 0 1 2"]).replace(b"property float z\n", b"property float z\nproperty float nx\n")
        text = text.replace(b"property float nx\n", b"property float nx\nproperty float ny\nproperty float nz\n")
        rows = [b"0 0 0 nan 0 1", b"1 0 0 0 0 1", b"1 1 0 0 inf 1", b"0 1 0 0 0 1"]
        head = text.split(b"end_header\n")[0] + b"end_header\n"
        mesh = read_points(head + b"\n".join([*rows, b"3 0 1 2\n"]), "a.ply")
        self.assertEqual(mesh.elements.attribute("normal").unreadable, 2)
        for form in ("ply", "glb", "usd", "obj"):
            self.assertGreater(len(FORMATS[form].write(mesh, None)), 50)

    def test_places_that_are_no_numbers(self):
        with self.assertRaises(BadInput) as caught:
            read_points(ply(["3 0 1 2"]).replace(b"1 0 0", b"1 nan 0"), "a.ply")
        self.assertIn("vertex 2", str(caught.exception))

    def test_a_million_parts_and_a_million_groups(self):
        """Each triangle alone; and an OBJ with a group a face. Read in seconds, told by number."""
        count = 1_000_000
        rng = np.random.default_rng(1)
        vertex = rng.random((3 * count, 3)).astype("<f4")
        face = np.empty(count, [("n", "u1"), ("v", "<i4", 3)])
        face["n"], face["v"] = 3, np.arange(3 * count).reshape(-1, 3)
        head = ply([], 4, form="binary_little_endian").split(b"end_header\n")[0]
        head = head.replace(b"vertex 4", f"vertex {3 * count}".encode()).replace(b"face 0", f"face {count}".encode())
        mesh = read_points(head + b"end_header\n" + vertex.tobytes() + face.tobytes(), "many.ply")
        self.assertEqual(mesh.elements.owners[0].count, count)
        lines = [line for k in range(100_000) for line in (f"g tile {k}", "f 1 2 3")]
        grouped = read_points(obj(*lines), "many.obj")
        self.assertEqual(len(grouped.form.of_faces["part"].labels), 100_000)


class Glb(Refusing):
    def test_accessors_that_lie(self):
        self.assertEqual(read_points(triangle_glb(), "a.glb").count, 3)
        for changes, *words in (
            ({"accessors__0__count": 10**9}, "at most 20,000,000"), ({"accessors__0__count": 10**6}, "reach beyond"),
            ({"accessors__0__byteOffset": 30}, "reach beyond"),
            ({"bufferViews__0__byteOffset": 40}, "beyond its buffer"), ({"bufferViews__0__buffer": 3}, "no buffer 3"),
            ({"accessors__1__count": 2}, "has no triangles"),
            ({"accessors__0__componentType": 99}, "no known type"),
            ({"accessors__0": {"componentType": 5126, "count": 2 * 10**6, "type": "VEC3"}}, "without any data"),
            ({"meshes__0__primitives__0__indices": 7}, "no accessor 7"), ({"nodes__0__mesh": 4}, "no mesh 4"),
            ({"accessors__0__count": -1}, "accessors.0.count"), ({"scenes__0__nodes": [9]}, "no node 9"),
            ({"extensionsRequired": ["EXT_made_up"]}, "EXT_made_up"), ({"nodes__0__matrix": [1e30] * 16}, "not finite"),
        ):  # fmt: skip
            self.refused(triangle_glb(**changes), "a.glb", *words)

    def test_nothing_outside_is_read(self):
        for uri in ("http://example.invalid/a.bin", "/etc/passwd", "../secret.bin", "file:///etc/passwd"):
            self.refused(triangle_glb(buffers=[{"byteLength": 44, "uri": uri}]), "a.glb", "never read")
        self.refused(triangle_glb(buffers=[{"byteLength": 44, "uri": "data:x;base64,@@"}]), "a.glb", "base64")

    def test_nodes_in_a_circle(self):
        nodes = [{"mesh": 0, "children": [1]}, {"children": [0]}]
        self.refused(triangle_glb(nodes=nodes), "a.glb", "two parents, or its own child")
        self.refused(triangle_glb(nodes=[{"children": [0]}]), "a.glb", "child")

    def test_the_container(self):
        whole = triangle_glb()
        for data, word in (
            (whole[:10], "too short"), (whole[:-8], "cut off"),
            (whole[:4] + struct.pack("<I", 1) + whole[8:], "version 1"),
            (b"glTF" + struct.pack("<II", 2, 20) + struct.pack("<I4s", 0, b"BIN\0"), "no JSON"),
            (glb({"asset": 3}, b""), "not glTF"), (glb(json.loads("[" * 30 + "]" * 30), b""), "glTF"),
        ):  # fmt: skip
            self.refused(data, "a.glb", word)

    def test_random_damage_never_escapes(self):
        rng = np.random.default_rng(3)
        whole = bytearray(triangle_glb())
        for _ in range(300):
            broken = bytearray(whole)
            for at in rng.integers(0, len(broken), rng.integers(1, 6)):
                broken[at] = rng.integers(0, 256)
            try:
                read_items(bytes(broken), "a.glb")
            except BadInput as error:
                self.assertTrue(error.sentence.endswith("."))


USDA = """#usda 1.0
(
    subLayers = [@/etc/passwd@, @http://example.invalid/a.usd@]
)
def Mesh "m" (
    references = @./other.usd@
)
{
    int[] faceVertexCounts = [3]
    int[] faceVertexIndices = [0, 1, 2]
    point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)]
}
"""


class Usd(Refusing):
    def test_other_files_are_never_read(self):
        mesh = read_points(USDA.encode(), "a.usda")
        self.assertEqual(mesh.count, 3)
        self.assertTrue(any("3 other files" in note and "never read" in note for note in mesh.notes), mesh.notes)

    def test_wrong_faces(self):
        self.refused(USDA.replace("[0, 1, 2]", "[0, 1, 7]").encode(), "a.usda", "point 7", "3")
        self.refused(USDA.replace("[3]", "[4]").encode(), "a.usda", "do not match")
        self.refused(USDA.replace("[3]", "[2, 1]").encode(), "a.usda", "2 corners")
        self.refused(USDA.replace("def Mesh", "def Xform").encode(), "a.usda", "no meshes, points or curves")
        self.refused(b"#usda 1.0\ndef Mesh {{{", "a.usda", "Export it again")
        self.refused(b"PXR-USDC" + bytes(200), "a.usdc")

    def test_archives_that_lie(self):
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("a.usda", b"#usda 1.0\n" + b" " * 50_000_000)
        self.refused(packed.getvalue(), "bomb.usdz", "compressed files")
        self.refused(b"PK\x03\x04" + bytes(26) + b"a.usda" + bytes(80), "broken.usdz", "damaged archive")

    def test_deep_nesting_stops_the_reader_and_not_us(self):
        deep = "#usda 1.0\n" + 'def "a" {' * 20_000 + "}" * 20_000
        self.refused(deep.encode(), "deep.usda", "deep.usda")

    def test_mutated_binary_files(self):
        """Thirty of them: each gives a mesh or a sentence, and this process lives."""
        cube = SurfaceMaker(maker="mesh", surface="ball", subdivision=0).make(None)
        whole = FORMATS["usdc"].write(cube, None)
        rng = np.random.default_rng(7)
        broken = [bytearray(whole) for _ in range(30)]
        for data in broken:
            for at in rng.integers(8, len(data), 40):
                data[at] = rng.integers(0, 256)
        with forked() as reader:
            told = sum(self.told(data) for data in broken)
            self.assertEqual(read_items(whole, "a.usdc")[0].population.count, cube.count)
        self.assertEqual(reader.asked, 31)
        self.assertGreater(told, 3)

    def told(self, data: bytearray) -> bool:
        """Whether a sentence came; else something was read."""
        try:
            read_items(bytes(data), "a.usdc")
        except BadInput as error:
            self.assertTrue(error.sentence.endswith("."), error.sentence)
            return True
        return False


class Documents(unittest.TestCase):
    """A maker's document can be written by anyone: faces that do not go together are refused before any kernel runs."""

    def test_faces_of_a_document(self):
        mesh = SurfaceMaker(maker="mesh", surface="ball", subdivision=0).make(None)
        maker, blobs = store_columns(mesh, "ball")
        good = maker.model_dump(mode="json")
        self.assertEqual(parse(ImportedMaker, good).make(Memory(blobs)).count, mesh.count)
        other = mesh.elements.own["id"]
        beyond = np.full(len(mesh.form.corners), 10**6, "<i4")
        held = {**blobs, "0" * 32: beyond.tobytes(), "1" * 32: other.values.tobytes()}
        for key, value in (
            ("vertices", "0" * 32),
            ("sizes", "1" * 32),
            ("count", 3),
            ("corners", 9),
            ("vertices", "2" * 32),
        ):
            broken = json.loads(json.dumps(good))
            broken["faces"][key] = value
            with self.assertRaises(BadInput, msg=key):
                parse(ImportedMaker, broken).make(Memory(held))


if __name__ == "__main__":
    unittest.main()


class Shapes(unittest.TestCase):
    """The bytes of a mesh in the store: cut anywhere, or with any byte changed, it is refused or still a mesh."""

    def test_shapes_that_were_tampered_with(self):
        whole = packed(shape_mesh("card"))
        for cut in range(0, len(whole), 7):
            with self.assertRaises(ValueError):
                unpacked(whole[:cut])
        rng = np.random.default_rng(2)
        for _ in range(400):
            broken = bytearray(whole)
            broken[rng.integers(0, len(broken))] = rng.integers(0, 256)
            with contextlib.suppress(ValueError):
                mesh = unpacked(bytes(broken))
                self.assertTrue(mesh.faces.min() >= 0 and mesh.faces.max() < len(mesh.vertices))
                self.assertTrue(np.isfinite(mesh.vertices).all())
        for head in (b"[]", b'{"vertices": 1e9, "faces": 1, "materials": []}', b'{"vertices": "4"}', b"{" * 2000):
            with self.assertRaises(ValueError):
                unpacked(b"gaudyseed shape\n" + head + b"\n" + bytes(64))


class Extras(unittest.TestCase):
    """What a GLB says of its arrays beside their numbers may be anything."""

    def broken(self, change) -> str:
        """What is said of a file of ours whose extras were changed; empty where it is read all the same."""
        kinds = Attribute("kind", "text", np.arange(4, dtype="<i4") % 2, ("fish", "fox"), (Field("kind", "<i4"),))
        ids = Attribute("id", "integer", np.array([2**24 + 1, 3, 2**31 - 1, 0], "<i4"), (), (Field("id", "<i4"),))
        population = points(4)
        population = replace(population, elements=population.elements.with_more({"kind": kinds, "id": ids}))
        data = FORMATS["glb"].write(population, None)
        size = int.from_bytes(data[12:16], "little")
        document = json.loads(data[20 : 20 + size])
        for accessor in document["accessors"]:
            if "extras" in accessor:
                change(accessor)
        try:
            read_points(glb(document, data[28 + size :]), "a.glb")
        except BadInput as error:
            return error.sentence
        return ""

    def test_extras_that_say_what_is_not_so(self):
        def texts(accessor: dict) -> None:
            if "texts" in accessor["extras"]:
                accessor["extras"]["texts"] = ["fish"]

        def whole(accessor: dict) -> None:
            if "whole" in accessor["extras"]:
                accessor["extras"]["whole"] = 64

        self.assertIn("names texts", self.broken(texts))
        self.assertIn("whole numbers of 64 bits", self.broken(whole))

    def test_extras_of_any_shape_are_no_trouble(self):
        for odd in ([], 7, None, "x", {"texts": 3}, {"texts": [1, 2]}, {"whole": "many"}, {"name": "n" * 10_000},
                    {"stands_for": {}}, {"light": "candle"}, {"texts": ["a"] * 3, "whole": -1}):  # fmt: skip

            def change(accessor: dict, odd=odd) -> None:
                accessor["extras"] = odd

            self.assertNotIn("Error", self.broken(change))
