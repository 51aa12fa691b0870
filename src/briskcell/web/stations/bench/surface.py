"""The Bench station: the ladder of a unit, one large step at a time, and everything that is proven or held."""

from __future__ import annotations

from typing import Any

from flask import request

from briskcell.core.bench.ladder import STAGES
from briskcell.services.bench.measured import usable
from briskcell.services.bench.proof import explained, proof
from briskcell.services.workshop import Opened
from briskcell.web.shelf import workshop
from briskcell.web.view import View

from ..sections import Section

SECTIONS = (Section("h-next", "Next"), Section("h-ladder", "Ladder"), Section("h-units", "Units"))


def surface(opened: Opened, _view: View) -> dict[str, Any]:
    """What the Bench station shows: one unit's ladder."""
    store = workshop().units
    units = store.units(opened.revision.build_id)
    wanted = request.values.get("unit", 0, type=int)
    unit = next((u for u in units if u.id == wanted), units[-1] if units else None)
    found = proof(opened.assessed, unit, store.readings(unit.id)) if unit else None
    due = found.due if found else None
    stages = [(title, [r for r in found.rungs if r.step.stage == key]) for key, title in STAGES.items()] if found else []
    return {
        "units": units,
        "unit": unit,
        "proof": found,
        "due": due,
        "causes": explained(opened.assessed, due) if due else (),
        "stages": [(title, rungs) for title, rungs in stages if rungs],
        "usable": {r.step.key for r in found.rungs if usable(r)} if found else set(),
        "titles": {r.step.key: r.step.title for r in found.rungs} if found else {},
    }
