"""What a place gives, by mouse and keyboard: noise, falloffs, lines, pictures, painting, time, nearness."""

from __future__ import annotations

import io
import json
import re
from pathlib import Path

import numpy as np
from PIL import Image
from playwright.sync_api import Locator

from gaudyseed.core.formats import read_points
from gaudyseed.demo import demo_scene, route_scene
from tests.browser.driver import APPLICATION, BrowserCase
from tests.support import look_document, ramp

GREYS = ramp([0, 1], ["#000000", "#ffffff"], interpolation="straight")
WARM = ramp([0, 0.5, 1], ["#22305a", "#d9542f", "#ffe2a8"], interpolation="straight")
RED = [{"step": "constant", "value": "#c83020"}]


class PlaceCase(BrowserCase):
    """Clones on a ball in flat colours."""

    MAKER: dict = {"maker": "scatter", "surface": "ball", "count": 1500, "size": 0.09}
    PAINT: list = [{"step": "random", "seed": 1}, WARM]

    def document(self) -> dict:
        first = {"id": "ball", "name": "Ball", "maker": self.MAKER, "look": look_document(*self.PAINT)}
        return {"gaudyseed": 3, "name": "Places", "view": {"shading": "flat"}, "populations": [first]}

    def add(self, title: str, wait: bool = True) -> None:
        self.add_step(title, wait)

    def choose(self, label: str, option: str, wait: bool = True) -> None:
        self.page.get_by_role("button", name=re.compile(f"^{label}: ")).first.click()
        item = self.page.get_by_role("option", name=option, exact=True)
        self.after(item.click) if wait else item.click()

    def button(self, name: str) -> Locator:
        return self.page.get_by_role("button", name=name, exact=True)

    def slab(self, title: str) -> Locator:
        return self.page.get_by_role("region", name=re.compile(f"^Step \\d+, {title}$")).first

    def colours(self) -> np.ndarray:
        """(n, 3) display levels of the elements, by the table's order."""
        self.page.keyboard.press("Alt+3")
        with self.page.expect_download() as waiting:
            self.button("Download PLY, binary").click()
        made = read_points(Path(waiting.value.path()).read_bytes(), "a.ply")
        self.page.keyboard.press("Alt+2")
        return made.elements.own["base_colour"].readable

    def stored(self) -> dict:
        """The scene as it is saved."""
        self.settle()
        return self.asked(f"scenes/{self.scene}")["document"]

    def steps(self) -> list[dict]:
        return self.stored()["populations"][0]["look"]["lanes"]["base_colour"]["layers"][0]["paint"]

    def spot(self, name: str) -> tuple[float, float]:
        """The middle of a handle, once it has come to rest and nothing lies on it."""
        handle = self.page.get_by_role("button", name=re.compile(f"^{name}")).first
        # Asked for without doing it: that it stands still and would be hit.
        handle.click(trial=True)
        box = handle.bounding_box()
        assert box
        return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2

    def pull(self, name: str, x: float, y: float) -> None:
        """Drag a handle so far."""
        at = self.spot(name)

        def drag() -> None:
            self.page.mouse.move(*at)
            self.page.mouse.down()
            self.page.mouse.move(at[0] + x, at[1] + y, steps=5)
            self.page.mouse.up()

        self.after(drag)

    def brush(self, radius: str) -> None:
        """Give the brush that was taken a radius."""
        group = self.page.get_by_role("group", name="Brush")
        group.wait_for()
        field = group.get_by_role("textbox", name="Radius", exact=True)
        field.fill(radius)
        field.press("Enter")

    def kept(self) -> dict:
        """The first painted column, once all that is on its way is saved."""
        painted: dict = next(p for p in self.stored()["populations"] if p["painted"])["painted"][0]
        return painted

    def middle(self) -> tuple[float, float]:
        box = self.page.get_by_role("application").bounding_box()
        assert box
        return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


