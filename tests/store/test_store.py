"""Revisions, undo and redo across restarts, columns by content, and killing the process."""

import json
import os
import random
import signal
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import event, inspect, select, text

from gaudyseed import store as store_package
from gaudyseed.core.digest import digest_of
from gaudyseed.demo import SCENE_ID, demo_scene, load_demo
from gaudyseed.store import Conflict, Missing, Store, Trouble
from gaudyseed.store.tables import Base, ColumnRow
from gaudyseed.web import create_app


class StoreCase(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "deep" / "data.sqlite"
        self.store = self.opened()

    def opened(self) -> Store:
        store = Store(self.path)
        store.migrate()
        self.addCleanup(store.close)
        return store


class Revisions(StoreCase):
    def test_undo_and_redo_survive_a_restart(self):
        state = self.store.create('"a"', "Begin")
        for document in ("b", "c", "d"):
            state = self.store.save(state.id, state.revision, f'"{document}"', f"Edit {document}")
        self.assertFalse(state.can_redo)
        state = self.store.undo(state.id, state.revision)
        state = self.store.undo(state.id, state.revision)
        self.assertEqual(state.document, '"b"')
        again = self.opened()
        self.assertEqual(again.scene(state.id).document, '"b"')
        for expected in ("c", "d", "d"):
            state = again.redo(state.id, state.revision)
            self.assertEqual(state.document, f'"{expected}"')
        for expected in ("c", "b", "a", "a"):
            state = again.undo(state.id, state.revision)
            self.assertEqual(state.document, f'"{expected}"')
        self.assertFalse(again.scene(state.id).can_undo)

    def test_an_edit_after_undo_makes_the_new_way_forth(self):
        state = self.store.create('"a"', "Begin")
        state = self.store.save(state.id, state.revision, '"b"', "b")
        state = self.store.undo(state.id, state.revision)
        state = self.store.save(state.id, state.revision, '"c"', "c")
        self.assertFalse(state.can_redo)
        state = self.store.undo(state.id, state.revision)
        self.assertEqual(state.document, '"a"')
        self.assertEqual(self.store.redo(state.id, state.revision).document, '"c"')
        with self.store.engine.connect() as connection:
            self.assertEqual(connection.scalar(text("select count(*) from revision")), 3)

    def test_conflict_missing_and_equal(self):
        state = self.store.create('"a"', "Begin")
        later = self.store.save(state.id, state.revision, '"b"', "b")
        with self.assertRaises(Conflict):
            self.store.save(state.id, state.revision, '"c"', "c")
        self.assertEqual(self.store.save(state.id, later.revision, '"b"', "same").revision, later.revision)
        for act in (self.store.scene, self.store.earlier):
            with self.assertRaises(Missing):
                act("nowhere")
        for act in (self.store.undo, self.store.redo):
            with self.assertRaises(Missing):
                act("nowhere", 1)

    def test_a_retry_of_the_same_edit_gets_the_same_revision(self):
        state = self.store.create('"a"', "Begin")
        first = self.store.save(state.id, state.revision, '"b"', "b", "edit-1")
        again = self.store.save(state.id, state.revision, '"b"', "b", "edit-1")
        self.assertEqual((again.revision, again.document), (first.revision, '"b"'))
        later = self.store.save(state.id, first.revision, '"c"', "c", "edit-2")
        late = self.store.save(state.id, state.revision, '"b"', "b", "edit-1")
        self.assertEqual(late.revision, first.revision)
        self.assertEqual(self.store.scene(state.id).revision, later.revision)
        with self.assertRaises(Conflict):
            self.store.save(state.id, late.revision, '"d"', "d", "edit-3")

    def test_undo_and_redo_from_a_state_that_is_no_longer_shown_hide_nothing(self):
        state = self.store.create('"a"', "Begin")
        first = self.store.save(state.id, state.revision, '"b"', "b")
        second = self.store.save(state.id, first.revision, '"c"', "c")
        for act in (self.store.undo, self.store.redo):
            with self.assertRaises(Conflict):
                act(state.id, first.revision)
        self.assertEqual(self.store.scene(state.id).revision, second.revision)

    def test_every_state_on_every_branch_is_listed_and_can_be_shown(self):
        begun = self.store.create('"a"', "Begin")
        left = self.store.save(begun.id, begun.revision, '"left"', "go left")
        back = self.store.undo(begun.id, left.revision)
        right = self.store.save(begun.id, back.revision, '"right"', "go right")
        listed = self.store.earlier(begun.id)
        self.assertEqual([s.label for s in listed], ["go right", "go left", "Begin"])
        self.assertEqual([s.parent for s in listed], [begun.revision, begun.revision, None])
        self.assertEqual([s.shown for s in listed], [True, False, False])
        shown = self.store.show(begun.id, right.revision, left.revision)
        self.assertEqual((shown.document, shown.can_undo), ('"left"', True))
        other = self.store.create('"z"', "Begin")
        for scene, base, revision, error in (
            (begun.id, right.revision, left.revision, Conflict), (begun.id, left.revision, other.revision, Missing),
            (begun.id, left.revision, 10**12, Missing),
        ):  # fmt: skip
            with self.assertRaises(error):
                self.store.show(scene, base, revision)

    def test_removed_scenes_are_kept_and_put_back(self):
        state = self.store.create('"a"', "Begin")
        self.store.set_removed(state.id, True)
        self.assertEqual([s.id for s in self.store.scenes()], [])
        self.assertEqual([s.id for s in self.opened().scenes(removed=True)], [state.id])
        self.store.set_removed(state.id, False)
        self.assertEqual([s.document for s in self.store.scenes()], ['"a"'])

    def test_a_file_of_an_earlier_form_is_brought_to_the_newest(self):
        """As the second migration left it, with a scene of version 2 of the documents."""
        self.store.close()
        self.path.unlink()
        for beside in self.path.parent.glob("data.sqlite-*"):
            beside.unlink()
        store = Store(self.path)
        config = Config()
        config.set_main_option("script_location", str(Path(store_package.__file__).parent / "migrations"))
        with store.engine.connect() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "0002")
            connection.execute(text("insert into scene (id, head, created) values ('s', null, '2026-01-01 00:00:00')"))
            connection.execute(
                text("insert into revision values (1, 's', null, 'Begin', :d, '2026-01-01 00:00:00')"),
                {"d": json.dumps({"gaudyseed": 2, "name": "Old", "populations": []})},
            )
            connection.execute(text("update scene set head = 1"))
            connection.commit()
        store.migrate()
        self.addCleanup(store.close)
        self.assertEqual(json.loads(store.scene("s").document)["name"], "Old")
        app = create_app(store)
        answer = app.test_client().get("/api/scenes/s").json
        self.assertEqual((answer["document"]["gaudyseed"], answer["document"]["name"]), (3, "Old"))
        saved = store.save("s", 1, '"new"', "new", "e")
        self.assertEqual(store.undo("s", saved.revision).revision, 1)

    def test_a_full_disk_keeps_what_is_there(self):
        """SQLite's own limit on pages stands for the disk's end."""
        state = self.store.create('"a"', "Begin")

        client = create_app(self.store).test_client()

        @event.listens_for(self.store.engine, "begin")
        def narrow(connection) -> None:
            connection.exec_driver_sql("PRAGMA max_page_count = 1")

        with self.assertRaises(Trouble) as caught:
            self.store.save(state.id, state.revision, json.dumps("x" * 3_000_000), "large")
        self.assertEqual(caught.exception.code, "full")
        self.assertIn("Free some room", caught.exception.sentence)
        document = {"gaudyseed": 3, "name": "n" * 100, "recent_colours": ["#102030"] * 24}
        made = None
        for k in range(3000):
            document["name"] = f"scene {k}"
            made = client.post("/api/scenes", json={"document": document})
            if made.status_code != 200:
                break
        self.assertEqual((made.status_code, made.json["code"]), (507, "data_full"))
        event.remove(self.store.engine, "begin", narrow)
        self.assertEqual(self.store.save(state.id, state.revision, '"b"', "b").document, '"b"')

    def test_writers_take_turns(self):
        state = self.store.create("0", "Begin")
        won, lost = [], []

        def write(k: int) -> None:
            try:
                won.append(self.store.save(state.id, state.revision, str(k), "race"))
            except Conflict:
                lost.append(k)

        threads = [threading.Thread(target=write, args=(k + 1,)) for k in range(12)]
        for t in threads:
            t.start()
        for t in threads:
            t.join()
        self.assertEqual((len(won), len(lost)), (1, 11))

    def test_the_demo_is_loaded_once_and_edits_are_kept(self):
        load_demo(self.store)
        state = self.store.scene(SCENE_ID)
        document = demo_scene().model_copy(update={"name": "Mine"}).model_dump_json()
        self.store.save(SCENE_ID, state.revision, document, "Rename")
        load_demo(self.store)
        self.assertEqual(json.loads(self.store.scene(SCENE_ID).document)["name"], "Mine")


