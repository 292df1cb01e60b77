"""Strands by mouse and keyboard: dyed along, painted through the skin, melanin, one gradient, beads, a file home."""

from __future__ import annotations

import re
import tempfile
from pathlib import Path

import numpy as np
from pxr import Usd, UsdGeom

from gaudyseed.core.formats import read_points
from tests.browser.driver import APPLICATION, drawn
from tests.browser.test_send import SendCase
from tests.reference.test_strands import groom
from tests.support import look_document, ramp

ALONG = {"step": "along"}
UNDYED = ramp([0, 1], ["#f4ead6", "#f2b03d"], interpolation="straight")


class StrandCase(SendCase):
    """Strands on a mesh, in flat colours."""

    MAKER: dict = {"maker": "strands", "on": "skin", "count": 400, "points": 8, "lean": 0, "droop": 0, "length": 0.5,
                   "width_root": 0.03, "width_tip": 0.03}  # fmt: skip
    PAINT: list = [ALONG, UNDYED]
    SKIN: dict = {"maker": "mesh", "surface": "ball", "subdivision": 1}

    def document(self) -> dict:
        fur = {"id": "fur", "name": "Fur", "maker": self.MAKER, "look": look_document(*self.PAINT)}
        skin = {"id": "skin", "name": "Skin", "maker": self.SKIN,
                "look": look_document({"step": "constant", "value": "#202020"})}  # fmt: skip
        return {"gaudyseed": 3, "name": "Strands", "view": {"shading": "flat"}, "populations": [fur, skin]}

    def population(self, name: str) -> dict:
        return next(p for p in self.stored()["populations"] if p["name"] == name)

    def pick(self, name: str) -> None:
        """Choose a population."""
        self.page.get_by_role("region", name="Populations").get_by_role(
            "button", name=re.compile(f"^{name}")
        ).first.click()
        self.settle()

    def points(self, of: int = 8) -> np.ndarray:
        """(c, m, 3): the colours of the points of each strand, as they go out."""
        made = read_points(self.downloaded("CSV"), "a.csv")
        return made.elements.own["base_colour"].readable.reshape(-1, of, 3)

    def signal(self, name: str) -> None:
        """Open a signal's chain; pointing at it would show it in the view."""
        self.page.get_by_role("list", name="Signals").get_by_role("button", name=re.compile(f"^{name}")).first.click()
        self.page.mouse.move(0, 0)
        self.settle()

    def drawn(self) -> np.ndarray:
        """The canvas as it is now, also while something is dragged."""
        return self.pixels(self.page.get_by_role("application"))[70:-60]


