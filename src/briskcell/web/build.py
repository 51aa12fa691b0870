"""A build's stations, and every change made on them."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace

from flask import Blueprint, Response, abort, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from briskcell.core.assess import Assessment
from briskcell.formats.plan_json import write_plan
from briskcell.services import edits
from briskcell.services.edits import Edit
from briskcell.services.schools import schools, take_school
from briskcell.services.workshop import Conflict, Opened

from .htmx import download, page_or_partial
from .presenters.find import findable
from .presenters.frame import STATIONS, figures_of, frame_of
from .presenters.river import map_document
from .shelf import workshop
from .units import plain
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
                               **_addresses(opened.current, view), **frame_of(opened.current, view))  # fmt: skip
    return page_or_partial("build.html", "_build.html", status=status, conflict=None, **_addresses(opened, view),
                           **frame_of(opened, view))  # fmt: skip


def _addresses(opened: Opened, view: View) -> dict[str, str]:
    """The addresses that stand on a page a hundred times, made once: its own, that of edits, and the operating point."""
    build_id = opened.revision.build_id
    return {
        "own_url": url_for("build.station", build_id=build_id, station=view.station),
        "edit_url": url_for("build.edit", build_id=build_id),
        "at_query": f"soc={round(view.soc * 100)}&state={view.state}",
    }


@bp.get("/find")
def find(build_id: int) -> str:
    """What the finder lists: asked for when it opens."""
    opened, view = workshop().open(build_id), view_of(request.args)
    return render_template("_found.html", found=findable(opened.assessed, STATIONS), id=build_id, view=view,
                           opened=opened, **_addresses(opened, view))  # fmt: skip


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


def change(build_id: int, edit: Callable[[Assessment], Edit]) -> Response:
    """Make an edit on the revision that the page stands on, and show what came of it."""
    return _render(workshop().change(build_id, _base(), edit), view_of(request.form))


@bp.post("/edit")
def edit(build_id: int) -> Response:
    """Set one field to what was typed."""
    path, value = request.values.get("path", ""), request.form.get("value", "")[:400]

    def made(assessed: Assessment) -> Edit:
        unit = edits.value_at(assessed.plan, path)[1]
        return edits.set_value(assessed.plan, path, plain(value, unit.symbol) if unit else value)

    return change(build_id, made)


@bp.post("/grade")
def grade(build_id: int) -> Response:
    """Say how a figure is known."""
    form = request.form
    return change(build_id, lambda a: edits.set_grade(a.plan, form.get("path", ""), form.get("grade", ""), form.get("source", "")))


@bp.post("/try")
def try_fix(build_id: int) -> Response:
    """Try a finding's fix."""
    key = request.form.get("fix", "")
    return change(build_id, lambda a: edits.try_fix(a, key))


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


@bp.get("/flows/<int:revision>.json")
def flows(build_id: int, revision: int) -> Response:
    """All that the map of a revision needs to step by itself."""
    response = make_response(json.dumps(map_document(workshop().at(build_id, revision).assessed), separators=(",", ":")))
    response.headers["Content-Type"] = "application/json"
    return response


@bp.get("/schools/<int:revision>")
def both_schools(build_id: int, revision: int) -> str:
    """One board or two, side by side: asked for once the page stands."""
    return render_template("_schools.html", schools=schools(workshop().at(build_id, revision).assessed), id=build_id)


@bp.post("/school")
def go_other_way(build_id: int) -> Response:
    """Go the other way."""
    key = request.form.get("school", "")
    return change(build_id, lambda a: take_school(a, key))


@bp.get("/history")
def history(build_id: int) -> str:
    """Every revision of the build, the newest first; two of them side by side."""
    shop = workshop()
    opened, wanted = shop.open(build_id), request.args.get("compare", type=int)
    other = shop.at(build_id, wanted) if wanted else None
    rows = edits.differences(other.plan, opened.plan) if other else []
    return render_template("history.html", opened=opened, plan=opened.plan, rows=shop.store.history(build_id), other=other,
                           compared=figures_of(other, opened) if other else [], differences=rows)  # fmt: skip


@bp.post("/history/<int:revision>/<action>")
def act_on(build_id: int, revision: int, action: str) -> BaseResponse:
    """Name a revision, mark it, go back to it, or start a variant from it."""
    shop, back = workshop(), url_for("build.history", build_id=build_id)
    name = request.form.get("name", "").strip()[:120]
    if action == "name":
        shop.store.name(build_id, revision, name)
    elif action == "mark":
        shop.mark(build_id, revision)
    elif action == "restore":
        shop.restore(build_id, revision)
    elif action == "variant":
        back = url_for("build.station", build_id=shop.variant(build_id, revision, name or "Variant"), station="draw")
    else:
        abort(404)
    return redirect(back, 303)


@bp.get("/plan.json")
def export(build_id: int) -> Response:
    """The plan as a file."""
    plan = workshop().open(build_id).plan
    ascii_name = "".join(c if c.isascii() and c.isalnum() else "-" for c in plan.name.lower()).strip("-") or "build"
    return download(write_plan(plan), "application/json; charset=utf-8", f"{ascii_name}.json")