class Columns(StoreCase):
    def test_stored_once_by_content(self):
        data = b"\x01\x02" * 500
        digest = digest_of(data)
        self.store.put_columns({digest: data})
        self.store.put_columns({digest: data, digest_of(b"x"): b"x"})
        self.assertEqual(self.store.column(digest), data)
        with self.store.engine.connect() as connection:
            self.assertEqual(connection.scalar(text("select count(*) from column_data")), 2)
        with self.assertRaises(KeyError):
            self.store.column("0" * 32)

    def test_damage_is_noticed(self):
        self.store.put_columns({digest_of(b"good"): b"good"})
        with self.store.engine.begin() as connection:
            connection.execute(text("update column_data set data = x'00'"))
        with self.assertRaises(KeyError):
            self.store.column(digest_of(b"good"))


class LargeColumns(StoreCase):
    """Columns of a megabyte and more lie in files beside the data file."""

    LARGE = os.urandom(1_500_000)

    def test_they_are_mapped_and_the_data_file_stays_small(self):
        name, small = digest_of(self.LARGE), digest_of(b"small")
        self.store.put_columns({name: self.LARGE, small: b"small"})
        found = self.opened().column(name)
        self.assertIsInstance(found, memoryview)
        self.assertEqual((bytes(found), self.store.column(small)), (self.LARGE, b"small"))
        self.assertLess(self.path.stat().st_size, 1_000_000)
        files = [p for p in self.path.with_name("data.sqlite.columns").rglob("*") if p.is_file()]
        self.assertEqual([(p.name, p.stat().st_mode & 0o077) for p in files], [(name, 0)])

    def test_damaged_or_gone_it_is_told_and_brought_again(self):
        name = digest_of(self.LARGE)
        self.store.put_columns({name: self.LARGE})
        path = next(p for p in self.path.with_name("data.sqlite.columns").rglob(name))
        path.write_bytes(self.LARGE[:-1] + b"?")
        self.assertRaises(KeyError, self.opened().column, name)
        path.unlink()
        self.assertRaises(KeyError, self.store.column, name)
        self.store.put_columns({name: self.LARGE})
        self.assertEqual(bytes(self.store.column(name)), self.LARGE)

    def test_killed_again_and_again_what_was_said_to_be_there_is_there(self):
        said, chance = self.path.parent / "said", random.Random(3)
        said.write_text("")
        self.store.close()
        for turn in range(20):
            ready, begun = os.pipe()
            child = os.fork()
            if child == 0:
                store = self.opened()
                os.write(begun, b".")
                with said.open("a") as file:
                    for k in range(40):
                        data = f"{turn} {k} ".encode() * 200_000
                        store.put_columns({digest_of(data): data})
                        file.write(f"{turn} {k}\n")
                        file.flush()
                os._exit(0)
            os.read(ready, 1)
            os.close(ready)
            os.close(begun)
            if turn % 5 == 0:
                # However slow the machine: now and then after something was said.
                size, since = said.stat().st_size, time.monotonic()
                while said.stat().st_size == size and time.monotonic() - since < 30:
                    time.sleep(0.01)
            time.sleep(chance.uniform(0.0, 0.2))
            os.kill(child, signal.SIGKILL)
            os.waitpid(child, 0)
        store = self.opened()
        named = said.read_text().splitlines()
        self.assertGreater(len(named), 5)
        for line in named:
            data = f"{line} ".encode() * 200_000
            self.assertEqual(bytes(store.column(digest_of(data))), data)
        with store.reading() as session:
            for digest in session.scalars(select(ColumnRow.digest)).all():
                store.column(digest)


