"""The sheet of a build: one page to print and take to the bench, with the sections and the paper that are chosen."""

from __future__ import annotations

from flask import make_response, render_template, request
from werkzeug.wrappers import Response

from briskcell.exports.form import Given
from briskcell.exports.sheet import on_paper, sheet_of
from briskcell.model.errors import FigureError

from .build import bp
from .exports.turns import in_turn
from .htmx import download
from .safe import file_name
from .shop import workshop
from .units import show
from .which_unit import shown_at


def _asked(build_id: int) -> tuple[Given, list[str], str]:
    """The build, and the sections and paper that are chosen."""
    given = Given(shown_at(build_id).assessed, workshop().record(build_id))
    return given, request.args.getlist("with"), request.args.get("paper", "")


def _page(asked: tuple[Given, list[str], str], build_id: int, problem: str = "") -> str:
    return render_template("sheet.html", problem=problem, id=build_id, **sheet_of(*asked, show))


@bp.get("/sheet")
def sheet_page(build_id: int) -> str:
    """The sheet, with all sections unless some are named."""
    return _page(_asked(build_id), build_id)


@bp.get("/sheet.pdf")
def sheet_pdf(build_id: int) -> Response:
    """The sheet on paper; the page again, with what to do, where this machine cannot lay it out."""

    def made() -> Response:
        asked = _asked(build_id)
        try:
            body = on_paper(*asked, show)
        except FigureError as error:
            return make_response(_page(asked, build_id, str(error)), 422)
        return download(body, "application/pdf", f"{file_name(asked[0].plan.name)}, sheet.pdf")

    return in_turn(made)
