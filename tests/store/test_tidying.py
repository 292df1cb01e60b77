"""What undo does not reach and no state needs is collected; killed anywhere, nothing that is kept is touched."""

from __future__ import annotations

import json
import os
import random
import signal
import time
from datetime import UTC, datetime, timedelta
from unittest import mock

from click.testing import CliRunner
from sqlalchemy import select, text, update

from gaudyseed.cli import main
from gaudyseed.core.digest import digest_of
from gaudyseed.core.runtime.task import Progress, Stopped, Task
from gaudyseed.store import tidying
from gaudyseed.store.store import SceneState
from gaudyseed.store.tables import ColumnRow, RevisionRow
from gaudyseed.store.tidying import tidy
from tests.store.test_store import StoreCase

LONG_AGO = datetime.now(UTC) - timedelta(days=400)


class Tidying(StoreCase):
    def column(self, data: bytes, old: bool = True) -> str:
        """Keep a column, as if it had come long ago."""
        digest = digest_of(data)
        self.store.put_columns({digest: data})
        if old:
            with self.store.writing() as session:
                session.execute(update(ColumnRow).where(ColumnRow.digest == digest).values(created=LONG_AGO))
        return digest

    def edited(self, state: SceneState, count: int, old: bool = True) -> SceneState:
        """The scene after so many edits, each of which names a column of its own."""
        for k in range(count):
            document = json.dumps({"k": f"{state.id} {k}", "column": self.column(f"{state.id} {k}".encode(), old)})
            state = self.store.save(state.id, state.revision, document, f"Edit {k}")
        if old:
            with self.store.writing() as session:
                session.execute(update(RevisionRow).where(RevisionRow.scene_id == state.id).values(created=LONG_AGO))
        return state

    def columns(self) -> set[str]:
        with self.store.reading() as session:
            return set(session.scalars(select(ColumnRow.digest)))

    def back(self, scene: str) -> list[str]:
        """The documents that undo reaches, from what is shown on."""
        state = self.store.scene(scene)
        found = [state.document]
        while state.can_undo:
            state = self.store.undo(scene, state.revision)
            found.append(state.document)
        return found

    def test_undo_reaches_so_many_edits_or_days_whichever_is_more(self):
        state = self.edited(self.store.create("{}", "Begin"), 30)
        self.assertEqual(tidy(self.store, edits=10, days=30).states, 20)
        self.assertEqual(
            [json.loads(d)["k"] for d in self.back(state.id)], [f"{state.id} {k}" for k in range(29, 18, -1)]
        )
        recent = self.edited(self.store.create("{}", "Begin"), 30, old=False)
        self.assertEqual(tidy(self.store, edits=10, days=30).states, 0)
        self.assertEqual(len(self.back(recent.id)), 31)

    def test_what_is_shown_stays_however_far_back_it_lies(self):
        state = self.edited(self.store.create("{}", "Begin"), 30)
        for _ in range(25):
            state = self.store.undo(state.id, state.revision)
        shown = state.document
        tidy(self.store, edits=3, days=0)
        self.assertEqual(self.store.scene(state.id).document, shown)
        self.assertEqual(len(self.back(state.id)), 4)

    def test_columns_go_with_the_states_that_named_them(self):
        named = self.column(b"named by a list")
        frames = self.column(json.dumps([{"frame": 1, "maker": {"digest": named}}]).encode())
        loose, fresh = self.column(b"nobody's"), self.column(b"on its way", old=False)
        state = self.edited(self.store.create("{}", "Begin"), 5)
        state = self.store.save(state.id, state.revision, json.dumps({"frames": frames}), "A sequence")
        kept = self.store.keep("look", "Mine", json.dumps({"picture": (pictured := self.column(b"of the library"))}))
        done = tidy(self.store, edits=2, days=0)
        there = self.columns()
        self.assertLessEqual({named, frames, fresh, pictured, digest_of(f"{state.id} 4".encode())}, there, kept.id)
        self.assertNotIn(loose, there)
        self.assertNotIn(digest_of(f"{state.id} 1".encode()), there)
        self.assertEqual(
            done.columns, 1 + 5 - len([k for k in range(5) if digest_of(f"{state.id} {k}".encode()) in there])
        )
        # What comes again is fresh again, though nothing names it yet.
        again = self.column(b"twice")
        self.store.put_columns({again: b"twice"})
        tidy(self.store, edits=2, days=0)
        self.assertIn(again, self.columns())

    def test_files_of_columns_go_with_them_and_without_them(self):
        kept = self.column(b"kept " * 300_000, old=False)
        gone = self.column(b"gone " * 300_000)
        lost = digest_of(b"lost " * 300_000)
        for when, left in ((time.time(), True), (0, False)):
            self.store.files.put(lost, [b"lost " * 300_000])
            path = next(p for p in self.store.files.folder.rglob(lost))
            os.utime(path, (when, when))
            self.assertEqual(tidy(self.store).bytes, 1_500_000)
            self.assertEqual(path.exists(), left)
        self.assertEqual([self.store.files.get(name) is not None for name in (kept, gone)], [True, False])
        self.assertEqual(bytes(self.store.column(kept)), b"kept " * 300_000)

    def test_a_state_that_is_saved_meanwhile_keeps_its_column(self):
        loose = self.column(b"an old import")
        state = self.store.create("{}", "Begin")
        plain = tidying._named

        def then_saved(store, task):
            found = plain(store, task)
            self.store.save(state.id, state.revision, json.dumps({"column": loose}), "From another window")
            return found

        with mock.patch.object(tidying, "_named", then_saved):
            self.assertEqual(tidy(self.store).columns, 0)
        self.assertEqual(self.store.column(loose), b"an old import")

    def test_it_is_stopped_and_says_how_far_it_is(self):
        self.edited(self.store.create("{}", "Begin"), 30)
        progress = Progress()
        with mock.patch.object(tidying, "_AT_ONCE", 1), self.assertRaises(Stopped):
            tidy(self.store, 1, 0, Task(lambda: progress.share > 0.2, progress))
        self.assertGreater(progress.share, 0.2)
        self.assertLess(progress.share, 0.5)
        self.assertEqual(len(self.store.scenes()), 1)

    def test_from_the_command_line_the_file_gets_smaller(self):
        for k in range(20):
            self.column(os.urandom(400_000) + bytes([k]))
        before = self.path.stat().st_size
        done = CliRunner().invoke(main, ["tidy", "--data", str(self.path)])
        self.assertEqual(done.exit_code, 0, done.output)
        self.assertRegex(done.stdout, r"0 states and 20 columns of 8.0 MB are gone; the file is [78]\.\d MB smaller\.")
        self.assertLess(self.path.stat().st_size, before - 7_000_000)
        self.assertIn("nothing to tidy", CliRunner().invoke(main, ["tidy", "--data", str(self.path)]).stdout)
        self.assertEqual(CliRunner().invoke(main, ["tidy", "--data", "/nowhere/at/all"]).exit_code, 2)

    def test_killed_again_and_again_nothing_that_is_kept_is_touched(self):
        chance = random.Random(7)
        states = [self.edited(self.store.create("{}", "Begin"), 120) for _ in range(3)]
        wanted = {s.id: [f"{s.id} {k}" for k in range(119, 98, -1)] for s in states}
        self.store.close()
        for _ in range(20):
            child = os.fork()
            if child == 0:
                with mock.patch.object(tidying, "_AT_ONCE", 3):
                    tidy(self.opened(), edits=20, days=0)
                os._exit(0)
            time.sleep(chance.uniform(0.0, 0.06))
            os.kill(child, signal.SIGKILL)
            os.waitpid(child, 0)
        self.store = self.opened()
        tidy(self.store, edits=20, days=0)
        with self.store.engine.connect() as connection:
            self.assertEqual(connection.scalar(text("pragma integrity_check")), "ok")
        needed = set()
        for scene, keys in wanted.items():
            found = [json.loads(d) for d in self.back(scene)]
            self.assertEqual([d["k"] for d in found], keys)
            needed |= {d["column"] for d in found}
        self.assertEqual(self.columns(), needed)
