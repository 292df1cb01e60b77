"""Several channels and several populations in the page: lanes, the eye, one alone, clicks, shared looks, dials."""

from __future__ import annotations

import copy
import re
from pathlib import Path

import numpy as np

from gaudyseed.core.formats import read_points
from tests.browser.driver import APPLICATION, BrowserCase, drawn


class Channels(BrowserCase):
    """A second channel, roughness, takes part in everything that the base colour has."""

    @drawn
    def test_by_mouse(self):
        page = self.page
        smooth = self.pixels(page.get_by_role("application"))
        chip = page.get_by_role("group", name="Channels").get_by_role("button", name=re.compile("^Roughness,"))
        # What is not in use has no place on the line: it is in the list, two actions away.
        self.assertEqual(chip.count(), 0)
        self.channel("Roughness")
        self.assertEqual(chip.get_attribute("aria-label"), "Roughness, no layers")
        self.assertIn("0 to 1", chip.get_attribute("title"))
        page.get_by_text("roughness is that of the finish").wait_for()
        self.after(lambda: page.get_by_role("button", name="Add a layer").first.click())
        self.assertEqual(chip.get_attribute("aria-label"), "Roughness, 1 layer, on")
        # Random roughness scatters the light otherwise; the colours themselves stay.
        rough = self.pixels(page.get_by_role("application"))
        self.assertGreater(np.abs(rough - smooth).max(), 20)
        self.after(lambda: page.get_by_role("switch", name="Roughness on").click())
        self.assertEqual(chip.get_attribute("aria-label"), "Roughness, 1 layer, off")
        self.redrawn(lambda: page.get_by_label("Frame all (0)").click())
        # Below the buttons, which fade as the mouse goes over them.
        np.testing.assert_array_equal(self.pixels(page.get_by_role("application"))[60:], smooth[60:])
        page.get_by_role("button", name=re.compile("^Base colour")).click()
        page.get_by_role("group", name="Stops").wait_for()

    def test_by_keyboard_and_home_in_files(self):
        page = self.page
        page.get_by_role("button", name="Channel", exact=True).focus()
        page.keyboard.press("Enter")
        page.get_by_role("combobox", name="Channel").wait_for()
        page.keyboard.type("rou")
        page.get_by_role("option").first.get_by_text("Roughness", exact=True).wait_for()
        page.keyboard.press("Enter")
        # The keyboard is at what is to be done next.
        first = page.get_by_role("button", name="Add its first layer")
        first.wait_for()
        page.wait_for_function("() => document.activeElement?.textContent === 'Add its first layer'")
        self.after(lambda: page.keyboard.press("Enter"))
        page.get_by_role("button", name=re.compile("^Random")).first.focus()
        page.get_by_label("Seed", exact=True).first.fill("11")
        self.after(lambda: page.keyboard.press("Enter"))
        for kind, button in (("ply", "Download PLY, binary"), ("csv", "Download CSV")):
            page.keyboard.press("Alt+3")
            with page.expect_download() as waiting:
                page.get_by_role("button", name=button).click()
            data = Path(waiting.value.path()).read_bytes()
            values = read_points(data, f"x.{kind}").elements.own["roughness"].values
            self.assertEqual(len(values), 12_000)
            self.assertTrue(0 <= values.min() < 0.01 < 0.99 < values.max() < 1)
        page.keyboard.press("Alt+2")
        self.after(lambda: page.keyboard.press("Control+z"))
        page.keyboard.press("Control+z")
        self.settle()
        page.get_by_role("button", name="Roughness, no layers").wait_for()


