"""Changes of the Room station: parts laid, turned, taken out, laid by the search, given a size."""

from __future__ import annotations

from flask import Response, render_template

from briskcell.core.assess import Assessment
from briskcell.model.units import read
from briskcell.services.edits.values import Edit
from briskcell.services.room import layout
from briskcell.web.build import bp, change, form
from briskcell.web.which_unit import shown_at


@bp.post("/place")
def place(build_id: int) -> Response:
    """Lay a part where it was dragged or stepped to."""

    def laid(assessed: Assessment) -> Edit:
        x, y = (read(form(n), "mm", "place") for n in ("x", "y"))
        return layout.place(assessed, form("part"), x, y, read(form("z"), "mm", "place") if form("z") else None)

    return change(build_id, laid)


@bp.post("/turn")
def turn(build_id: int) -> Response:
    """Turn a part by 90°."""
    return change(build_id, lambda a: layout.turn(a, form("part")))


@bp.post("/out")
def out(build_id: int) -> Response:
    """Take a part out of the case."""
    return change(build_id, lambda a: layout.take_out(a, form("part")))


@bp.post("/arrange")
def arrange(build_id: int) -> Response:
    """Lay everything by the greedy search."""
    return change(build_id, layout.arrange)


@bp.post("/size")
def size(build_id: int) -> Response:
    """Give a part a size to be typed over."""
    return change(build_id, lambda a: layout.give_size(a.plan, form("part")))


@bp.get("/millimetres/<revision:revision>")
def millimetres(build_id: int, revision: int) -> str:
    """What each change takes off the thickness: asked for once the page stands."""
    now, found = layout.gains(shown_at(build_id, revision).assessed)
    return render_template("room/_gains.html", now=now, gains=found)
