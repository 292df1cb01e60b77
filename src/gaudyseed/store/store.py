"""The store: every saved edit is a revision in one transaction, fully written or not at all."""

from __future__ import annotations

import os
import secrets
import time
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.util import CommandError
from sqlalchemy import create_engine, event, select, text, update
from sqlalchemy.engine import Engine
from sqlalchemy.orm import Session

from ..core.digest import digest_of
from ..core.runtime.mapped import MappedFiles
from .tables import ColumnRow, LibraryRow, RevisionRow, SceneRow
from .troubles import Trouble, told, trouble


class Missing(LookupError):
    """There is no such scene."""


class Conflict(RuntimeError):
    """The edit began from a revision that is no longer the one shown."""


@dataclass(frozen=True)
class SceneState:
    """What is shown of a scene: its document (JSON text), and whether there is a way back or forth."""

    id: str
    revision: int
    label: str
    document: str
    can_undo: bool
    can_redo: bool


@dataclass(frozen=True)
class LibraryItem:
    """Something saved for use anywhere; ``document`` is JSON text, ``picture`` a data URL or empty."""

    id: str
    kind: str
    name: str
    document: str
    picture: str
    favourite: bool


def _library_row(item_id: str, kind: str, name: str, document: str, picture: str) -> LibraryRow:
    return LibraryRow(
        id=item_id, kind=kind, name=name, document=document, picture=picture, favourite=False, removed=False
    )


def _item(row: LibraryRow) -> LibraryItem:
    return LibraryItem(row.id, row.kind, row.name, row.document, row.picture, row.favourite)


@dataclass(frozen=True)
class EarlierState:
    """One revision of a scene in the list of all: when it was made, what its edit did, whether it is the one shown."""

    revision: int
    parent: int | None
    label: str
    made: datetime
    shown: bool


#: Seconds that a writer waits for another program to let go of the file.
PATIENCE = 5.0
_OURS = "scene"