class Dyed(StrandCase):
    @drawn
    def test_undyed_at_the_root_four_dyes_to_the_tip_moved_live(self):
        page = self.page
        self.pick("Skin")
        page.keyboard.press("Alt+1")
        self.make("Fur")
        made = self.stored()["populations"][2]
        steps = made["look"]["lanes"]["base_colour"]["layers"][0]["paint"]
        self.assertEqual([s["step"] for s in steps], ["along", "ramp"])
        # On the mesh that was chosen; and what they begin with is nothing to warn of.
        self.assertEqual((made["name"], made["maker"]["on"]), ("Fur 2", "skin"))
        page.keyboard.press("Alt+2")
        self.slab("Ramp").wait_for()
        self.assertEqual(page.get_by_text("of the ramp").count(), 0)
        self.pick("Fur")
        ramp_ = self.slab("Ramp")
        for _ in range(3):
            self.after(ramp_.get_by_role("button", name="Add a stop").first.click)
        stops = ramp_.get_by_role("slider", name=re.compile("^Stop"))
        self.assertEqual(stops.count(), 5)
        for k, colour in enumerate(("#f4ead6", "#f2b03d", "#e8603c", "#8c1d63", "#1d49e0")):
            stops.nth(k).focus()
            field = page.get_by_label(f"Stop {k + 1} as hexadecimal")
            field.fill(colour)
            self.after(lambda field=field: field.press("Enter")) if k > 1 else field.press("Enter")
            self.settle()
        before = self.drawn()
        box = stops.nth(4).bounding_box()
        assert box
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        applied = page.evaluate(f"{APPLICATION}.applied")
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x - 60, y, steps=6)
        page.wait_for_function(f"b => {APPLICATION}.applied !== b", arg=applied)
        # While the button is still down.
        self.assertGreater((np.abs(self.drawn() - before).max(axis=2) > 20).sum(), 300)
        page.mouse.up()
        self.settle()
        rows = self.points()
        np.testing.assert_allclose(rows[:, 0], np.tile(rows[0, 0], (len(rows), 1)), atol=1e-6)
        self.assertGreater(rows[:, 0].min(), 0.6)
        # Blue at the tip, and five tones told apart on the way.
        self.assertTrue((rows[:, -1, 2] > 3 * rows[:, -1, 0]).all())
        # Beyond the last stop, which was moved, there is one tone.
        self.assertGreater(len(np.unique(np.round(rows[0], 2), axis=0)), 5)

    @drawn
    def test_a_strand_is_traced_with_its_tones_and_every_nth_is_drawn(self):
        page = self.page
        page.get_by_role("application").focus()
        for _ in range(4):
            page.keyboard.press("PageDown")
            self.settle()
        card = page.get_by_role("region", name=re.compile("^Trace of element"))
        card.get_by_role(
            "img", name=re.compile(r"^Tones of the strand from root to tip, 8 points; this is point \d")
        ).wait_for()
        self.assertIn("Strand", card.inner_text())
        whole = self.canvas()
        self.choose("Strands drawn", "One strand in 10")
        page.get_by_text("40 strands", exact=True).wait_for()
        few = self.canvas()
        strands = [
            (np.abs(c - (0x20, 0x20, 0x20)).max(axis=2) > 12) & (np.abs(c - (169, 169, 169)).max(axis=2) > 3)
            for c in (whole, few)
        ]
        self.assertLess(strands[1].sum(), 0.4 * strands[0].sum())
        # What goes out is whole.
        self.assertEqual(len(self.points()), 400)
        # A colour singled out: the others stand aside.
        self.redrawn(page.get_by_label("Shares", exact=True).get_by_role("button").first.click)
        self.assertGreater(np.abs(self.canvas() - few).max(), 20)


class Stencilled(StrandCase):
    """A weight painted onto the skin dyes the tips of the strands that grow there, while the brush is down."""

    def document(self) -> dict:
        scene = super().document()
        scene["populations"][1]["painted"] = [{"name": "stencil", "kind": "number"}]
        look = scene["populations"][0]["look"]
        look["signals"] = [
            {"name": "there", "chain": [{"step": "ground", "of": "attribute", "name": "stencil"}]},
            {"name": "tip", "chain": [
                {"step": "constant", "value": "#f2b03d"},
                {"step": "mix", "factor": {"signal": "there"}, "chain": [{"step": "constant", "value": "#1d49e0"}]},
            ]},
        ]  # fmt: skip
        return scene

    @drawn
    def test_diamonds_painted_on_the_crest_dye_the_tips_there_alone(self):
        page = self.page
        # The last stop takes its colour from the signal.
        ramp_ = self.slab("Ramp")
        ramp_.get_by_role("slider", name=re.compile("^Stop 2")).focus()
        ramp_.get_by_role(
            "button", name=re.compile("^Colour.*follow|^Let .*colour.*follow|follows?", re.IGNORECASE)
        ).first.click()
        self.after(page.get_by_role("menuitem", name="tip", exact=True).click)
        plain = self.points()
        self.pick("Skin")
        self.button("Paint stencil").click()
        self.brush("0.35")
        x, y = self.middle()
        before = self.drawn()
        applied = page.evaluate(f"{APPLICATION}.applied")
        page.mouse.move(x, y - 60)
        page.mouse.down()
        for dx, dy in ((30, 0), (0, 60), (-30, 0), (0, -60)):
            page.mouse.move(x + dx, y + dy, steps=3)
        page.wait_for_function(f"b => {APPLICATION}.applied !== b", arg=applied)
        for _ in range(20):
            seen = self.drawn()
            blue = (seen[..., 2] > seen[..., 0] + 60) & (before[..., 2] < before[..., 0] + 30)
            if blue.sum() > 150:
                break
        self.assertGreater(blue.sum(), 150)
        page.mouse.up()
        self.assertEqual(len(self.kept()["digest"]), 32)
        page.keyboard.press("Escape")
        self.pick("Fur")
        dyed = self.points()
        np.testing.assert_array_equal(dyed[:, 0], plain[:, 0])
        moved = np.abs(dyed[:, -1] - plain[:, -1]).max(axis=1) > 0.05
        self.assertTrue(0.02 < moved.mean() < 0.7, moved.mean())
        self.assertTrue((dyed[moved, -1, 2] > plain[moved, -1, 2]).all())


