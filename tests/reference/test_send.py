"""What the view does with channels, and the materials of files, against formulas, other libraries and validators."""

from __future__ import annotations

import io
import json
import subprocess
import tempfile
import unittest
from pathlib import Path

import numpy as np
import trimesh
from PIL import Image

from gaudyseed.core.colour.spaces import decode_srgb, encode_srgb
from gaudyseed.core.documents.document import parse
from gaudyseed.core.formats import FORMATS, read_items, read_points
from gaudyseed.core.formats.shape_files import read_shape
from gaudyseed.core.kinds import COLOUR
from gaudyseed.core.look.evaluate import Evaluator, run_step
from gaudyseed.core.look.material import ElementPicture, Version
from gaudyseed.core.look.model import Look
from gaudyseed.core.look.steps import STEPS, Value
from gaudyseed.core.pictures.picture import Picture, shipped
from gaudyseed.core.population import of_points
from gaudyseed.core.population.makers.scatter import ScatterMaker
from gaudyseed.core.population.makers.surface import SurfaceMaker
from gaudyseed.core.sending import sent
from gaudyseed.core.shown import shading
from tests.support import ramp

FRONTEND = Path(__file__).resolve().parent.parent.parent / "frontend"
RANDOM = {"step": "random", "seed": 3}
RAISED = {"layers": [{"paint": [{"step": "constant", "value": 0.2}]}], "along": "up"}
GREYS = ramp([0, 1], ["#203040", "#ffd090"], interpolation="straight")


def lane(*steps: dict, **more) -> dict:
    return {"layers": [{"paint": list(steps)}], **more}


#: A whole material: two shapes with finishes of their own, a cut-out picture, and channels that differ.
MATERIAL = {
    "gaudyseed": 3,
    "finishes": [
        {"name": "foil, thin", "metalness": 1.0, "roughness": 0.2},
        {"name": "7 embers", "emission_colour": "#ff6a2b", "emission_strength": 2.5, "transmission": 0.4},
    ],
    "shapes": [
        {"shape": "ball", "finish": "foil, thin"},
        {"shape": "card", "finish": "7 embers", "size": 1.5, "picture": {
            "picture": "feather", "grey": True, "cut": "alpha", "turn": 30, "size": [0.5, 0.5], "shift": [0.1, 0]}},
    ],
    "lanes": {
        "base_colour": lane(RANDOM, GREYS),
        "roughness": lane({"step": "random", "seed": 8}, {"step": "range", "to_low": 0.2, "to_high": 0.7}),
        "offset": lane({"step": "constant", "value": 0.1}),
        "size": lane({"step": "random", "seed": 5}, {"step": "range", "to_low": 0.5, "to_high": 2}),
    },
}  # fmt: skip


def clones(count: int = 240):
    return ScatterMaker(maker="scatter", surface="ball", count=count).make(None)


def written(form: str, population=None, document: dict | None = None, name: str = "Made here") -> bytes:
    evaluation = Evaluator().evaluate(population or clones(), parse(Look, document or MATERIAL))
    moved, results, about = sent(evaluation, name, "sequin")
    return FORMATS[form].write(moved, results, about)


