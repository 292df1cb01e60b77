"""Files of meshes against second readers and writers: trimesh, plyfile, usd-core, the Khronos validator."""

import io
import json
import subprocess
import tempfile
import unittest
from pathlib import Path

import numpy as np
import trimesh
from plyfile import PlyData, PlyElement

from gaudyseed.core.colour.spaces import display_bytes
from gaudyseed.core.digest import digest_of
from gaudyseed.core.errors import BadInput
from gaudyseed.core.formats import FORMATS, ReadOptions, WriterContext, read_again, read_items, read_points
from gaudyseed.core.formats.meshing import split_at_seams
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.population import Population
from gaudyseed.core.population.makers.imported import store_columns
from gaudyseed.core.population.makers.recipe import ImportRecipe
from gaudyseed.core.population.makers.scatter import ScatterMaker
from gaudyseed.core.population.makers.surface import SurfaceMaker
from tests.core.test_roundtrip import Memory
from tests.forking import forked
from tests.support import look, ramp

FRONTEND = Path(__file__).resolve().parent.parent.parent / "frontend"
PER_PART = look(
    {"step": "random", "per": "part", "seed": 3}, ramp([0, 1], ["#102040", "#ffcc88"], interpolation="straight")
)


def coloured(population: Population) -> dict[str, np.ndarray]:
    return Evaluator().evaluate(population, PER_PART).results


def beetle() -> Population:
    return SurfaceMaker(maker="mesh", surface="beetle", subdivision=0).make(None)


def written(population: Population, form: str, name: str = "Beetle") -> bytes:
    return FORMATS[form].write(population, coloured(population), WriterContext(name))


def of_trimesh() -> trimesh.Scene:
    """A scene of another library: three boxes of which two have one name, a ball with a colour at each vertex."""
    scene = trimesh.Scene()
    for k, name in enumerate(("tile", "tile", "lid")):
        box = trimesh.creation.box((0.5, 0.4, 0.1 + 0.1 * k))
        box.apply_translation([k, 0, 0])
        scene.add_geometry(box, geom_name=f"{name}{k}", node_name=f"{name}.{k}")
    ball = trimesh.creation.icosphere(subdivisions=2, radius=0.4)
    ball.apply_translation([0, 2, 0])
    ball.visual.vertex_colors = np.random.default_rng(1).integers(0, 256, (len(ball.vertices), 4), np.uint8)
    scene.add_geometry(ball, geom_name="knob", node_name="knob")
    return scene


def setUpModule() -> None:
    """Files of USD are read by forks of one process."""
    unittest.enterModuleContext(forked())


class Same(unittest.TestCase):
    def same(self, one: Population, other: Population, polygons: bool = True) -> None:
        """Places in their order, faces, uv of corners, parts."""
        place = "position"
        np.testing.assert_allclose(one.elements.own[place].readable, other.elements.own[place].readable, atol=1e-6)
        if polygons:
            np.testing.assert_array_equal(one.form.starts, other.form.starts)
            np.testing.assert_array_equal(one.form.corners, other.form.corners)


