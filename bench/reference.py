"""A time-stepping reference: the same build, its state of charge integrated over time with scipy."""

from __future__ import annotations

from functools import partial

import numpy as np
from scipy.integrate import solve_ivp

from briskcell.core.assess import Assessment
from briskcell.core.network import Draws, state_draws
from briskcell.core.stores import store_curves
from briskcell.core.sweep import solve
from briskcell.model.plan import Plan


def stepped_runtime_h(plan: Plan, cutoff_v: float, rtol: float) -> float:
    """Hours until the pack's terminals, under the steady states, meet the cut-off."""
    assessed = Assessment(plan)
    network, shares = assessed.op.network, assessed.op.shares
    draws = state_draws(network)
    capacity_ah = assessed.op.curves[0].capacity_ah

    def point(soc: float) -> tuple[np.ndarray, np.ndarray]:
        """Pack current and pack volts in the three states at one state of charge."""
        curves = store_curves(plan.stores[0], np.array([soc]))
        ocv, fast, slow = curves.ocv_v[0], curves.fast_ohm[0], curves.slow_ohm[0]
        rows = partial(_rows, draws)
        steady = solve(network, [[ocv]] * 2, [[fast + slow]] * 2, rows(slice(0, 2)))
        peak = solve(network, [[ocv - slow * steady.branch_a[1, 0]]], [[fast]], rows(slice(2, 3)))
        amps = np.concatenate([steady.branch_a[:, 0], peak.branch_a[:, 0]])
        return amps, np.concatenate([steady.element_v[:, 0], peak.element_v[:, 0]])

    def slope(_t: float, y: np.ndarray) -> list[float]:
        amps, _ = point(float(np.clip(y[0], 0.0, 1.0)))
        return [-float(shares @ np.where(np.isfinite(amps), amps, 0.0)) / capacity_ah]

    def cutoff(_t: float, y: np.ndarray) -> float:
        return float(point(float(np.clip(y[0], 0.0, 1.0)))[1][:2].min() - cutoff_v)

    cutoff.terminal = True  # type: ignore[attr-defined]
    run = solve_ivp(slope, (0.0, 200.0), [1.0], events=cutoff, rtol=rtol, atol=rtol * 1e-2, max_step=0.5)
    return float(run.t_events[0][0] if run.t_events[0].size else run.t[-1])


def _rows(draws: Draws, states: slice) -> Draws:
    return Draws(
        power_w=draws.power_w[states, 0], current_a=draws.current_a[states, 0], conductance_s=draws.conductance_s[states, 0]
    )
