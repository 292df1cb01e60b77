"""Choosing, weighing, varying and layering colours in the interface."""

from __future__ import annotations

import colorsys
import csv
import io
import json
import re
from pathlib import Path

import numpy as np
from PIL import Image
from plyfile import PlyData, PlyElement
from tools.kite import kite

from tests.browser.driver import BrowserCase, drawn
from tests.support import FIVE, ROOT

SHARE = re.compile(r"([\d,]+) elements, ([\d.]+)%")


class ColourCase(BrowserCase):
    def add(self, title: str) -> None:
        """Add a step by its title from the menu."""
        self.add_step(title)

    def slab(self, title: str):
        return self.page.get_by_role("region", name=re.compile(f"^Step \\d+, {title}$"))

    def open(self, title: str) -> None:
        self.slab(title).get_by_role("button", name=re.compile(f"^{title}")).first.click()

    def menu(self, button: str, item: str) -> None:
        self.page.get_by_label(button, exact=True).click()
        self.after(lambda: self.page.get_by_role("menuitem", name=item, exact=True).click())

    def choose(self, label: str, option: str) -> None:
        self.page.get_by_label(re.compile(f"^{label}: ")).click()
        self.after(lambda: self.page.get_by_role("option", name=option, exact=True).click())

    def counts(self) -> list[int]:
        return [int(SHARE.search(name)[1].replace(",", "")) for name in self.shares()]

    def fill(self, label: str, text: str, scope=None) -> None:
        field = (scope or self.page).get_by_label(label, exact=True)
        field.fill(text)
        self.after(lambda: field.press("Enter"))

    def rows(self) -> list[dict[str, str]]:
        """The elements as the CSV file has them."""
        self.page.keyboard.press("Alt+3")
        with self.page.expect_download() as waiting:
            self.page.get_by_role("button", name="Download CSV").click()
        self.page.keyboard.press("Alt+2")
        return list(csv.DictReader(Path(waiting.value.path()).read_text().splitlines()))

    def colours(self) -> np.ndarray:
        return np.array([[int(r[c]) for c in ("red", "green", "blue")] for r in self.rows()])


class Ramps(ColourCase):
    def test_typed_shares_with_a_lock_and_then_spread(self):
        page = self.page
        page.get_by_role("slider").nth(4).focus()
        self.fill("share, %", "10")
        self.after(lambda: page.get_by_label("Lock the share").click())
        page.get_by_role("slider").nth(0).focus()
        self.fill("share, %", "30")
        self.assertEqual((self.counts()[0], self.counts()[4]), (3600, 1200))
        page.get_by_role("button", name=re.compile("^Random")).click()
        self.add("Spread")
        # It spreads by the bands of the ramp that follows, so it goes on holding when a share is typed anew.
        self.slab("Spread").get_by_text("neighbours in other bands of the ramp").wait_for()
        fewer = lambda: int(re.search(r"(\d+)% fewer", self.slab("Spread").inner_text())[1])  # noqa: E731
        self.assertGreater(fewer(), 60)
        self.assertEqual((self.counts()[0], self.counts()[4]), (3600, 1200))
        self.open("Ramp")
        page.get_by_role("slider").nth(0).focus()
        self.fill("share, %", "20")
        self.assertEqual((self.counts()[0], self.counts()[4]), (2400, 1200))
        self.assertGreater(fewer(), 80)
        self.open("Spread")
        self.choose("By", "Equal bands")
        self.slab("Spread").get_by_text("neighbours in other bands of 5").wait_for()

    def test_every_interpolation_and_space_is_at_hand(self):
        page = self.page
        self.choose("Between stops", "Soft")
        bar = page.get_by_title("Click to add a stop")
        seen = {self.pixels(bar).tobytes()}
        for space in ("OKLCH", "linear RGB", "display RGB", "HSV", "OKLab"):
            self.choose("Mix in", f"In {space}")
            seen.add(self.pixels(bar).tobytes())
        self.assertEqual(len(seen), 5)
        self.choose("Between stops", "Through")
        self.fill("Tension", "0.8")
        self.after(lambda: page.get_by_role("switch", name="Hold until the next").click())
        page.get_by_label("Duplicate stop 1").click()
        self.settle()
        self.assertEqual(page.get_by_role("slider").count(), 6)

    def test_a_ramp_goes_out_and_comes_in_as_text(self):
        page = self.page
        page.get_by_role("button", name="Text", exact=True).click()
        area = page.get_by_label("The ramp as text")
        self.assertEqual(re.findall("#[0-9a-f]{6}", area.input_value()), FIVE)
        area.fill("nothing to see")
        page.get_by_role("button", name="Use this text").click()
        page.get_by_role("alert").filter(has_text="No colours").wait_for()
        area.fill("tomato 0%; rgb(0,0,255) 50%\n#ffffff")
        self.after(lambda: page.get_by_role("button", name="Use this text").click())
        names = [s.get_attribute("aria-label") for s in page.get_by_role("slider").all()]
        self.assertEqual(names, ["Stop 1, #ff6347", "Stop 2, #0000ff", "Stop 3, #ffffff"])

    def test_a_ramp_is_kept_found_and_used(self):
        page = self.page
        page.get_by_role("button", name="Library").click()
        page.get_by_label("Name for this ramp").fill("Five for the beetle")
        page.get_by_role("button", name="Keep it").click()
        page.get_by_label("Use Five for the beetle").wait_for()
        page.get_by_label("Make Five for the beetle a favourite").click()
        page.get_by_label("Five for the beetle is a favourite").wait_for()
        listed = page.get_by_role("list", name="Kept ramps").get_by_role("listitem")
        self.assertIn("Five for the beetle", listed.first.inner_text())
        page.get_by_label("Find a ramp").fill("moss")
        self.after(lambda: page.get_by_label("Use Moss ladder").click())
        self.assertEqual(page.get_by_role("slider").count(), 4)


