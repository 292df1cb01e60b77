"""The command line: serve the application, colour files without it, warm the kernels."""

from __future__ import annotations

import errno
import gc
import json
import os
import secrets
import sys
import threading
import webbrowser
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any, Literal
from urllib.parse import quote

import click
import platformdirs

from . import __version__
from .core.errors import BadInput
from .files import tidy_end, write_file

DEFAULT_PORT = 8473


@click.group(context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100})
@click.version_option(__version__, prog_name="gaudyseed")
def main() -> None:
    """Gaudy Seed: colour thousands of like things so that it looks chosen."""


@contextmanager
def _refusing() -> Iterator[None]:
    """One sentence and exit code 2 for bad input, a data file that cannot be used, and too little memory."""
    from .store import Trouble

    try:
        yield
    except (BadInput, Trouble) as error:
        click.echo(f"gaudyseed: {error}", err=True)
        sys.exit(2)
    except MemoryError:
        click.echo("gaudyseed: There is too little memory for this. Use fewer elements or a smaller file.", err=True)
        sys.exit(2)


# Colouring files


def _format_of(path: Path, ascii_text: bool, parts: bool) -> Any:
    from .core.formats import FORMATS, format_of

    found = FORMATS["csv_parts"] if parts and path.suffix.lower() == ".csv" else format_of(path.suffix, ascii_text)
    if found is None:
        endings = " or ".join(dict.fromkeys(f.ending for f in FORMATS.values()))
        raise BadInput(
            f"The ending {path.suffix.lower() or '(none)'} is not known. Write to {endings}.", place=str(path)
        )
    return found


def _print_census(evaluation: Any, groups: Any) -> None:
    total = evaluation.population.count
    click.echo(f"{total:,} elements")
    for count, colour in zip(groups.counts, groups.colours, strict=True):
        click.echo(f"{colour or 'no element':>10}  {count:>12,}  {100 * count / total:6.2f} %")


@main.command()
@click.argument("points", type=click.Path(path_type=Path), required=False)
@click.option("--look", "look_file", type=click.Path(path_type=Path), help="A look file (JSON).")
@click.option("--out", type=click.Path(path_type=Path), help="Where to write: .ply, .obj, .glb, .usd, .csv or .mtlx.")
@click.option("--ascii", "ascii_text", is_flag=True, help="Write PLY as text.")
@click.option("--parts", is_flag=True, help="Write CSV of the parts, not of the elements.")
@click.option("--population", "name", default="", help="Which one, where the file or the scene holds several.")
@click.option("--frame", type=float, help="A whole frame, of the timeline and of a file that moves; else the first.")
@click.option("--frames", metavar="A-B", help="Write a numbered file for each of these frames.")
@click.option(
    "--samples/--numbered", default=None,
    help="All frames in one USD file, as time samples, or a file each; else as POINTS has them.",
)  # fmt: skip
@click.option("--census", is_flag=True, help="Print how many elements each colour got.")
@click.option("--blocks", is_flag=True, help="Colour a table of any length in blocks: CSV or binary PLY, in and out.")
@click.option("--dial", "dials", multiple=True, metavar="NAME=VALUE", help="A dial that the look follows; repeatable.")
@click.option("--marker", "markers", multiple=True, metavar="NAME=X,Y,Z", help="A marker of the look; repeatable.")
@click.option("--picture", "pictures", multiple=True, metavar="NAME=FILE", help="A picture of the look; repeatable.")
@click.option("--mesh", "meshes", multiple=True, metavar="NAME=FILE", help="A mesh of the look's shapes; repeatable.")
@click.option("--shape", help="What clones are, where the look says nothing of shapes; else as they came, or sequins.")
@click.option(
    "--scene",
    "scene_file",
    type=click.Path(path_type=Path),
    help="A scene's document (JSON): its populations, dials, markers and timeline.",
)
@click.option("--data", type=click.Path(path_type=Path), help="The data file with what the scene imported or painted.")
@click.option(
    "--missing",
    type=click.Choice(["hold", "stop"]),
    default="hold",
    show_default=True,
    help="Where a frame has no file of its own: hold the earlier one, or stop.",
)
def colour(
    points: Path | None, look_file: Path | None, out: Path | None, ascii_text: bool, parts: bool, name: str,
    frame: float | None, frames: str | None, samples: bool | None, census: bool, blocks: bool, dials: tuple[str, ...],
    markers: tuple[str, ...], pictures: tuple[str, ...], meshes: tuple[str, ...], shape: str | None,
    scene_file: Path | None, data: Path | None, missing: Literal["hold", "stop"],
) -> None:  # fmt: skip
    """Colour the elements of POINTS (PLY, OBJ, GLB, USD or CSV) with a look, or a population of a scene.

    POINTS may be one of several numbered files, such as smoke.0001.ply: each frame is then read from its own file.
    Without POINTS the scene makes its population itself; with POINTS but no look, the file's elements take the place of
    those of the scene's population.

    With --blocks memory stays small however long POINTS is: what depends on all elements is measured first.
    """
    from .colouring import Colouring, framed
    from .core.formats.usd.writer import SAMPLED
    from .watching import watched

    with tidy_end(), _refusing():
        if out is None and not census:
            raise BadInput("Say where to write with --out, or ask for the shares with --census.")
        form = _format_of(out, ascii_text, parts) if out else None
        work = Colouring(points, look_file, scene_file, name, dials, markers, pictures, meshes, shape, data, missing)
        asked = work.asked(frame, frames, out)
        if blocks:
            if out is None or form is None or census or frames or frame is not None:
                raise BadInput("Blocks go to one file: give --out, and no frames or shares.", place="--blocks")
            with watched() as (task, _):
                write_file(out, work.in_blocks(form, task))
                task.note(out.name)
            return
        able = form is not None and form.word in SAMPLED and bool(frames)
        if samples is None:
            # What came as one USD file of all frames goes out as one.
            samples = able and points is not None and points.suffix.lower().startswith(".usd")
        if samples:
            if out is None or form is None or not able:
                raise BadInput("Time samples go into USD: give --out with .usda or .usdc, and --frames.",
                               place="--samples")  # fmt: skip
            with watched() as (task, say):
                write_file(out, work.samples([n for n in asked if n is not None], form, say, task))
                task.note(out.name)
            return
        with watched() as (task, say):
            for number, part in task.each(asked):
                evaluation, written, sentences = work.coloured(number, form, part)
                for sentence in sentences:
                    say(sentence)
                if out and form:
                    path = framed(out, number) if frames else out
                    write_file(path, written)
                    task.note(path.name)
                if census:
                    _print_census(evaluation, work.reporter.groups(evaluation))