class Corrections(unittest.TestCase):
    def test_the_corrections_of_a_picture_are_those_of_the_grade_step(self):
        """The step itself is held to W3C Filter Effects in test_colour."""
        rng = np.random.default_rng(4)
        colours = rng.random((600, 3)).astype(np.float32)
        for settings in (
            {"hue_turn": 70.0, "saturation": 1.6, "brightness": 0.8, "contrast": 1.3, "gamma": 1.7},
            {"hue_turn": -150.0, "saturation": 0.2, "brightness": 1.4, "contrast": 0.6, "gamma": 0.4},
        ):
            step = STEPS["grade"].model_validate({"step": "grade", **settings})
            wanted = run_step(step, of_points(600, {}), Value(COLOUR, colours)).array
            found = shading.corrected(colours, *(np.full(600, v) for v in settings.values()))
            np.testing.assert_allclose(encode_srgb(np.clip(found, 0, 1)), encode_srgb(np.clip(wanted, 0, 1)), atol=2e-3)

    def test_versions_are_graded_once_and_greys_are_luma(self):
        picture = shipped("harbour", "")
        settings = ElementPicture(grey=True, second=Version(brightness=0.5))
        plain, dark = shading.versions(picture, settings)
        luma = np.clip(picture.texels[..., :3], 0, 1).astype(np.float64) @ [0.2126, 0.7152, 0.0722]
        levels = np.rint(encode_srgb(luma) * 255)
        np.testing.assert_allclose(plain[..., 0], levels, atol=1)
        np.testing.assert_array_equal(plain[..., 0], plain[..., 2])
        np.testing.assert_allclose(dark[..., 1], encode_srgb(luma) * 127.5, atol=1)

    def test_what_cuts_out_is_alpha_or_the_luma_of_the_levels(self):
        texels = np.zeros((2, 2, 4), np.float32)
        texels[..., :3] = [[[0, 0, 0], [1, 1, 1]], [[0.2, 0.5, 0.1], [1, 0, 0]]]
        texels[..., 3] = [[0, 0.25], [0.5, 1]]
        picture = Picture("x", texels)
        alpha = shading.versions(picture, ElementPicture(cut="alpha"))[0, ..., 3]
        np.testing.assert_array_equal(alpha, [[0, 64], [128, 255]])
        luma = shading.versions(picture, ElementPicture(cut="luma"))[0, ..., 3]
        linear = [0, 1, 0.2126 * 0.2 + 0.7152 * 0.5 + 0.0722 * 0.1, 0.2126]
        np.testing.assert_allclose(luma.reshape(-1), encode_srgb(np.array(linear)) * 255, atol=0.6)
        self.assertTrue((shading.versions(picture, ElementPicture())[0, ..., 3] == 255).all())

    def test_a_random_value_into_gamma_darkens_some_copies_and_lightens_others(self):
        """Common practice: a random value through a linear ramp into the gamma of one picture."""
        grey = np.full((2, 3, 3), 118, np.uint8)
        none = (np.zeros(3), np.ones(3), np.ones(3), np.ones(3), np.array([0.6, 1.0, 1.7]))
        found = shading.pictured(grey, np.ones((3, 3)), np.zeros(3), none)[:, 0].astype(int)
        self.assertTrue(found[0] < found[1] == 118 < found[2])
        np.testing.assert_allclose(found / 255, (118 / 255) ** (1 / np.array([0.6, 1, 1.7])), atol=1 / 255)

    def test_mixing_is_in_linear_light(self):
        black_and_white = np.array([[[0] * 3], [[255] * 3]], np.uint8)
        none = (np.zeros(1), *[np.ones(1)] * 4)
        found = shading.pictured(black_and_white, np.ones((1, 3)), np.array([0.5]), none)
        self.assertEqual(found.tolist(), [[188] * 3])  # sRGB of half the light (IEC 61966-2-1)

    def test_strong_light_keeps_its_hue(self):
        colour = np.repeat(decode_srgb(np.array([[230, 30, 20]]) / 255), 5, axis=0)
        strength = np.array([0, 0.5, 1, 8, 1000.0])
        shown, left = shading.emitted(colour, strength)
        for k in range(1, 5):
            np.testing.assert_allclose(shown[k] / shown[k].max(), colour[0] / colour[0].max(), atol=1e-9)
        # Below the knee as it is, above it bent and never beyond the peak.
        np.testing.assert_allclose(shown[1], 0.5 * colour[0], atol=1e-12)
        self.assertTrue((np.diff(shown.max(axis=1)) > 0).all() and shown.max() <= shading.PEAK)
        np.testing.assert_allclose(left, 1 / (1 + strength))

    def test_where_a_picture_lies(self):
        """Shift, size and turn about its middle, against the same by complex numbers."""
        uv = np.random.default_rng(1).random((50, 2))
        settings = ElementPicture(shift=(0.25, -0.1), size=(2, 0.5), turn=30)
        found = shading.on_picture(uv, settings)
        z = (uv[:, 0] - 0.75 + 1j * (uv[:, 1] - 0.4)) * np.exp(-1j * np.radians(30))
        np.testing.assert_allclose(found, np.stack([z.real / 2, z.imag / 0.5], -1) + 0.5, atol=1e-9)


