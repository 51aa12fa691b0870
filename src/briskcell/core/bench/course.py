"""What a measured course comes to: charge, energy, mean, ends; and the fewest points that keep its extremes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


JUMP_A, JUMP_S = 0.2, 10.0  # between two readings, from which amps jump, and in which time


@dataclass(frozen=True, slots=True)
class Totals:
    """A course in figures. Charge and energy are nan where amps (or volts) were not read.

    Attributes
    ----------
    seconds : float
        From the first reading to the last. [s]
    ah, wh : float
        Charge and energy. [Ah, Wh]
    volts, amps : tuple of float
        Least, mean over time, and most. [V, A]
    """

    seconds: float
    ah: float
    wh: float
    volts: tuple[float, float, float]
    amps: tuple[float, float, float]
    readings: int


def totals(t_s: Array, volts: Array, amps: Array) -> Totals:
    """What a course comes to; a trapezium between readings, those without a figure passed over.

    Parameters
    ----------
    t_s, volts, amps : ndarray, shape (n,)
        Seconds, rising; volts and amps, nan where not read. [s, V, A]

    Returns
    -------
    Totals
        Nan where there is nothing to make a figure of.
    """
    seconds = float(t_s[-1] - t_s[0]) if len(t_s) else 0.0
    both = np.isfinite(volts) & np.isfinite(amps)
    return Totals(
        seconds=seconds,
        ah=_integral(t_s, amps) / 3600.0,
        wh=_integral(t_s[both], (volts * amps)[both]) / 3600.0,
        volts=_ends(t_s, volts),
        amps=_ends(t_s, amps),
        readings=len(t_s),
    )


def _integral(t_s: Array, y: Array) -> float:
    known = np.isfinite(y)
    return float(np.trapezoid(y[known], t_s[known])) if known.sum() > 1 else float("nan")


def _ends(t_s: Array, y: Array) -> tuple[float, float, float]:
    known = np.isfinite(y)
    if not known.any():
        return (float("nan"),) * 3
    t, v = t_s[known], y[known]
    mean = float(np.trapezoid(v, t) / (t[-1] - t[0])) if len(t) > 1 and t[-1] > t[0] else float(v.mean())
    return float(v.min()), mean, float(v.max())


def step_ohm(t_s: Array, volts: Array, amps: Array) -> float | None:
    """Resistance that a pack shows where its amps jump: the median of volts lost over amps gained.

    Parameters
    ----------
    t_s, volts, amps : ndarray, shape (n,)
        Seconds, volts, amps.

    Returns
    -------
    float or None
        None where nothing jumps. [Ω]
    """
    known = np.isfinite(volts) & np.isfinite(amps)
    t, v, i = t_s[known], volts[known], amps[known]
    jumps = np.flatnonzero((np.abs(np.diff(i)) > JUMP_A) & (np.diff(t) < JUMP_S))
    found = -np.diff(v)[jumps] / np.diff(i)[jumps]
    return float(np.median(found)) if jumps.size and np.median(found) > 0 else None


def thinned(t_s: Array, y: Array, most: int) -> tuple[Array, Array]:
    """A course with at most about ``most`` points; of every stretch the least and the most stay, in their order.

    Parameters
    ----------
    t_s, y : ndarray, shape (n,)
        The course. What is nan is left out.
    most : int
        Points wanted.

    Returns
    -------
    tuple of ndarray
        Its times and values.

    References
    ----------
    U. Jugel et al., M4: A visualization-oriented time series data aggregation, PVLDB 7(10), 2014: extremes of each column of
    pixels, of which the first and last are left out here.
    """
    known = np.isfinite(y)
    t, v = t_s[known], y[known]
    if len(t) <= max(most, 4):
        return t, v
    edges = np.linspace(0, len(t), max(most // 2, 2) + 1).astype(int)
    starts = edges[:-1]
    width = int(np.diff(edges).max())
    # Rows of equal width, the last value repeated: least and most of each at once.
    at = np.minimum(starts[:, None] + np.arange(width), edges[1:, None] - 1)
    rows = v[at]
    few, many = at[np.arange(len(at)), rows.argmin(1)], at[np.arange(len(at)), rows.argmax(1)]
    keep = np.unique(np.concatenate([[0], few, many, [len(t) - 1]]))
    return t[keep], v[keep]
