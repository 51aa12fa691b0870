"""A cell's own open-circuit curve, from a slow discharge of it: what was measured, lifted by what its resistance took."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import ArrayLike, NDArray

from briskcell.core.engine.sources import pulse_fall_ohm, rising
from briskcell.model.errors import FigureError
from briskcell.model.figure import Curve, Figure
from briskcell.model.stores import Cell
from briskcell.model.units import show

Array = NDArray[np.float64]
LEAST_POINTS, MOST_POINTS = 8, 61
FASTEST_C, SLOWEST_C = 0.6, 0.01  # of its capacity an hour: faster, and what is lifted is more than a correction
FULL_BELOW_V = 0.12  # that a full cell may stand below its full volts, once its resistance is taken out
TURNS = 3  # resistance hangs on the charge, and the charge on where the curve ends


@dataclass(frozen=True, slots=True)
class OwnCurve:
    """A cell with its own curve, how much it held down to where the discharge ended, and at what rate. [Ah], [1/h]"""

    cell: Cell
    ah: float
    c_rate: float


def own_curve(cell: Cell, ah: ArrayLike, volts: ArrayLike, amps: ArrayLike, source: str) -> OwnCurve:
    """A cell with the open-circuit curve that a slow discharge of it shows.

    ``OCV(soc) = V + I·r(soc)`` with the cell's own steady resistance [1]_; past its end the curve goes on with its last slope down
    to the volts at which the discharge ended, which is where the cell then counts as empty.

    Parameters
    ----------
    cell : Cell
        As it stands; its resistances are taken for right.
    ah : array_like, shape (n,)
        Charge that has come out of one cell since it was full. [Ah]
    volts, amps : array_like, shape (n,)
        At one cell's terminals, and out of it; amps may be one figure for all. [V, A]
    source : str
        Where it was measured.

    Returns
    -------
    OwnCurve
        With ``ocv`` and ``measured_ah`` of its own, as measured.

    Raises
    ------
    FigureError
        If it is too short, does not begin full, is too fast, or rises on the way.

    References
    ----------
    .. [1] G. L. Plett, Battery Management Systems, vol. I, Artech House, 2015, ch. 2: a slow discharge as an approximation of OCV.
    """
    out, v, i = _clean(ah, volts, amps)
    held = float(out[-1])
    mean_a = float(np.average(i[1:], weights=np.maximum(np.diff(out), 1e-12)))
    if not SLOWEST_C <= mean_a / held <= FASTEST_C:
        raise FigureError(
            "curve",
            f"At {show(mean_a, 'A')} it was empty within {show(held / mean_a, 'h')}: that is no slow discharge.",
            fix="Discharge it within three to ten hours.",
        )
    end_v = float(v[-1])
    made = cell
    ocv, soc = v, 1.0 - out / held
    for _ in range(TURNS):
        ocv = v + i * _steady_ohm(made, soc, held)
        whole = held * (1.0 + _beyond(soc, ocv, end_v))
        soc = 1.0 - out / whole
        made = _with(cell, soc, ocv, end_v, whole, source)
    first_v = float(ocv[0])
    if first_v < cell.full_v - FULL_BELOW_V:
        raise FigureError(
            "curve",
            f"It begins at {show(first_v, 'V')} at rest; the cell is full at {show(cell.full_v, 'V')}.",
            fix="Charge it full first, and let it rest for an hour.",
        )
    return OwnCurve(made, made.capacity_ah.likely, mean_a / held)


def with_pulses(cell: Cell, soc: Sequence[float], fast_ohm: Sequence[float], minute_ohm: Sequence[float], source: str) -> Cell:
    """A cell with the resistances that pulses showed: at once and after a minute, each at some states of charge.

    Parameters
    ----------
    cell : Cell
        As it stands.
    soc : sequence of float
        States of charge, rising; two at the least.
    fast_ohm, minute_ohm : sequence of float
        After some seconds, and after a minute. [Ω]
    source : str
        Where they were measured.

    Returns
    -------
    Cell
        With its tables and its resistance at half full, as measured; the time of diffusion follows from them.

    Raises
    ------
    FigureError
        If they do not pair, or a minute's is below that of the first seconds.
    """
    if not len(soc) == len(fast_ohm) == len(minute_ohm) or len(soc) < 2:
        raise FigureError("pulses", "Each state of charge needs both resistances, at two states at least.", fix="Pair them.")
    if any(m < f or f <= 0 for f, m in zip(fast_ohm, minute_ohm, strict=True)):
        raise FigureError("pulses", "After a minute it cannot be less than after seconds.", fix="Swap the two columns.")
    half = float(np.interp(0.5, soc, minute_ohm))
    slow = [(m - f) / half for f, m in zip(fast_ohm, minute_ohm, strict=True)]
    return cell.model_copy(
        update={
            "resistance_ohm": Figure(low=0.95 * half, likely=half, high=1.05 * half, grade="measured", source=source),
            "fast": Curve(soc=tuple(soc), value=tuple(f / half for f in fast_ohm)),
            "slow": Curve(soc=tuple(soc), value=tuple(slow)),
            "ocv_corrected": False,
            "diffusion_s": None,
        }
    )


def _clean(ah: ArrayLike, volts: ArrayLike, amps: ArrayLike) -> tuple[Array, Array, Array]:
    """Finite rows in the order of the charge, thinned to what a table needs."""
    out, v = np.asarray(ah, dtype=float), np.asarray(volts, dtype=float)
    i = np.broadcast_to(np.asarray(amps, dtype=float), v.shape)
    known = np.isfinite(out) & np.isfinite(v) & np.isfinite(i) & (i > 0) & (v > 0)
    out, v, i = out[known], v[known], i[known]
    order = np.argsort(out, kind="stable")
    out, v, i = out[order] - (out[order][0] if len(order) else 0.0), v[order], i[order]
    if len(out) < LEAST_POINTS or out[-1] <= 0:
        raise FigureError(
            "curve", f"{len(out)} points are too few for a curve.", fix=f"Give {LEAST_POINTS} at least, from full to empty."
        )
    if v[-1] >= v[0] - 0.1:
        raise FigureError("curve", "Its volts do not fall: that is no discharge.", fix="Give volts under load, from full to empty.")
    return _thinned(out, v, i)


def _thinned(out: Array, v: Array, i: Array) -> tuple[Array, Array, Array]:
    """Means over so many stretches of charge, shorter where the volts fall fast: noise goes, the knee stays."""
    if len(out) <= MOST_POINTS:
        return out, np.minimum.accumulate(v), i
    way = out / out[-1] + v[0] - np.minimum.accumulate(v)  # charge and volts gone by, each in its unit
    edges = np.searchsorted(way, np.linspace(0.0, way[-1], MOST_POINTS - 1))
    parts = [slice(a, max(b, a + 1)) for a, b in pairwise(edges) if a < len(out)]
    means = np.array([[a[p].mean() for p in parts] for a in (out, v, i)])
    ends = np.array([[a[k] for k in (0, -1)] for a in (out, v, i)])
    o, w, c = (np.concatenate([e[:1], m[1:-1], e[1:]]) for m, e in zip(means, ends, strict=True))
    keep = np.concatenate([[True], np.diff(o) > 1e-9 * o[-1]])
    return o[keep], np.minimum.accumulate(w[keep]), c[keep]


def _steady_ohm(cell: Cell, soc: Array, held_ah: float) -> Array:
    """A cell's steady resistance at 25 °C over states of charge, as ``pack_curves`` takes it. [Ω]"""
    scale = cell.resistance_ohm.likely
    at = np.clip(soc, 0.0, 1.0)
    ohm = scale * (rising(at, cell.fast.soc, cell.fast.value) + rising(at, cell.slow.soc, cell.slow.value))
    if cell.ocv_corrected:
        ohm = ohm + pulse_fall_ohm(cell, at) * cell.capacity_ah.likely * cell.health / held_ah
    return np.asarray(ohm)


