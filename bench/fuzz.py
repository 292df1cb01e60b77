"""The whole fuzz: requests, files with random damage, and changed files of every format that the product writes.

None is answered with 5xx, none takes more than some seconds, and memory does not grow with their number.
"""

from __future__ import annotations

import tempfile
from pathlib import Path

from tests.web.fuzzing import Report, fuzz, fuzz_files
from tests.web.mutations import FORMS

from gaudyseed.store import Store
from gaudyseed.web import create_app

REQUESTS, FILES = 30_000, 30_000
#: Of each format; each file of USD takes some ten times as long as one of the others.
CHANGED = dict.fromkeys(FORMS, 30000)
SLOWEST, GROWTH = 2.0, 1 << 30


def main(seed: int = 20, part: float = 1.0) -> int:
    """Run it, or a part of it, say what came of it; 0 where all bounds were kept."""
    with tempfile.TemporaryDirectory() as folder:
        store = Store(Path(folder) / "data.sqlite")
        store.migrate()
        client = create_app(store).test_client()
        good = _told(f"{int(REQUESTS * part) * 2:,} requests and {int(FILES * part):,} files",
                     fuzz(client, seed, int(REQUESTS * part), int(FILES * part)))  # fmt: skip
        for form, count in CHANGED.items():
            good &= _told(f"{int(count * part):,} changed {form}", fuzz_files(client, form, seed, int(count * part)))
        store.close()
    return 0 if good else 1


def _told(what: str, report: Report) -> bool:
    """Print what came of some; whether all bounds were kept."""
    answers = ", ".join(f"{n:,} of {status}" for status, n in sorted(report.answers.items()))
    print(f"{what}: {answers}; slowest {report.slowest:.2f} s, growth {report.growth / 2**20:.0f} MB", flush=True)
    for wrong in report.wrong[:20]:
        print(f"wrong: {wrong[:2000]}", flush=True)
    return not (report.wrong or report.slowest > SLOWEST or report.growth > GROWTH)
