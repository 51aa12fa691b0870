"""Questions of the Brief answered backwards: asked for once the page stands, and tried."""

from __future__ import annotations

from flask import Response, render_template

from briskcell.services.backwards import asked, try_answer
from briskcell.web.build import bp, change, form
from briskcell.web.drawing.small_curve import small_curve
from briskcell.web.shelf import workshop


@bp.get("/backwards/<revision:revision>")
def backwards(build_id: int, revision: int) -> str:
    """Every question with its answer and the curve around it."""
    opened = workshop().at(build_id, revision)
    found = [(answer, small_curve(answer.points, answer.at, answer.wanted)) for answer in asked(opened.assessed)]
    return render_template("brief/_backwards.html", id=build_id, found=found)


@bp.post("/backwards")
def try_backwards(build_id: int) -> Response:
    """An answer, as a change of the plan."""
    return change(build_id, lambda a: try_answer(a, form("key")))