class Store:
    """One file. Safe to use from several threads; writers take turns.

    What is wrong with the file (full, busy, read-only, damaged, another program's, a newer one's) is raised as
    ``Trouble``.
    """

    def __init__(self, path: Path) -> None:
        self.path = Path(path)
        with told(self.path):
            self.path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
            if os.name == "posix":
                # SQLite gives what lies beside the file the rights of the file, so it is there before SQLite opens it.
                os.close(os.open(self.path, os.O_CREAT | os.O_RDONLY, 0o600))
        self.engine = _engine(self.path)
        self.files = MappedFiles(
            self.path.with_name(f"{self.path.name}.columns"), lambda digest, data: digest_of(data) == digest
        )

    def migrate(self) -> None:
        """Bring the file to the newest form."""
        until = time.monotonic() + PATIENCE
        while True:
            try:
                with told(self.path):
                    self._migrate()
                break
            except Trouble as error:
                # Two programs that start at the same moment: the second one finds all done.
                if error.code != "busy" or time.monotonic() > until:
                    raise
                time.sleep(0.1)
        if os.name == "posix":
            for ending in ("", "-wal", "-shm"):
                beside = self.path.with_name(self.path.name + ending)
                if beside.exists():
                    with suppress(OSError):
                        beside.chmod(0o600)

    def _migrate(self) -> None:
        config = Config()
        config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        with self.engine.connect() as connection:
            tables = set(connection.scalars(text("select name from sqlite_master where type = 'table'")))
            if tables and not {_OURS, "alembic_version"} <= tables:
                raise trouble("foreign", self.path)
            config.attributes["connection"] = connection
            try:
                command.upgrade(config, "head")
            except CommandError:
                raise trouble("newer", self.path) from None
            connection.commit()

    def close(self) -> None:
        """Give up all connections."""
        self.engine.dispose()

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """A session whose changes are kept, all or none; writers take turns."""
        with told(self.path), Session(self.engine) as session, session.begin():
            yield session

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """A session that sees the file as it is now."""
        with told(self.path), Session(self.engine.execution_options(reading=True)) as session:
            yield session

    # Library

    def library(self, kind: str = "") -> list[LibraryItem]:
        """What the library holds, favourites first, then oldest first; of one kind where that is given."""
        with self.reading() as session:
            found = select(LibraryRow).where(LibraryRow.removed.is_(False))
            if kind:
                found = found.where(LibraryRow.kind == kind)
            rows = session.scalars(found.order_by(LibraryRow.favourite.desc(), LibraryRow.created, LibraryRow.id))
            return [_item(row) for row in rows]

    def begin_library(self, items: Iterable[tuple[str, str, str, str]]) -> None:
        """Put in (id, kind, name, document) whatever is not there and has never been removed."""
        with self.writing() as session:
            known = set(session.scalars(select(LibraryRow.id)))
            for item_id, kind, name, document in items:
                if item_id not in known:
                    session.add(_library_row(item_id, kind, name, document, ""))

    def keep(self, kind: str, name: str, document: str, picture: str = "") -> LibraryItem:
        """Put something into the library."""
        with self.writing() as session:
            row = _library_row(secrets.token_hex(8), kind, name, document, picture)
            session.add(row)
            session.flush()
            return _item(row)

    def change_item(
        self, item_id: str, name: str | None = None, favourite: bool | None = None, removed: bool | None = None
    ) -> LibraryItem:
        """Rename, mark or remove an item; Missing where there is none."""
        with self.writing() as session:
            row = session.get(LibraryRow, item_id)
            if row is None or row.removed:
                raise Missing(f"The library has nothing under {item_id!r}.")
            row.name = row.name if name is None else name
            row.favourite = row.favourite if favourite is None else favourite
            row.removed = row.removed if removed is None else removed
            return _item(row)

    # Scenes

    def scenes(self, removed: bool = False) -> list[SceneState]:
        """All scenes, oldest first; or those that were removed."""
        with self.reading() as session:
            found = select(SceneRow).where(SceneRow.removed.is_(removed)).order_by(SceneRow.created, SceneRow.id)
            return [_state(session, row) for row in session.scalars(found).all()]

    def create(self, document: str, label: str, scene_id: str | None = None) -> SceneState:
        """A new scene with its first revision; the one there is, where the id is taken."""
        with self.writing() as session:
            there = session.get(SceneRow, scene_id) if scene_id else None
            if there is not None:
                return _state(session, there)
            row = SceneRow(id=scene_id or secrets.token_hex(8))
            session.add(row)
            session.flush()
            _append(session, row, document, label)
            return _state(session, row)

    def scene(self, scene_id: str) -> SceneState:
        """The scene as it is shown; Missing where there is none."""
        with self.reading() as session:
            return _state(session, _row(session, scene_id))

    def set_removed(self, scene_id: str, removed: bool) -> SceneState:
        """Take a scene out of the list, or put it back; nothing of it is lost."""
        with self.writing() as session:
            row = _row(session, scene_id)
            row.removed = removed
            return _state(session, row)

    def save(self, scene_id: str, base: int, document: str, label: str, edit: str | None = None) -> SceneState:
        """A new revision after ``base``; Conflict where another one has come between.

        A document equal to the one shown makes no revision. An edit that was saved under that name before is not
        saved again: what it made comes back.
        """
        with self.writing() as session:
            row = _row(session, scene_id)
            known = _of_edit(session, row, edit) if edit else None
            if known is not None:
                return _state(session, row, known)
            _check_base(row, base)
            if _shown(session, row).document != document:
                _append(session, row, document, label, edit)
            return _state(session, row)

    def undo(self, scene_id: str, base: int) -> SceneState:
        """One revision back from ``base``; unchanged where there is none, Conflict where another one is shown."""
        with self.writing() as session:
            row = _row(session, scene_id)
            _check_base(row, base)
            row.head = _shown(session, row).parent or row.head
            return _state(session, row)

    def redo(self, scene_id: str, base: int) -> SceneState:
        """Forward to the newest revision made from ``base``; unchanged where there is none, Conflict as for undo."""
        with self.writing() as session:
            row = _row(session, scene_id)
            _check_base(row, base)
            row.head = _next(session, row.head) or row.head
            return _state(session, row)

    def earlier(self, scene_id: str, most: int = 500) -> list[EarlierState]:
        """The revisions of a scene on all branches, newest first."""
        with self.reading() as session:
            row = _row(session, scene_id)
            columns = (RevisionRow.id, RevisionRow.parent, RevisionRow.label, RevisionRow.created)
            found = select(*columns).where(RevisionRow.scene_id == row.id).order_by(RevisionRow.id.desc()).limit(most)
            return [EarlierState(*entry, entry[0] == row.head) for entry in session.execute(found)]

    def show(self, scene_id: str, base: int, revision: int) -> SceneState:
        """Show another revision of the scene, on whatever branch; Conflict where ``base`` is no longer shown."""
        with self.writing() as session:
            row = _row(session, scene_id)
            _check_base(row, base)
            wanted = session.get(RevisionRow, revision)
            if wanted is None or wanted.scene_id != row.id:
                raise Missing(f"This scene has no state {revision}.")
            row.head = wanted.id
            return _state(session, row)

    # Columns

    def put_columns(self, columns: Mapping[str, bytes | memoryview]) -> None:
        """Keep columns under their digests, all or none; those already there count as having come now.

        Large ones lie in files beside the data file. They are on the disk before the data file names them, and what
        removes them takes its turn with those who write, so that none is named that is not there.
        """
        large = {digest for digest, data in columns.items() if len(data) >= LARGE and bytes(data[:1]) != b"["}
        with told(self.path):
            for digest in large:
                self.files.put(digest, [columns[digest]])
        with self.writing() as session:
            there = set(session.scalars(select(ColumnRow.digest).where(ColumnRow.digest.in_(columns))))
            session.execute(update(ColumnRow).where(ColumnRow.digest.in_(there)).values(created=datetime.now(UTC)))
            for digest, data in columns.items():
                if digest in large:
                    self.files.put(digest, [data])  # nothing to be done, unless it was removed meanwhile
                if digest not in there:
                    filed = digest in large
                    session.add(ColumnRow(digest=digest, data=b"" if filed else bytes(data), filed=filed))

    def column(self, digest: str) -> bytes | memoryview:
        """The bytes of a column, which cannot be changed; KeyError where there is none or they do not match its digest.

        Those of a file are mapped into memory, and checked when they are first read.
        """
        with self.reading() as session:
            row = session.get(ColumnRow, digest)
            if row is None or not (row.filed or digest_of(row.data) == digest):
                raise KeyError(digest)
            found = self.files.get(digest) if row.filed else row.data
        if found is None:
            raise KeyError(digest)
        return found


