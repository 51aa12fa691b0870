"""The constant-voltage tail of a charge, stepped in time with diffusion behind it; a compiled loop."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.compiled import compiled

Array = NDArray[np.float64]

TAIL_STEPS = 60
SETTLES = 0.35  # of the time of diffusion, in which the surface follows: half the slowest mode of a sphere; fitted to the reference


@compiled
def tail(
    soc: Array,
    ocv: Array,
    float_v: float,
    ohm: Array,
    capacity_ah: float,
    diffusion_s: float,
    amps: float,
    most_a: float,
    end_a: float,
) -> tuple[Array, Array, Array]:
    """Constant voltage from a state of charge until the current has fallen to where it ends.

    The surface of the particles is ahead of their inside by what flows in during the time of diffusion, ``I·τ/Q``, and it is the
    surface that sets the open-circuit voltage; it follows the current with that time constant [1]_.

    Parameters
    ----------
    soc : ndarray, shape (n,)
        States of charge, evenly rising from the first.
    ocv : ndarray, shape (m,)
        Open-circuit voltage at the same and further steps, past full. [V]
    float_v : float
        Voltage that is held. [V]
    ohm : ndarray, shape (n,)
        Steady resistance at each, above 0. [Ω]
    capacity_ah : float
        Charge from empty to full. [Ah]
    diffusion_s : float
        Time of diffusion. [s]
    amps, most_a, end_a : float
        Current at the first point, the most there can be, and that at which charging ends. [A]

    Returns
    -------
    tuple of ndarray, shape (m,)
        States of charge, currents [A] and hours since the first point, of the steps up to the end.

    References
    ----------
    .. [1] G. L. Plett, Battery Management Systems, vol. I, Artech House, 2015, ch. 3.
    """
    step_soc = soc[1] - soc[0]
    per_soc = 1.0 / step_soc if step_soc > 0.0 else 0.0
    charge_as, full_as = step_soc * capacity_ah * 3600.0, capacity_ah * 3600.0
    ahead, elapsed_s, n = amps * diffusion_s / full_as, 0.0, 0
    out = np.empty((3, len(soc) - 1))
    for k in range(1, len(soc)):
        now = min((float_v - _ahead_v(ocv, k, ahead * per_soc)) / ohm[k], most_a)
        mean = 0.5 * (max(now, end_a) + amps)
        step_s = charge_as / mean
        ahead += (1.0 - math.exp(-step_s / max(SETTLES * diffusion_s, 1e-9))) * (mean * diffusion_s / full_as - ahead)
        now = min((float_v - _ahead_v(ocv, k, ahead * per_soc)) / ohm[k], most_a)
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


@compiled
def _ahead_v(ocv: Array, k: int, steps: float) -> float:
    """Voltage of the surface, so many steps ahead of a point; held past the last."""
    place = min(max(k + steps, 0.0), len(ocv) - 1.001)
    if not place >= 0.0:
        place = float(k)
    low = int(place)
    return float(ocv[low] + (place - low) * (ocv[low + 1] - ocv[low]))
