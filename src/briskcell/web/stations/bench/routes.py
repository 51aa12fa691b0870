"""Changes of the Bench station: units begun, readings taken, passed or taken back. The plan stays as it is."""

from __future__ import annotations

from flask import Response, abort, request

from briskcell.services.bench.proof import add_unit, proof, take
from briskcell.web.build import bp, form, render
from briskcell.web.shelf import workshop
from briskcell.web.view import view_of


@bp.post("/unit")
def unit(build_id: int) -> Response:
    """One more unit."""
    add_unit(workshop().units, build_id, form("name"))
    return render(workshop().open(build_id), view_of(request.form))


@bp.post("/reading")
def reading(build_id: int) -> Response:
    """A reading on a unit; what was typed stays where it makes no sense."""
    shop, opened = workshop(), workshop().open(build_id)
    number = request.form.get("unit", 0, type=int)
    row = next((u for u in shop.units.units(build_id) if u.id == number), None) or abort(404)
    found = proof(opened.assessed, row, shop.units.readings(row.id))
    take(opened.assessed, shop.units, found, form("step"), form("reading"), reason=form("reason"), back=form("do") == "back")
    return render(opened, view_of(request.form))
