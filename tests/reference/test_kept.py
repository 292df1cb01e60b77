"""What goes out in files comes back as it was: opacity, numbers, names, sizes, vectors, texts, meshes of clones."""

from __future__ import annotations

import csv
import io
import json
import math
import tempfile
import unittest
from pathlib import Path

import numpy as np
import trimesh
from plyfile import PlyData
from scipy.spatial.transform import Rotation

from gaudyseed.core.documents.document import parse
from gaudyseed.core.formats import FORMATS, read_items, read_points
from gaudyseed.core.formats.losses import losses
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Look
from gaudyseed.core.population import Attribute, Field, Population, of_points
from gaudyseed.core.population.derive import with_derived
from gaudyseed.core.population.makers.imported import store_columns
from gaudyseed.core.population.makers.scatter import ScatterMaker
from gaudyseed.core.population.makers.surface import SurfaceMaker
from gaudyseed.core.sending import sent
from gaudyseed.core.shown.shading import on_picture
from tests.core.test_roundtrip import Memory
from tests.forking import forked
from tests.reference import test_mesh_files
from tests.reference.test_send import clones, lane
from tests.support import ramp

RANDOM = {"step": "random", "seed": 3}
GREYS = ramp([0, 1], ["#203040", "#ffd090"], interpolation="straight")
COLOURED = lane(RANDOM, GREYS)
#: What comes back from every format that carries attributes.
FULL = ("glb", "usd", "usdc", "ply", "csv")


def written(form: str, population: Population, lanes: dict | None = None, **look) -> bytes:
    document = {"gaudyseed": 3, "lanes": {"base_colour": COLOURED, **(lanes or {})}, **look}
    shape = "own" if population.models else "block"
    moved, results, about = sent(Evaluator().evaluate(population, parse(Look, document)), "Made here", shape)
    return FORMATS[form].write(moved, results, about)


def evaluated(population: Population, lanes: dict | None = None) -> dict[str, np.ndarray]:
    """What the elements get, by channel."""
    document = {"gaudyseed": 3, "lanes": {"base_colour": COLOURED, **(lanes or {})}}
    return Evaluator().evaluate(population, parse(Look, document)).results


def back(form: str, data: bytes) -> Population:
    return read_points(data, f"a{FORMATS[form].ending}")


def setUpModule() -> None:
    """Files of USD are read by forks of one process."""
    unittest.enterModuleContext(forked())


class Gltf:
    """A GLB file by the text of glTF 2.0: its document, and its arrays by number."""

    TYPES = {5121: "u1", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
    WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}

    def __init__(self, data: bytes) -> None:
        size = int.from_bytes(data[12:16], "little")
        self.json = json.loads(data[20 : 20 + size])
        self._binary = data[28 + size :]

    def array(self, number: int) -> np.ndarray:
        accessor = self.json["accessors"][number]
        view = self.json["bufferViews"][accessor["bufferView"]]
        dtype, width = np.dtype(self.TYPES[accessor["componentType"]]), self.WIDTHS[accessor["type"]]
        step = view.get("byteStride", dtype.itemsize * width)
        at = view.get("byteOffset", 0) + accessor.get("byteOffset", 0)
        rows = [self._binary[at + k * step : at + k * step + dtype.itemsize * width] for k in range(accessor["count"])]
        return np.frombuffer(b"".join(rows), dtype).reshape(-1, width)

    def of_vertices(self, word: str) -> np.ndarray:
        return self.array(self.json["meshes"][0]["primitives"][0]["attributes"][word])

    def nodes(self) -> list[tuple[dict, dict]]:
        """The arrays of each instanced node, with the material of its mesh."""
        found = []
        for node in self.json["nodes"]:
            held = node["extensions"]["EXT_mesh_gpu_instancing"]["attributes"]
            material = self.json["meshes"][node["mesh"]]["primitives"][0]["material"]
            found.append(({w: self.array(n) for w, n in held.items()}, self.json["materials"][material]))
        return found


def column(name: str, kind: str, values: np.ndarray, *columns: str, **more) -> Attribute:
    """An attribute that a file brought."""
    fields = tuple(Field(c, np.dtype(values.dtype).str) for c in columns or (name,))
    return Attribute(name, kind, values, more.pop("labels", ()), fields, **more)  # type: ignore[arg-type]


