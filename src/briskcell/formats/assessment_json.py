"""The assessment as plain values for machines: a failure is a word or null, never NaN or inf."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from briskcell.core.assess import Assessment
from briskcell.core.charge.charging import hours_added
from briskcell.core.charge.plugged import plugged
from briskcell.core.engine.sources import string_currents
from briskcell.core.rails.fewest import fewest_rails, straight_on
from briskcell.core.wiring.overload import Overload
from briskcell.model.parts import STATES
from briskcell.model.stores import Bank, ChargeBoard, Pack


def _plain(value: float | None) -> float | None:
    return None if value is None or not math.isfinite(value) else round(float(value), 9)


def _overload(found: Overload) -> dict[str, Any]:
    """One current too many: what opens on it and when, and how hot the copper gets."""
    return {
        "amps": _plain(found.amps),
        "opener": found.opener or None,
        "opens_after_s": _plain(found.opens_s),
        "reaches_c": _plain(found.reaches_c),
    }


def assessment_document(assessed: Assessment, soc: float = 0.5, state: str = "play") -> dict[str, Any]:
    """All answers of an assessment; nodes, watts lost and hours left at one state of charge and load state.

    ``headroom[].spare`` is ``1 − demand/limit``; a demand that cannot be carried is null and its spare −1. A node's
    voltage is at its output, of a load at its terminals.
    """
    return {
        "name": assessed.plan.name,
        "draw_w": _plain(assessed.draw.mean_w),
        **_play(assessed),
        **_charge(assessed),
        **_rails(assessed),
        **_wiring(assessed),
        "heat": _heat(assessed),
        "room": _room(assessed),
        "soc": soc,
        "state": state,
        "left_h": _plain(assessed.left_h[assessed.op.index(soc)]),
        "lost_w": {name: _plain(float(w[STATES.index(state), assessed.op.index(soc)])) for name, w in assessed.op.lost_w.items()},
        "plugged": [_plugged(assessed, board, soc, state) for board in assessed.plan.chargers if not _is_bank(assessed, board)],
        "nodes": nodes_document(assessed, soc, state),
        "findings": [
            {"rule": f.rule, "station": f.station, "element": f.element, "state": f.state, "cause": f.cause, "fix": f.fix_words}
            for f in assessed.findings
        ],
    }


def _play(assessed: Assessment) -> dict[str, Any]:
    """The pack: how long it plays, what ends that, and what is left then."""
    found, spread, spare = assessed.runtime, assessed.runtime_range, assessed.spare_range
    return {
        "runtime_h": _plain(found.hours) if found else None,
        "runtime_10_50_90_h": [_plain(v) for v in (spread.low, spread.likely, spread.high)] if spread else None,
        "least_spare_10_50_90": [_plain(v) for v in (spare.low, spare.likely, spare.high)] if spare else None,
        "stop_cause": found.stop_cause if found else None,
        "stop_element": found.stop_element if found else None,
        "stop_soc": _plain(found.stop_soc) if found else None,
        "stranded_wh": _plain(found.stranded_wh) if found else None,
        "next_stop": found.next_words if found else None,
        "remedy_recovers_h": _plain(found.gain_if_fixed_h) if found else None,
        "hours_a_bank_adds": {b.id: _plain(hours_added(b, found.mean_w)) for b in assessed.plan.banks} if found else {},
        "energy_wh": _plain(sum(r.energy_wh for r in assessed.runtimes)),
        "reserve": _reserve(assessed),
        "shelf": [
            {
                "store": s.id,
                "days": _plain(life.days),
                "leakage_a": _plain(life.leakage_a),
                "self_discharge_a": _plain(life.self_discharge_a),
                "who": [{"name": n, "current_a": _plain(a)} for n, a in life.who],
            }
            for s, life in zip(assessed.plan.stores, assessed.storage, strict=True)
        ],
        "fit": [
            {"fits": f.fits, "asked": f.asked, "most": f.most, "spare_mm": _plain(f.spare_mm), "words": f.words}
            for f in assessed.fits
        ],
        "games": [
            {"name": g.name, "hours_alone": _plain(h)} for g, h in zip(assessed.plan.games, assessed.game_hours, strict=True)
        ],
    }


def _charge(assessed: Assessment) -> dict[str, Any]:
    """Charging, and what trickles in."""
    filling = assessed.charge_spread
    warm = {(w.charge.board.id, w.playing): w.celsius for w in (*assessed.idle_warmths, *assessed.played_warmths)}
    return {
        "charge_h": next((_plain(c.off.hours) for c in assessed.charges), None),
        "charge_10_50_90_h": [_plain(v) for v in filling.range_h] if filling else None,
        "charge_in_play_h": next((_plain(c.play.hours) for c in assessed.charges), None),
        "charges": [
            {
                "board": c.board.id,
                "charge_h": _plain(c.off.hours),
                "why_not": c.off.why,
                "charge_in_play_h": _plain(c.play.hours),
                "why_not_in_play": c.play.why,
                "start_soc": _plain(c.off.start_soc),
                "cells_c": _plain(warm.get((c.board.id, False))),
                "cells_in_play_c": _plain(warm.get((c.board.id, True))),
                "held_by": [{"what": w, "from_soc": _plain(start), "to_soc": _plain(end)} for w, start, end in c.off.held],
            }
            for c in assessed.charges
        ],
        "trickles": [
            {
                "source": t.source.id,
                "power_w": _plain(t.flow.power_w),
                "hours_alone": _plain(t.hours),
                "starts_from_v": _plain(assessed.starting_v[t.store.id]),
            }
            for t in assessed.trickles
        ],
    }


def _rails(assessed: Assessment) -> dict[str, Any]:
    """Boards, windows and limits."""
    return {
        "headroom": [
            {
                "element": h.element,
                "kind": h.kind,
                "demand_a": _plain(h.demand_a),
                "limit_a": _plain(h.limit_a),
                "demand": _plain(h.demand_a),
                "limit": _plain(h.limit_a),
                "spare": _plain(h.spare),
                "state": assessed.judged(h.spare),
                "at_soc": _plain(h.at_soc),
                "at_state": h.at_state,
            }
            for h in assessed.headrooms
        ],
        "windows": [
            {
                "element": w.load.id,
                "least_v": _plain(w.least_v),
                "most_v": _plain(w.most_v),
                "accepts_v": [w.load.window.low_v, w.load.window.high_v],
            }
            for w in assessed.windows
        ],
        "boards": [
            {
                "element": b.board.id,
                "taken_w": _plain(b.taken_w),
                "given_w": _plain(b.given_w),
                "efficiency": _plain(b.efficiency),
                "rise_k": _plain(b.rise_k),
            }
            for b in assessed.board_figures.values()
        ],
        "fewest_rails": [{"low_v": r.low_v, "high_v": r.high_v, "loads": list(r.loads)} for r in fewest_rails(assessed.plan.loads)],
        "voltage_guards": [
            {"load": g.load.id, "most_v": _plain(g.most_v), "rated_v": g.rated_v, "state": g.state} for g in assessed.voltage_guards
        ],
        "straight_on": {s.id: list(straight_on(assessed.plan, s)) for s in assessed.plan.stores},
        **_signals(assessed),
    }


def _signals(assessed: Assessment) -> dict[str, Any]:
    """Signals between parts, and what each pulls as it starts."""
    return {
        "signals": [
            {
                "element": s.load.id,
                "driver": s.driver.id,
                "driven_v": s.driven_v,
                "least_v": _plain(s.least_v),
                "most_v": _plain(s.most_v),
                "state": s.state,
            }
            for s in assessed.signals
        ],
        "first_moments": [
            {
                "element": m.load.id,
                "board": m.board.id,
                "pulls_a": _plain(m.pulls_a),
                "others_a": _plain(m.others_a),
                "limit_a": _plain(m.limit_a),
            }
            for m in assessed.first_moments
        ],
    }


def _wiring(assessed: Assessment) -> dict[str, Any]:
    """Conductors, fuses, shorts, and what is cut and joined."""
    return {
        "wiring": [
            {
                "element": c.link.id,
                "peak_a": _plain(c.amps),
                "drop_v": _plain(c.drop_v),
                "rise_k": _plain(c.rise_k),
                "allowed_k": _plain(c.allowed_k),
                "colour": assessed.colours[c.link.id],
            }
            for c in assessed.links
        ],
        "fuses": [
            {
                "element": c.fuse.id,
                "peak_a": _plain(c.peak_a),
                "holds_a": _plain(c.holds_a),
                "fault_a": _plain(c.fault_a),
                "opens_after_s": _plain(c.opens_after_s),
                "lets_pass_a": _plain(c.lets_a),
                "wire": c.wire.id if c.wire else None,
                "wire_carries_a": _plain(c.carries_a),
                "worst": _overload(c.worst) if c.worst else None,
                "words": c.words,
            }
            for c in assessed.fuses
        ],
        "shorts": [
            {
                "element": s.link.id,
                "fault_a": _plain(s.fault_a),
                "dead": _overload(s.dead),
                "worst": _overload(s.worst),
                "held_by": s.held_by or None,
                "stands_it": s.safe,
            }
            for s in assessed.shorts
        ],
        "bare_leads": [
            {"store": t.store.id, "volts": _plain(t.volts), "touching_a": _plain(t.amps)} for t in assessed.lead_touches
        ],
        "pieces": [
            {"element": p.link.id, "colour": p.colour, "length_m": _plain(p.length_m), "near": p.near, "far": p.far}
            for p in assessed.pieces
        ],
        "to_buy": [{"gauge": gauge, "colour": colour, "length_m": _plain(m)} for (gauge, colour), m in assessed.to_buy.items()],
        "joints": [
            {
                "key": j.key,
                "part": j.part,
                "to": j.to,
                "after": list(j.after),
                "guard": j.guard or None,
                "ohm": _plain(j.ohm),
                "live_later": j.live_later,
            }
            for j in assessed.joints
        ],
    }


def _room(assessed: Assessment) -> dict[str, Any]:
    """The case as it is laid. [mm]"""
    found, laid = assessed.room, assessed.laid
    least, wires = found.least_face, found.bundle
    return {
        "laid": [{"element": b.solid.id, "at": list(b.at), "size": list(b.size)} for b in laid[0]],
        "not_laid": [s.id for s in laid[1]],
        "without_size": list(assessed.solids[1]),
        "clashes": [{"parts": list(c.parts), "by_mm": _plain(c.by_mm), "state": c.state, "words": c.words} for c in found.clashes],
        "needs": [{"outside_mm": _plain(n.outside_mm), "set_by": list(n.by)} for n in found.needed] if found.needed else None,
        "openings": [{"element": o.block.solid.id, "at": list(o.at), "size": list(o.size)} for o in found.openings],
        "reaches": [
            {"element": r.block.solid.id, "face": r.face, "gap_mm": _plain(r.gap_mm), "reached": r.reached} for r in found.reaches
        ],
        "behind_the_face": [{"element": b.solid.id, "by_mm": _plain(gap)} for b, gap in found.behind],
        "least_face": {"side_by_side": list(least.beside), "one_above_the_other": list(least.above)} if least else None,
        "wires": {
            "pieces": wires.pieces,
            "across_mm": _plain(wires.across_mm),
            "length_m": _plain(wires.length_m),
            "volume_cm3": _plain(wires.volume_cm3),
        }
        if wires
        else None,
    }


def _is_bank(assessed: Assessment, board: ChargeBoard) -> bool:
    return isinstance(assessed.plan.by_id[board.charges], Bank)


def _plugged(assessed: Assessment, board: ChargeBoard, soc: float, state: str) -> dict[str, Any]:
    """The build at this point with a charger plugged in: its way in, its charger, its console."""
    found = plugged(assessed.op, board, soc, state)
    flow = found.flow
    console = [
        {"name": e, "voltage_v": _plain(float(flow.element_v[k])), "current_a": _plain(float(flow.element_a[k]))}
        for k, e in enumerate(flow.network.elements)
        if e not in flow.network.stores
    ]
    way_in = [
        {"name": n.element, "voltage_v": _plain(n.voltage_v), "current_a": _plain(n.current_a), "loss_w": _plain(n.loss_w)}
        for n in found.nodes
    ]
    charger = {
        "name": board.id,
        "voltage_v": _plain(found.bus_v),
        "input_a": _plain(found.input_a),
        "charge_a": _plain(found.charge_a),
        "system_a": _plain(found.system_a),
        "store_v": _plain(found.store_v),
    }
    return {"charger": charger, "way_in": way_in, "console": console}


def _reserve(assessed: Assessment) -> dict[str, Any] | None:
    found = assessed.reserve
    if found is None:
        return None
    return {
        "needed_wh": _plain(found.needed_wh),
        "warning_soc": _plain(found.warning_soc),
        "under_load_v": _plain(found.under_load_v),
        "at_rest_v": _plain(found.at_rest_v),
        "minutes_left": _plain(found.minutes_left),
        "enough": found.enough,
    }


def _heat(assessed: Assessment) -> dict[str, Any]:
    found = assessed.heat
    return {
        "watts": _plain(found.watts),
        "skin_c": _plain(found.skin_c),
        "air_c": _plain(found.air_c),
        "minutes_to_limit": _plain(found.minutes_to_limit),
        "vents_save_k": _plain(found.vents_save_k),
        "fan_saves_k": _plain(found.fan_saves_k),
        "parts": [
            {"element": p.element, "watts": _plain(p.watts), "celsius": _plain(p.celsius), "limit_c": p.limit_c}
            for p in found.parts
        ],
        "shares": {
            name: [{"element": w.element or None, "name": w.name, "watts": _plain(w.watts)} for w in shares]
            for name, shares in zip(STATES, assessed.heat_shares, strict=True)
        },
        "drifts": [
            {
                "element": d.element or None,
                "kind": d.kind,
                "value": _plain(d.value),
                "limit": _plain(d.limit),
                "asked": _plain(d.asked),
            }
            for d in assessed.drifts
        ],
    }


def nodes_document(assessed: Assessment, soc: float, state: str) -> list[dict[str, Any]]:
    """Volts, amperes and watts of every element at one operating point; null where the build collapses."""
    op = assessed.op
    row, net = STATES.index(state), op.network
    point = float(np.clip(soc, 0.0, 1.0))

    def at(values: Any) -> float:
        return float(np.interp(point, op.soc[::-1], values[row][::-1]))

    near = int(np.argmin(np.abs(op.soc - point)))
    out = []
    for name in net.elements:
        column = net.position[name]
        volts, amps = at(op.flow.element_v[..., column]), at(op.flow.element_a[..., column])
        gone = not math.isfinite(float(op.flow.element_a[row, near, column]))
        values = {"voltage_v": volts, "current_a": amps, "power_w": volts * amps if math.isfinite(amps) else math.inf}
        part = assessed.plan.by_id[name]
        node: dict[str, Any] = {"name": name, "title": part.name}
        node |= {k: None if gone else _plain(v) for k, v in values.items()}
        if isinstance(part, Pack) and part.strings and not gone:
            each = string_currents(op.curves[net.branch[name]], op.flow.branch_a[row, :, net.branch[name]])
            node["string_currents_a"] = [_plain(float(a[near])) for a in each]
        out.append(node)
    return out
