"""A time-stepping reference that shares no solver with the core: plain Python walks the tree, scipy steps the charge.

Written from the physics alone, so it is a second opinion as well as a pace: the tree's volts are settled anew at every
step by walking from the loads up and from the pack down.
"""

from __future__ import annotations

import math
from collections import defaultdict

import numpy as np
from scipy.integrate import solve_ivp

from briskcell.core.engine.converters import losses_of
from briskcell.core.engine.resistance import link_resistance_ohm
from briskcell.core.engine.sources import store_curves
from briskcell.model.parts import STATES, Converter, Link, Load, Part
from briskcell.model.plan import Plan


class Walked:
    """The tree below a pack, as nodes with children."""

    def __init__(self, plan: Plan) -> None:
        self.plan, self.pack = plan, plan.packs[0]
        parts = (*plan.links, *plan.rails, *plan.converters, *plan.loads)
        self.children = {p.id: [c for c in parts if c.fed_by == p.id] for p in (self.pack, *parts)}
        self.ohm = {k.id: link_resistance_ohm(k) for k in plan.links}

    def rise(self, part: Part, state: str, volts: dict[str, float], amps: dict[str, float]) -> float:
        """Current into a part at the volts of the last walk, and into all below it, kept in ``amps``."""
        if isinstance(part, Load):
            knobs: list[float] = [
                (1.0 - s.share * (1.0 - s.position)) / (1.0 - s.share * (1.0 - s.quoted_at)) for s in part.settings
            ]
            share = min(math.prod(knobs), 1.0) if state == "peak" else math.prod(knobs)
            figure, at = getattr(part.draw, state).likely, volts[part.id]
            drawn = {"power_w": figure / at, "current_a": figure, "resistance_ohm": at / figure if figure else 0.0}[
                part.kind
            ] * share
        else:
            drawn = sum(self.rise(c, state, volts, amps) for c in self.children[part.id])
        if isinstance(part, Converter):
            amps[part.id + " out"] = drawn
            loss, at = losses_of(part), volts[part.id + " in"]
            if part.kind == "linear":
                drawn += loss.quiescent_a
            elif loss.resistance_ohm or loss.drop_v:
                # V·I = P + V·q + v·I + r·I², its smaller root.
                b, c = loss.drop_v - at, drawn * volts[part.id + " set"] + at * loss.quiescent_a
                drawn = (-b - math.sqrt(b * b - 4.0 * loss.resistance_ohm * c)) / (2.0 * loss.resistance_ohm)
            else:
                drawn = drawn * volts[part.id + " set"] / (loss.efficiency * at) + loss.quiescent_a
        amps[part.id] = float(drawn)
        return amps[part.id]

    def fall(self, part: Part, at: float, amps: dict[str, float], volts: dict[str, float]) -> None:
        """Volts from a part downward, at the currents of the last walk."""
        if isinstance(part, Link):
            at -= self.ohm[part.id] * amps[part.id]
        if isinstance(part, Converter):
            volts[part.id + " in"] = at
            set_v = part.output_v.likely
            if part.kind == "linear":
                set_v = min(set_v, at - part.dropout_v.likely - part.dropout_ohm.likely * amps[part.id + " out"])
            elif part.kind == "boost":
                set_v = max(set_v, at)
            volts[part.id + " set"] = set_v
            at = set_v - part.output_resistance_ohm.likely * amps[part.id + " out"]
        volts[part.id] = at
        for child in self.children.get(part.id, ()):
            self.fall(child, at, amps, volts)

    def settle(self, ocv: float, ohm: float, state: str) -> tuple[float, float]:
        """Pack's current and volts."""
        volts: dict[str, float] = {}
        amps: dict[str, float] = defaultdict(float)
        total = 0.0
        for _ in range(60):
            before = total
            for child in self.children[self.pack.id]:
                self.fall(child, ocv - ohm * total, amps, volts)
            total = sum(self.rise(c, state, volts, amps) for c in self.children[self.pack.id])
            if abs(total - before) < 1e-8:
                break
        return total, ocv - ohm * total


def stepped_runtime_h(plan: Plan, cutoff_v: float, rtol: float) -> float:
    """Hours until the pack's terminals, under the steady states, meet the cut-off."""
    tree, profile = Walked(plan), plan.use
    shares = (profile.rest, profile.play, profile.peak)
    capacity_ah = store_curves(tree.pack, np.array([1.0])).capacity_ah

    def point(soc: float) -> tuple[float, float]:
        """Mean current, and the lower of the steady volts, at one state of charge."""
        curves = store_curves(tree.pack, np.array([min(max(soc, 0.0), 1.0)]))
        ocv, fast, slow = float(curves.ocv_v[0]), float(curves.fast_ohm[0]), float(curves.slow_ohm[0])
        rest, play = (tree.settle(ocv, fast + slow, s) for s in STATES[:2])
        peak = tree.settle(ocv - slow * play[0], fast, STATES[2])
        return sum(s * a[0] for s, a in zip(shares, (rest, play, peak), strict=True)), min(rest[1], play[1])

    def slope(_t: float, y: np.ndarray) -> list[float]:
        return [-point(float(y[0]))[0] / capacity_ah]

    def cutoff(_t: float, y: np.ndarray) -> float:
        return point(float(y[0]))[1] - cutoff_v

    cutoff.terminal = True  # type: ignore[attr-defined]
    run = solve_ivp(slope, (0.0, 200.0), [1.0], events=cutoff, rtol=rtol, atol=rtol * 1e-2, max_step=0.5)
    return float(run.t_events[0][0] if run.t_events[0].size else run.t[-1])
