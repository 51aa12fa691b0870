"""Changes of the Day station: days planned, typed, and changed stretch by stretch; when to plug in."""

from __future__ import annotations

from flask import Response, abort, render_template, request

from briskcell.core.assess import Assessment
from briskcell.services.day import days
from briskcell.services.day.plugs import plugs
from briskcell.services.edits.values import Edit
from briskcell.web.build import bp, change, form
from briskcell.web.which_unit import shown_at

from .surface import clock


def _number(name: str) -> int:
    text = form(name)
    return int(text) if text.isdigit() and len(text) < 4 else -1


@bp.post("/day")
def change_day(build_id: int) -> Response:
    """A day more or less, typed anew, or one of its stretches changed."""
    number, at, do = _number("day"), _number("at"), form("do")
    edits = {
        "add": lambda a: days.add_day(a.plan, form("example")),
        "remove": lambda a: days.remove_day(a.plan, number),
        "type": lambda a: days.type_day(a.plan, number, request.form.get("text", "")[:2000]),
        "set": lambda a: days.set_stretch(a.plan, number, at, {n: form(n) for n in ("what", "game", "plug") if n in request.form}),
        "split": lambda a: days.split_stretch(a.plan, number, at),
        "drop": lambda a: days.drop_stretch(a.plan, number, at),
    }
    return change(build_id, edits.get(do) or abort(400))


@bp.get("/day/<revision:revision>/plugs")
def day_plugs(build_id: int, revision: int) -> str:
    """The latest moments to plug in and the weakest supply: asked for once the page stands."""
    opened = shown_at(build_id, revision)
    number = request.args.get("day", 0, type=int)
    kept = opened.assessed.days
    if not 0 <= number < len(kept):
        abort(404)
    found = plugs(opened.assessed, kept[number].day)
    return render_template("day/_plugs.html", id=build_id, found=found, course=kept[number], number=number, clock=clock)


@bp.post("/day/plug")
def take_plug(build_id: int) -> Response:
    """Put a plug in as late as it may be, or everything into the weakest supply that would do."""
    number, at = _number("day"), _number("at")

    def made(assessed: Assessment) -> Edit:
        day = days.day_of(assessed.plan, number)
        found = plugs(assessed, day)
        if form("do") == "weakest" and found.weakest:
            return days.plug_in(assessed.plan, number, found.weakest)
        late = next((late.day for late in found.late if late.stretch == at and late.day), None) or abort(400)
        return days.put_day(assessed.plan, number, late, f"plugged in as late as it may be, stretch {at + 1}")

    return change(build_id, made)
