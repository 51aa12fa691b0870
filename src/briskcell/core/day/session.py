"""A session in time: boot, play, pause, peaks, plugging in and out, with slow polarisation and a warming case."""

from __future__ import annotations

import math
from collections.abc import Sequence
from copy import copy
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.charge.charging import RISING, ChargePath
from briskcell.core.engine.evenly import Even
from briskcell.core.engine.input_curve import CARRIED, LEAST_V, Console, fed_at
from briskcell.core.engine.network import state_draws
from briskcell.core.engine.operating import Operating
from briskcell.core.engine.sources import StoreCurves, cold_factor, store_curves
from briskcell.core.heat.case import CAPACITY, case_conductance
from briskcell.core.pack.ending import board_stops, set_stops
from briskcell.model.parts import STATES, State
from briskcell.model.phases import Phase
from briskcell.model.plan import Store
from briskcell.model.stores import Bank, ChargeBoard, Pack, Supply
from briskcell.model.tree import layout_of

Array = NDArray[np.float64]
SETTLED_V = 1e-7  # between two turns, below which the console's volts stand
STEP_K = 20.0  # between two temperatures, to tell ohms that warm from those that do not


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

    The store is a charge, a fast resistance and one RC branch [1]_; the case one heat capacity. Cells and case begin at the
    temperature that the runtime is worked out at, and the room stays there. What the console takes over the store's volts is
    solved once for all states, and read along the way, with the stops that boards and parts set. Booting draws as a peak does.

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
        Sampled at the start of every step and at the end of every phase.

    References
    ----------
    .. [1] G. L. Plett, Battery Management Systems, vol. I, Artech House, 2015, ch. 2.
    """
    course = Course(op, store, start_soc)
    rows: list[tuple[float, float, float, float, float]] = []
    for phase in phases:
        left = phase.seconds
        while True:
            now = course.at(phase)
            if not course.ended:
                rows.append((course.clock_s, course.soc, now.store_v, now.store_a, course.case_c))
            if course.ended or left <= 1e-9:
                break
            dt = min(step_s, left)
            course.pass_time(now, dt)
            left -= dt
        if course.ended:
            break
    table = np.array(rows) if rows else np.zeros((0, 5))
    return Session(
        time_s=table[:, 0], soc=table[:, 1], store_v=table[:, 2], store_a=table[:, 3], case_c=table[:, 4], ended=course.ended
    )


@dataclass(frozen=True, slots=True)
class Now:
    """What flows at one moment: the store's volts and current, what the console takes, and the heat made."""

    store_v: float
    store_a: float
    slow_ohm: float
    heat_w: float


