"""Everything that ``./gaudy test`` checks: lint, types, freshness of generated files, all unittests.

Ends with a line ``N passed, N failed`` (and ``, N skipped`` where any were).
Arguments narrow the unittests, as for ``python -m unittest``.
"""

from __future__ import annotations

import contextlib
import os
import re
import subprocess
import sys
import tempfile
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


#: About how long one test takes, by a part of its name; all others are quick.
SECONDS = {".browser.": 5, ".test_server.": 8, ".test_cli.": 6, ".test_look_format.": 8, ".test_store.": 1.5}
#: Processes that tests are shared out to: more than there are processors, since most tests wait for a browser or clock.
PARTS = 3


def shared_out() -> list[list[str]]:
    """The names of all test classes in parts that take about as long.

    A module that cannot be imported is a class of its own, whose one test fails.
    """
    seconds: Counter[str] = Counter()
    for case in cases(unittest.TestLoader().discover("tests", top_level_dir=str(ROOT))):
        name = case.id().removeprefix("unittest.loader._FailedTest.")
        whole = name if name == case.id() else f"{name}.x"
        seconds[whole.rpartition(".")[0]] += next((s for part, s in SECONDS.items() if part in name), 0.4)
    parts: list[list[str]] = [[] for _ in range(PARTS)]
    taken = [0.0] * PARTS
    for name, cost in sorted(seconds.items(), key=lambda item: -item[1]):
        least = taken.index(min(taken))
        parts[least].append(name)
        taken[least] += cost
    return parts


def run(names: list[str]) -> Counter[str]:
    """Run these tests here; how many passed, failed and were skipped."""
    suite = unittest.TestLoader().loadTestsFromNames(names)
    found = unittest.TextTestRunner(verbosity=2, resultclass=Result).run(suite)
    sys.stderr.flush()
    failed = len(found.failures) + len(found.errors) + len(found.unexpectedSuccesses)
    passed: int = found.passed  # type: ignore[attr-defined]
    return Counter(passed=passed, failed=failed, skipped=len(found.skipped))


def run_all() -> Counter[str]:
    """Run everything, one part of the classes here and the others in processes of their own."""
    here, *others = shared_out()
    with contextlib.ExitStack() as held:
        running = []
        for names in others:
            said = held.enter_context(tempfile.TemporaryFile("w+"))
            command = [sys.executable, __file__, *names]
            running.append((subprocess.Popen(command, cwd=ROOT, stdout=said, stderr=subprocess.STDOUT), said))
        counts = run(here)
        for process, said in running:
            process.wait()
            said.seek(0)
            counts += told(said.read())
    return counts


def told(text: str) -> Counter[str]:
    """Print what another process said, and count what it ran by its last line."""
    last = re.search(r"^(\d+) passed, (\d+) failed(?:, (\d+) skipped)?\s*\Z", text, re.MULTILINE)
    # Its sum is told in the one at the end.
    print(text[: last.start()] if last else text, flush=True)
    if last is None:  # it was killed
        return Counter(failed=1)
    return Counter(passed=int(last[1]), failed=int(last[2]), skipped=int(last[3] or 0))


def main(arguments: list[str]) -> int:
    """Run everything, or the tests that are named; 0 where all passed."""
    os.chdir(ROOT)
    os.environ.setdefault("PYTHONWARNINGS", "ignore")
    # Some sixty processes are started: each would compile the product anew where bytecode is not kept.
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
    os.environ.setdefault("PYTHONPYCACHEPREFIX", str(ROOT / ".venv/pycache"))
    if arguments:
        counts = run(arguments)
    else:
        results = checks()
        counts = run_all() + Counter(passed=sum(results), failed=results.count(False))
    skipped = f", {counts['skipped']} skipped" if counts["skipped"] else ""
    print(f"{counts['passed']} passed, {counts['failed']} failed{skipped}", flush=True)
    return 1 if counts["failed"] or not counts["passed"] else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
