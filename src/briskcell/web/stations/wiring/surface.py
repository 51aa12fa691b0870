"""The Wiring station: the harness, gauges, fuses and shorts, contacts, the order to build in, and what to cut."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, get_args

from flask import request

from briskcell.core.assess import Assessment
from briskcell.core.rails.signals import first_moments, signals
from briskcell.core.wiring.cutting import colour_of, pieces, to_buy
from briskcell.core.wiring.order import LAST, Joint, build_order
from briskcell.model.parts import Colour, Link
from briskcell.model.plan import Plan
from briskcell.model.units import show
from briskcell.services.wiring.gauges import USUAL_DROP_V
from briskcell.services.wiring.joints import made, next_joint
from briskcell.services.workshop import Opened
from briskcell.web.view import View

from ..sections import Section
from .harness_drawing import draw_harness

SECTIONS = (
    Section("h-harness", "Harness"),
    Section("h-conductors", "Conductors"),
    Section("h-gauges", "Gauges"),
    Section("h-shorts", "Fuses and shorts"),
    Section("h-contacts", "Contacts"),
    Section("h-signals", "Signals"),
    Section("h-order", "Order to build in"),
    Section("h-cut", "Cut list"),
)
NO_WIRE = ("switch", "fuse", "plug", "jack", "outlet", "path", "trace", "flat")


@dataclass(frozen=True, slots=True)
class Step:
    """A joint as the page shows it."""

    joint: Joint
    number: int
    name: str
    to: str
    how: str
    reading: str
    live: str
    done: bool
    due: bool
    open: bool


def surface(opened: Opened, view: View) -> dict[str, Any]:
    """What the Wiring station shows."""
    assessed = opened.assessed
    plan = assessed.plan
    wires = [c for c in assessed.links if c.link.kind in ("wire", "return")]
    return {
        "harness": draw_harness(assessed, view.drawn, view.slip) if plan.links else None,
        "wires": [(c, colour_of(plan, c.link), plan.by_id[c.link.fed_by].name, _far(plan, c.link)) for c in wires],
        "colours": [(c, c) for c in get_args(Colour)],
        "contacts": [(c, _lost_w(assessed, c.link)) for c in assessed.links if c.link.kind in NO_WIRE],
        "signals": signals(plan),
        "starts": first_moments(assessed.op),
        "fuses": assessed.fuses,
        "shorts": assessed.shorts,
        "steps": steps_of(assessed),
        "pieces": pieces(plan),
        "to_buy": to_buy(plan),
        "drop": request.values.get("drop", "")[:40] or show(USUAL_DROP_V, "V"),
        "owned": request.values.get("owned", "")[:120],
    }


def _far(plan: Plan, link: Link) -> str:
    fed = plan.fed.get(link.id, ())
    if link.kind == "return":
        back = sum(p.return_by == link.id for p in plan.loads)
        return f"shared by {back} part{'s' if back != 1 else ''}"
    return fed[0].name if len(fed) == 1 else f"{len(fed)} ways on" if fed else "free end"


def _lost_w(assessed: Assessment, link: Link) -> float:
    """Watts lost in a link in play, at half charge."""
    flow, k = assessed.op.flow, assessed.op.network.branch[link.id]
    amps, at = flow.branch_a[1, assessed.op.half, k], assessed.op.network.fixed_ohm[k]
    return float(amps**2 * at) if amps < float("inf") else 0.0


def _touched(assessed: Assessment) -> str:
    """What a touch of a store's two leads would do, skin and metal apart."""
    curves = max(assessed.op.curves, key=lambda c: float(c.ocv_v[0]))
    amps = float(curves.ocv_v[0] / max(float(curves.fast_ohm[0]), 1e-3))
    return (f"Its {show(float(curves.ocv_v[0]), 'V')} do nothing to dry skin; a ring, a tool or two bare leads that touch would "
            f"carry up to {show(amps, 'A')} and burn: rings off, one lead covered while you hold the other.")  # fmt: skip


def _bridged(assessed: Assessment, joint: Joint) -> str:
    """What a tool between plus and minus at that joint would do, once it is live."""
    found = next((s for s in assessed.shorts if s.link.id == joint.part), None)
    if found is None:
        return ""
    ends = (f"{found.opener} opens after {show(found.opens_s, 's')}" if found.opener
            else f"{found.held_by} holds it there" if found.held_by else "nothing opens")  # fmt: skip
    hot = f"the wire gets to {show(found.reaches_c, '°C')}" + ("" if found.safe else ", more than its insulation stands")
    return f" A tool from plus to minus there would draw {show(found.fault_a, 'A')}: {ends}, and {hot}."


def steps_of(assessed: Assessment) -> list[Step]:
    """The order to build in as it is shown, with what is done and due."""
    plan = assessed.plan
    done, due = made(plan), next_joint(plan)
    return [
        Step(j, n + 1, *_words(assessed, j), done=j.key in done, due=j is due or (due is not None and j.key == due.key),
             open=set(j.after) <= done)
        for n, j in enumerate(build_order(plan))
    ]  # fmt: skip


def _words(assessed: Assessment, joint: Joint) -> tuple[str, str, str, str, str]:
    """The names of both sides, how to join, the reading that proves it, what is live then, and what a touch would do."""
    plan = assessed.plan
    if joint.key == LAST:
        stores = " and ".join(s.name for s in plan.stores)
        return (
            stores, "the console", "Switch off. Join the negative first, then the positive; keep your hands off both at once.",
            "First the pack alone: its volts and which side is plus. Between its leads and the console's: the same sign.",
            f"From now on {stores} {'are' if len(plan.stores) > 1 else 'is'} live up to the switch. {_touched(assessed)}",
        )  # fmt: skip
    part, to = plan.by_id[joint.part], plan.by_id[joint.to]
    beeps = f"beeps, {show(joint.ohm, 'Ω')} and your leads" if joint.ohm else "beeps from end to end"
    reading = f"Each strand {beeps}; from plus to minus no beep, a value that climbs as capacitors fill."
    how = f"Plus to plus, minus to minus: {part.name} to the lead of {to.name}." if to in plan.stores else (
        f"Plus to plus, minus to minus, then cover both: {part.name} to {to.name}.")  # fmt: skip
    if joint.key in {b.id for b in plan.chargers}:
        how = f"Output of {part.name} to the lead of {to.name}; nothing is plugged into it yet."
    live = "Nothing is live."
    if joint.live_later:
        guard = f"{plan.by_id[joint.guard].name} guards it" if joint.guard else "no fuse guards it"
        live = f"Nothing is live yet; once the pack is joined this is, with the switch off too: {guard}. Cover it well."
        live += _bridged(assessed, joint)
    return part.name, f"the lead of {to.name}" if to in plan.stores else to.name, how, reading, live