# Serving


def _default_data() -> Path:
    return Path(platformdirs.user_data_dir("gaudyseed")) / "gaudyseed.sqlite"


def _bound(app: Any, guard: Any, host: str, port: int) -> Any:
    """A server at the port, or at the next free one of fifty; 0 lets the system choose."""
    from .web.server import make_server

    last = min(port + 49, 65535)
    for candidate in range(port, last + 1):
        try:
            return make_server(app, guard, host, candidate)
        except OSError as error:
            if error.errno != errno.EADDRINUSE:
                why = error.strerror or "it is not known"
                raise BadInput(f"The address {host}, port {candidate}, cannot be used: {why}.") from None
        except ValueError:
            raise BadInput(f"{host!r} is no address of this machine. Give another with --host.") from None
    raise BadInput(f"No free port from {port} to {last}. Give another with --port.")


def _serve(
    data: Path, host: str, port: int, token: str | None, disk: float | None, open_page: bool, demo: bool
) -> None:
    # All that is imported stays: looking for what may go costs a fifth of the start.
    gc.disable()
    from .core.kernels import cold, warm
    from .core.runtime.memory import keep_memory_low
    from .core.runtime.task import Task
    from .core.scene.timecache import LIMIT
    from .demo import load_demo
    from .store import Store
    from .web import create_app
    from .web.app import STATIC
    from .web.security import LOOPBACK, Guard

    gc.freeze()
    gc.enable()

    if not (STATIC / "index.html").exists():
        raise BadInput("The front end is not built. Start with ./gaudy demo, which builds it.")
    # First, so that a file that cannot be used is told at once.
    store = Store(data)
    store.migrate()
    keep_memory_low()
    if cold():
        click.echo("Compiling what is fast for this machine; this is done once and takes about two minutes.", err=True)
    warm(lambda sentence: click.echo(sentence, err=True))
    if demo:
        load_demo(store)
    token = token or os.environ.get("GAUDYSEED_TOKEN") or None
    if host not in LOOPBACK:
        token = token or secrets.token_urlsafe(24)
    guard = Guard(token, (host,))
    app = create_app(store, guard, LIMIT if disk is None else int(disk * 1e9))
    server = _bound(app, guard, host, port)
    shown = "localhost" if host in ("127.0.0.1", "::1") else f"[{host}]" if ":" in host else host
    address = f"http://{shown}:{server.effective_port}/" + (f"?token={quote(token)}" if token else "")
    click.echo(f"Gaudy Seed is at {address}")
    sys.stdout.flush()
    ending = threading.Event()
    threading.Thread(target=_tidied, args=(store, Task(ending.is_set)), name="tidy", daemon=True).start()
    if open_page:
        webbrowser.open(address)
    try:
        with tidy_end():
            server.run()
    except KeyboardInterrupt:
        pass
    finally:
        ending.set()
        app.extensions["services"].jobs.close()
        server.close()
        store.close()


