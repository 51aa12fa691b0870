"""Errors in words: beside the field where there is one, else a page that says what happened and what to do."""

from __future__ import annotations

import re
from functools import lru_cache

import structlog
from flask import Flask, Response, current_app, g, make_response, render_template, request
from flask_wtf.csrf import CSRFError
from werkzeug.exceptions import HTTPException, SecurityError

from briskcell.model.errors import FigureError, PlanError
from briskcell.services.builds import OlderShelfError
from briskcell.services.faults import DatabaseFault, UnknownBuildError, UnreadableError, why

from .htmx import field_error, wants_partial

log = structlog.get_logger("brisk-cell")

WORDS = {
    400: ("The request makes no sense", "Go back and try again; if it came from a link, the link is broken."),
    404: ("There is no such page", "It may have been removed. The shelf lists every build."),
    405: ("That page takes no such request", "Go back and use the page's own controls."),
    413: ("That is too much", "A plan file may have up to 2 MB."),
    500: ("Something broke", "Nothing that was saved is lost. Reload the page."),
    503: ("The builds cannot be reached just now", "Try again in a moment."),
    507: ("Nothing can be saved", "Make room, and try again."),
}


@lru_cache(maxsize=4096)
def slot_of(path: str) -> str:
    """The id of a field's error slot."""
    return "e-" + re.sub(r"[^a-zA-Z0-9_-]+", "-", path or "page")


def install(app: Flask) -> None:
    """Register the handlers."""

    @app.errorhandler(FigureError)
    def figure_error(error: FigureError) -> Response:
        if wants_partial():
            return field_error(slot_of(request.values.get("slot") or error.field), error=error)
        return page(422, "That cannot be right", str(error))

    @app.errorhandler(PlanError)
    def plan_error(error: PlanError) -> Response:
        return page(422, "That is no plan", "", problems=error.problems[:20])

    @app.errorhandler(UnknownBuildError)
    def unknown(error: UnknownBuildError) -> Response:
        return page(404, "There is no such build", str(error))

    @app.errorhandler(UnreadableError)
    def unreadable(error: UnreadableError) -> Response:
        log.error("unreadable", words=str(error))
        advice = f"{error} Its history lists what it was before; go back from there."
        build_id = request.view_args.get("build_id") if request.view_args else None
        return page(422, "This build cannot be read as it stands", advice, history=build_id)

    @app.errorhandler(DatabaseFault)
    def stored(error: DatabaseFault) -> Response:
        log.error("store", exc_info=error)
        words = why(error, current_app.config["LOG_PATH"].rpartition("/")[0])
        full = "disk is full" in words
        return page(507 if full else 503, WORDS[507 if full else 503][0], words)

    @app.errorhandler(CSRFError)
    def csrf(_error: CSRFError) -> Response:
        return page(
            400,
            "This page is older than what stands here now",
            "It is from before a backup was put back, or of another session. Nothing was changed, and what you typed stays in its "
            "field: reload the page, and try again.",
        )

    @app.errorhandler(OlderShelfError)
    def older(error: OlderShelfError) -> Response:
        return page(409, "Another shelf stands here now", f"{error} Nothing was changed: reload the page to see what stands.")

    @app.errorhandler(HTTPException)
    def http(error: HTTPException) -> Response:
        if isinstance(error, SecurityError):  # a foreign host name: no address of ours can be built for it
            return make_response("Brisk Cell answers on the loopback address alone.\n", 400, {"Content-Type": "text/plain"})
        code = error.code or 500
        title, advice = WORDS.get(code, (error.name, error.description or ""))
        return page(code, title, advice)

    @app.errorhandler(Exception)
    def broken(error: Exception) -> Response:
        log.error("broken", path=request.path[:200], exc_info=error)
        title, advice = WORDS[500]
        where = f"If it stays, the log {current_app.config['LOG_PATH']} tells more under request {g.get('request_id', '')}."
        return page(500, title, f"{advice} {where}")


def page(status: int, title: str, advice: str, **context: object) -> Response:
    """An error page, or for htmx a notice at the top of the work."""
    if wants_partial():
        response = make_response(render_template("frame/_notice.html", title=title, advice=advice, **context), status)
        response.headers["HX-Retarget"] = "#notice"
        response.headers["HX-Reswap"] = "innerHTML"
        return response
    return make_response(render_template("error.html", title=title, advice=advice, **context), status)
