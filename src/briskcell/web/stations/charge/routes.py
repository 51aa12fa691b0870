"""What the Charge station works out when it is asked: times from every supply, layouts and banks."""

from __future__ import annotations

from flask import render_template, request

from briskcell.model.errors import FigureError
from briskcell.model.tree import layout_of
from briskcell.model.units import read
from briskcell.services.charge.times import balancing_h, bank_hours, enough_soc, layout_times, supply_times
from briskcell.web.build import bp
from briskcell.web.which_unit import shown_at


@bp.get("/charge/<revision:revision>/times")
def charge_times(build_id: int, revision: int) -> str:
    """Times from a charge to full, 80 % and enough, for each supply; a figure that makes no sense is refused beside its field."""
    assessed = shown_at(build_id, revision).assessed
    start = (
        _percent(request.args.get("from", ""))
        if request.args.get("from")
        else assessed.charges[0].off.start_soc
        if (assessed.charges)
        else 0.0
    )
    text = request.args.get("enough", "")[:40]
    hours = read(text, "h", "times") if text else min(2.0, assessed.plan.brief.hours)
    boards = [c.board for c in assessed.charges]
    own = {b.id: layout_of(assessed.plan, b) for b in boards}
    context = {
        "rows": supply_times(assessed, start, hours),
        "enough": enough_soc(assessed, hours),
        "layouts": [(b, layout_times(assessed, b, own[b.id], start)) for b in boards],
        "balancing": [(b, h) for b in boards if (h := balancing_h(assessed, b)) is not None],
        "banks": bank_hours(assessed),
    }
    return render_template("charge/_supplies.html", id=build_id, start=start, hours=hours, own=own, many=len(boards) > 1, **context)


def _percent(text: str) -> float:
    try:
        value = float(text.strip().removesuffix("%").strip().replace(",", ".")) / 100
    except ValueError:
        value = -1.0
    if not 0 <= value <= 1:
        raise FigureError("times", f"“{text[:20]}” is no charge.", fix="Type 0 to 100 %.")
    return value
