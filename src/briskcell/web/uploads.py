"""Files in pieces: each is small enough for the server's doors."""

from __future__ import annotations

from collections.abc import Callable

from flask import Blueprint, Response, jsonify, make_response, request

from briskcell.model.errors import FigureError

from .safe import row_number
from .shop import workshop

bp = Blueprint("uploads", __name__, url_prefix="/uploads")


@bp.post("")
def begin() -> Response:
    """A new file; what it goes by."""
    return _answered(lambda: {"name": workshop().uploads.begin()})


@bp.post("/<name>")
def piece(name: str) -> Response:
    """A piece of it, put where ``at`` says; how much is there."""
    at = row_number(request.args.get("at")) or 0
    return _answered(lambda: {"size": workshop().uploads.add(name, at, request.get_data(cache=False))})


@bp.post("/<name>/leave")
def leave(name: str) -> Response:
    """Whoever sent it does not want it any more, or has closed the page."""
    workshop().uploads.done(name)
    return make_response("", 204)


def _answered(do: Callable[[], dict[str, object]]) -> Response:
    try:
        return jsonify(do())
    except FigureError as error:
        return make_response(jsonify({"words": str(error)}), 422)
