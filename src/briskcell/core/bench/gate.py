"""The one gate before a reading becomes a figure: is it possible at all, and is a test whole?"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from briskcell.core.answers import Answers
from briskcell.model.stores import Pack
from briskcell.model.units import show

MOST_READ = {"V": 100.0, "A": 30.0}  # of what a bench meter reads beside a console: no lead or range there takes more
NEAR = 3.0  # times what was expected, within which a reading in thousandths would make sense
FAR = 30.0  # times, from which one in whole units makes none
TENFOLD = 10.0  # off what was foreseen, past which a reading is a fault of console or meter, not a figure of a part
MOST_OF_LABEL, LEAST_OF_LABEL = 1.15, 0.10  # of what its label says: cells exceed it by a few percent; below a tenth it was no test
FULL_BELOW_V = 0.12  # a cell, below its full volts, from which a test did not begin full: some ten percent of its charge
EMPTY_ENOUGH = 1.05  # of a pack's empty volts, down to which a discharge has to go to be its capacity
GAP_SHARE, GAP_S = 0.05, 60.0  # of a test, or seconds, that it may have no readings for


def impossible(value: float, unit: str, likely: float | None) -> str:
    """Why a reading cannot be what was meant; empty where it can.

    Parameters
    ----------
    value : float
        The reading, in ``unit``. [V, A or Ω]
    unit : str
        Its unit.
    likely : float or None
        What was foreseen there.

    Returns
    -------
    str
        What was read, and what was meant, perhaps.

    Examples
    --------
    >>> impossible(710.0, "A", 0.7)
    '710 A? 710 mA, perhaps.'
    >>> impossible(0.71, "A", 0.7), impossible(5.02, "V", 5.1)
    ('', '')
    """
    size = abs(value)
    if unit not in MOST_READ:
        return ""
    meant = f" {value:g} m{unit}, perhaps." if likely and size / 1000.0 < NEAR * abs(likely) else ""
    if size > MOST_READ[unit]:
        return f"{value:g} {unit}?{meant or ' No bench meter reads that.'}"
    if likely and size > FAR * abs(likely) and size / 1000.0 > abs(likely) / NEAR and meant:
        return f"{value:g} {unit}?{meant}"
    return ""


def no_figure(value: float, unit: str, likely: float | None) -> str:
    """Why a reading makes no figure of a part; empty where it does. A joint may have any ohms.

    Parameters
    ----------
    value : float
        The reading, in ``unit``. [V, A or Ω]
    unit : str
        Its unit.
    likely : float or None
        What was foreseen there.

    Returns
    -------
    str
        The end of a refusal.
    """
    if unit in MOST_READ and likely and not 1.0 / TENFOLD <= abs(value / likely) <= TENFOLD:
        return f"That is {value / likely:.2g} times what was foreseen: a fault, or a slip of the meter, and no figure of the part."
    return ""


def no_capacity(a: Answers, rows: NDArray[np.float64], held_ah: float, end_v: float) -> str:
    """Why a discharge says nothing about what the first pack holds; empty where it does.

    Parameters
    ----------
    a : Answers
        Of the build.
    rows : ndarray, shape (n, 4)
        Seconds, volts, amps, degrees of the run.
    held_ah : float
        What came out of it. [Ah]
    end_v : float
        Volts at which it ended. [V]

    Returns
    -------
    str
        What is wrong with it.
    """
    pack = a.plan.stores[0] if a.plan.stores else None
    if not isinstance(pack, Pack) or not len(rows) or not math.isfinite(held_ah):
        return "It read no amps, or the build has no cells."
    empty_v = pack.series * max(c.empty_v for c in pack.string_cells)
    if not end_v <= empty_v * EMPTY_ENOUGH:
        return f"It ended at {show(end_v, 'V')}; empty is {show(empty_v, 'V')}."
    curves = a.op.curves[0]
    amps = rows[0, 2] if math.isfinite(rows[0, 2]) else 0.0
    began_v = float(rows[0, 1] + amps * curves.steady_ohm[0])
    if not began_v >= float(curves.ocv_v[0]) - pack.series * FULL_BELOW_V:
        return f"It began at {show(began_v, 'V')}, which is not full."
    whole_s = float(rows[-1, 0] - rows[0, 0])
    gap_s = float(np.diff(rows[:, 0]).max(initial=0.0))
    if gap_s > max(GAP_SHARE * whole_s, GAP_S):
        return f"For {show(gap_s / 3600.0, 'h')} of it nothing was read."
    of_label = held_ah / sum(c.label_ah.likely for c in pack.string_cells)
    if not LEAST_OF_LABEL <= of_label <= MOST_OF_LABEL:
        return f"{show(held_ah, 'Ah')} would be {of_label:.0%} of the label: no cell holds that, or it was not this pack."
    return ""
