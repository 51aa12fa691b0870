"""Two engines on one SQLite file: writers begin immediately and wait their turn, readers never block them."""

from __future__ import annotations

import os
import sqlite3
from functools import cache
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from alembic.util import CommandError
from sqlalchemy import Engine, create_engine, event, inspect
from sqlalchemy.exc import DatabaseError, SQLAlchemyError

DatabaseFault = SQLAlchemyError  # what the store raises where the file fails it
BUSY_MS = 8000  # a writer waits its turn that long


class StoreError(RuntimeError):
    """The file of builds cannot be used; the words say why and what to do."""


class DamagedError(StoreError):
    """A part of the file of builds cannot be read."""


def open_engines(path: Path) -> tuple[Engine, Engine]:
    """Migrate the file to the newest schema; give its write engine and its read engine.

    Raises
    ------
    StoreError
        If the file is damaged, foreign, newer than this program, locked, or may not be written.
    """
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise StoreError(f"The folder {path.parent} cannot be made: {error.strerror}. Name another with --data.") from error
    if not os.access(path.parent, os.W_OK) or (path.exists() and not os.access(path, os.W_OK)):
        raise StoreError(f"{path.parent} may not be written. Change its permissions, or name another folder with --data.")
    url = f"sqlite:///{path}"
    writer, reader = create_engine(url), create_engine(url)

    @event.listens_for(writer, "connect")
    @event.listens_for(reader, "connect")
    def configure(connection: Any, _record: Any) -> None:
        # The driver's own transactions would begin late and lose updates; SQLAlchemy's begin event does it instead.
        connection.isolation_level = None
        for pragma in ("journal_mode=WAL", f"busy_timeout={BUSY_MS}", "foreign_keys=ON", "synchronous=FULL"):
            connection.execute(f"PRAGMA {pragma}")

    @event.listens_for(writer, "begin")
    def begin_immediate(connection: Any) -> None:
        connection.exec_driver_sql("BEGIN IMMEDIATE")

    @event.listens_for(reader, "begin")
    def begin(connection: Any) -> None:
        connection.exec_driver_sql("BEGIN")

    try:
        _migrate(writer, path)
    except StoreError:
        writer.dispose()
        reader.dispose()
        raise
    except (SQLAlchemyError, CommandError, sqlite3.Error) as error:
        writer.dispose()
        reader.dispose()
        damaged = "malformed" in str(getattr(error, "orig", error)).lower()
        raise (DamagedError if damaged else StoreError)(why(error, path)) from error
    return writer, reader


def _config() -> Config:
    config = Config()
    config.set_main_option("script_location", "briskcell:store/migrations")
    return config


@cache
def _schemas() -> tuple[str | None, frozenset[str]]:
    """The newest schema that this program knows, and all of them."""
    scripts = ScriptDirectory.from_config(_config())
    return scripts.get_current_head(), frozenset(s.revision for s in scripts.walk_revisions())


def newest_schema() -> str:
    """The newest schema that this program knows."""
    return _schemas()[0] or ""


def _migrate(writer: Engine, path: Path) -> None:
    newest, known = _schemas()
    with writer.begin() as connection:
        if (whole := connection.exec_driver_sql("PRAGMA quick_check(1)").scalar()) != "ok":
            raise DamagedError(why(DatabaseError("quick_check", None, sqlite3.DatabaseError(f"malformed: {whole}")), path))
        tables = set(inspect(connection).get_table_names())
        if tables and "alembic_version" not in tables:
            raise StoreError(f"{path} is the database of another program. Name another folder with --data.")
        now = MigrationContext.configure(connection).get_current_revision()
        if now is not None and now not in known:
            raise StoreError(f"{path} was written by a newer Brisk Cell. Install that version, or name another folder with --data.")
        if now != newest:
            config = _config()
            config.attributes["connection"] = connection
            command.upgrade(config, "head")


def why(error: Exception, path: Path | str = "the file of builds") -> str:
    """A fault of the database as a sentence: what happened, and what to do."""
    words = str(getattr(error, "orig", error)).lower()
    if "disk is full" in words or "no space" in words or "disk i/o" in words:
        return "The disk is full, so nothing can be saved. Make room; what was saved before can be read meanwhile."
    if "locked" in words or "busy" in words:
        return "Another program holds the file of builds. End it, or wait a moment, and try again."
    if "readonly" in words or "read-only" in words or "unable to open" in words:
        return f"{path} may not be written. Change its permissions, or name another folder with --data."
    if isinstance(error, DatabaseError) or "malformed" in words or "not a database" in words:
        return (
            f"{path} is damaged. “brisk-cell doctor” says what can still be read, “brisk-cell export-all” saves it; "
            "then start with another folder, named with --data."
        )
    return f"{path} cannot be used: {error}"
