"""The tables. A build points at its head; revisions form a tree by their parents and never change.

``next_id`` is the revision that was last made from one: where redo goes. ``title`` and ``summary`` are what the shelf shows.
``key`` is a random name, for what pages, cookies and files hold on to: a row's number could be handed out again by a restore.
"""

from __future__ import annotations

import secrets
from datetime import datetime
from typing import Any

from sqlalchemy import DateTime, Float, ForeignKey, String
from sqlalchemy.orm import DeclarativeBase, Mapped, deferred, mapped_column

from .packed import Packed, Told


class Base(DeclarativeBase):
    pass


def new_key() -> str:
    """A name that nobody guesses, and that is given once: 16 hexadecimal digits."""
    return secrets.token_hex(8)


class Build(Base):
    __tablename__ = "build"

    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(String(16), unique=True, index=True, default=new_key)
    created_at: Mapped[datetime] = mapped_column(DateTime)
    removed_at: Mapped[datetime | None] = mapped_column(DateTime)
    head_id: Mapped[int | None] = mapped_column(ForeignKey("revision.id", use_alter=True, name="fk_build_head"))
    tip_id: Mapped[int | None] = mapped_column(ForeignKey("revision.id", use_alter=True, name="fk_build_tip"))
    baseline_id: Mapped[int | None] = mapped_column(ForeignKey("revision.id", use_alter=True, name="fk_build_baseline"))


class Revision(Base):
    __tablename__ = "revision"

    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(String(16), unique=True, index=True, default=new_key)
    build_id: Mapped[int] = mapped_column(ForeignKey("build.id"), index=True)
    parent_id: Mapped[int | None] = mapped_column(ForeignKey("revision.id"))
    next_id: Mapped[int | None] = mapped_column(ForeignKey("revision.id"))
    created_at: Mapped[datetime] = mapped_column(DateTime)
    words: Mapped[str] = mapped_column(String(400))
    name: Mapped[str | None] = mapped_column(String(120))
    title: Mapped[str] = mapped_column(String(120), default="")
    summary: Mapped[dict[str, Any] | None] = mapped_column(Told)
    document: Mapped[dict[str, Any]] = deferred(mapped_column(Packed))


class Job(Base):
    __tablename__ = "job"
    # A number is never given twice: what ends late must not write into the job that took its place.
    __table_args__ = {"sqlite_autoincrement": True}  # noqa: RUF012  the library reads it off the class

    id: Mapped[int] = mapped_column(primary_key=True)
    build_id: Mapped[int] = mapped_column(ForeignKey("build.id"), index=True)
    kind: Mapped[str] = mapped_column(String(40))
    state: Mapped[str] = mapped_column(String(20))
    share: Mapped[float] = mapped_column(Float, default=0.0)
    created_at: Mapped[datetime] = mapped_column(DateTime)
    result: Mapped[dict[str, Any] | None] = mapped_column(Packed)
    words: Mapped[str] = mapped_column(String(400), default="")


class Kept(Base):
    __tablename__ = "drawer"
    __table_args__ = {"sqlite_autoincrement": True}  # noqa: RUF012  the library reads it off the class

    id: Mapped[int] = mapped_column(primary_key=True)
    part_class: Mapped[str] = mapped_column(String(80), index=True)
    quantity: Mapped[int] = mapped_column(default=0)
    price: Mapped[float | None] = mapped_column(Float)
    measured: Mapped[str] = mapped_column(String(400), default="")
    sold_out: Mapped[bool] = mapped_column(default=False)


class UnitKept(Base):
    __tablename__ = "unit"
    __table_args__ = {"sqlite_autoincrement": True}  # noqa: RUF012  the library reads it off the class

    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(String(16), unique=True, index=True, default=new_key)
    build_id: Mapped[int] = mapped_column(ForeignKey("build.id"), index=True)
    name: Mapped[str] = mapped_column(String(120))
    created_at: Mapped[datetime] = mapped_column(DateTime)


