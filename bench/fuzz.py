"""The whole fuzz: 5,000 requests and 2,000 files, none answered with 5xx, none over 5 s, no growth over 1 GB."""

from __future__ import annotations

import tempfile
from pathlib import Path

from tests.web.fuzzing import fuzz

from gaudyseed.store import Store
from gaudyseed.web import create_app

REQUESTS, FILES = 5_000, 2_000
SLOWEST, GROWTH = 5.0, 1 << 30


def main(seed: int = 20) -> int:
    """Run it, say what came of it; 0 where all bounds were kept."""
    with tempfile.TemporaryDirectory() as folder:
        store = Store(Path(folder) / "data.sqlite")
        store.migrate()
        report = fuzz(create_app(store).test_client(), seed, REQUESTS, FILES)
        store.close()
    answers = ", ".join(f"{n:,} of {status}" for status, n in sorted(report.answers.items()))
    print(f"{REQUESTS:,} requests and {FILES:,} files: {answers}; slowest {report.slowest:.2f} s, "
          f"growth {report.growth / 2**20:.0f} MB")  # fmt: skip
    for wrong in report.wrong[:20]:
        print(f"wrong: {wrong[:2000]}")
    return 1 if report.wrong or report.slowest > SLOWEST or report.growth > GROWTH else 0
