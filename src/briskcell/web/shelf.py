"""The shelf of builds: begin one, take one in, take one off."""

from __future__ import annotations

import io

from flask import Blueprint, Response, current_app, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from briskcell.library import catalogue
from briskcell.model.errors import FigureError, PlanError
from briskcell.model.units import read
from briskcell.services.compose import Wish
from briskcell.services.workshop import Workshop

from .units import CHOICES, COOKIE, plain

bp = Blueprint("shelf", __name__)


def workshop() -> Workshop:
    """The workshop of this application."""
    found: Workshop = current_app.extensions["briskcell"]
    return found


@bp.get("/")
def shelf() -> str:
    """Every build with its numbers."""
    removed = request.args.get("removed", type=int)
    return render_template("shelf.html", rows=workshop().shelf(), removed=removed)


@bp.get("/new")
def new() -> str:
    """Four questions."""
    return render_template("new.html", errors={}, typed={}, **_choices())


@bp.post("/new")
def begin() -> BaseResponse:
    """A complete draft from four answers; what was typed is kept where one makes no sense."""
    form, errors = request.form, {}
    figures: dict[str, float] = {}
    for field, unit, low, high in (("hours", "h", 0.1, 100.0), ("thickness", "mm", 8.0, 200.0)):
        try:
            figures[field] = read(plain(form.get(field, ""), unit), unit, field)
            if not low <= figures[field] <= high:
                raise FigureError(field, f"This is outside {low:g} to {high:g} {unit}.", fix="Give a figure within.")
        except FigureError as error:
            errors[field] = error
    name = form.get("name", "").strip()
    if not 1 <= len(name) <= 120:
        errors["name"] = FigureError("name", "A build needs a name of 1 to 120 characters.", fix="Type one.")
    if not errors:
        wish = Wish(name=name, board=form.get("board", ""), screen=form.get("screen", ""), hours=figures["hours"],
                    thickness_mm=figures["thickness"])  # fmt: skip
        try:
            return redirect(url_for("build.station", build_id=workshop().begin(wish), station="draw"), 303)
        except FigureError as error:
            errors[error.field if error.field in ("board", "screen", "hours", "thickness") else "board"] = error
    return make_response(render_template("new.html", errors=errors, typed=form, **_choices()), 422)


def _choices() -> dict[str, object]:
    loads = catalogue().of_kind("loads")
    return {
        "boards": [c for c in loads if c.group == "computer board"],
        "screens": [c for c in loads if c.group == "screen" and c.key != "screen-driver"],
    }


@bp.post("/import")
def take_in() -> BaseResponse:
    """A build from an exported plan."""
    upload = request.files.get("plan")
    if upload is None or not upload.filename:
        raise PlanError.single("plan", "", "No file was chosen.", fix="Choose a plan exported as JSON.")
    build_id = workshop().take_in(io.BytesIO(upload.stream.read()))
    return redirect(url_for("build.station", build_id=build_id, station="draw"), 303)


@bp.post("/builds/<int:build_id>/remove")
def remove(build_id: int) -> BaseResponse:
    """Take a build off the shelf; it can be put back."""
    workshop().store.shelve(build_id, removed=True)
    return redirect(url_for("shelf.shelf", removed=build_id), 303)


@bp.post("/builds/<int:build_id>/restore")
def restore(build_id: int) -> BaseResponse:
    """Put a removed build back."""
    workshop().store.shelve(build_id, removed=False)
    return redirect(url_for("shelf.shelf"), 303)


@bp.post("/units")
def units() -> BaseResponse:
    """The units a person prefers."""
    back = request.form.get("back", "/")
    response = redirect(back if back.startswith("/") and not back.startswith("//") else "/", 303)
    kept = [c for kind, choices in CHOICES.items() if (c := request.form.get(kind, "")) in choices]
    response.set_cookie(COOKIE, "|".join(kept), max_age=31_536_000, samesite="Strict", httponly=True)
    return response


@bp.post("/theme")
def theme() -> BaseResponse:
    """Daylight bench, dim bench, or as the system says."""
    wanted = request.form.get("theme", "")
    back = request.form.get("back", "/")
    response: Response | BaseResponse = redirect(back if back.startswith("/") and not back.startswith("//") else "/", 303)
    if wanted in ("day", "dim"):
        response.set_cookie("theme", wanted, max_age=31_536_000, samesite="Strict", httponly=True)
    else:
        response.delete_cookie("theme")
    return response
