"""Collecting what no kept state of a scene needs any more, so that the data file does not only grow.

In small transactions, so that nobody who saves waits for long, and in an order in which it can be killed anywhere:
first states that lie further back than undo reaches, then columns that no state names.
"""

from __future__ import annotations

import re
import sqlite3
from contextlib import closing
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session

from ..core.plurals import counted
from ..core.runtime.task import UNWATCHED, Task
from .store import PATIENCE, Store
from .tables import ColumnRow, LibraryRow, RevisionRow, SceneRow
from .troubles import told

#: How far back undo reaches where nothing else is said: so many edits, or so many days, whichever is more.
EDITS, DAYS = 500, 30
#: Columns stay so long at least: what was imported or painted may not be in a saved state yet.
_FRESH = timedelta(days=1)
#: Rows that go in one transaction.
_AT_ONCE = 200
_DIGEST = re.compile(rb"[0-9a-f]{32}")
#: How a list of the frames of a sequence begins, which names columns itself.
_LIST = b"[{"
#: The part of the file that must have become free for it to be written anew.
_WORTH = 0.1


@dataclass(frozen=True)
class Tidied:
    """What was collected.

    Attributes
    ----------
    bytes
        Of the columns that are gone.
    file
        How much smaller the file is; 0 where its free pages are left for what comes next.
    """

    states: int
    columns: int
    bytes: int
    file: int = 0

    @property
    def sentence(self) -> str:
        """What was done, for people."""
        if not self.states and not self.columns:
            return "There was nothing to tidy."
        return (
            f"{counted(self.states, 'state')} and {counted(self.columns, 'column')} of {self.bytes / 1e6:,.1f} MB are "
            f"gone; the file is {self.file / 1e6:,.1f} MB smaller."
        )


def tidy(
    store: Store, edits: int = EDITS, days: float = DAYS, task: Task = UNWATCHED, shrink: bool = False
) -> Tidied:  # fmt: skip
    """Collect what undo does not reach and no state needs.

    What is shown of each scene stays, and what it came from, so many ``edits`` back; so do the newest so many and all
    of the last ``days``. ``shrink`` gives the room back to the system where that is worth writing the file anew.
    """
    now = datetime.now(UTC).replace(tzinfo=None)
    states = _states(store, edits, now - timedelta(days=days), task.part(0, 0.4))
    columns, size = _columns(store, now - _FRESH, task.part(0.4, 0.9))
    task.reach(0.9, "making the file smaller" if shrink else None)
    return Tidied(states, columns, size, _shrunk(store) if shrink else 0)


def _states(store: Store, edits: int, since: datetime, task: Task) -> int:
    """Remove the states that undo does not reach; how many they were."""
    with store.reading() as session:
        scenes = list(session.scalars(select(SceneRow.id)))
    gone = 0
    for scene, part in task.each(scenes, "scene"):
        with store.reading() as session:
            far = sorted(_far(session, scene, edits, since))
        for k in part.along(range(0, len(far), _AT_ONCE), -(-len(far) // _AT_ONCE)):
            some = far[k : k + _AT_ONCE]
            with store.writing() as session:
                # One that is shown again meanwhile, from another window, stays.
                head = session.scalar(select(SceneRow.head).where(SceneRow.id == scene))
                some = [revision for revision in some if revision != head]
                session.execute(update(RevisionRow).where(RevisionRow.parent.in_(some)).values(parent=None))
                session.execute(delete(RevisionRow).where(RevisionRow.id.in_(some)))
            gone += len(some)
    return gone


def _far(session: Session, scene: str, edits: int, since: datetime) -> set[int]:
    """The states of a scene that go."""
    rows = session.execute(
        select(RevisionRow.id, RevisionRow.parent, RevisionRow.created)
        .where(RevisionRow.scene_id == scene)
        .order_by(RevisionRow.id)
    ).all()
    parents = {revision: parent for revision, parent, _ in rows}
    kept = {revision for revision, _, created in rows if created >= since}
    kept.update(revision for revision, _, _ in rows[max(0, len(rows) - edits) :])
    at = session.scalar(select(SceneRow.head).where(SceneRow.id == scene))
    for _ in range(edits + 1):
        if at is None:
            break
        kept.add(at)
        at = parents.get(at)
    return set(parents) - kept


def _columns(store: Store, before: datetime, task: Task) -> tuple[int, int]:
    """Remove the columns that nothing names; how many they were, and their bytes."""
    named, last = _named(store, task.part(0, 0.5))
    with store.reading() as session:
        old = select(ColumnRow.digest).where(ColumnRow.created < before)
        loose = [digest for digest in session.scalars(old) if digest not in named]
    gone = size = 0
    for k in task.part(0.5, 1).along(range(0, len(loose), _AT_ONCE), -(-len(loose) // _AT_ONCE)):
        with store.writing() as session:
            # What was saved since they were looked through may name them again.
            fresh = session.scalars(select(RevisionRow.document).where(RevisionRow.id > last))
            now = {found.decode() for document in fresh for found in _DIGEST.findall(document.encode())}
            some = [digest for digest in loose[k : k + _AT_ONCE] if digest not in now]
            size += session.scalar(select(func.sum(func.length(ColumnRow.data))).where(ColumnRow.digest.in_(some))) or 0
            size += sum(map(store.files.remove, some))
            session.execute(delete(ColumnRow).where(ColumnRow.digest.in_(some)))
            gone += len(some)
    return gone, size + _files(store, before)


def _files(store: Store, before: datetime) -> int:
    """Remove the files of columns that the data file does not have, or no longer; their bytes.

    Where this was killed, or a program that was bringing columns, they lie there until the next time.
    """
    size = 0
    old = [file.name for file in store.files.held() if file.used < before.timestamp()]
    for k in range(0, len(old), _AT_ONCE):
        with store.writing() as session:
            some = old[k : k + _AT_ONCE]
            there = set(session.scalars(select(ColumnRow.digest).where(ColumnRow.digest.in_(some), ColumnRow.filed)))
            size += sum(store.files.remove(name) for name in some if name not in there)
    return size


def _named(store: Store, task: Task) -> tuple[set[str], int]:
    """Every digest that a state or the library names, through lists of frames too; and the newest state."""
    found: set[str] = set()
    with store.reading() as session:
        last = session.scalar(select(func.max(RevisionRow.id))) or 0
        count = session.scalar(select(func.count()).select_from(RevisionRow)) or 0
        for document in task.along(
            session.scalars(select(RevisionRow.document).execution_options(yield_per=50)), count
        ):
            found.update(digest.decode() for digest in _DIGEST.findall(document.encode()))
        for document in session.scalars(select(LibraryRow.document)):
            found.update(digest.decode() for digest in _DIGEST.findall(document.encode()))
        lists = select(ColumnRow.digest, ColumnRow.data).where(func.substr(ColumnRow.data, 1, len(_LIST)) == _LIST)
        for digest, data in session.execute(lists):
            if digest in found:
                found.update(name.decode() for name in _DIGEST.findall(data))
    return found, last


def _shrunk(store: Store) -> int:
    """Write the file anew where much of it is free; how many bytes smaller it is."""
    before = store.path.stat().st_size
    with told(store.path), closing(sqlite3.connect(store.path, PATIENCE, isolation_level=None)) as connection:
        free, pages = (connection.execute(f"PRAGMA {word}").fetchone()[0] for word in ("freelist_count", "page_count"))
        if free <= _WORTH * pages:
            return 0
        connection.execute("VACUUM")
        connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    return max(0, before - store.path.stat().st_size)
