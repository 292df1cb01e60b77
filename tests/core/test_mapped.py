"""Files that are mapped, and states of what moves: whole or not there, bounded, shared, and safe to be killed in."""

from __future__ import annotations

import os
import random
import signal
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from gaudyseed.core.digest import digest_of
from gaudyseed.core.runtime import mapped
from gaudyseed.core.runtime.mapped import MappedFiles
from gaudyseed.core.scene.timecache import TimeCache


class FolderCase(unittest.TestCase):
    def setUp(self):
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name) / "states"

    def files(self) -> list[Path]:
        return sorted(path for path in self.folder.rglob("*") if path.is_file())


def key(k: int) -> str:
    return digest_of("test", k)


def state(k: int, size: int = 1000) -> dict[str, np.ndarray]:
    """Arrays that follow from a number."""
    return {"place": np.full((size, 3), k, np.float32), "alive": np.arange(size) % (k + 2) == 0}


class Files(FolderCase):
    def setUp(self):
        super().setUp()
        self.kept = MappedFiles(self.folder, lambda name, data: digest_of(data) == name)

    def put(self, data: bytes) -> str:
        name = digest_of(data)
        self.kept.put(name, [data[:3], memoryview(data)[3:]])
        return name

    def test_what_is_put_comes_back_and_cannot_be_changed(self):
        for data in (b"", b"x", bytes(100_000)):
            found = self.kept.get(self.put(data))
            self.assertEqual(bytes(found), data)
            self.assertTrue(found.readonly)
        self.assertIsNone(self.kept.get("0" * 32))
        for name in ("../../secret", "a" * 31, "A" * 32, ""):
            self.assertIsNone(self.kept.get(name))
            self.assertRaises(ValueError, self.kept.put, name, [b""])

    def test_damage_is_noticed_where_it_was_read_before_too(self):
        name = self.put(b"sound" * 100)
        self.assertIsNotNone(self.kept.get(name))
        self.files()[0].write_bytes(b"other" * 100)
        self.assertIsNone(self.kept.get(name))

    def test_what_is_removed_stays_with_those_who_read_it(self):
        name = self.put(b"abc" * 5000)
        found = self.kept.get(name)
        self.assertEqual(self.kept.remove(name), 15_000)
        self.assertEqual(bytes(found), b"abc" * 5000)
        self.assertEqual((self.kept.remove(name), self.kept.get(name)), (0, None))

    def test_where_no_more_can_be_mapped_it_is_read(self):
        name = self.put(b"abc" * 5000)
        with mock.patch.object(mapped.mmap, "mmap", side_effect=OSError(24, "too many open files")):
            self.assertEqual(bytes(self.kept.get(name)), b"abc" * 5000)

    def test_a_full_disk_leaves_nothing_half_written(self):
        full = mock.patch.object(mapped.os, "fsync", side_effect=OSError(28, "no space left"))
        with full, self.assertRaises(OSError):
            self.put(b"abc")
        self.assertEqual(self.files(), [])

    def test_what_was_left_half_written_goes_after_a_while(self):
        self.put(b"abc")
        parts = [self.files()[0].with_name(f"{'0' * 32}.part-1-{k}") for k in range(2)]
        for part in parts:
            part.write_bytes(b"half")
        os.utime(parts[0], (0, 0))
        self.assertEqual(len(list(self.kept.held())), 1)
        self.assertEqual([part.exists() for part in parts], [False, True])


