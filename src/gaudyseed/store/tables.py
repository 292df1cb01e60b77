"""The tables."""

from __future__ import annotations

from datetime import UTC, datetime

from sqlalchemy import ForeignKey, Index, LargeBinary, String, Text, false
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


def _now() -> datetime:
    return datetime.now(UTC)


class Base(DeclarativeBase):
    """The base of all tables of the data file."""


class SceneRow(Base):
    """A scene: a name in the address and the revision that is shown; removed ones are kept, unseen."""

    __tablename__ = "scene"
    id: Mapped[str] = mapped_column(String(40), primary_key=True)
    head: Mapped[int | None] = mapped_column(ForeignKey("revision.id", use_alter=True, name="fk_scene_head"))
    created: Mapped[datetime] = mapped_column(default=_now)
    removed: Mapped[bool] = mapped_column(default=False, server_default=false())


class RevisionRow(Base):
    """One edit's whole document. Its parent is what was shown before; None where that is not kept.

    ``edit`` is the name that the page gave the edit, so that one that is sent again is known.
    """

    __tablename__ = "revision"
    __table_args__ = (
        Index("ix_revision_scene_parent", "scene_id", "parent"),
        Index("ix_revision_scene_edit", "scene_id", "edit", unique=True),
    )
    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    scene_id: Mapped[str] = mapped_column(ForeignKey("scene.id"))
    parent: Mapped[int | None] = mapped_column(ForeignKey("revision.id"))
    label: Mapped[str] = mapped_column(String(200))
    edit: Mapped[str | None] = mapped_column(String(60))
    document: Mapped[str] = mapped_column(Text)
    created: Mapped[datetime] = mapped_column(default=_now)


class ColumnRow(Base):
    """An imported column, under the digest of its bytes: here, or where it is large in a file beside this one."""

    __tablename__ = "column_data"
    digest: Mapped[str] = mapped_column(String(32), primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)
    filed: Mapped[bool] = mapped_column(default=False, server_default=false())
    created: Mapped[datetime] = mapped_column(default=_now)


class LibraryRow(Base):
    """A saved ramp, palette, chain, layer or look; removed ones are kept, unseen."""

    __tablename__ = "library_item"
    id: Mapped[str] = mapped_column(String(40), primary_key=True)
    kind: Mapped[str] = mapped_column(String(20), index=True)
    name: Mapped[str] = mapped_column(String(100))
    document: Mapped[str] = mapped_column(Text)
    picture: Mapped[str] = mapped_column(Text, default="")
    favourite: Mapped[bool] = mapped_column(default=False)
    removed: Mapped[bool] = mapped_column(default=False)
    created: Mapped[datetime] = mapped_column(default=_now)
