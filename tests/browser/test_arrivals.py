"""What a file brings stays to be seen: its colours, its meshes, what it loses; scenes that go home as documents."""

from __future__ import annotations

import json
import re
import subprocess
import sys
from pathlib import Path

import numpy as np

from gaudyseed.core.documents.document import parse
from gaudyseed.core.formats import read_points
from gaudyseed.core.scene.model import Scene
from tests.browser.driver import drawn
from tests.browser.test_places import PlaceCase
from tests.browser.test_send import SendCase
from tests.reference.test_kept import of_two_meshes

RED_ROWS = [
    "x,y,z,red,green,blue,kind,heat",
    *(f"{k % 20},{k // 20},0,200,30,40,{'abc'[k % 3]},{'' if k % 9 else k}" for k in range(400)),
]


class Files(PlaceCase):
    """A table with colours, kinds and gaps."""

    def drop(self, name: str, data: bytes) -> None:
        self.page.keyboard.press("Alt+1")
        upload = {"name": name, "mimeType": "application/octet-stream", "buffer": data}
        self.page.get_by_label("File to import").set_input_files(upload)
        self.page.get_by_role("img", name=re.compile("as it will arrive$")).first.wait_for()

    def brought(self, name: str) -> dict:
        """Add what the dialogue shows; the population as it is saved."""
        self.after(self.page.get_by_role("button", name=re.compile("^Add .*to the scene$")).click)
        listed = self.page.get_by_role("region", name="Populations")
        listed.get_by_role("button", name=re.compile(f"^{name}")).first.wait_for()
        return next(p for p in self.stored()["populations"] if p["name"].startswith(name))

    def shown(self) -> np.ndarray:
        """The view's levels in flat shading, where something is drawn."""
        view = self.pixels(self.page.get_by_role("application"))[70:-70, 20:-20]
        return view[np.ptp(view, axis=2) > 25]

    @drawn
    def test_its_own_colours_are_shown_before_and_after(self):
        page = self.page
        self.drop("reds.csv", "\n".join(RED_ROWS).encode())
        picture = self.pixels(page.get_by_role("img", name="reds as it will arrive"))
        coloured = picture[np.ptp(picture, axis=2) > 100]
        self.assertGreater(len(coloured), 500)
        np.testing.assert_allclose(np.median(coloured, axis=0), [200, 30, 40], atol=4)
        made = self.brought("reds")
        self.assertEqual([s["step"] for s in made["look"]["lanes"]["base_colour"]["layers"][0]["paint"]], ["attribute"])
        page.keyboard.press("9")
        self.settle()
        found = self.shown()
        near = np.abs(found - [200, 30, 40]).max(axis=1) < 12
        self.assertGreater(near.sum(), 300)

    def test_one_colour_for_each_kind_by_keyboard(self):
        page = self.page
        self.drop("kinds.csv", "\n".join(RED_ROWS).encode())
        before = page.get_by_role("img", name="kinds as it will arrive").get_attribute("src")
        page.get_by_role("button", name=re.compile("^Colours at first: ")).focus()
        page.keyboard.press("Space")
        page.get_by_role("option", name="One each for kind (3)").wait_for()
        page.keyboard.type("One")
        page.keyboard.press("Enter")
        page.wait_for_function(
            "b => document.querySelector('img[alt=\"kinds as it will arrive\"]')?.src !== b", arg=before
        )
        made = self.brought("kinds")
        steps = made["look"]["lanes"]["base_colour"]["layers"][0]["paint"]
        self.assertEqual(([s["step"] for s in steps], len(steps[1]["swatches"])), (["attribute", "palette"], 3))

    def test_what_is_lost_is_told_beside_the_format(self):
        page = self.page
        self.drop("gaps.csv", "\n".join(RED_ROWS).encode())
        self.brought("gaps")
        page.keyboard.press("Alt+3")
        page.get_by_text("The texts of kind go out as numbers; a comment in the file lists them.").first.wait_for()
        page.get_by_text("What is missing in heat becomes 0.").first.wait_for()

    def test_meshes_of_ones_own_are_drawn_and_go_home(self):
        page = self.page
        self.drop("grove.glb", of_two_meshes())
        made = self.brought("crown")
        self.assertEqual(made["shape"], "own")
        self.settle()
        page.keyboard.press("Alt+3")
        with page.expect_download() as waiting:
            self.button("Download GLB").click()
        back = read_points(Path(waiting.value.path()).read_bytes(), "a.glb")
        (mesh,) = back.models.meshes
        self.assertEqual((mesh.materials, len(mesh.faces)), ((("tissue", 80),), 80))


