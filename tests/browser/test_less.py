"""The work first, everything else one step away: what is in sight, and how far away the rest is."""

from __future__ import annotations

import re

import numpy as np

from gaudyseed.demo import demo_scene, horse_scene, lesson_scene, route_scene
from tests.browser.driver import BrowserCase
from tests.support import look_document, ramp

#: Within the window at 1280x800, above the strip of shares.
IN_SIGHT = """e => {
  const b = e.getBoundingClientRect();
  return b.top >= 44 && b.bottom <= innerHeight - 46 && b.height > 0;
}"""
PASTED = """text => {
  const clipboardData = new DataTransfer();
  clipboardData.setData('text', text);
  const paste = new ClipboardEvent('paste', { clipboardData, bubbles: true, cancelable: true });
  document.activeElement.dispatchEvent(paste);
}"""


class Lesson(BrowserCase):
    """The scene with three remarks on two layers."""

    def document(self) -> dict:
        return lesson_scene().model_dump(mode="json")

    def test_a_remark_is_one_line_left_as_it_is_and_brought_back(self):
        page = self.page
        page.get_by_title("3 remarks").wait_for()
        # Those of the layer that is shown stand on its slab, those of the other layer in one line.
        page.get_by_role("button", name=re.compile("^2 remarks ")).wait_for()
        page.get_by_role("button", name=re.compile("^1 remark elsewhere")).wait_for()
        self.open_remarks()
        told = page.get_by_text("hard to tell apart for all viewers")
        told.locator("xpath=..").get_by_role("button", name="Leave it").click()
        told.wait_for(state="detached")
        page.get_by_title("2 remarks").wait_for()
        self.settle()
        self.assertEqual(len(self.asked(f"scenes/{self.scene}")["document"]["populations"][0]["muted"]), 1)
        # Back in three actions, and gone again by undo.
        page.get_by_label("More for layers and looks").click()
        page.get_by_role("menuitem", name="Remarks left as they are (1)…").click()
        page.get_by_role("button", name="Bring it back").click()
        page.get_by_role("button", name="Close").click()
        page.get_by_title("3 remarks").wait_for()
        self.settle()
        page.keyboard.press("Control+z")
        page.get_by_title("2 remarks").wait_for()

    def test_each_is_mended_in_one_click(self):
        for label in ("Move their lightness", "Even out the values", "Remove it"):
            self.fix(label)
        self.page.get_by_title(re.compile("remark")).wait_for(state="detached")


class Sight(BrowserCase):
    def document(self) -> dict:
        return demo_scene().model_dump(mode="json")

    def seen(self, *names: str | re.Pattern) -> None:
        """Channels, layer, read step, ramp with stops and fields, and the first line of the next step are in sight."""
        page = self.page
        parts = [
            page.get_by_role("group", name="Channels"),
            page.get_by_role("list", name="Layers, top first"),
            page.locator('[data-step="0"]'),
            page.get_by_role("group", name="Stops"),
            page.get_by_role("textbox", name=re.compile("^Stop 1")).first,
            page.get_by_role("button", name="Library"),
        ]
        for part in parts:
            self.assertTrue(part.first.evaluate(IN_SIGHT), part)
        ramp_at = page.get_by_role("group", name="Stops").locator("xpath=ancestor::section").get_attribute("data-step")
        following = page.locator(f'[data-step="{int(ramp_at or 0) + 1}"] button').first
        last = following if following.count() else page.get_by_role("button", name="Add a step")
        self.assertTrue(last.evaluate(IN_SIGHT))

    def test_the_whole_ramp_is_in_sight_at_1280_by_800(self):
        self.seen()
        for make in (route_scene, horse_scene):
            self.scene = self.asked("scenes", {"document": make().model_dump(mode="json")})["id"]
            self.page.goto(f"{self.address}scene/{self.scene}/colour?view=light")
            self.settle()
            self.seen()

    def test_the_demo_has_no_remarks_and_one_line_of_channels(self):
        channels = self.page.get_by_role("group", name="Channels")
        box = channels.bounding_box()
        self.assertLess(box["height"] if box else 99, 30)
        self.assertEqual(self.page.get_by_title(re.compile("remark")).count(), 0)
        self.page.get_by_role("button", name=re.compile("^Painted fox mask")).first.click()
        channels.get_by_role("button", name=re.compile("^Base colour")).wait_for()
        # What does not fit on the line is counted on the button, and marked in the list.
        opener = channels.get_by_role("button", name="Channel", exact=True)
        opener.get_by_text("more").wait_for()
        opener.click()
        row = self.page.get_by_role("option").filter(has=self.page.get_by_text("Emission strength", exact=True))
        row.get_by_role("img", name=re.compile("Its distribution")).wait_for()


