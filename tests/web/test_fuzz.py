"""A short run of the fuzz, which is whole in ``./gaudy bench --fuzz``: all is answered, or refused with a sentence."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

from gaudyseed.store import Store
from gaudyseed.web import create_app
from tests.web.fuzzing import fuzz, fuzz_files


class Fuzz(unittest.TestCase):
    def test_random_requests_and_files(self):
        with tempfile.TemporaryDirectory() as folder:
            store = Store(Path(folder) / "data.sqlite")
            store.migrate()
            self.addCleanup(store.close)
            client = create_app(store).test_client()
            report = fuzz(client, 5, 50, 50)
            counts = {"csv": 30, "ply": 30, "ply_ascii": 20, "obj": 20, "glb": 60, "usd": 20, "usdc": 20}
            for form, count in counts.items():
                changed = fuzz_files(client, form, 5, count)
                self.assertEqual(changed.wrong, [], form)
                self.assertLess(changed.slowest, (5, ""), form)
                # Some are read and some are refused, or nothing was tried.
                self.assertGreater(changed.answers[200], count // 50, form)
                self.assertGreater(changed.answers[422], count // 20, form)
        self.assertEqual(report.wrong, [])
        self.assertLess(report.slowest, (5, ""))
        self.assertLess(report.growth, 1 << 30)
        # Sound ones must be taken and spoiled ones refused, or nothing was tried.
        self.assertGreater(report.answers[200], 20)
        self.assertGreater(report.answers[422], 50)