class Scenes(PlaceCase):
    def test_a_population_twice_with_its_look_and_without(self):
        page = self.page
        page.keyboard.press("Alt+1")
        more = page.get_by_role("button", name="More for Ball", exact=True)
        for label, name in (("Duplicate", "Ball 2"), ("Duplicate without its look", "Ball 3")):
            more.click()
            self.after(page.get_by_role("menuitem", name=label, exact=True).click)
            made = next(p for p in self.stored()["populations"] if p["name"] == name)
            same = made["look"] == self.stored()["populations"][0]["look"]
            self.assertEqual((same, made["maker"]), ("without" not in label, self.stored()["populations"][0]["maker"]))
        self.assertEqual(len({p["id"] for p in self.stored()["populations"]}), 3)
        more.click()
        page.get_by_role("menuitem", name="Remove", exact=True).click()
        self.page.get_by_role("button", name="More for Ball", exact=True).wait_for(state="detached")
        self.assertEqual([p["name"] for p in self.stored()["populations"]], ["Ball 2", "Ball 3"])

    def test_the_scenes_document_is_what_the_command_line_takes(self):
        page = self.page
        wanted = self.colours()
        page.get_by_role("button", name="Scene: Places").click()
        with page.expect_download() as waiting:
            self.button("Save the scene’s document").click()
        self.assertEqual(waiting.value.suggested_filename, "places.scene.json")
        file = Path(waiting.value.path())
        parse(Scene, json.loads(file.read_text()))
        out = self.folder / "headless.ply"
        command = ["-m", "gaudyseed.cli", "colour", "--scene", str(file), "--population", "Ball", "--out", str(out)]
        subprocess.run([sys.executable, *command], check=True, capture_output=True)
        found = read_points(out.read_bytes(), "a.ply").elements.attribute("base_colour").readable
        np.testing.assert_array_equal(found, wanted)