#: Columns of so many bytes lie in files; lists, which name other columns, never do.
LARGE = 1024 * 1024


def _engine(path: Path) -> Engine:
    engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": PATIENCE})

    @event.listens_for(engine, "connect")
    def _prepare(connection, _record):  # type: ignore[no-untyped-def]
        connection.isolation_level = None  # transactions are begun below, not by the driver
        cursor = connection.cursor()
        for pragma in ("journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON", "trusted_schema=OFF"):
            cursor.execute(f"PRAGMA {pragma}")
        cursor.close()

    @event.listens_for(engine, "begin")
    def _begin(connection):  # type: ignore[no-untyped-def]
        # A writer takes its turn at once: a base revision that was checked cannot change before the commit.
        connection.exec_driver_sql("BEGIN" if connection.get_execution_options().get("reading") else "BEGIN IMMEDIATE")

    return engine


def _row(session: Session, scene_id: str) -> SceneRow:
    row = session.get(SceneRow, scene_id)
    if row is None:
        raise Missing(f"There is no scene {scene_id!r}.")
    return row


def _shown(session: Session, row: SceneRow) -> RevisionRow:
    found = session.get(RevisionRow, row.head)
    assert found is not None
    return found


def _check_base(row: SceneRow, base: int) -> None:
    if row.head != base:
        raise Conflict(
            f"This scene has moved on from revision {base} to {row.head}, in another window. Reload to see it, or save "
            "yours as a copy."
        )


def _of_edit(session: Session, row: SceneRow, edit: str) -> RevisionRow | None:
    return session.scalar(select(RevisionRow).where(RevisionRow.scene_id == row.id, RevisionRow.edit == edit))


def _append(session: Session, row: SceneRow, document: str, label: str, edit: str | None = None) -> None:
    revision = RevisionRow(scene_id=row.id, parent=row.head, label=label[:200], document=document, edit=edit)
    session.add(revision)
    session.flush()
    row.head = revision.id


def _next(session: Session, revision: int | None) -> int | None:
    query = select(RevisionRow.id).where(RevisionRow.parent == revision)
    return session.scalar(query.order_by(RevisionRow.id.desc()).limit(1))


def _state(session: Session, row: SceneRow, shown: RevisionRow | None = None) -> SceneState:
    shown = shown or _shown(session, row)
    return SceneState(
        row.id, shown.id, shown.label, shown.document, shown.parent is not None, _next(session, shown.id) is not None
    )