class Palettes(ColourCase):
    def test_from_a_dropped_picture_swapped_and_hue_shifted(self):
        page = self.page
        drawn = kite(300, 200)
        picture = self.folder / "kite.png"
        Image.fromarray(drawn).save(picture)
        page.evaluate(
            """([bytes]) => {
                const transfer = new DataTransfer();
                transfer.items.add(new File([new Uint8Array(bytes)], 'kite.png', {type: 'image/png'}));
                const options = {dataTransfer: transfer, bubbles: true, cancelable: true};
                for (const type of ['dragenter', 'dragover', 'drop'])
                    window.dispatchEvent(new DragEvent(type, options));
            }""",
            [list(picture.read_bytes())],
        )
        dialog = page.get_by_role("dialog")
        dialog.get_by_text("8 found").wait_for()
        dialog.get_by_label("Colours", exact=True).fill("6")
        dialog.get_by_label("Colours", exact=True).press("Enter")
        dialog.get_by_text("6 found").wait_for()
        shown = dialog.get_by_role("application", name=re.compile("^The picture"))
        shown.click(position={"x": 30, "y": 20})
        dialog.get_by_text("6 found, 1 taken").wait_for()
        # By keyboard: from the middle to a place, and Enter.
        shown.press("Shift+ArrowRight")
        shown.press("ArrowUp")
        shown.press("Enter")
        dialog.get_by_text("6 found, 2 taken").wait_for()
        last = dialog.get_by_label("Colours of the picture").get_by_role("listitem").last.get_attribute("aria-label")
        height, width = drawn.shape[:2]
        there = drawn[int(0.49 * height), int(0.6 * width)]
        taken = [int(last[k : k + 2], 16) for k in (1, 3, 5)]
        np.testing.assert_allclose(taken, there, atol=24)  # the picture is shown a little smaller
        self.after(lambda: dialog.get_by_role("button", name="Use as palette").click())
        self.assertEqual(len(self.counts()), 8)
        self.slab("Palette").get_by_text("kite, 8 swatches").wait_for()
        self.choose("Parts", "Parts by weight")
        self.assertGreater(max(self.counts()) - min(self.counts()), 1000)
        # Swapped in place: everything else of the set-up stays.
        page.get_by_role("button", name="Library").click()
        self.after(lambda: page.get_by_label("Use Sea glass").click())
        self.slab("Palette").get_by_text("Sea glass, 7 swatches").wait_for()
        page.get_by_label("Parts: Parts by weight").wait_for()
        self.menu("More for Drift", "Remove")
        plain = self.colours()
        self.add("Grade")
        self.open_fields("Colour")
        self.fill("Hue turn, degrees", "120")
        turned = self.colours()
        hue = [np.array([colorsys.rgb_to_hsv(*(c / 255))[0] for c in side[:300]]) for side in (plain, turned)]
        away = (hue[1] - hue[0]) % 1
        self.assertGreater(np.median(away), 0.2)
        self.assertLess(np.median(away), 0.45)
        self.after(lambda: page.get_by_label("Reset Hue turn").click())
        np.testing.assert_array_equal(self.colours(), plain)

    def test_pasted_codes_one_locked_the_rest_drawn_anew_kept_and_used_elsewhere(self):
        page = self.page
        page.get_by_role("button", name=re.compile("^Random")).click()
        self.add("Palette")
        self.fill("Paste colours", "#102a43 / #f0b429, e12d39; #3ebd93 white")
        option = page.get_by_role("listbox", name="Swatches").get_by_role("option")
        self.assertEqual(option.count(), 5)
        option.nth(1).click()
        self.after(lambda: page.get_by_label("Lock swatch 2").click())
        self.after(lambda: page.get_by_role("button", name="Draw anew").click())
        names = [o.get_attribute("aria-label") for o in option.all()]
        self.assertIn("#f0b429, locked", names[1])
        self.assertFalse(any("#102a43" in n or "#e12d39" in n for n in names))
        found = [re.search("#[0-9a-f]{6}", n)[0] for n in names]
        page.get_by_role("button", name="Library").click()
        page.get_by_label("Name for this palette").fill("Fair night")
        page.get_by_role("button", name="Keep it").click()
        page.get_by_label("Use Fair night").wait_for()
        page.keyboard.press("Escape")
        page.keyboard.press("Alt+1")
        self.make("Scatter")
        page.get_by_text("2,500 elements", exact=True).wait_for()
        self.settle()
        page.keyboard.press("Alt+2")
        page.get_by_role("button", name=re.compile("^Random")).click()
        self.add("Palette")
        page.get_by_role("button", name="Library").click()
        self.after(lambda: page.get_by_label("Use Fair night").click())
        self.assertEqual({"#{:02x}{:02x}{:02x}".format(*c) for c in self.colours()}, set(found))

    def test_swatches_are_ordered_moved_and_written(self):
        page = self.page
        page.get_by_role("button", name=re.compile("^Random")).click()
        self.add("Palette")
        option = page.get_by_role("listbox", name="Swatches").get_by_role("option")
        before = [o.get_attribute("aria-label").split(",")[1] for o in option.all()]
        option.nth(0).focus()
        self.after(lambda: page.keyboard.press("Alt+ArrowRight"))
        moved = [o.get_attribute("aria-label").split(",")[1] for o in option.all()]
        self.assertEqual(moved[:2], before[1::-1])
        self.after(lambda: self.drag(option.nth(0), option.nth(3)))
        dragged = [o.get_attribute("aria-label").split(",")[1] for o in option.all()]
        self.assertEqual(dragged[3], moved[0])
        page.get_by_role("button", name="Order").click()
        self.after(lambda: page.get_by_role("menuitem", name="By lightness", exact=True).click())
        page.get_by_role("button", name="Harmony").click()
        self.after(lambda: page.get_by_role("menuitem", name="Add its triad", exact=True).click())
        self.assertEqual(option.count(), 7)
        page.get_by_role("button", name="File", exact=True).click()
        with page.expect_download() as waiting:
            page.get_by_role("menuitem", name="Write design tokens (JSON)").click()
        tokens = json.loads(Path(waiting.value.path()).read_text())["Palette"]
        self.assertEqual(sum("$value" in v for v in tokens.values() if isinstance(v, dict)), 7)
        path = self.folder / "back.tokens.json"
        path.write_text(json.dumps({"two": {"$type": "color", "a": {"$value": "#000000"}, "b": {"$value": "#ffffff"}}}))
        self.after(lambda: page.get_by_label("Palette file").set_input_files(str(path)))
        self.assertEqual(option.count(), 2)


