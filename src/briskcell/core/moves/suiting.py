"""Which charge boards and supplies suit a pack."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator

from briskcell.core.answers import Stock
from briskcell.core.charge.charging import OVER_V
from briskcell.core.charge.supplied import given_v, gives_nothing
from briskcell.model.stores import ChargeBoard, Pack, Supply

from .fix import within

ABOVE_V = 0.15  # over its end volts, that a board which steps down needs at its input; typical


def takes(board: ChargeBoard, supply: Supply) -> bool:
    """Whether a board stands and accepts the volts of a supply.

    Parameters
    ----------
    board : ChargeBoard
        Says what it accepts; where it does not, everything passes.
    supply : Supply
        What would feed it.

    Returns
    -------
    bool
        Over the whole range of the supply's volts, where it gives them.
    """
    window, volts = board.input, given_v(board, supply)
    if gives_nothing(board, supply) or volts < supply.voltage_v.low:
        return False
    return window is None or (window.low_v <= volts and supply.voltage_v.high <= window.high_v)


def reaches(board: ChargeBoard, supply: Supply, series: int) -> bool:
    """Whether a board gets from a supply's volts to its end volts: one that steps down needs more, one that steps up less.

    Parameters
    ----------
    board : ChargeBoard
        Says its end volts a cell; where it does not, everything passes.
    supply : Supply
        What feeds it.
    series : int
        Cells in series.

    Returns
    -------
    bool
        At the supply's likely volts.
    """
    if board.end_v is None:
        return True
    end = board.end_v.likely * series
    volts = given_v(board, supply)
    return volts < end if board.kind == "step_up" else volts >= end + ABOVE_V


def carries(supply: Supply, board: ChargeBoard, series: int) -> bool:
    """Whether a board takes a supply's volts, and gets from them to its end volts.

    Parameters
    ----------
    supply : Supply
        What would feed it.
    board : ChargeBoard
        The board.
    series : int
        Cells in series.

    Returns
    -------
    bool
        As of ``takes`` and ``reaches``.
    """
    return takes(board, supply) and reaches(board, supply, series)


def charges(board: ChargeBoard, pack: Pack) -> bool:
    """Whether a board is made for a pack: its cells in series, their end volts and chemistry, in both directions.

    Parameters
    ----------
    board : ChargeBoard
        A class that states its facts.
    pack : Pack
        What it would fill.

    Returns
    -------
    bool
        False also where the board does not say.
    """
    cells = pack.string_cells
    return (
        pack.series in board.cells
        and board.end_v is not None
        and all(c.rechargeable and abs(board.end_v.likely - c.full_v) <= OVER_V for c in cells)
        and all(c.chemistry in board.chemistries for c in cells)
    )


def most_charge_a(pack: Pack) -> float:
    """The most current that a pack's cells take, each string its share.

    Parameters
    ----------
    pack : Pack
        The pack.

    Returns
    -------
    float
        Amperes.
    """
    cells = pack.string_cells
    return min(c.max_charge_a.likely for c in cells) * len(cells)


def gentle(board: ChargeBoard, most_a: float) -> ChargeBoard | None:
    """A board whose current is no more than the cells take; None where it cannot be set so low.

    Parameters
    ----------
    board : ChargeBoard
        The board.
    most_a : float
        What the cells take. [A]

    Returns
    -------
    ChargeBoard or None
        The board itself where its current suits.
    """
    if board.current_a.likely <= most_a + 1e-9:
        return board
    return within(board, "current_a", math.floor(most_a * 100.0) / 100.0, "set to what the cells take")


def set_for(board: ChargeBoard, pack: Pack) -> ChargeBoard | None:
    """A board set to what a pack's cells take.

    Parameters
    ----------
    board : ChargeBoard
        The board.
    pack : Pack
        What it would fill.

    Returns
    -------
    ChargeBoard or None
        None where it is not made for the pack, or cannot be set so low.
    """
    return gentle(board, most_charge_a(pack)) if charges(board, pack) else None


def suiting(
    store: Pack, board: ChargeBoard, now: Supply, stock: Stock, classes: Iterable[ChargeBoard]
) -> Iterator[tuple[ChargeBoard, Supply | None]]:
    """Classes that suit a pack in a board's place, each set to what its cells take.

    Parameters
    ----------
    store : Pack
        What they would fill.
    board : ChargeBoard
        The board that is there.
    now : Supply
        What feeds it.
    stock : Stock
        Holds the supplies.
    classes : iterable of ChargeBoard
        Within reach.

    Yields
    ------
    tuple of ChargeBoard and Supply or None
        A board, and the weakest supply that does where the one that is there does not.
    """
    for candidate in classes:
        if candidate.part_class == board.part_class or (gentler := set_for(candidate, store)) is None:
            continue
        if carries(now, gentler, store.series):
            yield gentler, None
            continue
        if (supply := weakest(stock, gentler, store)) is not None:
            yield gentler, supply


def weakest(stock: Stock, board: ChargeBoard, pack: Pack) -> Supply | None:
    """The weakest supply that does for a board made for a pack.

    Parameters
    ----------
    stock : Stock
        Holds the supplies.
    board : ChargeBoard
        Says its end volts.
    pack : Pack
        What it fills.

    Returns
    -------
    Supply or None
        None where none does.
    """
    assert board.end_v is not None
    needs_w = board.current_a.likely * board.end_v.likely * pack.series
    fits = (s for s in stock.supplies if carries(s, board, pack.series) and watts_of(s) * 0.85 >= needs_w)
    return min(fits, key=watts_of, default=None)


def watts_of(supply: Supply) -> float:
    """What a supply gives at the most.

    Parameters
    ----------
    supply : Supply
        The supply.

    Returns
    -------
    float
        Its likely volts times its amperes. [W]
    """
    return supply.voltage_v.likely * supply.current_limit_a.likely
