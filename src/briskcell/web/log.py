"""The log: a line of JSON an event, in a file of the data folder that starts anew when it has grown."""

from __future__ import annotations

import logging
from logging.handlers import RotatingFileHandler
from pathlib import Path

import structlog

MOST_BYTES, KEPT_FILES = 2_000_000, 3


def log_to(path: Path) -> None:
    """Write the log to a file. A line that cannot be written is dropped: it takes no request with it."""
    logging.raiseExceptions = False
    handler = RotatingFileHandler(path, maxBytes=MOST_BYTES, backupCount=KEPT_FILES, encoding="utf-8", delay=True)
    handler.setFormatter(logging.Formatter("%(message)s"))
    lines = logging.getLogger("brisk-cell")
    lines.setLevel(logging.INFO)
    lines.propagate = False
    lines.handlers = [handler]
    structlog.configure(
        processors=[
            structlog.contextvars.merge_contextvars,
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso"),
            structlog.processors.format_exc_info,
            structlog.processors.JSONRenderer(),
        ],
        logger_factory=lambda *_: lines,
    )
