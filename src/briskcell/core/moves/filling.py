"""How long each charge board that suits takes to fill each of many packs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from briskcell.core.answers import Answers
from briskcell.core.charge.charging import ChargePath
from briskcell.core.engine.operating import Operating
from briskcell.core.search.choices import Filling
from briskcell.model.changes import altered, replaced
from briskcell.model.parts import Converter
from briskcell.model.plan import Plan
from briskcell.model.stores import Cell, ChargeBoard, Pack, Supply
from briskcell.model.tree import boards_above, layout_of

from .fix import placed
from .suiting import suiting

KNOTS = (1, 2, 3, 4, 6, 8, 12, 16, 24)  # strings that are asked; hours go by straight lines between


def filling(a: Answers, cells: Sequence[Cell], boards: Sequence[Converter], most: int) -> Filling | None:
    """Hours on the charger of every cell, count and charge board: the one that is there, those that suit, and those on a regulator.

    A board is set to what the cells take, and fed by the supply that is there, or where that does not do by the weakest that does.
    One that charges by the pads it is fed at does so through the wire that is there.

    Parameters
    ----------
    a : Answers
        The build.
    cells : sequence of Cell
        Cell classes.
    boards : sequence of Converter
        Regulator classes; the charging half of one goes with it alone, and a charge board of its own with those that have none.
    most : int
        Strings side by side, from 1 on.

    Returns
    -------
    Filling or None
        None where nothing charges the first pack.
    """
    plan = a.plan
    board = next((b for b in plan.chargers if plan.packs and b.charges == plan.packs[0].id), None)
    now = plan.by_id[board.supply] if board else None
    if board is None or not isinstance(now, Supply):
        return None
    knots = [k for k in KNOTS if k <= most]
    start = a.end_of(a.plan.packs[0].id)
    halves = {b.part_class: half for b in boards if (half := a.stock.charging_half(b.part_class))}
    classes = (board, *(c for c in (*a.stock.chargers, *halves.values()) if c.part_class != board.part_class))
    number = {c.part_class: n for n, c in enumerate(classes)}
    on_board = {half.part_class: key for key, half in halves.items()}
    main = _source_board(plan)
    hours = np.full((len(classes), len(cells), len(knots)), np.inf)
    for k, cell in enumerate(cells):
        for j, count in enumerate(knots):
            pack = altered(plan.packs[0], cell=cell, parallel=count, strings=())
            there = replace(a.op, plan=replaced(plan, pack))
            hours[0, k, j] = _hours(there, board, now, pack, start)
            for made, supply in suiting(pack, board, now, a.stock, classes[1:]):
                seated = altered(placed(board, made), half_of=main if made.part_class in on_board else None)
                hours[number[made.part_class], k, j] = _hours(there, seated, supply or now, pack, start)
    known = np.isfinite(hours).any(axis=(1, 2))
    counts = np.arange(most + 1)
    table = np.stack([[np.interp(counts, knots, row) for row in rows] for rows in hours])
    kept = np.flatnonzero(known)
    return Filling(
        boards=tuple(classes[n] for n in kept),
        hours=table[kept],
        cost=np.array([0.0 if n == 0 else classes[n].cost or 0.0 for n in kept]),
        goes_with=np.array([[on_board.get(classes[n].part_class) == _own_half(b, halves) for b in boards] for n in kept]),
        plays=np.array([layout_of(plan, placed(board, classes[n])) != "cut_out" for n in kept]),
    )


def _source_board(plan: Plan) -> str | None:
    """The regulator that hangs on the first pack.

    Parameters
    ----------
    plan : Plan
        The build.

    Returns
    -------
    str or None
        Its id; None where there is none.
    """
    return next((c.id for c in plan.converters if c.half_of is None and not boards_above(plan, c)), None)


def _own_half(board: Converter, halves: Mapping[str, ChargeBoard]) -> str | None:
    return board.part_class if board.part_class in halves else None


def _hours(op: Operating, board: ChargeBoard, supply: Supply, pack: Pack, start: float) -> float:
    found = ChargePath(op, board, supply, op.network.stores.index(pack.id)).course(start, playing=False).hours
    return np.inf if found is None else float(found)
