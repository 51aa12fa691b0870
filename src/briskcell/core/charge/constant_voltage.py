"""The constant-voltage tail of a charge, stepped in time with diffusion behind it; a compiled loop."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.compiled import compiled

Array = NDArray[np.float64]

TAIL_STEPS = 60


@compiled
def tail(soc: Array, room_v: Array, ohm: Array, capacity_ah: float, share: float, diffusion_s: float, amps: float, most_a: float,
         end_a: float) -> tuple[Array, Array, Array]:  # fmt: skip
    """Constant voltage from a state of charge until the current has fallen to where it ends.

    Parameters
    ----------
    soc : ndarray, shape (n,)
        States of charge, evenly rising from the first.
    room_v : ndarray, shape (n,)
        Float voltage less the open-circuit voltage at each. [V]
    ohm : ndarray, shape (n,)
        Steady resistance at each, above 0. [Ω]
    capacity_ah : float
        Charge from empty to full. [Ah]
    share, diffusion_s : float
        Resistance of the slow branch, of the steady one, and its time constant. [s]
    amps, most_a, end_a : float
        Current at the first point, the most there can be, and that at which charging ends. [A]

    Returns
    -------
    tuple of ndarray, shape (m,)
        States of charge, currents [A] and hours since the first point, of the steps up to the end.
    """
    charge_as = (soc[1] - soc[0]) * capacity_ah * 3600.0
    lag, elapsed_s, n = share * amps * ohm[0], 0.0, 0
    out = np.empty((3, len(soc) - 1))
    for k in range(1, len(soc)):
        now = min((room_v[k] - lag) / ohm[k], most_a)
        mean = 0.5 * (max(now, end_a) + amps)
        step_s = charge_as / mean
        lag += (1.0 - math.exp(-step_s / diffusion_s)) * (share * ohm[k] * mean - lag)
        now = min((room_v[k] - lag) / ohm[k], most_a)
        n = k
        if now <= end_a:
            part = min(max((amps - end_a) / max(amps - now, 1e-12), 0.0), 1.0)
            out[0, k - 1] = soc[k - 1] + part * (soc[k] - soc[k - 1])
            out[1, k - 1] = end_a
            out[2, k - 1] = (elapsed_s + part * charge_as / (0.5 * (amps + end_a))) / 3600.0
            break
        elapsed_s += step_s
        amps = now
        out[0, k - 1], out[1, k - 1], out[2, k - 1] = soc[k], amps, elapsed_s / 3600.0
    return out[0, :n], out[1, :n], out[2, :n]
