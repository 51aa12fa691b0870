"""A crank, small generator or panel that fills a store: what it pushes in, and the ripple it leaves."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from briskcell.core.engine.operating import Operating
from briskcell.model.parts import State
from briskcell.model.plan import Store
from briskcell.model.stores import Trickle


@dataclass(frozen=True, slots=True)
class TrickleFlow:
    """Power into the store at the best load, its current there, and the ripple on the smoothing capacitor."""

    power_w: float
    current_a: float
    bus_v: float
    ripple_v: float


@dataclass(frozen=True, slots=True)
class TrickleFill:
    """What a source pushes into its half-full store, and the hours it would take to fill it alone; None where never."""

    source: Trickle
    store: Store
    flow: TrickleFlow
    hours: float | None


def trickle_fills(op: Operating) -> tuple[TrickleFill, ...]:
    """Every crank, generator and panel of a build.

    Parameters
    ----------
    op : Operating
        The solved build.

    Returns
    -------
    tuple of TrickleFill
        In the order of the plan.
    """
    out = []
    for source in op.plan.trickles:
        k = op.network.stores.index(source.charges)
        flow = trickle_flow(source, float(op.curves[k].ocv_v[op.half]))
        hours = op.curves[k].energy_wh / flow.power_w if flow.power_w > 0 else None
        out.append(TrickleFill(source, op.plan.stores[k], flow, hours))
    return tuple(out)


def starting_v(op: Operating, store: int) -> float | None:
    """The least volts at rest from which a start, at every part's peak, is carried.

    Parameters
    ----------
    op : Operating
        The solved build.
    store : int
        One of its stores, as a crank or panel fills it.

    Returns
    -------
    float or None
        None where no charge carries one. [V]
    """
    boards = range(len(op.network.converters))
    limits = [(op.board_limit_a[k] >= op.flow.output_a(k))[State.PEAK] for k in boards]
    carried = ~op.flow.lost[State.PEAK, :, store] & np.all(limits or [True], axis=0)
    return float(op.curves[store].ocv_v[carried].min()) if carried.any() else None


def trickle_flow(source: Trickle, store_v: float) -> TrickleFlow:
    """What a trickle source gives at the load that takes the most from it.

    Half the open voltage, less the bridge, is across the load when its resistance matches the source's [1]_; the
    converter passes that on. The ripple is ``ΔV = I/(2·f·C)``.

    Parameters
    ----------
    source : Trickle
        Open volts, source resistance, bridge, smoothing, converter.
    store_v : float
        Volts of the store. [V]

    Returns
    -------
    TrickleFlow
        Zero where the bridge takes all.

    References
    ----------
    .. [1] P. Horowitz, W. Hill, The Art of Electronics, 3rd ed., Cambridge, 2015, ch. 1.

    Examples
    --------
    >>> from briskcell.model.stores import Trickle
    >>> crank = Trickle(id="c", name="crank", charges="p", open_v=12.0, source_ohm=10.0, bridge_drop_v=1.4,
    ...                 smoothing_f=1e-3, ripple_hz=60.0, efficiency=0.85)
    >>> flow = trickle_flow(crank, 3.7)
    >>> round(flow.power_w, 3), round(flow.ripple_v, 2)
    (2.388, 4.42)
    """
    left_v = max(source.open_v.likely - source.bridge_drop_v.likely, 0.0)
    bus_v, amps = left_v / 2.0, left_v / 2.0 / source.source_ohm.likely
    power = bus_v * amps * source.efficiency.likely
    ripple = amps / (2.0 * source.ripple_hz.likely * source.smoothing_f.likely)
    return TrickleFlow(power, power / store_v if store_v > 0 else 0.0, bus_v, ripple)