class ReadingKept(Base):
    __tablename__ = "reading"
    __table_args__ = {"sqlite_autoincrement": True}  # noqa: RUF012  the library reads it off the class

    id: Mapped[int] = mapped_column(primary_key=True)
    unit_id: Mapped[int] = mapped_column(ForeignKey("unit.id"), index=True)
    step: Mapped[str] = mapped_column(String(120))
    value: Mapped[float | None] = mapped_column(Float)
    reason: Mapped[str] = mapped_column(String(400), default="")
    part_class: Mapped[str] = mapped_column(String(80), default="")
    note: Mapped[dict[str, str] | None] = mapped_column(Told)
    at: Mapped[datetime] = mapped_column(DateTime)


class InstrumentKept(Base):
    __tablename__ = "instrument"
    __table_args__ = {"sqlite_autoincrement": True}  # noqa: RUF012  the library reads it off the class

    id: Mapped[int] = mapped_column(primary_key=True)
    address: Mapped[str] = mapped_column(String(160))
    description: Mapped[str] = mapped_column(String(4000))


class RunKept(Base):
    """A measured run of a unit. Its rows are in a file of their own, since they come faster than a database commits."""

    __tablename__ = "run"
    __table_args__ = {"sqlite_autoincrement": True}  # noqa: RUF012  the library reads it off the class

    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(String(16), unique=True, index=True, default=new_key)
    unit_id: Mapped[int] = mapped_column(ForeignKey("unit.id"), index=True)
    kind: Mapped[str] = mapped_column(String(20))
    title: Mapped[str] = mapped_column(String(120))
    state: Mapped[str] = mapped_column(String(20))
    words: Mapped[str] = mapped_column(String(400), default="")
    began_at: Mapped[datetime] = mapped_column(DateTime)
    about: Mapped[dict[str, Any]] = mapped_column(Told("{}"))


class EntryKept(Base):
    """One line of a unit's log. ``file`` names a photograph beside the database."""

    __tablename__ = "entry"
    __table_args__ = {"sqlite_autoincrement": True}  # noqa: RUF012  the library reads it off the class

    id: Mapped[int] = mapped_column(primary_key=True)
    unit_id: Mapped[int] = mapped_column(ForeignKey("unit.id"), index=True)
    kind: Mapped[str] = mapped_column(String(20))
    words: Mapped[str] = mapped_column(String(2000))
    at: Mapped[datetime] = mapped_column(DateTime)
    about: Mapped[dict[str, Any]] = mapped_column(Told("{}"))
    file: Mapped[str] = mapped_column(String(80), default="")


class LayoutKept(Base):
    """How the last log of a kind was laid out."""

    __tablename__ = "layout"

    signature: Mapped[str] = mapped_column(String(400), primary_key=True)
    layout: Mapped[dict[str, Any]] = mapped_column(Told("{}"))


class DeviceKept(Base):
    __tablename__ = "device"
    __table_args__ = {"sqlite_autoincrement": True}  # noqa: RUF012  the library reads it off the class

    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(String(16), unique=True, index=True, default=new_key)
    name: Mapped[str] = mapped_column(String(60))
    paired_at: Mapped[datetime] = mapped_column(DateTime)
    reads_only: Mapped[bool] = mapped_column(default=False)
    revoked: Mapped[bool] = mapped_column(default=False)
    may_load: Mapped[bool] = mapped_column(default=False)


class ShelfKept(Base):
    """The shelf itself: one row. Its epoch changes as another shelf is put in its place."""

    __tablename__ = "shelf"

    id: Mapped[int] = mapped_column(primary_key=True)
    epoch: Mapped[str] = mapped_column(String(16))


class LeaseKept(Base):
    """Something outside the store that was begun and has to be let go: by whom, and what is needed for that."""

    __tablename__ = "lease"
    __table_args__ = {"sqlite_autoincrement": True}  # noqa: RUF012  the library reads it off the class

    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(20), index=True)
    holder: Mapped[str] = mapped_column(String(16))
    about: Mapped[dict[str, Any]] = mapped_column(Told("{}"))
    began_at: Mapped[datetime] = mapped_column(DateTime)
