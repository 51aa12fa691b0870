"""A build's stations, and the changes that every station can make."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from urllib.parse import urlencode

from flask import Blueprint, Response, abort, make_response, render_template, request, url_for

from briskcell.core.assess import Assessment
from briskcell.core.stations import STATIONS
from briskcell.formats.plan_json import write_plan
from briskcell.services.builds import Conflict, Opened
from briskcell.services.edits import swap, values
from briskcell.services.edits.differences import differences
from briskcell.services.edits.values import Edit

from .frame.finder import findable
from .frame.frame import frame_of, pieces
from .frame.map import stepping
from .frame.standing import COMPARED, standing
from .htmx import download, page_or_partial
from .safe import file_name, named
from .shop import benches, builds, searches, workshop
from .units import plain
from .view import WIDTHS, View, view_of
from .which_unit import seen, shown_at, with_unit

bp = Blueprint("build", __name__, url_prefix="/builds/<build:build_id>")
LONGEST = 400  # characters of a form's field that are looked at


def form(name: str) -> str:
    """What a form's field holds."""
    return request.form.get(name, "")[:LONGEST]


def render(opened: Opened | Conflict, view: View) -> Response:
    """The build at a station, or both sides of a conflict."""
    if view.station not in STATIONS:
        view = replace(view, station="draw")
    conflict = opened if isinstance(opened, Conflict) else None
    shown = opened.current if isinstance(opened, Conflict) else opened
    view = with_unit(view, shown.revision.build_id)
    shown = seen(shown, view.console)
    view = replace(view, console=shown.console.unit.key if shown.console else "")
    fails = any(f.state == "fails" for f in shown.assessed.findings)
    job = searches().mending_of(shown.revision.build_id) if fails else None
    context = {"conflict": conflict, "job": job, "as_seen": as_seen(shown), **addresses(shown, view), **frame_of(shown, view)}
    if conflict is not None:
        context["differences"] = {
            "theirs": differences(conflict.base.plan, conflict.current.plan),
            "mine": differences(conflict.base.plan, conflict.mine.plan),
        }
    merged = differences(*shown.meanwhile) if shown.meanwhile else []
    return page_or_partial(
        "build.html", "frame/_build.html", status=409 if conflict else 200, merged=merged, pieces=pieces(context), **context
    )


def addresses(opened: Opened, view: View) -> dict[str, str]:
    """The addresses that stand on a page a hundred times, made once: its own, that of edits, and the operating point."""
    build_id = opened.revision.build_id
    return {
        "own_url": url_for("build.station", build_id=build_id, station=view.station),
        "edit_url": url_for("build.edit", build_id=build_id),
        "at_query": urlencode(view.query),
    }


def as_seen(opened: Opened) -> dict[str, object]:
    """What the addresses of later pieces carry where a console is shown: which one, and how much was measured of it by then."""
    return {"console": opened.console.unit.key, "after": opened.console.measured} if opened.console else {}


@bp.get("/find")
def find(build_id: int) -> str:
    """What the finder lists: asked for when it opens."""
    opened, view = builds().open(build_id), view_of(request.args)
    return render_template(
        "frame/_found.html", found=findable(opened.assessed), id=build_id, view=view, opened=opened, **addresses(opened, view)
    )


@bp.get("/<station>")
def station(build_id: int, station: str) -> Response:
    """A station at one operating point."""
    if station not in STATIONS:
        abort(404)
    return render(builds().open(build_id), view_of(request.args, station))


def base_revision() -> int:
    """The revision a change started from: as the page says at the moment of sending."""
    base = builds().based_on(request.headers.get("X-Base") or request.form.get("base", ""))
    return base if base is not None else abort(400)


