"""Long work on the command line: a bar on a terminal, and a clean end at Ctrl+C."""

from __future__ import annotations

import signal
import sys
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from types import FrameType

import click

from .core.runtime.task import Progress, Stopped, Task

#: Steps of the bar.
_STEPS = 1000
#: Back to the beginning of the line, which is emptied (ECMA-48).
_CLEAR = "\r\x1b[K"
#: What a shell expects of a program that was stopped by Ctrl+C.
_INTERRUPTED = 130


@contextmanager
def watched() -> Iterator[tuple[Task, Callable[[str], None]]]:
    """A task whose progress is a bar on a terminal, and what says a sentence above it.

    There is no bar where errors go to a file.

    What is noted in its log are the files that are there when it is stopped. Ctrl+C ends the program with a sentence
    that names the last of them.
    """
    bar = click.progressbar(
        length=_STEPS, file=sys.stderr, show_eta=True, bar_template="%(bar)s %(info)s %(label)s", fill_char="#",
        hidden=not sys.stderr.isatty(),
    )  # fmt: skip
    drawn, drawing = 0, threading.Lock()

    def draw(progress: Progress) -> None:
        nonlocal drawn
        # Chunks of one piece of work are told from several threads.
        with drawing:
            at = int(_STEPS * progress.share)
            changed = at > drawn or bar.label != progress.words
            bar.label = progress.words
            bar.update(at - drawn)
            drawn = at
            if changed:
                bar.render_progress()

    def say(sentence: str) -> None:
        # The bar is drawn again below it.
        click.echo(f"{'' if bar.hidden else _CLEAR}{sentence}", err=True)

    progress = Progress(told=draw)
    interrupted = threading.Event()

    def interrupt(_number: int, _frame: FrameType | None) -> None:
        # The exception may be raised inside a finalizer, which swallows it: then the next check stops.
        interrupted.set()
        raise KeyboardInterrupt

    before = signal.signal(signal.SIGINT, interrupt)
    try:
        with bar:
            yield Task(interrupted.is_set, progress), say
            progress.at(1.0, "")
    except (Stopped, KeyboardInterrupt):
        done = len(progress.log)
        there = f"{done} written, the last is {progress.log[-1]}" if done else "nothing was written"
        click.echo(f"gaudyseed: Stopped; {there}.", err=True)
        sys.exit(_INTERRUPTED)
    finally:
        signal.signal(signal.SIGINT, before)