class DriftAndLayers(ColourCase):
    def test_an_edge_colour_masked_by_an_attribute_overlaid_on_the_bands(self):
        page = self.page
        self.after(lambda: page.get_by_label("Add a layer").click())
        page.get_by_role("button", name=re.compile("^Random")).click()
        self.add("Constant")
        page.get_by_label("Kind: Number").click()
        page.get_by_role("option", name="Colour", exact=True).click()
        page.get_by_role("alert").filter(has_text="'ramp' wants a number").wait_for()
        self.menu("More for Ramp", "Remove")
        page.get_by_label("More for layer Layer 2").click()
        page.get_by_role("menuitem", name="Rename").click()
        name = page.get_by_label("Name of the layer")
        name.fill("Edge")
        self.after(lambda: name.press("Enter"))
        self.choose("Blend", "Overlay")
        self.choose("Blend in", "in display encoding")
        self.mask_by("Chance")
        self.settle()
        self.add("Attribute")
        self.choose("Name", "size · number")
        self.add("Range")
        page.get_by_role("button", name=re.compile("^Edge overlay 100% · masked")).wait_for()
        sizes = np.array([float(r["size"]) for r in self.rows()])
        masked = self.colours() / 255
        self.after(lambda: page.get_by_label("Switch Edge off").click())
        plain = self.colours() / 255
        moved = np.abs(masked - plain).max(axis=1)
        order = np.argsort(sizes)
        self.assertLess(moved[order[:200]].mean(), 0.2 * moved[order[-200:]].mean())
        # The element with the largest size has the full blend: the standard's overlay on display values.
        top, edge = order[-1], np.array([0xC8, 0x55, 0x3D]) / 255
        wanted = np.where(plain[top] <= 0.5, 2 * plain[top] * edge, 1 - 2 * (1 - plain[top]) * (1 - edge))
        np.testing.assert_allclose(masked[top], wanted, atol=2.1 / 255)

    def test_a_soft_ramp_and_a_flat_one_as_two_layers_switched(self):
        page = self.page
        flat = self.colours()
        self.menu("More for layer Sequin bands", "Duplicate")
        self.open("Ramp")
        self.choose("Between stops", "Soft")
        page.get_by_text("is hidden by 'Sequin bands copy'").first.wait_for()
        soft = self.colours()
        self.assertGreater(np.abs(soft - flat).max(), 40)
        self.after(lambda: page.get_by_label("Switch Sequin bands copy off").click())
        np.testing.assert_array_equal(self.colours(), flat)
        self.after(lambda: page.get_by_label("Switch Sequin bands copy on").click())
        np.testing.assert_array_equal(self.colours(), soft)
        # By keyboard and by mouse the flat one comes to the top.
        page.get_by_role("button", name=re.compile("^Sequin bands normal")).focus()
        self.after(lambda: page.keyboard.press("Alt+ArrowUp"))
        np.testing.assert_array_equal(self.colours(), flat)
        grips = page.get_by_role("list", name="Layers, top first").get_by_role("button", name=re.compile("^Move "))
        self.after(lambda: self.drag(grips.nth(0), grips.nth(1)))
        np.testing.assert_array_equal(self.colours(), soft)

    def test_the_look_copied_to_imported_points(self):
        page = self.page
        rng = np.random.default_rng(5)
        rows = np.empty(500, [("x", "f4"), ("y", "f4"), ("z", "f4"), ("id", "i4")])
        for axis in "xyz":
            rows[axis] = rng.normal(size=500)
        rows["id"] = rng.permutation(500)
        path = self.folder / "pebbles.ply"
        PlyData([PlyElement.describe(rows, "vertex")]).write(str(path))
        page.get_by_label("More for layers and looks").click()
        page.get_by_role("menuitem", name="Copy the whole look").click()
        page.keyboard.press("Alt+1")
        page.get_by_label("File to import").set_input_files(str(path))
        page.get_by_role("button", name="Add to the scene").click()
        page.get_by_text("500 elements", exact=True).wait_for()
        self.settle()
        page.keyboard.press("Alt+2")
        self.menu("More for layers and looks", "Paste a whole look")
        page.get_by_role("button", name=re.compile("^Sequin bands normal")).wait_for()
        self.assertEqual((len(self.counts()), sum(self.counts())), (5, 500))
        page.get_by_label("More for layers and looks").click()
        page.get_by_role("menuitem", name="Looks in the library…").click()
        page.get_by_label("Name for this look").fill("Beetle")
        page.get_by_role("button", name="Keep it").click()
        page.get_by_label("Use Beetle", exact=True).locator("img").wait_for()

    @drawn
    def test_the_view_and_strip_as_others_see_them(self):
        page = self.page
        before, strip = self.pixels(page.get_by_role("application")), self.shares()
        self.redrawn(lambda: self.choose("Seen by", "Deuteranopia"))
        self.assertNotEqual(self.shares(), strip)
        self.assertGreater(np.abs(self.pixels(page.get_by_role("application")) - before).max(), 30)
        self.redrawn(lambda: self.choose("Seen by", "All viewers"))
        self.assertEqual(self.shares(), strip)

    def test_a_colour_is_taken_from_an_element_of_the_view(self):
        page = self.page
        self.menu("More for Drift", "Remove")
        page.get_by_role("slider").nth(0).focus()
        page.get_by_label(re.compile("^Stop 1: .* Open the picker")).click()
        page.get_by_role("button", name="Take from an element of the view").click()
        page.get_by_text("Click an element to take its colour").wait_for()
        view = page.get_by_role("application")
        box = view.bounding_box()
        for dx in range(0, 160, 8):
            if page.get_by_text("Click an element to take its colour").count() == 0:
                break
            view.click(position={"x": box["width"] / 2 - 80 + dx, "y": box["height"] / 2})
        self.settle()
        name = page.get_by_role("slider").nth(0).get_attribute("aria-label")
        self.assertIn(name.split(", ")[1], FIVE)


