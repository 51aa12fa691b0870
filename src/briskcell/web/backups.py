"""Backup and restore from the page."""

from __future__ import annotations

from datetime import UTC, datetime

from flask import Blueprint, Response, current_app, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from briskcell.model.errors import FigureError
from briskcell.services.backups.taking import OLD_DAYS

from .safe import pages_of_this_shelf
from .shop import workshop

bp = Blueprint("backups", __name__, url_prefix="/backup")


@bp.get("")
def page() -> Response:
    """What there is, when it was backed up last, and the ways out and in."""
    return _page()


def _page(status: int = 200, **more: object) -> Response:
    backups = workshop().backups
    context = {
        "now": backups.contents(),
        "days": backups.days(),
        "old": OLD_DAYS,
        "coming": None,
        "file": "",
        "error": "",
    } | more
    return make_response(render_template("backup.html", **context), status)


@bp.get("/brisk-cell.zip")
def take() -> Response:
    """The whole shelf as one file."""
    pieces = workshop().backups.taken()
    size = next(pieces).decode()  # it stands by now, or its error is told
    headers = {"Content-Disposition": f'attachment; filename="brisk-cell-{datetime.now(UTC):%Y-%m-%d}.zip"', "Content-Length": size}
    return Response(pieces, mimetype="application/zip", headers=headers)


@bp.post("/look")
def look() -> Response:
    """What a backup that came in pieces would replace."""
    name = request.form.get("file", "")
    try:
        return _page(coming=workshop().backups.looked_at(name), file=name)
    except FigureError as error:
        return _page(422, error=str(error))


@bp.post("/restore")
def restore() -> BaseResponse:
    """Put it back."""
    try:
        workshop().backups.put_back(request.form.get("file", ""))
    except FigureError as error:
        return _page(422, error=str(error))
    pages_of_this_shelf(current_app)
    return redirect(url_for("shelf.shelf"), 303)
