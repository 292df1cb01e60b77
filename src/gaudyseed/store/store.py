"""The store: every saved edit is a revision in one transaction, fully written or not at all."""

from __future__ import annotations

import os
import secrets
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine, event, select
from sqlalchemy.engine import Engine
from sqlalchemy.orm import Session

from ..core.digest import digest_of
from .tables import ColumnRow, LibraryRow, RevisionRow, SceneRow


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


class Store:
    """One file. Safe to use from several threads; writers take turns."""

    def __init__(self, path: Path) -> None:
        self.path = Path(path)
        self.path.parent.mkdir(parents=True, exist_ok=True)
        self.engine = _engine(self.path)

    def migrate(self) -> None:
        """Bring the file to the newest form."""
        config = Config()
        config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        with self.engine.connect() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")
            connection.commit()
        if os.name == "posix":
            self.path.chmod(0o600)

    def close(self) -> None:
        """Give up all connections."""
        self.engine.dispose()

    @contextmanager
    def _writing(self) -> Iterator[Session]:
        with Session(self.engine) as session, session.begin():
            yield session

    @contextmanager
    def _reading(self) -> Iterator[Session]:
        with Session(self.engine.execution_options(reading=True)) as session:
            yield session

    # Library

    def library(self, kind: str = "") -> list[LibraryItem]:
        """What the library holds, favourites first, then oldest first; of one kind where that is given."""
        with self._reading() as session:
            found = select(LibraryRow).where(LibraryRow.removed.is_(False))
            if kind:
                found = found.where(LibraryRow.kind == kind)
            rows = session.scalars(found.order_by(LibraryRow.favourite.desc(), LibraryRow.created, LibraryRow.id))
            return [_item(row) for row in rows]

    def begin_library(self, items: Iterable[tuple[str, str, str, str]]) -> None:
        """Put in (id, kind, name, document) whatever is not there and has never been removed."""
        with self._writing() as session:
            known = set(session.scalars(select(LibraryRow.id)))
            for item_id, kind, name, document in items:
                if item_id not in known:
                    session.add(_library_row(item_id, kind, name, document, ""))

    def keep(self, kind: str, name: str, document: str, picture: str = "") -> LibraryItem:
        """Put something into the library."""
        with self._writing() as session:
            row = _library_row(secrets.token_hex(8), kind, name, document, picture)
            session.add(row)
            session.flush()
            return _item(row)

    def change_item(
        self, item_id: str, name: str | None = None, favourite: bool | None = None, removed: bool | None = None
    ) -> LibraryItem:
        """Rename, mark or remove an item; Missing where there is none."""
        with self._writing() as session:
            row = session.get(LibraryRow, item_id)
            if row is None or row.removed:
                raise Missing(f"The library has nothing under {item_id!r}.")
            row.name = row.name if name is None else name
            row.favourite = row.favourite if favourite is None else favourite
            row.removed = row.removed if removed is None else removed
            return _item(row)

    # Scenes

    def scenes(self) -> list[SceneState]:
        """All scenes, oldest first."""
        with self._reading() as session:
            rows = session.scalars(select(SceneRow).order_by(SceneRow.created, SceneRow.id)).all()
            return [_state(session, row) for row in rows]

    def create(self, document: str, label: str, scene_id: str | None = None) -> SceneState:
        """A new scene with its first revision."""
        with self._writing() as session:
            row = SceneRow(id=scene_id or secrets.token_hex(8))
            session.add(row)
            session.flush()
            _append(session, row, document, label)
            return _state(session, row)

    def scene(self, scene_id: str) -> SceneState:
        """The scene as it is shown; Missing where there is none."""
        with self._reading() as session:
            return _state(session, _row(session, scene_id))

    def save(self, scene_id: str, base: int, document: str, label: str) -> SceneState:
        """A new revision after ``base``; Conflict where another one has come between.

        A document equal to the one shown makes no revision.
        """
        with self._writing() as session:
            row = _row(session, scene_id)
            if row.head != base:
                raise Conflict(
                    f"This scene has moved on from revision {base} to {row.head}, in another window. "
                    "Reload to see it; then make the edit again."
                )
            if _shown(session, row).document != document:
                _append(session, row, document, label)
            return _state(session, row)

    def undo(self, scene_id: str) -> SceneState:
        """One revision back; unchanged where there is none."""
        with self._writing() as session:
            row = _row(session, scene_id)
            row.head = _shown(session, row).parent or row.head
            return _state(session, row)

    def redo(self, scene_id: str) -> SceneState:
        """Forward to the newest revision made from the one shown; unchanged where there is none."""
        with self._writing() as session:
            row = _row(session, scene_id)
            row.head = _next(session, row) or row.head
            return _state(session, row)

    # Columns

    def put_columns(self, columns: dict[str, bytes]) -> None:
        """Keep columns under their digests, all or none; those already there are left."""
        with self._writing() as session:
            there = set(session.scalars(select(ColumnRow.digest).where(ColumnRow.digest.in_(columns))))
            for digest, data in columns.items():
                if digest not in there:
                    session.add(ColumnRow(digest=digest, data=data))

    def column(self, digest: str) -> bytes:
        """The bytes of a column; KeyError where there is none or they do not match their digest."""
        with self._reading() as session:
            row = session.get(ColumnRow, digest)
            if row is None or digest_of(row.data) != digest:
                raise KeyError(digest)
            return row.data


def _engine(path: Path) -> Engine:
    engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": 30})

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


def _append(session: Session, row: SceneRow, document: str, label: str) -> None:
    revision = RevisionRow(scene_id=row.id, parent=row.head, label=label[:200], document=document)
    session.add(revision)
    session.flush()
    row.head = revision.id


def _next(session: Session, row: SceneRow) -> int | None:
    query = select(RevisionRow.id).where(RevisionRow.scene_id == row.id, RevisionRow.parent == row.head)
    return session.scalar(query.order_by(RevisionRow.id.desc()).limit(1))


def _state(session: Session, row: SceneRow) -> SceneState:
    shown = _shown(session, row)
    return SceneState(
        row.id, shown.id, shown.label, shown.document, shown.parent is not None, _next(session, row) is not None
    )
