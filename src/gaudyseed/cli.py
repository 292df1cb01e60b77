"""The command line: serve the application, colour files without it, warm the kernels."""

from __future__ import annotations

import json
import os
import secrets
import socket
import sys
import webbrowser
from pathlib import Path
from typing import Any

import click
import platformdirs

from . import __version__
from .core.errors import BadInput

DEFAULT_PORT = 8473


@click.group(context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100})
@click.version_option(__version__, prog_name="gaudyseed")
def main() -> None:
    """Gaudy Seed: colour thousands of like things so that it looks chosen."""


def _refuse(error: BadInput) -> None:
    click.echo(f"gaudyseed: {error}", err=True)
    sys.exit(2)


# Colouring files


def _read(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise BadInput(f"{error.strerror}. Check the path.", place=str(path)) from None


def _write(path: Path, data: bytes) -> None:
    """Write beside the target, then put in its place: a file is whole or not there."""
    partial = path.with_name(f".{path.name}.{secrets.token_hex(4)}")
    try:
        partial.write_bytes(data)
        partial.replace(path)
    except OSError as error:
        partial.unlink(missing_ok=True)
        raise BadInput(f"{error.strerror}. Choose another place to write to.", place=str(path)) from None


def _format_of(path: Path, ascii_text: bool) -> str:
    ending = path.suffix.lower()
    if ending == ".ply":
        return "ply_ascii" if ascii_text else "ply"
    if ending == ".csv":
        return "csv"
    raise BadInput(f"The ending {ending or '(none)'} is not known. Write to .ply or .csv.", place=str(path))


def _print_census(evaluation: Any, groups: Any) -> None:
    total = evaluation.population.count
    click.echo(f"{total:,} elements")
    for count, colour in zip(groups.counts, groups.colours, strict=True):
        click.echo(f"{colour or 'no element':>10}  {count:>12,}  {100 * count / total:6.2f} %")


def _dial(text: str) -> Any:
    """A dial from ``name=value``: a number, or a colour as #rrggbb."""
    from .core.documents import parse
    from .core.look.model import Dial

    name, equals, value = text.partition("=")
    if not equals:
        raise BadInput(f"{text!r} is no dial. Write --dial name=0.5 or --dial name=#d8452f.", place="--dial")
    try:
        number: float | str = float(value)
    except ValueError:
        number = value
    return parse(Dial, {"name": name, "value": number}, f"--dial {name}")


@main.command()
@click.argument("points", type=click.Path(path_type=Path))
@click.option("--look", "look_file", required=True, type=click.Path(path_type=Path), help="A look file (JSON).")
@click.option("--out", type=click.Path(path_type=Path), help="Where to write: .ply or .csv.")
@click.option("--ascii", "ascii_text", is_flag=True, help="Write PLY as text.")
@click.option("--census", is_flag=True, help="Print how many elements each colour got.")
@click.option("--dial", "dials", multiple=True, metavar="NAME=VALUE", help="A dial that the look follows; repeatable.")
def colour(
    points: Path, look_file: Path, out: Path | None, ascii_text: bool, census: bool, dials: tuple[str, ...]
) -> None:
    """Colour the elements of POINTS (PLY or CSV) with a look."""
    from .core.documents import parse, parse_json
    from .core.formats import WRITERS, read_points
    from .core.look.evaluate import Evaluator
    from .core.look.model import Look
    from .core.report import Reporter

    try:
        if out is None and not census:
            raise BadInput("Say where to write with --out, or ask for the shares with --census.")
        form = _format_of(out, ascii_text) if out else ""
        look = parse(Look, parse_json(_read(look_file), look_file.name), look_file.name)
        population = read_points(_read(points), points.name)
        for note in population.notes:
            click.echo(f"note: {note}", err=True)
        evaluator = Evaluator()
        try:
            evaluation = evaluator.evaluate(population, look, dials=[_dial(text) for text in dials])
        except BadInput as error:
            raise BadInput(error.sentence, place=f"{look_file.name}, {error.place}", code=error.code) from None
        reporter = Reporter(evaluator)
        for advisory in reporter.advisories(evaluation):
            click.echo(f"advisory: {advisory['place']}: {advisory['sentence']}", err=True)
        if out:
            _write(out, WRITERS[form](population, evaluation.colours))
        if census:
            _print_census(evaluation, reporter.groups(evaluation))
    except BadInput as error:
        _refuse(error)


# Serving


def _default_data() -> Path:
    return Path(platformdirs.user_data_dir("gaudyseed")) / "gaudyseed.sqlite"


def _free_port(host: str, port: int) -> int:
    """The port, or the next free one."""
    for candidate in range(port, port + 50):
        with socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET) as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind((host, candidate))
            except OSError:
                continue
            return candidate
    raise BadInput(f"No free port from {port} to {port + 49}. Give another with --port.")


