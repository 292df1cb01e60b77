"""Nothing that was edited is lost, and everything is told: saving, undoing, earlier states, scenes, notices."""

from __future__ import annotations

import re
import sqlite3

import numpy as np

from tests.browser.driver import APPLICATION, BrowserCase, drawn


class TrustCase(BrowserCase):
    def states(self, scene: str = "") -> list[dict]:
        return self.asked(f"scenes/{scene or self.scene}/states")["states"]

    def seed(self, page=None) -> str:
        return (page or self.page).get_by_label("Seed", exact=True).input_value()

    def type_seed(self, text: str, page=None) -> None:
        field = (page or self.page).get_by_label("Seed", exact=True)
        field.fill(text)
        field.press("Enter")

    def saving(self, page=None) -> str:
        return (page or self.page).get_by_label("Save state").get_attribute("data-saving")


class Saving(TrustCase):
    def test_an_edit_whose_answer_was_lost_is_saved_once(self):
        lost = []

        def lose(route) -> None:
            if route.request.method == "PUT" and not lost:
                route.fetch()
                lost.append(route.request.post_data_json["edit"])
                route.abort()
            else:
                route.fallback()

        self.page.route(f"**/api/scenes/{self.scene}", lose)
        before = len(self.states())
        self.after(lambda: self.type_seed("4321"))
        self.settle()
        self.assertEqual(len(lost), 1)
        self.assertEqual(self.page.get_by_role("alert").count(), 0)
        self.assertEqual(len(self.states()), before + 1)
        self.after(lambda: self.type_seed("4322"))
        self.assertEqual(len(self.states()), before + 2)

    def test_an_edit_in_a_window_that_is_behind_is_kept_and_saved_as_a_copy(self):
        other = self.opened()
        self.after(lambda: self.type_seed("111"))
        self.type_seed("222", other)
        card = other.get_by_role("alert").filter(has_text="has moved on")
        card.wait_for()
        self.assertIn("kept in this window", card.inner_text())
        self.type_seed("223", other)
        self.assertEqual(self.saving(other), "conflict")
        card.get_by_role("button", name="Save as a copy").click()
        other.get_by_label(re.compile("^Scene: Midnight Menagerie copy")).wait_for()
        self.settle(other)
        self.assertEqual(self.seed(other), "223")
        self.page.reload()
        self.settle()
        self.assertEqual(self.seed(), "111")

    def test_undo_in_a_window_that_is_behind_hides_nothing(self):
        self.after(lambda: self.type_seed("5"))
        other = self.opened()
        self.after(lambda: self.type_seed("6"))
        other.get_by_role("application").focus()
        other.keyboard.press("Control+z")
        card = other.get_by_role("alert").filter(has_text="has moved on")
        card.get_by_role("button", name="Reload without it").click()
        other.wait_for_function("document.querySelector('[aria-label=Seed]')?.value === '6'")
        self.assertEqual([s["label"] for s in self.states() if s["shown"]], ["Change the seed"])
        self.page.reload()
        self.settle()
        self.assertEqual(self.seed(), "6")

    def test_a_data_file_that_is_held_is_told_and_the_edit_waits(self):
        holder = sqlite3.connect(self.data, isolation_level=None)
        self.addCleanup(holder.close)
        holder.execute("begin immediate")
        self.type_seed("987")
        self.page.get_by_role("alert").filter(has_text="held by another program").wait_for()
        self.assertEqual(self.saving(), "offline")
        holder.execute("rollback")
        self.settle()
        self.assertEqual(self.page.get_by_role("alert").count(), 0)
        self.page.reload()
        self.settle()
        self.assertEqual(self.seed(), "987")


