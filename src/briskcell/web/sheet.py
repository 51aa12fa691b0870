"""The sheet of a build: one page to print and take to the bench, with the sections and the paper that are chosen."""

from __future__ import annotations

from typing import Any

from flask import render_template, request

from briskcell.core.wiring.cutting import pieces, to_buy
from briskcell.model.figure import GRADES
from briskcell.services import sheet
from briskcell.services.summary import summary_of
from briskcell.web.drawing.small_river import river

from .build import bp
from .frame.frame import spine
from .frame.numbers import Numbers
from .shelf import workshop
from .stations.pack.switching import switched_off
from .stations.wiring.surface import steps_of

PAPERS = {"a4": "A4", "letter": "Letter"}


@bp.get("/sheet")
def sheet_page(build_id: int) -> str:
    """The sheet, with all sections unless some are named."""
    opened = workshop().open(build_id)
    assessed, plan = opened.assessed, opened.plan
    chosen = [s for s in sheet.SECTIONS if s in request.args.getlist("with")] or list(sheet.SECTIONS)
    paper = request.args.get("paper", "a4")
    context: dict[str, Any] = {
        "opened": opened,
        "plan": plan,
        "id": build_id,
        "sections": sheet.SECTIONS,
        "chosen": chosen,
        "papers": PAPERS,
        "paper": paper if paper in PAPERS else "a4",
        "river": river(summary_of(assessed)),
        "spine": spine(assessed, Numbers(assessed, None)),
        "findings": assessed.findings,
        "lines": sheet.part_lines(plan),
        "pieces": pieces(plan),
        "to_buy": to_buy(plan),
        "steps": steps_of(assessed),
        "points": sheet.test_points(assessed),
        "thresholds": sheet.thresholds(assessed),
        "off": switched_off(assessed),
        "carrier_wh": sheet.carrier_wh(plan),
        "grades": [(GRADES[g], n) for g, n in sheet.grades(plan).items()],
        "draws": assessed.draw,
    }
    return render_template("sheet.html", **context)
