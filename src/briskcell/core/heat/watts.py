"""Where every watt becomes heat: in parts, in cells, in wires, and in which lump of the case."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.operating import Operating
from briskcell.core.engine.sources import cold_factor
from briskcell.core.heat.network import AIR, CELLS, HeatNetwork
from briskcell.model.stores import Pack

Array = NDArray[np.float64]
AT_SOC = 0.5  # of the charge that losses are taken at


@dataclass(frozen=True, slots=True, kw_only=True)
class WattShare:
    """Where some of the watts become heat: a part, or the wires together."""

    element: str
    name: str
    watts: float


def shares_of_heat(op: Operating, state: int, soc: float = AT_SOC) -> tuple[WattShare, ...]:
    """Where every watt of the console becomes heat, on battery.

    Parameters
    ----------
    op : Operating
        The solved build.
    state : int
        A load state, as a row of solved arrays.
    soc : float
        State of charge.

    Returns
    -------
    tuple of WattShare
        Loads, boards, stores and wires, the largest first; together what the stores give. Empty where the tree collapses.
    """
    at = (state, op.index(soc))
    if not op.flow.collapsed.size or bool(op.flow.collapsed[at]):
        return ()
    lost = {name: float(watts[at]) for name, watts in op.lost_w.items()}
    out = [WattShare(element=p.id, name=p.name, watts=float(op.load_w[(*at, k)])) for k, p in enumerate(op.network.loads)]
    out += [WattShare(element=b.id, name=b.name, watts=lost.pop(b.id)) for b in op.network.converters]
    out += [WattShare(element=b.id, name=b.name, watts=lost.pop(b.id)) for b in op.network.paths]
    out += [WattShare(element=s.id, name=f"Inside {s.name}", watts=lost.pop(s.id)) for s in op.plan.stores]
    out.append(WattShare(element="", name="Wires, switches and contacts", watts=sum(lost.values())))
    return tuple(sorted((s for s in out if s.watts > 0), key=lambda s: -s.watts))


def own_share(op: Operating, store: int) -> float:
    """What the cells of a pack lose themselves in the warmest room, beside all that is lost in the pack.

    Parameters
    ----------
    op : Operating
        The solved build.
    store : int
        One of its stores, a pack.

    Returns
    -------
    float
        0 to 1: joints and protection lose their part beside the cells, and cells resist less in a room that is warmer than the
        brief has them. What is left over is counted in the air.
    """
    pack, brief = op.plan.stores[store], op.plan.brief
    if not isinstance(pack, Pack):
        return 0.0
    whole = float(op.curves[store].steady_ohm[op.index(AT_SOC)])
    beside = pack.link_resistance_ohm.likely + (pack.protection.resistance_ohm.likely if pack.protection else 0.0)
    cooler = cold_factor(brief.room_c, pack.cell.cold_b_k) / cold_factor(brief.cells_c, pack.cell.cold_b_k)
    return min(cooler, 1.0) * max(1.0 - beside / whole, 0.0) if whole > 0 else 0.0


def sources(network: HeatNetwork, shares: tuple[WattShare, ...], op: Operating) -> Array:
    """Watts set free in each lump: in the cells, in the boards that stand for themselves, the rest in the air.

    Parameters
    ----------
    network : HeatNetwork
        With n lumps.
    shares : tuple of WattShare
        Where the watts become heat.
    op : Operating
        The solved build.

    Returns
    -------
    ndarray, shape (n,)
        Watts.
    """
    place = {n.element: k for k, n in enumerate(network.nodes) if n.element} | {p.id: CELLS for p in op.plan.packs}
    own = {p.id: own_share(op, k) for k, p in enumerate(op.plan.stores) if isinstance(p, Pack)}
    out = np.zeros(len(network.nodes))
    for share in shares:
        part = own.get(share.element, 1.0)
        out[place.get(share.element, AIR)] += part * share.watts
        out[AIR] += (1.0 - part) * share.watts
    return out
