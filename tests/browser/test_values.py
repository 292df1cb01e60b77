"""Reading and shaping values in the interface: signals, parameters that follow, steps that hold chains."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np

from tests.browser.driver import BrowserCase, drawn


class Values(BrowserCase):
    def add(self, title: str) -> None:
        """Add a step by its title from the menu."""
        self.add_step(title)

    def slab(self, title: str):
        return self.page.get_by_role("region", name=re.compile(f"^Step \\d+, {title}$"))

    def test_a_signal_named_once_read_twice_renamed_and_refused_in_a_circle(self):
        page = self.page
        self.after(lambda: page.get_by_role("button", name="Add a signal").click())
        name = page.get_by_label("Name of the signal")
        name.fill("wear")
        self.after(lambda: name.press("Enter"))
        page.get_by_text("Nothing reads the signal 'wear'").first.wait_for()
        # Read it in the paint and in the mask.
        page.get_by_role("button", name=re.compile("^Sequin bands")).click()
        page.get_by_role("button", name=re.compile("^Random")).click()
        self.add("Signal")
        self.mask_by("Chance")
        self.settle()
        self.add("Signal")
        self.assertEqual(page.get_by_text("Nothing reads").count(), 0)
        page.get_by_role("list", name="Signals").get_by_role("button", name="wear").click()
        name.fill("worn edge")
        self.after(lambda: name.press("Enter"))
        page.get_by_role("button", name=re.compile("^Sequin bands")).click()
        self.slab("Signal").get_by_text("worn edge").first.wait_for()
        page.get_by_role("tab", name="Mask").click()
        self.slab("Signal").get_by_text("worn edge").first.wait_for()
        # A second signal reads the first; the first may not read the second.
        self.after(lambda: page.get_by_role("button", name="Add a signal").click())
        self.add("Signal")
        page.get_by_role("list", name="Signals").get_by_role("button", name="worn edge").click()
        self.add_step("Signal", wait=False)
        circle = page.get_by_role("alert").filter(has_text="go round in a circle")
        circle.wait_for()
        self.assertIn("'worn edge' reads 'signal' reads 'worn edge'", circle.inner_text())
        self.after(lambda: page.get_by_label("Undo (Ctrl+Z)").click())
        circle.wait_for(state="detached")

    def test_numbers_take_layers(self):
        """A signal of numbers with two layers over it, one masked: the table shows what NumPy makes of them."""
        page = self.page
        self.after(lambda: page.get_by_role("button", name="Add a signal").click())
        self.after(lambda: page.get_by_label("Add a layer over signal").click())
        page.get_by_label(re.compile("^Blend: Multiply")).click()
        self.assertEqual(page.get_by_role("option", name="Luminosity").count(), 0, "numbers have no luminosity")
        self.after(lambda: page.get_by_role("option", name="Subtract").click())
        self.mask_by("Chance")
        layers = page.get_by_role("list", name="Layers over signal, top first")
        layers.get_by_text("subtract 100% · masked").wait_for()
        chains = self.chains()
        base, paint, mask = (chains[k] for k in ("chain", "paint", "mask"))
        wanted = base - paint * mask
        np.testing.assert_allclose(chains["signal"], wanted, atol=2e-5)
        self.assertLess(wanted.min(), 0)
        page.get_by_role("button", name="Its own chain").click()
        page.get_by_label("Add a layer over signal").click()
        layers.get_by_role("button", name=re.compile("^Layer 2")).wait_for()
        layers.get_by_role("button", name=re.compile("^Layer 2")).press("Alt+ArrowDown")
        layers.get_by_role("listitem").nth(1).get_by_text("Layer 2").wait_for()
        for layer in ("Layer 2", "Layer 1"):
            page.get_by_label(f"More for layer {layer}").click()
            page.get_by_role("menuitem", name="Remove").click()
        layers.wait_for(state="detached")
        page.get_by_label("Name of the signal").wait_for()
        self.settle()

    def chains(self) -> dict[str, np.ndarray]:
        """What the chains of the first signal give, each read by a signal of its own, for the first elements."""
        scene = self.asked(f"scenes/{self.scene}")["document"]
        look = scene["populations"][0]["look"]
        signal = look["signals"][0]
        layer = signal["layers"][0]
        parts = {"chain": signal["chain"], "paint": layer["paint"], "mask": layer["mask"]}
        look["signals"] += [{"name": name, "chain": chain} for name, chain in parts.items()]
        answer = self.asked("elements", {"scene": scene, "population": "beetle-sequins", "limit": 500})
        keys = [c["key"] for c in answer["columns"]]
        columns = np.array([[row[keys.index(n)] for n in ("signal", *parts)] for row in answer["rows"]])
        return dict(zip(("signal", *parts), columns.T, strict=True))

    @drawn
    def test_a_drift_range_that_follows_a_ramped_random_value(self):
        page = self.page
        self.after(lambda: page.get_by_role("button", name="Add a signal").click())
        self.add("Ramp")
        self.add("Component")
        part = page.get_by_role("group", name="Part").get_by_role("button", name="Luma", exact=True)
        self.after(lambda: part.click())
        page.get_by_role("button", name=re.compile("^Sequin bands")).click()
        page.get_by_role("button", name=re.compile("^Drift")).click()
        before = self.pixels(page.get_by_role("application"))
        page.get_by_label("Let Hue to follow…").click()
        self.after(lambda: page.get_by_role("menuitem", name="signal").click())
        page.get_by_label("Hue to follows signal").wait_for()
        high = page.get_by_label("Hue to where signal is 1, degrees")
        self.assertEqual(high.input_value(), "9")
        high.fill("120")
        self.redrawn(lambda: self.after(lambda: high.press("Enter")))
        self.assertGreater(np.abs(self.pixels(page.get_by_role("application")) - before).max(), 60)
        page.get_by_label("Hue to follows signal").click()
        self.after(lambda: page.get_by_role("menuitem", name="Fixed value").click())
        self.assertEqual(page.get_by_label("Hue to, degrees").input_value(), "120")

    def test_a_dial_is_made_at_the_field_and_turned(self):
        page = self.page
        page.get_by_role("button", name=re.compile("^Drift")).click()
        page.get_by_label("Let Chance follow…").click()
        self.after(lambda: page.get_by_role("menuitem", name="A new dial").click())
        dial = page.get_by_role("region", name="Dials").get_by_label("chance", exact=True)
        self.assertEqual(dial.input_value(), "1")
        dial.fill("0")
        self.after(lambda: dial.press("Enter"))
        page.get_by_text("chance of 0 %").first.wait_for()
        page.get_by_label("Chance follows chance").wait_for()
        name = page.get_by_label("Name of the dial chance")
        name.fill("night")
        name.press("Enter")
        page.get_by_label("Chance follows night").wait_for()
        self.settle()
        page.get_by_role("button", name="Add a number dial").click()
        other = page.get_by_label("Name of the dial dial")
        other.fill("night")
        other.press("Enter")
        page.get_by_role("alert").filter(has_text="There is a dial 'night' already").wait_for()
        other.press("Escape")
        self.assertEqual(other.input_value(), "dial")

    def test_parts_that_share_a_name_share_a_colour(self):
        rng = np.random.default_rng(2)
        names = [f"plate {k}" for k in range(6)]
        rows = [f"{x:.4f},{y:.4f},{z:.4f},{names[k % 6]}" for k, (x, y, z) in enumerate(rng.normal(size=(300, 3)))]
        path = Path(self.folder) / "plates.csv"
        path.write_text("x,y,z,part\n" + "\n".join(rows) + "\n")
        page = self.page
        page.keyboard.press("Alt+1")
        page.get_by_label("File to import").set_input_files(str(path))
        page.get_by_role("button", name="Add to the scene").click()
        page.get_by_text("300 elements", exact=True).wait_for()
        self.settle()
        page.keyboard.press("Alt+2")
        page.get_by_role("button", name=re.compile("^Random")).click()
        page.get_by_label("Per: element").click()
        self.after(lambda: page.get_by_role("option", name="part · text").click())
        page.keyboard.press("Alt+3")
        with page.expect_download() as waiting:
            page.get_by_role("button", name="Download CSV").click()
        lines = Path(waiting.value.path()).read_text().splitlines()
        head = lines[0].split(",")
        cells = [dict(zip(head, line.split(","), strict=True)) for line in lines[1:]]
        colours: dict[str, set] = {}
        for row in cells:
            colours.setdefault(row["part"], set()).add((row["red"], row["green"], row["blue"]))
        self.assertEqual(set(colours), set(names))
        self.assertEqual({len(c) for c in colours.values()}, {1})
        self.assertGreater(len({next(iter(c)) for c in colours.values()}), 3)

    def test_chains_to_choose_from_are_opened_and_edited(self):
        page = self.page
        self.after(
            lambda: page.get_by_label("More for Drift").click() or page.get_by_role("menuitem", name="Remove").click()
        )
        page.get_by_role("button", name=re.compile("^Random")).click()
        self.add_step("Choose", wait=False)
        page.get_by_role("alert").filter(has_text="'ramp' wants a number, but a colour comes").wait_for()
        self.slab("Ramp").get_by_label("More for Ramp").click()
        self.after(lambda: page.get_by_role("menuitem", name="Remove").click())
        counts = [int(n.split(" elements")[0].split(", ")[1].replace(",", "")) for n in self.shares()]
        self.assertEqual((len(counts), sum(counts)), (3, 12_000))
        self.slab("Choose").get_by_role("button", name=re.compile("^Chain 2")).click()
        field = page.get_by_label("Constant colour as hexadecimal")
        field.fill("#00ff00")
        self.after(lambda: field.press("Enter"))
        self.assertTrue(any("#00ff00" in name for name in self.shares()))
        page.get_by_label("Back to the outer chain").click()
        self.after(lambda: self.slab("Choose").get_by_role("button", name="Add a chain").click())
        self.assertEqual(self.slab("Choose").get_by_role("listitem").count(), 5)

    @drawn
    def test_any_value_is_seen_in_greys_or_false_colours(self):
        page, view = self.page, self.page.get_by_role("application")
        shown = self.pixels(view)
        self.redrawn(
            lambda: page.get_by_role("list", name="Attributes").get_by_role("button", name=re.compile("^size")).click()
        )
        page.mouse.move(640, 790)
        greys = self.pixels(view)
        self.assertEqual(np.ptp(greys, axis=2).max(), 0)
        page.get_by_label("Preview in false colours").click()
        size = page.get_by_role("list", name="Attributes").get_by_role("button", name=re.compile("^size"))
        self.redrawn(size.click)
        page.mouse.move(640, 790)
        scale = self.pixels(view)
        self.assertGreater(np.ptp(scale, axis=2).max(), 60)
        self.assertGreater(np.abs(scale - shown).mean(), 1, "false colours, not the result's")
        self.slab("Random").get_by_label("More for Random").click()
        self.redrawn(lambda: page.get_by_role("menuitem", name="Show this step in the view").click())
        self.slab("Random").get_by_label("More for Random").click()
        self.redrawn(lambda: page.get_by_role("menuitem", name="Show the result in the view").click())
        self.assertLess(np.abs(self.pixels(view) - shown).mean(), 1)