class Glb(unittest.TestCase):
    def json_of(self, data: bytes) -> dict:
        length = int.from_bytes(data[12:16], "little")
        return json.loads(data[20 : 20 + length])

    def test_the_validator_finds_no_fault(self):
        script = (
            "const v = require('gltf-validator'); const fs = require('fs');"
            "v.validateBytes(new Uint8Array(fs.readFileSync(0))).then(r => console.log(JSON.stringify(r.issues)));"
        )
        plain = {**MATERIAL, "shapes": [], "finishes": MATERIAL["finishes"][1:]}
        mesh = {"gaudyseed": 3, "finishes": [{"name": "wax", "emission_strength": 3}],
                "lanes": {"base_colour": lane(RANDOM, GREYS), "opacity": lane(RANDOM, threshold=0.4)}}  # fmt: skip
        beetle = SurfaceMaker(maker="mesh", surface="beetle", subdivision=0).make(None)
        for data in (written("glb"), written("glb", None, plain), written("glb", beetle, mesh)):
            told = subprocess.run(["node", "-e", script], input=data, cwd=FRONTEND, capture_output=True, check=True)
            issues = json.loads(told.stdout)
            # It does not know EXT_mesh_gpu_instancing, and says so.
            wrong = [i for i in issues["messages"] if i["severity"] < 2 and "INSTANCING" not in json.dumps(i).upper()]
            self.assertEqual(
                (issues["numErrors"], wrong), (0, [i for i in wrong if i["code"] == "UNSUPPORTED_EXTENSION"])
            )

    def test_materials_are_those_of_finishes_and_shapes(self):
        document = self.json_of(written("glb"))
        ball, card = document["materials"]
        self.assertEqual(ball["pbrMetallicRoughness"]["metallicFactor"], 1.0)
        self.assertAlmostEqual(
            ball["pbrMetallicRoughness"]["roughnessFactor"], 0.45, delta=0.05
        )  # the mean of the lane
        self.assertEqual(card["extensions"]["KHR_materials_emissive_strength"]["emissiveStrength"], 2.5)
        self.assertAlmostEqual(card["extensions"]["KHR_materials_transmission"]["transmissionFactor"], 0.4)
        self.assertEqual((card["alphaMode"], card["alphaCutoff"]), ("MASK", 0.5))
        np.testing.assert_allclose(card["emissiveFactor"], decode_srgb(np.array([0xFF, 0x6A, 0x2B]) / 255), atol=1e-6)
        names = {
            word for node in document["nodes"] for word in node["extensions"]["EXT_mesh_gpu_instancing"]["attributes"]
        }
        self.assertTrue({"_ROUGHNESS", "_COLOR_0", "_OFFSET", "TRANSLATION"} <= names)

    def test_the_picture_lies_where_the_view_has_it(self):
        """KHR_texture_transform's matrix, put together from its text: T R S on uv that hang from the top."""
        document = self.json_of(written("glb"))
        told = document["materials"][1]["pbrMetallicRoughness"]["baseColorTexture"]["extensions"][
            "KHR_texture_transform"
        ]
        turn, scale, shift = told["rotation"], told["scale"], told["offset"]
        c, s = np.cos(turn), np.sin(turn)
        into = np.array([[c, s, 0], [-s, c, 0], [0, 0, 1]]) @ np.diag([*scale, 1])
        into[:2, 2] = shift
        uv = np.random.default_rng(2).random((20, 2))
        hung = np.stack([uv[:, 0], 1 - uv[:, 1], np.ones(20)], -1) @ into.T
        settings = parse(ElementPicture, MATERIAL["shapes"][1]["picture"])
        np.testing.assert_allclose(
            np.stack([hung[:, 0], 1 - hung[:, 1]], -1), shading.on_picture(uv, settings), atol=1e-6
        )
        image = document["images"][0]
        view = document["bufferViews"][image["bufferView"]]
        data = written("glb")
        start = 20 + int.from_bytes(data[12:16], "little") + 8 + view["byteOffset"]
        with Image.open(io.BytesIO(data[start : start + view["byteLength"]])) as found:
            self.assertEqual(found.size, (512, 512))

    def test_size_and_lift_stand_in_the_instances(self):
        """Read by the accessors, as glTF 2.0 has them; the libraries at hand do not read the extension."""
        population = clones(60)
        plain = {k: v for k, v in MATERIAL.items() if k not in ("shapes", "finishes")}
        evaluation = Evaluator().evaluate(population, parse(Look, plain))
        data = written("glb", population, plain)
        document = self.json_of(data)
        binary = data[20 + int.from_bytes(data[12:16], "little") + 8 :]
        listed = document["nodes"][0]["extensions"]["EXT_mesh_gpu_instancing"]["attributes"]

        def read(word: str) -> np.ndarray:
            accessor = document["accessors"][listed[word]]
            at = document["bufferViews"][accessor["bufferView"]]["byteOffset"]
            return np.frombuffer(binary, "<f4", 3 * accessor["count"], at).reshape(-1, 3)

        place, normal = (population.elements.attribute(n).readable for n in ("position", "normal"))
        moved = place + 0.1 * normal
        wanted = np.stack([moved[:, 0], moved[:, 2], -moved[:, 1]], -1)  # y is up there
        np.testing.assert_allclose(read("TRANSLATION"), wanted, atol=1e-5)
        sizes = population.elements.attribute("size").readable * evaluation.lanes["size"].values
        np.testing.assert_allclose(read("SCALE"), np.repeat(sizes[:, None], 3, axis=1), rtol=1e-5)

    def test_a_mesh_by_a_second_reader(self):
        """trimesh reads the moved places and the colours."""
        beetle = SurfaceMaker(maker="mesh", surface="beetle", subdivision=0).make(None)
        document = {"gaudyseed": 3, "lanes": {"base_colour": lane(RANDOM, GREYS), "offset": RAISED}}
        scene = trimesh.load(io.BytesIO(written("glb", beetle, document)), file_type="glb")
        low, high = scene.bounds
        place = beetle.elements.attribute("position").readable
        np.testing.assert_allclose([low[1], high[1]], place[:, 2][[place[:, 2].argmin(), place[:, 2].argmax()]] + 0.2,
                                   atol=1e-5)  # fmt: skip


