"""The build on a charger at one point: by one of its boards, from its own supply or another of the library."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from briskcell.core.assess import Assessment
from briskcell.core.charge.charging import charge
from briskcell.core.charge.plugged import Plugged, plugged
from briskcell.core.engine.operating import operate
from briskcell.core.moves.suiting import reaches, takes
from briskcell.library import catalogue
from briskcell.model.changes import altered, replaced
from briskcell.model.stores import Bank, ChargeBoard, Pack, Supply

OFF = "off"


@dataclass(frozen=True, slots=True)
class Socket:
    """A way to plug in: its key, the board, and the supply, with words for both."""

    key: str
    board: ChargeBoard
    supply: Supply
    words: str


@dataclass(frozen=True, slots=True)
class OnCharger:
    """The build on a charger. ``into_a`` is what the pack takes, negative what it gives; ``left_h`` the time to full from here,
    None where it never gets there, for the reason ``why``; ``carried`` whether the supply carries the console."""

    socket: Socket
    sockets: tuple[Socket, ...]
    found: Plugged
    use: str
    layout: str
    into_a: float
    left_h: float | None
    why: str


def sockets(assessed: Assessment) -> tuple[Socket, ...]:
    """The ways to plug in: each charge board at its own supply, then at others of the library that it accepts."""
    plan = assessed.plan
    out, own = [], set()
    for board in plan.chargers:
        supply = plan.by_id[board.supply]
        if isinstance(supply, Supply) and not isinstance(plan.by_id[board.charges], Bank):
            out.append(Socket(board.id, board, supply, f"{supply.name}, by {board.name}"))
            own.add(supply.part_class)
    for socket in tuple(out):
        store = plan.by_id[socket.board.charges]
        series = store.series if isinstance(store, Pack) else 1
        for other in catalogue().of_kind("supplies"):
            if other.key not in own and takes(socket.board, other.part) and reaches(socket.board, other.part, series):
                out.append(Socket(f"{socket.board.id}:{other.key}", socket.board, other.part, f"if it were {other.name}"))
    return tuple(out)


def on_charger(assessed: Assessment, key: str, use: str, soc: float) -> OnCharger | None:
    """What flows while a build is plugged in.

    Parameters
    ----------
    assessed : Assessment
        The build.
    key : str
        The socket; the first where there is none of that key.
    use : str
        ``off``, or a load state of the console.
    soc : float
        State of charge of the pack.

    Returns
    -------
    OnCharger or None
        None where nothing charges.
    """
    ways = sockets(assessed)
    socket = next((w for w in ways if w.key == key), next(iter(ways), None))
    if socket is None:
        return None
    op, plan = assessed.op, assessed.plan
    own = plan.by_id[socket.board.supply]
    if socket.supply is not own:
        op = operate(replaced(plan, altered(socket.supply, id=own.id)))
    state = None if use == OFF else use
    found, whole = plugged(op, socket.board, soc, state), charge(op, socket.board, min(soc, 0.999))
    course = whole.off if use == OFF else whole.play
    left = (
        None
        if course.hours is None or soc >= course.end_soc
        else course.hours - float(np.interp(soc, course.soc, course.elapsed_h))
    )
    return OnCharger(socket, ways, found, use, found.layout, found.into_a, left, course.why)
