"""Backup and restore from the page."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import AbstractContextManager
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from flask import Blueprint, Response, current_app, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from briskcell.model.errors import FigureError
from briskcell.services.backups.archive import examined
from briskcell.services.backups.taking import OLD_DAYS, back_up, contents_of, days_since

from .safe import pages_of_this_shelf
from .shelf import workshop

bp = Blueprint("backups", __name__, url_prefix="/backup")


@bp.get("")
def page() -> Response:
    """What there is, when it was backed up last, and the ways out and in."""
    return _page()


def _page(status: int = 200, **more: object) -> Response:
    folder = workshop().folder
    context = {
        "now": contents_of(folder),
        "days": days_since(folder),
        "old": OLD_DAYS,
        "coming": None,
        "file": "",
        "error": "",
    } | more
    return make_response(render_template("backup.html", **context), status)


@bp.get("/brisk-cell.zip")
def take() -> Response:
    """The whole shelf as one file."""
    shop = workshop()
    pieces = _copied(shop.copies.place(), shop.folder)
    size = next(pieces)  # it stands by now, or its error is told
    headers = {"Content-Disposition": f'attachment; filename="brisk-cell-{datetime.now(UTC):%Y-%m-%d}.zip"', "Content-Length": size}
    return Response(pieces, mimetype="application/zip", headers=headers)


def _copied(place: AbstractContextManager[Path], folder: Path) -> Iterator[Any]:
    """The size of a fresh backup, and then its bytes. However reading them ends, the copy on the disk ends with it."""
    with place as own:
        file = own / "backup.zip"
        back_up(folder, file)
        yield str(file.stat().st_size)
        with file.open("rb") as copy:
            while piece := copy.read(1 << 18):
                yield piece


@bp.post("/look")
def look() -> Response:
    """What a backup that came in pieces would replace."""
    shop, name = workshop(), request.form.get("file", "")
    try:
        return _page(coming=examined(shop.uploads.path(name)), file=name)
    except FigureError as error:
        shop.uploads.done(name)
        return _page(422, error=str(error))


@bp.post("/restore")
def restore() -> BaseResponse:
    """Put it back."""
    try:
        workshop().restore_backup(request.form.get("file", ""))
    except FigureError as error:
        workshop().uploads.done(request.form.get("file", ""))
        return _page(422, error=str(error))
    pages_of_this_shelf(current_app)
    return redirect(url_for("shelf.shelf"), 303)