def _tidied(store: Any, task: Any) -> None:
    """Collect what undo does not reach, beside the work; what cannot be collected now is at the next start."""
    from .core.runtime.task import Stopped
    from .store import Trouble
    from .store.tidying import tidy as tidy_store

    with suppress(Stopped, Trouble):
        tidy_store(store, task=task)


def _serving_options(function: Any) -> Any:
    for option in (
        click.option("--data", type=click.Path(path_type=Path), help="The file that keeps everything."),
        click.option("--host", default="127.0.0.1", show_default=True, help="Beyond loopback a token is wanted."),
        click.option("--port", default=DEFAULT_PORT, show_default=True, type=click.IntRange(0, 65535)),
        click.option("--token", help="The token to ask for beyond loopback (else one is made)."),
        click.option("--memory", type=click.FloatRange(0.25), help="GB for results; else a third of the machine's."),
        click.option("--disk", type=click.FloatRange(0), help="GB on the disk for frames that were read; else 4."),
        click.option("--open/--no-open", "open_page", default=None, help="Open the page in a browser."),
    ):
        function = option(function)
    return function


def _has_screen() -> bool:
    return sys.platform in ("darwin", "win32") or bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


def _start(
    data: Path | None, host: str, port: int, token: str | None, memory: float | None, disk: float | None,
    open_page: bool | None, demo: bool,
) -> None:  # fmt: skip
    from .core.runtime.cache import set_budget

    if memory is not None:
        set_budget(int(memory * 1e9))
    with _refusing():
        opened = _has_screen() if open_page is None else open_page
        _serve(data or _default_data(), host, port, token, disk, opened, demo)


@main.command()
@_serving_options
def demo(**options: Any) -> None:
    """Start the application with the demo scene."""
    _start(**options, demo=True)


@main.command()
@_serving_options
def serve(**options: Any) -> None:
    """Start the application without adding the demo scene."""
    _start(**options, demo=False)


@main.command()
@click.option("--data", type=click.Path(path_type=Path), help="The file that keeps everything.")
@click.option("--edits", type=click.IntRange(0), default=None, help="Edits that undo reaches back (500).")
@click.option("--days", type=click.FloatRange(0), default=None, help="Or days, if that is more (30).")
def tidy(data: Path | None, edits: int | None, days: float | None) -> None:
    """Make the data file smaller: collect what undo does not reach and no scene needs."""
    from .store import Store
    from .store.tidying import DAYS, EDITS
    from .store.tidying import tidy as tidy_store
    from .watching import watched

    path = data or _default_data()
    with tidy_end(), _refusing():
        if not path.exists():
            raise BadInput(f"There is no data file {path}.", place="--data")
        store = Store(path)
        try:
            store.migrate()
            with watched() as (task, _):
                done = tidy_store(
                    store, EDITS if edits is None else edits, DAYS if days is None else days, task, shrink=True
                )
        finally:
            store.close()
        click.echo(done.sentence)


@main.command()
def warm() -> None:
    """Compile the kernels into the disk cache (set-up does this)."""
    from .core.kernels import warm as warm_kernels

    warm_kernels(lambda sentence: click.echo(sentence, err=True))


@main.command("openapi")
def openapi() -> None:
    """Print the OpenAPI document."""
    from .web import app  # noqa: F401  (registers the operations)
    from .web.openapi import document

    click.echo(json.dumps(document(), indent=1))


if __name__ == "__main__":
    main()