class Usd(unittest.TestCase):
    def stage(self, data: bytes):
        from pxr import Usd as Library

        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        path = Path(folder.name) / "a.usda"
        path.write_bytes(data)
        return Library.Stage.Open(str(path))

    def test_the_librarys_validation_and_its_reading(self):
        from pxr import UsdGeom, UsdShade, UsdValidation

        mesh = {"gaudyseed": 3, "lanes": {"base_colour": lane(RANDOM, GREYS), "emission_strength": lane(RANDOM)}}
        beetle = SurfaceMaker(maker="mesh", surface="beetle", subdivision=0).make(None)
        validators = UsdValidation.ValidationRegistry().GetOrLoadAllValidators()
        for data in (written("usd"), written("usd", beetle, mesh), written("usd", name="7 of them, & more")):
            self.assertEqual(UsdValidation.ValidationContext(validators).Validate(self.stage(data)), [])
        stage = self.stage(written("usd"))
        instancer = UsdGeom.PointInstancer(stage.GetDefaultPrim())
        self.assertEqual(len(instancer.GetPrototypesRel().GetTargets()), 2)
        roughness = UsdGeom.PrimvarsAPI(stage.GetDefaultPrim()).GetPrimvar("roughness")
        results = Evaluator().evaluate(clones(), parse(Look, MATERIAL)).results
        np.testing.assert_allclose(np.array(roughness.Get()), results["roughness"], atol=1e-6)
        for target, metal in zip(instancer.GetPrototypesRel().GetTargets(), (1.0, 0.0), strict=True):
            material, _ = UsdShade.MaterialBindingAPI(stage.GetPrimAtPath(target)).ComputeBoundMaterial()
            shader = material.ComputeSurfaceSource()[0]
            self.assertEqual(shader.GetIdAttr().Get(), "UsdPreviewSurface")
            self.assertEqual(shader.GetInput("metallic").Get(), metal)
            reader = UsdShade.Shader(shader.GetInput("roughness").GetConnectedSource()[0].GetPrim())
            self.assertEqual(reader.GetInput("varname").Get(), "roughness")
            colour = UsdShade.Shader(shader.GetInput("diffuseColor").GetConnectedSource()[0].GetPrim())
            self.assertEqual(colour.GetInput("varname").Get(), "displayColor")

    def test_a_file_of_ours_is_coloured_again(self):
        """What comes in under a channel's name is replaced, so that nothing stands twice."""
        from pxr import UsdGeom

        first = read_points(written("usd"), "a.usda")
        self.assertIn("roughness", first.elements.names)
        other = {**MATERIAL, "lanes": {**MATERIAL["lanes"], "roughness": lane({"step": "constant", "value": 0.5})}}
        stage = self.stage(written("usd", first, other))
        self.assertIsNotNone(stage)
        primvars = UsdGeom.PrimvarsAPI(stage.GetDefaultPrim())
        self.assertEqual(set(np.array(primvars.GetPrimvar("roughness").Get()).tolist()), {0.5})
        once = read_items(written("glb"), "a.glb")[0].population
        for thing in read_items(written("glb", once, other), "b.glb"):
            names = thing.population.elements.names
            self.assertEqual([n for n in names if n.startswith("roughness")], ["roughness"])


