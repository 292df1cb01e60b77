"""Sending values into every channel by mouse and keyboard, and what the view makes of them."""

from __future__ import annotations

import io
import json
import re
from pathlib import Path

import numpy as np
import trimesh
from PIL import Image
from playwright.sync_api import Locator

from gaudyseed.core.documents.document import parse
from gaudyseed.core.formats import read_points
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.pictures.picture import Picture
from gaudyseed.core.scene.model import Scene
from gaudyseed.core.scene.run import SceneRun
from gaudyseed.core.shown import shading
from tests.browser.driver import drawn
from tests.browser.test_places import WARM, PlaceCase
from tests.support import ramp

SEVEN = ["#d5342c", "#ef7d1a", "#f4c430", "#3f9b48", "#2c7fb8", "#6b3fa0", "#f2efe6"]
SURROUND = (169, 169, 169)


class SendCase(PlaceCase):
    def chip(self, title: str) -> Locator:
        return self.page.get_by_role("group", name="Channels").get_by_role("button", name=re.compile(f"^{title}, "))

    def look(self) -> dict:
        return self.stored()["populations"][0]["look"]

    def canvas(self) -> np.ndarray:
        """The middle of the view, without what lies over it."""
        self.settle()
        self.page.wait_for_function("() => (document.querySelector('[role=application]').dataset.waits ?? '0') === '0'")
        return self.pixels(self.page.get_by_role("application"))[70:-60]

    def typed(self, name: str, value: str, within: Locator | None = None, wait: bool = True) -> None:
        field = (within or self.page).get_by_role("textbox", name=name, exact=True).first
        field.fill(value)
        self.after(lambda: field.press("Enter")) if wait else field.press("Enter")
        self.settle()

    def layer_on(self, title: str) -> None:
        """Open a channel and give it a first layer."""
        self.channel(title)
        self.after(self.page.get_by_role("button", name="Add a layer").first.click)

    def downloaded(self, title: str) -> bytes:
        self.page.keyboard.press("Alt+3")
        with self.page.expect_download() as waiting:
            self.button(f"Download {title}").click()
        data = Path(waiting.value.path()).read_bytes()
        self.page.keyboard.press("Alt+2")
        return data


class FeatherFan(SendCase):
    """One grey, cut-out picture, tinted by a random ramp; then two versions mixed; then a random value into gamma."""

    MAKER = {"maker": "fan", "across": 14, "rows": 2, "size": 0.8}

    def document(self) -> dict:
        scene = super().document()
        scene["populations"][0]["shape"] = "card"
        return scene

    @drawn
    def test_tinted_mixed_and_bent(self):
        page = self.page
        squares = self.canvas()
        self.channel("Picture")
        self.after(self.button("Add a picture").last.click)
        self.choose("Picture", "feather · ships")
        self.choose("Cut out by", "Alpha")
        picture = self.look()["picture"]
        self.assertEqual((picture["picture"], picture["grey"], picture["cut"]), ("feather", True, "alpha"))
        feathers = self.canvas()
        holes = (np.abs(feathers - SURROUND).max(axis=2) < 3).sum() - (np.abs(squares - SURROUND).max(axis=2) < 3).sum()
        self.assertGreater(holes, 1000)
        # A second, darker version; then each copy gets its own mix of both.
        second = page.get_by_role("group", name="second version")
        self.typed("Brightness", "0.3", second)
        np.testing.assert_array_equal(self.canvas(), feathers)
        self.after(page.get_by_role("button", name="Add a layer").first.click)
        mixed = self.canvas()
        self.assertLess(mixed.mean(), feathers.mean())
        self.layer_on("Picture gamma")
        self.add("Range")
        self.typed("Onto", "0.4")
        self.assertGreater(np.abs(self.canvas() - mixed).max(), 20)
        self.assertEqual(
            [s["step"] for s in self.look()["lanes"]["picture_gamma"]["layers"][0]["paint"]], ["random", "range"]
        )
        # Only this channel, as greys.
        self.redrawn(self.button("Show picture gamma alone in the view").click)
        page.get_by_role("figure", name=re.compile("^Scale from")).wait_for()
        shown = self.canvas().astype(int)
        self.assertLess(np.abs(shown[..., 0] - shown[..., 2]).max(), 2)