class Populations(BrowserCase):
    """Two populations: the demo's beetle, and a ball beside it in one flat colour."""

    def document(self) -> dict:
        scene = super().document()
        scene["view"]["shading"] = "flat"
        ball = copy.deepcopy(scene["populations"][0])
        paint = [{"step": "constant", "value": "#ff00ff"}]
        ball |= {
            "id": "ball", "name": "Balls", "shape": "ball",
            "maker": {"maker": "scatter", "surface": "ball", "count": 900, "size": 0.2},
            "look": {"lanes": {"base_colour": {"layers": [{"name": "Pink", "paint": paint}]}}},
        }  # fmt: skip
        scene["populations"].append(ball)
        return scene

    def pink(self) -> int:
        """Pixels of the second population."""
        return int((np.abs(self.pixels(self.page.get_by_role("application")) - [255, 0, 255]).max(axis=2) < 4).sum())

    def others(self) -> int:
        """Pixels of the first one's yellow."""
        return int((np.abs(self.pixels(self.page.get_by_role("application")) - [243, 177, 60]).max(axis=2) < 40).sum())

    @drawn
    def test_both_one_hidden_one_alone(self):
        page = self.page
        self.assertGreater(self.pink(), 1000)
        self.redrawn(lambda: page.get_by_role("button", name="Hide Balls").click())
        self.settle()
        self.assertEqual(self.pink(), 0)
        self.assertGreater(self.others(), 50)
        self.redrawn(lambda: page.get_by_role("button", name="Show Balls", exact=True).click())
        self.settle()
        self.assertGreater(self.pink(), 1000)
        self.redrawn(lambda: page.get_by_role("button", name="Show Balls alone").click())
        self.assertGreater(self.pink(), 1000)
        self.assertEqual(self.others(), 0)
        page.get_by_role("status").filter(has_text="Balls alone").wait_for()
        self.redrawn(lambda: page.get_by_role("button", name="Show all populations").first.click())
        self.assertGreater(self.others(), 50)

    @drawn
    def test_a_click_says_which_population_and_element(self):
        page = self.page
        canvas = page.get_by_role("application")
        picture = self.pixels(canvas)
        rows, columns = np.nonzero(np.abs(picture - [255, 0, 255]).max(axis=2) < 4)
        # One well inside the ball, which all its neighbours are a part of.
        k = np.argmin((rows - np.median(rows)) ** 2 + (columns - np.median(columns)) ** 2)
        canvas.click(position={"x": float(columns[k]), "y": float(rows[k])})
        page.get_by_role("region", name="Trace of element").wait_for()
        pressed = page.get_by_role("region", name="Populations").get_by_role("button", pressed=True)
        self.assertIn("Balls", pressed.first.inner_text())
        self.assertEqual(page.get_by_role("region", name="Trace of element").get_by_text("#ff00ff").count(), 2)

    @drawn
    def test_a_look_is_shared_edited_once_and_parted(self):
        page = self.page
        page.get_by_role("button", name="More for layers and looks").click()
        page.get_by_role("menuitem", name="Share this look with others").click()
        self.settle()
        page.get_by_text("worn by 1 population").wait_for()
        page.get_by_role("button", name=re.compile("^Balls")).click()
        page.get_by_role("button", name="Looks of the scene").click()
        self.after(lambda: page.get_by_role("menuitem", name="Wear Beetle sequins").click())
        page.get_by_text("worn by 2 populations").wait_for()
        self.assertEqual(self.pink(), 0)
        shares = "[...document.querySelectorAll('[data-shares]')].map((e) => e.dataset.shares)"
        before = page.evaluate(shares)
        page.get_by_role("button", name="Reseed").first.click()
        page.wait_for_function(f"b => {shares}.every((now, k) => now !== b[k])", arg=before)
        self.settle()
        page.get_by_role("button", name="Looks of the scene").click()
        page.get_by_role("menuitem", name="Make own").click()
        page.get_by_text("A look of its own").wait_for()
        one, other = page.evaluate(shares)
        page.get_by_role("button", name="Reseed").first.click()
        page.wait_for_function(f"b => {shares}[1] !== b", arg=other)
        self.settle()
        self.assertEqual(page.evaluate(shares)[0], one)

    @drawn
    def test_turning_a_dial_asks_for_all_that_follow_it(self):
        page = self.page
        page.get_by_role("button", name="Add an on and off dial").click()
        self.settle()
        page.keyboard.press("Alt+1")
        page.get_by_role("button", name=re.compile("^Balls")).click()
        page.get_by_role("button", name="Let Shown follow…").click()
        self.after(lambda: page.get_by_role("menuitem", name="switch", exact=True).click())
        self.assertGreater(self.pink(), 1000)
        page.keyboard.press("Alt+2")
        self.redrawn(lambda: page.get_by_role("switch", name="switch").click())
        self.assertEqual(self.pink(), 0)
        page.get_by_role("button", name="Show Balls", exact=True).wait_for()

    def test_a_drag_never_shows_an_older_state_after_a_newer_one(self):
        """A stop moved to the right at some 24 steps a second: the share of the band before it only grows."""
        page = self.page
        page.evaluate(
            """() => {
              window.seen = [];
              const look = () => {
                const now = parseInt(document.querySelector('[data-shares]').dataset.shares);
                if (now !== window.seen.at(-1)) window.seen.push(now);
                requestAnimationFrame(look);
              };
              requestAnimationFrame(look);
            }"""
        )
        answers: list[int] = []

        def heard(response):
            if response.url.endswith("/api/evaluations") and response.status == 200:
                sent = response.request.post_data_json
                answers.append(sent["sequence"])

        page.on("response", heard)
        stop = page.get_by_role("slider").nth(1)
        box = stop.bounding_box()
        page.mouse.move(box["x"] + 7, box["y"] + 10)
        page.mouse.down()
        for k in range(24):
            page.mouse.move(box["x"] + 7 + 2 * k, box["y"] + 10)
            page.wait_for_timeout(41)
        page.mouse.up()
        self.settle()
        wanted = float(stop.get_attribute("aria-valuenow"))
        self.assertEqual(answers, sorted(answers))
        self.assertGreater(len(answers), 5)
        seen = page.evaluate("window.seen")
        self.assertEqual(seen, sorted(seen))
        self.assertGreater(len(seen), 5)
        saved = self.asked(f"scenes/{self.scene}")["document"]
        paint = saved["populations"][0]["look"]["lanes"]["base_colour"]["layers"][0]["paint"]
        self.assertAlmostEqual(paint[1]["stops"][1]["at"], wanted, places=6)
        self.assertEqual(page.evaluate(f"{APPLICATION}.applied"), page.evaluate(f"{APPLICATION}.drawn"))


