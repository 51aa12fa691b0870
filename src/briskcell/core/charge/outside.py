"""Packs that no board inside fills, and how long a charger outside the case takes."""

from __future__ import annotations

from briskcell.core.charge.charging import ChargePath
from briskcell.core.engine.operating import Operating
from briskcell.core.engine.sources import charge_share
from briskcell.model.changes import remade
from briskcell.model.plan import Plan
from briskcell.model.stores import ChargeBoard, Pack, Supply

OUTSIDE_A = 2.0  # that a usual balance charger gives; typical
OUTSIDE_V = 59.0  # that stand for its supply, of which it has enough
END_SHARE = 0.1  # of its current, at which it ends; typical


def unfilled(plan: Plan) -> tuple[Pack, ...]:
    """The packs that can be charged, feed something, and are filled by nothing inside.

    Parameters
    ----------
    plan : Plan
        The build.

    Returns
    -------
    tuple of Pack
        Without those that a charge board or a trickle source fills.
    """
    filled = {*(b.charges for b in plan.chargers), *(t.charges for t in plan.trickles)}
    return tuple(p for p in plan.packs if p.cell.rechargeable and p.id not in filled and plan.fed.get(p.id))


def outside_hours(op: Operating, ends: tuple[float, ...]) -> float | None:
    """Hours that a charger outside takes for the slowest of the packs that nothing inside fills, from where play ends.

    Parameters
    ----------
    op : Operating
        The solved build.
    ends : tuple of float
        State of charge of each store when play ends.

    Returns
    -------
    float or None
        With what the cells take, two amperes at most; None where there is no such pack. [h]
    """
    plan, most = op.plan, None
    for pack in unfilled(plan):
        cells = pack.string_cells
        takes = sum(c.max_charge_a.likely * charge_share(c, plan.brief.charging_c) for c in cells)
        amps = min(takes, OUTSIDE_A)
        if amps <= 0:
            continue
        supply = Supply(id="outside", name="Charger outside", voltage_v=OUTSIDE_V, current_limit_a=100, cable_ohm=0)
        board = ChargeBoard(
            id="outside-board",
            name="Charger outside",
            charges=pack.id,
            supply="outside",
            layout="cut_out",
            kind="switching",
            current_a=amps,
            termination_a=amps * END_SHARE,
            balancing=True,
        )
        with_it = remade(plan, {"supplies": (*plan.supplies, supply), "chargers": (*plan.chargers, board)})
        index = op.network.stores.index(pack.id)
        found = ChargePath(Operating(with_it, op.network, op.curves, op.flow), board, supply, index)
        hours = found.course(ends[index], playing=False).hours
        most = max(most or 0.0, hours) if hours is not None else most
    return most
