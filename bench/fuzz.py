"""The whole fuzz: requests, files with random damage, and changed files of every format that the product writes.

None is answered with 5xx, none keeps the processors for more than some seconds, and memory does not grow with their
number. Requests and each format have a process of their own, as many at a time as there are processors.
"""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor, as_completed
from multiprocessing import get_context
from pathlib import Path

from flask.testing import FlaskClient
from tests.web.fuzzing import Report, fuzz, fuzz_files
from tests.web.mutations import FORMS

from gaudyseed.store import Store
from gaudyseed.web import create_app

REQUESTS, FILES = 30_000, 30_000
#: Of each format.
CHANGED = 30_000
SLOWEST, GROWTH = 2.0, 1 << 30


def main(seed: int = 20, part: float = 1.0) -> int:
    """Run it, or a part of it, say what came of each as it ends; 0 where all bounds were kept."""
    requests, files, changed = (int(count * part) for count in (REQUESTS, FILES, CHANGED))
    with ProcessPoolExecutor(os.cpu_count(), get_context("spawn"), max_tasks_per_child=1) as processes:
        told = {processes.submit(_changed, form, seed, changed): f"{changed:,} changed {form}" for form in FORMS}
        told[processes.submit(_requests, seed, requests, files)] = f"{requests * 2:,} requests and {files:,} files"
        good = [_told(told[done], *done.result()) for done in as_completed(told)]
    return 0 if all(good) else 1


def _requests(seed: int, requests: int, files: int) -> tuple[Report, float]:
    return _served(lambda client: fuzz(client, seed, requests, files))


def _changed(form: str, seed: int, count: int) -> tuple[Report, float]:
    return _served(lambda client: fuzz_files(client, form, seed, count))


def _served(asked: Callable[[FlaskClient], Report]) -> tuple[Report, float]:
    """What came of it with a store of its own, and how many seconds it took."""
    began = time.monotonic()
    with tempfile.TemporaryDirectory() as folder:
        store = Store(Path(folder) / "data.sqlite")
        store.migrate()
        report = asked(create_app(store).test_client())
        store.close()
    return report, time.monotonic() - began


def _told(what: str, report: Report, seconds: float) -> bool:
    """Print what came of some; whether all bounds were kept."""
    answers = ", ".join(f"{n:,} of {status}" for status, n in sorted(report.answers.items()))
    print(f"{what} in {seconds:.0f} s: {answers}; slowest {report.slowest[0]:.2f} s of the processors, "
          f"growth {report.growth / 2**20:.0f} MB", flush=True)  # fmt: skip
    for wrong in report.wrong[:20]:
        print(f"wrong: {wrong[:2000]}", flush=True)
    if report.slowest[0] > SLOWEST:
        print(f"slow: {report.slowest[1][:2000]}", flush=True)
    return not (report.wrong or report.slowest[0] > SLOWEST or report.growth > GROWTH)
