"""Everything that ``./gaudy test`` checks: lint, types, freshness of generated files, all unittests.

Ends with a line ``N passed, N failed`` (and ``, N skipped`` where any were).
Arguments narrow the unittests, as for ``python -m unittest``.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
import unittest
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
    """All checks that are no unittests."""
    npx = ("npm", "run", "--silent")
    return [
        tool("Python lint", str(BIN / "ruff"), "check", "--no-cache", "src", "tests", "tools", "bench"),
        tool("Python format", str(BIN / "ruff"), "format", "--no-cache", "--check", "src", "tests", "tools", "bench"),
        tool("Python types", str(BIN / "mypy")),
        tool("TypeScript types", *npx, "types", folder="frontend"),
        tool("TypeScript lint", *npx, "lint", folder="frontend"),
        fresh_types(),
    ]


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


def main(arguments: list[str]) -> int:
    """Run everything; 0 where all passed."""
    os.chdir(ROOT)
    os.environ.setdefault("PYTHONWARNINGS", "ignore")
    results = [] if arguments else checks()
    loader = unittest.TestLoader()
    suite = loader.loadTestsFromNames(arguments) if arguments else loader.discover("tests", top_level_dir=str(ROOT))
    found = unittest.TextTestRunner(verbosity=2, resultclass=Result).run(suite)
    passed = found.passed + sum(results)  # type: ignore[attr-defined]
    failed = len(found.failures) + len(found.errors) + len(found.unexpectedSuccesses) + results.count(False)
    skipped = f", {len(found.skipped)} skipped" if found.skipped else ""
    sys.stderr.flush()
    print(f"{passed} passed, {failed} failed{skipped}", flush=True)
    return 1 if failed or passed == 0 else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
