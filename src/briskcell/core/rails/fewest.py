"""Which parts can share a supply voltage, how few voltages serve them all, and what may be fed from the store itself."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from briskcell.core.engine.sources import store_curves
from briskcell.model.parts import Load
from briskcell.model.plan import Plan, Store


@dataclass(frozen=True, slots=True)
class RailChoice:
    """One voltage and the loads it serves: any volts from ``low_v`` to ``high_v`` do."""

    low_v: float
    high_v: float
    loads: tuple[str, ...]

    @property
    def volts(self) -> float:
        """A voltage with room to both sides, nearer the lower end, where less is lost."""
        return self.low_v + 0.4 * (self.high_v - self.low_v)


def fewest_rails(loads: tuple[Load, ...]) -> tuple[RailChoice, ...]:
    """The fewest voltages that lie in every load's window.

    Interval stabbing: windows sorted by their upper end, each new voltage as high as the first unserved window allows;
    no other choice needs fewer [1]_. Cost O(n log n).

    Parameters
    ----------
    loads : tuple of Load
        Each with a window of volts.

    Returns
    -------
    tuple of RailChoice
        Rising; every load is in exactly one.

    References
    ----------
    .. [1] J. Kleinberg, É. Tardos, Algorithm Design, Pearson, 2005, ch. 4 (greedy by earliest end).
    """
    out: list[RailChoice] = []
    group: list[Load] = []
    for load in sorted(loads, key=lambda p: (p.window.high_v, p.window.low_v)):
        if group and load.window.low_v > group[0].window.high_v:
            out.append(_choice(group))
            group = []
        group.append(load)
    if group:
        out.append(_choice(group))
    return tuple(out)


def _choice(group: list[Load]) -> RailChoice:
    low, high = max(p.window.low_v for p in group), min(p.window.high_v for p in group)
    return RailChoice(low, high, tuple(p.id for p in group))


def straight_on(plan: Plan, store: Store, sag_v: float = 0.15) -> tuple[str, ...]:
    """Loads whose window covers a store from full to empty, with room for the sag of a peak: they need no regulator.

    Parameters
    ----------
    plan : Plan
        The build.
    store : Pack, Capacitor or Bank
        What would feed them.
    sag_v : float
        Volts kept below the cut-off for the sag under load. [V]

    Returns
    -------
    tuple of str
        Ids of the loads.
    """
    curves = store_curves(store, np.array([1.0, 0.0]))
    least = max(curves.cutoff_v, float(curves.ocv_v[-1])) - sag_v
    return tuple(p.id for p in plan.loads if p.window.low_v <= least and p.window.high_v >= float(curves.ocv_v[0]))
