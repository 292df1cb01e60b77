"""Take the guide's pictures from the demo: ``.venv/bin/python tools/screenshots.py [name ...]``."""

from __future__ import annotations

import copy
import json
import re
import sys
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PIL import Image

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from tests.browser.driver import BrowserCase  # noqa: E402
from tools.kite import kite  # noqa: E402

from gaudyseed.demo import bench_scene, demo_scene, finale_scene, horse_scene, route_scene  # noqa: E402

FOLDER = ROOT / "docs" / "screenshots"


class Camera(BrowserCase):
    """Drives the page as the tests do, with the whole view drawn."""

    QUERY = "&view=full"

    def runTest(self) -> None:  # noqa: N802
        """Nothing: only the set-up is wanted."""

    def document(self) -> dict:
        """The demo, with what a picture wants changed."""
        return self.wanted if hasattr(self, "wanted") else super().document()

    def add(self, *titles: str, wait: bool = True) -> None:
        """Add steps by their titles."""
        for title in titles:
            self.add_step(title, wait)

    def open(self, title: str) -> None:
        """Open a step's slab."""
        slab = self.page.get_by_role("region", name=re.compile(f"^Step \\d+, {title}$")).first
        slab.get_by_role("button", name=re.compile(f"^{title}")).first.click()

    def choose(self, label: str, option: str, wait: bool = True) -> None:
        """Choose from a small menu."""
        self.page.get_by_label(re.compile(f"^{label}: ")).first.click()
        item = self.page.get_by_role("option", name=option, exact=True)
        self.after(item.click) if wait else item.click()

    def menu(self, button: str, item: str, wait: bool = True) -> None:
        """Choose from a menu of actions."""
        self.page.get_by_label(button, exact=True).click()
        found = self.page.get_by_role("menuitem", name=item, exact=True)
        self.after(found.click) if wait else found.click()

    def fill(self, label: str, text: str) -> None:
        """Type into a field."""
        field = self.page.get_by_label(label, exact=True).first
        field.fill(text)
        self.after(lambda: field.press("Enter"))


def sequins(camera: Camera, paint: list, **look) -> None:
    """Begin with a chain of our own on the beetle."""
    scene = BrowserCase.document(camera)
    document = scene["populations"][0]["look"]
    document["lanes"]["base_colour"]["layers"][0]["paint"] = paint
    document.update(look)
    camera.wanted = scene


DRIFT = {"step": "drift", "hue": [-9.0, 9.0], "saturation": [-0.06, 0.06], "lightness": [-0.07, 0.07], "seed": 3}
BANDS = json.loads((ROOT / "src/gaudyseed/demo/midnight-menagerie.json").read_text())["populations"][0]["look"][
    "lanes"
]["base_colour"]["layers"][0]["paint"][1]


def ramp(kind: str, *stops: str) -> dict:
    """A ramp of stops such as ``#d8452f 0.5``."""
    pairs = [s.split() for s in stops]
    return {"step": "ramp", "interpolation": kind, "stops": [{"at": float(a), "colour": c} for c, a in pairs]}


WHEEL = ramp("straight", "#e84a3a 0", "#e8d83a 0.167", "#4ae83a 0.333", "#3ae8d8 0.5", "#4a3ae8 0.667", "#e83ad8 0.833",
             "#e83a4a 1")  # fmt: skip
DUSK = ramp("straight", "#1a1530 0", "#5b2a5c 0.3", "#c8553d 0.62", "#f2b45a 0.85", "#fff1cf 1")


def colour_room(c: Camera) -> None:
    """The first screen."""


def places(c: Camera) -> None:
    """Walls by noise and by a picture within a falloff, whose handles are shown."""
    c.page.get_by_role("button", name=re.compile("^Moon normal")).first.click()
    c.page.get_by_role("tab", name="Mask").click()
    c.open("Falloff")
    c.page.get_by_role("slider", name="Frame").focus()
    c.after(lambda: c.page.get_by_role("button", name="Next key").click())


