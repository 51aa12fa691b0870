"""Charge boards, supplies, jacks and balancers that suit a pack."""

from __future__ import annotations

import math
from collections.abc import Iterator

from briskcell.core.answers import Answers, Stock
from briskcell.model.changes import altered, put_in, remade, replaced
from briskcell.model.plan import Plan
from briskcell.model.stores import ChargeBoard, Pack, Supply
from briskcell.model.tree import behind_links, free_id
from briskcell.model.units import show

from .fix import Fix, placed, within
from .suiting import carries, most_charge_a, set_for, suiting, watts_of, weakest
from .whole_boards import other_wholes


def other_chargers(assessed: Answers, board: ChargeBoard, least_a: float = 0.0, pack: Pack | None = None) -> Iterator[Fix]:
    """Other boards that suit the pack, with its supply or another: those that let one play meanwhile first, then by cost.

    Parameters
    ----------
    assessed : Answers
        The build.
    board : ChargeBoard
        The board to replace.
    least_a : float
        The least charge current that is of use. [A]
    pack : Pack, optional
        The pack as it would be; the plan's where not given.

    Yields
    ------
    Fix
        Plans with the board, and where they need it another supply, a jack or a balancer.
    """
    plan, stock = assessed.plan, assessed.stock
    store = pack or plan.by_id[board.charges]
    if not isinstance(store, Pack):
        return
    base, now = plan if pack is None else replaced(plan, pack), plan.by_id[board.supply]
    assert isinstance(now, Supply)
    if board.half_of is not None:
        for own, changed in other_wholes(base, stock, board, least_a):
            words = changed.by_id[board.half_of].name if own.half_of else f"{changed.by_id[board.half_of].name} and {own.name}"
            yield Fix(f"{words} in its place", f"charges with {show(own.current_a.likely, 'A')}.", changed)
        return
    playing = plan.brief.play_while_charging
    suits = sorted(
        suiting(store, board, now, stock, stock.chargers),
        key=lambda found: (playing and found[0].layout != "power_path", found[0].cost or 0.0, -found[0].current_a.likely),
    )
    for gentler, supply in suits:
        if gentler.current_a.likely < least_a - 1e-9:
            continue
        changed, words = replaced(base, placed(board, gentler)), f"{gentler.name} in its place"
        if supply is not None:
            changed, words = replaced(changed, placed(now, supply)), f"{words}, fed by {supply.name}"
        changed, more = _whole(changed, stock, board.id)
        ends = show(gentler.end_v.likely if gentler.end_v else store.cell.full_v, "V")
        yield Fix(words + more, f"charges with {show(gentler.current_a.likely, 'A')} to {ends} a cell.", changed)


def first_chargers(assessed: Answers, pack: Pack) -> Iterator[Fix]:
    """A charge board and its supply for a pack that has none: those that let one play meanwhile first, then by cost.

    Parameters
    ----------
    assessed : Answers
        The build.
    pack : Pack
        What nothing fills.

    Yields
    ------
    Fix
        Plans with both, and where they need it a jack or a balancer.
    """
    plan, stock = assessed.plan, assessed.stock
    playing = plan.brief.play_while_charging
    boards = (b for c in stock.chargers if (b := set_for(c, pack)) is not None)
    for board in sorted(boards, key=lambda b: (playing and b.layout != "power_path", b.cost or 0.0)):
        supply = weakest(stock, board, pack)
        if supply is None:
            continue
        fed = altered(supply, id=free_id(plan, "supply"))
        own = altered(board, id=free_id(plan, "charger"), charges=pack.id, supply=fed.id, fed_by=None)
        changed = remade(plan, {"supplies": (*plan.supplies, fed), "chargers": (*plan.chargers, own)})
        changed, more = _whole(changed, stock, own.id)
        yield Fix(f"{own.name}, fed by {fed.name}{more},", f"charges it with {show(own.current_a.likely, 'A')}.", changed)


def _whole(plan: Plan, stock: Stock, board_id: str) -> tuple[Plan, str]:
    """A jack where the console hangs on the cell, and a balancer where none balances."""
    board, words = plan.by_id[board_id], ""
    assert isinstance(board, ChargeBoard)
    store = plan.by_id[board.charges]
    if board.layout == "on_cell" and plan.fed.get(board.charges) and (cut := with_jack(plan, stock, board.charges)):
        plan, words = cut.plan, words + f", behind {_small(cut.words)}"
    if (
        isinstance(store, Pack)
        and store.series > 1
        and not board.balancing
        and (helped := next(balancers(plan, stock, store), None))
    ):
        plan, words = helped.plan, words + ", with a balancer"
    return plan, words


