"""A session in time: boot, play, pause, peaks, plugging in and out, with slow polarisation and a warming case."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.charge.charging import RISING, ChargePath
from briskcell.core.engine.input_curve import Console, console_curve
from briskcell.core.engine.operating import Operating
from briskcell.core.engine.sources import cold_factor, store_curves
from briskcell.core.heat.case import CAPACITY, case_conductance
from briskcell.model.parts import STATES
from briskcell.model.phases import Phase
from briskcell.model.stores import ChargeBoard, Pack, Supply
from briskcell.model.tree import layout_of

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class Session:
    """The course of a session. Arrays share one time axis; ``ended`` says why it stopped early, empty if it did not."""

    time_s: Array
    soc: Array
    store_v: Array
    store_a: Array
    case_c: Array
    ended: str


def play_session(op: Operating, phases: Sequence[Phase], *, start_soc: float = 1.0, step_s: float = 5.0, store: int = 0) -> Session:
    """Play a session through in time.

    The store is a charge, a fast resistance and one RC branch [1]_; the case one heat capacity. What the console takes
    over the store's volts is solved once for each state, and read along the way. Booting draws as a peak does.

    Parameters
    ----------
    op : Operating
        The solved build.
    phases : sequence of Phase
        What happens, in order.
    start_soc : float
        State of charge at the start.
    step_s : float
        Longest step. [s]
    store : int
        Which store.

    Returns
    -------
    Session
        Sampled at every step.

    References
    ----------
    .. [1] G. L. Plett, Battery Management Systems, vol. I, Artech House, 2015, ch. 2.
    """
    plan = op.plan
    grid = np.linspace(0.0, 1.0, 201)
    base = store_curves(plan.stores[store], grid, 25.0)
    part = plan.stores[store]
    b_k, slow_s = (part.cell.cold_b_k, part.cell.slow_s) if isinstance(part, Pack) else (0.0, 1.0)
    top = float(base.ocv_v[-1])
    volts = np.linspace(0.4 * top, top * 1.02, 97)
    draws = {s: console_curve(op, store, 1e-6, volts, s) for s in STATES}
    board = next((b for b in plan.chargers if b.charges == plan.stores[store].id), None)
    into = _charger_current(op, board, store) if board is not None else None
    conductance, capacity = case_conductance(plan.case), plan.case.mass_g / 1e3 * CAPACITY
    soc, slow_v, case_c, clock = start_soc, 0.0, plan.brief.room_c, 0.0
    rows: list[tuple[float, float, float, float, float]] = []
    ended = ""
    for phase in phases:
        state = {"boot": "peak", "off": "rest"}.get(phase.what, phase.what)
        left = phase.seconds
        while left > 1e-9 and not ended:
            dt = min(step_s, left)
            warm = cold_factor(case_c, b_k) / cold_factor(25.0, b_k) if b_k else 1.0
            ocv = float(np.interp(soc, grid, base.ocv_v))
            fast = float(np.interp(soc, grid, base.fast_ohm)) * warm
            slow = float(np.interp(soc, grid, base.slow_ohm)) * warm
            charge_a = into(soc) if phase.plugged and into is not None else 0.0
            drawn, at_v, carried = _draw(draws[state], ocv - slow_v, fast, charge_a, off=phase.what == "off")
            through = phase.plugged and board is not None and layout_of(op.plan, board) == "power_path"
            net = -charge_a if through else drawn - charge_a
            at_v = ocv - slow_v - net * fast
            if not carried or (at_v < base.cutoff_v and net > 0):
                ended = "the volts collapse" if not carried else f"the store cuts off at {base.cutoff_v:.2f} V"
                break
            slow_v += (slow * net - slow_v) * (1.0 - math.exp(-dt / slow_s))
            soc = min(max(soc - net * dt / 3600.0 / base.capacity_ah, 0.0), 1.0)
            heat_w = drawn * at_v + net * net * (fast + slow)
            case_c += (plan.brief.room_c + heat_w / conductance - case_c) * (1.0 - math.exp(-dt * conductance / capacity))
            clock += dt
            left -= dt
            rows.append((clock, soc, at_v, net, case_c))
            if soc <= 0.0:
                ended = "the store is empty"
        if ended:
            break
    table = np.array(rows) if rows else np.zeros((0, 5))
    return Session(time_s=table[:, 0], soc=table[:, 1], store_v=table[:, 2], store_a=table[:, 3], case_c=table[:, 4], ended=ended)


def _draw(curve: Console, source_v: float, fast: float, charge_a: float, *, off: bool) -> tuple[float, float, bool]:
    """Current of the console behind a resistance: the fixed point of ``I(V)`` and ``V = source − fast·I``."""
    if off:
        return 0.0, source_v, True
    volts = source_v + fast * charge_a
    amps = 0.0
    for _ in range(6):
        amps_at, ok = curve.at(np.array([volts]))
        if not bool(ok[0]):
            return 0.0, volts, False
        amps = float(amps_at[0])
        volts = source_v - fast * (amps - charge_a)
    return amps, volts, volts > 0.0


def _charger_current(op: Operating, board: ChargeBoard, store: int) -> Callable[[float], float]:
    supply = op.plan.by_id[board.supply]
    assert isinstance(supply, Supply)
    amps = ChargePath(op, board, supply, store).balance("play" if layout_of(op.plan, board) == "power_path" else None)[0]
    return lambda soc: float(np.interp(soc, RISING, amps))