class Course:
    """A store, its console and its case as they stand at one moment of a session; ``ended`` says why it is over.

    What flows is read from curves that are worked out once, for all courses that begin from one.
    """

    def __init__(self, op: Operating, store: int, soc: float = 1.0) -> None:
        self.part, self.room_c = op.plan.stores[store], op.plan.brief.cells_c
        self._begin(soc)
        self.grid = np.linspace(0.0, 1.0, 201)
        self.curves = store_curves(self.part, self.grid, self.room_c)
        cell = self.part.cell if isinstance(self.part, Pack) else None
        self.cold_b_k, self.slow_s = (cell.cold_b_k, cell.slow_s) if cell else (0.0, 1.0)
        self.fast, self.slow = warmed(self.part, self.curves, self.room_c)
        self.volts = np.linspace(0.4, 1.02, 97) * float(self.curves.ocv_v[-1])
        fed = Operating(op.plan, op.network, op.curves, fed_at(op, store, 1e-6, self.volts, state_draws(op.network)))
        lost, amps = fed.flow.lost[..., store], fed.flow.store_a(store)
        self.consoles = [Console(self.volts, self.volts * np.where(lost[s], 0, amps[s]), (~lost[s]).astype(float)) for s in State]
        self.stops = [list(board_stops(fed, store, [s])) for s in State]
        self.warned = next(iter(set_stops(fed, store)), None)
        self._cells = Even(self.grid, self.curves.ocv_v, *self.fast, *self.slow)
        self._takes = [Even(self.volts, c.watts, c.carried) for c in self.consoles]
        self._margins = [Even(self.volts, *(stop.margin for stop in stops)) for stops in self.stops]
        self.op, self.store = op, store
        self.board = next((b for b in op.plan.chargers if b.charges == self.part.id), None)
        self.layout = layout_of(op.plan, self.board) if self.board else ""
        self._chargers: dict[tuple[int, str | None], tuple[Supply | None, Even]] = {}
        self._mixes: dict[tuple[float, float, float], Even] = {}
        self.conductance, self.capacity = case_conductance(op.plan.case), op.plan.case.mass_g / 1e3 * CAPACITY

    def begun(self, soc: float) -> Course:
        """Another course of the same build, at its begin with some charge."""
        made = copy(self)
        made._begin(soc)
        return made

    def _begin(self, soc: float) -> None:
        self.stands = soc, 0.0, self.room_c, 0.0, 0.0

    def at(self, phase: Phase) -> Now:
        """What flows now; ``ended`` is set where a stop is met."""
        plugged = phase.plugged and self.board is not None
        off = phase.what == "off" or (plugged and self.layout == "cut_out")
        state = state_of(phase)
        warm = cold_factor(self.case_c, self.cold_b_k) / cold_factor(self.room_c, self.cold_b_k)
        ocv, *ohms = self._cells.at(self.soc)
        fast, slow = ohms[0] + warm * ohms[1], ohms[2] + warm * ohms[3]
        through = plugged and self.layout == "power_path"
        fed_as = None if off or not through else STATES[state]
        charge_a = self._charger(phase, fed_as).at(self.soc)[0] if plugged else 0.0
        drawn, at_v, carried = _draw(self._console(phase, state), ocv - self.slow_v, fast, charge_a, off=off)
        net = -charge_a if through else drawn - charge_a
        at_v = ocv - self.slow_v - net * fast
        if net > 0 and not off:
            self.ended = self._stop(state, at_v, net, carried=carried)
        elif not carried:
            self.ended = "the volts collapse"
        return Now(at_v, net, slow, drawn * at_v + net * net * (fast + slow))

    def _charger(self, phase: Phase, state: str | None) -> Even:
        """What the charger gives over the charge, worked out once for each supply and state of the console."""
        key = id(phase.by), state  # the supply is kept beside, so that no other is given its number
        if key not in self._chargers:
            assert self.board is not None
            self._chargers[key] = phase.by, Even(RISING, charger_gives(self.op, self.board, self.store, state, phase.by))
        return self._chargers[key][1]

    def _console(self, phase: Phase, state: State) -> Even:
        """Watts and whether they are carried over the volts that feed the console in a state, or the mean of a game's."""
        if phase.shares is None:
            return self._takes[state]
        if phase.shares not in self._mixes:
            watts = sum(w * c.watts for w, c in zip(phase.shares, self.consoles, strict=True))
            lasting = [c.carried for w, c in zip(phase.shares, self.consoles[: State.PEAK], strict=False) if w > 0]
            carried = np.min(lasting, axis=0) if lasting else self.consoles[State.PEAK].carried
            self._mixes[phase.shares] = Even(self.volts, np.asarray(watts), carried)
        return self._mixes[phase.shares]

    def _stop(self, state: State, at_v: float, net_a: float, *, carried: bool) -> str:
        """Why it ends at these volts, or nothing. The first that is met on the way down stands first."""
        if self.soc <= 0.0:
            return "the store is empty"
        if at_v < self.curves.cutoff_v:
            return f"the store cuts off at {self.curves.cutoff_v:.2f} V"
        if self.warned and state != State.PEAK and at_v < (self.op.plan.shutdown.warning_v or 0.0):
            return self.warned.words
        when = " at the peak" if state == State.PEAK else ""
        guard = self.part.protection if isinstance(self.part, Pack) else None
        if guard and net_a > guard.trip_a.likely:
            return f"the protection trips at {guard.trip_a.likely:.2f} A{when}"
        for stop, margin in zip(self.stops[state], self._margins[state].at(at_v), strict=True):
            if margin < 0:
                return stop.words + when
        if isinstance(self.part, Bank) and net_a < self.part.least_load_a.likely and self.idle_s >= self.part.off_after_s:
            return f"{self.part.name} switches itself off below {self.part.least_load_a.likely:.2f} A"
        return "" if carried else f"the volts collapse{when}"

    @property
    def stands(self) -> tuple[float, float, float, float, float]:
        """Where it stands, to come back to."""
        return self.soc, self.slow_v, self.case_c, self.clock_s, self.idle_s

    @stands.setter
    def stands(self, at: tuple[float, float, float, float, float]) -> None:
        self.soc, self.slow_v, self.case_c, self.clock_s, self.idle_s = at
        self.ended = ""

    def pass_time(self, now: Now, dt: float) -> None:
        """Let some seconds pass with what flows. [s]"""
        self.slow_v += (now.slow_ohm * now.store_a - self.slow_v) * (1.0 - math.exp(-dt / self.slow_s))
        self.soc = min(max(self.soc - now.store_a * dt / 3600.0 / self.curves.capacity_ah, 0.0), 1.0)
        settled = 1.0 - math.exp(-dt * self.conductance / self.capacity)
        self.case_c += (self.room_c + now.heat_w / self.conductance - self.case_c) * settled
        self.clock_s += dt
        idle = isinstance(self.part, Bank) and now.store_a < self.part.least_load_a.likely
        self.idle_s = self.idle_s + dt if idle else 0.0