class Obj(Same):
    def test_out_and_in_again(self):
        mesh = beetle()
        back = read_points(written(mesh, "obj"), "beetle.obj")
        self.same(mesh, back)
        names = [a.attributes["part_name"] for a in (mesh.elements.owners[0], back.elements.owners[0])]
        self.assertEqual(names[0].labels, names[1].labels)
        np.testing.assert_allclose(back.form.of_corners["uv"].values, mesh.form.of_corners["uv"].values, atol=1e-7)
        np.testing.assert_allclose(back.elements.own["colour"].readable, coloured(mesh)["base_colour"], atol=1e-5)

    def test_trimesh_reads_the_colours(self):
        mesh = SurfaceMaker(maker="mesh", surface="ring", subdivision=0).make(None)
        mesh.form.of_corners.pop("uv")
        results = coloured(mesh)
        back = trimesh.load(io.BytesIO(FORMATS["obj"].write(mesh, results)), file_type="obj", process=False)
        self.assertEqual(len(back.vertices), mesh.count)
        levels = display_bytes(results["base_colour"])
        self.assertLessEqual(np.abs(back.visual.vertex_colors[:, :3].astype(int) - levels).max(), 1)

    def test_files_of_trimesh(self):
        scene = of_trimesh()
        mesh = read_points(scene.export(file_type="obj").encode(), "scene.obj")
        whole = scene.to_geometry()
        self.assertEqual((mesh.count, mesh.form.faces), (len(whole.vertices), len(whole.faces)))
        self.assertEqual(mesh.elements.owners[0].count, 4)
        self.assertAlmostEqual(
            float(mesh.elements.owners[0].attributes["part_area"].values.sum()), whole.area, places=4
        )

    def test_the_words_of_the_format(self):
        """Negative indices, lines that go on, mixed corners, materials, groups: the format, from memory."""
        text = "\n".join([
            "# made by hand", "mtllib paint.mtl", "v 0 0 0", "v 1 0 0", "v 1 1 0", "v 0 1 0 0.5", "vt 0 0", "vt 1 0",
            "vt 1 1", "vn 0 0 1", "o wall", "g left", "usemtl red", "s 1", "f 1/1/1 2/2/1 3/3/1", "g right",
            "usemtl blue", "f -4//-1 -2//-1 \\", "  -1//-1", "o wall", "f 1 2 3 4", "l 1 2 3", "p 4",
        ])  # fmt: skip
        held = read_items(text.encode(), "wall.obj")
        self.assertEqual([t.name for t in held], ["wall", "wall lines"])
        mesh = held[0].population
        self.assertEqual(held[1].population.form.sizes.tolist(), [3])
        self.assertEqual(np.diff(mesh.form.starts).tolist(), [3, 3, 4])
        self.assertEqual(mesh.form.corners.tolist(), [0, 1, 2, 0, 2, 3, 0, 1, 2, 3])
        parts = mesh.form.of_faces["part"]
        self.assertEqual([parts.labels[k] for k in parts.values], ["left", "right", "wall"])
        material = mesh.form.of_faces["material"]
        self.assertEqual([material.labels[k] for k in material.values], ["red", "blue", "blue"])
        self.assertEqual(mesh.form.of_corners["uv"].missing.tolist(), [False] * 3 + [True] * 7)
        self.assertIn("1 lines of points (p) were left out", mesh.notes[0])
        again = read_points(FORMATS["obj"].write(mesh, None), "again.obj")
        self.assertEqual(again.form.corners.tolist(), mesh.form.corners.tolist())
        self.assertEqual(again.form.of_faces["part"].labels, parts.labels)
        self.assertEqual(again.form.of_corners["uv"].missing.tolist(), mesh.form.of_corners["uv"].missing.tolist())

    def test_numbers_read_as_python_reads_them(self):
        rng = np.random.default_rng(8)
        texts = [repr(float(v)) for v in rng.normal(size=600) * 10.0 ** rng.integers(-30, 30, 600)]
        texts += ["1.7976931348623157e308", "4.9e-324", "0.1234567890123456789012345", "-0", "+5", ".5", "5.", "1E3"]
        texts += ["0"] * (-len(texts) % 3)
        lines = [f"v {' '.join(texts[k : k + 3])}" for k in range(0, len(texts), 3)]
        mesh = read_points("\n".join([*lines, "f 1 2 3"]).replace("e308", "e29").encode(), "numbers.obj")
        wanted = [float(t.replace("e308", "e29")) for t in texts]
        np.testing.assert_array_equal(mesh.elements.own["position"].values.reshape(-1), wanted)