class Near(BrowserCase):
    def test_a_step_by_three_letters_and_what_cannot_be_had(self):
        page = self.page
        page.get_by_role("button", name="Add a step").click()
        page.get_by_role("group", name="Not here").get_by_text("Only strands have a way along them.").wait_for()
        most = page.get_by_role("group", name="Used most").get_by_role("option")
        self.assertEqual(most.count(), 6)
        page.keyboard.type("gra")
        page.get_by_role("option").first.get_by_text("Grade", exact=True).wait_for()
        self.after(lambda: page.keyboard.press("Enter"))
        # The keyboard is on what was made.
        page.wait_for_function("() => document.activeElement?.closest('[data-step]')?.ariaLabel?.endsWith('Grade')")
        for group in ("Light", "Colour", "CDL"):
            page.locator("[data-step]").get_by_role("button", name=group, exact=True).wait_for()

    def test_the_regions_are_gone_through_by_f6(self):
        page = self.page
        where = "() => ['aside', 'canvas', 'footer'].find(s => document.activeElement.closest(s))"
        found = []
        for _ in range(4):
            page.keyboard.press("F6")
            found.append(page.evaluate(where))
        self.assertEqual(found, ["aside", "canvas", "aside", "footer"])
        page.keyboard.press("Shift+F6")
        self.assertEqual(page.evaluate(where), "aside")

    def test_a_channel_by_its_name_and_the_keyboard_goes_there(self):
        page = self.page
        page.keyboard.press("Control+k")
        page.keyboard.type("roughness")
        page.keyboard.press("Enter")
        page.wait_for_function("() => document.activeElement?.matches('[data-first-layer]')")
        self.after(lambda: page.keyboard.press("Enter"))
        lanes = self.asked(f"scenes/{self.scene}")["document"]["populations"][0]["look"]["lanes"]
        self.assertIn("roughness", lanes)

    def test_what_an_edit_costs_is_there_for_those_who_look(self):
        page = self.page
        self.assertEqual(page.get_by_text("steps anew").count(), 0)
        self.command("edit costs")
        page.get_by_role("dialog").get_by_text("Steps worked out anew").first.wait_for()

    def test_a_population_is_renamed_where_it_stands_and_stays_chosen(self):
        page = self.page
        page.get_by_role("button", name=re.compile("^Beetle sequins")).first.press("F2")
        page.get_by_label("Name of the population").fill("Night sequins")
        page.keyboard.press("Enter")
        page.get_by_role("button", name=re.compile("^Night sequins")).first.wait_for()

    def test_masks_have_ready_beginnings(self):
        self.mask_by("Falloff and noise")
        page = self.page
        self.assertEqual(page.locator("section[data-step]").count(), 2)
        page.get_by_role("region", name="Step 2, Mix").get_by_text("Multiply").first.wait_for()


class Address(BrowserCase):
    def test_it_names_scene_and_room_and_goes_back_and_forward(self):
        page = self.page
        self.assertTrue(page.url.partition("?")[0].endswith(f"/scene/{self.scene}/colour"))
        self.assertEqual(page.title(), "Midnight Menagerie · Gaudy Seed")
        page.keyboard.press("Alt+3")
        page.wait_for_url("**/publish?*")
        page.go_back()
        page.get_by_role("button", name="Colour", exact=True).and_(page.locator("[aria-current=page]")).wait_for()
        page.go_forward()
        page.get_by_role("button", name="Publish", exact=True).and_(page.locator("[aria-current=page]")).wait_for()
        page.reload()
        page.get_by_role("button", name="Download PLY, binary").wait_for()


