"""The sheet of a build: one page to print and take to the bench, with the sections and the paper that are chosen."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from flask import make_response, render_template, request
from markupsafe import Markup
from werkzeug.wrappers import Response

from briskcell.core.wiring.cutting import pieces, to_buy
from briskcell.model.errors import FigureError
from briskcell.model.figure import GRADES
from briskcell.services import sheet
from briskcell.services.bench.courses import totals_of
from briskcell.services.bench.proof import proof
from briskcell.services.judge import sheltered
from briskcell.services.summary import summary_of
from briskcell.services.workshop import Opened
from briskcell.web.drawing.small_river import river

from .build import bp
from .exports.drawing import drawings
from .exports.paper import pdf_of
from .exports.pictures import picture
from .exports.turns import in_turn
from .frame.frame import spine
from .frame.numbers import Numbers
from .htmx import download
from .safe import file_name
from .shelf import workshop
from .stations.pack.switching import switched_off
from .stations.wiring.surface import steps_of

PAPERS = {"a4": "A4", "letter": "Letter"}


def sheet_context(opened: Opened, chosen: Sequence[str] = (), paper: str = "") -> dict[str, Any]:
    """What a sheet shows: all sections unless some are named."""
    assessed, plan, store, runs = opened.assessed, opened.plan, workshop().units, workshop().runs
    sections = [s for s in sheet.SECTIONS if s in chosen] or list(sheet.SECTIONS)
    drawn = sheltered("map of the sheet", lambda: _map(opened), "") if "numbers" in sections else ""
    units = store.units(opened.revision.build_id) if "units" in sections else ()
    small = drawings(render_template("exports/small.html", drawn=river(summary_of(assessed)))).get("small", "")
    return {
        "map_picture": Markup(drawn.partition("?>")[2]),
        "small_picture": Markup(small.partition("?>")[2]),
        "opened": opened,
        "plan": plan,
        "id": opened.revision.build_id,
        "sections": sheet.SECTIONS,
        "chosen": sections,
        "papers": PAPERS,
        "paper": paper if paper in PAPERS else "a4",
        "spine": spine(assessed, Numbers(assessed, None)),
        "findings": assessed.findings,
        "lines": sheet.part_lines(plan),
        "pieces": pieces(plan),
        "to_buy": to_buy(plan),
        "steps": steps_of(assessed),
        "points": sheet.test_points(assessed),
        "proofs": [proof(assessed, u, store.readings(u.id)) for u in units],
        "runs": {u.id: [(r, totals_of(runs, r.id)) for r in runs.of_unit(u.id) if r.state != "running"] for u in units},
        "thresholds": sheet.thresholds(assessed),
        "off": switched_off(assessed),
        "carrier_wh": sheet.carrier_wh(plan),
        "grades": [(GRADES[g], n) for g, n in sheet.grades(plan).items()],
        "draws": assessed.draw,
    }


def _map(opened: Opened) -> str:
    try:
        return picture(opened, "map")
    except FigureError:  # nothing is connected yet
        return ""


def _asked(build_id: int) -> dict[str, Any]:
    return sheet_context(workshop().open(build_id), request.args.getlist("with"), request.args.get("paper", ""))


@bp.get("/sheet")
def sheet_page(build_id: int) -> str:
    """The sheet, with all sections unless some are named."""
    return render_template("sheet.html", problem="", **_asked(build_id))


@bp.get("/sheet.pdf")
def sheet_pdf(build_id: int) -> Response:
    """The sheet on paper; the page again, with what to do, where this machine cannot lay it out."""

    def made() -> Response:
        context = _asked(build_id)
        try:
            body = on_paper(context)
        except FigureError as error:
            return make_response(render_template("sheet.html", problem=str(error), **context), 422)
        return download(body, "application/pdf", f"{file_name(context['plan'].name)}, sheet.pdf")

    return in_turn(made)


def on_paper(context: dict[str, Any]) -> bytes:
    """A sheet as PDF: its pages numbered, no table row cut."""
    return pdf_of(render_template("exports/paper.html", **context))