class Scenes(TrustCase):
    def open_menu(self) -> None:
        self.page.get_by_label(re.compile("^Scene: ")).click()

    def test_what_lies_on_another_branch_is_reached(self):
        for text in ("31", "32"):
            self.after(lambda text=text: self.type_seed(text))
        self.page.get_by_role("application").focus()
        self.after(lambda: self.page.keyboard.press("Control+z"))
        self.after(lambda: self.type_seed("33"))
        self.open_menu()
        self.page.get_by_role("button", name="Earlier states…").click()
        dialog = self.page.get_by_role("dialog", name="Earlier states")
        rows = dialog.get_by_role("listitem")
        rows.nth(3).wait_for()
        texts = [rows.nth(k).inner_text().replace("\n", " ") for k in range(rows.count())]
        self.assertEqual(["other branch" in t for t in texts], [False, True, False, False])
        self.assertIn("shown", texts[0])
        self.after(lambda: rows.nth(1).get_by_role("button").click())
        self.assertEqual(self.seed(), "32")
        # It is undone from there, and by keyboard the list is reached too.
        self.page.get_by_role("application").focus()
        self.after(lambda: self.page.keyboard.press("Control+z"))
        self.assertEqual(self.seed(), "31")
        self.command("Earlier states")
        rows.nth(3).wait_for()

    def test_duplicate_delete_and_put_back(self):
        page = self.page
        self.after(lambda: self.type_seed("77"))
        self.open_menu()
        page.get_by_role("button", name="Duplicate", exact=True).click()
        page.get_by_label(re.compile("^Scene: Midnight Menagerie copy")).wait_for()
        self.settle()
        self.assertEqual(self.seed(), "77")
        copy = page.url.split("/scene/")[1].split("/")[0]
        self.open_menu()
        page.get_by_role("button", name="Delete this scene").click()
        page.get_by_role("alert").filter(has_text="was deleted").wait_for()
        self.settle()
        self.assertNotIn(copy, page.url)
        self.assertNotIn(copy, [s["id"] for s in self.asked("scenes")["scenes"]])
        self.open_menu()
        page.get_by_role("list", name="Deleted scenes").get_by_role("button").last.click()
        page.get_by_label(re.compile("^Scene: Midnight Menagerie copy")).wait_for()
        self.settle()
        self.assertIn(copy, page.url)
        self.assertEqual(self.seed(), "77")


class Told(TrustCase):
    def test_undo_inside_a_text_field_is_the_fields_own(self):
        page = self.page
        page.get_by_role("button", name=re.compile("^Random")).click()
        self.add_step("Formula")
        before = len(self.states())
        field = page.get_by_role("textbox", name="Formula")
        field.press("End")
        field.press_sequentially(" + 1")
        text = field.inner_text()
        field.press("Control+z")
        self.assertNotEqual(field.inner_text(), text)
        self.rest()
        self.assertTrue(page.get_by_role("textbox", name="Formula").is_visible())
        self.assertTrue(self.states()[0]["shown"])
        self.assertEqual(len(self.states()), before)

    def test_a_ramp_edit_that_fails_says_so_and_all_stays_saved(self):
        refused = {
            "code": "bad_shares",
            "sentence": "There is no room for these shares.",
            "place": "shares",
            "fix": None,
        }
        self.page.route("**/api/step-edits", lambda r: r.fulfill(status=422, json=refused))
        self.page.get_by_role("button", name="Flip").click()
        card = self.page.get_by_role("alert").filter(has_text="no room for these shares")
        card.wait_for()
        self.assertEqual(self.saving(), "saved")
        card.get_by_label("Close").click()
        self.assertEqual(self.page.get_by_role("alert").count(), 0)

    @drawn
    def test_shift_is_coarser_in_the_view_as_in_fields(self):
        view = self.page.get_by_role("application")
        view.focus()
        pictures = [self.pixels(view)]
        for key in ("ArrowLeft", "ArrowRight", "Shift+ArrowLeft"):
            self.redrawn(lambda key=key: self.page.keyboard.press(key))
            pictures.append(self.pixels(view))
        plain, shifted = (np.abs(p - pictures[0]).mean() for p in (pictures[1], pictures[3]))
        self.assertGreater(shifted, 1.2 * plain)
        self.assertLess(np.abs(pictures[2] - pictures[0]).mean(), 0.2)

    @drawn
    def test_a_value_in_the_view_is_flat_with_a_scale(self):
        page, view = self.page, self.page.get_by_role("application")
        scene = self.document()
        chain = [{"step": "formula", "text": "where(index == 5, 1000, random(2))"}]
        entry = scene["populations"][0]
        entry["maker"]["count"] = 900
        entry["look"]["signals"] = [{"name": "spike", "chain": chain}]
        self.scene = self.asked("scenes", {"document": scene})["id"]
        page.close()
        self.page = page = self.opened()
        view = page.get_by_role("application")
        self.redrawn(
            lambda: page.get_by_role("list", name="Attributes").get_by_role("button", name=re.compile("^size")).click()
        )
        page.mouse.move(640, 790)
        legend = page.get_by_role("figure", name=re.compile("^Scale from 0.03"))
        legend.wait_for()
        self.assertNotIn("beyond", legend.inner_text())
        # Without light every element is one of the scale's greys, exactly: no channel differs from another.
        greys = self.pixels(view)
        self.assertEqual(np.ptp(greys[150:450], axis=2).max(), 0)
        page.get_by_label("Show the result").click()
        self.settle()
        legend.wait_for(state="detached")
        page.get_by_role("list", name="Signals").get_by_role("button", name=re.compile("^spike")).hover()
        legend = page.get_by_role("figure", name=re.compile("^Scale from"))
        legend.get_by_text("beyond these ends").wait_for()
        self.assertIn("0.9", legend.inner_text())