class Shares(BrowserCase):
    def document(self) -> dict:
        scene = super().document()
        bands = ramp([0, 0.25, 0.5, 0.75], ["#131f4d", "#22a98a", "#f3b13c", "#ef5236"])
        scene["populations"][0]["look"] = look_document({"step": "random", "seed": 2}, bands)
        return scene

    def test_what_was_typed_in_this_sitting_stays(self):
        page = self.page
        page.get_by_role("button", name="Set shares…").click()
        for k, share in enumerate((10, 20, 30, 40)):
            field = page.get_by_label(f"Share of colour {k + 1}, %")
            field.fill(str(share))
            if k < 3:
                self.after(lambda field=field: field.press("Enter"))
            else:
                field.press("Enter")
        self.settle()
        shown = [float(page.get_by_label(f"Share of colour {k}, %").input_value()) for k in (1, 2, 3, 4)]
        np.testing.assert_allclose(shown, [10, 20, 30, 40], atol=0.02)
        page.get_by_label("Share of colour 1, %").focus()
        self.after(lambda: page.evaluate(PASTED, "40 30 20 10"))
        shown = [float(page.get_by_label(f"Share of colour {k}, %").input_value()) for k in (1, 2, 3, 4)]
        np.testing.assert_allclose(shown, [40, 30, 20, 10], atol=0.02)

    def test_from_straight_to_steps_the_shares_stay(self):
        page = self.page
        for title in ("Straight", "Steps"):
            page.get_by_role("button", name=re.compile("^Between stops: ")).click()
            self.after(page.get_by_role("option", name=title, exact=True).click)
        after = self.shares()
        self.assertEqual(len(after), 4)
        self.assertNotIn("0 elements", after[-1])
        # Stops of a band go to its middle, the outermost to the ends; bands reach half-way from stop to stop.
        shares = [float(re.search(r"([\d.]+)\s?%", s)[1]) for s in after]  # type: ignore[index]
        np.testing.assert_allclose(shares, [18.75, 31.25, 31.25, 18.75], atol=1.5)

    def test_a_palette_takes_the_ramps_colours_and_shares_and_gives_them_back(self):
        page = self.page
        page.get_by_role("button", name=re.compile("^Random")).first.click()
        self.add_step("Palette")
        shares = self.shares()
        self.assertIn("#131f4d", shares[0].lower())
        np.testing.assert_allclose([float(re.search(r"([\d.]+)\s?%", s)[1]) for s in shares], 25, atol=1.5)  # type: ignore[index]
        page.get_by_role("button", name="Set shares…").click()
        field = page.get_by_label("Share of colour 4, %")
        field.fill("70")
        self.after(lambda: field.press("Enter"))
        self.assertEqual(field.input_value(), "70")
        page.get_by_role("button", name="Done").click()
        fourth = page.get_by_role("button", name=re.compile(r"^#ef5236, .* 70\.0\s?%"))
        fourth.wait_for()
        page.get_by_role("button", name=re.compile("^Random")).first.click()
        self.add_step("Ramp")
        fourth.wait_for()
        page.get_by_role("group", name="Stops").wait_for()


class Numbers(BrowserCase):
    def test_whole_numbers_in_groups_of_three_and_what_was_held(self):
        page = self.page
        page.keyboard.press("Alt+1")
        count = page.get_by_label("Count", exact=True)
        for typed in ("5,000", "6.000", "7 000"):
            count.fill(typed)
            self.after(lambda: count.press("Enter"))
            wanted = int(re.sub(r"\D", "", typed))
            self.assertEqual(count.input_value(), str(wanted))
        count.fill("9,000,000")
        count.press("Enter")
        page.get_by_text("1,000,000 is the most here.").wait_for()
        page.keyboard.press("Control+z")
        self.settle()
        count.fill("many")
        count.press("Enter")
        page.get_by_text("many is no number.").wait_for()


class Away(BrowserCase):
    def test_undo_works_on_what_waits(self):
        page = self.page
        before = page.get_by_label("Seed", exact=True).input_value()
        page.route("**/api/scenes/**", lambda route: route.abort())
        for seed in ("71", "72"):
            page.get_by_label("Seed", exact=True).fill(seed)
            page.get_by_label("Seed", exact=True).press("Enter")
        page.wait_for_function("() => document.querySelector('[data-saving]').dataset.saving === 'offline'")
        page.get_by_role("application").focus()
        for wanted in ("71", before):
            page.keyboard.press("Control+z")
            page.wait_for_function(f"() => document.querySelector('[data-step] input').value === '{wanted}'")
        page.get_by_text("The server cannot be reached; it is saved once that is back.").wait_for()
        page.unroute("**/api/scenes/**")
        self.settle()
        look = self.asked(f"scenes/{self.scene}")["document"]["populations"][0]["look"]
        self.assertEqual(str(look["lanes"]["base_colour"]["layers"][0]["paint"][0]["seed"]), before)


