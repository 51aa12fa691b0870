"""Changes of the Bench station: units begun, readings taken, passed or taken back. A reading may become a figure of the plan."""

from __future__ import annotations

from flask import Response, abort, request

from briskcell.core.assess import Assessment
from briskcell.services.bench.measured import put_on_plan
from briskcell.services.bench.proof import Proof, add_unit, proof, take
from briskcell.web.build import bp, change, form, render
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
    found = _proof(build_id, opened.assessed)
    take(opened.assessed, shop.units, found, form("step"), form("reading"), reason=form("reason"), back=form("do") == "back")
    return render(opened, view_of(request.form))


@bp.post("/measured")
def measured(build_id: int) -> Response:
    """A reading as a figure of the plan."""
    return change(build_id, lambda a: put_on_plan(a, _proof(build_id, a), form("step")))


def _proof(build_id: int, assessed: Assessment) -> Proof:
    store, number = workshop().units, request.form.get("unit", 0, type=int)
    row = next((u for u in store.units(build_id) if u.id == number), None) or abort(404)
    return proof(assessed, row, store.readings(row.id))
