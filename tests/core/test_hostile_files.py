"""Files of a few bytes that mean harm, or are odd: each is read as it can be meant, or refused with a sentence."""

from __future__ import annotations

import json
import os
import resource
import sys
import time
import unittest

import numpy as np

from gaudyseed.core.documents.document import parse
from gaudyseed.core.errors import BadInput
from gaudyseed.core.formats import FORMATS, read_items, read_points
from gaudyseed.core.formats.columns import LARGEST_COLUMNS
from gaudyseed.core.population import Population
from gaudyseed.core.population.makers.imported import ImportedMaker, store_columns
from tests.core.test_bad_meshes import triangle_glb
from tests.core.test_roundtrip import Memory
from tests.forking import forked
from tests.reference.test_mesh_files import glb

CORNERS = np.eye(3, dtype="<f4")
UP = np.tile(np.array([0, 0, 1], "<f4"), (3, 1))
ORDER = np.arange(3, dtype="<u2")
INSTANCING = "EXT_mesh_gpu_instancing"


def gltf(*arrays: np.ndarray, **parts) -> bytes:
    """A GLB file of these arrays and of parts of its JSON."""
    binary, views, accessors = b"", [], []
    for values in arrays:
        views.append({"buffer": 0, "byteOffset": len(binary), "byteLength": values.nbytes})
        kind = "SCALAR" if values.ndim == 1 else f"VEC{values.shape[1]}"
        code = {"f4": 5126, "u2": 5123, "u4": 5125, "u1": 5121}[values.dtype.str[1:]]
        accessors.append({"bufferView": len(views) - 1, "componentType": code, "count": len(values), "type": kind})
        binary += values.tobytes() + b"\0" * (-values.nbytes % 4)
    document = {"asset": {"version": "2.0"}, "buffers": [{"byteLength": len(binary)}], "bufferViews": views,
                "accessors": accessors, **parts}  # fmt: skip
    return glb(document, binary)


def triangle(attributes: dict, nodes: list | None = None, mode: int | None = None, more: tuple = (), **parts) -> bytes:
    """A triangle with normals; ``attributes`` by the numbers of their arrays, 2 being its indices."""
    primitive = {"attributes": attributes, **({"indices": 2} if mode is None else {"mode": mode})}
    nodes = nodes or [{"mesh": 0}]
    return gltf(CORNERS, UP, ORDER, *more, meshes=[{"primitives": [primitive]}], nodes=nodes, scenes=[{"nodes": [0]}],
                **parts)  # fmt: skip


def instanced(place: list, turn: list, size: list) -> bytes:
    arrays = tuple(np.tile(np.array(values, "<f4"), (2, 1)) for values in (place, turn, size))
    words = {"TRANSLATION": 3, "ROTATION": 4, "SCALE": 5}
    node = {"mesh": 0, "name": "crowd", "extensions": {INSTANCING: {"attributes": words}}}
    return triangle({"POSITION": 0, "NORMAL": 1}, [node], more=arrays)


def usda(body: str) -> bytes:
    return f'#usda 1.0\n(\n    upAxis = "Z"\n)\n{body}'.encode()


MESH = """def Mesh "m"
{{
    int[] faceVertexCounts = [3]
    int[] faceVertexIndices = [0, 1, 2]
    point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)]
    normal3f[] normals = [(0, 0, 1), (0, 0, 1), (0, 0, 1)] (interpolation = "vertex")
    {}
}}
"""


CURVES = """def BasisCurves "c"
{{
    int[] curveVertexCounts = [4]
    point3f[] points = [(0, 0, 0), (1, 0, 0), (2, 0, 0), (3, 0, 0)]
    uniform token type = "{}"
    uniform token wrap = "{}"
    uniform token basis = "{}"
}}
"""


def scaled(inner: str, by: str) -> str:
    return (
        f'def Xform "x"\n{{\n    float3 xformOp:scale = ({by}, {by}, {by})\n'
        f'    uniform token[] xformOpOrder = ["xformOp:scale"]\n{inner}}}\n'
    )


def instancer(**said: str) -> bytes:
    held = {"point3f[] positions": "[(0, 0, 0), (1, 0, 0)]", "int[] protoIndices": "[0, 0]",
            "rel prototypes": "[</crowd/m>]"} | said  # fmt: skip
    lines = "".join(f"    {word} = {value}\n" for word, value in held.items() if value)
    return usda(f'def PointInstancer "crowd"\n{{\n{lines}{MESH.format("")}}}\n')