def painting(c: Camera) -> None:
    """A weight painted by hand onto the fox mask, its edge broken up by a noise."""
    page = c.page
    page.get_by_role("button", name="Paint soot").click()
    box = page.get_by_role("application").bounding_box()
    assert box
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    for way in ([(-95, -40), (-60, 0), (-30, 55), (0, 90)], [(95, -55), (65, -10), (35, 50), (5, 90)]):
        page.mouse.move(x + way[0][0], y + way[0][1])
        page.mouse.down()
        for dx, dy in way[1:]:
            page.mouse.move(x + dx, y + dy, steps=6)
        page.mouse.up()
        page.wait_for_timeout(1500)
        c.settle()
    page.get_by_role("button", name=re.compile("^Soot")).first.click()
    page.get_by_role("tab", name="Mask").click()
    page.mouse.move(x + 40, y + 30)
    page.wait_for_timeout(1500)


def signal(c: Camera) -> None:
    """A signal's own chain, with a layer over it."""
    c.page.get_by_role("list", name="Signals").get_by_role("button", name="wear").click()
    c.page.get_by_role("list", name="Layers over wear, top first").get_by_role(
        "button", name=re.compile("^Height")
    ).click()


def send(c: Camera) -> None:
    """Feathers that share one picture; its two versions, and the lane that mixes them."""
    c.channel("Picture mix")
    c.page.wait_for_function("() => (document.querySelector('[role=application]').dataset.waits ?? '0') === '0'")


def finishes(c: Camera) -> None:
    """The finishes of the library."""
    c.page.get_by_role("button", name=re.compile("^Glass beads")).first.click()
    c.page.get_by_role("button", name=re.compile("^Finish, ")).click()
    c.page.get_by_role("button", name="Add from the library…").click()
    c.page.get_by_role("button", name="Use Foil").wait_for()


def two_populations(c: Camera) -> None:
    """Two populations, and a roughness of its own."""
    c.channel("Roughness")
    c.open("Levels")


def shares(c: Camera) -> None:
    """Typed shares, one locked, then spread."""
    c.page.get_by_role("slider").nth(4).focus()
    c.fill("share, %", "10")
    c.after(lambda: c.page.get_by_label("Lock the share").click())
    c.page.get_by_role("button", name=re.compile("^Random")).click()
    c.add("Spread")
    c.open("Ramp")


def picture(c: Camera) -> None:
    """A palette from a picture."""
    path = c.folder / "kite-over-the-parade.png"
    Image.fromarray(kite()).save(path)
    c.page.keyboard.press("Control+k")
    c.page.keyboard.type("Palette from a picture")
    c.page.keyboard.press("Enter")
    c.page.get_by_label("Picture file").set_input_files(str(path))
    c.page.get_by_text("8 found").wait_for()


def finale(c: Camera) -> None:
    """The finale, its sparks chosen, framed as it is after a while."""
    c.page.get_by_text("Sparks", exact=True).first.click()
    c.page.get_by_label("Frame all (0)").click()
    c.page.mouse.move(0, 0)
    c.settle()


def library(c: Camera) -> None:
    """The palettes that are kept."""
    c.page.get_by_role("button", name="Library").click()
    c.page.get_by_label("Use Parade").wait_for()


def strands(c: Camera) -> None:
    """The hobby-horse with its mane, coloured along every strand."""
    c.page.mouse.move(0, 0)
    c.settle()


def parts(c: Camera) -> None:
    """Imported plates that share a colour by name, under a copied look."""
    rng = np.random.default_rng(2)
    turn, height = rng.random(2600) * 2 * np.pi, rng.random(2600) * 2 - 1
    plate = (np.floor(turn / (2 * np.pi) * 12) * 5 + np.floor((height + 1) * 2.5)).astype(int)
    wide = np.sqrt(1 - (0.72 * height) ** 2) * (1 + 0.12 * np.cos(6 * turn))
    rows = np.stack([wide * np.cos(turn), wide * np.sin(turn), height + 1], axis=1)
    lines = [f"{x:.4f},{y:.4f},{z:.4f},plate {p}" for (x, y, z), p in zip(rows, plate, strict=True)]
    path = c.folder / "lantern-plates.csv"
    path.write_text("x,y,z,plate\n" + "\n".join(lines) + "\n")
    c.page.get_by_label("More for layers and looks").click()
    c.page.get_by_role("menuitem", name="Copy the whole look").click()
    c.page.keyboard.press("Alt+1")
    c.page.get_by_label("File to import").set_input_files(str(path))
    c.page.get_by_role("button", name="Add to the scene").click()
    c.page.get_by_text("2,600 elements", exact=True).wait_for()
    c.settle()
    c.page.keyboard.press("Alt+2")
    c.page.get_by_label("Show lantern-plates alone").click()
    c.page.get_by_label("Frame all (0)").click()
    c.menu("More for layers and looks", "Paste a whole look")
    c.open("Random")
    c.choose("Per", "plate · text")