class Rows(BrowserCase):
    """Rows are known by what they are, not by where they stand."""

    def test_half_typed_text_stays_with_its_step(self):
        page = self.page
        self.add_step("Range")
        steps = page.get_by_role("group", name="Steps")
        page.get_by_role("button", name=re.compile("^Drift")).click()
        seed = steps.get_by_role("region", name=re.compile("Drift")).get_by_label("Seed", exact=True)
        seed.fill("4")
        marked = seed.evaluate("e => { e.dataset.mine = 'yes'; return e.value; }")
        slab = steps.get_by_role("region", name=re.compile("Drift"))
        number = re.search(r"Step (\d)", slab.get_attribute("aria-label"))
        page.get_by_role("button", name="More for Range").click()
        page.get_by_role("menuitem", name="Remove").click()
        self.rest()
        again = steps.get_by_role("region", name=re.compile("Drift")).get_by_label("Seed", exact=True)
        self.assertEqual((again.get_attribute("data-mine"), marked), ("yes", "4"))
        after = steps.get_by_role("region", name=re.compile("Drift")).get_attribute("aria-label")
        self.assertEqual(int(number[1]) - 1, int(re.search(r"Step (\d)", after)[1]))


class Formulas(BrowserCase):
    def test_names_are_completed_and_an_error_is_marked_at_its_character(self):
        page = self.page
        page.get_by_role("button", name=re.compile("^Random")).click()
        self.add_step("Formula")
        field = page.get_by_role("textbox", name="Formula")
        field.fill("")
        field.press_sequentially("part_a")
        option = page.get_by_role("option", name=re.compile("part_area"))
        option.wait_for()
        page.wait_for_timeout(120)  # keys that come as the list opens are not meant for it
        field.press("ArrowDown")
        field.press("Enter")
        self.assertEqual(field.inner_text().strip(), "part_area")
        field.press_sequentially(" / 4")
        self.after(lambda: field.press("Enter"))
        page.get_by_role("button", name=re.compile("^Formula part_area")).wait_for()
        field.press("End")
        field.press_sequentially(" + wear")
        field.press("Enter")
        page.locator(".cm-lintRange-error").wait_for()
        self.assertEqual(page.locator(".cm-lintRange-error").inner_text(), "wear")