def change(build_id: int, edit: Callable[[Assessment], Edit], *, planned: bool = False) -> Response:
    """Make an edit on the revision that the page stands on, and show what came of it.

    Where the page shows a console as it was measured, the edit is made on that and goes into its plan, unless it is one of the plan
    alone, as it is ``planned``.
    """
    shows = ""
    base, view = base_revision(), view_of(request.form)
    console = None if planned or not view.console else seen(builds().at(build_id, base), view.console).console
    if console is not None:
        edit = builds().as_console(edit, console)

    def made(assessed: Assessment) -> Edit:
        nonlocal shows
        after = edit(assessed)
        shows = after.shows
        return after

    opened = builds().change(build_id, base, made)
    return render(opened, replace(view, slip=f"part:{shows}") if shows and not isinstance(opened, Conflict) else view)


@bp.get("/standing/<revision:revision>")
def standing_of(build_id: int, revision: int) -> str:
    """How a console stands, for the spine."""
    opened, view = shown_at(build_id, revision), view_of(request.args)
    units = benches().units(build_id)
    named = next((u for u in units if u.key in (view.console, view.unit)), None)
    console = opened.console or (workshop().consoles.of(opened.planned, named, units) if named else None)
    console = console or workshop().consoles.newest(opened.planned, units)
    return render_template("frame/_standing.html", s=standing(opened, console), names=COMPARED) if console else ""


@bp.get("/newer")
def newer(build_id: int) -> Response:
    """Whether the build was changed elsewhere since the page was made: nothing, or a word and a way to see it."""
    if builds().newest(build_id) == request.headers.get("X-Base"):
        return make_response("", 204)
    return make_response(render_template("frame/_newer.html", build_id=build_id, own=request.args.get("station", "draw")))


@bp.post("/edit")
def edit(build_id: int) -> Response:
    """Set one field to what was typed."""
    path, value = request.values.get("path", ""), form("value")

    def made(assessed: Assessment) -> Edit:
        unit = values.value_at(assessed.plan, path)[1]
        return values.set_value(assessed.plan, path, plain(value, unit.symbol) if unit else value)

    return change(build_id, made)


@bp.post("/grade")
def grade(build_id: int) -> Response:
    """Say how a figure is known."""
    return change(
        build_id, lambda a: values.set_grade(a.plan, form("path"), form("grade"), form("source"), form("measured"), form("on"))
    )


@bp.post("/try")
def try_fix(build_id: int) -> Response:
    """Try a finding's fix."""
    return change(build_id, lambda a: values.try_fix(a, form("fix")))


@bp.post("/swap")
def swap_part(build_id: int) -> Response:
    """Put another class in a part's place."""
    return change(build_id, lambda a: swap.swap(a.plan, form("part"), form("part_class")))


@bp.post("/adopt")
def adopt(build_id: int) -> Response:
    """Take the other change of a conflict in place of what stands."""
    wanted = named("revision", request.form.get("revision"))
    return render(builds().adopt(build_id, base_revision(), wanted or abort(400)), view_of(request.form))


@bp.post("/undo")
def undo(build_id: int) -> Response:
    """One change back."""
    return render(builds().step(build_id, base_revision(), back=True), view_of(request.form))


@bp.post("/redo")
def redo(build_id: int) -> Response:
    """One change forth."""
    return render(builds().step(build_id, base_revision(), back=False), view_of(request.form))


@bp.post("/mark")
def mark(build_id: int) -> Response:
    """Mark the build as it is as the baseline, or take the mark away."""
    return render(builds().toggle_mark(build_id), view_of(request.form))


@bp.get("/flows/<revision:revision>.json")
def flows(build_id: int, revision: int) -> Response:
    """All that the map of a revision needs to step by itself, as it is drawn on the page."""
    width, assessed = request.args.get("width", ""), shown_at(build_id, revision).assessed
    found = stepping(assessed, request.args.get("map", ""), width if width in WIDTHS else WIDTHS[0])
    response = make_response(json.dumps(found, separators=(",", ":")))
    response.headers["Content-Type"] = "application/json"
    return response


@bp.get("/plan.json")
def export(build_id: int) -> Response:
    """The plan as a file."""
    plan = builds().open(build_id).plan
    return download(write_plan(plan), "application/json", f"{file_name(plan.name)}.json")