class Sound(unittest.TestCase):
    def setUp(self):
        # A fresh process for each file of USD would take minutes.
        reader = forked()
        reader.__enter__()
        self.addCleanup(reader.__exit__, None, None, None)

    def whole(self, data: bytes, name: str) -> list[Population]:
        """What a file holds, stored, made again, and written to every format that takes it."""
        found = []
        for thing in read_items(data, name):
            maker, blobs = store_columns(thing.population, name)
            made = parse(ImportedMaker, json.loads(maker.model_dump_json())).make(Memory(blobs))
            for form in FORMATS.values():
                if form.read and made.kind in form.kinds and form.word != "usdc":
                    written = form.write(made, None)
                    # Another process for each would take minutes.
                    if form.word != "usd" or name.endswith("usda"):
                        read_items(written, f"a{form.ending}")
            found.append(made)
        return found

    def refused(self, data: bytes, name: str, *words: str) -> str:
        with self.assertRaises(BadInput) as caught:
            read_items(data, name)
        sentence = caught.exception.sentence
        self.assertTrue(sentence.endswith("."), sentence)
        for word in words:
            self.assertIn(word, str(caught.exception))
        return sentence


class Numbers(Sound):
    """Places, turns and sizes that are none."""

    def test_a_node_that_makes_everything_flat(self):
        for size in ([0, 0, 0], [1, 1, 0], [1e-160, 1, 1]):
            data = triangle({"POSITION": 0, "NORMAL": 1}, [{"mesh": 0, "scale": size}])
            (mesh,) = self.whole(data, "flat.glb")
            self.assertTrue(np.isfinite(mesh.elements.attribute("normal").readable).all())
        for by in ("0", "1e-160"):
            (mesh,) = self.whole(usda(scaled(MESH.format(""), by)), "flat.usda")
            self.assertEqual(mesh.count, 3)

    def test_more_numbers_for_each_element_than_are_taken(self):
        """Those of up to sixteen come along, others are left out and named; found by the fuzz."""
        for size, there in ((16, True), (17, False)):
            values = ", ".join(str(k) for k in range(3 * size))
            more = f'int[] primvars:heap = [{values}] (\n interpolation = "vertex"\n elementSize = {size}\n)'
            item = read_items(usda(MESH.format(more)), "a.usda")[0]
            self.assertEqual("heap" in item.population.elements.own, there)
            self.assertEqual(any("17 numbers" in note for note in item.population.notes), not there)
            store_columns(item.population, "a.usda")

    def test_normals_of_a_flat_thing_are_square_to_it(self):
        """Made flat along x, what lay across has its normal along x: the limit of the inverse transposed."""
        normals = np.tile(np.array([0.6, 0.8, 0], "<f4"), (3, 1))
        data = gltf(CORNERS, normals, ORDER, meshes=[{"primitives": [{"attributes": {"POSITION": 0, "NORMAL": 1},
                    "indices": 2}]}], nodes=[{"mesh": 0, "scale": [0, 1, 1]}], scenes=[{"nodes": [0]}])  # fmt: skip
        found = read_points(data, "flat.glb").elements.own["normal"].values
        np.testing.assert_allclose(found, np.tile([1.0, 0, 0], (3, 1)), atol=1e-6)

    def test_sizes_that_multiply_without_end(self):
        for size, said in ((1e12, "1e12"), (1e-12, "")):
            nodes = [{"scale": [size] * 3, "children": [k + 1]} for k in range(30)] + [{"mesh": 0}]
            data = triangle({"POSITION": 0, "NORMAL": 1}, nodes)
            text = MESH.format("")
            for _ in range(30):
                text = scaled(text, f"{size:g}")
            if said:
                self.refused(data, "deep.glb", "node 1", said)
                self.refused(usda(text), "deep.usda", "'m'", said)
            else:
                self.whole(data, "deep.glb")
                self.whole(usda(text), "deep.usda")

    def test_instances_without_a_place(self):
        still, one = [0, 0, 0, 1], [1, 1, 1]
        for place, turn, size in (([0, 0, 0], [np.nan] * 4, one), ([0, 0, 0], [np.inf] * 4, one),
                                  ([0, 0, 0], still, [np.inf] * 3), ([np.nan] * 3, still, one),
                                  ([3e38] * 3, still, one)):  # fmt: skip
            self.refused(instanced(place, turn, size), "crowd.glb", "1", "finite")
        (clones,) = self.whole(instanced([0, 0, 0], [0, 0, 0, 0], [0, 0, 0]), "crowd.glb")
        self.assertEqual(clones.count, 2)
        for word, value in (("quath[] orientations", "[(nan, 0, 0, 0), (1, 0, 0, 0)]"),
                            ("quath[] orientations", "[(inf, 0, 0, 0), (1, 0, 0, 0)]"),
                            ("float3[] scales", "[(nan, 1, 1), (1, 1, 1)]"),
                            ("float3[] scales", "[(3e38, 3e38, 3e38), (1, 1, 1)]"),
                            ("point3f[] positions", "[(inf, 0, 0), (1, 0, 0)]")):  # fmt: skip
            self.refused(instancer(**{word: value}), "crowd.usda", "'crowd'", "copy 1")

    def test_a_turn_of_nothing_goes_out_as_a_turn(self):
        rows = "x,y,z,qx,qy,qz,qw\n0,0,0,0,0,0,0\n1,0,0,0,0,0,1\n"
        (clones,) = self.whole(rows.encode(), "still.csv")
        for form in ("glb", "usd"):
            back = read_points(FORMATS[form].write(clones, None), f"still{FORMATS[form].ending}")
            np.testing.assert_allclose(back.elements.own["orientation"].values, [[0, 0, 0, 1]] * 2, atol=1e-6)


