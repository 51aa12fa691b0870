"""The Wiring station: the harness, gauges, fuses and shorts, contacts, the order to build in, and what to cut."""

from __future__ import annotations

from typing import Any, get_args

from flask import request

from briskcell.core.wiring.harness import LinkCheck
from briskcell.drawing.wiring.harness import harness
from briskcell.drawing.wiring.soldered import soldered
from briskcell.model.parts import Colour, Link, State
from briskcell.model.plan import Plan
from briskcell.services.builds import Opened
from briskcell.services.wiring.gauges import USUAL_DROP_V
from briskcell.services.wiring.grounds import grounds
from briskcell.services.wiring.steps import steps_of
from briskcell.web.sections import Section
from briskcell.web.units import show
from briskcell.web.view import View

SECTIONS = (
    Section("h-harness", "Harness"),
    Section("h-soldered", "Circuit"),
    Section("h-conductors", "Conductors"),
    Section("h-gauges", "Gauges"),
    Section("h-grounds", "Grounds"),
    Section("h-shorts", "Fuses and shorts"),
    Section("h-contacts", "Contacts"),
    Section("h-signals", "Signals"),
    Section("h-order", "Order to build in"),
    Section("h-cut", "Cut list"),
)
NO_WIRE = ("switch", "fuse", "plug", "jack", "outlet", "path", "trace", "flat", "diode")


def surface(opened: Opened, view: View) -> dict[str, Any]:
    """What the Wiring station shows."""
    assessed = opened.assessed
    plan = assessed.plan

    def lost_w(check: LinkCheck) -> float:
        lost = assessed.op.lost_w.get(check.link.id)  # what lies before a charge board loses it while that charges
        return check.amps * check.drop_v if lost is None else float(lost[State.PLAY, assessed.op.half])

    wires = [c for c in assessed.links if c.link.kind in ("wire", "return")]
    return {
        "harness": harness(assessed, view.drawn, view.slip.removeprefix("part:"), show),
        "soldered": soldered(assessed, view.slip.removeprefix("part:"), show),
        "wires": [(c, assessed.colours[c.link.id], plan.by_id[c.link.fed_by].name, _far(plan, c.link)) for c in wires],
        "colours": [(c, c) for c in get_args(Colour)],
        "contacts": [(c, lost_w(c)) for c in assessed.links if c.link.kind in NO_WIRE],
        "grounds": grounds(assessed),
        "signals": assessed.signals,
        "starts": assessed.first_moments,
        "fuses": assessed.fuses,
        "shorts": assessed.shorts,
        "leads": assessed.leads,
        "steps": steps_of(assessed),
        "pieces": assessed.pieces,
        "to_buy": assessed.to_buy,
        "drop": request.values.get("drop", "")[:40] or show(USUAL_DROP_V, "V"),
        "owned": request.values.get("owned", "")[:120],
    }


def _far(plan: Plan, link: Link) -> str:
    fed = plan.fed.get(link.id, ())
    if link.kind == "return":
        back = sum(p.return_by == link.id for p in plan.loads)
        return f"shared by {back} part{'s' if back != 1 else ''}"
    return fed[0].name if len(fed) == 1 else f"{len(fed)} ways on" if fed else "free end"