def scattered(count: int = 40, **more: Attribute) -> Population:
    rng = np.random.default_rng(6)
    places = column("position", "vector", rng.normal(size=(count, 3)).astype("<f4"), "x", "y", "z")
    return with_derived(of_points(count, {"position": places, **more}))


class Limits(unittest.TestCase):
    def test_colours_beside_the_base_are_held_too(self):
        """docs/look-format.md: values are held to their channel's limits."""
        bright = ramp([0], ["#ffffff"], interpolation="steps")
        bright["stops"][0]["intensity"] = 2
        lanes = {"emission_colour": lane(RANDOM, bright), "subsurface_colour": lane(RANDOM, bright)}
        for form in FULL:
            found = back(form, written(form, scattered(), lanes)).elements
            for name in ("emission_colour", "subsurface_colour"):
                parts = [name] if name in found.names else [f"{name}_{part}" for part in "rgb"]
                levels = np.column_stack([found.attribute(part).readable for part in parts])
                np.testing.assert_array_equal(levels[:, :3], 1.0, err_msg=f"{form} {name}")


class Opacity(unittest.TestCase):
    FADING = {"opacity": lane(RANDOM)}
    CUT = {"opacity": lane(RANDOM, threshold=0.4)}

    def test_vertices_have_it_as_alpha(self):
        mesh = SurfaceMaker(maker="mesh", surface="ring", subdivision=0).make(None)
        wanted = evaluated(mesh, self.FADING)["opacity"]
        for lanes, mode in ((self.FADING, "BLEND"), (self.CUT, "MASK")):
            data = written("glb", mesh, lanes)
            held = Gltf(data)
            colours, material = held.of_vertices("COLOR_0"), held.json["materials"][0]
            self.assertEqual(material["alphaMode"], mode)
            # The alpha that is shown is the product (glTF 2.0, 3.9.2): the material's is not taken a second time.
            shown = colours[:, 3] * material["pbrMetallicRoughness"]["baseColorFactor"][3]
            # Vertices are split at the seams of the uv.
            split = wanted[held.of_vertices("_VERTEX")[:, 0]]
            np.testing.assert_allclose(shown, split, atol=1e-6)
            if mode == "MASK":
                self.assertAlmostEqual(material["alphaCutoff"], 0.4)
            scene = trimesh.load(io.BytesIO(data), file_type="glb")
            (whole,) = scene.geometry.values()
            levels = whole.visual.vertex_attributes["color"]
            np.testing.assert_allclose(np.sort(levels[:, 3]) / (255 if levels.dtype == np.uint8 else 1),
                                       np.sort(split), atol=1 / 254)  # fmt: skip
            again = back("glb", data).elements.attribute("opacity").readable
            np.testing.assert_allclose(again, wanted, atol=1e-6)

    def test_clones_have_the_mean_and_are_cut_apart_by_a_threshold(self):
        population = scattered(200)
        wanted = evaluated(population, self.FADING)["opacity"]
        ((held, material),) = Gltf(written("glb", population, self.FADING)).nodes()
        self.assertAlmostEqual(material["pbrMetallicRoughness"]["baseColorFactor"][3], wanted.mean(), places=5)
        np.testing.assert_allclose(held["_OPACITY"][:, 0], wanted, atol=1e-6)
        nodes = Gltf(written("glb", population, self.CUT)).nodes()
        self.assertEqual(len(nodes), 2)
        for held, material in nodes:
            alpha, cutoff = material["pbrMetallicRoughness"]["baseColorFactor"][3], material["alphaCutoff"]
            self.assertEqual(material["alphaMode"], "MASK")
            there = held["_OPACITY"][:, 0] >= np.float32(0.4)
            self.assertTrue((there == (alpha >= cutoff)).all())
        self.assertEqual(sum(len(h["_OPACITY"]) for h, _ in nodes), 200)
        again = back("glb", written("glb", population, self.CUT))
        place = population.elements.own["position"].values
        np.testing.assert_array_equal(again.elements.own["position"].readable, place)