class PlyFaces(Same):
    def test_all_three_forms_of_plyfile(self):
        rng = np.random.default_rng(2)
        vertex = np.array(
            [(*p, w, k) for k, (p, w) in enumerate(zip(rng.normal(size=(6, 3)), rng.random(6), strict=True))],
            dtype=[("x", "f8"), ("y", "f8"), ("z", "f8"), ("weight", "f4"), ("id", "i4")],
        )
        lists = [[0, 1, 2], [2, 3, 4, 5], [0, 2, 5, 4, 1]]
        face = np.empty(3, dtype=[("vertex_indices", "O"), ("tint", "u1"), ("heat", "f4")])
        for k, corners in enumerate(lists):
            face[k] = (np.array(corners, "i4"), 10 * k, k / 3)
        for text, order in ((True, "="), (False, "<"), (False, ">")):
            out = io.BytesIO()
            elements = [PlyElement.describe(vertex, "vertex"), PlyElement.describe(face, "face")]
            PlyData(elements, text=text, byte_order=order).write(out)
            mesh = read_points(out.getvalue(), "three.ply")
            self.assertEqual([c.tolist() for c in np.split(mesh.form.corners, mesh.form.starts[1:-1])], lists)
            self.assertEqual(mesh.form.of_faces["tint"].values.tolist(), [0, 10, 20])
            for form in ("ply", "ply_ascii"):
                data = FORMATS[form].write(mesh, None)
                back = PlyData.read(io.BytesIO(data))
                self.assertEqual([c.tolist() for c in back["face"]["vertex_indices"]], lists)
                if order != ">":  # plyfile writes single values after lists in the machine's order
                    np.testing.assert_array_equal(back["face"]["heat"], face["heat"])
                for name in vertex.dtype.names:
                    np.testing.assert_array_equal(back["vertex"][name], vertex[name])
                again = read_points(data, "again.ply")
                self.assertEqual((again.form.digest, again.elements.digest), (mesh.form.digest, mesh.elements.digest))

    def test_the_beetle_keeps_its_parts_and_uv(self):
        mesh = beetle()
        back = read_points(written(mesh, "ply"), "beetle.ply")
        self.same(mesh, back)
        self.assertEqual(back.elements.owners[0].count, 17)
        np.testing.assert_allclose(back.form.of_corners["uv"].values, mesh.form.of_corners["uv"].values)