def making(c: Camera) -> None:
    """What can be made."""
    c.page.keyboard.press("Alt+1")
    c.page.get_by_role("button", name="Make…", exact=True).click()
    pictures = c.page.get_by_role("dialog").locator("img")
    for image in pictures.element_handles():
        c.page.wait_for_function("image => image.complete", arg=image)


def gather(c: Camera) -> None:
    """The Gather room: a mesh, its place by handles, what it costs."""
    c.page.keyboard.press("Alt+1")
    c.page.get_by_role("button", name=re.compile("^Mosaic carp")).first.click()
    c.page.get_by_role("switch", name="Handles in the view").click()
    c.page.get_by_label("Costs").get_by_text("One level more").wait_for()


def elements(c: Camera) -> None:
    """The table of all elements."""
    c.page.keyboard.press("Alt+1")
    c.page.get_by_role("button", name="All elements").click()
    c.page.get_by_role("row", name=re.compile("#")).first.wait_for()
    c.page.get_by_role("button", name="size", exact=True).click()
    c.page.get_by_role("row", name=re.compile("#")).nth(3).click()
    c.page.get_by_role("region", name="Trace of element").wait_for()


def imported(c: Camera) -> None:
    """A file that is offered."""
    rng, n = np.random.default_rng(6), 900
    turn, height = 2.399963 * np.arange(n), np.linspace(-1, 1, n)
    wide = np.sqrt(1 - (0.85 * height) ** 2) * (1 + 0.1 * np.cos(5 * turn))
    kind = ((turn / (2 * np.pi) * 5 + 2 * height) % 3).astype(int)
    tones = np.array([[214, 150, 52], [36, 122, 104], [238, 226, 204]])[kind] + rng.integers(-14, 15, (n, 1))
    rows = [
        f"{w * np.cos(t):.3f},{w * np.sin(t):.3f},{h:.3f},{k},{r},{g},{b},{('amber', 'jade', 'shell')[i]}"
        for k, (t, h, w, (r, g, b), i) in enumerate(zip(turn, height, wide, tones.clip(0, 255), kind, strict=True))
    ]
    path = c.folder / "lantern-beads.csv"
    path.write_text("x,y,z,id,red,green,blue,kind\n" + "\n".join(rows) + "\n")
    c.page.keyboard.press("Alt+1")
    c.page.get_by_label("File to import").set_input_files(str(path))
    c.page.get_by_role("dialog").get_by_text("900", exact=True).wait_for()


def publish(c: Camera) -> None:
    """The Publish room."""
    c.page.keyboard.press("Alt+3")


def trace(c: Camera) -> None:
    """One element's way, in the dim interface."""
    c.page.get_by_label("Light or dim interface").click()
    c.page.get_by_role("application").focus()
    c.page.keyboard.press("Enter")
    c.page.get_by_role("region", name="Trace of element").wait_for()


HEIGHT = {"name": "Height", "blend": "multiply", "amount": 0.8, "paint": [
    {"step": "attribute", "name": "position", "component": "z"},
    {"step": "range", "own": True, "to_high": 1.4}]}  # fmt: skip
