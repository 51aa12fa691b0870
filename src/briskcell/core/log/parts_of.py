"""What part of the difference between a measured discharge and the plan is the capacity, the resistance, the curve."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.integrate import cumulative_trapezoid
from scipy.optimize import minimize_scalar

from briskcell.core.engine.sources import StoreCurves

Array = NDArray[np.float64]
VARIES = 0.15  # of the mean current, from which on a change of volts with it tells the resistance
BINS = 24  # stretches of charge within which the curve is one figure
MOST = 400  # rows that the curve is laid over
NOTHING = 0.002  # of the hours, that is not worth a word


@dataclass(frozen=True, slots=True)
class PartsOf:
    """Hours by which a run differs from the plan at its own amps, and what of them is due to what. [h]

    ``ohm`` is the resistance beyond the plan's, None where the current was too even to tell it from the curve: then
    ``resistance_h`` is 0 and ``curve_h`` holds both.
    """

    planned_h: float
    measured_h: float
    capacity_h: float
    resistance_h: float
    curve_h: float
    ohm: float | None


def parts_of(curves: StoreCurves, time_s: Array, volts: Array, amps: Array) -> PartsOf | None:
    """A discharge from full against a store's curves, one cause put right after the other.

    With one current the volts say the sum of curve and resistance alone. Where the current changes by turns, within each stretch of
    charge ``V = OCV − I·r`` is a line in I, whose slope is the resistance [1]_; what then remains is the curve.

    Parameters
    ----------
    curves : StoreCurves
        Of the plan.
    time_s, volts, amps : ndarray, shape (n,)
        At the store's terminals, from full. [s, V, A]

    Returns
    -------
    PartsOf or None
        None where nothing flowed.

    References
    ----------
    .. [1] G. L. Plett, Battery Management Systems, vol. I, Artech House, 2015, ch. 2.
    """
    mean_a = float(np.trapezoid(amps, time_s) / max(time_s[-1] - time_s[0], 1e-9)) if len(time_s) > 1 else 0.0
    if mean_a <= 0:
        return None
    out = cumulative_trapezoid(amps, time_s, initial=0.0) / 3600.0
    end_v, end_a, measured_h = float(volts[-1]), float(amps[-1]), float(out[-1]) / mean_a
    more_ohm = _slope(out, volts, amps, mean_a, curves)
    held = curves.capacity_ah * _held_share(curves, out, volts, amps, more_ohm or 0.0)

    def hours(ah: float, ohm: float) -> float:
        loaded = np.maximum.accumulate((curves.ocv_v - end_a * (curves.steady_ohm + ohm))[::-1])
        end_soc = float(np.interp(end_v, loaded, curves.soc[::-1]))
        return (1.0 - end_soc) * ah / mean_a

    planned_h, with_capacity = hours(curves.capacity_ah, 0.0), hours(held, 0.0)
    with_both = hours(held, more_ohm or 0.0)
    return PartsOf(
        planned_h=planned_h,
        measured_h=measured_h,
        capacity_h=with_capacity - planned_h,
        resistance_h=with_both - with_capacity,
        curve_h=measured_h - with_both,
        ohm=more_ohm,
    )


def _held_share(curves: StoreCurves, out: Array, volts: Array, amps: Array, ohm: float) -> float:
    """Capacity over the plan's at which the plan's curve, shifted as a whole, comes nearest to what was measured."""
    rising = curves.soc[::-1]
    some = np.linspace(0, len(out) - 1, min(len(out), MOST)).astype(int)
    soc, rest = out[some] / curves.capacity_ah, volts[some] + amps[some] * ohm

    def off(share: float) -> float:
        at = 1.0 - soc / share
        left = rest + amps[some] * np.interp(at, rising, curves.steady_ohm[::-1]) - np.interp(at, rising, curves.ocv_v[::-1])
        return float(np.var(left))

    shares = np.exp(np.linspace(np.log(0.3), np.log(1.6), 41))
    near = int(np.argmin([off(s) for s in shares]))
    low, high = shares[max(near - 1, 0)], shares[min(near + 1, len(shares) - 1)]
    return float(minimize_scalar(off, bounds=(low, high), method="bounded", options={"xatol": 1e-4}).x)


def _slope(out: Array, volts: Array, amps: Array, mean_a: float, curves: StoreCurves) -> float | None:
    """Resistance beyond the plan's, from how the volts change with the current within stretches of charge; None if it is even."""
    if float(np.std(amps)) < VARIES * mean_a:
        return None
    soc = 1.0 - out / max(float(out[-1]), 1e-9)
    rising = curves.soc[::-1]
    left = volts - np.interp(soc, rising, curves.ocv_v[::-1]) + amps * np.interp(soc, rising, curves.steady_ohm[::-1])
    above = below = 0.0
    for k in range(BINS):
        here = (soc <= 1.0 - k / BINS) & (soc > 1.0 - (k + 1) / BINS)
        if here.sum() < 4:
            continue
        trend = np.polynomial.Polynomial.fit(soc[here], left[here], 1) if np.ptp(soc[here]) > 0 else None
        rest = left[here] - (trend(soc[here]) if trend is not None else left[here].mean())
        swing = amps[here] - amps[here].mean()
        above, below = above + float((rest * swing).sum()), below + float((swing * swing).sum())
    return -above / below if below > 0 else None