class Melanin(StrandCase):
    """Two hair colours blended along by a curve; then a drift per strand before the ramp, and after it."""

    PAINT = [{"step": "melanin", "eumelanin": 2.0, "pheomelanin": 0.1}]

    def document(self) -> dict:
        scene = super().document()
        scene["populations"][0]["look"]["signals"] = [{"name": "greying", "chain": [ALONG]}]
        return scene

    def test_two_hair_colours_blended_along_with_a_curve(self):
        page = self.page
        self.after(page.get_by_role("button", name="Chestnut", exact=True).click)
        plain = self.points()
        np.testing.assert_allclose(plain, np.broadcast_to(plain[0, 0], plain.shape), atol=1e-6)
        self.add("Mix")
        mix = self.stored()["populations"][0]["look"]["lanes"]["base_colour"]["layers"][0]["paint"][1]
        self.assertEqual(mix["step"], "mix")
        page.get_by_label("Let Factor follow…", exact=True).click()
        self.after(lambda: page.get_by_role("menuitem", name="greying").click())
        self.typed("Factor where greying is 1, %", "100")
        # Its other chain: fair hair.
        page.get_by_role("button", name=re.compile("^The other chain")).first.click()
        self.add("Melanin")
        self.after(page.get_by_role("button", name="White", exact=True).last.click)
        blended = self.points()
        self.assertTrue((np.diff(blended.mean(axis=2), axis=1) > 0).all())
        np.testing.assert_allclose(blended[:, 0], plain[:, 0], atol=1e-6)
        np.testing.assert_allclose(blended[:, -1], 1, atol=1e-5)
        # The curve of the signal holds the dark back.
        self.signal("greying")
        curve = page.get_by_role("group", name="Curve").first
        box = curve.bounding_box()
        assert box
        self.after(lambda: page.mouse.click(box["x"] + 0.6 * box["width"], box["y"] + 0.95 * box["height"]))
        self.assertEqual(len(self.stored()["populations"][0]["look"]["signals"][0]["chain"][0]["points"]), 3)
        page.get_by_role("button", name=re.compile("^Base colour, ")).click()
        held = self.points()
        self.assertTrue((held[:, 3:5].mean(axis=(1, 2)) < blended[:, 3:5].mean(axis=(1, 2))).all())


