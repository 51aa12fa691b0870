"""Fixes, looked for once the page stands, and mend all."""

from __future__ import annotations

from flask import Response, make_response, render_template, request

from briskcell.services.builds import Opened

from .build import base_revision, bp, change
from .shop import builds, searches
from .view import view_of
from .which_unit import shown_at

NO_OFFER = -1


def _about(page: str, opened: Opened) -> Response:
    """An answer that says which revision it is about."""
    response = make_response(page)
    response.headers["X-Revision"] = opened.base
    return response


@bp.get("/remedies/<revision:revision>")
def remedies(build_id: int, revision: int) -> Response:
    """The verdict with what mends each finding; nothing where the build has gone on since, as nobody waits for it any more."""

    def gone_on() -> bool:
        return builds().stands_at(build_id) != revision

    if gone_on():
        return make_response("", 204)
    opened = shown_at(build_id, revision)
    for finding in opened.assessed.findings:
        if gone_on():
            return make_response("", 204)
        _ = finding.remedy  # known from here on
    job, found = searches().mending_of(build_id), opened.assessed.findings
    page = render_template(
        "frame/_verdict.html", opened=opened, plan=opened.plan, view=view_of(request.args), findings=found, job=job
    )
    return _about(page, opened)


def _shown(build_id: int) -> Response:
    opened = builds().open(build_id)
    page = render_template("frame/_mend.html", id=build_id, opened=opened, job=searches().mending_of(build_id))
    return _about(page, opened)


@bp.get("/mend")
def mend(build_id: int) -> Response:
    """How far mend all is, and what it found."""
    return _shown(build_id)


@bp.post("/mend")
def mend_begin(build_id: int) -> Response:
    """Begin to mend all; what was under way for this build is stopped."""
    searches().begin_mending(build_id)
    return _shown(build_id)


@bp.post("/mend/stop")
def mend_stop(build_id: int) -> Response:
    """Stop it; what it found so far stays."""
    searches().stop_mending(build_id)
    return _shown(build_id)


@bp.post("/mend/take")
def mend_take(build_id: int) -> Response:
    """Take what was found, as one change."""
    named = request.form.get("offer")
    offer = request.form.get("offer", NO_OFFER, type=int) if named else None  # what is no number is no offer, not all of it
    return change(build_id, lambda _: searches().mended(build_id, base_revision(), offer))
