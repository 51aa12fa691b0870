"""The one place that knows htmx: which part of a page to send, and where an error goes."""

from __future__ import annotations

import io
from typing import Any

from flask import Response, make_response, render_template, request, send_file


def wants_partial() -> bool:
    """A request of htmx for a part; restoring history asks for the whole page."""
    return "HX-Request" in request.headers and "HX-History-Restore-Request" not in request.headers


def page_or_partial(page: str, partial: str, *, status: int = 200, **context: Any) -> Response:
    """The page, or for htmx the very partial that the page includes."""
    return make_response(render_template(partial if wants_partial() else page, **context), status)


def download(body: bytes, content_type: str, name: str) -> Response:
    """A file to keep, its name written as RFC 6266 has it."""
    return send_file(io.BytesIO(body), mimetype=content_type, as_attachment=True, download_name=name)


def field_error(slot: str, status: int = 422, **context: Any) -> Response:
    """An error in its slot beside the field; what was typed stays."""
    response = make_response(render_template("frame/_field_error.html", **context), status)
    response.headers["HX-Retarget"] = f"#{slot}"
    response.headers["HX-Reswap"] = "innerHTML"
    return response
