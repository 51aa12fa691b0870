"""How far an answer may lie off, from the ranges of what went in."""

from __future__ import annotations

import math
from dataclasses import dataclass

from briskcell.core.draw.consumption import DrawReport, pert_sigma
from briskcell.core.engine.operating import Operating
from briskcell.model.figure import Figure
from briskcell.model.parts import FixedEfficiency, LossModel
from briskcell.model.plan import Store
from briskcell.model.stores import Capacitor, Pack

TENTH = 1.2816  # standard deviations from the middle of a normal curve to its 10 % point

WIDEST = 10.0  # of the logarithm of a range: past a factor of 20,000 to each side nothing is known


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


def runtime_range(op: Operating, draw: DrawReport, hours: float, pack: int = 0) -> Range:
    """Runtime with its 10 and 90 % points, to first order.

    Runtime goes as charge over power, so relative variances add: of the draws, the capacity and the converters'
    efficiencies [1]_. The result is taken as log-normal.

    Parameters
    ----------
    op : Operating
        The solved build.
    draw : DrawReport
        Its draws.
    hours : float
        Likely runtime. [h]
    pack : int
        Which pack.

    Returns
    -------
    Range
        Hours.

    References
    ----------
    .. [1] JCGM 100:2008, Guide to the expression of uncertainty in measurement, 5.1.
    """
    variance = draw.relative_sigma**2 + pert_sigma(capacity_figure(op.plan.stores[pack])) ** 2
    for converter in op.plan.converters:
        if isinstance(converter.loss, FixedEfficiency):
            variance += pert_sigma(converter.loss.efficiency) ** 2
        elif isinstance(converter.loss, LossModel):
            # About a tenth is lost in such a board, most of it in its resistance.
            variance += (0.1 * pert_sigma(converter.loss.resistance_ohm)) ** 2
    factor = math.exp(min(TENTH * math.sqrt(variance), WIDEST))
    return Range(hours / factor, hours, hours * factor)