class Names(Sound):
    """Names are anyone's."""

    def test_names_that_are_none(self):
        for word in ("_", "", "_" + "A" * 300, "\ud800x", "_\udc00"):
            (mesh,) = self.whole(triangle({"POSITION": 0, "NORMAL": 1, word: 0}), "names.glb")
            self.assertEqual(len(mesh.elements.own), 3, mesh.elements.own.keys())
        (mesh,) = self.whole(triangle({"POSITION": 0}, [{"mesh": 0, "name": "a\ud800" * 900}],
                                      materials=[{"name": "\udfff"}]), "names.glb")  # fmt: skip
        self.assertEqual(mesh.elements.attribute("part_name").labels, ("a" * 900,))
        many = {f"_A{k}": 1 for k in range(600)}
        mesh = read_points(triangle({"POSITION": 0, **many}), "many.glb")
        self.assertEqual(len(mesh.elements.own), 601)
        store_columns(mesh, "many.glb")
        self.assertEqual(read_points(FORMATS["glb"].write(mesh, None), "many.glb").elements.own.keys() - {"normal"},
                         mesh.elements.own.keys())  # fmt: skip
        with self.assertRaises(BadInput) as caught:
            FORMATS["csv"].write(mesh, None)
        self.assertIn("1,803 columns", caught.exception.sentence)
        self.refused(triangle({"POSITION": 0, **{f"_A{k}": 1 for k in range(700)}}), "many.glb", "701", "at most")

    def test_what_is_called_like_something_that_it_is_not(self):
        words = ("_POSITION", "_NORMAL", "_UV", "_COLOUR", "_ID", "_PART", "_ISLAND", "_SIZE", "_ORIENTATION",
                 "_TEXCOORD_0", "_COLOR_0", "_WIDTH", "_STRAND", "_MATERIAL", "_PART_NAME", "_COPY")  # fmt: skip
        for word in words:
            for mode in (None, 0, 3):
                data = triangle({"POSITION": 0, word: 1}, mode=mode)
                (made,) = self.whole(data, "names.glb")
                placed = made.elements.own["position"].values
                np.testing.assert_allclose(placed[0], [1, 0, 0], err_msg=word)
        for name in ("position", "normal", "uv", "size", "id", "part", "part_name", "colour", "group", "material"):
            for value in ("float[] {} = [1, 2, 3]", "float4[] {} = [(1, 2, 3, 4), (1, 2, 3, 4), (1, 2, 3, 4)]"):
                text = MESH.format(value.format(f"primvars:{name}") + ' (interpolation = "vertex")')
                (mesh,) = self.whole(usda(text), "names.usda")
                np.testing.assert_allclose(mesh.elements.own["position"].values[1], [1, 0, 0], err_msg=name)
        long = MESH.format(f'float[] primvars:{"a" * 300} = [1, 2, 3] (interpolation = "vertex")')
        (mesh,) = self.whole(usda(long), "long.usda")
        self.assertIn("a" * 200, mesh.elements.own)

    def test_names_that_become_alike(self):
        """Of other scripts, and such that USD spells alike: each goes out and comes back under its own name."""
        heads = ["größe", "Größe", "высота", "ширина", "a b", "a_b", "a-b", "高さ"]
        values = [f"{k}.5" for k in range(len(heads))]
        data = f"x,y,z,{','.join(heads)}\n0,0,0,{','.join(values)}\n1,0,0,{','.join(values)}\n".encode()
        made = read_points(data, "alike.csv")
        for form in ("usd", "glb", "usdc"):
            back = read_points(FORMATS[form].write(made, None), f"alike{FORMATS[form].ending}")
            for k, head in enumerate(heads):
                self.assertEqual(back.elements.own[head].values.tolist(), [k + 0.5] * 2, (form, head))
        texts = "x,y,z,kind\n0,0,0,a b\n1,0,0,a_b\n2,0,0,größe\n".encode()
        back = read_points(FORMATS["usd"].write(read_points(texts, "texts.csv"), None), "texts.usda")
        kind = back.elements.own["kind"]
        self.assertEqual([kind.labels[c] for c in kind.values], ["a b", "a_b", "größe"])

    def test_as_many_columns_as_are_taken_go_out_and_come_back(self):
        heads = [f"c{k}" for k in range(LARGEST_COLUMNS - 3)]
        line = ",".join(["1.5"] * len(heads))
        made = read_points(f"x,y,z,{','.join(heads)}\n0,0,0,{line}\n1,0,0,{line}\n".encode(), "wide.csv")
        results = {"base_colour": np.full((2, 3), 0.5, np.float32), "roughness": np.full(2, 0.5, np.float32)}
        for form in ("csv", "ply"):
            again = read_points(FORMATS[form].write(made, results), f"wide{FORMATS[form].ending}")
            self.assertEqual(again.elements.own["c508"].values.tolist(), [1.5, 1.5])
            maker, _ = store_columns(again, "wide")
            parse(ImportedMaker, json.loads(maker.model_dump_json()))
        heads += ["d", "e"]
        self.refused(f"x,y,z,{','.join(heads)}\n0,0,0,{line},1,1\n".encode(), "wide.csv", "514", "512")