def _draw(console: Even, source_v: float, fast: float, charge_a: float, *, off: bool) -> tuple[float, float, bool]:
    """Current of the console behind a resistance: the fixed point of ``I(V)`` and ``V = source − fast·I``."""
    if off:
        return 0.0, source_v, True
    volts = source_v + fast * charge_a
    amps = 0.0
    for _ in range(6):
        watts, carried = console.at(volts)
        if carried <= CARRIED:
            return 0.0, volts, False
        amps, before = watts / max(volts, LEAST_V), volts
        volts = source_v - fast * (amps - charge_a)
        if abs(volts - before) < SETTLED_V:
            break
    return amps, volts, volts > 0.0


def warmed(store: Store, cool: StoreCurves, room_c: float) -> tuple[tuple[Array, Array], tuple[Array, Array]]:
    """The fast and the slow ohms of a store, each as what stays as it is and what falls as its cells warm.

    Parameters
    ----------
    store : Pack, Capacitor or Bank
        The store.
    cool : StoreCurves
        Its curves over n states of charge, at the room's temperature.
    room_c : float
        Temperature at which the second of each pair is stated. [°C]

    Returns
    -------
    tuple of pairs of ndarray, each of shape (n,)
        Joints and protection beside cells. [Ω]
    """
    warm = store_curves(store, cool.soc, room_c + STEP_K)
    cold_b = store.cell.cold_b_k if isinstance(store, Pack) else 0.0
    fell = 1.0 - cold_factor(room_c + STEP_K, cold_b) / cold_factor(room_c, cold_b)

    def parted(at: Array, after: Array) -> tuple[Array, Array]:
        cells = (at - after) / fell if fell > 0 else np.zeros(at.shape)
        return at - cells, cells

    return parted(cool.fast_ohm, warm.fast_ohm), parted(cool.slow_ohm, warm.slow_ohm)


def state_of(phase: Phase) -> State:
    """The load state of a phase: a start draws as a peak does, and what is off would rest.

    Parameters
    ----------
    phase : Phase
        A stretch of a session.

    Returns
    -------
    State
        A row of solved arrays.
    """
    return State(STATES.index({"boot": "peak", "off": "rest"}.get(phase.what, phase.what)))


def charger_gives(op: Operating, board: ChargeBoard, store: int, state: str | None, by: Supply | None = None) -> Array:
    """What a board gives a store over ``RISING``, below nothing where the store helps to feed the console. [A]

    Parameters
    ----------
    op : Operating
        The solved build.
    board : ChargeBoard
        Charges the store.
    store : int
        Which store.
    state : str or None
        Load state of a console that the supply feeds besides; None where it feeds none.
    by : Supply, optional
        Another supply than the board's own.

    Returns
    -------
    ndarray, shape of ``RISING``
    """
    supply = by or op.plan.by_id[board.supply]
    assert isinstance(supply, Supply)
    path = ChargePath(op, board, supply, store)
    return np.asarray(path.balance(state)[0] - path.helps(state)[0])
