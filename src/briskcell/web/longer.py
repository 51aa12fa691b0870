"""What takes its time: a session played through, and the wide search."""

from __future__ import annotations

from flask import Response, current_app, make_response, render_template, request

from briskcell.services.search import Search, begin_search, take_found
from briskcell.services.session import USUAL, play

from .build import bp, change
from .presenters.course import course_plot
from .shelf import workshop

SEARCHES = "briskcell-searches"


@bp.get("/session")
def session(build_id: int) -> str:
    """A session in time, from the words typed."""
    opened, text = workshop().open(build_id), request.args.get("phases", USUAL)[:600]
    start = min(max(request.args.get("start", 100, type=int), 1), 100)
    found = play(opened.assessed, text, start / 100)
    return render_template("_session.html", found=found, plot=course_plot(found))


def _searches() -> dict[int, Search]:
    kept: dict[int, Search] = current_app.extensions.setdefault(SEARCHES, {})
    return kept


def _shown(build_id: int) -> Response:
    found = _searches().get(build_id)
    margins = found.plan.brief.margins if found else None
    return make_response(render_template("_search.html", id=build_id, search=found, margins=margins))


@bp.get("/search")
def search(build_id: int) -> Response:
    """How far the search is, and what it found."""
    return _shown(build_id)


@bp.post("/search")
def search_begin(build_id: int) -> Response:
    """Begin the wide search; one that is under way for this build is stopped."""
    if (old := _searches().get(build_id)) is not None:
        old.stopped.set()
    _searches()[build_id] = begin_search(workshop().open(build_id).plan)
    return _shown(build_id)


@bp.post("/search/stop")
def search_stop(build_id: int) -> Response:
    """Stop it; what it found so far stays."""
    if (found := _searches().get(build_id)) is not None:
        found.stopped.set()
        found.ended.wait(5)
    return _shown(build_id)


@bp.post("/search/take")
def search_take(build_id: int) -> Response:
    """Put one of its combinations into the build."""
    form = request.form
    count, awg = form.get("parallel", 0, type=int), form.get("awg", 0.0, type=float)
    return change(build_id, lambda a: take_found(a.plan, form.get("cell", ""), count, form.get("board", ""), awg))