WEAR = {"name": "wear", "chain": [{"step": "random", "seed": 11}, DUSK, {"step": "component", "part": "luma"}]}
RANDOM = {"step": "random", "seed": 42}
FOLLOWED = {**DRIFT, "hue": [0, {"signal": "wear", "low": 0, "high": 70}]}
#: Those of the whole demo; the others show its sequins alone.
WHOLE = ("colour-room", "gather-room", "publish-room", "making")
#: Name: what is done, and the chain it begins with (None: the demo as it is).
PICTURES: dict[str, tuple[Callable[[Camera], None], list | None, dict]] = {
    "colour-room": (colour_room, None, {}),
    "gather-room": (gather, None, {}),
    "publish-room": (publish, None, {}),
    "import": (imported, None, {}),
    "elements": (elements, None, {}),
    "trace-dim": (trace, None, {}),
    "places": (places, None, {}),
    "painting": (painting, None, {}),
    "parts": (parts, None, {}),
    "signal": (signal, [RANDOM, BANDS, FOLLOWED], {"signals": [{**WEAR, "layers": [HEIGHT]}]}),
    "send": (send, None, {}),
    "finishes": (finishes, None, {}),
    "scene": (two_populations, None, {}),
    "making": (making, None, {}),
    "shares": (shares, None, {}),
    "picture": (picture, None, {}),
    "finale": (finale, None, {}),
    "library": (library, [{"step": "random", "numbers": 2, "seed": 4},
                          {"step": "palette", "name": "Night sweets", "columns": 3, "swatches": [
                              {"colour": c, "locked": c == "#a02c7d"}
                              for c in ("#1b1433", "#46206b", "#a02c7d", "#ef5d78", "#ffb37a", "#fff0c9")]}], {}),
    "strands": (strands, None, {}),
}  # fmt: skip


def main(names: list[str]) -> None:
    """Take the named pictures, or all."""
    Camera.setUpClass()
    try:
        for name in names or PICTURES:
            act, paint, look = PICTURES[name]
            camera = Camera()
            if paint:
                sequins(camera, paint, **look)
            if name == "scene":
                camera.wanted = with_berries(BrowserCase.document(camera))
            if name == "finale":
                camera.wanted = finale_scene().model_dump(mode="json")
            if name in WHOLE:
                camera.wanted = demo_scene().model_dump(mode="json")
            if name == "strands":
                camera.wanted = horse_scene().model_dump(mode="json")
            if name == "places":
                camera.wanted = route_scene().model_dump(mode="json")
            if name in ("send", "finishes"):
                camera.wanted = bench_scene().model_dump(mode="json")
            if name == "painting":
                camera.wanted = sooted(demo_scene().model_dump(mode="json"))
            camera.setUp()
            act(camera)
            camera.settle()
            if name != "painting":
                camera.page.mouse.move(3, 790)
            camera.page.wait_for_timeout(700)
            camera.page.screenshot(path=str(FOLDER / f"{name}.png"))
            camera.doCleanups()
            print(name)
    finally:
        Camera.doClassCleanups()


def sooted(scene: dict) -> dict:
    """The fox mask alone, with a layer of soot through a weight that is still to be painted."""
    fox = scene["populations"][3]
    fox["maker"]["subdivision"] = 2
    fox["painted"] = [{"name": "soot"}]
    noise = {"step": "noise", "seed": 6, "size": 0.16, "low": 0.3, "high": 0.7}
    mask = [{"step": "attribute", "name": "soot"}, {"step": "mix", "blend": "overlay", "factor": 0.8, "chain": [noise]}]
    paint = [{"step": "noise", "seed": 9, "size": 0.3}, ramp("straight", "#122a3f 0.2", "#1f5a66 0.55", "#8fd0b8 0.9")]
    fox["look"]["lanes"]["base_colour"]["layers"].append({"name": "Soot", "paint": paint, "mask": mask})
    return {**scene, "populations": [fox]}


def with_berries(scene: dict) -> dict:
    """The demo with berries round it, and sequins that are here dull and there polished."""
    berries = copy.deepcopy(scene["populations"][0])
    berries |= {"id": "berries", "name": "Berries", "shape": "ball"}
    berries["maker"] = {
        "maker": "scatter",
        "surface": "beetle",
        "count": 260,
        "seed": 5,
        "spacing": 0.16,
        "size": 0.1,
        "size_variation": 0.5,
        "offset": 0.03,
    }
    berries["look"]["lanes"]["base_colour"]["layers"][0]["paint"] = [{**RANDOM, "seed": 8}, DUSK, DRIFT]
    rough = [{**RANDOM, "seed": 3}, {"step": "levels", "gamma": 0.4}, {"step": "range", "to_low": 0.05, "to_high": 0.9}]
    scene["populations"][0]["look"]["lanes"]["roughness"] = {"layers": [{"name": "Polish", "paint": rough}]}
    scene["populations"].append(berries)
    return scene


if __name__ == "__main__":
    main(sys.argv[1:])
