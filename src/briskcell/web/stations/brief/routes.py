"""Questions of the Brief answered backwards: asked for once the page stands, and tried."""

from __future__ import annotations

from flask import Response, render_template

from briskcell.core.backwards.questions import Answer
from briskcell.drawing.small_curve import small_curve
from briskcell.services.backwards import asked, try_answer
from briskcell.web.build import bp, change, form
from briskcell.web.units import show
from briskcell.web.which_unit import shown_at


@bp.get("/backwards/<revision:revision>")
def backwards(build_id: int, revision: int) -> str:
    """Every question with its answer and the curve around it."""
    opened = shown_at(build_id, revision)
    found = [(a, small_curve(a.points, a.at, a.wanted, _says(a))) for a in asked(opened.assessed)]
    return render_template("brief/_backwards.html", id=build_id, found=found)


def _says(a: Answer) -> str:
    """The points of an answer's curve."""
    across, up = a.units
    return "; ".join(f"{show(x, across) if across else f'{x:g}'} gives {show(y, up) if up else f'{y:.2g}'}" for x, y in a.points)


@bp.post("/backwards")
def try_backwards(build_id: int) -> Response:
    """An answer, as a change of the plan."""
    return change(build_id, lambda a: try_answer(a, form("key")))
