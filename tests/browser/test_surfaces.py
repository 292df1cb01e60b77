"""Meshes in the page: parts, normals, curvature, sequins on a beetle, subdivision, files, places."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import trimesh

from gaudyseed.core.formats import read_points
from tests.browser.driver import APPLICATION, BrowserCase, drawn
from tests.reference.test_mesh_files import of_trimesh
from tests.support import beetle_scene, look_document, ramp

NIGHT = ramp([0, 1], ["#102040", "#ffcc88"], interpolation="straight")
PER_PART = [{"step": "random", "per": "part", "seed": 3}, NIGHT]


class SurfaceCase(BrowserCase):
    """A scene of one mesh in flat colours."""

    SURFACE = "carp"
    SUBDIVISION = 0
    PAINT = PER_PART

    def document(self) -> dict:
        scene = beetle_scene()
        scene["view"]["shading"] = "flat"
        maker = {"maker": "mesh", "surface": self.SURFACE, "subdivision": self.SUBDIVISION}
        scene["populations"] = [{"id": "mesh", "name": "Mesh", "maker": maker, "look": look_document(*self.PAINT)}]
        return scene

    def add(self, title: str) -> None:
        self.add_step(title)

    def choose(self, label: str, option: str) -> None:
        """Take another one of a choice."""
        self.page.get_by_role("button", name=re.compile(f"^{label}: ")).first.click()
        self.page.get_by_role("option", name=re.compile(f"^{option}")).first.click()

    def exported(self, button: str) -> bytes:
        self.page.keyboard.press("Alt+3")
        with self.page.expect_download() as waiting:
            self.page.get_by_role("button", name=f"Download {button}", exact=True).click()
        data = Path(waiting.value.path()).read_bytes()
        self.page.keyboard.press("Alt+2")
        return data

    def colours(self) -> tuple[np.ndarray, object]:
        """The finished colours and the population, out of a file that the page gave."""
        made = read_points(self.exported("PLY, binary"), "a.ply")
        return made.elements.own["base_colour"].readable, made


class Carp(SurfaceCase):
    """One colour per tile from a palette, tiles that share a name alike, another palette, its hue turned."""

    def names(self) -> np.ndarray:
        from gaudyseed.core.geometry.cages import cage

        return np.array(cage("carp").parts)

    @drawn
    def test_a_part_is_picked_singled_out_and_found_in_the_table(self):
        page = self.page
        canvas = page.get_by_role("application")
        whole = self.pixels(canvas)
        self.redrawn(lambda: canvas.click(position={"x": 380, "y": 330}))
        card = page.get_by_role("region", name="Trace of element")
        card.get_by_text("Part", exact=True).wait_for()
        self.redrawn(lambda: card.get_by_role("button", name="Single out").click())
        shown = page.get_by_role("status").filter(has_text="singled out").inner_text()
        number = int(re.search(r"Part (\d+)", shown)[1])
        dimmed = self.pixels(canvas)
        self.assertGreater((np.abs(dimmed - whole).max(axis=2) > 8).sum(), 5000)
        page.keyboard.press("Alt+1")
        page.get_by_role("button", name="All elements").click()
        page.get_by_role("button", name=re.compile("^Rows: ")).click()
        page.get_by_role("option", name=re.compile("^Each part")).click()
        row = page.get_by_role("grid", name="Elements").get_by_role("row", selected=True)
        row.wait_for()
        self.assertEqual(row.get_by_role("gridcell").first.inner_text().strip(), str(number))
        self.assertIn("1,9", page.get_by_role("status").filter(has_text=" of ").first.inner_text())
        self.redrawn(lambda: page.get_by_role("button", name="Show all parts").click())
        self.settle()


class Mask(SurfaceCase):
    SURFACE = "mask"

    def test_its_normals_with_two_axes_swapped(self):
        page = self.page
        page.get_by_role("button", name=re.compile("^Random")).first.click()
        self.add_step("Attribute", wait=False)
        self.settle()
        self.choose("Name", "normal")
        # The chain cannot go on with a vector: the card offers what can.
        page.get_by_role("alert").wait_for()
        page.get_by_role("button", name=re.compile("^Ramp")).first.click()
        self.add_step("As colour")
        self.choose("Red", "Z")
        self.choose("Blue", "X")
        self.settle()
        colours, made = self.colours()
        normals = made.elements.attribute("normal").readable
        from gaudyseed.core.colour.spaces import decode_srgb

        wanted = decode_srgb(np.clip(normals[:, [2, 1, 0]] * 0.5 + 0.5, 0, 1))
        np.testing.assert_allclose(colours, wanted, atol=2e-3)


class Coarse(SurfaceCase):
    EXACT = True
    SURFACE = "mask"
    PAINT = [
        {"step": "attribute", "name": "position", "component": "z"}, {"step": "range", "own": True},
        ramp([0, 0.5], ["#102040", "#ffcc88"], interpolation="steps"),
    ]  # fmt: skip

    def blurred(self) -> int:
        """Pixels that are neither of the two colours nor the surround."""
        picture = self.pixels(self.page.get_by_role("application"))[70:-50]
        known = [(16, 32, 64), (255, 204, 136), (169, 169, 169)]
        apart = np.min([np.abs(picture - np.array(c)).max(axis=2) for c in known], axis=0)
        return int((apart > 12).sum())

    @drawn
    def test_it_is_told_and_subdivided_in_one_click(self):
        page = self.page
        page.get_by_text("too coarse").first.wait_for()
        # The view maps the last steps per pixel; it is the vertices' colours, as files have them, that are too coarse.
        self.assertEqual(self.blurred(), 0)
        self.fix("Subdivide it once more")
        page.get_by_text("21,526 vertices").first.wait_for()
        self.settle()
        self.assertEqual(self.blurred(), 0)
        self.after(lambda: page.keyboard.press("Control+z"))
        page.get_by_text("5,380 vertices").first.wait_for()


class Files(SurfaceCase):
    """A file of another library goes in, is coloured per part and comes out in four formats."""

    def test_a_file_with_several_things_and_a_bad_one(self):
        page = self.page
        scene = of_trimesh()
        scene.add_geometry(trimesh.creation.box((0.2, 0.2, 0.2)), geom_name="crate", node_name="crate 0")
        for k in range(1, 4):
            place = trimesh.transformations.translation_matrix([k, 0, 3])
            scene.graph.update(frame_to=f"crate {k}", matrix=place, geometry="crate")
        page.keyboard.press("Alt+1")
        upload = {"name": "many.glb", "mimeType": "model/gltf-binary", "buffer": scene.export(file_type="glb")}
        page.get_by_label("File to import").set_input_files(upload)
        dialog = page.get_by_role("dialog")
        boxes = dialog.get_by_role("checkbox")
        boxes.first.wait_for()
        self.assertEqual(boxes.count(), 2)
        boxes.first.uncheck()
        self.after(lambda: dialog.get_by_role("button", name="Add 1 to the scene").click())
        page.get_by_role("region", name="Populations").get_by_text("4 clones").wait_for()
        upload = {"name": "bad.obj", "mimeType": "text/plain", "buffer": b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n"}
        page.get_by_label("File to import").set_input_files(upload)
        said = page.get_by_role("dialog").get_by_role("alert")
        said.wait_for()
        self.assertIn("Line 4 names vertex 9", said.inner_text())


class Placing(SurfaceCase):
    SURFACE = "ball"
    SUBDIVISION = 1

    def test_by_handles_keys_and_typing(self):
        page = self.page
        page.keyboard.press("Alt+1")
        page.get_by_role("switch", name="Handles in the view").click()
        handle = page.get_by_role("button", name=re.compile("^Move on the ground"))
        handle.wait_for()
        before = handle.bounding_box()
        self.after(lambda: (handle.focus(), page.keyboard.press("Shift+ArrowRight")))
        field = page.get_by_label("Position x", exact=True)
        self.assertEqual(field.input_value(), "0.5")
        self.rest()
        self.assertGreater(abs(handle.bounding_box()["x"] - before["x"]), 10)
        at = handle.bounding_box()
        page.mouse.move(at["x"] + 14, at["y"] + 14)
        page.mouse.down()
        page.mouse.move(at["x"] + 60, at["y"] + 30, steps=5)
        page.mouse.up()
        self.settle()
        self.assertNotEqual(field.input_value(), "0.5")
        self.after(lambda: page.keyboard.press("Control+z"))
        page.wait_for_function("() => document.querySelector('[aria-label=\"Position x\"]').value === '0.5'")
        size = page.get_by_label("Size of the whole", exact=True)
        size.fill("2")
        self.after(lambda: page.keyboard.press("Enter"))
        made = read_points(self.exported("PLY, binary"), "a.ply")
        place = made.elements.own["position"].values
        np.testing.assert_allclose([place[:, 0].min(), place[:, 0].max()], [-1.5, 2.5], atol=0.02)

    def test_a_draft_with_its_costs(self):
        page = self.page
        page.keyboard.press("Alt+1")
        costs = page.get_by_label("Costs")
        costs.get_by_text("One level more").wait_for()
        self.assertIn("7,9", costs.inner_text())
        self.after(lambda: page.get_by_role("switch", name="Coarser").click())
        costs.get_by_text("Goes out").wait_for()
        self.assertIn("482 vertices", costs.inner_text())
        self.assertEqual(page.evaluate(f"{APPLICATION}.told"), "all")
        made = read_points(self.exported("PLY, binary"), "a.ply")
        self.assertGreater(made.count, 1900)
