"""The page's logic without a browser, under Node's own test runner (frontend/tests)."""

import re
import subprocess
import tempfile
import unittest
from pathlib import Path

from tests.support import ROOT

TESTS = sorted((ROOT / "frontend/tests").glob("*.test.ts"))


class Logic(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        held = tempfile.TemporaryDirectory()
        cls.addClassCleanup(held.cleanup)
        cls.folder = Path(held.name)
        made = subprocess.run(
            ["npm", "run", "--silent", "logic", "--", *map(str, TESTS), "--dir", held.name],
            cwd=ROOT / "frontend", capture_output=True, text=True,
        )  # fmt: skip
        assert made.returncode == 0, made.stdout + made.stderr

    def test_each_file(self):
        self.assertGreaterEqual(len(TESTS), 3)
        for test in TESTS:
            with self.subTest(test.name):
                built = self.folder / test.with_suffix(".js").name
                ran = subprocess.run(
                    ["node", "--no-warnings", "--test-reporter", "tap", "--test", built], capture_output=True, text=True
                )
                said = ran.stdout + ran.stderr
                self.assertEqual(ran.returncode, 0, said)
                counted = re.search(r"^# pass (\d+)$", said, re.MULTILINE)
                self.assertTrue(counted and int(counted[1]) >= test.read_text().count("\ntest("), said)
