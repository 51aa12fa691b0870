"""The build with its charger plugged in, solved at one point: what the socket gives, and who gets it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from briskcell.core.charge.charging import RISING, ChargePath, way_in
from briskcell.core.engine.network import Draws, draws_of
from briskcell.core.engine.operating import Operating
from briskcell.core.engine.solver import Flow, solve
from briskcell.model.parts import STATES, State
from briskcell.model.stores import ChargeBoard, Supply


@dataclass(frozen=True, slots=True, kw_only=True)
class PluggedNode:
    """One element between the socket and the store: volts at its output, amperes through it, watts lost in it."""

    element: str
    voltage_v: float
    current_a: float
    loss_w: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Plugged:
    """The solved point. ``flow`` is the console's tree, fed from the bus or from the charging store.

    ``store_v`` are the volts at the store's terminals, behind ``store_ohm``; ``into_a`` is what goes into the store, negative what
    comes out of it; ``limit`` names what holds the charger's current down, as one of ``LIMITS``; ``carried`` says whether the
    supply carries the console.
    """

    board: ChargeBoard
    nodes: tuple[PluggedNode, ...]
    flow: Flow
    bus_v: float
    system_a: float
    charge_a: float
    input_a: float
    store_v: float
    store_ohm: float
    into_a: float
    layout: str
    limit: int
    carried: bool


def plugged(op: Operating, board: ChargeBoard, soc: float, state: str | None) -> Plugged:
    """Solve the build while it charges.

    Parameters
    ----------
    op : Operating
        The solved build.
    board : ChargeBoard
        The charge board in use.
    soc : float
        State of charge of the store it fills.
    state : str or None
        Load state of the console, None while it is off; a cut-out layout has it off.

    Returns
    -------
    Plugged
        Volts and amperes from the supply to the loads.
    """
    supply = op.plan.by_id[board.supply]
    assert isinstance(supply, Supply)
    index = op.network.stores.index(board.charges)
    path = ChargePath(op, board, supply, index)
    charge_a, input_a, system_a, _, carried, held = path.balance(state)
    at = {k: float(np.interp(soc, RISING, v)) for k, v in (("charge", charge_a), ("input", input_a), ("system", system_a))}
    through = path.layout == "power_path"
    helps, fallen = (float(np.interp(soc, RISING, v)) for v in path.helps(state))
    on_bus = min(at["system"], path.terms.supply_a) if through else 0.0
    nodes, volts, amps = [], path.source_v, at["input"] + on_bus
    for element, ohm in way_in(op.plan, board, supply):
        volts -= amps * ohm
        nodes.append(PluggedNode(element=element, voltage_v=volts, current_a=amps, loss_w=amps**2 * ohm))
    ocv_at = float(np.interp(soc, RISING, path.curves.ocv_v))
    r = float(np.interp(soc, RISING, path.curves.steady_ohm))
    into = at["charge"] - helps - (0.0 if through or path.layout == "cut_out" else at["system"])
    feed_v = (fallen if helps > 0 else volts) if through else ocv_at + into * r
    return Plugged(
        board=board,
        nodes=tuple(nodes),
        flow=_console(path, soc, state, feed_v),
        bus_v=fallen if helps > 0 else volts,
        system_a=at["system"],
        charge_a=at["charge"],
        input_a=at["input"],
        store_v=ocv_at + into * (r - path.through_ohm),
        store_ohm=r - path.through_ohm,
        into_a=into,
        layout=path.layout,
        limit=int(held[int(np.argmin(np.abs(RISING - soc)))]),
        carried=bool(carried[int(np.argmin(np.abs(RISING - soc)))]),
    )


def _console(path: ChargePath, soc: float, state: str | None, feed_v: float) -> Flow:
    op, index = path.op, path.index
    ocv = np.array([float(np.interp(soc, c.soc[::-1], c.ocv_v[::-1])) for c in op.curves])
    ohm = np.array([float(np.interp(soc, c.soc[::-1], c.steady_ohm[::-1])) for c in op.curves])
    ocv[index], ohm[index] = feed_v, path.console_ohm  # it hangs on the charging board, not on the cells
    d = draws_of(op.network.loads, state or STATES[State.REST])
    scale = 0.0 if path.layout == "cut_out" or state is None else 1.0
    draws = Draws(power_w=d.power_w * scale, current_a=d.current_a * scale, conductance_s=d.conductance_s * scale)
    return solve(op.network, ocv, ohm, draws)
