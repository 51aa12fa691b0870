"""The assessment as plain values for machines: a failure is a word or null, never NaN or inf."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from briskcell.core.assess import Assessment
from briskcell.core.headroom import judged
from briskcell.model.parts import STATES


def _plain(value: float | None) -> float | None:
    return None if value is None or not math.isfinite(value) else round(float(value), 9)


def assessment_document(assessed: Assessment, soc: float = 0.5, state: str = "play") -> dict[str, Any]:
    """All answers of an assessment; nodes at one state of charge and load state.

    ``headroom[].spare`` is ``1 − demand/limit``; a demand that cannot be carried is null and its spare −1. A node's
    voltage is at its output, of a load at its terminals.
    """
    found, spread = assessed.runtime, assessed.runtime_range
    return {
        "name": assessed.plan.name,
        "draw_w": _plain(assessed.draw.mean_w),
        "runtime_h": _plain(found.hours) if found else None,
        "runtime_10_50_90_h": [_plain(v) for v in (spread.low, spread.likely, spread.high)] if spread else None,
        "stop_cause": found.stop_cause if found else None,
        "stop_element": found.stop_element if found else None,
        "stop_soc": _plain(found.stop_soc) if found else None,
        "stranded_wh": _plain(found.stranded_wh) if found else None,
        "energy_wh": _plain(sum(r.energy_wh for r in assessed.runtimes)),
        "charge_h": next((_plain(c.off.hours) for c in assessed.charges), None),
        "charge_in_play_h": next((_plain(c.play.hours) for c in assessed.charges), None),
        "charges": [
            {"board": c.board.id, "charge_h": _plain(c.off.hours), "why_not": c.off.why,
             "charge_in_play_h": _plain(c.play.hours), "why_not_in_play": c.play.why, "start_soc": _plain(c.off.start_soc)}
            for c in assessed.charges
        ],
        "headroom": [
            {"element": h.element, "kind": h.kind, "demand_a": _plain(h.demand_a), "limit_a": _plain(h.limit_a),
             "demand": _plain(h.demand_a), "limit": _plain(h.limit_a), "spare": _plain(h.spare),
             "state": judged(h.spare, assessed.plan.brief.margins), "at_soc": _plain(h.at_soc), "at_state": h.at_state}
            for h in assessed.headrooms
        ],
        "soc": soc,
        "state": state,
        "nodes": nodes_document(assessed, soc, state),
        "findings": [
            {"rule": f.rule, "station": f.station, "element": f.element, "state": f.state, "cause": f.cause,
             "fix": f.fix_words}
            for f in assessed.findings
        ],
    }  # fmt: skip


def nodes_document(assessed: Assessment, soc: float, state: str) -> list[dict[str, Any]]:
    """Volts, amperes and watts of every element at one operating point; null where the build collapses."""
    op = assessed.op
    row, net = STATES.index(state), op.network
    point = float(np.clip(soc, 0.0, 1.0))

    def at(values: Any) -> float:
        return float(np.interp(point, op.soc[::-1], values[row][::-1]))

    near = int(np.argmin(np.abs(op.soc - point)))
    gone = bool(op.flow.collapsed[row, near])
    out = []
    for name in net.elements:
        column = net.position[name]
        volts, amps = at(op.flow.element_v[..., column]), at(op.flow.element_a[..., column])
        values = {"voltage_v": volts, "current_a": amps, "power_w": volts * amps if math.isfinite(amps) else math.inf}
        out.append(
            {"name": name, "title": assessed.plan.by_id[name].name} | {k: None if gone else _plain(v) for k, v in values.items()}
        )
    return out
