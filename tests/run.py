"""Everything that ``./gaudy test`` checks: lint, types, freshness of generated files, all unittests.

Ends with a line ``N passed, N failed`` (and ``, N skipped`` where any were).
Arguments narrow the unittests, as for ``python -m unittest``; ``--record`` notes how long each class took.
"""

from __future__ import annotations

import contextlib
import json
import os
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
BIN = Path(sys.executable).parent
sys.path[:0] = [str(ROOT), str(ROOT / "tools")]


def tool(name: str, *command: str, folder: str = ".") -> bool:
    """Run one external check; print what it says where it fails."""
    began = time.monotonic()
    done = subprocess.run(command, cwd=ROOT / folder, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
    print(f"{'ok  ' if done.returncode == 0 else 'FAIL'} {name} ({time.monotonic() - began:.1f} s)", flush=True)
    if done.returncode:
        print(done.stdout)
    return done.returncode == 0


def fresh_types() -> bool:
    """Whether the generated API types are those of the current API."""
    from api_types import TYPES, generate

    with tempfile.TemporaryDirectory() as folder:
        generated = Path(folder) / "schema.d.ts"
        generate(generated)
        same = generated.read_text() == TYPES.read_text()
    print(f"{'ok  ' if same else 'FAIL'} API types are fresh", flush=True)
    if not same:
        print("  Run .venv/bin/python tools/api_types.py and commit the result.")
    return same


def checks() -> list[bool]:
    """All checks that are no unittests: mypy, which takes longest, beside all others."""
    npx = ("npm", "run", "--silent")
    with ThreadPoolExecutor(1) as beside:
        types = beside.submit(tool, "Python types", str(BIN / "mypy"))
        others = [
            tool("Python lint", str(BIN / "ruff"), "check", "--no-cache", "src", "tests", "tools", "bench"),
            tool(
                "Python format", str(BIN / "ruff"), "format", "--no-cache", "--check", "src", "tests", "tools", "bench"
            ),
            tool("TypeScript types", *npx, "types", folder="frontend"),
            tool("TypeScript lint", *npx, "lint", folder="frontend"),
            fresh_types(),
        ]
        return [types.result(), *others]


class Result(unittest.TextTestResult):
    """Counts passes too, and tells slow tests."""

    passed = 0
    began = 0.0

    def startTest(self, test: unittest.TestCase) -> None:  # noqa: N802
        """Note the time."""
        self.began = time.monotonic()
        super().startTest(test)

    def addSuccess(self, test: unittest.TestCase) -> None:  # noqa: N802
        """Count it."""
        self.passed += 1
        super().addSuccess(test)
        took = time.monotonic() - self.began
        if took > 5:
            self.stream.writeln(f"  ({took:.1f} s)")


def cases(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    """All tests of a suite."""
    for part in suite:
        if isinstance(part, unittest.TestSuite):
            yield from cases(part)
        else:
            yield part


#: Seconds that each class took when they were last recorded (``./gaudy test --record``).
DURATIONS = ROOT / "tests/durations.json"
#: Processes that run tests: more than there are processors, since most tests wait for a browser or a clock.
PARTS = (os.cpu_count() or 1) + 1


def classes() -> list[str]:
    """The names of all test classes, those that take longest first.

    A module that cannot be imported is a class of its own, whose one test fails.
    """
    names = set()
    for case in cases(unittest.TestLoader().discover("tests", top_level_dir=str(ROOT))):
        name = case.id().removeprefix("unittest.loader._FailedTest.")
        names.add(name.rpartition(".")[0] if name == case.id() else name)
    seconds = json.loads(DURATIONS.read_text())
    return sorted(names, key=lambda name: (-seconds.get(name, 10.0), name))


def run(names: list[str]) -> Counter[str]:
    """Run these tests here; how many passed, failed and were skipped."""
    suite = unittest.TestLoader().loadTestsFromNames(names)
    found = unittest.TextTestRunner(verbosity=2, resultclass=Result).run(suite)
    sys.stderr.flush()
    failed = len(found.failures) + len(found.errors) + len(found.unexpectedSuccesses)
    passed: int = found.passed  # type: ignore[attr-defined]
    return Counter(passed=passed, failed=failed, skipped=len(found.skipped))


def serve() -> None:
    """Run the classes that are named line by line, and end what each prints with a line of its counts."""
    for line in sys.stdin:
        counts = run([line.strip()])
        print(f"{ENDED}{json.dumps(counts)}", flush=True)


ENDED = "\0ended "


def _serving() -> subprocess.Popen[str]:
    return subprocess.Popen(
        [sys.executable, "-u", __file__, "--serve"],
        cwd=ROOT, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
    )  # fmt: skip


class Worker:
    """A process that runs test classes one after another."""

    def __init__(self) -> None:
        self.process = _serving()

    def run(self, name: str) -> tuple[Counter[str], str]:
        """Counts of a class and what it printed; one failure where it took the process with it."""
        assert self.process.stdin and self.process.stdout
        said = []
        with contextlib.suppress(BrokenPipeError):
            self.process.stdin.write(f"{name}\n")
            self.process.stdin.flush()
            for line in self.process.stdout:
                if line.startswith(ENDED):
                    return Counter(json.loads(line.removeprefix(ENDED))), "".join(said)
                said.append(line)
        self.process = _serving()
        return Counter(failed=1), f"{''.join(said)}\n{name}: its process ended\n"

    def end(self) -> None:
        """Let it go once it has cleaned up."""
        assert self.process.stdin and self.process.stdout
        self.process.stdin.close()
        self.process.stdout.read()
        self.process.wait()


def run_all(record: bool = False) -> Counter[str]:
    """Run everything: each class in the first process that is free."""
    left = iter(classes())
    turn = threading.Lock()
    counts: Counter[str] = Counter()
    took: dict[str, float] = {}

    def work() -> None:
        worker = Worker()
        while True:
            with turn:
                name = next(left, None)
            if name is None:
                return worker.end()
            began = time.monotonic()
            found, said = worker.run(name)
            with turn:
                took[name] = round(time.monotonic() - began, 1)
                counts.update(found)
                print(said, end="", flush=True)

    with ThreadPoolExecutor(PARTS) as workers:
        for done in [workers.submit(work) for _ in range(PARTS)]:
            done.result()
    if record:
        DURATIONS.write_text(json.dumps(dict(sorted(took.items())), indent=1) + "\n")
    return counts


def main(arguments: list[str]) -> int:
    """Run everything, or the tests that are named; 0 where all passed."""
    os.chdir(ROOT)
    os.environ.setdefault("PYTHONWARNINGS", "ignore")
    # Some sixty processes are started: each would compile the product anew where bytecode is not kept.
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
    os.environ.setdefault("PYTHONPYCACHEPREFIX", str(ROOT / ".venv/pycache"))
    if arguments == ["--serve"]:
        serve()
        return 0
    if arguments and arguments != ["--record"]:
        counts = run(arguments)
    else:
        # Beside each other: the checks keep one processor busy, and most tests wait now and then.
        with ThreadPoolExecutor(1) as beside:
            checked = beside.submit(checks)
            counts = run_all(bool(arguments))
            results = checked.result()
        counts += Counter(passed=sum(results), failed=results.count(False))
    skipped = f", {counts['skipped']} skipped" if counts["skipped"] else ""
    print(f"{counts['passed']} passed, {counts['failed']} failed{skipped}", flush=True)
    return 1 if counts["failed"] or not counts["passed"] else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
