"""How far an answer may lie off, from the ranges of what went in."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.model.figure import Figure
from briskcell.model.plan import Store
from briskcell.model.stores import Capacitor, Pack


@dataclass(frozen=True, slots=True)
class Range:
    """The 10, 50 and 90 % points of an answer."""

    low: float
    likely: float
    high: float


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
