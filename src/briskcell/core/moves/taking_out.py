"""Boards taken out that became superfluous: what hung on them takes what feeds them as it is."""

from __future__ import annotations

from collections.abc import Iterator

from pydantic import ValidationError

from briskcell.core.answers import Answers
from briskcell.core.rails.fewest import straight_on
from briskcell.model.changes import remade, without
from briskcell.model.parts import Converter, Rail
from briskcell.model.plan import Plan, Store
from briskcell.model.tree import boards_above, source_of

from .fix import Fix


def without_board(plan: Plan, board: Converter) -> Plan | None:
    """A plan without a board: what hung on it and on its rails hangs on what fed it.

    Parameters
    ----------
    plan : Plan
        The build.
    board : Converter
        The board.

    Returns
    -------
    Plan or None
        None of a board that brings something else along, and where something names it.
    """
    if board.half_of is not None or board.id in plan.halves or board.built_in:
        return None
    rails = [p for p in plan.fed.get(board.id, ()) if isinstance(p, Rail)]
    moved = {p.id: board.fed_by for at in (board, *rails) for p in plan.fed.get(at.id, ()) if p not in rails}
    try:
        return remade(plan, without(plan, {board.id, *(r.id for r in rails)}, moved))
    except ValidationError:
        return None


def superfluous(assessed: Answers, board: Converter) -> Iterator[Fix]:
    """A board taken out, where all that it feeds takes the volts of the store from full to empty, sag and all.

    Parameters
    ----------
    assessed : Answers
        The build.
    board : Converter
        One of its boards.

    Yields
    ------
    Fix
        One plan at the most.
    """
    plan = assessed.plan
    store = source_of(plan, board)
    if boards_above(plan, board) or not isinstance(store, Store) or any(board in boards_above(plan, c) for c in plan.converters):
        return
    fed = [p for p in plan.loads if board in boards_above(plan, p)]
    straight = straight_on(plan, store)
    if fed and all(p.id in straight for p in fed) and (changed := without_board(plan, board)) is not None:
        names = fed[0].name if len(fed) == 1 else f"{len(fed)} parts"
        yield Fix(f"{board.name} taken out; {names} straight on {store.name}", "takes its volts as they are.", changed)