class Lines(PlaceCase):
    """While the line of a falloff is drawn, the elements show its weight in greys."""

    @drawn
    def test_greys_while_it_is_drawn_and_colours_after(self):
        page = self.page
        page.get_by_role("button", name="Add a layer").first.click()
        self.settle()
        self.add("Falloff")
        before = self.pixels(page.get_by_role("application"))[80:-80, 20:-20]
        self.button("Draw a line").click()
        x, y = self.middle()
        page.mouse.move(x - 70, y)
        page.mouse.down()
        page.mouse.move(x + 70, y, steps=4)
        page.get_by_role("figure", name=re.compile("^Scale from")).wait_for()
        held = self.pixels(page.get_by_role("application"))[80:-80, 20:-20].astype(int)
        grey = np.ptp(held, axis=2)
        self.assertGreater((np.ptp(before, axis=2) > 40).sum(), 3000)
        self.assertLess((grey > 40).sum(), 500)
        # Light where it begins, dark where it ends.
        height, width = held.shape[:2]
        band = held[height // 2 - 40 : height // 2 + 40, :, 1]
        self.assertGreater(
            np.ptp(
                [band[:, width // 2 - 60 : width // 2 - 40].mean(), band[:, width // 2 + 40 : width // 2 + 60].mean()]
            ),
            30,
        )
        self.after(page.mouse.up)
        page.get_by_role("figure", name=re.compile("^Scale from")).wait_for(state="detached")
        line = self.stored()["populations"][0]["look"]["lanes"]["base_colour"]["layers"][1]["paint"][0]
        self.assertEqual(line["shape"], "line")

    def test_escape_leaves_what_was(self):
        page = self.page
        page.get_by_role("button", name="Add a layer").first.click()
        self.settle()
        self.add("Falloff")
        before = self.stored()["populations"][0]["look"]
        self.button("Draw a line").click()
        x, y = self.middle()
        page.mouse.move(x - 70, y)
        page.mouse.down()
        page.mouse.move(x + 70, y, steps=4)
        page.wait_for_timeout(200)
        page.keyboard.press("Escape")
        page.mouse.up()
        page.get_by_role("figure", name=re.compile("^Scale from")).wait_for(state="detached")
        self.assertEqual(self.stored()["populations"][0]["look"], before)


class Columns(PlaceCase):
    def test_columns_of_ones_own_by_role(self):
        page = self.page
        for label, name, kind, role in (
            ("A number for all", "value", "number", ""), ("A colour for all", "tint", "colour", ""),
            ("A point", "point", "vector", "point"), ("A direction", "direction", "vector", "direction"),
        ):  # fmt: skip
            page.get_by_role("button", name="Columns of your own").click()
            page.get_by_role("menuitem", name=label, exact=True).click()
            page.get_by_label(re.compile(f"^Name of the painted column {name}$")).wait_for()
            made = self.stored()["populations"][0]["painted"][-1]
            self.assertEqual((made["name"], made["kind"], made["role"]), (name, kind, role))
        field = page.get_by_role("textbox", name="direction x", exact=True)
        field.fill("2")
        field.press("Enter")
        self.settle()
        self.assertEqual(self.stored()["populations"][0]["painted"][-1]["fill"], [2, 0, 1])


class LightThrough(SendCase):
    """Light that goes through a picture is multiplied; what does not go through is not."""

    MAKER = {"maker": "grid", "columns": 6, "rows": 4, "size": 0.5, "column_spacing": 0.6, "row_spacing": 0.6}
    PAINT = [{"step": "constant", "value": "#5a8a3c"}]

    def document(self) -> dict:
        scene = super().document()
        scene["view"]["shading"] = "finished"
        entry = scene["populations"][0]
        entry["shape"] = "card"
        entry["look"] |= {
            "finishes": [{"name": "tissue", "transmission": 1, "roughness": 0.6}],
            "picture": {"picture": "harbour", "grey": True},
        }
        return scene

    @drawn
    def test_more_light_comes_through(self):
        self.channel("Picture mix")
        dark = self.canvas().astype(float)
        self.typed("Transmitted", "1.7")
        self.assertEqual(self.look()["picture"]["through"], 1.7)
        light = self.canvas().astype(float)
        self.assertGreater((light - dark).max(), 15)
        self.assertGreater(light.mean(), dark.mean())


class Blended(SendCase):
    """Whole finishes mixed by one factor, between two that are chosen."""

    def document(self) -> dict:
        scene = super().document()
        names = ("wax", "foil", "felt")
        scene["populations"][0]["look"]["finishes"] = [{"name": n, "roughness": k / 2} for k, n in enumerate(names)]
        return scene

    def test_the_two_ends_of_a_blend(self):
        page = self.page
        self.channel("Finish")
        self.after(page.get_by_role("button", name="Add a layer").first.click)
        page.get_by_role("button", name=re.compile("^How the finish is chosen: ")).click()
        self.after(page.get_by_role("option", name="0 to 1 blends them in turn").click)
        page.get_by_role("button", name=re.compile("^Blend from: ")).click()
        self.after(page.get_by_role("option", name="felt", exact=True).click)
        self.assertEqual(self.look()["lanes"]["finish"]["among"], ["felt", "wax"])
        page.get_by_role("button", name=re.compile("^Blend to: ")).click()
        self.after(page.get_by_role("option", name="foil", exact=True).click)
        self.assertEqual(self.look()["lanes"]["finish"]["among"], ["felt", "foil"])
        made = read_points(self.downloaded("PLY, binary"), "a.ply").elements.attribute("roughness").readable
        self.assertTrue(made.min() >= 0.5 and made.max() <= 1)
        self.assertGreater(np.ptp(made), 0.3)
