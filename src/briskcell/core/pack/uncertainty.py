"""How far an answer may lie off, from the ranges of what went in."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.model.figure import Figure
from briskcell.model.plan import Store
from briskcell.model.stores import Capacitor, Pack
from briskcell.model.units import show

LEAST_CHANCE = 0.01  # that is told as a figure


@dataclass(frozen=True, slots=True)
class Range:
    """The 10, 50 and 90 % points of an answer."""

    low: float
    likely: float
    high: float


def chance_words(share: float) -> str:
    """A chance as it is said: never as certain, since no model is.

    Parameters
    ----------
    share : float
        From 0 to 1.

    Returns
    -------
    str
        Whole per cent; ``under 1 %`` and ``over 99 %`` at the ends.

    Examples
    --------
    >>> [chance_words(c).replace(chr(160), " ") for c in (0.0, 0.004, 0.5, 0.996, 1.0)]
    ['under 1 %', 'under 1 %', '50 %', 'over 99 %', 'over 99 %']
    """
    if share < LEAST_CHANCE:
        return f"under {show(LEAST_CHANCE, '%')}"
    return f"over {show(1.0 - LEAST_CHANCE, '%')}" if share > 1.0 - LEAST_CHANCE else show(share, "%")


def capacity_figure(store: Store) -> Figure:
    """The figure that says how much a store holds.

    Parameters
    ----------
    store : Pack, Capacitor or Bank
        The store.

    Returns
    -------
    Figure
        Amp-hours of a cell, farads, or watt-hours.
    """
    if isinstance(store, Pack):
        return store.cell.in_series_ah(store.series)
    return store.capacitance_f if isinstance(store, Capacitor) else store.cells_wh
