"""The tables. A build points at its head; revisions form a tree by their parents and never change."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import JSON, DateTime, ForeignKey, String
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    pass


class Build(Base):
    __tablename__ = "build"

    id: Mapped[int] = mapped_column(primary_key=True)
    created_at: Mapped[datetime] = mapped_column(DateTime)
    removed_at: Mapped[datetime | None] = mapped_column(DateTime)
    head_id: Mapped[int | None] = mapped_column(ForeignKey("revision.id", use_alter=True, name="fk_build_head"))
    tip_id: Mapped[int | None] = mapped_column(ForeignKey("revision.id", use_alter=True, name="fk_build_tip"))
    baseline_id: Mapped[int | None] = mapped_column(ForeignKey("revision.id", use_alter=True, name="fk_build_baseline"))


class Revision(Base):
    __tablename__ = "revision"

    id: Mapped[int] = mapped_column(primary_key=True)
    build_id: Mapped[int] = mapped_column(ForeignKey("build.id"), index=True)
    parent_id: Mapped[int | None] = mapped_column(ForeignKey("revision.id"))
    created_at: Mapped[datetime] = mapped_column(DateTime)
    words: Mapped[str] = mapped_column(String(400))
    name: Mapped[str | None] = mapped_column(String(120))
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