class Matching(Sound):
    """What must be of one length, or name what is there."""

    def test_triangles_of_too_few_corners(self):
        one = gltf(CORNERS[:1], meshes=[{"primitives": [{"attributes": {"POSITION": 0}, "mode": 6}]}],
                   nodes=[{"mesh": 0}], scenes=[{"nodes": [0]}])  # fmt: skip
        self.refused(one, "fan.glb", "no triangles")
        self.refused(one.replace(b'"mode": 6', b'"mode": 5'), "strip.glb", "no triangles")

    def test_instancers_whose_arrays_do_not_match(self):
        for word, value, *said in (("int[] protoIndices", "[0, 0, 0]", "2 positions", "3 indices"),
                                   ("int[] protoIndices", "[0, 7]", "prototype 7"),
                                   ("int[] protoIndices", "[-1, 0]", "prototype -1"),
                                   ("float3[] scales", "[(1, 1, 1)]", "1 scales"),
                                   ("quath[] orientations", "[(1, 0, 0, 0)]", "1 orientations"),
                                   ("point3f[] positions", "", "no positions"),
                                   ("int[] protoIndices", "", "no positions, indices"),
                                   ("rel prototypes", "", "prototypes")):  # fmt: skip
            self.refused(instancer(**{word: value}), "crowd.usda", *said)
        self.assertEqual(self.whole(instancer(**{"rel prototypes": "[</nowhere>]"}), "crowd.usda")[0].count, 2)

    def test_curves_of_an_unknown_kind(self):
        text = CURVES
        for kind, wrap, basis, said in (("linear", "around", "bezier", "wrap 'around'"),
                                        ("cubic", "around", "bspline", "wrap 'around'"),
                                        ("cubic", "pinned", "soft", "basis 'soft'")):  # fmt: skip
            self.refused(usda(text.format(kind, wrap, basis)), "c.usda", said)
        self.whole(usda(text.format("linear", "nonperiodic", "soft")), "c.usda")

    def test_parts_of_any_numbers(self):
        head = "ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\n" \
               "element face 3\nproperty list uchar int vertex_indices\nproperty {} part\nend_header\n" \
               "0 0 0\n1 0 0\n1 1 0\n0 1 0\n3 0 1 2 {}\n3 0 2 3 {}\n3 0 1 3 {}\n"  # fmt: skip
        for kind, numbers, names in (("int", (7, -3, 7), ["-3", "7"]), ("int", (100, 5, 5), ["5", "100"]),
                                     ("float", (0.5, -1, 0.5), ["-1", "0.5"]),
                                     ("double", ("nan", 2, "nan"), ["2", "nan"]),
                                     ("int", (0, 1, 0), ["part 0", "part 1"])):  # fmt: skip
            data = head.format(kind, *numbers).encode()
            (mesh,) = self.whole(data, "parts.ply")
            self.assertEqual(list(mesh.elements.attribute("part_name").labels)[:2] if kind != "int" or 0 not in numbers
                             else names, names)  # fmt: skip
            back = read_points(FORMATS["ply"].write(mesh, None), "parts.ply")
            self.assertEqual(back.elements.owners[0].count, mesh.elements.owners[0].count)
            if 0 not in numbers:
                np.testing.assert_array_equal(back.form.of_faces["part_"].values, np.array(numbers, float))


