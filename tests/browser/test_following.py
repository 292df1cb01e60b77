"""Following, joining, holding and copying in the interface, and what is mended in one click."""

from __future__ import annotations

import re

from tests.browser.test_colour import ColourCase
from tests.support import FIVE, beetle_scene, ramp


def demo_with(*paint: dict, **look: object) -> dict:
    """The demo's scene with another chain."""
    scene = beetle_scene()
    document = scene["populations"][0]["look"]
    document["lanes"]["base_colour"]["layers"][0]["paint"] = list(paint)
    document.update(look)
    return scene


class Following(ColourCase):
    def test_a_stop_takes_its_colour_from_a_signal_and_its_place_from_a_dial(self):
        page = self.page
        self.after(lambda: page.get_by_role("button", name="Add a signal").click())
        self.add("Ramp")
        page.get_by_role("button", name=re.compile("^Sequin bands")).click()
        self.menu("More for Drift", "Remove")
        page.get_by_role("slider").nth(4).focus()
        page.get_by_label("Let Colour follow…").click()
        self.after(lambda: page.get_by_role("menuitem", name="signal").click())
        page.get_by_label("Colour follows signal").wait_for()
        colours = {tuple(c) for c in self.colours()}
        self.assertGreater(len(colours), 300, "the last band has many colours now")
        page.get_by_role("slider").nth(4).focus()
        page.get_by_label("Let from follow…").click()
        self.after(lambda: page.get_by_role("menuitem", name="A new dial").click())
        dial = page.get_by_role("region", name="Dials").get_by_label("from", exact=True)
        self.assertEqual(dial.input_value(), "0.91")
        dial.fill("0.8")
        self.after(lambda: dial.press("Enter"))
        self.assertAlmostEqual(self.counts()[4] / 12_000, 0.2, delta=0.02)
        page.get_by_label("Colour follows signal").click()
        self.after(lambda: page.get_by_role("menuitem", name="Fixed value").click())
        self.assertEqual(len({tuple(c) for c in self.colours()}), 5)

    def signal(self) -> None:
        """A signal of random values, and back to the layer."""
        self.after(lambda: self.page.get_by_role("button", name="Add a signal").click())
        self.page.get_by_role("button", name=re.compile("^Sequin bands")).click()

    def follow(self, title: str, source: str = "signal") -> None:
        self.page.get_by_label(f"Let {title} follow…", exact=True).click()
        self.after(lambda: self.page.get_by_role("menuitem", name=source).click())
        self.page.get_by_label(re.compile(f"^{re.escape(title)} follows ")).wait_for()

    def test_points_and_handles_of_a_curve_are_typed_and_follow(self):
        page = self.page
        self.signal()
        page.get_by_role("button", name=re.compile("^Random")).click()
        self.add("Curve")
        self.choose("Between points", "Bezier")
        self.after(lambda: page.get_by_label("Add a point in the widest gap").click())
        line = page.get_by_role("group", name="Curve", exact=True).locator("path").nth(1)
        drawn = line.get_attribute("d")
        self.fill("right y", "0.4")
        self.assertNotEqual(line.get_attribute("d"), drawn)
        self.follow("to")
        self.fill("to where signal is 1", "1")
        point = page.get_by_role("slider", name="Point 2")
        self.assertAlmostEqual(float(point.get_attribute("aria-valuenow")), 0.5, delta=0.02)
        many = len({row["base_colour_r"] for row in self.rows()})
        page.get_by_role("slider", name="Point 2").focus()
        self.follow("from", "A new dial")
        dial = page.get_by_role("region", name="Dials").get_by_label("from", exact=True)
        dial.fill("0.8")
        self.after(lambda: dial.press("Enter"))
        self.assertRegex(page.get_by_role("slider", name="Point 2").get_attribute("aria-valuetext"), "^0.8 to")
        self.assertGreater(many, 5)

    def test_a_swatch_and_the_columns_of_a_palette_follow(self):
        page = self.page
        self.after(lambda: page.get_by_role("button", name="Add a signal").click())
        self.add("Ramp")
        page.get_by_role("button", name=re.compile("^Sequin bands")).click()
        self.menu("More for Drift", "Remove")
        page.get_by_role("button", name=re.compile("^Random")).click()
        self.add("Palette")
        # The colours of the ramp whose place it took.
        self.assertEqual(len({tuple(c) for c in self.colours()}), 5)
        self.follow("Colour")
        self.assertGreater(len({tuple(c) for c in self.colours()}), 300)
        page.get_by_role("option", name=re.compile("^Swatch 1, #[0-9a-f]{6}, follows signal, ")).wait_for()
        self.fill("Columns", "2")
        page.get_by_label("Let Columns follow…").click()
        page.get_by_role("menuitem", name="A new dial").click()
        dial = page.get_by_role("region", name="Dials").get_by_label("columns", exact=True)
        dial.fill("3")
        dial.press("Enter")
        swatches = page.get_by_role("listbox", name="Swatches")
        page.wait_for_function(
            "e => getComputedStyle(e).gridTemplateColumns.split(' ').length === 3", arg=swatches.element_handle()
        )
        page.get_by_label("Colour follows signal").click()
        self.after(lambda: page.get_by_role("menuitem", name="Fixed value").click())
        self.assertEqual(len({tuple(c) for c in self.colours()}), 5)

    def test_a_channel_of_the_decision_list_follows(self):
        self.signal()
        self.menu("More for Drift", "Remove")
        self.add("Grade")
        few = {tuple(c) for c in self.colours()}
        self.open_fields("CDL")
        self.follow("CDL slope, red")
        found = self.colours()
        self.assertEqual(len(few), 5)
        self.assertEqual(len({tuple(c[1:]) for c in found}), 5, "green and blue stay")
        self.assertGreater(len({c[0] for c in found}), 100)

    def test_a_colour_dial_turns_every_parameter_that_follows_it(self):
        page = self.page
        self.after(lambda: page.get_by_role("button", name="Add a colour dial").click())
        self.menu("More for Drift", "Remove")
        for stop in (0, 3):
            page.get_by_role("slider").nth(stop).focus()
            page.get_by_label("Let Colour follow…").click()
            self.after(lambda: page.get_by_role("menuitem", name="colour", exact=True).click())
        page.get_by_role("region", name="Dials").get_by_role("button", name=re.compile("^colour: ")).click()
        self.fill("colour as hexadecimal", "#ff00ff")
        page.keyboard.press("Escape")
        found = [re.match("#[0-9a-f]{6}", name)[0] for name in self.shares()]
        self.assertEqual([k for k, colour in enumerate(found) if colour == "#ff00ff"], [0, 3])
        page.get_by_label("Remove the dial colour").click()
        page.get_by_role("alert").filter(has_text="No dial is called 'colour'").wait_for()