class Screens(ColourCase):
    """Every panel of colour work: accessible (axe-core), achromatic but for the artist's colours, nothing cut off."""

    def looked_at(self, name: str) -> None:
        page = self.page
        self.rest()
        # The guards around a popover are Headless UI's own: they take the focus only to hand it on.
        found = page.evaluate(
            "axe.run({exclude: [['[data-headlessui-focus-guard]']]}, {runOnly: ['wcag2a', 'wcag2aa']})"
            ".then(r => r.violations.map("
            "v => v.id + ': ' + v.nodes.slice(0, 3).map(n => n.html.slice(0, 140)).join(' | ')))"
        )
        self.assertEqual(found, [], name)
        cut = page.evaluate(
            "[...document.querySelectorAll('aside section, [role=dialog] > div')]"
            ".filter(e => e.scrollWidth > e.clientWidth + 1).map(e => e.getAttribute('aria-label') ?? e.className)"
        )
        self.assertEqual(cut, [], name)
        hidden = "canvas, img, [style*=background], [role=slider] path {visibility: hidden !important}"
        tag = page.add_style_tag(content=hidden)
        shot = np.asarray(Image.open(io.BytesIO(page.screenshot())).convert("RGB")).astype(int)
        tag.evaluate("e => e.remove()")
        self.assertEqual((shot.max(axis=2) - shot.min(axis=2)).max(), 0, name)

    def test_each_panel(self):
        page = self.page
        page.evaluate((ROOT / "frontend/node_modules/axe-core/axe.min.js").read_text())
        self.after(lambda: page.get_by_role("button", name="Add a signal").click())
        self.looked_at("a signal")
        self.after(lambda: page.get_by_label("Add a layer over signal").click())
        self.looked_at("a layer over it")
        page.get_by_label("Scene: Midnight Menagerie").click()
        page.get_by_role("button", name="New scene").wait_for()
        self.looked_at("scenes")
        page.keyboard.press("Escape")
        page.get_by_role("button", name=re.compile("^Sequin bands")).click()
        self.open("Drift")
        self.add_step("Component", wait=False)
        # A chain that ends with numbers is mended in one click.
        self.after(lambda: page.get_by_role("button", name="Put a ramp in").click())
        page.get_by_role("group", name="Part").wait_for()
        self.looked_at("parts of colours")
        self.open("Drift")
        page.get_by_label("Let Hue to follow…").click()
        self.after(lambda: page.get_by_role("menuitem", name="signal").click())
        page.get_by_label("Let Chance follow…").click()
        self.after(lambda: page.get_by_role("menuitem", name="A new dial").click())
        self.looked_at("drift that follows")
        self.add("Grade")
        self.open_fields("Colour")
        self.fill("Hue turn, degrees", "33")
        self.looked_at("grade")
        page.get_by_role("button", name=re.compile("^Random")).click()
        self.add("Palette")
        self.after(lambda: page.get_by_label("Lock swatch 1").click())
        self.looked_at("palette")
        page.get_by_role("button", name="Library").click()
        page.get_by_label("Use Parade").wait_for()
        self.looked_at("library")
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Picture…").click()
        self.looked_at("picture")
        page.keyboard.press("Escape")
        self.mask_by("Chance")
        self.settle()
        self.add("Mix")
        self.looked_at("mask")
        self.after(lambda: page.get_by_label("Add a layer").click())
        page.get_by_role("button", name="Text", exact=True).click()
        self.looked_at("the ramp as text")
