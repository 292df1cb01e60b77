"""A short run of the fuzz, which is whole in ``./gaudy bench --fuzz``: all is answered, or refused with a sentence."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

from gaudyseed.store import Store
from gaudyseed.web import create_app
from tests.web.fuzzing import fuzz


class Fuzz(unittest.TestCase):
    def test_random_requests_and_files(self):
        with tempfile.TemporaryDirectory() as folder:
            store = Store(Path(folder) / "data.sqlite")
            store.migrate()
            self.addCleanup(store.close)
            report = fuzz(create_app(store).test_client(), 5, 440, 300)
        self.assertEqual(report.wrong, [])
        self.assertLess(report.slowest, 5)
        self.assertLess(report.growth, 1 << 30)
        # Sound ones must be taken and spoiled ones refused, or nothing was tried.
        self.assertGreater(report.answers[200], 180)
        self.assertGreater(report.answers[422], 150)