class Pictured(SendCase):
    """Pixels of the view in flat shading against the arithmetic of core/shown/shading.py."""

    EXACT = True

    BLOCKS = [(200, 60, 40), (40, 150, 90), (60, 80, 190), (230, 200, 90)]

    def document(self) -> dict:
        index = {"step": "formula", "text": "(index + 0.5) / 6"}
        lanes = {
            "base_colour": [index, ramp([0, 0.5, 1], ["#ffffff", "#ff9060", "#80c0ff"], interpolation="straight")],
            "picture_mix": [{"step": "random", "seed": 4}],
            "picture_hue_turn": [index, {"step": "range", "to_low": -90, "to_high": 90}],
            "picture_saturation": [index, {"step": "range", "to_low": 1.4, "to_high": 0.3}],
            "picture_gamma": [index, {"step": "range", "to_low": 0.6, "to_high": 1.5}],
            "picture_contrast": [{"step": "constant", "value": 1.1}],
        }
        picture = {"picture": "blocks", "cut": "alpha", "second": {"brightness": 0.6, "hue_turn": 40}}
        look = {"gaudyseed": 3, "picture": picture, "lanes": {w: {"layers": [{"paint": p}]} for w, p in lanes.items()}}
        digest = self.asked_file("blocks.png", self.file())
        asset = {"name": "blocks", "digest": digest, "width": 512, "height": 512}
        maker = {"maker": "grid", "columns": 3, "rows": 2, "column_spacing": 1.1, "row_spacing": 1.1, "size": 1.0}
        first = {"id": "cards", "name": "Cards", "shape": "card", "maker": maker, "look": look}
        return {"gaudyseed": 3, "name": "P", "view": {"shading": "flat"}, "populations": [first], "assets": [asset]}

    def texels(self) -> np.ndarray:
        """Four blocks of one colour each around a hole."""
        found = np.zeros((512, 512, 4), np.uint8)
        for k, colour in enumerate(self.BLOCKS):
            rows, columns = slice(256 * (k // 2), 256 * (k // 2) + 256), slice(256 * (k % 2), 256 * (k % 2) + 256)
            found[rows, columns] = (*colour, 255)
        found[196:316, 196:316, 3] = 0
        return found

    def file(self) -> bytes:
        out = io.BytesIO()
        Image.fromarray(self.texels()).save(out, "PNG")
        return out.getvalue()

    def asked_file(self, name: str, data: bytes) -> str:
        import urllib.request

        request = urllib.request.Request(
            f"{self.server.address}api/assets?name={name}", data, {"Content-Type": "application/octet-stream"}
        )
        with urllib.request.urlopen(request) as answer:
            return json.load(answer)["asset"]["digest"]

    @drawn
    def test_pixels_are_the_formulas_within_two_levels(self):
        from gaudyseed.core.colour.spaces import decode_srgb

        linear = np.concatenate([decode_srgb(self.texels()[..., :3] / 255), self.texels()[..., 3:] / 255], axis=2)
        picture = Picture("blocks", linear.astype(np.float32))

        class AssetSource:
            def picture(self, asset, place):
                return picture

        run = SceneRun(
            parse(Scene, self.document()), Evaluator(), lambda request: request.make(None), kept=AssetSource()
        )
        evaluation = run.evaluation("cards")
        both = shading.versions(picture, evaluation.look.picture)
        corners = both[:, [40, 40, 470, 470], [40, 470, 40, 470], :3]
        names = ("hue_turn", "saturation", "brightness", "contrast", "gamma")
        wanted = []
        for element in range(6):
            of = lambda word: np.full(4, evaluation.channel(word)[element], np.float64)  # noqa: B023, E731
            mix = np.round(of("picture_mix") * 255) / 255
            colour = np.repeat(
                decode_srgb(np.round(_encoded(evaluation.colours[element]) * 255) / 255)[None], 4, axis=0
            )
            wanted.append(shading.pictured(corners, colour, mix, tuple(of(f"picture_{n}") for n in names)))
        wanted = np.concatenate(wanted).astype(int)
        found = self.canvas().reshape(-1, 3)
        cards = found[np.abs(found - SURROUND).max(axis=1) > 3]
        self.assertGreater(len(cards), 20_000)
        apart = np.abs(cards[:, None, :] - wanted[None]).max(axis=2)
        # Every block of every card is there, and all but the blocks' borders is one of them.
        self.assertLessEqual(apart.min(axis=0).max(), 2)
        self.assertGreater((apart.min(axis=1) <= 2).mean(), 0.9)


def _encoded(linear: np.ndarray) -> np.ndarray:
    from gaudyseed.core.colour.spaces import encode_srgb

    return encode_srgb(np.clip(linear, 0, 1))


class Skittles(SendCase):
    """A heap of a mesh that was brought in, seven typed colours, and a noise in roughness."""

    MAKER = {"maker": "scatter", "surface": "ball", "count": 500, "size": 0.2}

    @drawn
    def test_a_mesh_of_ones_own_seven_colours_and_worn_patches(self):
        page = self.page
        skittle = trimesh.creation.revolve(
            [[0, 0], [0.3, 0.1], [0.4, 0.5], [0.15, 1], [0.25, 1.2], [0, 1.4]], sections=12
        )
        file = {"name": "skittle.obj", "mimeType": "model/obj", "buffer": skittle.export(file_type="obj").encode()}
        page.get_by_label("Add a small mesh, file").set_input_files(file)
        page.get_by_text(re.compile(r"^\d+ triangles$")).wait_for()
        self.settle()
        self.channel("Shape")
        self.after(self.button("Add a shape").click)
        self.choose("Shape", "skittle")
        self.after(self.button("Remove Sequins").click)
        shapes = self.look()["shapes"]
        self.assertEqual([(s["mesh"], s["weight"]) for s in shapes], [("skittle", 1)])
        self.channel("Base colour")
        self.add("Palette")
        text = page.get_by_role("textbox", name="Paste colours")
        text.fill(" ".join(SEVEN))
        self.after(lambda: text.press("Enter"))
        paint = self.look()["lanes"]["base_colour"]["layers"][0]["paint"]
        self.assertEqual([s["colour"] for s in paint[-1]["swatches"]], SEVEN)
        before = self.canvas()
        self.layer_on("Roughness")
        self.add("Noise")
        self.assertEqual(self.look()["lanes"]["roughness"]["layers"][0]["paint"][0]["step"], "noise")
        # That lane alone was worked out and sent.
        self.assertEqual(page.locator("[data-sent]").get_attribute("data-sent"), "roughness")
        np.testing.assert_array_equal(self.canvas(), before)  # flat shading shows colours alone
        back = read_points(self.downloaded("PLY, binary"), "a.ply").elements
        self.assertGreater(np.ptp(back.attribute("roughness").readable), 0.2)
        self.assertEqual(len(np.unique(np.round(back.attribute("base_colour").readable, 4), axis=0)), 7)


class Glass(SendCase):
    """Clear glass, tinted by the base colour."""

    MAKER = {"maker": "scatter", "surface": "ring", "count": 300, "size": 0.25}

    def document(self) -> dict:
        scene = super().document()
        scene["view"]["shading"] = "finished"
        scene["populations"][0]["shape"] = "bead"
        return scene

    @drawn
    def test_a_finish_of_the_library_by_keyboard_and_its_lanes_stay(self):
        page = self.page
        solid = self.canvas()
        page.get_by_role("button", name="Channel", exact=True).press("Enter")
        page.keyboard.type("finish")
        page.keyboard.press("Enter")
        self.button("Add from the library…").press("Enter")
        kept = page.get_by_role("list", name="Kept finishes")
        kept.get_by_role("button", name="Use Clear glass").wait_for()
        self.assertEqual(kept.get_by_role("button", name=re.compile("^Use ")).count(), 12)
        pictures = kept.locator("img").evaluate_all("all => all.filter(i => i.naturalWidth > 0).length")
        self.assertEqual(pictures, 12)
        kept.get_by_role("button", name="Use Clear glass").focus()
        self.after(lambda: page.keyboard.press("Enter"))
        self.assertEqual(self.look()["finishes"][0]["transmission"], 1)
        clear = self.canvas()
        self.assertGreater(np.abs(clear - solid).max(), 30)
        self.layer_on("Transmission")
        page.get_by_text("shows this approximately").wait_for()
        # Changing the finish keeps the lane.
        self.channel("Finish")
        self.button("Change…").click()
        self.after(kept.get_by_role("button", name="Use Frosted glass").click)
        look = self.look()
        self.assertEqual(
            (look["finishes"][0]["name"], len(look["lanes"]["transmission"]["layers"])), ("Frosted glass", 1)
        )
        # Light and backdrop of the view.
        page.get_by_role("button", name="Light and backdrop").click()
        self.redrawn(page.get_by_role("switch", name="A backdrop").click)
        self.typed("Turn of the light, degrees", "90", wait=False)
        page.keyboard.press("Escape")
        view = self.stored()["view"]
        self.assertEqual((view["backdrop"], view["light_turn"]), ("#8a8a8a", 90))
        corner = self.pixels(page.get_by_role("application"))[-80, 15]
        np.testing.assert_array_equal(corner, [0x8A] * 3)


class Bellows(SendCase):
    """A wall raised by the noise that colours it."""

    MAKER = {"maker": "grid", "columns": 30, "rows": 20, "column_spacing": 0.1, "row_spacing": 0.1, "size": 0.09}
    PAINT = [{"step": "noise", "seed": 5, "size": 0.6, "low": 0.2, "high": 0.8}, WARM]

    @drawn
    def test_one_noise_colours_lifts_and_roughens(self):
        page = self.page
        flat = self.canvas()
        page.get_by_label("More for the chain").click()
        self.after(page.get_by_role("menuitem", name="Reuse as signal").click)
        look = self.look()
        self.assertEqual((look["signals"][0]["name"], look["signals"][0]["chain"][0]["step"]), ("noise", "noise"))
        self.assertEqual([s["step"] for s in look["lanes"]["base_colour"]["layers"][0]["paint"]], ["signal", "ramp"])
        np.testing.assert_array_equal(self.canvas(), flat)
        for title in ("Offset", "Roughness"):
            self.layer_on(title)
            self.add("Signal")
        self.channel("Offset")
        self.choose("Along", "up")
        self.assertGreater((np.abs(self.canvas() - flat).max(axis=2) > 20).mean(), 0.05)
        self.assertEqual(page.locator("[data-computed]").get_attribute("data-computed"), "")
        back = read_points(self.downloaded("PLY, binary"), "a.ply").elements
        lift, rough = (back.attribute(name).readable for name in ("offset", "roughness"))
        np.testing.assert_allclose(back.attribute("position").readable[:, 2], 0.045 + lift, atol=1e-5)
        # The same noise in both; the offset was fitted to the spacing of the clones when its lane began.
        fitted = self.look()["lanes"]["offset"]["layers"][0]["paint"][-1]
        self.assertEqual((fitted["step"], fitted["to_low"]), ("range", 0))
        self.assertLess(fitted["to_high"], 0.1)
        np.testing.assert_allclose(lift, rough * fitted["to_high"], atol=1e-6)
        # A lane is switched off without losing it.
        self.after(page.get_by_role("switch", name="Offset on").click)
        np.testing.assert_array_equal(self.canvas(), flat)
        self.assertEqual(self.chip("Offset").get_attribute("aria-label"), "Offset, 1 layer, off")


class DissolvingMask(SendCase):
    """Cut away along a painted weight, the edge glowing in its own colour; the edge crisp within triangles."""

    MAKER = {"maker": "mesh", "surface": "mask", "subdivision": 0}
    PAINT = [{"step": "constant", "value": "#d8c0a0"}]

    @drawn
    def test_cut_along_what_was_painted(self):
        page = self.page
        whole = self.canvas()
        self.button("Paint a new weight").click()
        self.brush("0.6")
        x, y = self.middle()
        page.mouse.move(x - 20, y - 20)
        page.mouse.down()
        page.mouse.move(x + 20, y, steps=5)
        page.mouse.up()
        self.rest()
        page.keyboard.press("Escape")
        self.settle()
        self.layer_on("Opacity")
        self.add("Attribute")
        self.choose("Name", "weight · number")
        self.add("Curve")
        page.get_by_label("More for Curve").click()
        page.get_by_role("menuitem", name="Open in a window").click()
        window = page.get_by_role("region", name="Curve in a window")
        window.wait_for()
        at = window.bounding_box()
        window.get_by_role("button", name="Move the window of Curve").press("ArrowRight")
        self.assertEqual(window.bounding_box()["x"], at["x"] + 8)
        window.get_by_role("button", name="Close the window of Curve").click()
        # What is painted is what goes.
        self.add("Range")
        self.after(page.get_by_role("switch", name="Flip").click)
        self.after(page.get_by_role("switch", name="Cut out").click)
        cut = self.canvas()
        gone = (np.abs(cut - SURROUND).max(axis=2) < 3) & (np.abs(whole - SURROUND).max(axis=2) > 3)
        self.assertGreater(gone.sum(), 400)
        # In flat shading the edge is crisp: a pixel is the mask's colour or the surround.
        known = [(0xD8, 0xC0, 0xA0), SURROUND]
        self.assertLess((np.min([np.abs(cut - c).max(axis=2) for c in known], axis=0) > 3).mean(), 1e-3)
        # The edge glows in its own colour.
        self.layer_on("Emission strength")
        self.add("Attribute")
        self.choose("Name", "weight · number")
        self.layer_on("Emission colour")
        self.choose("Shading", "Finished look", wait=False)
        self.rest()
        lanes = self.look()["lanes"]
        self.assertEqual(lanes["opacity"]["threshold"], 0.5)
        glowing = self.canvas()
        self.after(page.get_by_role("switch", name="Emission colour on").click)
        self.assertGreater(np.abs(self.canvas() - glowing).max(), 30)


class FourShapes(SendCase):
    """Four shapes by weights with their own colours and finishes, a share typed; two finishes blended."""

    MAKER = {"maker": "scatter", "surface": "ball", "count": 1200, "size": 0.1}

    def test_shapes_and_their_share(self):
        page = self.page
        self.channel("Finish")
        for _ in range(2):
            self.after(self.button("Add a plain finish").click)
        self.channel("Shape")
        for _ in range(3):
            self.after(self.button("Add a shape").click)
        self.assertEqual(len(self.look()["shapes"]), 4)
        self.choose("Finish of the shape", "Finish 2")
        self.typed("Share of Sequins, %", "55")
        _, share = self.shares_of("Shapes")
        self.assertAlmostEqual(share[0], 55, delta=0.1)
        self.assertAlmostEqual(sum(share), 100, delta=0.2)
        # Each shape has its own colour: the chain reads which one it is.
        self.channel("Base colour")
        self.add("Shape")
        paint = self.look()["lanes"]["base_colour"]["layers"][0]["paint"]
        self.assertEqual([s["step"] for s in paint], ["shape", "ramp"])
        self.assertLessEqual(len(np.unique(np.round(self.colours(), 4), axis=0)), 4)
        # Shares by size, and said so.
        counted = self.shares()
        self.choose("Shares measured", "by size", wait=False)
        page.wait_for_function("b => document.querySelector('[aria-label=Shares]').innerText !== b", arg="")
        self.settle()
        self.assertEqual(len(self.shares()), len(counted))
        self.assertTrue(self.button("Set shares…").is_disabled())
        # Two finishes blended by a weight.
        self.layer_on("Finish")
        self.choose("How the finish is chosen", "0 to 1 blends them in turn")
        self.channel("Finish")
        page.get_by_role("list", name="Finishes").get_by_role("button", name="Finish 2", exact=True).click()
        self.typed("Roughness", "1")
        rough = read_points(self.downloaded("PLY, binary"), "a.ply").elements.attribute("roughness").readable
        self.assertGreater(((rough > 0.35) & (rough < 0.95)).mean(), 0.5)

    def shares_of(self, name: str) -> tuple[list[str], list[float]]:
        fields = self.page.get_by_role("list", name=name).get_by_role("textbox", name=re.compile("^Share of"))
        values = [float(fields.nth(k).input_value()) for k in range(fields.count())]
        return [], values


class Subsurface(SendCase):
    """Light below the surface takes up the shifted base colour; its radius is in scene units."""

    MAKER = {"maker": "scatter", "surface": "ball", "count": 600, "size": 0.25}

    def document(self) -> dict:
        scene = super().document()
        scene["view"]["shading"] = "finished"
        scene["populations"][0]["shape"] = "ball"
        return scene

    @drawn
    def test_it_follows_the_base_colour(self):
        page = self.page
        self.channel("Finish")
        self.button("Add from the library…").click()
        self.after(page.get_by_role("button", name="Use Wax").click)
        page.get_by_role("switch", name="Subsurface colour of its own").wait_for()
        wax = self.canvas()
        self.channel("Base colour")
        self.add("Grade")
        self.open_fields("Colour")
        self.typed("Hue turn, degrees", "120")
        self.assertGreater(np.abs(self.canvas() - wax).max(), 60)
        self.channel("Finish")
        turned = self.canvas()
        self.typed("Subsurface radius", "4")
        self.assertGreater(np.abs(self.canvas() - turned).max(), 8)
        # A colour of its own does not follow.
        self.after(page.get_by_role("switch", name="Subsurface colour of its own").click)
        self.assertEqual(self.look()["finishes"][0]["subsurface_colour"], "#c8553d")


class Home(SendCase):
    """All of it taken home, and read by second readers."""

    MAKER = {"maker": "scatter", "surface": "ball", "count": 300, "size": 0.15}

    def document(self) -> dict:
        scene = super().document()
        look = scene["populations"][0]["look"]
        rough = {"layers": [{"paint": [{"step": "random", "seed": 9}]}]}
        look |= {"finishes": [{"name": "Foil", "metalness": 1}], "shapes": [{"shape": "ball"}, {"shape": "card"}]}
        look["signals"] = [{"name": "wear", "chain": [{"step": "random", "seed": 6}]}]
        look["lanes"] |= {"roughness": rough, "size": {"layers": [{"paint": [{"step": "constant", "value": 2}]}]}}
        return scene

    def test_every_format(self):
        import MaterialX as library  # noqa: N813

        page = self.page
        page.keyboard.press("Alt+3")
        self.after(self.button("Add an output").click)
        page.get_by_label(re.compile("^Name of the output")).first.fill("worn")
        self.after(lambda: page.keyboard.press("Enter"))
        self.assertEqual(self.look()["outputs"], [{"signal": "wear", "name": "worn", "enabled": True}])
        table = read_points(self.downloaded("PLY, binary"), "a.ply").elements
        for name in ("roughness", "size_factor", "shape_number", "metalness", "worn"):
            self.assertIn(name, table.names)
        glb = self.downloaded("GLB")
        document = json.loads(glb[20 : 20 + int.from_bytes(glb[12:16], "little")])
        self.assertEqual(len(document["materials"]), 2)
        self.assertEqual({m["pbrMetallicRoughness"]["metallicFactor"] for m in document["materials"]}, {1.0})
        usd = self.downloaded("USD, text").decode()
        self.assertIn('string inputs:varname = "roughness"', usd)
        self.assertIn("float[] primvars:worn", usd)
        made = library.createDocument()
        library.readFromXmlString(made, self.downloaded("MaterialX, materials alone").decode())
        self.assertTrue(made.validate()[0])
        self.assertEqual(len(made.getMaterialNodes()), 2)


class Swatches(SendCase):
    def test_tints_and_shades_of_a_swatch(self):
        page = self.page
        page.get_by_role("button", name=re.compile("Open the picker")).first.click()
        row = page.get_by_role("group", name="Tints and shades").get_by_role("button")
        row.nth(8).wait_for()
        self.assertEqual(row.count(), 9)
        wanted = row.nth(7).get_attribute("title")
        self.after(row.nth(7).click)
        stops = self.look()["lanes"]["base_colour"]["layers"][0]["paint"][1]["stops"]
        self.assertIn(wanted, [s["colour"] for s in stops])


class Crisp(SendCase):
    """A stepped ramp on a coarse mesh: each pixel is a band's colour, and an edit of the ramp sends the table alone."""

    EXACT = True

    MAKER = {"maker": "mesh", "surface": "ball", "subdivision": 0}
    BANDS = ramp([0, 0.33, 0.66], ["#a03020", "#30a050", "#3050c0"])
    PAINT = [{"step": "extent", "axis": "z"}, BANDS]

    @drawn
    def test_bands_are_crisp_and_numbers_smooth(self):
        bands = self.canvas()
        known = [(0xA0, 0x30, 0x20), (0x30, 0xA0, 0x50), (0x30, 0x50, 0xC0), SURROUND]
        apart = np.min([np.abs(bands - np.array(c)).max(axis=2) for c in known], axis=0)
        self.assertEqual(int((apart > 2).sum()), 0)
        for colour in known[:3]:
            self.assertGreater((np.abs(bands - np.array(colour)).max(axis=2) <= 2).mean(), 0.02)