def _small(words: str) -> str:
    return words[:1].lower() + words[1:]


def with_jack(plan: Plan, stock: Stock, store_id: str, amps: float = 0.0) -> Fix | None:
    """The console behind the contact of a jack that cuts it out while a plug is in.

    Parameters
    ----------
    plan : Plan
        The build.
    stock : Stock
        Holds the jacks.
    store_id : str
        The store that charges.
    amps : float
        What the contact has to carry. [A]

    Returns
    -------
    Fix or None
        None where nothing hangs on the store, or no jack carries that.
    """
    jacks = sorted((k for k in stock.links if k.kind == "jack" and k.rating_a), key=lambda k: k.rating_a.likely)  # type: ignore[union-attr]
    fits = [k for k in jacks if k.rating_a and k.rating_a.likely * 0.75 >= amps] or jacks[-1:]
    at = behind_links(plan, plan.by_id[store_id])
    behind = [p for p in plan.fed.get(at.id, ()) if getattr(p, "kind", "") != "return"]
    if not fits or not behind:
        return None
    changed, _ = put_in(plan, fits[0], at.id, "jack", behind)
    return Fix(fits[0].name, "cuts the console out while it charges.", changed)


def jack_for(assessed: Answers, store_id: str) -> Fix | None:
    """A jack that carries what the store gives at its worst moment.

    Parameters
    ----------
    assessed : Answers
        The build.
    store_id : str
        The store that charges.

    Returns
    -------
    Fix or None
        As of ``with_jack``.
    """
    most = max((h.demand_a for h in assessed.headrooms if h.element == store_id), default=0.0)
    return with_jack(assessed.plan, assessed.stock, store_id, most)


def balancers(plan: Plan, stock: Stock, pack: Pack) -> Iterator[Fix]:
    """A balancer of its own on a pack, the cheapest first.

    Parameters
    ----------
    plan : Plan
        The build.
    stock : Stock
        Holds the balancers.
    pack : Pack
        Cells in series.

    Yields
    ------
    Fix
        With the balancer's current in its words.
    """
    for balancer in sorted(stock.balancers, key=lambda b: b.cost or 0.0):
        own = altered(balancer, id=free_id(plan, f"balancer-{pack.id}"), charges=pack.id)
        brings = f"brings the cells together with {show(balancer.balance_a.likely, 'A')}."
        plan_with = remade(plan, {"balancers": (*plan.balancers, own)})
        yield Fix(f"{balancer.name}, beside the charge board", brings, plan_with)


def other_supplies(assessed: Answers, board: ChargeBoard) -> Iterator[Fix]:
    """Supplies that a board accepts and that get it to its end volts, the weakest that is strong enough first.

    Parameters
    ----------
    assessed : Answers
        The build.
    board : ChargeBoard
        The board they would feed.

    Yields
    ------
    Fix
        Plans with another supply.
    """
    now, store = assessed.plan.by_id[board.supply], assessed.plan.by_id[board.charges]
    assert isinstance(now, Supply)
    series = store.series if isinstance(store, Pack) else 1
    for other in sorted(assessed.stock.supplies, key=watts_of):
        if other.part_class != now.part_class and carries(other, board, series):
            yield Fix(
                f"{other.name} instead of {now.name}", "is what the board takes.", replaced(assessed.plan, placed(now, other))
            )


def currents(assessed: Answers, board: ChargeBoard, shares: tuple[float, ...]) -> Iterator[Fix]:
    """The board's current set to shares of what it is, within its bounds and what the cells take.

    Parameters
    ----------
    assessed : Answers
        The build.
    board : ChargeBoard
        The board.
    shares : tuple of float
        Of its current.

    Yields
    ------
    Fix
        Plans with the current set.
    """
    store = assessed.plan.by_id[board.charges]
    most = most_charge_a(store) if isinstance(store, Pack) else math.inf
    for share in shares:
        amps = round(min(board.current_a.likely * share, most), 2)
        if abs(amps - board.current_a.likely) > 0.005 and (changed := within(board, "current_a", amps)):
            yield Fix(f"A charge current of {show(amps, 'A')}", "is set on the board.", replaced(assessed.plan, changed))
