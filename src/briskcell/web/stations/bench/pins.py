"""The page that finds the pins of a board which nobody knows."""

from __future__ import annotations

from typing import Any

from flask import Response, abort, render_template, request, url_for
from werkzeug.wrappers import Response as Answer

from briskcell.services.bench import pins
from briskcell.web.build import bp, form
from briskcell.web.htmx import page_or_partial
from briskcell.web.safe import row_number
from briskcell.web.shop import benches, builds, logs
from briskcell.web.which_unit import named_unit

WHAT = {"shell_ohm": "Ohms to the shell", "diode_v": "Diode range, red on ground", "volts": "Volts, fed"}


def _page(build_id: int, unit: Any, status: int = 200) -> Response:
    entries = logs().entries(unit.id)
    context = {
        "id": build_id,
        "plan": builds().open(build_id).plan,
        "unit": unit,
        "boards": logs().boards(unit.id),
        "photos": [
            (e.id, e.words or "a photograph", url_for("build.photo", build_id=build_id, entry=e.id)) for e in entries if e.file
        ],
        "what": WHAT,
        "units": pins.UNITS,
    }
    return page_or_partial("pins.html", "bench/_pins.html", status=status, **context)


@bp.get("/pins")
def find_pins(build_id: int) -> Answer | str:
    """Boards that nobody knows, of one console."""
    units = benches().units(build_id)
    unit = next((u for u in units if u.key == request.args.get("unit")), units[-1] if units else None)
    if unit is None:
        return render_template("pins.html", id=build_id, plan=builds().open(build_id).plan, unit=None, boards=())
    return _page(build_id, unit)


@bp.post("/pins")
def change_pins(build_id: int) -> Response:
    """A new board, or one more thing that is known of its pads."""
    unit, do = named_unit(build_id), form("do")
    if do == "begin":
        logs().begin_board(unit.id, form("name"), form("pads"))
    else:
        entry = logs().entry(unit.id, row_number(form("entry")) or 0)
        if entry is None or entry.kind != pins.KIND:
            abort(404)
        logs().change_board(entry, form)
    return _page(build_id, unit)
