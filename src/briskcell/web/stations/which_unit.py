"""Which unit of a build a page is about: the one that its request names."""

from __future__ import annotations

from flask import abort, request

from briskcell.core.assess import Assessment
from briskcell.services.bench.proof import Proof, Unit, proof
from briskcell.web.safe import row_number
from briskcell.web.shelf import workshop


def shown_unit(build_id: int) -> tuple[tuple[Unit, ...], Unit | None]:
    """Every unit of a build, and the one that is shown: the newest where none is named, None where there is none."""
    units = workshop().units.units(build_id)
    wanted = row_number(request.values.get("unit"))
    return units, next((u for u in units if u.id == wanted), units[-1] if units else None)


def named_unit(build_id: int) -> int:
    """The number of the unit that a form names; without one of this build there is no such page."""
    wanted = row_number(request.form.get("unit"))
    return next((u.id for u in workshop().units.units(build_id) if u.id == wanted), None) or abort(404)


def proof_of(build_id: int, unit_id: int, assessed: Assessment, *, standing: bool = False) -> Proof:
    """The ladder of one of a build's units; of a ``standing`` console nothing on it waits for what is below."""
    store = workshop().units
    unit = next(u for u in store.units(build_id) if u.id == unit_id)
    return proof(assessed, unit, store.readings(unit_id), standing=standing)
