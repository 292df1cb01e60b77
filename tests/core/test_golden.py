"""What looks come to stays as it is: 240 random looks over four populations against the bytes recorded of them.

They are kept as version 2 of the format wrote them. Grades in them moved no *value*: what becomes of that is
seen in test_versions.
"""

from __future__ import annotations

import gzip
import json
import unittest

import numpy as np

from gaudyseed.core.documents.document import parse
from gaudyseed.core.look.evaluate import Evaluator
from gaudyseed.core.look.model import Look
from gaudyseed.core.look.steps import STEPS
from gaudyseed.core.scene.dials import Dial
from tests.core.golden import DIALS, LOOKS, POPULATIONS, RECORD, entry, machine

RECORDED = json.loads(gzip.decompress(RECORD.read_bytes()))


class Golden(unittest.TestCase):
    def test_the_same_bytes(self):
        """On a machine that rounds as the recording one did, the same bytes; on any, at most one level off."""
        same = machine() == RECORDED["machine"]
        dials = [parse(Dial, d) for d in DIALS]
        for name, made in POPULATIONS.items():
            population = made()
            for k, kept in enumerate(RECORDED["looks"][name]):
                colours = Evaluator().evaluate(population, parse(Look, kept["look"]), dials=dials).colours
                found = entry(colours)
                with self.subTest(population=name, look=k):
                    levels, wanted = (
                        np.frombuffer(bytes.fromhex(e["levels"]), np.uint8).astype(int) for e in (found, kept)
                    )
                    np.testing.assert_allclose(levels, wanted, atol=1, err_msg=json.dumps(kept["look"]))
                    if same:
                        self.assertEqual(found["digest"], kept["digest"], json.dumps(kept["look"]))

    def test_every_step_is_among_them(self):
        text = json.dumps(RECORDED["looks"])
        self.assertEqual([len(looks) for looks in RECORDED["looks"].values()], [LOOKS] * len(POPULATIONS))
        # Steps that came later are held by their own references.
        later = {"as_colour", "ground", "unify", "noise", "falloff", "extent", "nearness", "picture", "shape"}
        later |= {"along", "melanin", "particle"}
        for word in set(STEPS) - later:
            self.assertGreater(text.count(f'"step": "{word}"'), 30, word)
        for key in ("intensity", "hold", "mask", "signal", "dial", "frozen"):
            self.assertGreater(text.count(f'"{key}"'), 30, key)
        every = [e["digest"] for looks in RECORDED["looks"].values() for e in looks]
        self.assertGreater(len(set(every)), 0.9 * len(every))  # not all black
