"""The real server and a real browser for tests."""

from __future__ import annotations

import atexit
import io
import json
import os
import re
import shutil
import subprocess
import sys
import tempfile
import unittest
import urllib.request
from collections.abc import Callable
from functools import cache
from pathlib import Path

import numpy as np
from PIL import Image
from playwright.sync_api import Browser, BrowserContext, Locator, Page, Playwright, ViewportSize, sync_playwright

from tests.support import beetle_scene

#: Software drawing through Mesa is one to three times as fast as Chromium's own.
ARGUMENTS = [
    "--no-sandbox", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync", "--use-gl=angle", "--use-angle=gl-egl", "--ignore-gpu-blocklist",
]  # fmt: skip
#: The page around the view put together without Mesa: less than half of the work, but edges in the view are softened.
QUICK = ["--disable-gpu-rasterization", "--disable-gpu-compositing"]
os.environ.setdefault("LIBGL_ALWAYS_SOFTWARE", "1")
APPLICATION = "(document.querySelector('[role=application]')?.dataset ?? {})"


def chromium() -> str:
    """Debian's Chromium, or another that is installed."""
    found = next(filter(None, map(shutil.which, ("chromium", "chromium-browser", "google-chrome"))), None)
    assert found, "Chromium is missing; ./gaudy test installs it"
    return found


class Server:
    """A server with the demo, on a data file of its own."""

    def __init__(self) -> None:
        self._held = tempfile.TemporaryDirectory()
        self.folder = Path(self._held.name)
        self.data = self.folder / "data.sqlite"
        self.start()

    def start(self) -> None:
        """Start it, or start it again on the same file."""
        port = str(8700 + os.getpid() % 1000)
        command = [sys.executable, "-m", "gaudyseed.cli", "demo", "--no-open", "--port", port, "--data", str(self.data)]
        self.process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        assert self.process.stdout
        self.address = self.process.stdout.readline().split()[-1]

    def stop(self, kill: bool = False) -> None:
        """End it; the data file stays."""
        if kill:
            self.process.kill()
        else:
            self.process.terminate()
        self.process.wait(20)
        if self.process.stdout:
            self.process.stdout.close()

    def end(self) -> None:
        """End it and remove its file."""
        self.stop()
        self._held.cleanup()


@cache
def shared_server() -> Server:
    """The one server of this process."""
    server = Server()
    atexit.register(server.end)
    return server


@cache
def shared_driver() -> Playwright:
    """What drives the browsers of this process."""
    driver = sync_playwright().start()
    atexit.register(driver.stop)
    return driver


@cache
def shared_browser(exact: bool = False) -> Browser:
    """The one browser of this process; for tests that look at single pixels of the view another one."""
    more = [] if exact else QUICK
    browser = shared_driver().chromium.launch(executable_path=chromium(), args=[*ARGUMENTS, *more])
    atexit.register(browser.close)
    return browser


@cache
def shared_context(width: int, height: int, exact: bool = False) -> BrowserContext:
    """One for all tests of a size: scripts that are compiled and cached once cost half of a test's start less."""
    size: ViewportSize = {"width": width, "height": height}
    context = shared_browser(exact).new_context(viewport=size, bypass_csp=True, accept_downloads=True)
    # A page that is left with something unsaved asks; the next test goes on.
    context.on("dialog", lambda dialog: dialog.accept())
    return context


def drawn(test: Callable[..., None]) -> Callable[..., None]:
    """A test that looks at the view's pixels: there they are drawn."""
    test.drawn = True  # type: ignore[attr-defined]
    return test