class Seams(Sound):
    def test_a_cube_whose_corners_have_uv_and_normals_of_their_own(self):
        faces = [(1, 4, 3, 2), (5, 6, 7, 8), (1, 2, 6, 5), (2, 3, 7, 6), (3, 4, 8, 7), (4, 1, 5, 8)]
        lines = [f"v {x} {y} {z}" for z in (0, 1) for x, y in ((0, 0), (1, 0), (1, 1), (0, 1))]
        lines += [f"vt {u} {v}" for u, v in ((0, 0), (1, 0), (1, 1), (0, 1))]
        lines += [f"vn {n}" for n in ("0 0 -1", "0 0 1", "0 -1 0", "1 0 0", "0 1 0", "-1 0 0")]
        lines += ["f " + " ".join(f"{v}/{k + 1}/{n}" for k, v in enumerate(face)) for n, face in enumerate(faces, 1)]
        mesh = read_points("\n".join(lines).encode(), "cube.obj")
        self.assertEqual(mesh.count, 8)
        data = FORMATS["glb"].write(mesh, {"base_colour": np.full((8, 3), 0.25, np.float32)})
        size = int.from_bytes(data[12:16], "little")
        document = json.loads(data[20 : 20 + size])
        attributes = document["meshes"][0]["primitives"][0]["attributes"]
        counts = {word: document["accessors"][k]["count"] for word, k in attributes.items()}
        self.assertEqual(set(counts.values()), {24}, counts)
        # By trimesh: each triangle has the normal of its face at its corners.
        import io

        import trimesh

        (whole,) = trimesh.load(io.BytesIO(data), file_type="glb", process=False).geometry.values()
        for triangle_of, square in zip(whole.faces, whole.face_normals, strict=True):
            np.testing.assert_allclose(whole.vertex_normals[triangle_of], np.tile(square, (3, 1)), atol=1e-5)
        # Read here it is the mesh of eight vertices again, with what its corners had.
        back = read_points(data, "cube.glb")
        self.assertEqual(back.count, 8)
        for name in ("uv", "normal"):
            corners = mesh.form.of_corners[name].values[mesh.form.cut[0].reshape(-1)]
            np.testing.assert_allclose(back.form.of_corners[name].values, corners, atol=1e-6)

    def test_a_second_set_of_uv(self):
        first, second = (np.random.default_rng(k).random((3, 2)).astype("<f4") for k in (1, 2))
        data = triangle({"POSITION": 0, "TEXCOORD_0": 3, "TEXCOORD_1": 4}, more=(first, second))
        written = FORMATS["glb"].write(read_points(data, "two.glb"), None)
        self.assertIn(b'"TEXCOORD_1"', written)
        self.assertNotIn(b"_TEXCOORD_1", written)
        back = read_points(written, "two.glb").elements.own["texcoord_1"].values
        np.testing.assert_allclose(back, second * [1, -1] + [0, 1], atol=1e-6)