class Keys(TrustCase):
    def test_tabs_are_gone_over_by_arrow_keys_and_chosen_by_enter(self):
        page = self.page
        self.mask_by("Chance")
        page.get_by_role("tab", name="Paint").click()
        page.get_by_role("tab", name="Paint").focus()
        page.keyboard.press("ArrowRight")
        focused = "document.activeElement.textContent"
        self.assertEqual(page.evaluate(focused), "Mask")
        self.assertEqual(page.get_by_role("tab", name="Paint").get_attribute("aria-selected"), "true")
        page.keyboard.press("Enter")
        self.assertEqual(page.get_by_role("tab", name="Mask").get_attribute("aria-selected"), "true")

    def test_the_tables_cells_are_reached_by_arrow_keys(self):
        page = self.page
        page.keyboard.press("Alt+1")
        page.get_by_role("button", name="All elements").click()
        page.get_by_role("row", name=re.compile("#")).first.wait_for()
        grid = page.get_by_role("grid")
        grid.focus()
        read = """e => {
            const at = document.getElementById(e.getAttribute('aria-activedescendant'));
            return [at.getAttribute('role'), at.textContent, at.closest('[role=row]').getAttribute('aria-rowindex')];
        }"""
        self.assertEqual(grid.evaluate(read)[:2], ["columnheader", "id"])
        for key in ("ArrowRight", "ArrowDown", "ArrowDown", "ArrowRight"):
            page.keyboard.press(key)
        role, text, row = grid.evaluate(read)
        self.assertEqual((role, row), ("gridcell", "3"))
        self.assertRegex(text, r"^-?[\d.]+$")
        page.get_by_role("region", name="Trace of element").wait_for()
        page.keyboard.press("End")
        self.assertRegex(grid.evaluate(read)[1], r"^#[0-9a-f]{6}$")
        self.assertGreater(grid.evaluate("e => e.scrollLeft"), 0)
        for key in ("ArrowUp", "ArrowUp", "Enter"):
            page.keyboard.press(key)
        page.locator("[role=columnheader][aria-sort=ascending]").wait_for()
        self.assertEqual(grid.evaluate(read)[1], "result")
        page.keyboard.press("Control+End")
        page.wait_for_function("document.querySelector('[role=grid]').scrollTop > 100000")

    def test_dragging_and_moving_layers_is_announced(self):
        page = self.page
        self.after(lambda: page.get_by_label("Add a layer").click())
        said = page.get_by_role("log", name="Announcements")
        grips = page.get_by_role("list", name="Layers, top first").get_by_role("button", name=re.compile("^Move "))
        self.drag(grips.nth(1), grips.nth(0))
        self.settle()
        self.assertEqual(said.inner_text(), "Sequin bands is now layer 1 of 2, counted from the top.")
        page.get_by_role("button", name=re.compile("^Sequin bands")).focus()
        self.after(lambda: page.keyboard.press("Alt+ArrowDown"))
        self.assertEqual(said.inner_text(), "Sequin bands is now layer 2 of 2, counted from the top.")

    def test_an_interval_of_drift_by_mouse_and_by_keyboard(self):
        page = self.page
        page.get_by_role("button", name=re.compile("^Drift")).click()
        high, low = (page.get_by_role("slider", name=re.compile(f"^Hue {end}")) for end in ("to", "from"))
        box = high.bounding_box()
        page.mouse.move(box["x"] + 6, box["y"] + 10)
        page.mouse.down()
        page.mouse.move(box["x"] + 46, box["y"] + 10, steps=5)
        applied = page.evaluate(f"{APPLICATION}.applied")
        page.mouse.up()
        self.rest()
        self.settle()
        self.assertNotEqual(applied, "0")
        dragged = float(high.get_attribute("aria-valuenow"))
        self.assertGreater(dragged, 60)
        self.assertEqual(low.get_attribute("aria-valuenow"), "-9")
        low.focus()
        self.after(lambda: page.keyboard.press("Shift+ArrowLeft"))
        self.assertEqual(low.get_attribute("aria-valuenow"), "-19")
        self.after(lambda: page.keyboard.press("Home"))
        self.assertEqual(page.get_by_label("Hue from, degrees").input_value(), "-180")
        self.assertEqual([s["label"] for s in self.states()][:3], ["Change the hue of drift"] * 3)
