"""Running a reader in a process of its own."""

from __future__ import annotations

import contextlib
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

from ..errors import BadInput
from ..runtime.task import Task
from .reader_limits import FULL, NO_ROOM


@contextlib.contextmanager
def temporary_folder() -> Iterator[Path]:
    """A folder for files that go to another process; BadInput where there is no room for them."""
    try:
        with tempfile.TemporaryDirectory() as folder:
            yield Path(folder)
    except OSError as error:
        if error.errno not in NO_ROOM:
            raise
        raise no_room() from None


def no_room() -> BadInput:
    """What to raise where the folder for temporary files is full."""
    return BadInput(
        f"There is no room in {tempfile.gettempdir()}, where temporary files lie. Make some, and try again.",
        place=tempfile.gettempdir(), code="no_room_left",
    )  # fmt: skip


def run_apart(worker: Path, arguments: list[str], name: str, task: Task, seconds: float, code: str) -> None:
    """Run a worker to its end.

    BadInput with ``code`` says what it refused, that it took longer than so many seconds, or that the file stopped it.
    """
    process = subprocess.Popen(
        [sys.executable, "-I", str(worker), *arguments], stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL,
        stderr=subprocess.PIPE,
    )  # fmt: skip
    try:
        waited = 0.0
        while True:
            try:
                _, said = process.communicate(timeout=0.2)
                break
            except subprocess.TimeoutExpired:
                waited += 0.2
                task.check()
                if waited > seconds:
                    raise BadInput(f"{name} took longer than {seconds:g} s to read. Split it.", place=name) from None
    finally:
        if process.poll() is None:
            process.kill()
            process.communicate()
    if process.returncode == FULL:
        raise no_room()
    if process.returncode == 3:
        lines = said.decode("utf-8", "replace").strip().splitlines()
        raise BadInput(lines[-1] if lines else "The file cannot be read.", place=name, code=code)
    if process.returncode:
        raise BadInput(
            f"{name} stopped the reader: it is damaged, nested too deep, or wants too much memory. Export it again.",
            place=name, code=code,
        )  # fmt: skip
