"""Backup and restore from the page."""

from __future__ import annotations

import tempfile
from datetime import UTC, datetime
from pathlib import Path

from flask import Blueprint, Response, make_response, redirect, render_template, request, send_file, url_for
from werkzeug.wrappers import Response as BaseResponse

from briskcell.model.errors import FigureError
from briskcell.services.backup import OLD_DAYS, back_up, contents_of, days_since, examined

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
    place = tempfile.mkdtemp(dir=shop.folder, prefix=".backup-")
    file = Path(place) / "backup.zip"
    back_up(shop.folder, file)
    response = send_file(
        file, mimetype="application/zip", as_attachment=True, download_name=f"brisk-cell-{datetime.now(UTC):%Y-%m-%d}.zip"
    )

    def clear() -> None:
        file.unlink(missing_ok=True)
        Path(place).rmdir()

    response.call_on_close(clear)
    return response


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
        return _page(422, error=str(error))
    return redirect(url_for("shelf.shelf"), 303)