class Glb(Same):
    def validated(self, data: bytes) -> dict:
        """What the Khronos validator says."""
        script = (
            "const v = require('gltf-validator'); const fs = require('fs');"
            "v.validateBytes(new Uint8Array(fs.readFileSync(0))).then((r) => console.log(JSON.stringify(r.issues)));"
        )
        done = subprocess.run(["node", "-e", script], input=data, cwd=FRONTEND, stdout=subprocess.PIPE, check=True)
        return json.loads(done.stdout)

    def test_the_validator_finds_no_fault(self):
        clones = ScatterMaker(maker="scatter", surface="ball", count=200).make(None)
        for population in (beetle(), clones):
            issues = self.validated(written(population, "glb"))
            self.assertEqual((issues["numErrors"], issues["numWarnings"]), (0, 0), issues["messages"][:3])

    def test_out_and_in_again(self):
        mesh = beetle()
        back = read_points(written(mesh, "glb"), "beetle.glb")
        self.same(mesh, back, polygons=False)
        # In glTF there are triangles only; parts are nodes.
        self.assertEqual(back.form.faces, len(mesh.form.triangles))
        self.assertEqual(back.elements.owners[0].attributes["part_name"].labels, mesh.form.of_faces["part"].labels)
        np.testing.assert_allclose(back.elements.own["colour"].readable, coloured(mesh)["base_colour"], atol=1e-6)
        np.testing.assert_array_equal(back.elements.own["coat"].values, mesh.elements.own["coat"].values)

    def test_trimesh_reads_the_colours(self):
        mesh = beetle()
        scene = trimesh.load(io.BytesIO(written(mesh, "glb")), file_type="glb", process=False)
        self.assertEqual(set(scene.geometry), set(mesh.form.of_faces["part"].labels))
        levels = np.rint(np.clip(coloured(mesh)["base_colour"], 0, 1) * 255)
        # Vertices are split at the seams of the uv: the first ones are those of the mesh.
        rows = split_at_seams(mesh).rows
        np.testing.assert_array_equal(rows[: mesh.count], np.arange(mesh.count))
        levels = levels[rows]
        for piece in scene.geometry.values():
            found = piece.visual.vertex_attributes if hasattr(piece.visual, "vertex_attributes") else {}
            colours = np.asarray(found.get("color", getattr(piece.visual, "vertex_colors", None)))
            colours = colours * 255 if colours.dtype.kind == "f" else colours.astype(int)
            self.assertLessEqual(np.abs(colours[:, :3] - levels).max(), 1)

    def test_a_scene_of_trimesh(self):
        scene = of_trimesh()
        mesh = read_points(scene.export(file_type="glb"), "scene.glb")
        whole = scene.to_geometry()
        self.assertEqual(mesh.form.faces, len(whole.faces))
        self.assertEqual(mesh.elements.owners[0].count, 4)
        # Their y is up, ours z.
        low, high = whole.bounds
        place = mesh.elements.own["position"].readable
        np.testing.assert_allclose(place.min(axis=0), [low[0], -high[2], low[1]], atol=1e-5)
        np.testing.assert_allclose(mesh.elements.owners[0].attributes["part_area"].values.sum(), whole.area, rtol=1e-4)

    def test_repeated_meshes_are_clones_or_parts(self):
        scene = trimesh.Scene()
        box = trimesh.creation.box((1, 1, 1))
        scene.add_geometry(box, geom_name="crate", node_name="crate 0")
        for k in range(1, 5):
            place = trimesh.transformations.translation_matrix([k * 2, 0, 0])
            scene.graph.update(frame_to=f"crate {k}", matrix=place, geometry="crate")
        data = scene.export(file_type="glb")
        clones = read_points(data, "crates.glb")
        self.assertEqual((clones.kind, clones.count), ("clones", 5))
        self.assertEqual(clones.elements.own["position"].values[:, 0].tolist(), [0, 2, 4, 6, 8])
        self.assertEqual(clones.elements.own["shape"].labels, ("crate",))
        parts = read_points(data, "crates.glb", options=ReadOptions(repeated="parts"))
        self.assertEqual((parts.kind, parts.elements.owners[0].count), ("mesh", 5))
        # What was asked is kept, and the file read again by it: as clones, as parts, and from a later one.
        name = read_items(data, "crates.glb")[0].name
        for options, kind in (({}, "clones"), ({"repeated": "parts"}, "mesh")):
            recipe = ImportRecipe(fingerprint=digest_of(data), thing=name if kind == "clones" else "crates", **options)
            maker, columns = store_columns(read_again(recipe, data, "crates.glb").population, "crates.glb", recipe)
            self.assertEqual(maker.recipe, recipe)
            self.assertEqual(maker.key, maker.changed(recipe=None).key)
            self.assertEqual(maker.make(Memory(columns)).kind, kind)
        later = trimesh.Scene([trimesh.creation.box((1, 1, 1))]).export(file_type="glb")
        with self.assertRaises(BadInput) as caught:
            read_again(recipe.model_copy(update={"thing": "crate"}), later, "later.glb")
        self.assertIn("holds no 'crate' any more", caught.exception.sentence)

    def test_each_part_of_each_copy(self):
        """Crates of two primitives: places worked by hand from the nodes' and the parts' middles."""
        binary = np.float32([[0, 0, 0], [1, 0, 0], [0, 1, 0], [4, 0, 0], [5, 0, 0], [4, 1, 0]]).tobytes()
        views = [{"buffer": 0, "byteOffset": 36 * k, "byteLength": 36} for k in range(2)]
        document = {
            "asset": {"version": "2.0"}, "buffers": [{"byteLength": 72}], "bufferViews": views,
            "accessors": [{"bufferView": k, "componentType": 5126, "count": 3, "type": "VEC3"} for k in range(2)],
            "materials": [{"name": "lid"}, {"name": "box"}],
            "meshes": [
                {"name": "crate", "primitives": [{"attributes": {"POSITION": k}, "material": k} for k in range(2)]}
            ],
            "nodes": [{"mesh": 0, "translation": [0, 10 * k, 0]} for k in range(3)], "scenes": [{"nodes": [0, 1, 2]}],
        }  # fmt: skip
        data = glb(document, binary)
        self.assertEqual(read_points(data, "a.glb").count, 3)
        each = read_points(data, "a.glb", options=ReadOptions(each="part"))
        own = each.elements.own
        self.assertEqual([own["part_name"].labels[k] for k in own["part_name"].values], ["lid", "box"] * 3)
        self.assertEqual(own["copy"].values.tolist(), [0, 0, 1, 1, 2, 2])
        # y is up there, so the second copy stands at z = 10; the middles are (0.5, 0.5) and (4.5, 0.5).
        np.testing.assert_allclose(own["position"].values[2:4], [[0.5, 0, 10.5], [4.5, 0, 10.5]], atol=1e-6)

    def test_real_copies_as_clones(self):
        """Boxes that trimesh moved, turned and sized, each a mesh of its own: the transforms come back."""
        from scipy.spatial.transform import Rotation

        rng = np.random.default_rng(4)
        scene, wanted = trimesh.Scene(), []
        for k in range(6):
            box = trimesh.creation.box((0.3, 0.5, 0.9))
            turn, size, place = Rotation.random(random_state=k), rng.uniform(0.5, 2), rng.normal(size=3) * 4
            matrix = np.eye(4)
            matrix[:3, :3], matrix[:3, 3] = turn.as_matrix() * size, place
            box.apply_transform(matrix)
            scene.add_geometry(box, geom_name=f"crate.{k:03}", node_name=f"crate.{k:03}")
            wanted.append((turn, size, place))
        scene.add_geometry(trimesh.creation.icosphere(subdivisions=1), geom_name="knob", node_name="knob")
        data = scene.export(file_type="obj").encode()
        self.assertEqual([t.population.kind for t in read_items(data, "a.obj")], ["mesh"])
        things = {t.name: t.population for t in read_items(data, "a.obj", options=ReadOptions(copies="clones"))}
        self.assertEqual((set(things), things["crate"].count), ({"the rest", "crate"}, 6))
        self.assertEqual(things["the rest"].elements.owners[0].count, 1)
        own = things["crate"].elements.own
        for k, (turn, size, place) in enumerate(wanted):
            np.testing.assert_allclose(own["position"].values[k], place, atol=1e-4)
            self.assertAlmostEqual(own["size"].values[k] / own["size"].values[0], size / wanted[0][1], places=3)
            relative = turn * wanted[0][0].inv()
            first, mine = (Rotation.from_quat(own["orientation"].values[j]) for j in (0, k))
            # A box looks the same after half a turn; the fit keeps its corners in order, so it is exact.
            np.testing.assert_allclose((mine * first.inv()).as_matrix(), relative.as_matrix(), atol=2e-3)

    def test_clones_come_back_as_they_went(self):
        clones = ScatterMaker(maker="scatter", surface="ring", count=300, tilt=20).make(None)
        results = Evaluator().evaluate(clones, PER_PART).results
        back = read_points(FORMATS["glb"].write(clones, results, WriterContext("Dots", "tile")), "dots.glb")
        for name in ("position", "size"):
            np.testing.assert_allclose(back.elements.own[name].values, clones.elements.own[name].values, atol=1e-6)
        dots = (back.elements.own["orientation"].values * clones.elements.own["orientation"].values).sum(axis=1)
        np.testing.assert_allclose(np.abs(dots), 1, atol=1e-6)
        np.testing.assert_allclose(back.elements.own["colour"].readable, results["base_colour"], atol=1e-6)

    def test_instances_of_another_hand(self):
        """EXT_mesh_gpu_instancing as its text has it, with turns as normalised shorts, under a node that is moved."""
        from scipy.spatial.transform import Rotation

        turns = Rotation.from_euler("xyz", [[0, 0, 90], [30, 0, 0]], degrees=True)
        shorts = np.round(turns.as_quat() * 32767).astype("<i2")
        places, sizes = np.float32([[1, 2, 3], [-1, 0, 5]]), np.float32([[2, 2, 2], [0.5, 0.5, 0.5]])
        corner = np.float32([[0, 0, 0], [1, 0, 0], [0, 1, 0]])
        parts = [a.tobytes() for a in (corner, places, shorts, sizes, np.float32([0.25, 0.75]))]
        offsets = np.concatenate([[0], np.cumsum([len(p) for p in parts])]).tolist()
        views = [{"buffer": 0, "byteOffset": o, "byteLength": len(p)} for o, p in zip(offsets, parts, strict=False)]
        kinds = [(5126, 3, "VEC3"), (5126, 2, "VEC3"), (5122, 2, "VEC4"), (5126, 2, "VEC3"), (5126, 2, "SCALAR")]
        accessors = [
            {"bufferView": k, "componentType": c, "count": n, "type": t, "normalized": c == 5122}
            for k, (c, n, t) in enumerate(kinds)
        ]
        given = {"attributes": {"TRANSLATION": 1, "ROTATION": 2, "SCALE": 3, "_WEAR": 4}}
        node = {"mesh": 0, "translation": [10, 0, 0], "extensions": {"EXT_mesh_gpu_instancing": given}}
        document = {
            "asset": {"version": "2.0"}, "buffers": [{"byteLength": offsets[-1]}], "bufferViews": views,
            "accessors": accessors, "extensionsUsed": ["EXT_mesh_gpu_instancing"],
            "extensionsRequired": ["EXT_mesh_gpu_instancing"],
            "meshes": [{"name": "petal", "primitives": [{"attributes": {"POSITION": 0}}]}],
            "nodes": [node], "scenes": [{"nodes": [0]}],
        }  # fmt: skip
        own = read_points(glb(document, b"".join(parts)), "petals.glb").elements.own
        # y is up there: (x, y, z) is (x, -z, y) here.
        np.testing.assert_allclose(own["position"].values, [[11, -3, 2], [9, -5, 0]], atol=1e-6)
        up = Rotation.from_euler("x", 90, degrees=True)
        wanted = (up * turns * up.inv()).as_quat()
        dots = (own["orientation"].values * wanted).sum(axis=1)
        np.testing.assert_allclose(np.abs(dots), 1, atol=1e-4)
        np.testing.assert_allclose(own["size"].values, sizes[:, 0], rtol=1e-4)
        self.assertEqual(own["wear"].values.tolist(), [0.25, 0.75])
        self.assertEqual(own["shape"].labels, ("petal",))
        accessors[4]["count"] = 1
        with self.assertRaisesRegex(BadInput, "arrays of different lengths"):
            read_points(glb(document, b"".join(parts)), "petals.glb")

    def test_sparse_normalised_and_strided_arrays(self):
        """A file put together by hand after glTF 2.0, sections 3.6.2 and 5.1."""
        place = np.zeros((4, 4), "<f4")
        place[:, :3] = [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]]
        weights = np.array([0, 64, 128, 255], "u1")
        rows, moved = np.array([2], "<u2"), np.array([[9, 9, 9]], "<f4")
        parts = [place.tobytes(), weights.repeat(4).tobytes(), rows.tobytes() + b"\0\0", moved.tobytes()]
        offsets = np.concatenate([[0], np.cumsum([len(p) for p in parts])]).tolist()
        views = [{"buffer": 0, "byteOffset": o, "byteLength": len(p)} for o, p in zip(offsets, parts, strict=False)]
        views[0]["byteStride"], views[1]["byteStride"], views[2]["byteLength"] = 16, 4, 2
        sparse = {"count": 1, "indices": {"bufferView": 2, "componentType": 5123}, "values": {"bufferView": 3}}
        document = {
            "asset": {"version": "2.0"}, "buffers": [{"byteLength": offsets[-1]}], "bufferViews": views,
            "accessors": [
                {"bufferView": 0, "componentType": 5126, "count": 4, "type": "VEC3", "sparse": sparse},
                {"bufferView": 1, "componentType": 5121, "count": 4, "type": "SCALAR", "normalized": True},
            ],
            "meshes": [{"primitives": [{"attributes": {"POSITION": 0, "_WEAR": 1}, "mode": 5}]}],
            "nodes": [{"mesh": 0}], "scenes": [{"nodes": [0]}],
        }  # fmt: skip
        mesh = read_points(glb(document, b"".join(parts)), "strip.glb")
        np.testing.assert_allclose(mesh.elements.own["wear"].values, weights / 255, rtol=1e-6)
        self.assertEqual(mesh.elements.own["position"].values[2].tolist(), [9, -9, 9])
        self.assertEqual(mesh.form.corners.reshape(-1, 3).tolist(), [[0, 1, 2], [2, 1, 3]])


