"""Two engines on one SQLite file: writers begin immediately and wait their turn, readers never block them."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, event


def open_engines(path: Path) -> tuple[Engine, Engine]:
    """Migrate the file to the newest schema; give its write engine and its read engine."""
    path.parent.mkdir(parents=True, exist_ok=True)
    url = f"sqlite:///{path}"
    writer, reader = create_engine(url), create_engine(url)

    @event.listens_for(writer, "connect")
    @event.listens_for(reader, "connect")
    def configure(connection: Any, _record: Any) -> None:
        # The driver's own transactions would begin late and lose updates; SQLAlchemy's begin event does it instead.
        connection.isolation_level = None
        for pragma in ("journal_mode=WAL", "busy_timeout=10000", "foreign_keys=ON", "synchronous=FULL"):
            connection.execute(f"PRAGMA {pragma}")

    @event.listens_for(writer, "begin")
    def begin_immediate(connection: Any) -> None:
        connection.exec_driver_sql("BEGIN IMMEDIATE")

    @event.listens_for(reader, "begin")
    def begin(connection: Any) -> None:
        connection.exec_driver_sql("BEGIN")

    config = Config()
    config.set_main_option("script_location", "briskcell:store/migrations")
    with writer.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
    return writer, reader
