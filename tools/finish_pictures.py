"""Take the pictures of the finishes that ship: the product renders a ball with each, in greys.

Run it with .venv/bin/python tools/finish_pictures.py after the view's light or a finish has changed.
"""

from __future__ import annotations

import io
import json
import sys
import urllib.request
from pathlib import Path

from PIL import Image
from playwright.sync_api import sync_playwright

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from tests.browser.driver import APPLICATION, ARGUMENTS, Server, chromium  # noqa: E402

from gaudyseed.core.library import beginnings  # noqa: E402

FOLDER = ROOT / "src/gaudyseed/core/finish_pictures"
WIDTH, HEIGHT = 240, 120


def scene_of(finish: dict) -> dict:
    """A grey ball with the finish."""
    paint = [{"step": "constant", "value": "#5c5c5c"}]
    look = {"gaudyseed": 3, "finishes": [finish], "lanes": {"base_colour": {"layers": [{"paint": paint}]}}}
    ball = {"id": "ball", "name": "Ball", "maker": {"maker": "mesh", "surface": "ball", "subdivision": 3}, "look": look}
    return {"gaudyseed": 3, "name": finish["name"], "populations": [ball], "view": {"surround": "mid"}}


def main() -> None:
    """All of them."""
    FOLDER.mkdir(exist_ok=True)
    server = Server()
    with sync_playwright() as driver:
        browser = driver.chromium.launch(executable_path=chromium(), args=ARGUMENTS)
        page = browser.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True).new_page()
        page.set_default_timeout(120_000)
        for _, kind, name, document in beginnings():
            if kind != "finish":
                continue
            body = json.dumps({"document": scene_of(json.loads(document))}).encode()
            request = urllib.request.Request(f"{server.address}api/scenes", body, {"Content-Type": "application/json"})
            with urllib.request.urlopen(request) as answer:
                scene = json.load(answer)["id"]
            page.goto(f"{server.address}?scene={scene}")
            page.wait_for_function(f"() => {APPLICATION}.drawn > 0 && {APPLICATION}.told === 'all'")
            page.keyboard.press("Alt+3")
            page.get_by_role("textbox", name="Width, px").fill(str(4 * WIDTH))
            page.keyboard.press("Enter")
            page.get_by_role("textbox", name="Height, px").fill(str(4 * HEIGHT))
            page.keyboard.press("Enter")
            with page.expect_download() as waiting:
                page.get_by_role("button", name="Save picture").click()
            with Image.open(io.BytesIO(Path(waiting.value.path()).read_bytes())) as taken:
                # The ball stands in the middle, with room for its shadow.
                near = taken.convert("L").crop((WIDTH // 2, 0, 7 * WIDTH // 2, 4 * HEIGHT))
                small = near.resize((3 * WIDTH // 4, HEIGHT), Image.Resampling.LANCZOS)
            small.save(FOLDER / f"{name.lower().replace(' ', '-')}.png", optimize=True)
            print(name, flush=True)
        browser.close()
    server.end()


if __name__ == "__main__":
    main()