class Numbers(unittest.TestCase):
    def test_ids_beyond_what_a_float_holds(self):
        """Random values are drawn by the id, so one that changes changes everything after it."""
        for ids in (
            np.array([16777217, 2**31 - 1, -5, 3], "<i4"),
            np.array([2**40 + 1, -(2**50) - 1, 7, 0], "<i8"),
            np.array([16777216, -16777216, 1, 0], "<i4"),
            np.array([70000, 65536, 1, 0], "<i4"),
        ):
            population = scattered(4, id=column("id", "integer", ids))
            mesh = SurfaceMaker(maker="mesh", surface="ring", subdivision=0).make(None)
            many = np.resize(ids, mesh.count) + np.arange(mesh.count, dtype=ids.dtype) // 4
            numbered = mesh.elements.with_more({"number": column("number", "integer", many)})
            mesh = type(mesh)(mesh.kind, numbered, mesh.form)
            for form in FULL:
                again = back(form, written(form, population))
                np.testing.assert_array_equal(again.elements.own["id"].values, ids, err_msg=form)
                wanted, found = (evaluated(p)["base_colour"] for p in (population, again))
                np.testing.assert_array_equal(found, wanted, err_msg=form)
            found = back("glb", written("glb", mesh)).elements.own["number"].values
            np.testing.assert_array_equal(found, many)

    def test_strands_keep_their_numbers_and_names(self):
        rows = ["strand,x,y,z"]
        for named in ((2, 5, 8), ("left", "right", "tail")):
            rows = ["strand,x,y,z", *(f"{name},{k},{j},{k * j}" for j, name in enumerate(named) for k in range(4))]
            strands = read_points("\n".join(rows).encode(), "a.csv")
            level = {**RANDOM, "per": "strand"}
            before = written("csv", strands, {"base_colour": lane(level, GREYS)})
            again = back("glb", written("glb", strands))
            own = again.elements.owners[0].attributes["strand"]
            found = [own.labels[v] for v in own.values] if own.labels else own.values.tolist()
            self.assertEqual(found, list(named))
            after = written("csv", again, {"base_colour": lane(level, GREYS)})
            reds = [[row["base_colour_r"] for row in csv.DictReader(io.StringIO(d.decode()))] for d in (before, after)]
            self.assertEqual(*reds)

    def test_texts_and_gaps_of_a_table(self):
        text = "x,y,z,kind,heat\n0,0,0,fish,1.5\n1,0,0,fox,\n2,0,0,fish,-3\n"
        population = read_points(text.encode(), "a.csv")
        rows = list(csv.DictReader(io.StringIO(written("csv", population).decode())))
        self.assertEqual([row["heat"] for row in rows], ["1.5", "", "-3.0"])
        self.assertNotIn("nan", written("csv", population).decode())
        for form in ("glb", "usd", "csv"):
            kind = back(form, written(form, population)).elements.own["kind"]
            self.assertEqual([kind.labels[v] for v in kind.values], ["fish", "fox", "fish"], form)

    def test_a_table_of_parts_has_the_outputs(self):
        mesh = SurfaceMaker(maker="mesh", surface="beetle", subdivision=0).make(None)
        wear = {"name": "wear", "chain": [{"step": "random", "seed": 8, "per": "part"}]}
        look = {"signals": [wear], "outputs": [{"signal": "wear", "name": "worn"}]}
        rows = list(csv.DictReader(io.StringIO(written("csv_parts", mesh, **look).decode())))
        found = [float(row["worn"]) for row in rows]
        parts = mesh.elements.owner_of("part")
        chain = {"roughness": {"layers": [{"paint": wear["chain"]}]}}
        wanted = evaluated(mesh, chain)["roughness"]
        firsts = [int(np.flatnonzero(parts == k)[0]) for k in range(len(rows))]
        np.testing.assert_allclose(found, wanted[firsts], atol=1e-6)


class Sizes(unittest.TestCase):
    def test_the_same_size_in_every_format(self):
        """docs/look-format.md: the element's own size, times the channel, times the shape's."""
        own = np.linspace(0.5, 2, 40).astype("<f4")
        population = scattered(40, size=column("size", "number", own))
        half = {"size": lane({"step": "constant", "value": 0.5})}
        shapes = [{"shape": "ball", "size": 3}, {"shape": "card", "size": 0.5}]
        evaluation = Evaluator().evaluate(
            population, parse(Look, {"gaudyseed": 3, "shapes": shapes, "lanes": {"base_colour": COLOURED, **half}})
        )
        wanted = own * np.float32(0.5) * np.where(evaluation.chosen.shape == 0, np.float32(3), np.float32(0.5))
        for form in FULL:
            again = back(form, written(form, population, half, shapes=shapes))
            np.testing.assert_allclose(again.elements.own["size"].readable, wanted, rtol=1e-6, err_msg=form)
        told = PlyData.read(io.BytesIO(written("ply", population, half, shapes=shapes)))["vertex"]["size"]
        np.testing.assert_allclose(told, wanted, rtol=1e-6)


