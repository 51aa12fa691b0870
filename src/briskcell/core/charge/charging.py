"""How long a store takes to fill, with the console off and in play."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from briskcell.core.charge.constant_voltage import TAIL_STEPS, tail
from briskcell.core.charge.current_split import BY_FLOAT, LIMITS, Terms, balance
from briskcell.core.charge.supplied import given_v, gives_nothing, taken_a
from briskcell.core.engine.input_curve import Console, console_curve
from briskcell.core.engine.operating import Operating
from briskcell.core.engine.resistance import link_resistance_ohm
from briskcell.core.engine.sources import diffusion_s, pulse_fall_ohm, store_curves
from briskcell.core.heat.case import AIR_OVER_SKIN, case_conductance
from briskcell.model.parts import STATES, Link
from briskcell.model.plan import Plan, Store
from briskcell.model.stores import Bank, Capacitor, ChargeBoard, Pack, Supply
from briskcell.model.tree import charged_through, layout_of

Array = NDArray[np.float64]
RISING = np.linspace(0.0, 1.0, 101)
APART = 0.05  # of the charge, by which cells in series differ before they are balanced; a guess on the safe side
OVER_V = 0.05  # past its full volts that still count as a cell's own: tolerance of charge boards is 1 % and less
UNHELD_A = 1e3  # of a source that gives whatever it is asked for
BALANCE_A = 0.05  # of the passive balancers on small boards that state none; typical


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
    ocv_v: Array
    elapsed_h: Array
    system_a: Array
    bus_v: Array
    limit: NDArray[np.int_]
    balance_h: float | None = 0.0

    @property
    def held(self) -> tuple[tuple[str, float, float], ...]:
        """What holds the current down, from which to which state of charge, in order."""
        out: list[tuple[str, float, float]] = []
        for k in np.flatnonzero((self.soc >= self.start_soc - 1e-9) & (self.soc <= self.end_soc + 1e-9)):
            words, at = LIMITS[int(self.limit[k])], float(self.soc[k])
            out.append((words, out.pop()[1] if out and out[-1][0] == words else at, at))
        return tuple(out)


@dataclass(frozen=True, slots=True, kw_only=True)
class Charge:
    """Filling one store by one board: with the console off, and in play."""

    board: ChargeBoard
    supply: Supply
    store: Store
    off: ChargeCourse
    play: ChargeCourse


def charge(op: Operating, board: ChargeBoard, start_soc: float = 0.0, by: Supply | None = None) -> Charge:
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
    by : Supply, optional
        Another supply than the board's own.

    Returns
    -------
    Charge
        A course for the console off and one for play.

    References
    ----------
    .. [1] G. L. Plett, Battery Management Systems, vol. I, Artech House, 2015, ch. 7.
    """
    supply = by or op.plan.by_id[board.supply]
    assert isinstance(supply, Supply)
    index = op.network.stores.index(board.charges)
    path = ChargePath(op, board, supply, index)
    off = path.course(start_soc, playing=False)
    return Charge(board=board, supply=supply, store=op.plan.stores[index], off=off, play=path.course(start_soc, playing=True))


def input_ohm(plan: Plan, board: ChargeBoard, by: Supply | None = None) -> float:
    """Resistance from a supply's ideal source to a charge board: its own, its cable's, and the links between.

    Parameters
    ----------
    plan : Plan
        The build.
    board : ChargeBoard
        One of its charge boards.
    by : Supply, optional
        Another supply than the board's own, with its own cable.

    Returns
    -------
    float
        Resistance of the whole path. [Ω]
    """
    supply = by or plan.by_id[board.supply]
    assert isinstance(supply, Supply)
    return sum(ohm for _, ohm in way_in(plan, board, supply))


