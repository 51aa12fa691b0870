"""How long a store takes to fill, with the console off and in play."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.model.parts import Link
from briskcell.model.plan import Plan, Store
from briskcell.model.stores import Bank, Capacitor, ChargeBoard, Pack, Supply

from .network import Draws, draws_of
from .operating import Operating
from .stores import store_curves
from .sweep import solve
from .wiring import link_resistance_ohm

Array = NDArray[np.float64]
RISING = np.linspace(0.0, 1.0, 101)
ROUNDS = 7  # in which the bus voltage, the charge current and the console settle; each gains a digit
ALONE = 3  # rounds without a console
# The slow branch of a charging cell: diffusion that a minute's pulse does not show. Held against a full physics model
# (C.-H. Chen et al., J. Electrochem. Soc. 167, 080534, 2020) at 0.2 C and half C.
DIFFUSION_SHARE = 0.55  # of the steady resistance
DIFFUSION_S = 500.0
TAIL_STEPS = 60
LIMITS = ("the set current", "what the supply leaves", "the charger's warmth", "the float voltage", "the pre-charge")
BY_FLOAT = 3


@dataclass(frozen=True, slots=True, kw_only=True)
class ChargeCourse:
    """One charge from ``start_soc`` until it ends, or ``hours`` None with the reason why it never does.

    Arrays run over ``soc``; ``limit`` names for each point what holds the current down. ``balance_h`` is the time to
    even out cells in series that differ by a twentieth, 0 without need, None where nothing balances.
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
    balance_h: float | None = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Charge:
    """Filling one store by one board: with the console off, and in play."""

    board: ChargeBoard
    supply: Supply
    store: Store
    off: ChargeCourse
    play: ChargeCourse