def glb(document: dict, binary: bytes) -> bytes:
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    binary += b"\0" * (-len(binary) % 4)
    size = 12 + 8 + len(text) + 8 + len(binary)
    head = b"glTF" + (2).to_bytes(4, "little") + size.to_bytes(4, "little")
    chunks = [len(text).to_bytes(4, "little"), b"JSON", text, len(binary).to_bytes(4, "little"), b"BIN\0", binary]
    return head + b"".join(chunks)


class Usd(Same):
    def stage(self, data: bytes, ending: str = ".usda"):
        from pxr import Usd

        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        path = Path(folder.name) / f"a{ending}"
        path.write_bytes(data)
        return Usd.Stage.Open(str(path))

    def test_the_libraries_validation_and_its_reading(self):
        from pxr import UsdGeom, UsdValidation

        mesh = beetle()
        clones = ScatterMaker(maker="scatter", surface="ball", count=200).make(None)
        validators = UsdValidation.ValidationRegistry().GetOrLoadAllValidators()
        for population in (mesh, clones):
            stage = self.stage(written(population, "usd", "Made here"))
            self.assertEqual(UsdValidation.ValidationContext(validators).Validate(stage), [])
        stage = self.stage(written(mesh, "usdc"), ".usdc")
        found = UsdGeom.Mesh(stage.GetDefaultPrim())
        colours = np.array(found.GetDisplayColorPrimvar().Get())
        np.testing.assert_allclose(colours, coloured(mesh)["base_colour"], atol=1e-6)
        self.assertTrue(UsdGeom.Mesh.ValidateTopology(
            found.GetFaceVertexIndicesAttr().Get(), found.GetFaceVertexCountsAttr().Get(), mesh.count)[0])  # fmt: skip

    def test_out_and_in_again(self):
        mesh = beetle()
        for form in ("usd", "usdc"):
            back = read_points(written(mesh, form), f"beetle{FORMATS[form].ending}")
            self.same(mesh, back)
            self.assertEqual(back.elements.owners[0].count, 17)
            np.testing.assert_array_equal(back.form.of_corners["uv"].values, mesh.form.of_corners["uv"].values)
            np.testing.assert_array_equal(back.elements.own["coat"].values, mesh.elements.own["coat"].values)
        clones = ScatterMaker(maker="scatter", surface="ball", count=100).make(None)
        back = read_points(written(clones, "usd"), "clones.usda")
        np.testing.assert_array_equal(back.elements.own["position"].values, clones.elements.own["position"].values)
        np.testing.assert_array_equal(back.elements.own["id"].values, clones.elements.own["id"].values)

    def test_a_stage_of_the_library(self):
        """Primvars of every interpolation, a left-handed mesh under a transform, points, an instancer, y up."""
        from pxr import Gf, Sdf, Usd, UsdGeom, Vt

        stage = Usd.Stage.CreateInMemory()
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
        sheet = UsdGeom.Mesh.Define(stage, "/world/sheet")
        UsdGeom.Xform.Define(stage, "/world").AddTranslateOp().Set(Gf.Vec3d(10, 0, 0))
        sheet.CreatePointsAttr([(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0), (2, 0, 0), (2, 1, 0)])
        sheet.CreateFaceVertexCountsAttr([4, 4])
        sheet.CreateFaceVertexIndicesAttr([0, 1, 2, 3, 1, 4, 5, 2])
        sheet.CreateOrientationAttr(UsdGeom.Tokens.leftHanded)
        api = UsdGeom.PrimvarsAPI(sheet)
        floats = Sdf.ValueTypeNames.FloatArray
        for name, interpolation, values in (
            ("wear", "vertex", [0, 1, 2, 3, 4, 5]), ("heat", "uniform", [7, 8]), ("sort", "constant", [3]),
            ("edge", "faceVarying", list(range(8))), ("soft", "varying", [5, 4, 3, 2, 1, 0]),
        ):  # fmt: skip
            api.CreatePrimvar(name, floats, interpolation).Set(values)
        indexed = api.CreatePrimvar("displayColor", Sdf.ValueTypeNames.Color3fArray, "vertex")
        indexed.Set([(1, 0, 0), (0, 0.5, 0)])
        indexed.SetIndices(Vt.IntArray([0, 1, 0, 1, 0, 1]))
        dots = UsdGeom.Points.Define(stage, "/world/dots")
        dots.CreatePointsAttr([(0, 0, 0), (0, 1, 0)])
        dots.CreateWidthsAttr([0.5, 0.25])
        many = UsdGeom.PointInstancer.Define(stage, "/many")
        for k, shape in enumerate(("tissue", "tassel")):
            UsdGeom.Cube.Define(stage, f"/many/{shape}")
            many.CreatePrototypesRel().AddTarget(f"/many/{shape}")
            del k
        many.CreatePositionsAttr([(0, 2, 0), (0, 4, 0), (0, 6, 0)])
        many.CreateProtoIndicesAttr([1, 0, 1])
        with tempfile.TemporaryDirectory() as folder:
            for ending in (".usda", ".usdc"):
                path = Path(folder) / f"s{ending}"
                stage.Export(str(path))
                things = {t.name: t.population for t in read_items(path.read_bytes(), path.name)}
                self.assertEqual(set(things), {"sheet", "dots", "many"})
                mesh = things["sheet"]
                own, place = mesh.elements.own, mesh.elements.own["position"].values
                # y up becomes z up.
                self.assertEqual(place[2].tolist(), [11, 0, 1])
                self.assertEqual(mesh.form.corners.tolist(), [3, 2, 1, 0, 2, 5, 4, 1])
                self.assertEqual(mesh.form.of_corners["edge"].values.tolist(), [3, 2, 1, 0, 7, 6, 5, 4])
                self.assertEqual(own["wear"].values.tolist(), [0, 1, 2, 3, 4, 5])
                self.assertEqual(own["soft"].values.tolist(), [5, 4, 3, 2, 1, 0])
                self.assertEqual(own["sort"].values.tolist(), [3] * 6)
                self.assertEqual(mesh.form.of_faces["heat"].values.tolist(), [7, 8])
                np.testing.assert_allclose(own["colour"].readable[:2], [[1, 0, 0], [0, 0.5, 0]])
                self.assertEqual(things["dots"].elements.own["size"].values.tolist(), [0.5, 0.25])
                self.assertEqual(things["many"].elements.own["position"].values[:, 2].tolist(), [2, 4, 6])
                shape = things["many"].elements.own["shape"]
                self.assertEqual([shape.labels[k] for k in shape.values], ["tassel", "tissue", "tassel"])
                self.assertIsNone(read_items(path.read_bytes(), path.name)[0].frames)

    def test_moving_things_are_named_and_a_frame_is_chosen(self):
        from pxr import Usd, UsdGeom

        stage = Usd.Stage.CreateInMemory()
        stage.SetStartTimeCode(1)
        stage.SetEndTimeCode(9)
        flag = UsdGeom.Mesh.Define(stage, "/flag")
        points = flag.CreatePointsAttr()
        for frame in (1, 9):
            points.Set([(0, 0, frame), (1, 0, frame), (0, 1, frame)], frame)
        flag.CreateFaceVertexCountsAttr([3])
        flag.CreateFaceVertexIndicesAttr([0, 1, 2])
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "m.usda"
            stage.Export(str(path))
            for frame, height in ((None, 1), (5, 5), (9, 9)):
                mesh = read_points(path.read_bytes(), "m.usda", options=ReadOptions(frame=frame))
                # y is up there unless a stage says otherwise, so its z is our -y.
                self.assertEqual(mesh.elements.own["position"].values[0, 1], -height)
                self.assertTrue(any("flag" in note and "move" in note for note in mesh.notes), mesh.notes)
            self.assertEqual(read_items(path.read_bytes(), "m.usda")[0].frames, (1, 9))


class Stored(Same):
    def test_a_mesh_comes_back_from_the_store(self):
        for form in ("obj", "ply", "glb", "usd"):
            mesh = read_points(written(beetle(), form), f"x{FORMATS[form].ending}")
            maker, blobs = store_columns(mesh, "x")
            again = maker.make(Memory(blobs))
            self.assertEqual((again.digest, again.form.digest), (mesh.digest, mesh.form.digest), form)
            finer = maker.changed(subdivision=1).make(Memory(blobs))
            self.assertEqual(finer.form.faces, {"glb": 4 * mesh.form.faces}.get(form, len(mesh.form.corners)))
            self.assertLess(abs(maker.changed(subdivision=1).estimated() / finer.count - 1), 0.05)
