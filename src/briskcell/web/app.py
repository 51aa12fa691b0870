"""The Flask application."""

from __future__ import annotations

import secrets
from pathlib import Path

from flask import Flask
from flask_wtf import CSRFProtect

from briskcell.formats.plan_json import MOST_BYTES
from briskcell.services.workshop import Workshop

from . import build, errors, filters, guard, history, shelf  # noqa: F401  history adds addresses to the build's
from .stations import load_routes

EXTENSION = "briskcell"


def create_app(data: Path, *, extra_hosts: tuple[str, ...] = ()) -> Flask:
    """An application that keeps its builds in the folder ``data``.

    Parameters
    ----------
    data : Path
        Folder for the database and the secret key; made if missing.
    extra_hosts : tuple of str
        Host names allowed besides the loopback ones.
    """
    app = Flask(__name__)
    data.mkdir(parents=True, exist_ok=True)
    app.config.update(
        SECRET_KEY=_secret(data / "secret"),
        MAX_CONTENT_LENGTH=MOST_BYTES + 100_000,
        MAX_FORM_MEMORY_SIZE=500_000,
        MAX_FORM_PARTS=200,
        TRUSTED_HOSTS=["127.0.0.1", "localhost", "[::1]", *extra_hosts],
        SESSION_COOKIE_SAMESITE="Strict",
        SESSION_COOKIE_HTTPONLY=True,
        SESSION_COOKIE_NAME="brisk_cell",
        WTF_CSRF_TIME_LIMIT=None,
    )
    app.extensions[EXTENSION] = Workshop(data / "builds.sqlite3")
    guard.install(app)  # before CSRF, so that its refusals carry the headers too
    CSRFProtect(app)
    filters.install(app)
    errors.install(app)
    load_routes()
    app.register_blueprint(shelf.bp)
    app.register_blueprint(build.bp)
    return app


def _secret(path: Path) -> str:
    """The key that signs sessions: made once, kept beside the builds, readable by their owner alone."""
    if not path.exists():
        path.touch(mode=0o600)
        path.write_text(secrets.token_hex(32))
    return path.read_text()