class MaterialX(unittest.TestCase):
    def test_it_is_valid_and_its_nodes_and_inputs_are_those_of_the_definitions(self):
        import MaterialX as library  # noqa: N813

        standard = library.createDocument()
        search = library.getDefaultDataSearchPath()
        library.loadLibraries(library.getDefaultDataLibraryFolders(), search, standard)
        for name in ("Made here", "7 of them"):
            document = library.createDocument()
            library.readFromXmlString(document, written("materialx", name=name).decode())
            document.setDataLibrary(standard)
            valid, sentence = document.validate()
            self.assertTrue(valid, sentence)
            self.assertEqual(len(document.getMaterialNodes()), 2)
            # ``validate`` lets unknown nodes and inputs pass, so each is looked up (OpenPBR's own list among them).
            for node in [n for n in document.traverseTree() if isinstance(n, library.Node)]:
                definition = node.getNodeDef()
                self.assertIsNotNone(definition, node.getName())
                for given in node.getInputs():
                    known = definition.getActiveInput(given.getName())
                    self.assertIsNotNone(known, f"{node.getCategory()}.{given.getName()}")
                    self.assertEqual(known.getType(), given.getType())
        surface = document.getMaterialNodes()[1].getConnectedNode("surfaceshader")
        self.assertAlmostEqual(surface.getInput("emission_luminance").getValue(), 2500.0)
        self.assertAlmostEqual(surface.getInput("transmission_weight").getValue(), 0.4, places=5)
        self.assertEqual(surface.getInput("specular_roughness").getOutputString(), "roughness_out")


class Columns(unittest.TestCase):
    def test_channels_are_columns_by_their_words_and_come_back(self):
        for form, name in (("ply", "a.ply"), ("csv", "a.csv")):
            back = read_points(written(form), name)
            results = Evaluator().evaluate(clones(), parse(Look, MATERIAL)).results
            for column, word in (("roughness", "roughness"), ("emission_strength", "emission_strength"),
                                 ("size_factor", "size"), ("offset", "offset"), ("finish", "finish")):  # fmt: skip
                np.testing.assert_allclose(back.elements.attribute(column).readable, results[word], atol=1e-6)


class Shapes(unittest.TestCase):
    def test_a_mesh_of_another_library_comes_as_a_shape(self):
        ball = trimesh.creation.icosphere(subdivisions=2, radius=7)
        ball.apply_translation([3, 1, 2])
        for ending in ("obj", "glb", "ply"):
            data = ball.export(file_type=ending)
            made = read_shape(data.encode() if isinstance(data, str) else data, f"ball.{ending}")
            self.assertEqual(len(made.faces), len(ball.faces))
            np.testing.assert_allclose(made.vertices.max(axis=0) - made.vertices.min(axis=0), [1, 1, 1], atol=0.02)
            np.testing.assert_allclose((made.normals * made.vertices).sum(axis=1), 0.5, atol=0.01)