class BrowserCase(unittest.TestCase):
    """A fresh scene and page for each test, with the server and the browser of the process."""

    SIZE = {"width": 1280, "height": 800}
    #: How the view draws; blank, it draws nothing, but tells what it was given and finds elements.
    QUERY = "&view=blank"
    #: Whether single pixels of the view are looked at.
    EXACT = False

    @classmethod
    def setUpClass(cls) -> None:
        cls.browser = shared_browser(cls.EXACT)
        cls.server = shared_server()
        cls.folder, cls.data = cls.server.folder, cls.server.data

    @property
    def address(self) -> str:
        """Where the server answers."""
        return self.server.address

    def setUp(self) -> None:
        self.errors: list[str] = []
        if getattr(getattr(self, self._testMethodName), "drawn", False):
            self.QUERY = self.QUERY.replace("view=blank", "view=light")
        self.scene = self.asked("scenes", {"document": self.document()})["id"]
        self.context = shared_context(self.SIZE["width"], self.SIZE["height"], self.EXACT)
        self.addCleanup(self.forget)
        self.page = self.opened()

    def forget(self) -> None:
        """Leave nothing of what the test's pages kept to the next one, which goes on in the first of them.

        A page that stays open starts three times as fast as a new one, its code being compiled.
        """
        for k, page in enumerate(self.context.pages):
            page.evaluate("localStorage.clear(); sessionStorage.clear()")
            page.remove_listener("pageerror", self.failed)
            if k or page.is_closed():
                page.close()
                continue
            page.unroute_all(behavior="ignoreErrors")
            page.set_viewport_size({"width": self.SIZE["width"], "height": self.SIZE["height"]})
            # Away from all that shows something while it is pointed at.
            page.mouse.move(0, 0)

    def failed(self, error: object) -> None:
        """Note what went wrong in a page."""
        self.errors.append(str(error))

    def asked(self, path: str, body: dict | None = None) -> dict:
        """The server's answer: to a body, or to a plain question."""
        data = None if body is None else json.dumps(body).encode()
        request = urllib.request.Request(f"{self.address}api/{path}", data, {"Content-Type": "application/json"})
        with urllib.request.urlopen(request) as answer:
            return json.load(answer)

    def document(self) -> dict:
        """The scene that each test begins with: the demo's."""
        return beetle_scene()

    def opened(self) -> Page:
        """The scene in a page: the one that the test before left, or where that is in use already a new one."""
        free = [page for page in self.context.pages if page is not getattr(self, "page", None)]
        page = free[0] if free and not hasattr(self, "page") else self.context.new_page()
        page.set_default_timeout(60_000)
        page.on("pageerror", self.failed)
        page.goto(f"{self.address}?scene={self.scene}{self.QUERY}")
        self.settle(page)
        return page

    def tearDown(self) -> None:
        self.assertEqual(self.errors, [])

    def settle(self, page: Page | None = None) -> None:
        """Wait until the newest colours are drawn and everything is saved."""
        page = page or self.page
        page.wait_for_function(
            f"() => {APPLICATION}.drawn > 0 && {APPLICATION}.drawn === {APPLICATION}.applied"
            f" && {APPLICATION}.told === 'all'"
            " && document.querySelector('[data-saving]')?.dataset.saving === 'saved'"
        )

    def rest(self) -> None:
        """Wait until nothing on the page moves or is on its way into the view, for two frames."""
        self.page.wait_for_function(
            f"""() => new Promise(told => requestAnimationFrame(() => requestAnimationFrame(() => told(
                document.getAnimations().every(a => a.playState !== 'running')
                && {APPLICATION}.drawn === {APPLICATION}.applied && {APPLICATION}.told !== 'colours'))))"""
        )

    def pixels(self, of: Page | Locator) -> np.ndarray:
        """A picture of the page or of one element once it rests, (rows, columns, 3)."""
        self.rest()
        shows = isinstance(of, Page) or of.get_attribute("role") == "application"
        assert not (shows and "view=blank" in self.QUERY), "the view of this class draws nothing"
        return np.asarray(Image.open(io.BytesIO(of.screenshot())).convert("RGB")).astype(int)

    def shares(self) -> list[str]:
        """The shares that the strip shows, by its buttons' names."""
        names = self.page.get_by_label("Shares", exact=True).get_by_role("button")
        return [names.nth(k).get_attribute("aria-label") or "" for k in range(names.count())]

    def redrawn(self, act) -> None:
        """Do something that changes the picture and wait until it has been drawn."""
        before = int(self.page.evaluate(f"{APPLICATION}.frames"))
        act()
        self.page.wait_for_function(f"b => Number({APPLICATION}.frames) > b", arg=before)

    def drag(self, held: Locator, over: Locator) -> None:
        """Take hold of something with the mouse and drop it over something else."""
        boxes = [of.bounding_box() for of in (held, over)]
        (x, y), to = [(b["x"] + b["width"] / 2, b["y"] + b["height"] / 2) for b in boxes if b]
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + 3, y + 8, steps=3)
        self.page.mouse.move(*to, steps=8)
        self.page.mouse.up()

    def take_from(self, opener: str, title: str, wait: bool = True) -> None:
        """Open a list that has a search, type what is wanted, and take it; ``wait`` for its colours."""
        self.page.get_by_role("button", name=opener, exact=True).click()
        self.page.get_by_role("combobox", name=opener, exact=True).fill(title)
        option = self.page.get_by_role("option").filter(has=self.page.get_by_text(title, exact=True)).first
        if wait:
            self.after(option.click)
        else:
            option.click()

    def add_step(self, title: str, wait: bool = True) -> None:
        """Add a step by its title."""
        self.take_from("Add a step", title, wait)

    def mask_by(self, title: str, wait: bool = True) -> None:
        """Mask the layer that is shown by a ready beginning."""
        self.take_from("Mask by…", title, wait)

    def channel(self, title: str) -> None:
        """Show a channel: by its chip where it is in use, else by the list of all."""
        chip = self.page.get_by_role("group", name="Channels").get_by_role("button", name=re.compile(f"^{title}, "))
        if chip.count():
            chip.click()
        else:
            self.take_from("Channel", title, wait=False)

    def make(self, title: str) -> None:
        """Make a population by its name in the window of what can be made."""
        self.page.get_by_role("button", name="Make…", exact=True).click()
        offered = self.page.get_by_role("dialog").get_by_role("listitem").filter(has_text=re.compile(f"^{title}"))
        self.after(offered.get_by_role("button").click)

    def command(self, words: str) -> None:
        """Carry out a command that is found by these words."""
        search = self.page.get_by_label("Search commands", exact=True)
        self.page.keyboard.press("Control+k")
        search.wait_for()
        self.page.keyboard.type(words)
        self.page.keyboard.press("Enter")
        search.wait_for(state="hidden")

    def open_fields(self, group: str) -> None:
        """Open a group of fields of the open step, or of what makes a population."""
        places = self.page.locator("[data-step], [aria-label=Population]")
        folded = places.get_by_role("button", name=re.compile(f"^{group}( [0-9]+ changed)?$"))
        if folded.get_attribute("aria-expanded") == "false":
            folded.click()

    def open_remarks(self) -> None:
        """Open every line of remarks that is closed."""
        closed = self.page.locator('[role="group"][aria-label*="emark"] > button[aria-expanded="false"]')
        closed.first.wait_for()
        while closed.count():
            closed.first.click()

    def fix(self, label: str) -> None:
        """Carry out the fix of a remark."""
        button = self.page.get_by_role("button", name=label, exact=True)
        if not button.count():
            self.open_remarks()
        self.after(button.first.click)

    def by_chance(self) -> None:
        """In the dialogue of an import: not the colours that the file carries, but random ones."""
        self.page.get_by_role("button", name=re.compile("^Colours at first: ")).click()
        with self.page.expect_response(re.compile("/jobs/.*/result")):
            self.page.get_by_role("option", name="By chance").click()

    def after(self, act) -> None:
        """Do something and wait until its colours are drawn and saved."""
        before = self.page.evaluate(f"{APPLICATION}.applied")
        act()
        self.page.wait_for_function(f"b => {APPLICATION}.applied !== b", arg=before)
        self.settle()