class Joining(ColourCase):
    def test_mix_blends_with_a_chain_that_is_opened(self):
        page = self.page
        self.menu("More for Drift", "Remove")
        page.get_by_role("button", name=re.compile("^Ramp")).click()
        self.add("Mix")
        slab = self.slab("Mix")
        slab.get_by_label(re.compile("^Blend: ")).click()
        self.after(lambda: page.get_by_role("option", name="Subtract").click())
        self.fill("Factor, %", "100")
        slab.get_by_role("button", name=re.compile("^The other chain")).click()
        self.fill("Constant colour as hexadecimal", "#ffffff")
        self.assertEqual(set(map(tuple, self.colours())), {(0, 0, 0)}, "white taken away leaves nothing")
        page.get_by_label("Back to the outer chain").click()
        self.slab("Mix").wait_for()

    def test_a_distribution_is_held_and_let_go(self):
        page = self.page
        page.get_by_role("button", name=re.compile("^Random")).click()
        self.add("Even out")
        self.after(lambda: page.get_by_role("button", name="Hold this distribution").click())
        self.slab("Even out").get_by_text("by a held distribution").wait_for()
        self.after(lambda: page.get_by_role("button", name="Held", exact=True).click())
        self.slab("Even out").get_by_text("by rank, whole range used").wait_for()

    def test_a_trace_tells_signals_and_layers_apart(self):
        page = self.page
        self.after(lambda: page.get_by_role("button", name="Add a signal").click())
        page.get_by_role("application").focus()
        page.keyboard.press("PageDown")
        card = page.get_by_role("region", name=re.compile("^Trace of element"))
        card.wait_for()
        headings = [line for line in card.inner_text().splitlines() if line in ("signal", "Sequin bands")]
        self.assertEqual(headings, ["signal", "Sequin bands"])


class Copying(ColourCase):
    def test_a_chain_and_a_layer_go_to_another_scene(self):
        page = self.page
        page.get_by_label("More for layer Sequin bands").click()
        page.get_by_role("menuitem", name="Copy the layer").click()
        page.get_by_label("More for the chain").click()
        page.get_by_role("menuitem", name="Copy the chain").click()
        other = demo_with({"step": "random", "seed": 5}, ramp([0], ["#777777"]))
        self.scene = self.asked("scenes", {"document": other})["id"]
        page.goto(f"{self.address}?scene={self.scene}{self.QUERY}")
        self.settle()
        self.assertEqual(len(self.counts()), 1)
        self.menu("More for the chain", "Paste a chain")
        self.assertEqual(len(self.counts()), 5)
        self.menu("More for layers and looks", "Paste a layer")
        self.assertEqual(page.get_by_role("list", name="Layers, top first").get_by_role("listitem").count(), 2)

    def test_a_chain_is_kept_and_used_for_a_mask(self):
        page = self.page
        self.mask_by("Chance")
        self.settle()
        self.add("Levels")
        page.get_by_label("More for the chain").click()
        page.get_by_role("menuitem", name="Chains in the library…").click()
        page.get_by_label("Name for this chain").fill("Soft edge")
        page.get_by_role("button", name="Keep it").click()
        page.get_by_label("Use Soft edge").wait_for()
        page.keyboard.press("Escape")
        self.after(lambda: page.get_by_label("Remove the mask").click())
        self.mask_by("Chance")
        self.settle()
        page.get_by_label("More for the chain").click()
        page.get_by_role("menuitem", name="Chains in the library…").click()
        self.after(lambda: page.get_by_label("Use Soft edge").click())
        self.slab("Levels").wait_for()


class Mending(ColourCase):
    def document(self) -> dict:
        """A name in another case, and two randoms of one seed."""
        own = {"step": "range", "own": True}
        return demo_with({"step": "attribute", "name": "Size"}, own, ramp([0, 0.5], FIVE[:2]))

    def settle(self, page=None) -> None:
        """The look cannot run at first, so only what is saved is waited for."""
        page = page or self.page
        page.wait_for_function("() => document.querySelector('[data-saving]')?.dataset.saving === 'saved'")

    def test_seeds_are_linked_on_purpose(self):
        page = self.page
        page.get_by_role("button", name="Read size instead").click()
        for _ in range(2):
            page.get_by_label("Add a layer").click()
            page.get_by_role("region", name="Step 1, Random").wait_for()
            page.get_by_label("Seed", exact=True).fill("77")
            page.get_by_label("Seed", exact=True).press("Enter")
            page.wait_for_timeout(300)
        told = page.get_by_text("has the seed 77 of another one").first
        told.wait_for()
        self.fix("They are linked on purpose")
        told.wait_for(state="detached")
        page.get_by_role("region", name="Step 1, Random").get_by_text("linked").first.wait_for()
