"""Switches that shut a board down before they cut, in the place of one that does not or where there is none."""

from __future__ import annotations

import math
from collections.abc import Iterator

from briskcell.core.answers import Answers
from briskcell.model.changes import altered, put_in, replaced
from briskcell.model.parts import Converter, Link, Load, Part, State
from briskcell.model.plan import Plan
from briskcell.model.stores import ChargeBoard
from briskcell.model.tree import behind_links, boards_above, charged_through
from briskcell.model.units import show

from .fix import Fix, placed

SWITCH_SHARE = 0.8  # of a switch's rating that the peak may take: a fifth stays spare


def soft_switches(assessed: Answers, switch: Link | None) -> Iterator[Fix]:
    """Classes of switch that ask the board first and wait as long as its shutdown takes, the lowest rating first.

    Parameters
    ----------
    assessed : Answers
        The build.
    switch : Link, optional
        The switch to replace; without one, a new one right behind the wire and fuse of the first store.

    Yields
    ------
    Fix
        Plans with the switch in place.
    """
    plan = assessed.plan
    column = assessed.op.network.branch
    at = switch.id if switch else (behind_links(plan, plan.stores[0]).id if plan.stores else "")
    if at not in column:
        return
    peak = assessed.op.flow.branch_a[State.PEAK, :, column[at]]
    most = float(peak[peak < math.inf].max(initial=0.0))
    for candidate in sorted(_soft(assessed), key=lambda k: k.rating_a.likely if k.rating_a else 0.0):
        if candidate.rating_a is None or SWITCH_SHARE * candidate.rating_a.likely < most:
            continue
        brings = f"shuts the board down, then cuts; carries {show(candidate.rating_a.likely, 'A')}."
        if switch is not None:
            yield Fix(f"{candidate.name} in its place", brings, replaced(plan, placed(switch, candidate)))
            continue
        changed, _ = put_in(plan, candidate, at, "switch")
        yield Fix(f"{candidate.name} put in", brings, changed)


def switches_before(plan: Plan, board: ChargeBoard) -> list[Link]:
    """Switches between the store and the pads of a board that charges as well; what comes on the board is behind them.

    Parameters
    ----------
    plan : Plan
        The build.
    board : ChargeBoard
        What charges.

    Returns
    -------
    list of Link
        Empty for a charge board of its own.
    """
    return [k for k in charged_through(plan, board) or () if k.kind == "switch"]


def switch_behind(plan: Plan, switch: Link, board: Converter) -> Fix | None:
    """A switch moved from before a board to its output: what charges on the board then reaches the cells with the switch off.

    Parameters
    ----------
    plan : Plan
        The build.
    switch : Link
        Lies between the store and the board.
    board : Converter
        The board.

    Returns
    -------
    Fix or None
        None where the switch cuts off more than the board.
    """
    if any(board is not p and board not in boards_above(plan, p) for p in _behind(plan, switch)):
        return None
    changed = plan
    for part in plan.fed.get(switch.id, ()):
        changed = replaced(changed, altered(part, fed_by=switch.fed_by))
    changed = replaced(changed, altered(switch, fed_by=board.id))
    for part in plan.fed.get(board.id, ()):
        changed = replaced(changed, altered(changed.by_id[part.id], fed_by=switch.id))
    return Fix(f"{switch.name} behind {board.name}, at its output,", "lets it charge while the console is off.", changed)


def _behind(plan: Plan, part: Part) -> Iterator[Converter | Load]:
    """The boards and loads behind a part, each before those that it feeds."""
    for child in plan.fed.get(part.id, ()):
        if isinstance(child, Converter | Load):
            yield child
        yield from _behind(plan, child)


def _soft(assessed: Answers) -> list[Link]:
    """Switches within reach that wait long enough."""
    needs = assessed.plan.shutdown.seconds
    waits = [(k, k.acts) for k in assessed.stock.links if k.kind == "switch" and k.acts and k.acts.soft]
    return [k for k, how in waits if how.cuts_after_s is None or how.cuts_after_s >= needs]