class Noise(PlaceCase):
    def test_patches_are_fitted_in_one_click_and_sized_by_dragging(self):
        page = self.page
        self.add("Noise")
        before = self.colours()
        self.after(self.button("Stretch to 0…1").click)
        noise = self.steps()[0]
        self.assertGreater(noise["low"], 0.05)
        self.assertLess(noise["high"], 0.95)
        fitted = self.colours()
        # Both reach the ends of the ramp; what was bunched in its middle is spread over all of it now.
        self.assertGreater(fitted.std(axis=0).sum(), 1.2 * before.std(axis=0).sum())
        page.get_by_text(re.compile("patches across the population")).wait_for()
        box = self.slab("Noise").get_by_text("Size", exact=True).first.bounding_box()
        assert box
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        # The colours follow while it is dragged: letting go brings none that are new.
        self.after(lambda: page.mouse.move(x + 60, y, steps=4))
        page.mouse.up()
        self.settle()
        self.assertGreater(self.steps()[0]["size"], noise["size"])
        # Even out is the other way.
        self.after(self.button("Even out").click)
        self.assertEqual([s["step"] for s in self.steps()], ["noise", "even_out", "ramp"])


class Moon(PlaceCase):
    """A picture's colours within a ball, then outside of it."""

    def document(self) -> dict:
        scene = route_scene().model_dump(mode="json")
        scene["populations"] = [p for p in scene["populations"] if p["id"] == "moon-wall"]
        scene["populations"][0]["maker"] |= {
            "columns": 50,
            "rows": 31,
            "column_spacing": 0.08,
            "row_spacing": 0.08,
            "size": 0.08,
        }
        scene["view"]["shading"] = "flat"
        return scene

    def test_limited_by_a_ball_and_flipped(self):
        page = self.page
        page.get_by_role("button", name=re.compile("^Moon normal")).first.click()
        page.get_by_role("tab", name="Mask").click()
        falloff = self.slab("Falloff")
        falloff.get_by_role("button", name=re.compile("^Falloff")).first.click()
        within = self.colours()
        page.get_by_role("group", name="Placement of the step").wait_for()
        self.after(page.get_by_role("switch", name="Flip").click)
        outside = self.colours()
        places = np.arange(50 * 31)
        middle = np.hypot((places % 50 - 24.5) * 0.08, (places // 50 - 15) * 0.08) < 0.6
        self.assertGreater(np.abs(within - outside)[middle].mean(), 0.02)
        # The handle of the outer edge, by keyboard and by mouse.
        mask = lambda: self.stored()["populations"][0]["look"]["lanes"]["base_colour"]["layers"][1]["mask"][0]  # noqa: E731
        outer = mask()["outer"]
        self.after(lambda: page.get_by_role("button", name=re.compile("^Outer edge")).press("ArrowRight"))
        self.assertGreater(mask()["outer"], outer)
        size = mask()["size"][0]
        self.pull("Size\\.", 40, 0)
        self.assertNotEqual(mask()["size"][0], size)
        self.pull("Move the centre", 30, 10)
        self.assertNotEqual(mask()["centre"], [0, 0, 0])

    def test_the_centre_wins_over_an_inner_edge_on_top_of_it(self):
        page = self.page
        page.get_by_role("button", name=re.compile("^Moon normal")).first.click()
        page.get_by_role("tab", name="Mask").click()
        self.slab("Falloff").get_by_role("button", name=re.compile("^Falloff")).first.click()
        mask = lambda: self.stored()["populations"][0]["look"]["lanes"]["base_colour"]["layers"][1]["mask"][0]  # noqa: E731
        field = page.get_by_role("textbox", name="Inner edge, %", exact=True)
        field.fill("0")
        self.after(lambda: field.press("Enter"))
        self.assertEqual(mask()["inner"], 0)
        self.pull("Move the centre", 30, 10)
        moved = mask()
        self.assertEqual(moved["inner"], 0)
        self.assertGreater(np.abs(moved["centre"]).max(), 0.05)
        # The edge stands aside and is still taken.
        self.pull("Inner edge", -20, 0)
        self.assertGreater(mask()["inner"], 0)
        self.assertEqual(mask()["centre"], moved["centre"])


class FoxMask(PlaceCase):
    """A weight by hand on a mesh, its edge broken up, in two colours."""

    # Painted with the mouse on the canvas.
    QUERY = "&view=light"
    MAKER = {"maker": "mesh", "surface": "mask", "subdivision": 0}
    PAINT = [{"step": "constant", "value": "#e8d8c0"}]

    def test_painted_by_hand_and_broken_up(self):
        page = self.page
        self.button("Paint a new weight").click()
        self.brush("0.5")
        # While the brush is out its values are seen, in greys: nothing is painted, so all is dark.
        page.get_by_role("figure", name="Scale from 0 to 1").wait_for()
        canvas = page.get_by_role("application")
        bare = self.pixels(canvas)
        x, y = self.middle()
        page.mouse.move(x - 30, y - 40)
        page.mouse.down()
        page.mouse.move(x + 30, y - 30, steps=6)
        page.mouse.up()
        painted = self.kept()
        self.assertGreater((self.pixels(canvas).mean(axis=2) - bare.mean(axis=2) > 40).sum(), 300)
        self.assertEqual((painted["name"], len(painted["digest"])), ("weight", 32))
        # By key too: a dab in the middle; and each stroke is one undo.
        page.get_by_role("button", name="Paint", exact=True).press("Enter")
        self.assertNotEqual(self.kept()["digest"], painted["digest"])
        page.keyboard.press("Escape")
        self.after(page.get_by_role("button", name=re.compile("^Undo")).click)
        self.assertEqual(self.stored()["populations"][0]["painted"][0]["digest"], painted["digest"])
        # It survives a new start of the page, and colours: a layer of the edge's colour through the weight.
        self.page.reload()
        self.settle()
        self.after(page.get_by_role("button", name="Add a layer").first.click)
        self.mask_by("Chance")
        self.settle()
        self.add_step("Attribute")
        self.choose("Name", "weight · number")
        plain = self.colours()
        page.get_by_label("More for Attribute").click()
        self.after(page.get_by_role("menuitem", name="Break it up with a noise").click)
        mask = self.stored()["populations"][0]["look"]["lanes"]["base_colour"]["layers"][1]["mask"]
        self.assertEqual(mask[1]["chain"][0]["result"], "number")
        self.assertEqual([s["step"] for s in mask][:2], ["attribute", "mix"])
        self.assertEqual((mask[1]["blend"], mask[1]["chain"][0]["step"]), ("overlay", "noise"))
        broken = self.colours()
        moved = np.abs(broken - plain).max(axis=1) > 1e-3
        self.assertGreater(moved.sum(), 3)
        # What was left unpainted stays as it was.
        self.assertLess(moved.mean(), 0.6)

    def test_a_stroke_whose_server_dies_waits_and_is_painted_again(self):
        """All of it, and that of a second stroke meanwhile; both are undone apart."""
        page = self.page
        self.button("Paint a new weight").click()
        self.brush("0.5")
        self.settle()
        x, y = self.middle()
        page.mouse.move(x - 30, y - 30)
        with page.expect_response(lambda r: r.url.endswith("/strokes")):
            page.mouse.down()
            page.mouse.move(x, y - 30, steps=4)
        self.server.stop(kill=True)
        page.mouse.move(x + 30, y - 30, steps=4)
        page.mouse.up()
        page.get_by_text("not saved yet").wait_for()
        page.mouse.move(x, y + 20)
        page.mouse.down()
        page.mouse.move(x + 8, y + 20, steps=2)
        page.mouse.up()
        self.rest()
        self.assertEqual(page.get_by_label("Save state").get_attribute("data-saving"), "offline")
        self.server.start()
        self.settle()
        twice = self.kept()["digest"]
        self.assertEqual(len(twice), 32)
        page.reload()
        self.settle()
        self.assertEqual(self.stored()["populations"][0]["painted"][0]["digest"], twice)
        self.after(page.get_by_role("button", name=re.compile("^Undo")).click)
        once = self.stored()["populations"][0]["painted"][0]["digest"]
        self.assertNotEqual(once, twice)
        self.after(page.get_by_role("button", name=re.compile("^Undo")).click)
        self.assertEqual(self.stored()["populations"][0]["painted"][0]["digest"], "")
        # What the first one left is what its dabs leave when nothing goes wrong: both ends of it are painted.
        self.assertEqual(len(once), 32)

    def test_the_brush_beside_everything_says_so(self):
        self.button("Paint a new weight").click()
        self.settle()
        box = self.page.get_by_role("application").bounding_box()
        self.page.mouse.click(box["x"] + 6, box["y"] + box["height"] - 60)
        self.page.get_by_role("alert").filter(has_text="met nothing").wait_for()

    def test_a_stroke_on_its_way_is_not_called_saved(self):
        held: list = []

        def hold(route) -> None:
            if route.request.post_data_json["last"]:
                held.append(route)
            else:
                route.fallback()

        self.button("Paint a new weight").click()
        self.settle()
        self.page.route("**/api/strokes", hold)
        area = self.page.get_by_role("button", name="Paint", exact=True)
        # What was clicked before may take the focus back once more.
        area.focus()
        self.page.wait_for_timeout(400)
        with self.page.expect_request(lambda r: r.url.endswith("/strokes") and r.post_data_json["last"]):
            area.press("Enter")
        state = self.page.get_by_label("Save state")
        self.page.wait_for_timeout(200)
        self.assertEqual(state.get_attribute("data-saving"), "saving")
        # An undo meanwhile is for the stroke, and waits for it.
        self.page.keyboard.press("Escape")
        self.page.keyboard.press("Control+z")
        self.page.wait_for_timeout(200)
        self.assertEqual(state.get_attribute("data-saving"), "saving")
        held[0].continue_()
        self.page.wait_for_function("() => !document.querySelector('[aria-label^=Redo]').disabled")
        self.assertEqual(self.kept()["digest"], "")

    def test_keeping_the_values_of_a_signal(self):
        page = self.page
        page.get_by_role("button", name="Add a signal").click()
        self.settle()
        page.get_by_label(re.compile("^More for the signal")).click()
        page.get_by_role("menuitem", name="Keep these values").click()
        page.get_by_label(re.compile("^Name of the painted column .*_kept$")).wait_for()
        self.assertEqual(self.stored()["populations"][0]["painted"][0]["kind"], "number")


class Overlays(PlaceCase):
    def test_a_line_a_ball_and_an_extent_over_what_was_there(self):
        page = self.page
        first = self.colours()
        for k, act in enumerate((self.line, self.ball, self.extent)):
            self.after(page.get_by_role("button", name="Add a layer").first.click)
            self.choose("Blend", "Overlay")
            act()
            now = self.colours()
            self.assertGreater(np.abs(now - first).max(), 0.02, k)
            first = now
        layers = self.stored()["populations"][0]["look"]["lanes"]["base_colour"]["layers"]
        self.assertEqual([la["blend"] for la in layers], ["normal", "overlay", "overlay", "overlay"])
        self.assertEqual([la["paint"][0]["step"] for la in layers[1:]], ["falloff", "falloff", "extent"])
        line = layers[1]["paint"][0]
        self.assertEqual(line["shape"], "line")
        self.assertGreater(np.linalg.norm(np.subtract(line["centre"], line["end"])), 0.1)

    def line(self) -> None:
        page = self.page
        self.add("Falloff")
        self.button("Draw a line").click()
        x, y = self.middle()
        page.mouse.move(x - 60, y - 20)
        page.mouse.down()
        page.mouse.move(x + 60, y + 10, steps=5)
        self.after(page.mouse.up)

    def ball(self) -> None:
        self.add("Falloff")

    def extent(self) -> None:
        self.add("Extent")
        self.after(self.button("Hold this range").click)
        low = self.stored()["populations"][0]["look"]["lanes"]["base_colour"]["layers"][3]["paint"][0]["low"]
        self.assertIsNotNone(low)


class Pennants(PlaceCase):
    """A baton on keys passes by; what is near it changes colour, played in the view."""

    def document(self) -> dict:
        scene = route_scene().model_dump(mode="json")
        scene["populations"] = [p for p in scene["populations"] if p["id"] == "pennant-string"]
        scene["view"]["shading"] = "flat"
        return scene

    def test_played(self):
        page = self.page
        bar = page.get_by_role("region", name="Timeline")
        bar.wait_for()
        start = self.colours()
        frame = page.get_by_role("slider", name="Frame")
        frame.focus()
        self.after(lambda: page.get_by_role("button", name="Next key").click())
        self.assertEqual(frame.input_value(), "48")
        self.assertGreater(np.abs(self.colours() - start).max(axis=1).max(), 0.1)
        # Only what depends on the time is worked out again.
        made = page.locator("[data-made]").get_attribute("data-made")
        done, whole = (int(n) for n in made.split(" of "))
        self.assertLess(done, whole)
        page.get_by_role("button", name="Play", exact=True).click()
        page.wait_for_function("() => Number(document.querySelector('input[type=range]').value) > 52")
        page.get_by_role("button", name="Stop", exact=True).click()
        self.settle()
        # A key by hand: the marker is dragged at this frame.
        page.get_by_role("textbox", name="Frame number").fill("70")
        page.keyboard.press("Enter")
        # Nothing is worked out if it stood there already.
        page.wait_for_function("() => document.querySelector('input[type=range]').value === '70'")
        self.settle()
        self.pull("Marker baton", 0, -25)
        keys = self.stored()["markers"][0]["keys"]
        self.assertEqual([k["frame"] for k in keys], [0, 48, 70, 96])
        self.choose("From key 3 of baton to the next", "hold")
        self.assertEqual(self.stored()["markers"][0]["keys"][2]["to_next"], "hold")

    def test_a_marker_is_put_typed_and_followed(self):
        page = self.page
        page.get_by_role("button", name="Put a marker in the view").click()
        x, y = self.middle()
        page.mouse.click(x, y)
        self.settle()
        page.get_by_role("textbox", name="marker, x", exact=True).fill("0.5")
        page.keyboard.press("Enter")
        self.settle()
        self.assertEqual(self.stored()["markers"][1]["position"][0], 0.5)
        page.get_by_role("button", name=re.compile("^Marker marker\\.")).press("PageUp")
        self.settle()
        self.assertNotEqual(self.stored()["markers"][1]["position"], [0.5, 0, 0])


class Neighbours(PlaceCase):
    """A colour from the nearest element of another population."""

    def document(self) -> dict:
        scene = super().document()
        grid = {"maker": "grid", "columns": 12, "rows": 12, "column_spacing": 0.3, "row_spacing": 0.3}
        scene["populations"].append(
            {"id": "floor", "name": "Floor", "maker": grid, "look": look_document({"step": "random", "seed": 3}, WARM)}
        )
        return scene

    def test_the_nearest_ones_colour(self):
        page = self.page
        page.get_by_role("button", name=re.compile("^Ramp")).first.click()
        page.get_by_label("More for Ramp").click()
        page.keyboard.press("Escape")
        self.add("Nearness", wait=False)
        self.choose("To", "Floor")
        page.get_by_label("More for Ramp").click()
        page.get_by_role("menuitem", name="Remove", exact=True).click()
        self.choose("Gives", "What is there")
        mine = self.colours()
        page.get_by_role("button", name=re.compile("^Floor")).first.click()
        self.settle()
        theirs = {tuple(c) for c in np.round(self.colours(), 5).tolist()}
        self.assertTrue({tuple(c) for c in np.round(mine, 5).tolist()} <= theirs)
        self.assertGreater(len(np.unique(mine, axis=0)), 20)


class Tray(PlaceCase):
    def picture(self, colour: tuple[int, int, int]) -> bytes:
        file = io.BytesIO()
        Image.new("RGB", (6, 4), colour).save(file, "PNG")
        return file.getvalue()

    def test_a_picture_is_brought_read_and_replaced(self):
        page = self.page
        tray = page.get_by_role("region", name="Pictures")
        page.get_by_label("Add a picture, file").set_input_files(
            {"name": "dusk.png", "mimeType": "image/png", "buffer": self.picture((255, 0, 0))}
        )
        tray.get_by_text("6 × 4").wait_for()
        self.settle()
        page.get_by_role("button", name=re.compile("^Ramp")).first.click()
        self.add("Picture", wait=False)
        self.settle()
        self.choose("Read", "Colour", wait=False)
        page.get_by_label("More for Ramp").click()
        self.after(page.get_by_role("menuitem", name="Remove", exact=True).click)
        np.testing.assert_allclose(self.colours(), np.tile([1.0, 0, 0], (1500, 1)), atol=1e-5)
        replaced = {"name": "other.png", "mimeType": "image/png", "buffer": self.picture((0, 0, 255))}
        self.after(lambda: page.get_by_label("Replace dusk, file").set_input_files(replaced))
        np.testing.assert_allclose(self.colours(), np.tile([0.0, 0, 1], (1500, 1)), atol=1e-5)
        broken = {"name": "no.png", "mimeType": "image/png", "buffer": b"this is text"}
        page.get_by_label("Add a picture, file").set_input_files(broken)
        page.get_by_role("alert").get_by_text(re.compile("no picture")).wait_for()


class Moving(PlaceCase):
    def test_numbered_files_are_played(self):
        page = self.page
        page.keyboard.press("Alt+1")
        files = [
            {
                "name": f"drop.{k:02d}.csv",
                "mimeType": "text/csv",
                "buffer": ("x,y,z,id\n" + "".join(f"{k * 0.2 + n},{n % 3},0,{n}\n" for n in range(5 + k))).encode(),
            }
            for k in range(3)
        ]
        page.get_by_label("Numbered files to import").set_input_files(files)
        page.get_by_text("frames 0 to 2").wait_for()
        self.settle()
        page.get_by_role("region", name="Timeline").wait_for()
        page.get_by_role("status").filter(has_text="5 elements").wait_for()
        page.get_by_role("button", name="One frame on").click()
        page.get_by_role("status").filter(has_text="6 elements").wait_for()
        maker = self.stored()["populations"][1]["maker"]
        self.assertEqual((maker["maker"], maker["first"], maker["last"]), ("sequence", 0, 2))

    def all_frames(self, last: int) -> list[str]:
        """Ask for all frames of a file in which something moves; the requests that carry a file."""
        page, sent = self.page, []
        page.on("request", lambda r: sent.append(r.url) if "/uploads?" in r.url else None)
        samples = f"{{1: [(0, 0, 0), (1, 0, 0)], {last}: [(0, 0, 3), (1, 0, 3)]}}"
        text = f'#usda 1.0\n(\n startTimeCode = 1\n endTimeCode = {last}\n upAxis = "Z"\n)\n'
        text += f'def Points "Dust"\n{{\n point3f[] points.timeSamples = {samples}\n}}\n'
        page.keyboard.press("Alt+1")
        file = {"name": "dust.usda", "mimeType": "text/plain", "buffer": text.encode()}
        page.get_by_label("File to import").set_input_files(file)
        page.get_by_role("button", name="Add all frames").click()
        page.get_by_role("status").filter(has_text="2 elements").wait_for()
        page.get_by_role("button", name=re.compile("^Jobs: 1 under way")).wait_for()
        return sent

    def test_all_frames_of_a_file_are_found_again_after_a_reload(self):
        page = self.page
        sent = self.all_frames(120)  # so many that the job is not over before the page is left
        page.reload()
        self.settle()
        # Its first frame is there meanwhile, and the sequence comes into its place.
        self.assertEqual([p["maker"]["maker"] for p in self.stored()["populations"][1:]], ["import"])
        page.get_by_role("button", name="Jobs: 1 ready").click()
        self.after(page.get_by_role("button", name="Add to the scene").click)
        (maker,) = [p["maker"] for p in self.stored()["populations"][1:]]
        self.assertEqual((maker["maker"], maker["first"], maker["last"]), ("sequence", 1, 120))
        self.assertEqual(len(sent), 1)
        self.assertEqual(page.get_by_role("button", name=re.compile("^Jobs")).count(), 0)

    def test_all_frames_are_stopped(self):
        page = self.page
        self.all_frames(2000)
        page.get_by_role("button", name=re.compile("^Jobs")).click()
        page.get_by_role("progressbar", name="dust").wait_for()
        page.get_by_text(re.compile("frame [0-9]+ of 2000")).wait_for()
        page.get_by_role("button", name="Stop dust").click()
        page.get_by_role("button", name=re.compile("^Jobs")).wait_for(state="detached")
        self.assertEqual(self.asked("jobs")["jobs"], [])
        self.assertEqual([p["maker"]["maker"] for p in self.stored()["populations"][1:]], ["import"])
        self.assertEqual(page.get_by_role("alert").count(), 0)


class Cameras(PlaceCase):
    def seen(self) -> list[float]:
        """Where the view looks from, as a camera that is kept says."""
        self.button("Keep what is seen now").click()
        camera = self.stored()["cameras"][-1]
        return [*camera["position"], *camera["target"], camera["angle"]]

    def test_kept_by_name_looked_through_and_left(self):
        page, button = self.page, self.button
        button("Cameras").click()
        first = self.seen()
        page.keyboard.press("Escape")
        canvas = page.get_by_role("application")
        canvas.focus()
        self.redrawn(lambda: page.keyboard.press("Shift+ArrowRight"))
        button("Cameras").click()
        turned = self.seen()
        self.assertGreater(np.abs(np.subtract(first, turned)).max(), 0.3)
        # The distance stays: it was turned about what it looks at.
        far = [np.linalg.norm(np.subtract(s[:3], s[3:6])) for s in (first, turned)]
        self.assertAlmostEqual(far[0], far[1], places=4)
        # A wider lens comes nearer, so that what it looks at stays as large (a pinhole's geometry: size over distance).
        page.get_by_label("Lens angle").fill("54")
        page.get_by_label("Lens angle").press("Enter")
        wide = self.seen()
        near = np.linalg.norm(np.subtract(wide[:3], wide[3:6]))
        self.assertEqual(wide[6], 54)
        self.assertAlmostEqual(near / far[0], np.tan(np.radians(13.5)) / np.tan(np.radians(27)), places=3)
        button("Rename Camera").click()
        page.get_by_label("Name of Camera").fill("Front")
        page.keyboard.press("Enter")
        self.redrawn(page.get_by_role("listitem").get_by_role("button", name="Front", exact=True).click)
        np.testing.assert_allclose(self.seen(), first, atol=1e-4)
        button("Remove Camera 2").click()
        self.assertEqual([c["name"] for c in self.stored()["cameras"]], ["Front", "Camera 3", "Camera"])
        # The scene opens as it was left.
        page.keyboard.press("Escape")
        canvas.focus()
        self.redrawn(lambda: page.keyboard.press("Shift+ArrowUp"))
        button("Cameras").click()
        left = self.seen()
        page.reload()
        self.settle()
        button("Cameras").click()
        np.testing.assert_allclose(self.seen(), left, atol=1e-4)
        # And frames all of it once somebody wishes so.
        page.keyboard.press("Escape")
        self.redrawn(button("Frame all (0)").click)
        page.reload()
        self.settle()
        button("Cameras").click()
        np.testing.assert_allclose(self.seen()[:6], first[:6], atol=1e-3)


class Reading(PlaceCase):
    """A reads B, which reads C; D reads nobody."""

    def document(self) -> dict:
        def dots(name: str, *chain: dict) -> dict:
            maker = {"maker": "scatter", "surface": "ball", "count": 60}
            return {"id": name, "name": name.upper(), "maker": maker, "look": look_document(*chain)}

        def near(other: str) -> dict:
            return {"step": "nearness", "population": other, "result": "value"}

        chance = [{"step": "random", "seed": 1}, GREYS]
        populations = [dots("c", *chance), dots("a", near("b")), dots("b", near("c")), dots("d", *chance)]
        return {"gaudyseed": 3, "name": "Reading", "populations": populations}

    def test_an_edit_reaches_what_reads_what_reads_it(self):
        page, asked = self.page, []

        def note(request) -> None:
            if request.url.endswith("/evaluations"):
                asked.extend(w["population"] for w in request.post_data_json["wanted"])

        card = page.get_by_role("region", name="Populations").get_by_role("listitem").nth(1)
        before = self.pixels(card)
        page.on("request", note)
        page.get_by_role("slider").first.focus()
        self.after(lambda: page.keyboard.press("Shift+ArrowRight"))
        self.rest()
        self.settle()
        self.assertEqual(sorted(set(asked)), ["a", "b", "c"])
        self.assertTrue((self.pixels(card) != before).any(), "the shares of A are those of the new colours")


class Shown(BrowserCase):
    def document(self) -> dict:
        return json.loads(demo_scene().model_dump_json())

    def test_no_timeline_where_nothing_moves(self):
        self.assertEqual(self.page.get_by_role("region", name="Timeline").count(), 0)
        self.assertGreater(int(self.page.evaluate(f"{APPLICATION}.frames")), 0)
