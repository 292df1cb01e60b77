"""Particles and trails in the page: made, coloured, kept, followed."""

from __future__ import annotations

import csv
import io
import re
from pathlib import Path

import numpy as np

from tests.browser.driver import BrowserCase
from tests.browser.test_colour import ColourCase
from tests.core.test_motion import BALL, UP_DOWN, sparks, trails
from tests.support import ROOT, look_document


class MotionCase(BrowserCase):
    def go_to(self, frame: int) -> None:
        """Go to a frame and wait for it."""
        field = self.page.get_by_label("Frame number", exact=True)
        field.fill(str(frame))
        self.after(lambda: field.press("Enter"))

    def count(self) -> int:
        """How many elements the chosen population has, as the view says."""
        said = self.page.get_by_role("status").filter(has_text=re.compile(r"^[\d,]+ (particles|points)$")).inner_text()
        return int(said.split()[0].replace(",", ""))

    def rows(self) -> list[dict[str, str]]:
        """The chosen population's CSV, out of Publish."""
        self.page.keyboard.press("Alt+3")
        with self.page.expect_download() as started:
            self.page.get_by_role("button", name="Download CSV", exact=True).click()
        self.page.keyboard.press("Alt+2")
        return list(csv.DictReader(io.StringIO(Path(started.value.path()).read_text())))

    def kept(self) -> tuple[int, int]:
        """How many frames of the motion are there, of how many."""
        line = self.page.get_by_role("img", name=re.compile("frames of the motion are there"))
        found = re.match(r"(\d+) of (\d+)", line.get_attribute("aria-label") or "")
        assert found
        return int(found[1]), int(found[2])


class Made(MotionCase):
    def test_a_burst_another_source_a_force_and_trails(self):
        page = self.page
        page.keyboard.press("Alt+1")
        page.get_by_role("button", name="Make…", exact=True).click()
        trails_ = page.get_by_role("dialog").get_by_role("listitem").filter(has_text=re.compile("^Trails"))
        self.assertTrue(trails_.get_by_role("button").is_disabled())
        page.keyboard.press("Escape")
        self.make("Burst")
        self.assertEqual(page.get_by_label("Frame number", exact=True).input_value(), "24")
        self.assertEqual(self.count(), 6000)
        count = page.get_by_label("Count", exact=True)
        count.fill("900")
        self.after(lambda: count.press("Enter"))
        self.assertEqual(self.count(), 900)
        self.after(lambda: page.get_by_role("button", name="Add a stream").click())
        self.assertEqual(self.count(), 1400)  # 500 a second, for a second
        name = page.get_by_label("Name of source 2")
        name.fill("Burst")
        name.press("Enter")
        page.get_by_role("alert").filter(has_text="There is a source Burst already").wait_for()
        name.fill("Smoke")
        self.after(lambda: name.press("Enter"))
        page.get_by_role("button", name=re.compile("^Forces")).click()
        gravity = page.get_by_label("Gravity", exact=True).first
        before = np.mean([float(r["z"]) for r in self.rows()])
        page.keyboard.press("Alt+1")
        gravity.fill("-8")
        self.after(lambda: gravity.press("Enter"))
        self.assertGreater(np.mean([float(r["z"]) for r in self.rows()]), before + 0.5)
        self.after(lambda: page.keyboard.press("Control+z"))
        page.keyboard.press("Alt+1")
        self.after(lambda: page.get_by_role("button", name="Take Smoke away").click())
        self.assertEqual(self.count(), 900)
        self.make("Trails")
        self.assertGreater(self.count(), 900 * 15)
        maker = self.asked(f"scenes/{self.scene}")["document"]["populations"][-1]["maker"]
        self.assertEqual((maker["maker"], maker["on"]), ("trails", "burst"))


