"""The shelf of builds: begin one, take one in, take one off."""

from __future__ import annotations

import io

from flask import Blueprint, Response, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from briskcell.drawing.pack.bay import bay_views, drawn_bay
from briskcell.drawing.small_river import small_river
from briskcell.formats.plan_json import MOST_BYTES
from briskcell.model.errors import FigureError, PlanError
from briskcell.model.preference import CHOICES
from briskcell.services.builds import PAGE
from briskcell.services.drafts import promised

from .forms import FORMS, NewBuildForm, _Answers
from .frame.numbers import Numbers
from .help import TOUR, TOUR_COOKIE
from .safe import back_to, named, row_number
from .shop import builds, workshop
from .units import COOKIE

bp = Blueprint("shelf", __name__)


SEVERAL = 5  # builds, from which on a shelf that was never backed up is worth a word
ORDERS = {"changed": "newest change first", "name": "by name", "plays": "plays longest first", "draw": "draws most first"}


@bp.get("/")
def shelf() -> str:
    """Every build with its numbers."""
    removed, like = named("build", request.args.get("removed")), request.args.get("like", "").strip()[:120]
    page = min(row_number(request.args.get("page")) or 0, 10**6)
    state = request.args.get("state", "") if request.args.get("state") in ("holds", "fails") else ""
    order = request.args.get("order", "") if request.args.get("order") in ORDERS else "changed"
    rows, count = builds().shelf(like, page, state, order)
    return render_template(
        "shelf.html",
        rows=rows,
        count=count,
        page=page,
        pages=-(-count // PAGE),
        like=like,
        removed=removed,
        state=state,
        order=order,
        orders=ORDERS,
        few="few" in request.args,
        rivers={r.row.id: small_river(r.known) for r in rows},
        backup_due=_backup_due(count),
        tour=() if TOUR_COOKIE in request.cookies else TOUR,
    )


def _backup_due(count: int) -> int:
    """Days since the last backup where that is too long ago, below nought where there never was one; 0 where none is due."""
    due = workshop().backups.due()
    return due if due >= 0 or count > SEVERAL else 0


def _form(way: str) -> _Answers:
    return FORMS.get(way, NewBuildForm)()


@bp.get("/new")
def new() -> str:
    """A few questions: what it must do, or which parts there are."""
    return render_template("new.html", form=_form(request.args.get("way", "")))


@bp.post("/new")
def begin() -> BaseResponse:
    """A complete draft from the answers; what was typed is kept where one makes no sense."""
    form = _form(request.form.get("way", ""))
    if form.validate_on_submit():
        try:
            return redirect(url_for("build.station", build_id=builds().begin(form.request()), station="draw"), 303)
        except FigureError as error:
            form.refuse(error)
    return make_response(render_template("new.html", form=form), 422)


@bp.post("/new/promise")
def promise() -> str:
    """What the answers come to, before anything is begun."""
    form = _form(request.form.get("way", ""))
    found = None
    if form.validate() or set(form.errors) == {"name"}:  # a name can wait until it is begun
        form.name.data = form.name.data or "Draft"
        try:
            found = promised(form.request())
        except FigureError as error:
            form.refuse(error)
    views = bay_views(found, found.plan.packs[0]) if found and found.plan.bay else None
    bay = drawn_bay(views, "the bay from above", handles=False) if views else None
    wrong = [f"{f.label.text}: {words}" for f in form if f.name != "name" for words in f.errors]
    return render_template("_promise.html", found=found, bay=bay, wrong=wrong, number=Numbers(found, None) if found else None)


@bp.post("/import")
def import_plan() -> BaseResponse:
    """A build from an exported plan."""
    upload = request.files.get("plan")
    if upload is None or not upload.filename:
        raise PlanError.single("plan", "", "No file was chosen.", fix="Choose a plan exported as JSON.")
    build_id = builds().import_plan(io.BytesIO(upload.stream.read(MOST_BYTES + 1)))
    return redirect(url_for("build.station", build_id=build_id, station="draw"), 303)


@bp.post("/builds/<build:build_id>/remove")
def remove(build_id: int) -> BaseResponse:
    """Take a build off the shelf; it can be put back."""
    builds().remove(build_id)
    return redirect(url_for("shelf.shelf", removed=builds().key_of("build", build_id)), 303)


@bp.post("/builds/<build:build_id>/restore")
def restore(build_id: int) -> BaseResponse:
    """Put a removed build back."""
    builds().put_back(build_id)
    return redirect(url_for("shelf.shelf"), 303)


@bp.post("/toured")
def toured() -> BaseResponse:
    """The tour is not shown again."""
    response = redirect(url_for("shelf.shelf"), 303)
    response.set_cookie(TOUR_COOKIE, "seen", max_age=31_536_000, samesite="Strict", httponly=True)
    return response


@bp.post("/units")
def units() -> BaseResponse:
    """The units a person prefers."""
    response = redirect(back_to(request.form.get("back", "/")), 303)
    kept = [c for kind, choices in CHOICES.items() if (c := request.form.get(kind, "")) in choices]
    response.set_cookie(COOKIE, "|".join(kept), max_age=31_536_000, samesite="Strict", httponly=True)
    return response


@bp.post("/theme")
def theme() -> BaseResponse:
    """Daylight bench, dim bench, or as the system says."""
    wanted = request.form.get("theme", "")
    response: Response | BaseResponse = redirect(back_to(request.form.get("back", "/")), 303)
    if wanted in ("day", "dim"):
        response.set_cookie("theme", wanted, max_age=31_536_000, samesite="Strict", httponly=True)
    else:
        response.delete_cookie("theme")
    return response