def charge(op: Operating, board: ChargeBoard, start_soc: float = 0.0) -> Charge:
    """Charge a store with constant current, then constant voltage, over its states of charge.

    ``I = min(I_set, what the supply leaves, thermal fold-back, (V_float − OCV)/r)``; pre-charge below its threshold;
    it ends when the constant-voltage current has fallen to the termination current [1]_. The constant-voltage tail is
    stepped in time, with diffusion as a second, slower branch.

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
    index = op.network.stores.index(board.charges)
    path = ChargePath(op, board, supply, index)
    off = path.course(start_soc, playing=False)
    return Charge(board=board, supply=supply, store=op.plan.stores[index], off=off, play=path.course(start_soc, playing=True))


def input_ohm(plan: Plan, board: ChargeBoard) -> float:
    """Resistance from a supply's ideal source to a charge board: its own, its cable's, and the links between.

    Parameters
    ----------
    plan : Plan
        The build.
    board : ChargeBoard
        One of its charge boards.

    Returns
    -------
    float
        Resistance of the whole path. [Ω]
    """
    supply = plan.by_id[board.supply]
    assert isinstance(supply, Supply)
    total, at = supply.cable_ohm.likely + supply.own_resistance_ohm.likely, board.fed_by
    while at is not None and isinstance(link := plan.by_id[at], Link):
        total += link_resistance_ohm(link)
        at = link.fed_by
    return total


def float_v(store: Store) -> float:
    """Voltage at which a store is full.

    Parameters
    ----------
    store : Pack, Capacitor or Bank
        The store.

    Returns
    -------
    float
        Volts at its terminals.
    """
    if isinstance(store, Pack):
        return store.cell.full_v * store.series
    return store.full_v if isinstance(store, Capacitor) else store.output_v.likely


@dataclass(frozen=True, slots=True)
class Console:
    """What the console takes over the volts at its input, and whether it can be carried there.

    Power changes little with volts, so between the points it is power that is read by straight lines.
    """

    volts: Array
    watts: Array
    carried: Array

    def at(self, volts: Array) -> tuple[Array, NDArray[np.bool_]]:
        return np.interp(volts, self.volts, self.watts) / np.maximum(volts, 1e-3), np.interp(volts, self.volts, self.carried) > 0.99


def console_curve(op: Operating, index: int, series_ohm: float, volts: Array, state: str = "play") -> Console:
    """The console's current over the volts that feed it in a store's place.

    Parameters
    ----------
    op : Operating
        The solved build.
    index : int
        The store whose place is taken.
    series_ohm : float
        Resistance between those volts and the tree. [Ω]
    volts : ndarray, shape (n,)
        Rising volts to solve at; between them the curve is read by straight lines.
    state : str
        Load state.

    Returns
    -------
    Console
        Amperes, and whether the tree can be carried.
    """
    draws = draws_of(op.network.loads, state)
    middle = len(op.soc) // 2
    ocv = np.stack([np.full(volts.shape, c.ocv_v[middle]) for c in op.curves], -1)
    ohm = np.stack([np.full(volts.shape, c.steady_ohm[middle]) for c in op.curves], -1)
    ocv[:, index], ohm[:, index] = volts, series_ohm
    rows = Draws(power_w=draws.power_w[None], current_a=draws.current_a[None], conductance_s=draws.conductance_s[None])
    flow = solve(op.network, ocv, ohm, rows)
    lost = flow.lost[..., index]
    return Console(volts, volts * np.where(lost, 0.0, flow.store_a(index)), (~lost).astype(float))


class ChargePath:
    """From the socket to the store: what every course of one board shares.

    Parameters
    ----------
    op : Operating
        The solved build.
    board : ChargeBoard
        The board.
    supply : Supply
        What feeds it.
    index : int
        The store it fills.
    """

    def __init__(self, op: Operating, board: ChargeBoard, supply: Supply, index: int) -> None:
        self.op, self.board, self.supply, self.index = op, board, supply, index
        self.store = op.plan.stores[index]
        self.curves = store_curves(self.store, RISING, op.plan.brief.cells_c)
        self.float_v = float_v(self.store)
        self.source_v, self.source_ohm = supply.voltage_v.likely, input_ohm(op.plan, board)

    def course(self, start_soc: float, *, playing: bool) -> ChargeCourse:
        """The whole charge."""
        if isinstance(self.store, Bank):
            return self._bank(self.store, start_soc, playing=playing)
        charge_a, _, system_a, bus_v, carried, held = self.balance("play" if playing else None)
        if self.board.layout == "on_cell":
            charge_a = charge_a - system_a
        why = self._why_not(start_soc, charge_a, system_a, carried, held, playing=playing)
        return self._timed(start_soc, charge_a, system_a, bus_v, held, why)

    def balance(self, state: str | None) -> tuple[Array, Array, Array, Array, NDArray[np.bool_], NDArray[np.int_]]:
        """Charger's current, its input's, the console's, bus volts, what is carried, and what holds, over the grid.

        ``state`` is the console's load state, None while it is off.
        """
        board, curves = self.board, self.curves
        charge_a, input_a, system_a = (np.zeros(RISING.shape) for _ in range(3))
        bus_v = np.full(RISING.shape, self.source_v)
        carried = np.ones(RISING.shape, dtype=bool)
        console = self._console(state) if state else None
        held = np.zeros(RISING.shape, dtype=int)
        for _ in range(ALONE if console is None else ROUNDS):
            if console is not None:
                on_cell = curves.ocv_v + (charge_a - system_a) * curves.steady_ohm
                system_a, carried = console.at(bus_v if board.layout == "power_path" else on_cell)
            on_bus = system_a if board.layout == "power_path" else np.zeros(RISING.shape)
            before_v = bus_v
            bus_v = self.source_v - self.source_ohm * (input_a + on_bus)
            charge_a, input_a, held = self._current(bus_v, self.supply.current_limit_a.likely - on_bus)
            if np.abs(bus_v - before_v).max() < 1e-7:
                break
        return charge_a, input_a, system_a, bus_v, carried, held

    def _console(self, state: str) -> Console | None:
        if self.board.layout == "power_path":
            volts = np.linspace(0.7 * self.source_v, self.source_v, 13)
            return console_curve(self.op, self.index, self.board.path_resistance_ohm.likely, volts, state)
        if self.board.layout == "on_cell":
            top = self.float_v * 1.02
            return console_curve(self.op, self.index, 0.0, np.linspace(min(0.6 * top, float(self.curves.ocv_v[0])), top, 13), state)
        return None

    def _why_not(self, start: float, into: Array, system_a: Array, carried: NDArray[np.bool_], held: NDArray[np.int_],
                 *, playing: bool) -> str:  # fmt: skip
        board = self.board
        if isinstance(self.store, Pack) and not self.store.cell.rechargeable:
            return f"{self.store.cell.name} must not be charged."
        if playing and board.layout == "cut_out":
            return "The console is off while it charges: its layout cuts it out."
        within = (start <= RISING) & (held != BY_FLOAT)
        if not bool(carried[start <= RISING].all()):
            return "The supply cannot carry the console at this load."
        if playing and board.layout == "on_cell" and bool((system_a[-1:] >= board.termination_a.likely).any()):
            return f"The charger never sees its {board.termination_a.likely:.2f} A: the console on the cell keeps drawing."
        if (into[within] <= 1e-6).any() or (not within.any() and into.max() <= 1e-6):
            if playing:
                return "The console takes all that the supply gives; nothing is left for the pack."
            return "The supply's volts are too low to push a current into a full store."
        return ""

    def _current(self, bus_v: Array, left_a: Array) -> tuple[Array, Array, NDArray[np.int_]]:
        """Current into the store, current from the bus, and which limit holds, over the grid."""
        board, curves = self.board, self.curves
        left = np.maximum(left_a, 0.0)
        r = np.maximum(curves.steady_ohm, 1e-6)
        by_float = np.maximum((self.float_v - curves.ocv_v) / (r * (1.0 + self._slow_share())), 0.0)
        guess_v = np.minimum(curves.ocv_v + board.current_a.likely * r, self.float_v)
        if board.kind == "switching":
            # Power left on the bus, less the charger's loss, into the store's terminals: the root of r·I² + OCV·I = P.
            power = np.maximum(bus_v, 0.0) * left * board.efficiency.likely
            by_supply = 2.0 * power / np.maximum(curves.ocv_v + np.sqrt(curves.ocv_v**2 + 4.0 * r * power), 1e-9)
        else:
            # A linear charger needs the bus above the store.
            by_supply = np.minimum(left, np.maximum((bus_v - curves.ocv_v) / r, 0.0))
        limits = np.full((5, *RISING.shape), np.inf)
        limits[0], limits[1], limits[BY_FLOAT] = board.current_a.likely, by_supply, by_float
        if board.kind == "linear" and board.thermal_k_per_w is not None and board.thermal_k_per_w.likely > 0:
            burnt_v = np.maximum(bus_v - guess_v, 1e-3)
            room = max(board.foldback_c - self.op.plan.brief.room_c, 0.0)
            limits[2] = room / (board.thermal_k_per_w.likely * burnt_v)
        if board.precharge_a is not None and isinstance(self.store, Pack):
            low = curves.ocv_v < board.precharge_below_v * self.store.series
            limits[4] = np.where(low, board.precharge_a.likely, np.inf)
        held = limits.argmin(axis=0)
        amps = limits.min(axis=0)
        if board.kind == "switching":
            return amps, amps * (curves.ocv_v + amps * r) / (board.efficiency.likely * np.maximum(bus_v, 0.1)), held
        return amps, amps, held

    def _slow_share(self) -> float:
        return DIFFUSION_SHARE if isinstance(self.store, Pack) else 0.0

    def _timed(self, start: float, into: Array, system_a: Array, bus_v: Array, held: NDArray[np.int_], why: str) -> ChargeCourse:
        """Hours along the grid until the float voltage holds, then the tail stepped in time."""
        tail_at = np.flatnonzero((held == BY_FLOAT) & (start <= RISING))
        first = float(RISING[tail_at[0]]) if tail_at.size else 1.0
        if tail_at.size and tail_at[0] > 0 and first > start:
            # Between two grid points the float voltage takes over where its line crosses the other limit's.
            k = int(tail_at[0])
            others, r = into[k - 1], self.curves.steady_ohm * (1.0 + self._slow_share())
            gap = self.float_v - self.curves.ocv_v - others * r
            if gap[k - 1] > 0 > gap[k]:
                first = float(RISING[k - 1] + (RISING[k] - RISING[k - 1]) * gap[k - 1] / (gap[k - 1] - gap[k]))
        body = np.concatenate([[start], RISING[(start < RISING) & (first > RISING)], [max(first, start)]])
        amps = np.interp(body, RISING, into)
        amps[-1] = amps[-2] if len(amps) > 1 and tail_at.size else amps[-1]
        pace = self.curves.capacity_ah / np.maximum(amps, 1e-6)
        hours = np.concatenate([[0.0], np.cumsum(np.diff(body) * 0.5 * (pace[1:] + pace[:-1]))])
        if tail_at.size:
            tail_soc, tail_a, tail_h = self._tail(float(body[-1]), float(amps[-1]), into, system_a)
            body, amps = np.concatenate([body, tail_soc]), np.concatenate([amps, tail_a])
            hours = np.concatenate([hours, hours[-1] + tail_h])
        ocv, r = (np.interp(body, RISING, a) for a in (self.curves.ocv_v, self.curves.steady_ohm))
        near = np.clip(np.searchsorted(RISING, body, side="right") - 1, 0, len(RISING) - 1)
        limit = held[near]
        limit[len(body) - (len(tail_soc) if tail_at.size else 0) :] = BY_FLOAT
        return ChargeCourse(
            hours=None if why else float(hours[-1]), why=why, start_soc=start, end_soc=float(body[-1]), soc=body, current_a=amps,
            cell_v=np.minimum(ocv + amps * r * (1.0 + self._slow_share()), self.float_v), elapsed_h=hours,
            system_a=np.interp(body, RISING, system_a), bus_v=np.interp(body, RISING, bus_v), limit=limit,
            balance_h=self._balance_h(),
        )  # fmt: skip

    def _tail(self, soc: float, amps: float, into: Array, system_a: Array) -> tuple[Array, Array, Array]:
        """Constant voltage from here to the termination current, with diffusion relaxing behind the current."""
        most, share = float(into.max()), self._slow_share()
        drawn = float(system_a[-1]) if self.board.layout == "on_cell" else 0.0
        end = max(self.board.termination_a.likely - drawn, 1e-4)
        grid = np.linspace(soc, 1.0, TAIL_STEPS + 1)
        # Plain numbers: each step needs the one before, and sixty of them cost less than one array operation each.
        ohms = np.maximum(np.interp(grid, RISING, self.curves.steady_ohm), 1e-6).tolist()
        room = (self.float_v - np.interp(grid, RISING, self.curves.ocv_v)).tolist()
        charge_as = float(grid[1] - grid[0]) * self.curves.capacity_ah * 3600.0
        lag, elapsed_s = share * amps * ohms[0], 0.0
        socs, currents, clock = [], [], []
        for k in range(1, TAIL_STEPS + 1):
            now = min((room[k] - lag) / ohms[k], most)
            mean = 0.5 * (max(now, end) + amps)
            step_s = charge_as / mean
            lag += (1.0 - math.exp(-step_s / DIFFUSION_S)) * (share * ohms[k] * mean - lag)
            now = min((room[k] - lag) / ohms[k], most)
            if now <= end:
                part = min(max((amps - end) / max(amps - now, 1e-12), 0.0), 1.0)
                socs.append(float(grid[k - 1] + part * (grid[k] - grid[k - 1])))
                currents.append(end)
                clock.append((elapsed_s + part * charge_as / (0.5 * (amps + end))) / 3600.0)
                break
            elapsed_s += step_s
            amps = now
            socs.append(float(grid[k]))
            currents.append(amps)
            clock.append(elapsed_s / 3600.0)
        return np.array(socs), np.array(currents), np.array(clock)

    def _bank(self, bank: Bank, start: float, *, playing: bool) -> ChargeCourse:
        """A bank fills with the power its input takes, whatever the board before it could give."""
        power = min(bank.charge_w.likely, self.source_v * self.supply.current_limit_a.likely)
        why = "" if bank.output_while_charging or not playing else f"{bank.name} cuts its output while it charges."
        hours = bank.cells_wh.likely * (1.0 - start) / (power * bank.efficiency.likely)
        line, none = np.array([start, 1.0]), np.zeros(2)
        amps = np.full(2, power / bank.output_v.likely)
        return ChargeCourse(
            hours=None if why else hours, why=why, start_soc=start, end_soc=1.0, soc=line, current_a=amps,
            cell_v=np.full(2, bank.output_v.likely), elapsed_h=np.array([0.0, hours]), system_a=none,
            bus_v=np.full(2, self.source_v), limit=np.ones(2, dtype=int),
        )  # fmt: skip

    def _balance_h(self) -> float | None:
        """Hours to bring cells in series together that differ by a twentieth of their charge: ``ΔQ / I_bal``."""
        if not isinstance(self.store, Pack) or self.store.series == 1:
            return 0.0
        if not self.board.balancing:
            return None
        amps = self.board.balance_a.likely if self.board.balance_a else 0.05
        return 0.05 * self.curves.capacity_ah / max(amps, 1e-6)


def hours_added(bank: Bank, mean_w: float, path_efficiency: float = 0.85) -> float:
    """Hours of play that a power bank adds when it feeds the charge socket.

    Parameters
    ----------
    bank : Bank
        Its cells' energy and its converter's efficiency.
    mean_w : float
        Mean power that play takes from the pack. [W]
    path_efficiency : float
        Of the charger or power path between.

    Returns
    -------
    float
        Hours; inf where nothing is drawn.

    Examples
    --------
    >>> from briskcell.model.stores import Bank
    >>> bank = Bank(id="b", name="bank", cells_wh=37, efficiency=0.85, output_v=5.0, output_limit_a=2.4)
    >>> round(hours_added(bank, 4.0), 2)
    6.68
    """
    return bank.cells_wh.likely * bank.efficiency.likely * path_efficiency / mean_w if mean_w > 0 else float("inf")