def _beyond(soc: Array, ocv: Array, end_v: float) -> float:
    """Share of what came out that is still inside at the end: from its last rest volts down to where the discharge ended."""
    n = min(4, len(soc) - 1)
    slope = (ocv[-1 - n] - ocv[-1]) / max(soc[-1 - n] - soc[-1], 1e-9)
    return float(max(ocv[-1] - end_v, 0.0) / slope) if slope > 0 else 0.0


def _with(cell: Cell, soc: Array, ocv: Array, end_v: float, whole_ah: float, source: str) -> Cell:
    at, volts = soc[::-1], np.maximum.accumulate(ocv[::-1])
    if at[0] > 1e-6:
        at, volts = np.concatenate([[0.0], at]), np.concatenate([[min(end_v, float(volts[0]))], volts])
    at = np.clip(at, 0.0, 1.0)
    keep = np.concatenate([[True], np.diff(at) > 1e-9])
    figure = Figure(low=0.98 * whole_ah, likely=whole_ah, high=1.02 * whole_ah, grade="measured", source=source)
    return cell.model_copy(
        update={
            "ocv": Curve(soc=tuple(at[keep]), value=tuple(volts[keep])),
            "measured_ah": figure,
            "health": 1.0,
            "curve_grade": "measured",
            "curve_source": source[:200],
        }
    )
