"""The Flask application."""

from __future__ import annotations

import hashlib
from pathlib import Path

from flask import Flask
from flask_wtf import CSRFProtect
from jinja2 import ChoiceLoader, PackageLoader

from briskcell.formats.plan_json import MOST_BYTES
from briskcell.services import folder
from briskcell.services.workshop import Workshop

from . import (  # noqa: F401  compare adds to the shelf; history, remedies, parts and sheet to the build
    backups,
    build,
    compare,
    drawer,
    errors,
    filters,
    guard,
    help,
    history,
    lan,
    parts,
    remedies,
    sheet,
    shelf,
    stations,
    told,
    uploads,
)
from .exports import routes as exports_routes  # noqa: F401  adds to the build
from .safe import CONVERTERS, pages_of_this_shelf
from .sessions import Timeless
from .shop import EXTENSION

MOST_BODY = MOST_BYTES + 100_000


def create_app(data: Path, *, extra_hosts: tuple[str, ...] = ()) -> Flask:
    """An application that keeps its builds in the folder ``data``.

    Parameters
    ----------
    data : Path
        Folder for the database and the secret key; made if missing.
    extra_hosts : tuple of str
        Host names allowed besides the loopback ones.

    Raises
    ------
    StoreError
        If the folder or what lies in it cannot be used.
    """
    app = Flask(__name__)
    app.session_interface = Timeless()
    folder.prepare(data)
    secret = folder.secret(data)
    app.config.update(
        SECRET_KEY=secret,
        MAX_CONTENT_LENGTH=MOST_BODY,
        MAX_FORM_MEMORY_SIZE=500_000,
        MAX_FORM_PARTS=200,
        TRUSTED_HOSTS=["127.0.0.1", "localhost", "[::1]", *extra_hosts],
        SESSION_COOKIE_SAMESITE="Strict",
        SESSION_COOKIE_HTTPONLY=True,
        # A cookie of its own for each folder: ports do not keep cookies apart.
        SESSION_COOKIE_NAME=f"brisk_cell_{hashlib.sha256(secret.encode()).hexdigest()[:10]}",
        WTF_CSRF_TIME_LIMIT=None,
        WTF_CSRF_SECRET_KEY="",  # of the shelf's epoch: see pages_of_this_shelf
        LOG_PATH=str(data / folder.LOG),
        LAN="",  # where paired devices of the local network reach it, once it is known
    )
    app.extensions[EXTENSION] = Workshop(data / folder.DATABASE)
    pages_of_this_shelf(app)
    guard.install(app)  # before CSRF, so that its refusals carry the headers too
    lan.install(app)
    told.install(app)
    CSRFProtect(app)
    filters.install(app)
    app.jinja_loader = ChoiceLoader([app.jinja_loader, PackageLoader("briskcell.exports")])  # type: ignore[list-item]
    errors.install(app)
    app.url_map.converters |= CONVERTERS
    stations.load()
    app.register_blueprint(shelf.bp)
    app.register_blueprint(drawer.bp)
    app.register_blueprint(build.bp)
    app.register_blueprint(help.bp)
    app.register_blueprint(uploads.bp)
    app.register_blueprint(backups.bp)
    app.register_blueprint(lan.bp)
    app.register_blueprint(told.bp)
    return app