def way_in(plan: Plan, board: ChargeBoard, supply: Supply) -> list[tuple[str, float]]:
    """Elements from a supply's ideal source to a charge board, and their resistance.

    Parameters
    ----------
    plan : Plan
        The build.
    board : ChargeBoard
        One of its charge boards.
    supply : Supply
        What feeds it.

    Returns
    -------
    list of tuple of str and float
        The supply with its cable first, then the links. [Ω]
    """
    links: list[tuple[str, float]] = []
    at = board.fed_by
    while at is not None and isinstance(link := plan.by_id[at], Link):
        links.append((link.id, link_resistance_ohm(link)))
        at = link.fed_by
    return [(supply.id, supply.own_resistance_ohm.likely + supply.cable_ohm.likely), *reversed(links)]


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


def end_v(board: ChargeBoard, store: Store) -> float:
    """Voltage at which a board ends the charge of a store.

    Parameters
    ----------
    board : ChargeBoard
        Says its end volts a cell and the cells in series it is made for; where it does not, the store's own are taken.
    store : Pack, Capacitor or Bank
        The store.

    Returns
    -------
    float
        Volts at the store's terminals.
    """
    if not isinstance(store, Pack) or board.end_v is None:
        return float_v(store)
    made_for = min(board.cells or (store.series,), key=lambda n: abs(n - store.series))
    return board.end_v.likely * made_for


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
        self.curves = store_curves(self.store, RISING, op.plan.brief.charging_c)
        if isinstance(self.store, Pack) and self.diffusion_s > 0:
            # The fall of a minute's pulse is part of what diffusion makes of the voltage: it is not counted twice.
            fall = self.store.series * pulse_fall_ohm(self.store.cell, RISING) / max(self.store.parallel, len(self.store.strings))
            self.curves = replace(self.curves, slow_ohm=np.maximum(self.curves.slow_ohm - fall, 0.0))
        self.through_ohm = sum(link_resistance_ohm(k) for k in charged_through(op.plan, board) or ())
        if self.through_ohm:  # the board sees the cells at its own pads
            self.curves = replace(self.curves, fast_ohm=self.curves.fast_ohm + self.through_ohm)
        self.layout = layout_of(op.plan, board)
        self.float_v = end_v(board, self.store)
        self._consoles: dict[str, Console | None] = {}  # by load state, once asked
        self.source_v, self.source_ohm = given_v(board, supply), input_ohm(op.plan, board, supply)

    def course(self, start_soc: float, *, playing: bool) -> ChargeCourse:
        """The whole charge."""
        if isinstance(self.store, Bank):
            return self._bank(self.store, start_soc, playing=playing)
        charge_a, _, system_a, bus_v, carried, held = self.balance("play" if playing else None)
        if self.layout == "on_cell":
            charge_a = charge_a - system_a
        why = self._why_not(start_soc, charge_a, system_a, carried, held, playing=playing)
        return self._timed(start_soc, charge_a, system_a, bus_v, held, why)

    def balance(
        self, state: str | None, *, unheld: bool = False
    ) -> tuple[Array, Array, Array, Array, NDArray[np.bool_], NDArray[np.int_]]:
        """Charger's current, its input's, the console's, bus volts, what is carried, and what holds, over the grid.

        ``state`` is the console's load state, None while it is off; ``unheld`` asks what it would take of a source that gives all.
        """
        console = self._console(state) if state else None
        console = console or Console(*(np.zeros(0) for _ in range(3)))
        terms = self.terms._replace(supply_a=UNHELD_A, source_ohm=0.0) if unheld else self.terms
        if state and self.layout != "cut_out":  # the charger folds back from the air that the console has warmed
            play_w = float(np.median(self.op.load_w[STATES.index(state)].sum(axis=-1)))
            terms = terms._replace(room_k=max(terms.room_k - self.case_k_per_w * play_w, 0.0))
        rows, held = balance(
            terms,
            self.curves.ocv_v,
            self.curves.steady_ohm,
            self.diffusion_ohm,
            console.volts,
            console.watts,
            console.carried,
        )
        charge_a, input_a, system_a, bus_v, carried = rows
        return charge_a, input_a, system_a, bus_v, carried > 0.99, held

    def helps(self, state: str | None) -> tuple[Array, Array]:
        """What the store adds where a power path's supply cannot carry the console, over ``RISING``, and the volts it is fed with.

        The supply gives all it can; the bus falls to the store, and what is missing comes out of it. A switching board turns the
        supply's watts into amperes at those volts, a linear one passes its amperes.

        Parameters
        ----------
        state : str or None
            Load state of the console, None while it is off.

        Returns
        -------
        tuple of ndarray
            Amperes out of the store, none where the supply carries all, and volts of the bus there. [A], [V]
        """
        none = np.zeros(RISING.shape)
        if state is None or self.layout != "power_path":
            return none, none
        limit, ocv = self.terms.supply_a, self.curves.ocv_v
        short = self.balance(state)[2] > limit
        if not short.any():
            return none, none
        path, own = self.console_ohm, self.curves.steady_ohm + self.op.network.path_ohm(self.index)
        grid = np.linspace(0.5 * float(ocv.min()), 1.02 * float(ocv.max()), 41)
        console, watts_in = console_curve(self.op, self.index, path, grid, state), limit * (self.source_v - limit * self.source_ohm)
        out, volts = none, ocv
        for _ in range(12):
            given = self.board.efficiency.likely * watts_in / volts if self.terms.switching else np.full(volts.shape, limit)
            out = np.maximum(console.at(volts)[0] - given, 0.0)
            volts = ocv - own * out
        return np.where(short, out, 0.0), np.where(short, volts, 0.0)

    def input_a(self, *, unheld: bool = False, peaks: bool = True) -> float:
        """The most that flows in from the supply, with the console off, in play or, where asked, at its peak. [A]"""
        if isinstance(self.store, Bank):
            return self.store.charge_w.likely / max(self.source_v, 0.1)
        most = 0.0
        states = (None, "play", "peak") if peaks else (None, "play")
        for state in states if self.layout == "power_path" else (None,):
            _, own, console, _, _, _ = self.balance(state, unheld=unheld)
            most = max(most, float((own + (console if self.layout == "power_path" else 0.0)).max(initial=0.0)))
        return most if unheld else min(most, self.terms.supply_a)

    @property
    def console_ohm(self) -> float:
        """What lies between where a charging board feeds the console and the console's tree, counted from the store: less what that
        tree counts before it. [Ω]"""
        bus = self.board.path_resistance_ohm.likely - self.op.network.path_ohm(self.index) if self.layout == "power_path" else 0.0
        return bus - self.through_ohm

    @cached_property
    def terms(self) -> Terms:
        """The path's figures, for the compiled loop."""
        board, pack = self.board, self.store if isinstance(self.store, Pack) else None
        thermal = board.thermal_k_per_w.likely if board.kind == "linear" and board.thermal_k_per_w is not None else 0.0
        pre = board.precharge_a if pack else None
        return Terms(
            source_v=self.source_v,
            source_ohm=self.source_ohm,
            supply_a=taken_a(board, self.supply),
            set_a=board.current_a.likely,
            float_v=self.float_v,
            switching=board.kind != "linear",
            efficiency=board.efficiency.likely,
            room_k=max(board.foldback_c - self.op.plan.brief.room_c, 0.0),
            thermal_k_per_w=thermal + self.case_k_per_w if thermal else 0.0,
            precharge_v=board.precharge_below_v * pack.series if pack else 0.0,
            precharge_a=pre.likely if pre else math.inf,
            on_bus=self.layout == "power_path",
        )

    @cached_property
    def case_k_per_w(self) -> float:
        """What a watt lost inside warms the air around the charger by, once the case has settled, on a table. [K/W]"""
        return AIR_OVER_SKIN / case_conductance(self.op.plan.case)

    def _console(self, state: str) -> Console | None:
        if state not in self._consoles:
            self._consoles[state] = self._solved(state)
        return self._consoles[state]

    def _solved(self, state: str) -> Console | None:
        if self.layout == "power_path":
            volts = np.linspace(0.7 * self.source_v, self.source_v, 13)
            return console_curve(self.op, self.index, self.console_ohm, volts, state)
        if self.layout == "on_cell":
            top = self.float_v * 1.02
            volts = np.linspace(min(0.6 * top, float(self.curves.ocv_v[0])), top, 13)
            return console_curve(self.op, self.index, self.console_ohm, volts, state)
        return None

    def _why_not(
        self, start: float, into: Array, system_a: Array, carried: NDArray[np.bool_], held: NDArray[np.int_], *, playing: bool
    ) -> str:
        board = self.board
        if isinstance(self.store, Pack) and not self.store.cell.rechargeable:
            return f"{self.store.cell.name} must not be charged."
        if isinstance(self.store, Pack) and self.float_v > self.store.series * (self.store.cell.full_v + OVER_V):
            return (
                f"{board.name} would drive each cell to {self.float_v / self.store.series:.2f} V; it is full at "
                f"{self.store.cell.full_v:.2f} V."
            )
        if gives_nothing(board, self.supply):
            return f"{self.supply.name} gives nothing: it waits for two resistors of 5.1 kΩ, and the socket has none."
        if board.kind != "step_up" and self.source_v < self.float_v:
            gives = f"{self.supply.name} gives {self.source_v:.2f} V"
            return f"{gives}; the pack is full at {self.float_v:.2f} V, and this board steps down."
        if playing and self.layout == "cut_out":
            return "The console is off while it charges: its layout cuts it out."
        within = (start <= RISING) & (held != BY_FLOAT)
        if not bool(carried[start <= RISING].all()):
            return "The supply cannot carry the console at this load."
        if playing and self.layout == "on_cell" and bool((system_a[-1:] >= board.termination_a.likely).any()):
            return f"The charger never sees its {board.termination_a.likely:.2f} A: the console on the cell keeps drawing."
        if (into[within] <= 1e-6).any() or (not within.any() and into.max() <= 1e-6):
            if playing:
                return "The console takes all that the supply gives; nothing is left for the pack."
            return "The supply's volts are too low to push a current into a full store."
        return ""

    @cached_property
    def diffusion_s(self) -> float:
        """Time of diffusion of the store's cells; 0 of what has none. [s]"""
        if not isinstance(self.store, Pack):
            return 0.0
        return max(diffusion_s(c) for c in self.store.string_cells)

    @cached_property
    def diffusion_ohm(self) -> Array:
        """What diffusion adds to the steady resistance at the set current: the surface is ``I·τ/Q`` ahead of the inside. Held
        against a full physics model, C.-H. Chen et al., J. Electrochem. Soc. 167, 080534, 2020, at 0.2 C and half C. [Ω]"""
        amps = self.board.current_a.likely
        ahead = amps * self.diffusion_s / (3600.0 * max(self.curves.capacity_ah, 1e-9))
        return np.asarray((self._open_v(RISING + min(ahead, 0.5)) - self.curves.ocv_v) / amps)

    def _open_v(self, soc: Array) -> Array:
        """Open-circuit voltage, going on past full with its last slope."""
        last = (self.curves.ocv_v[-1] - self.curves.ocv_v[-4]) / (RISING[-1] - RISING[-4])
        return np.asarray(np.interp(soc, RISING, self.curves.ocv_v) + np.maximum(soc - 1.0, 0.0) * last)

    def _timed(self, start: float, into: Array, system_a: Array, bus_v: Array, held: NDArray[np.int_], why: str) -> ChargeCourse:
        """Hours along the grid until the float voltage holds, then the tail stepped in time."""
        tail_at = np.flatnonzero((held == BY_FLOAT) & (start <= RISING))
        first = float(RISING[tail_at[0]]) if tail_at.size else 1.0
        if tail_at.size and tail_at[0] > 0 and first > start:
            # Between two grid points the float voltage takes over where its line crosses the other limit's.
            k = int(tail_at[0])
            others, r = into[k - 1], self.curves.steady_ohm + self.diffusion_ohm
            gap = self.float_v - self.curves.ocv_v - others * r
            if gap[k - 1] > 0 > gap[k]:
                first = float(RISING[k - 1] + (RISING[k] - RISING[k - 1]) * gap[k - 1] / (gap[k - 1] - gap[k]))
        body = np.concatenate([[start], RISING[(start < RISING) & (first > RISING)], [max(first, start)]])
        amps = np.interp(body, RISING, into)
        amps[-1] = amps[-2] if len(amps) > 1 and tail_at.size else amps[-1]
        pace = self.curves.capacity_ah / np.maximum(amps, 1e-6)
        hours = np.concatenate([[0.0], np.cumsum(np.diff(body) * 0.5 * (pace[1:] + pace[:-1]))])
        if tail_at.size:
            drawn = float(system_a[-1]) if self.layout == "on_cell" else 0.0
            end_a = max(self.board.termination_a.likely - drawn, 1e-4)
            grid = np.linspace(float(body[-1]), 1.0, TAIL_STEPS + 1)
            step = grid[1] - grid[0]
            further = self._open_v(grid[0] + step * np.arange(2 * len(grid) + 60))
            ohm = np.maximum(np.interp(grid, RISING, self.curves.steady_ohm), 1e-6)
            ah, lag_s, most_a = self.curves.capacity_ah, self.diffusion_s, float(into.max())
            tail_soc, tail_a, tail_h = tail(grid, further, self.float_v, ohm, ah, lag_s, float(amps[-1]), most_a, end_a)
            body, amps = np.concatenate([body, tail_soc]), np.concatenate([amps, tail_a])
            hours = np.concatenate([hours, hours[-1] + tail_h])
        ocv, r = (np.interp(body, RISING, a) for a in (self.curves.ocv_v, self.curves.steady_ohm + self.diffusion_ohm))
        near = np.clip(np.searchsorted(RISING, body, side="right") - 1, 0, len(RISING) - 1)
        limit = held[near]
        limit[len(body) - (len(tail_soc) if tail_at.size else 0) :] = BY_FLOAT
        return ChargeCourse(
            hours=None if why else float(hours[-1]),
            why=why,
            start_soc=start,
            end_soc=float(body[-1]),
            soc=body,
            current_a=amps,
            ocv_v=ocv,
            cell_v=np.minimum(ocv + amps * r, self.float_v),
            elapsed_h=hours,
            system_a=np.interp(body, RISING, system_a),
            bus_v=np.interp(body, RISING, bus_v),
            limit=limit,
            balance_h=self._balance_h(),
        )

    def _bank(self, bank: Bank, start: float, *, playing: bool) -> ChargeCourse:
        """A bank fills with the power its input takes, whatever the board before it could give."""
        power = min(bank.charge_w.likely, self.source_v * taken_a(self.board, self.supply))
        why = "" if bank.output_while_charging or not playing else f"{bank.name} cuts its output while it charges."
        hours = bank.cells_wh.likely * (1.0 - start) / (power * bank.efficiency.likely)
        line, none = np.array([start, 1.0]), np.zeros(2)
        amps = np.full(2, power / bank.output_v.likely)
        volts = np.full(2, bank.output_v.likely)
        return ChargeCourse(
            hours=None if why else hours,
            why=why,
            start_soc=start,
            end_soc=1.0,
            soc=line,
            current_a=amps,
            cell_v=volts,
            ocv_v=volts,
            elapsed_h=np.array([0.0, hours]),
            system_a=none,
            bus_v=np.full(2, self.source_v),
            limit=np.ones(2, dtype=int),
        )

    def _balance_h(self) -> float | None:
        """Hours to bring cells in series together that differ by a twentieth of their charge: ``ΔQ / I_bal``."""
        if not isinstance(self.store, Pack) or self.store.series == 1:
            return 0.0
        amps = sum(b.balance_a.likely for b in self.op.plan.balancers if b.charges == self.store.id)
        if not self.board.balancing and not amps:
            return None
        amps += (self.board.balance_a.likely if self.board.balance_a else BALANCE_A) if self.board.balancing else 0.0
        return APART * self.curves.capacity_ah / max(amps, 1e-6)


BANK_PATH = 0.85  # of a charger or power path between a bank and the pack: 0.88 to 0.93 of the charger, less its path; typical


def hours_added(bank: Bank, mean_w: float, path_efficiency: float = BANK_PATH) -> float:
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
