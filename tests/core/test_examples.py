"""The examples in the docstrings of the core run, and give what they say."""

from __future__ import annotations

import doctest
import importlib
import pkgutil
import unittest

import gaudyseed.core

#: Where a newcomer enters: these must have an example.
ENTRIES = (
    "registry", "kinds", "documents.paths", "scene.run", "colour.spaces", "look.evaluate", "population.attribute",
    "population.elements", "population.population",
)  # fmt: skip


class Examples(unittest.TestCase):
    def test_they_run(self):
        finder = doctest.DocTestFinder(exclude_empty=True)
        found = set()
        for module in pkgutil.walk_packages(gaudyseed.core.__path__, "gaudyseed.core."):
            for example in finder.find(importlib.import_module(module.name)):
                if not example.examples:
                    continue
                found.add(module.name.removeprefix("gaudyseed.core."))
                told: list[str] = []
                result = doctest.DocTestRunner(optionflags=doctest.ELLIPSIS).run(example, out=told.append)
                self.assertEqual(result.failed, 0, "".join(told))
        self.assertLessEqual(set(ENTRIES), found)