class Pictures(unittest.TestCase):
    #: Turned and of unequal size: what KHR_texture_transform cannot say.
    LYING = {"picture": "feather", "turn": 30, "size": [2, 0.5], "shift": [0.25, -0.1]}

    def test_one_that_is_turned_and_of_unequal_size_has_uv_of_its_own(self):
        sheet = SurfaceMaker(maker="mesh", surface="sheet", subdivision=0).make(None)
        for population, look in ((sheet, {"picture": self.LYING}), (scattered(), {"picture": self.LYING})):
            held = Gltf(written("glb", population, **look))
            told = held.json["materials"][0]["pbrMetallicRoughness"]["baseColorTexture"]
            self.assertNotIn("extensions", told)
            uv = held.of_vertices("TEXCOORD_0").astype(float)
            upright = np.stack([uv[:, 0], 1 - uv[:, 1]], -1)
            wanted = on_picture(upright, parse(Look, {"gaudyseed": 3, "lanes": {}, "picture": self.LYING}).picture)
            found = held.of_vertices(f"TEXCOORD_{told['texCoord']}").astype(float)
            np.testing.assert_allclose(np.stack([found[:, 0], 1 - found[:, 1]], -1), wanted, atol=1e-6)


class Vectors(unittest.TestCase):
    def setUp(self) -> None:
        rng = np.random.default_rng(8)
        normals = rng.normal(size=(40, 3))
        normals /= np.linalg.norm(normals, axis=1)[:, None]
        self.more = {
            "normal": column("normal", "vector", normals.astype("<f4"), "nx", "ny", "nz"),
            "uv": column("uv", "vector", rng.random((40, 2)).astype("<f4"), "u", "v"),
            "velocity": column(
                "velocity", "vector", rng.normal(size=(40, 3)).astype("<f4"), "vx", "vy", "vz", stands_for="direction"
            ),
        }

    def test_clones_keep_normals_uv_and_velocities(self):
        population = scattered(40, **self.more)
        for form in FULL:
            again = back(form, written(form, population)).elements.own
            for name, a in self.more.items():
                np.testing.assert_allclose(again[name].readable, a.readable, atol=1e-6, err_msg=f"{form} {name}")

    def test_velocities_are_turned_with_the_places(self):
        """z is up here and y in glTF: (x, y, z) there is (x, z, -y) here, for places and ways alike."""
        population = scattered(40, **self.more)
        ((held, _),) = Gltf(written("glb", population)).nodes()
        for word, name in (("TRANSLATION", "position"), ("_VELOCITY", "velocity")):
            x, y, z = population.elements.own[name].readable.T
            np.testing.assert_allclose(held[word], np.stack([x, z, -y], -1), atol=1e-6)

    def test_what_is_lost_is_told_beforehand(self):
        doubles = column("exact", "number", np.random.default_rng(1).random(40))
        gaps = column("heat", "number", np.where(np.arange(40) % 3, np.arange(40.0), np.nan).astype("<f4"))
        kinds = column("kind", "text", np.arange(40, dtype="<i4") % 2, labels=("fish", "fox"))
        population = scattered(40, exact=doubles, heat=gaps, kind=kinds)
        wanted = {"glb": ["heat", "exact"], "ply": ["kind"], "obj": ["exact, heat, kind"], "csv": []}
        for form, words in wanted.items():
            told = losses(FORMATS[form], population)
            self.assertEqual(len(told), len(words), (form, told))
            for word, sentence in zip(words, told, strict=True):
                self.assertIn(word, sentence)
        plain = scattered(40)
        self.assertEqual([s for form in FULL for s in losses(FORMATS[form], plain)], [])
        mesh = SurfaceMaker(maker="mesh", surface="ring", subdivision=0).make(None)
        self.assertEqual(losses(FORMATS["csv"], mesh), ["Faces do not go out, only their vertices."])


