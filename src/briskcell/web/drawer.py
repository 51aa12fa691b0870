"""The drawer's page: own parts in and out, as a table too; what a build still wants; which other class would do."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, abort, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from briskcell.model.errors import FigureError
from briskcell.services.drawer import drawer
from briskcell.services.drawer.substitutes import across, substitutes

from . import build
from .htmx import download
from .shop import builds, workshop

bp = Blueprint("drawer", __name__, url_prefix="/drawer")
FIELDS = ("quantity", "price", "measured")


def _page(error: FigureError | None = None, typed: dict[str, str] | None = None) -> str:
    rows, _ = builds().shelf()
    context: dict[str, Any] = {
        "items": workshop().drawer.contents(),
        "classes": drawer.all_classes(),
        "error": error,
        "typed": dict.fromkeys(("part_class", *FIELDS), "") | (typed or {}),
        "builds": rows,
    }
    return render_template("drawer.html", **context)


@bp.get("")
def contents() -> str:
    """What lies in the drawer."""
    return _page()


@bp.post("")
def put() -> Response:
    """Set what is said of a class, or take it out; where a figure makes no sense the page again, with what was typed."""
    part_class, own = request.form.get("part_class", "")[:80], workshop().drawer
    if request.form.get("do") == "out":
        own.take_out(part_class)
        return redirect(url_for("drawer.contents"), 303)
    values = {n: request.form.get(n, "")[:400] for n in FIELDS} | {"sold_out": request.form.get("sold_out", "")}
    try:
        own.put(part_class, values)
    except FigureError as error:
        return make_response(_page(error, values | {"part_class": part_class}), 422)
    return redirect(url_for("drawer.contents"), 303)


@bp.get("/drawer.csv")
def table_out() -> Response:
    """The drawer as a table."""
    return download(workshop().drawer.written(), "text/csv", "drawer.csv")


@bp.post("/table")
def table_in() -> Response:
    """Rows from a table; all of them or none."""
    upload = request.files.get("table")
    try:
        if upload is None or not upload.filename:
            raise FigureError("table", "No file was chosen.", fix="Choose a table in CSV.")
        workshop().drawer.read(upload.stream.read(drawer.MOST_BYTES + 1))
    except FigureError as error:
        return make_response(_page(error), 422)
    return redirect(url_for("drawer.contents"), 303)


@build.bp.get("/shopping")
def shopping(build_id: int) -> str:
    """What a build still wants, less what lies in the drawer."""
    opened = builds().open(build_id)
    wanted, besides = workshop().drawer.shopping(opened.plan), opened.assessed.sundries
    together = sum(w.cost or 0.0 for w in wanted) + sum(s.cost for s in besides)
    return render_template("shopping.html", id=build_id, opened=opened, wanted=wanted, besides=besides, together=together)


@build.bp.get("/library")
def library(build_id: int) -> str:
    """Parts whose figures are not those of their class in the library, as it is now, with what differs."""
    opened = builds().open(build_id)
    plan = opened.plan
    found = [
        (plan.by_id[element], [d.words for d in figures]) for element, figures in opened.assessed.differences.items() if figures
    ]
    return render_template("library.html", id=build_id, opened=opened, found=found)


@build.bp.get("/substitutes")
def swaps(build_id: int) -> str:
    """Which parts of the whole build another class would do better for."""
    assessed = builds().open(build_id).assessed
    return render_template("_swaps.html", id=build_id, found=across(assessed, workshop().drawer.rows()))


@build.bp.get("/substitutes/<part>")
def others(build_id: int, part: str) -> str:
    """Which other classes would do in a part's place."""
    assessed = builds().open(build_id).assessed
    found = assessed.plan.by_id.get(part) or abort(404)
    return render_template(
        "frame/_substitutes.html", id=build_id, part=found, found=substitutes(assessed, found, workshop().drawer.rows())
    )
