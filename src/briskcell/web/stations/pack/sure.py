"""How sure the hours are: their range over all that is uncertain, as a density, and which figures carry the doubt."""

from __future__ import annotations

from typing import Any

import numpy as np
from flask import render_template

from briskcell.core.assess import Assessment
from briskcell.core.spread.settle import Reading
from briskcell.core.spread.spread import Spread
from briskcell.drawing.pack.hours import density
from briskcell.services.judge import sheltered
from briskcell.web.build import bp
from briskcell.web.units import show
from briskcell.web.which_unit import shown_at


@bp.get("/sure/<revision:revision>")
def sure(build_id: int, revision: int) -> str:
    """Asked for once the page stands."""
    opened = shown_at(build_id, revision)
    found = sheltered("spread", lambda: opened.assessed.spread, None)
    return render_template("pack/_sure.html", id=build_id, **(_shown(opened.assessed, found) if found else {"found": None}))


def _shown(a: Assessment, found: Spread) -> dict[str, Any]:
    wish, filling = a.plan.brief.hours, a.charge_spread
    ends = (a.runtime_range.low, found.range_h[1], a.runtime_range.high) if a.runtime_range else found.range_h
    volts = found.at(found.found.volts, 0.1, 0.5, 0.9)
    return {
        "found": found,
        "wish": wish,
        "chance": found.chance_said(wish),
        "chance_full": filling.chance_said(a.plan.brief.charge_hours) if filling else "",
        "chance_calm": a.reset_spread.chance_said(a.plan.brief.resets_per_charge) if a.reset_spread else "",
        "density": density(found, wish, ends, show),
        "ends": ends,
        "readings": [(r, narrowing(r)) for r in a.readings],
        "filling": filling,
        "charge_wish": a.plan.brief.charge_hours,
        "spare": a.spare_range,
        "volts": volts if np.isfinite(volts[0]) else None,
        "resets": a.reset_spread,
        "often": a.reset_spread.counted if a.reset_spread else (),
        "accepted": a.plan.brief.resets_per_charge,
    }


def narrowing(r: Reading) -> str:
    """By how much a reading narrows the hours, before it is taken."""
    return f"±{show(r.now, '%')} → ±{show(r.then, '%')}"