def put(scene: trimesh.Scene, mesh: trimesh.Trimesh, name: str, matrix: np.ndarray) -> None:
    """Another copy of a mesh, which stands in the file once."""
    kind = name.split()[0]
    if kind in scene.geometry:
        scene.graph.update(frame_to=name, matrix=matrix, geometry=kind)
    else:
        scene.add_geometry(mesh, geom_name=kind, node_name=name, transform=matrix)


def of_two_meshes() -> bytes:
    """Nine copies of two meshes in a file of another library, one of them of two materials."""
    scene = trimesh.Scene()
    post = trimesh.creation.cylinder(0.1, 1.0, sections=8)
    crown = trimesh.creation.icosphere(subdivisions=1, radius=0.4)
    for mesh, name, rgba in ((post, "card", [0.3, 0.2, 0.1, 1]), (crown, "tissue", [0.1, 0.5, 0.2, 1])):
        mesh.visual = trimesh.visual.TextureVisuals(
            material=trimesh.visual.material.PBRMaterial(name=name, baseColorFactor=rgba)
        )
    for k in range(5):
        turn = trimesh.transformations.rotation_matrix(0.5 * k, [0, 1, 0])
        turn[:3, 3] = [2 * k, 0.5 * k, 1]
        put(scene, post, f"post {k}", turn)
    for k in range(4):
        place = np.diag([1.5, 1.5, 1.5, 1])
        place[:3, 3] = [2 * k, 3, 0]
        put(scene, crown, f"crown {k}", place)
    return scene.export(file_type="glb")


def corners_of(population: Population) -> np.ndarray:
    """Where all vertices of all elements are, worked out from places, turns, sizes and the meshes alone."""
    own, models = population.elements.own, population.models
    assert models is not None
    found = []
    for k in range(population.count):
        turn = Rotation.from_quat(own["orientation"].readable[k])
        mesh = models.meshes[models.of[k]]
        found.append(own["position"].readable[k] + turn.apply(mesh.vertices * own["size"].readable[k]))
    return np.concatenate(found)


