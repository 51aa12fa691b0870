"""How long a pack takes to fill, with the console off and in play."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.model.parts import ChargeBoard, Pack, Supply

from .network import Draws, draws_of, solve
from .operating import Operating
from .stores import PackCurves, pack_curves

Array = NDArray[np.float64]
RISING = np.linspace(0.0, 1.0, 201)
ROUNDS = 8  # in which the bus voltage and the charge current settle; each gains a digit or more


@dataclass(frozen=True, slots=True, kw_only=True)
class ChargeCourse:
    """One charge from ``start_soc`` until it ends, or ``hours`` None with the reason why it never does.

    Arrays run over ``soc``; ``limit`` names for each point what holds the current down.
    """

    hours: float | None
    why: str
    start_soc: float
    end_soc: float
    soc: Array
    current_a: Array
    cell_v: Array
    elapsed_h: Array
    system_a: Array
    bus_v: Array
    limit: NDArray[np.int_]


LIMITS = ("the set current", "what the supply leaves", "the charger's warmth", "the float voltage", "the pre-charge")


@dataclass(frozen=True, slots=True, kw_only=True)
class Charge:
    """Filling one pack by one board: with the console off, and in play."""

    board: ChargeBoard
    supply: Supply
    off: ChargeCourse
    play: ChargeCourse


def charge(op: Operating, board: ChargeBoard, start_soc: float = 0.0) -> Charge:
    """Charge a pack with constant current, then constant voltage, over its states of charge.

    ``I = min(I_set, what the supply leaves, thermal fold-back, (V_float − OCV)/r)``; pre-charge below its threshold;
    it ends when the constant-voltage current has fallen to the termination current [1]_.

    Parameters
    ----------
    op : Operating
        The solved build.
    board : ChargeBoard
        One of the plan's charge boards.
    start_soc : float
        State of charge at which charging begins.

    Returns
    -------
    Charge
        A course for the console off and one for play.

    References
    ----------
    .. [1] G. L. Plett, Battery Management Systems, vol. I, Artech House, 2015, ch. 7.
    """
    supply = op.plan.by_id[board.supply]
    assert isinstance(supply, Supply)
    off = _course(op, board, supply, start_soc, playing=False)
    return Charge(board=board, supply=supply, off=off, play=_course(op, board, supply, start_soc, playing=True))


def _course(op: Operating, board: ChargeBoard, supply: Supply, start_soc: float, *, playing: bool) -> ChargeCourse:
    index = op.network.packs.index(board.charges)
    pack = op.plan.packs[index]
    curves = pack_curves(pack, RISING)
    source_v, source_ohm = supply.voltage_v.likely, supply.cable_ohm.likely + supply.own_resistance_ohm.likely
    limit_a = supply.current_limit_a.likely
    charge_a, input_a, system_a = (np.zeros(RISING.shape) for _ in range(3))
    bus_v = np.full(RISING.shape, source_v)
    carried = np.ones(RISING.shape, dtype=bool)
    console: _Console | None = None
    if playing and board.layout == "power_path":
        console = _console(op, index, board.path_resistance_ohm.likely, 0.5 * source_v, source_v)
    elif playing and board.layout == "on_cell":
        top_v = pack.cell.full_v * pack.series * 1.02
        console = _console(op, index, 0.0, min(0.5 * top_v, float(curves.ocv_v[0])), top_v)
    for _ in range(ROUNDS):
        if console is not None:
            feed_v = bus_v if board.layout == "power_path" else curves.ocv_v + (charge_a - system_a) * curves.steady_ohm
            system_a, carried = console.at(feed_v)
        on_bus = system_a if board.layout == "power_path" else np.zeros(RISING.shape)
        bus_v = source_v - source_ohm * (input_a + on_bus)
        charge_a, input_a, held = _current(board, pack, op.plan.brief.room_c, curves, bus_v, limit_a - on_bus)
    into_pack = charge_a - (system_a if board.layout == "on_cell" else 0.0)
    # The charger watches its own current; a console on the cell keeps taking, so that current may never fall far enough.
    done = np.flatnonzero((charge_a <= board.termination_a.likely) & (held == 3))
    never_ends = board.layout == "on_cell" and playing and bool((system_a[-1:] >= board.termination_a.likely).any())
    end = int(done[0]) if done.size else len(RISING) - 1
    end_soc = _crossing(charge_a, end, board.termination_a.likely) if done.size else 1.0
    within = (start_soc <= RISING) & (end_soc >= RISING)
    why = ""
    if playing and board.layout == "cut_out":
        why = "The console is off while it charges: its layout cuts it out."
    elif not bool(carried[within].all()):
        why = "The supply cannot carry the console at this load."
    elif never_ends:
        why = f"The charger never sees its {board.termination_a.likely:.2f} A: the console on the cell keeps drawing."
    elif (into_pack[within & (end_soc - 0.01 > RISING)] <= 0.0).any():
        why = "The console takes all that the supply gives; nothing is left for the pack."
    hours, elapsed_h = _elapsed(into_pack, start_soc, end_soc, curves.capacity_ah)
    return ChargeCourse(
        hours=None if why else hours,
        why=why,
        start_soc=start_soc,
        end_soc=end_soc,
        soc=RISING,
        current_a=into_pack,
        cell_v=curves.ocv_v + into_pack * curves.steady_ohm,
        elapsed_h=elapsed_h,
        system_a=system_a,
        bus_v=bus_v,
        limit=held,
    )


def _crossing(current: Array, end: int, termination_a: float) -> float:
    """State of charge at which the falling current meets the termination current, between two points."""
    if end == 0:
        return float(RISING[0])
    before, after = current[end - 1], current[end]
    share = np.clip((before - termination_a) / max(before - after, 1e-12), 0.0, 1.0)
    return float(RISING[end - 1] + share * (RISING[end] - RISING[end - 1]))


@dataclass(frozen=True, slots=True)
class _Console:
    """Current the console takes in play over the volts at its input, and whether it can be carried there."""

    volts: Array
    amps: Array
    carried: Array

    def at(self, volts: Array) -> tuple[Array, NDArray[np.bool_]]:
        return np.interp(volts, self.volts, self.amps), np.interp(volts, self.volts, self.carried) > 0.99


def _console(op: Operating, index: int, series_ohm: float, low_v: float, high_v: float) -> _Console:
    """The console in play, solved once over a range of input volts; between the points it is read by straight lines."""
    volts = np.linspace(low_v, high_v, 33)
    draws = draws_of(op.network.loads, "play")
    ocv = np.stack([np.interp(0.5, c.soc[::-1], c.ocv_v[::-1]) * np.ones(volts.shape) for c in op.curves], -1)
    ohm = np.stack([np.interp(0.5, c.soc[::-1], c.steady_ohm[::-1]) * np.ones(volts.shape) for c in op.curves], -1)
    ocv[:, index], ohm[:, index] = volts, series_ohm
    rows = Draws(power_w=draws.power_w[None], current_a=draws.current_a[None], conductance_s=draws.conductance_s[None])
    flow = solve(op.network, ocv, ohm, rows)
    return _Console(volts, np.where(flow.collapsed, 0.0, flow.pack_a(index)), (~flow.collapsed).astype(float))


def _current(board: ChargeBoard, pack: Pack, room_c: float, curves: PackCurves, bus_v: Array,
             left_a: Array) -> tuple[Array, Array, NDArray[np.int_]]:  # fmt: skip
    """Current into the pack, current from the bus, and which limit holds, over the grid."""
    left = np.maximum(left_a, 0.0)
    r = np.maximum(curves.steady_ohm, 1e-6)
    float_v = pack.cell.full_v * pack.series
    by_float = np.maximum((float_v - curves.ocv_v) / r, 0.0)
    guess_v = np.minimum(curves.ocv_v + board.current_a.likely * r, float_v)
    if board.kind == "switching":
        # Power left on the bus, less the charger's loss, into the pack's terminals: the root of r·I² + OCV·I = P.
        power = np.maximum(bus_v, 0.0) * left * board.efficiency.likely
        by_supply = 2.0 * power / (curves.ocv_v + np.sqrt(curves.ocv_v**2 + 4.0 * r * power))
    else:
        # A linear charger needs the bus above the pack.
        by_supply = np.minimum(left, np.maximum((bus_v - curves.ocv_v) / r, 0.0))
    set_a = np.full(RISING.shape, board.current_a.likely)
    by_warmth = np.full(RISING.shape, np.inf)
    if board.kind == "linear" and board.thermal_k_per_w is not None and board.thermal_k_per_w.likely > 0:
        burnt_v = np.maximum(bus_v - guess_v, 1e-3)
        by_warmth = np.maximum(board.foldback_c - room_c, 0.0) / (board.thermal_k_per_w.likely * burnt_v)
    pre = np.full(RISING.shape, np.inf)
    if board.precharge_a is not None:
        pre = np.where(curves.ocv_v < board.precharge_below_v * pack.series, board.precharge_a.likely, np.inf)
    limits = np.stack([set_a, by_supply, by_warmth, by_float, pre])
    held = limits.argmin(axis=0)
    amps = limits.min(axis=0)
    if board.kind == "switching":
        input_a = amps * (curves.ocv_v + amps * r) / (board.efficiency.likely * np.maximum(bus_v, 0.1))
    else:
        input_a = amps
    return amps, input_a, held


def _elapsed(current_a: Array, start: float, end: float, capacity_ah: float) -> tuple[float, Array]:
    """Hours from start to end, and over the grid (0 before the start)."""
    pace = capacity_ah / np.maximum(current_a, 1e-6)
    total = np.concatenate([[0.0], np.cumsum(np.diff(RISING) * 0.5 * (pace[1:] + pace[:-1]))])
    since = total - np.interp(start, RISING, total)
    return float(np.interp(end, RISING, since)), np.maximum(since, 0.0)
