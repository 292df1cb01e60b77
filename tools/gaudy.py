"""Set up what a command needs, then run it. Standard library only: it runs before anything is installed.

What has been set up is remembered by digests in .gaudy/, so a second start takes seconds.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
VENV = ROOT / ".venv"
DONE = ROOT / ".gaudy"
FRONTEND = ROOT / "frontend"
STATIC = ROOT / "src/gaudyseed/web/static"
PYTHON = VENV / ("Scripts/python.exe" if os.name == "nt" else "bin/python")
CHROMIUM = ("chromium", "chromium-browser", "google-chrome")
SERVING = ("demo", "serve")


def main(arguments: list[str]) -> int:
    """Run one command."""
    command = arguments[0] if arguments else "--help"
    python_packages(testing=command in ("test", "bench"))
    # Compiling takes the processors, and the other packages the network: both at once.
    with ThreadPoolExecutor(1) as beside:
        compiled = beside.submit(kernels)
        if command in ("test", *SERVING):
            front_end()
        if command == "test":
            chromium()
        compiled.result()
    if command == "test":
        return run([PYTHON, "tests/run.py", *arguments[1:]])
    if command == "bench":
        return run([PYTHON, "-m", "bench", *arguments[1:]])
    if os.name == "posix":
        os.chdir(ROOT if command in SERVING else Path(os.environ.get("GAUDY_FROM", ".")))
        os.execv(PYTHON, [str(PYTHON), "-m", "gaudyseed.cli", *arguments])
    return run([PYTHON, "-m", "gaudyseed.cli", *arguments])


def run(command: list[object]) -> int:
    """Run in the project's folder; the exit code."""
    return subprocess.call([str(part) for part in command], cwd=ROOT)


def must(what: str, command: list[object], cwd: Path = ROOT) -> None:
    """Run a set-up step quietly; stop with one sentence and its output where it fails."""
    done = subprocess.run([str(part) for part in command], cwd=cwd, stdout=subprocess.PIPE, stderr=subprocess.STDOUT)
    if done.returncode:
        sys.stderr.write(done.stdout.decode(errors="replace")[-4000:])
        stop(f"{what} did not work; the lines above say why.")


def say(sentence: str) -> None:
    """Progress, to the error stream: the output belongs to the command."""
    print(f"gaudy: {sentence}", file=sys.stderr, flush=True)


def stop(sentence: str) -> None:
    """Give up with one sentence."""
    say(sentence)
    sys.exit(2)


def digest(*paths: Path) -> str:
    """Of the contents of files and, for folders, of all files below them."""
    total = hashlib.sha256()
    for path in paths:
        for file in sorted(p for p in path.rglob("*") if p.is_file()) if path.is_dir() else [path]:
            total.update(str(file.relative_to(ROOT)).encode() + b"\0" + file.read_bytes())
    return total.hexdigest()


def is_done(name: str, state: str) -> bool:
    """Whether this step was done with this state."""
    mark = DONE / name
    return mark.exists() and mark.read_text() == state


def set_done(name: str, state: str) -> None:
    """Remember it."""
    DONE.mkdir(exist_ok=True)
    (DONE / name).write_text(state)


def python_packages(testing: bool) -> None:
    """The virtual environment with the exact locked packages."""
    lock = ROOT / ("requirements-dev.lock" if testing else "requirements.lock")
    version = f"{sys.version_info[:2]} {ROOT}"
    if not PYTHON.exists() or not is_done("venv", version):
        say("making the virtual environment")
        shutil.rmtree(DONE, ignore_errors=True)
        try:
            must("Making the virtual environment", [sys.executable, "-m", "venv", "--clear", VENV])
        except OSError as error:
            stop(f"The virtual environment cannot be made: {error}.")
        set_done("venv", version)
    # The locked tests contain everything that the locked product does.
    for name in ("requirements-dev.lock", lock.name):
        state = digest(ROOT / name, ROOT / "pyproject.toml")
        if is_done(f"packages-{name}", state):
            break
    else:
        say(f"installing Python packages from {lock.name}")
        pip = [PYTHON, "-m", "pip", "install", "--quiet", "--disable-pip-version-check"]
        must("Installing Python packages", [*pip, "--require-hashes", "-r", lock])
        must("Installing the product", [*pip, "--no-deps", "-e", ROOT])
        set_done(f"packages-{lock.name}", digest(lock, ROOT / "pyproject.toml"))


def kernels() -> None:
    """The kernels, compiled for this machine."""
    state = digest(ROOT / "src/gaudyseed/core/kernels")
    if not is_done("kernels", state):
        say("compiling kernels")
        must("Compiling kernels", [PYTHON, "-m", "gaudyseed.cli", "warm"])
        set_done("kernels", state)


def front_end() -> None:
    """The front end's exact locked packages, and its build."""
    sources = [
        FRONTEND / n for n in ("src", "public", "index.html", "package-lock.json", "vite.config.ts", "tsconfig.json")
    ]
    built = digest(*sources)
    if is_done("frontend", built) and (STATIC / "index.html").exists():
        return
    npm = shutil.which("npm")
    if not npm and (not apt("nodejs", "npm") or not (npm := shutil.which("npm"))):
        stop("Node.js 20 or newer with npm is missing; install it and start again.")
    lock = digest(FRONTEND / "package-lock.json")
    if not is_done("npm", lock) or not (FRONTEND / "node_modules").exists():
        say("installing front-end packages")
        must("Installing front-end packages", [npm, "ci", "--no-audit", "--no-fund", "--loglevel=error"], FRONTEND)
        set_done("npm", lock)
    say("building the front end")
    must("Building the front end", [npm, "run", "--silent", "build"], FRONTEND)
    set_done("frontend", built)


def apt(*packages: str) -> bool:
    """Install Debian packages where that is possible; whether it was done."""
    if not shutil.which("apt-get") or os.geteuid() != 0:
        return False
    say(f"installing {', '.join(packages)} with apt-get")
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    environment = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
    subprocess.call(["apt-get", "update", "-qq"], env=environment, **quiet)
    command = ["apt-get", "install", "-y", "-qq", "--no-install-recommends", *packages]
    return subprocess.call(command, env=environment, **quiet) == 0


def chromium() -> None:
    """A Chromium for the browser tests."""
    if any(map(shutil.which, CHROMIUM)):
        return
    if not apt("chromium") or not any(map(shutil.which, CHROMIUM)):
        stop("Chromium is missing for the browser tests; install it (Debian: package chromium) and start again.")


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