class Meshes(unittest.TestCase):
    def nearest(self, found: np.ndarray, wanted: np.ndarray) -> None:
        """The same points, in any order."""
        from scipy.spatial import cKDTree

        for one, other in ((found, wanted), (wanted, found)):
            self.assertLess(float(cKDTree(one).query(other)[0].max()), 1e-4)

    def both(self) -> list[Population]:
        return [thing.population for thing in read_items(of_two_meshes(), "grove.glb")]

    def test_meshes_of_another_library_stand_where_it_has_them(self):
        whole = trimesh.load(io.BytesIO(of_two_meshes()), file_type="glb").to_geometry().vertices
        x, y, z = whole.T
        made = self.both()
        self.assertEqual(sorted(p.count for p in made), [4, 5])
        self.nearest(np.concatenate([corners_of(p) for p in made]), np.stack([x, -z, y], -1))
        names = sorted(name for p in made for m in p.models.meshes for name, _ in m.materials)
        self.assertEqual(names, ["card", "tissue"])

    def test_they_go_out_and_come_back_any_number_of_times(self):
        for population in self.both():
            wanted = corners_of(population)
            for form in ("glb", "usd", "usdc"):
                first = back(form, written(form, population))
                second = back(form, written(form, first))
                for again in (first, second):
                    np.testing.assert_allclose(corners_of(again), wanted, atol=1e-4, err_msg=form)
                    self.assertEqual(
                        [m.materials for m in again.models.meshes], [m.materials for m in population.models.meshes]
                    )

    def test_shapes_of_ours_are_meshes_after_the_way_out_and_in(self):
        shapes = [{"shape": "ball"}, {"shape": "card", "size": 2}, {"shape": "ring"}]
        population = clones(60)
        for form in ("glb", "usdc"):
            first = back(form, written(form, population, shapes=shapes))
            self.assertEqual(len(first.models.meshes), 3)
            # In the order in which they went out, though each shape is a node of its own.
            np.testing.assert_allclose(
                first.elements.own["position"].readable, population.elements.own["position"].readable, atol=1e-6
            )
            second = back(form, written(form, first))
            np.testing.assert_allclose(corners_of(second), corners_of(first), atol=1e-4)
            np.testing.assert_array_equal(second.models.of, first.models.of)

    def test_they_lie_in_the_store_and_are_found_again(self):
        population = self.both()[0]
        maker, blobs = store_columns(population, "grove.glb")
        again = maker.make(Memory(blobs))
        np.testing.assert_allclose(corners_of(again), corners_of(population), atol=1e-6)
        self.assertEqual(again.digest, maker.make(Memory(blobs)).digest)

    def test_instancers_of_the_usd_library(self):
        from pxr import Gf, Usd, UsdGeom, UsdShade

        with tempfile.TemporaryDirectory() as folder:
            path = str(Path(folder) / "a.usda")
            stage = Usd.Stage.CreateNew(path)
            UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
            instancer = UsdGeom.PointInstancer.Define(stage, "/field")
            for name, size in (("stone", 1.0), ("slab", 2.0)):
                mesh = UsdGeom.Mesh.Define(stage, f"/field/prototypes/{name}")
                mesh.CreatePointsAttr([Gf.Vec3f(*p) for p in ((0, 0, 0), (size, 0, 0), (size, 1, 0), (0, 1, 0))])
                mesh.CreateFaceVertexCountsAttr([4])
                mesh.CreateFaceVertexIndicesAttr([0, 1, 2, 3])
                material = UsdShade.Material.Define(stage, f"/field/materials/{name}_paint")
                UsdShade.MaterialBindingAPI.Apply(mesh.GetPrim()).Bind(material)
                instancer.GetPrototypesRel().AddTarget(mesh.GetPath())
            instancer.CreateProtoIndicesAttr([1, 0, 1])
            instancer.CreatePositionsAttr([Gf.Vec3f(k, 2 * k, 0) for k in range(3)])
            stage.SetDefaultPrim(instancer.GetPrim())
            stage.Save()
            made = read_points(Path(path).read_bytes(), "field.usda")
        self.assertEqual(made.models.of.tolist(), [1, 0, 1])
        self.assertEqual([m.materials[0][0] for m in made.models.meshes], ["stone_paint", "slab_paint"])
        flat = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], float)
        wide = flat * [2, 1, 1]
        places = [[0, 0, 0], [1, 2, 0], [2, 4, 0]]
        wanted = np.concatenate([m + p for m, p in zip((wide, flat, wide), places, strict=True)])
        self.nearest(corners_of(made), wanted)

    def test_the_validator_finds_no_fault_in_what_is_new(self):
        grove = self.both()[0]
        ids = column("id", "integer", np.array([16777217, 3, 2**31 - 1, -5], "<i4"))
        kinds = column("kind", "text", np.arange(4, dtype="<i4") % 2, labels=("fish", "fox"))
        sheet = SurfaceMaker(maker="mesh", surface="sheet", subdivision=0).make(None)
        for population, lanes, look in (
            (grove, Opacity.CUT, {}), (scattered(4, id=ids, kind=kinds), Opacity.FADING, {}),
            (sheet, Opacity.FADING, {"picture": Pictures.LYING}), (scattered(), {}, {"picture": Pictures.LYING}),
        ):  # fmt: skip
            issues = test_mesh_files.Glb.validated(self, written("glb", population, lanes, **look))  # type: ignore[arg-type]
            wrong = [m for m in issues["messages"] if m["severity"] < 2 and m["code"] != "UNSUPPORTED_EXTENSION"]
            self.assertEqual(wrong, [])


class Scatter(unittest.TestCase):
    def test_a_scatter_of_ours_keeps_its_turns(self):
        """A quarter turn each time in and out: none adds up."""
        population = ScatterMaker(maker="scatter", surface="ball", count=50).make(None)
        again = population
        for _ in range(3):
            again = back("glb", written("glb", again))
        one, other = (p.elements.attribute("orientation").readable for p in (population, again))
        np.testing.assert_allclose(np.abs((one * other).sum(axis=1)), 1, atol=1e-5)
        self.assertTrue(math.isclose(again.elements.own["size"].readable[0],
                                     population.elements.attribute("size").readable[0], rel_tol=1e-5))  # fmt: skip