class Coloured(MotionCase):
    def document(self) -> dict:
        shed = {"name": "Scales", "births": "stream", "rate": 300, "out_of": "population", "on": "ball", "outward": 1}
        ball = {**BALL, "look": look_document(*UP_DOWN)}
        return {"gaudyseed": 3, "populations": [sparks(sources=[shed]), trails(back=10), ball]}

    def test_born_with_colours_faded_by_age_then_and_now(self):
        page = self.page
        self.go_to(20)
        # Born with the colours of the mesh: the first step is exchanged by hand.
        page.get_by_role("button", name="More for Attribute").click()
        page.get_by_role("menuitem", name="Remove").click()
        page.get_by_role("button", name="More for Ramp").click()
        self.page.get_by_role("menuitem", name="Remove").click()
        self.add_step("Ground")
        page.get_by_label("As it is: As it is now").click()
        self.after(lambda: page.get_by_role("option", name="As it was at birth").click())
        rows = self.rows()
        height = np.array([float(r["birth_z"]) for r in rows])
        shown = np.array([float(r["base_colour_r"]) for r in rows])
        self.assertGreater(np.corrcoef(height, shown)[0, 1], 0.85)
        self.channel("Emission strength")
        self.after(lambda: page.get_by_label("Add a layer").click())
        self.add_step("Formula")
        text = page.get_by_role("textbox", name="Formula")
        text.fill("max(0, 1 - 0.9 * lived)")
        self.after(lambda: text.press("Enter"))
        rows = self.rows()
        lived = np.array([float(r["age"]) / float(r["lifetime"]) for r in rows])
        found = np.array([float(r["emission_strength"]) for r in rows])
        np.testing.assert_allclose(found, 1 - 0.9 * lived, atol=1e-4)
        page.get_by_text("Trails", exact=True).first.click()
        self.settle()
        page.get_by_label("As it was: Then, at each point").click()
        self.after(lambda: page.get_by_role("option", name="Now", exact=True).click())
        rows = self.rows()
        by_trail: dict[str, set[str]] = {}
        for row in rows:
            by_trail.setdefault(row["trail"], set()).add(row["base_colour_r"])
        self.assertTrue(all(len(colours) == 1 for colours in by_trail.values()))

    def test_frames_are_kept_worked_out_and_never_again_for_colours(self):
        page = self.page
        self.go_to(12)
        page.wait_for_function("() => document.querySelector('[aria-label*=\"frames of the motion\"]')")
        page.get_by_role("img", name=re.compile("of 121 frames of the motion are there")).wait_for()
        self.assertLess(self.kept()[0], 40)  # those of another test of the same motion may be there
        page.get_by_role("button", name=re.compile("^Work the motion out: [0-9]+ frames")).click()
        page.get_by_role("img", name="121 of 121 frames of the motion are there").wait_for()
        self.after(lambda: page.get_by_role("slider").first.press("Shift+ArrowRight"))
        page.reload()
        self.settle()
        page.get_by_role("img", name="121 of 121 frames of the motion are there").wait_for()
        page.keyboard.press("Alt+1")
        page.get_by_role("button", name=re.compile("^Forces")).click()
        drag = page.get_by_label("Drag", exact=True).first
        drag.fill("3")
        self.after(lambda: drag.press("Enter"))
        page.wait_for_function("""() => /^[0-9]{1,2} of 121/.test(
            document.querySelector('[aria-label*="frames of the motion"]')?.getAttribute('aria-label') ?? '')""")
        self.assertLess(self.kept()[0], 40)


class Followed(MotionCase):
    def document(self) -> dict:
        shed = {"name": "Flakes", "births": "stream", "rate": 300, "out_of": "population", "on": "ball", "outward": 1}
        return {"gaudyseed": 3, "populations": [sparks(sources=[shed], seed=9), BALL]}

    def test_a_traced_particle_stays_itself_while_others_come_and_go(self):
        page = self.page
        self.go_to(90)
        page.keyboard.press("Control+k")
        page.keyboard.type("Trace the first")
        page.keyboard.press("Enter")
        card = page.get_by_role("region", name=re.compile("^Trace of element"))
        card.wait_for()
        which = card.get_attribute("aria-label")
        first = self.rows()[0]["id"]
        self.assertEqual(which, f"Trace of element {first}")
        self.go_to(80)
        self.assertNotEqual(self.rows()[0]["id"], first)
        page.wait_for_function("w => document.querySelector('[aria-label^=\"Trace of\"]')?.ariaLabel === w", arg=which)
        # Gone with the particle, and there again with it.
        self.go_to(0)
        card.wait_for(state="detached")
        self.go_to(85)
        page.wait_for_function("w => document.querySelector('[aria-label^=\"Trace of\"]')?.ariaLabel === w", arg=which)