class Told(Sound):
    """What cannot come along is told."""

    def test_tangents_skins_and_morphs(self):
        four = np.zeros((3, 4), "<f4")
        joints = np.zeros((3, 4), "<u2")
        words = {"POSITION": 0, "NORMAL": 1, "TANGENT": 3, "JOINTS_0": 4, "WEIGHTS_0": 3}
        data = triangle(words, [{"mesh": 0, "skin": 0}], more=(four, joints))
        note = next(n for n in read_points(data, "rig.glb").notes if "Left out" in n)
        self.assertIn("tangents", note)
        self.assertIn("skins", note)
        document = {"asset": {"version": "2.0"}, "buffers": [{"byteLength": 36}],
                    "bufferViews": [{"buffer": 0, "byteLength": 36}],
                    "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"}],
                    "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "targets": [{"POSITION": 0}]}]}],
                    "nodes": [{"mesh": 0}], "scenes": [{"nodes": [0]}]}  # fmt: skip
        notes = read_points(glb(document, CORNERS.tobytes()), "morph.glb").notes
        self.assertTrue(any("morph" in note for note in notes), notes)

    def test_names_of_materials_and_further_colours(self):
        colours = np.random.default_rng(3).random((3, 3)).astype("<f4")
        primitives = [{"attributes": {"POSITION": 0, "COLOR_0": 3, "COLOR_1": 3}, "indices": 2, "material": k}
                      for k in (1, 0)]  # fmt: skip
        data = gltf(CORNERS, UP, ORDER, colours, meshes=[{"primitives": primitives}], nodes=[{"mesh": 0}],
                    scenes=[{"nodes": [0]}], materials=[{"name": "felt"}, {"name": "wire"}])  # fmt: skip
        mesh = read_points(data, "two.glb")
        written = FORMATS["glb"].write(mesh, None)
        self.assertIn(b'"COLOR_1"', written)
        material = read_points(written, "two.glb").form.of_faces["material"]
        self.assertEqual([material.labels[c] for c in material.values], ["wire", "felt"])

    def test_what_usd_hides(self):
        hidden = MESH.format('token visibility = "invisible"').replace('"m"', '"lost"')
        guide = MESH.format('uniform token purpose = "guide"').replace('"m"', '"rail"')
        (thing,) = read_items(usda(MESH.format("") + hidden + guide), "hidden.usda")
        self.assertEqual(thing.population.count, 3)
        self.assertTrue(any("lost, rail" in n for n in thing.population.notes), thing.population.notes)

    def test_no_column_grows_from_trip_to_trip(self):
        made, names = read_points(instancer(), "crowd.usda"), None
        for _ in range(3):
            made = read_points(FORMATS["usd"].write(made, None), "crowd.usda")
            self.assertIn(names, (None, set(made.elements.own)))
            names = set(made.elements.own)

    def test_instancers_of_usd(self):
        data = instancer(**{
            "int64[] ids": "[7, 9]", "int64[] invisibleIds": "[7]", "float3[] scales": "[(1, 1, 1), (-1, 2, 1)]",
            "vector3f[] velocities": "[(1, 0, 0), (0, 2, 0)]",
        })  # fmt: skip
        made = read_points(data, "crowd.usda")
        self.assertEqual(made.elements.own["id"].values.tolist(), [9])
        self.assertEqual(made.elements.own["velocity"].values.tolist(), [[0, 2, 0]])
        told = " ".join(made.notes)
        self.assertIn("1 of 2 copies are invisible", told)
        self.assertIn("mirrored or of unequal size", told)


def apart(data: bytes, name: str) -> tuple[float, int, str]:
    """Seconds, greatest memory in MB, and what was said or read, of a process of its own with 6 GB."""
    read, write = os.pipe()
    child = os.fork()
    if not child:
        resource.setrlimit(resource.RLIMIT_AS, (6 << 30, 6 << 30))
        began = time.monotonic()
        try:
            things = read_items(data, name)
            said = f"{len(things)} things, {sum(t.population.count for t in things)} elements"
        except BadInput as error:
            said = error.sentence
        except BaseException as error:  # whatever it is, the parent tells
            said = f"!{error!r}"
        used = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
        os.write(write, json.dumps([time.monotonic() - began, used, said]).encode())
        os._exit(0)
    os.close(write)
    with os.fdopen(read) as file:
        told = json.load(file)
    os.waitpid(child, 0)
    return told[0], told[1], told[2]