class States(FolderCase):
    def test_a_full_disk_is_told_until_there_is_room(self):
        kept = TimeCache(self.folder)
        with mock.patch.object(mapped.os, "fsync", side_effect=OSError(28, "no space left")):
            kept.put(key(1), {}, state(1))
        self.assertIn("no room on the disk", kept.trouble)
        self.assertIn(str(self.folder), kept.trouble)
        self.assertIsNone(kept.get(key(1)))
        kept.put(key(1), {}, state(1))
        self.assertEqual((kept.trouble, kept.get(key(1)) is None), ("", False))

    def test_arrays_of_any_kind_come_back(self):
        kept = TimeCache(self.folder)
        arrays = {
            "empty": np.empty((0, 3), np.float32), "one": np.array(0.5), "text": np.array([1, 2], ">i2"),
            "sliced": np.arange(20)[::3], **state(3),
        }  # fmt: skip
        kept.put(key(1), {"frame": 12.5, "names": ["ä", "b"]}, arrays)
        told, found = TimeCache(self.folder).get(key(1))
        self.assertEqual(told, {"frame": 12.5, "names": ["ä", "b"]})
        self.assertEqual(list(found), list(arrays))
        for name, array in arrays.items():
            self.assertEqual((found[name].dtype, found[name].shape), (array.dtype, array.shape))
            np.testing.assert_array_equal(found[name], array)
            self.assertFalse(found[name].flags.writeable)

    def test_bounded_and_what_was_used_longest_ago_goes_first(self):
        kept = TimeCache(self.folder, 100_000)
        for k in range(30):
            kept.put(key(k), {}, state(k))
            for path in self.files():  # a minute for each, as if time had passed
                told = path.stat()
                os.utime(path, (told.st_atime - 60, told.st_mtime))
            kept.get(key(0))
            self.assertLessEqual(sum(path.stat().st_size for path in self.files()), 100_000)
        there = [k for k in range(30) if kept.get(key(k))]
        self.assertEqual(there, [0, *range(30 - len(there) + 1, 30)])
        self.assertGreater(len(there), 4)
        kept.put(key(99), {}, state(1, 10_000))
        self.assertIsNone(kept.get(key(99)), "larger than the bound")

    def test_any_damage_is_a_state_that_is_not_kept(self):
        TimeCache(self.folder).put(key(1), {"frame": 1}, state(1, 50))
        path = self.files()[0]
        whole = path.read_bytes()
        chance = random.Random(5)
        refused = 0
        for k in range(200):
            at = chance.randrange(len(whole))
            turned = whole[:at] + bytes([whole[at] ^ 1 << chance.randrange(8)]) + whole[at + 1 :]
            path.write_bytes(turned if k % 2 else whole[:at])
            found = TimeCache(self.folder).get(key(1))
            refused += found is None
            if found is not None:
                # A bit between the parts says nothing.
                self.assertEqual((k % 2, found[0]), (1, {"frame": 1}))
                for name, array in state(1, 50).items():
                    np.testing.assert_array_equal(found[1][name], array)
        self.assertGreater(refused, 150)

    def test_killed_again_and_again_while_it_is_written_nothing_is_lost_or_wrong(self):
        chance = random.Random(11)
        said = self.folder.parent / "said"
        said.write_text("")
        TimeCache(self.folder).put(key(0), {"k": 0}, state(0))
        for turn in range(20):
            child = os.fork()
            if child == 0:
                kept = TimeCache(self.folder)
                with said.open("a") as file:
                    for k in range(1 + 100 * turn, 101 + 100 * turn):
                        kept.put(key(k), {"k": k}, state(k, 20_000))
                        file.write(f"{k}\n")
                        file.flush()
                os._exit(0)
            # Every other time once some are written, however slow the disk is.
            before, until = said.stat().st_size, time.monotonic() + 5
            while turn % 2 and said.stat().st_size < before + 30 and time.monotonic() < until:
                time.sleep(0.001)
            time.sleep(chance.uniform(0.0, 0.05))
            os.kill(child, signal.SIGKILL)
            os.waitpid(child, 0)
        kept = TimeCache(self.folder)
        written = [int(line) for line in said.read_text().split()]
        self.assertGreater(len(written), 50)
        for k in [0, *written]:
            told, arrays = kept.get(key(k))
            self.assertEqual(told, {"k": k})
            np.testing.assert_array_equal(arrays["place"], state(k, 20_000 if k else 1000)["place"])
        for path in self.files():
            if ".part-" not in path.name:
                self.assertIsNotNone(kept.get(path.name))