class Ways(MotionCase, ColourCase):
    """The ways of the guide, typed as it says; those by age and with the colours of a mesh stand in `Coloured`."""

    def document(self) -> dict:
        both = [{"name": "lines", "count": 200, "over": 4}, {"name": "dust", "count": 300, "over": 4, "speed": 30}]
        return {"gaudyseed": 3, "populations": [sparks({"step": "constant", "value": "#203040"}, sources=both)]}

    def formula(self, text: str) -> None:
        """Type a formula that the guide has, in place of what stands there."""
        self.assertIn(f"`{text}`", (ROOT / "docs/guide/README.md").read_text())
        field = self.page.get_by_role("textbox", name="Formula")
        if not field.count():
            self.add("Formula")
        field.fill(text)
        self.after(lambda: field.press("Enter"))

    def column(self, name: str) -> np.ndarray:
        return np.array([float(row[name]) for row in self.table])

    def test_by_source_speed_chance_direction_and_place(self):
        page = self.page
        self.go_to(12)
        by_channel = {
            "Emission strength": "where(source == 0, (speed / 25) ** 3, 1)",
            "Density": "1 / 2 ** (2 * (source + 1))",
            "Motion blur": "where(source == 0, 0.2, 1)",
        }
        for channel, text in by_channel.items():
            self.channel(channel)
            self.after(lambda: page.get_by_label("Add a layer").click())
            self.formula(text)
        self.table = self.rows()
        lines = self.column("source") == 0
        velocity = np.stack([self.column(name) for name in ("vx", "vy", "vz")], -1)
        speed = np.linalg.norm(velocity, axis=1)
        glow = np.where(lines, (speed / 25) ** 3, 1)
        np.testing.assert_allclose(self.column("emission_strength"), glow, rtol=1e-3, atol=1e-5)
        np.testing.assert_allclose(self.column("density"), np.where(lines, 1 / 4, 1 / 16), atol=1e-6)
        np.testing.assert_allclose(self.column("motion_blur"), np.where(lines, 0.2, 1), atol=1e-6)
        self.channel("Emission strength")
        self.formula("where(modulo(id, 9) == floor(9 * random(4)), 10 * random(5), 0)")
        # By direction: a signal is the factor of a mix.
        self.after(lambda: page.get_by_role("button", name="Add a signal").click())
        page.get_by_role("button", name="More for Random").click()
        page.get_by_role("menuitem", name="Remove").click()
        self.formula("(x(velocity) / max(speed, 0.001) + 1) / 2")
        self.channel("Base colour")
        self.add("Mix")
        page.get_by_label("Let Factor follow…", exact=True).click()
        self.after(lambda: page.get_by_role("menuitem", name="signal").click())
        self.table = self.rows()
        lit = self.column("emission_strength")
        self.assertAlmostEqual((lit > 0).mean(), 1 / 9, delta=0.05)
        towards = velocity[:, 0] / speed
        self.assertGreater(abs(np.corrcoef(towards, self.column("base_colour_r"))[0, 1]), 0.999)
        # A noise of the scene's space: two frames later colours are those of other places.
        for step in ("Mix", "Constant"):
            page.get_by_role("button", name=f"More for {step}").first.click()
            page.get_by_role("menuitem", name="Remove").click()
        self.add("Noise")
        seen = []
        for frame in (14, 16):
            self.go_to(frame)
            self.table = self.rows()
            seen.append(dict(zip(self.column("id"), self.column("base_colour_r"), strict=True)))
        same = [seen[0][k] == seen[1][k] for k in seen[0].keys() & seen[1].keys()]
        self.assertLess(np.mean(same), 0.2)