class OneGradient(StrandCase):
    """One signal along the strand drives density, width and a blend; each can be switched off."""

    def document(self) -> dict:
        scene = super().document()
        look = scene["populations"][0]["look"]
        look["signals"] = [{"name": "taper", "chain": [{**ALONG, "flip": True}]}]
        look["lanes"]["base_colour"]["layers"][0]["paint"] = [
            {"step": "constant", "value": "#1d49e0"},
            {"step": "mix", "factor": {"signal": "taper"}, "chain": [{"step": "constant", "value": "#f4ead6"}]},
        ]
        return scene

    def strands(self, canvas: np.ndarray) -> int:
        """Pixels that are neither the skin nor the surround."""
        skin, surround = ((np.abs(canvas - c).max(axis=2) > 14) for c in ((0x20, 0x20, 0x20), (169, 169, 169)))
        return int((skin & surround).sum())

    @drawn
    def test_it_thins_narrows_and_blends_and_one_is_switched_off_and_on(self):
        page = self.page
        whole = self.strands(self.canvas())
        for title in ("Density", "Width"):
            self.layer_on(title)
            self.add("Signal")
        thin = self.strands(self.canvas())
        self.assertLess(thin, 0.75 * whole)
        lanes = self.look()["lanes"]
        for word in ("density", "width"):
            self.assertEqual([s["step"] for s in lanes[word]["layers"][0]["paint"]], ["signal"])
        made = read_points(self.downloaded("CSV"), "a.csv")
        width, density = (made.elements.own[n].readable.reshape(-1, 8) for n in ("width_factor", "density"))
        np.testing.assert_allclose(width, density)
        np.testing.assert_allclose(width[:, [0, -1]], np.tile([1, 0], (400, 1)), atol=1e-6)
        self.after(page.get_by_role("switch", name="Width on").click)
        wide = self.strands(self.canvas())
        self.assertGreater(wide, 1.15 * thin)
        self.assertFalse(self.look()["lanes"]["width"]["enabled"])
        self.assertEqual(len(self.look()["lanes"]["width"]["layers"]), 1)
        self.after(page.get_by_role("switch", name=re.compile("^Width (on|off)")).click)
        self.assertAlmostEqual(self.strands(self.canvas()), thin, delta=0.02 * thin)
        # A point of the one curve moves all three.
        self.signal("taper")
        before = self.points()
        self.signal("taper")
        slab = self.slab("Along")
        point = slab.get_by_role("slider", name="Point 1")
        point.focus()
        for _ in range(12):
            self.after(lambda: point.press("ArrowUp"))
        after = read_points(self.downloaded("CSV"), "a.csv").elements.own
        self.assertGreater(after["width_factor"].readable.reshape(-1, 8)[:, -1].min(), 0.1)
        self.assertGreater(after["density"].readable.reshape(-1, 8)[:, -1].min(), 0.1)
        self.assertGreater(np.abs(after["base_colour"].readable.reshape(-1, 8, 3) - before)[:, -1].min(), 0.004)


class Groom(StrandCase):
    def test_curves_of_another_library_coloured_and_taken_home(self):
        """usd-core wrote the file; usd-core reads ours, with the colours per point."""
        page = self.page
        data, held = groom()
        page.keyboard.press("Alt+1")
        upload = {"name": "groom.usdc", "mimeType": "application/octet-stream", "buffer": data}
        page.get_by_label("File to import").set_input_files(upload)
        dialog = page.get_by_role("dialog")
        dialog.get_by_text("points in 4 strands").wait_for()
        self.by_chance()
        self.after(lambda: dialog.get_by_role("button", name="Add to the scene").click())
        page.get_by_role("region", name="Populations").get_by_role("button", name=re.compile("^groom")).first.wait_for()
        page.keyboard.press("Alt+2")
        self.add("Along")
        stage = self.stage(self.downloaded("USD, binary"), ".usdc")
        curves = UsdGeom.BasisCurves(stage.GetDefaultPrim())
        np.testing.assert_array_equal(np.array(curves.GetPointsAttr().Get()), held["points"])
        primvars = UsdGeom.PrimvarsAPI(curves)
        np.testing.assert_array_equal(np.array(primvars.GetPrimvar("shade").Get()), held["shade"])
        shown = primvars.GetPrimvar("displayColor")
        self.assertEqual(str(shown.GetInterpolation()), "vertex")
        colours = np.array(shown.Get())
        self.assertEqual(len(colours), 30)
        starts = np.concatenate([[0], np.cumsum(held["counts"])])
        roots, tips = colours[starts[:-1]], colours[starts[1:] - 1]
        np.testing.assert_allclose(roots, np.broadcast_to(roots[0], roots.shape), atol=1e-6)
        np.testing.assert_allclose(tips, np.broadcast_to(tips[0], tips.shape), atol=1e-6)
        self.assertGreater(np.abs(roots[0] - tips[0]).max(), 0.1)

    def stage(self, data: bytes, ending: str) -> Usd.Stage:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        path = Path(folder.name) / f"a{ending}"
        path.write_bytes(data)
        return Usd.Stage.Open(str(path))
