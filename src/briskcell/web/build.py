"""A build's stations, and every change made on them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from flask import Blueprint, Response, abort, make_response, request

from briskcell.core.assess import Assessment
from briskcell.formats.plan_json import write_plan
from briskcell.services import edits
from briskcell.services.edits import Edit
from briskcell.services.workshop import Conflict, Opened

from .htmx import page_or_partial
from .presenters.frame import STATIONS, frame_of
from .shelf import workshop
from .view import View, view_of

bp = Blueprint("build", __name__, url_prefix="/builds/<int:build_id>")


def _render(opened: Opened | Conflict, view: View, status: int = 200) -> Response:
    if view.station not in STATIONS:
        view = replace(view, station="draw")
    if isinstance(opened, Conflict):
        differences = {
            "theirs": edits.differences(opened.base.plan, opened.current.plan),
            "mine": edits.differences(opened.base.plan, opened.mine.plan),
        }
        return page_or_partial("build.html", "_build.html", status=409, conflict=opened, differences=differences,
                               **frame_of(opened.current, view))  # fmt: skip
    return page_or_partial("build.html", "_build.html", status=status, conflict=None, **frame_of(opened, view))


@bp.get("/<station>")
def station(build_id: int, station: str) -> Response:
    """A station at one operating point."""
    if station not in STATIONS:
        abort(404)
    return _render(workshop().open(build_id), view_of(request.args, station))


def _base() -> int:
    """The revision a change started from: as the page says at the moment of sending."""
    base = request.headers.get("X-Base", type=int) or request.form.get("base", type=int)
    return base if base is not None else abort(400)


def _change(build_id: int, edit: Callable[[Assessment], Edit]) -> Response:
    return _render(workshop().change(build_id, _base(), edit), view_of(request.form))


@bp.post("/edit")
def edit(build_id: int) -> Response:
    """Set one field to what was typed."""
    path, value = request.form.get("path", ""), request.form.get("value", "")[:400]
    return _change(build_id, lambda a: edits.set_value(a.plan, path, value))


@bp.post("/grade")
def grade(build_id: int) -> Response:
    """Say how a figure is known."""
    form = request.form
    return _change(build_id, lambda a: edits.set_grade(a.plan, form.get("path", ""), form.get("grade", ""), form.get("source", "")))


@bp.post("/add")
def add(build_id: int) -> Response:
    """Add a part of a library class."""
    form = request.form
    return _change(build_id, lambda a: edits.add_load(a.plan, form.get("part_class", ""), form.get("fed_by", "")))


@bp.post("/remove-part")
def remove_part(build_id: int) -> Response:
    """Remove a part."""
    part = request.form.get("part", "")
    return _change(build_id, lambda a: edits.remove(a.plan, part))


@bp.post("/swap")
def swap(build_id: int) -> Response:
    """Put another class in a part's place."""
    form = request.form
    return _change(build_id, lambda a: edits.swap(a.plan, form.get("part", ""), form.get("part_class", "")))


@bp.post("/try")
def try_fix(build_id: int) -> Response:
    """Try a finding's fix."""
    key = request.form.get("fix", "")
    return _change(build_id, lambda a: edits.try_fix(a, key))


@bp.post("/adopt")
def adopt(build_id: int) -> Response:
    """Take the other change of a conflict in place of what stands."""
    wanted = request.form.get("revision", type=int)
    return _render(workshop().adopt(build_id, _base(), wanted or abort(400)), view_of(request.form))


@bp.post("/undo")
def undo(build_id: int) -> Response:
    """One change back."""
    return _render(workshop().step(build_id, _base(), back=True), view_of(request.form))


@bp.post("/redo")
def redo(build_id: int) -> Response:
    """One change forth."""
    return _render(workshop().step(build_id, _base(), back=False), view_of(request.form))


@bp.post("/mark")
def mark(build_id: int) -> Response:
    """Mark the build as it is as the baseline, or take the mark away."""
    opened = workshop().open(build_id)
    marked = opened.revision.baseline_id == opened.revision.id
    return _render(workshop().mark(build_id, None if marked else opened.revision.id), view_of(request.form))


@bp.get("/plan.json")
def export(build_id: int) -> Response:
    """The plan as a file."""
    plan = workshop().open(build_id).plan
    response = make_response(write_plan(plan))
    response.headers["Content-Type"] = "application/json; charset=utf-8"
    ascii_name = "".join(c if c.isascii() and c.isalnum() else "-" for c in plan.name.lower()).strip("-") or "build"
    response.headers["Content-Disposition"] = f'attachment; filename="{ascii_name}.json"'
    return response