@unittest.skipUnless(sys.platform == "linux", "counts memory as Linux does")
class Proportion(Sound):
    """A few bytes take no more time and memory than a few bytes can mean."""

    def setUp(self):
        """Each in a process of its own."""

    def within(self, data: bytes, seconds: float, megabytes: int, *words: str, name: str = "a.glb") -> None:
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
        took, used, said = apart(data, name)
        for word in words:
            self.assertIn(word, said)
        self.assertLess(took, seconds, said)
        self.assertLess(used - before, megabytes, said)

    def test_counts_without_data(self):
        for count in (21_000_000, 19_000_000):
            data = triangle_glb(accessors=[{"componentType": 5126, "count": count, "type": "VEC3"}],
                                meshes=[{"primitives": [{"attributes": {"POSITION": 0}, "mode": 0}]}])  # fmt: skip
            self.within(data, 3, 100, f"{count:,}")

    def test_meshes_that_share_one_array(self):
        places = np.random.default_rng(1).random((30_000, 3)).astype("<f4")
        many = 1_200
        meshes = [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}] * many
        nodes = [{"mesh": k, "translation": [k, 0, 0]} for k in range(many)]
        data = gltf(places, np.arange(30_000, dtype="<u2"), meshes=meshes, nodes=nodes,
                    scenes=[{"nodes": list(range(many))}])  # fmt: skip
        self.within(data, 6, 100, "36,000,000")

    def test_instances_that_share_one_array(self):
        places = np.zeros((100_000, 3), "<f4")
        node = {"mesh": 0, "extensions": {INSTANCING: {"attributes": {"TRANSLATION": 3}}}}
        for many, said in ((300, "30,000,000"), (100, "9,900,000 elements of arrays that its meshes share")):
            data = gltf(CORNERS, UP, ORDER, places, nodes=[node] * many, scenes=[{"nodes": list(range(many))}],
                        meshes=[{"primitives": [{"attributes": {"POSITION": 0}, "indices": 2}]}])  # fmt: skip
            self.within(data, 6, 100, said)

    def test_many_shapes_instances_and_materials(self):
        """Linear: thousands of anything take a second or two, where twenty thousand took minutes."""
        many = 8_000
        one = {"primitives": [{"attributes": {"POSITION": 0}, "indices": 2}]}
        nodes = [{"mesh": k % many, "translation": [k, 0, 0]} for k in range(2 * many)]
        pairs = gltf(CORNERS, UP, ORDER, meshes=[{**one, "name": f"m{k}"} for k in range(many)], nodes=nodes,
                     scenes=[{"nodes": list(range(2 * many))}])  # fmt: skip
        self.within(pairs, 8, 500, "16000 elements")
        crowd = [{"mesh": 0, "name": f"n{k}", "extensions": {INSTANCING: {"attributes": {"TRANSLATION": 0}}}}
                 for k in range(many)]  # fmt: skip
        self.within(gltf(CORNERS, UP, ORDER, meshes=[one], nodes=crowd, scenes=[{"nodes": list(range(many))}]), 12, 500,
                    "24000 elements")  # fmt: skip
        primitives = [{**one["primitives"][0], "material": k} for k in range(12_000)]
        painted = gltf(CORNERS, UP, ORDER, meshes=[{"primitives": primitives}], nodes=[{"mesh": 0}, {"mesh": 0}],
                       materials=[{"name": f"m{k}"} for k in range(12_000)], scenes=[{"nodes": [0, 1]}])  # fmt: skip
        self.within(painted, 8, 500, "2 elements")

    def test_native_instances_of_usd(self):
        copies = "".join(
            f'def Xform "c{k}" (\n    instanceable = true\n    references = </bead>\n)\n{{\n'
            f"    double3 xformOp:translate = ({k}, 0, 0)\n"
            f'    uniform token[] xformOpOrder = ["xformOp:translate"]\n}}\n' for k in range(2_500)
        )  # fmt: skip
        bead = f'def Xform "bead"\n{{\n{MESH.format("")}}}\n'
        self.within(usda(bead + copies), 10, 500, "2503 elements", name="garland.usda")
        crowd = instancer().decode().partition(")\n")[2]
        many = "".join(crowd.replace("crowd", f"crowd_{k}") for k in range(1_100))
        self.within(usda(many), 60, 500, "2200 elements", name="crowds.usda")
