"""What a machine without a graphics card does: the demo's first picture, and a ramp edit until it is seen."""

from __future__ import annotations

import os
import time
from pathlib import Path
from statistics import median
from typing import Any

Row = tuple[str, str, str]
_APPLICATION = "(document.querySelector('[role=application]')?.dataset ?? {})"
#: Mesa draws, or Chromium itself: the view alone, as it does where no card is, or the page around it too.
_RENDERERS = {
    "Mesa": ["--use-gl=angle", "--use-angle=gl-egl", "--ignore-gpu-blocklist"],
    "SwiftShader": ["--enable-unsafe-swiftshader"],
    "SwiftShader, the page too": ["--use-angle=swiftshader", "--enable-unsafe-swiftshader"],
}


def _browsers() -> list[int]:
    """The processes of browsers below this one."""
    waiting, found = [os.getpid()], []
    while waiting:
        folder = Path(f"/proc/{waiting.pop()}/task")
        for task in folder.iterdir() if folder.exists() else ():
            children = [int(pid) for pid in (task / "children").read_text().split()]
            waiting += children
            found += [pid for pid in children if b"chrom" in Path(f"/proc/{pid}/cmdline").read_bytes()]
    return found


def _processor_time() -> float:
    """Seconds that all processes of browsers below this one have used."""
    ticks = 0
    for pid in _browsers():
        fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
        ticks += int(fields[11]) + int(fields[12])
    return ticks / os.sysconf("SC_CLK_TCK")


def bench_light(address: str, rows: list[Row]) -> None:
    """By each of the ways in which a processor draws."""
    from playwright.sync_api import sync_playwright
    from tests.browser.driver import chromium

    with sync_playwright() as p:
        for name, arguments in _RENDERERS.items():
            browser = p.chromium.launch(executable_path=chromium(), args=["--no-sandbox", *arguments])
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.set_default_timeout(120_000)
            page.goto(f"{address}scene/midnight-menagerie/colour")
            _seen(page)
            page.wait_for_timeout(1500)
            used = _processor_time()
            seen = _edits(page)
            browser.close()
            rows.append(
                (
                    f"the demo's first picture without a graphics card ({name}), the whole browser",
                    f"{used:.1f} s of processor time",
                    "(wanted: 8)",
                )
            )
            rows.append(
                (
                    f"ramp edit of 12,000 sequins until it is drawn, without a graphics card ({name})",
                    f"median {median(seen):.0f} ms",
                    "(wanted: 150)",
                )
            )


def _seen(page: Any) -> None:
    page.wait_for_function(
        f"() => {_APPLICATION}.drawn > 0 && {_APPLICATION}.drawn === {_APPLICATION}.applied"
        f" && {_APPLICATION}.told === 'all'"
    )


def _edits(page: Any, rounds: int = 20) -> list[float]:
    """Milliseconds from each key on a stop until its colours are drawn; the first ones warm up."""
    page.get_by_role("slider", name="Stop 2").or_(page.get_by_role("slider").nth(1)).first.focus()
    times = []
    for k in range(rounds + 3):
        before = page.evaluate(f"{_APPLICATION}.applied")
        began = time.perf_counter()
        page.keyboard.press(("ArrowRight", "ArrowLeft")[k % 2])
        page.wait_for_function(
            f"b => {_APPLICATION}.applied !== b && {_APPLICATION}.drawn === {_APPLICATION}.applied", arg=before,
            polling=10,
        )  # fmt: skip
        times.append(1000 * (time.perf_counter() - began))
        page.wait_for_timeout(250)
    return times[3:]