class File(StoreCase):
    def test_the_migrations_make_the_declared_tables(self):
        found = inspect(self.store.engine)
        for table in Base.metadata.sorted_tables:
            columns = {c["name"] for c in found.get_columns(table.name)}
            self.assertEqual(columns, {c.name for c in table.columns})

    def test_wal_and_private(self):
        with self.store.engine.connect() as connection:
            self.assertEqual(connection.scalar(text("pragma journal_mode")), "wal")
        if os.name == "posix":
            self.assertEqual(self.path.stat().st_mode & 0o077, 0)

    def test_a_killed_process_loses_nothing_that_was_said_to_be_saved(self):
        """A writer is killed in the middle of saving; every save it reported is there, whole."""
        program = """
import sys
from pathlib import Path
from gaudyseed.store import Store
store = Store(Path(sys.argv[1])); store.migrate()
state = store.create('{"n": 0}', "Begin", "s")
n = 0
while True:
    n += 1
    state = store.save("s", state.revision, '{"n": %d, "filler": "%s"}' % (n, "x" * 200_000), "Edit")
    print(n, flush=True)
"""
        for wait in (3, 17, 40):
            self.path.unlink(missing_ok=True)
            for extra in self.path.parent.glob("data.sqlite-*"):
                extra.unlink()
            process = subprocess.Popen(
                [sys.executable, "-c", program, str(self.path)], stdout=subprocess.PIPE, text=True
            )
            assert process.stdout
            said = 0
            for line in process.stdout:
                said = int(line)
                if said >= wait:
                    process.send_signal(signal.SIGKILL)
                    break
            rest = [int(line) for line in process.stdout if line.strip().isdigit() and line.endswith("\n")]
            process.wait()
            process.stdout.close()
            said = max([said, *rest])
            store = self.opened()
            found = json.loads(store.scene("s").document)
            self.assertIn(found["n"], (said, said + 1))
            with store.engine.connect() as connection:
                self.assertEqual(connection.scalar(text("pragma integrity_check")), "ok")
            store.close()