class Empty(BrowserCase):
    def test_from_an_empty_scene_to_a_file_by_the_keyboard_alone(self):
        page = self.page
        page.keyboard.press("Control+k")
        page.keyboard.type("New scene")
        with page.expect_navigation():
            page.keyboard.press("Enter")
        page.get_by_text("An empty scene").wait_for()
        self.assertTrue(page.url.partition("?")[0].endswith("/gather"))
        for example in ("Bring a file…", "Make something…", "Parade route", "Finale"):
            page.get_by_role("button", name=example).wait_for()
        # The keyboard stands at the first of them already.
        page.wait_for_function("() => document.activeElement?.textContent.includes('Bring a file')")
        page.keyboard.press("Tab")
        page.keyboard.press("Enter")
        page.get_by_role("dialog").get_by_text("Make something").wait_for()
        page.wait_for_function("() => document.activeElement?.closest('[role=dialog] li')")
        page.keyboard.press("Enter")
        page.get_by_role("textbox", name="Name", exact=True).wait_for()
        page.wait_for_function("() => document.activeElement?.closest('[aria-label=Population]')")
        self.settle()
        page.keyboard.press("Alt+2")
        page.wait_for_function("() => document.activeElement?.closest('aside[data-room=colour]')")
        page.keyboard.press("Alt+3")
        download = page.get_by_role("button", name="Download PLY, binary")
        download.focus()
        with page.expect_download() as waiting:
            page.keyboard.press("Enter")
        self.assertIn("ply", waiting.value.suggested_filename)

    def test_a_scene_that_is_deleted_can_be_put_back_at_once(self):
        page = self.page
        page.keyboard.press("Control+k")
        page.keyboard.type("Delete the scene")
        with page.expect_navigation():
            page.keyboard.press("Enter")
        page.get_by_text("was deleted.").wait_for()
        with page.expect_navigation():
            page.get_by_role("alert").get_by_role("button", name="Undo").click()
        page.wait_for_url(f"**/scene/{self.scene}**")
        self.settle()


class Gone(BrowserCase):
    def document(self) -> dict:
        scene = super().document()
        look = look_document({"step": "signal", "name": "wear"}, ramp([0, 0.5], ["#131f4d", "#ef5236"]))
        look["signals"] = [{"name": "wear", "chain": [{"step": "random", "seed": 4}]}]
        scene["populations"][0]["look"] = look
        return scene

    def test_readers_are_named_and_get_its_chain(self):
        page = self.page
        before = self.shares()
        page.get_by_role("list", name="Signals").get_by_role("button").first.click()
        page.get_by_label("Remove the signal wear").click()
        page.get_by_role("dialog").get_by_text("Base colour of Beetle sequins reads it.").wait_for()
        page.get_by_role("button", name="Put its chain in their place").click()
        page.get_by_role("region", name="Step 1, Random").wait_for()
        self.settle()
        self.assertEqual(self.shares(), before)


class Lightly(BrowserCase):
    """Drawn lightly, all populations: other colours put to a picture of elements are what is drawn anew."""

    QUERY = "&x=lightly"

    def document(self) -> dict:
        return demo_scene().model_dump(mode="json")

    def test_without_a_graphics_card_it_is_chosen_by_itself_and_edits_are_exact(self):
        page = self.page
        page.get_by_text("Drawn lightly: no graphics card here").wait_for()
        view = page.get_by_role("application")
        stop = page.get_by_role("slider", name=re.compile("^Stop 2")).first
        plain = self.pixels(view)[60:-60]
        for _ in range(2):
            self.after(lambda: stop.press("ArrowRight"))
        edited = self.pixels(view)[60:-60]
        self.assertGreater((np.abs(edited - plain).max(axis=2) > 20).mean(), 0.001)
        # With another chosen, whose colours run over faces, every element is drawn.
        page.evaluate(f"localStorage.setItem('gaudyseed-chosen-{self.scene}', 'mosaic-carp')")
        page.reload()
        self.settle()
        page.get_by_role("button", name="Mosaic carp", pressed=True).wait_for()
        self.redrawn(lambda: page.get_by_label("Frame all (0)").click())
        anew = self.pixels(view)[60:-60]
        self.assertLess((np.abs(anew - edited).max(axis=2) > 3).mean(), 0.0005)
