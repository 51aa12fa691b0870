"""How long a charge takes from each supply one may meet, to full, to 80 % and to enough; the layouts, and banks, side by side."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from briskcell.core.assess import Assessment
from briskcell.core.charge.charging import Charge, ChargeCourse, charge, hours_added
from briskcell.core.engine.operating import operate
from briskcell.library import catalogue
from briskcell.model.changes import altered, replaced
from briskcell.model.parts import State
from briskcell.model.stores import Bank, ChargeBoard, Pack
from briskcell.services.charge.at_socket import Socket, on_charger, sockets

EIGHTY = 0.8
GAINS_AT = 0.5  # charge at which what play leaves is told


@dataclass(frozen=True, slots=True, kw_only=True)
class Times:
    """Hours of one course to full, to 80 % and to enough, each None where it never gets there, for the reason ``why``."""

    full_h: float | None
    eighty_h: float | None
    enough_h: float | None
    why: str


@dataclass(frozen=True, slots=True, kw_only=True)
class SupplyTimes:
    """One way to plug in: its times with the console off and in play, and what the pack gains in play. [A]"""

    socket: Socket
    own: bool
    off: Times
    play: Times
    gain_a: float


@dataclass(frozen=True, slots=True, kw_only=True)
class LayoutTimes:
    """A layout of the charge board: its name, whether it is the build's own, its times, and what it costs a builder in words."""

    name: str
    own: bool
    off_h: float | None
    play_h: float | None
    words: str


@dataclass(frozen=True, slots=True)
class BankHours:
    """A power bank of the library: the hours it adds, and whether it stays on for what play takes, and what rest does."""

    bank: Bank
    hours: float
    stays_on: bool
    at_rest: bool


LAYOUTS = {
    "power_path": ("Power path", "Feeds the console first; the board costs more, and the supply has to carry both."),
    "cut_out": ("Cut out by the jack", "The console is off while it charges; a jack with a contact is all it takes."),
    "on_cell": (
        "Console on the cell",
        "The charger counts the console's current as the cell's: while it is on, it may never end.",
    ),
}


def enough_soc(assessed: Assessment, hours: float) -> float | None:
    """State of charge from which play lasts so many hours; None where a full pack does not."""
    found = assessed.runtime
    if found is None or found.hours is None or found.hours < hours:
        return None
    end = float(np.interp(-found.stop_soc, -assessed.op.soc, found.elapsed_h))
    return float(np.interp(end - hours, found.elapsed_h, assessed.op.soc))


def _times(course: ChargeCourse, start: float, enough: float | None) -> Times:
    def to(soc: float | None) -> float | None:
        """Hours to a state of charge, None where the course ends before it."""
        if soc is None:
            return None
        if soc <= start:
            return 0.0
        if course.hours is None or soc > course.end_soc + 1e-9:
            reached = np.isfinite(course.elapsed_h) & (course.soc >= soc)
            if not reached.any() or course.hours is None:
                return None
        return float(np.interp(soc, course.soc, course.elapsed_h))

    return Times(full_h=course.hours, eighty_h=to(EIGHTY), enough_h=to(enough), why=course.why)


def supply_times(assessed: Assessment, start: float, hours: float) -> list[SupplyTimes]:
    """Every way to plug in, the strongest first.

    Parameters
    ----------
    assessed : Assessment
        The build.
    start : float
        State of charge at which it is plugged in.
    hours : float
        Hours of play that are enough.

    Returns
    -------
    list of SupplyTimes
        For each charge board: its own supply, and those of the library that it takes.
    """
    op, enough = assessed.op, enough_soc(assessed, hours)
    out = []
    for socket in sockets(assessed):
        found: Charge = charge(op, socket.board, min(start, 0.999), socket.supply)
        plugged = on_charger(assessed, socket.key, "play", GAINS_AT)
        out.append(
            SupplyTimes(
                socket=socket,
                own=socket.key == socket.board.id,
                off=_times(found.off, start, enough),
                play=_times(found.play, start, enough),
                gain_a=plugged.into_a if plugged else 0.0,
            )
        )
    return sorted(out, key=lambda t: -t.socket.supply.voltage_v.likely * t.socket.supply.current_limit_a.likely)


def layout_times(assessed: Assessment, board: ChargeBoard, own: str, start: float) -> list[LayoutTimes]:
    """The board in each layout: its times from the same supply, and what it costs."""
    out = []
    for key, (name, words) in LAYOUTS.items():
        plan = replaced(assessed.plan, altered(board, layout="power_path" if key == "power_path" else "on_cell"))
        changed = plan.by_id[board.id]
        assert isinstance(changed, ChargeBoard)
        found = charge(operate(plan), changed, min(start, 0.999))
        play = found.play.hours if key == "power_path" or (key == "on_cell" and own != "cut_out") else None
        out.append(LayoutTimes(name=name, own=key == own, off_h=found.off.hours, play_h=play, words=words))
    return out


def balancing_h(assessed: Assessment, board: ChargeBoard, apart: float = 0.02) -> float | None:
    """Hours to bring cells together that stand a fiftieth of their charge apart: ``t = ΔQ / I``; None where nothing balances."""
    store = assessed.plan.by_id[board.charges]
    if not isinstance(store, Pack) or store.series < 2:
        return None
    own = board.balance_a.likely if board.balancing and board.balance_a else 0.0
    amps = max([own, *(b.balance_a.likely for b in assessed.plan.balancers if b.charges == store.id)])
    capacity = sum((c.measured_ah or c.capacity_ah).likely for c in store.string_cells)
    return apart * capacity / amps if amps > 0 else None


def bank_hours(assessed: Assessment) -> list[BankHours]:
    """Power banks of the library in the bag: the hours each adds through the charge socket."""
    found = assessed.runtime
    if found is None or not found.mean_w or not assessed.charges:
        return []
    k = assessed.pack_index or 0
    rest = float(assessed.op.flow.branch_a[State.REST, assessed.op.half, k] * assessed.op.store_v[State.REST, assessed.op.half, k])

    def on(bank: Bank, watts: float) -> bool:
        return bank.least_load_a.likely <= watts / bank.output_v.likely

    return [
        BankHours(c.part, hours_added(c.part, found.mean_w), on(c.part, found.mean_w), on(c.part, rest))
        for c in catalogue().of_kind("banks")
    ]