def _serve(data: Path, host: str, port: int, token: str | None, open_page: bool, demo: bool) -> None:
    from waitress.server import create_server

    from .core.kernels import warm
    from .demo import load_demo
    from .store import Store
    from .web import create_app
    from .web.app import STATIC
    from .web.security import LOOPBACK

    if not (STATIC / "index.html").exists():
        raise BadInput("The front end is not built. Start with ./gaudy demo, which builds it.")
    warm()
    store = Store(data)
    store.migrate()
    if demo:
        load_demo(store)
    if host not in LOOPBACK:
        token = token or os.environ.get("GAUDYSEED_TOKEN") or secrets.token_urlsafe(24)
    port = _free_port(host, port)
    app = create_app(store, token=token, hosts=(host,))
    server = create_server(app, host=host, port=port, threads=8, ident=None, channel_timeout=300)
    shown = "localhost" if host in ("127.0.0.1", "::1") else host
    address = f"http://{shown}:{port}/" + (f"?token={token}" if token else "")
    click.echo(f"Gaudy Seed is at {address}")
    sys.stdout.flush()
    if open_page:
        webbrowser.open(address)
    try:
        server.run()
    except KeyboardInterrupt:
        pass
    finally:
        server.close()
        store.close()


def _serving_options(function: Any) -> Any:
    for option in (
        click.option("--data", type=click.Path(path_type=Path), help="The file that keeps everything."),
        click.option("--host", default="127.0.0.1", show_default=True, help="Beyond loopback a token is wanted."),
        click.option("--port", default=DEFAULT_PORT, show_default=True, type=click.IntRange(0, 65535)),
        click.option("--token", help="The token to ask for beyond loopback (else one is made)."),
        click.option("--open/--no-open", "open_page", default=None, help="Open the page in a browser."),
    ):
        function = option(function)
    return function


def _has_screen() -> bool:
    return sys.platform in ("darwin", "win32") or bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


def _start(data: Path | None, host: str, port: int, token: str | None, open_page: bool | None, demo: bool) -> None:
    try:
        opened = _has_screen() if open_page is None else open_page
        _serve(data or _default_data(), host, port, token, opened, demo)
    except BadInput as error:
        _refuse(error)


@main.command()
@_serving_options
def demo(data: Path | None, host: str, port: int, token: str | None, open_page: bool | None) -> None:
    """Start the application with the demo scene."""
    _start(data, host, port, token, open_page, True)


@main.command()
@_serving_options
def serve(data: Path | None, host: str, port: int, token: str | None, open_page: bool | None) -> None:
    """Start the application without adding the demo scene."""
    _start(data, host, port, token, open_page, False)


@main.command()
def warm() -> None:
    """Compile the kernels into the disk cache (set-up does this)."""
    from .core.kernels import warm as warm_kernels

    warm_kernels()


@main.command("openapi")
def openapi() -> None:
    """Print the OpenAPI document."""
    from .web import app  # noqa: F401  (registers the operations)
    from .web.openapi import document

    click.echo(json.dumps(document(), indent=1))


if __name__ == "__main__":
    main()
