"""Charge boards, supplies, jacks and balancers that suit a pack."""

from __future__ import annotations

import math
from collections.abc import Iterator

from briskcell.core.answers import Answers, Stock
from briskcell.core.charge.charging import OVER_V
from briskcell.core.charge.supplied import given_v, gives_nothing
from briskcell.model.changes import altered, put_in, remade, replaced
from briskcell.model.plan import Plan
from briskcell.model.stores import ChargeBoard, Pack, Supply
from briskcell.model.tree import behind_links, free_id
from briskcell.model.units import show

from .fix import Fix, placed, within

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
    playing = plan.brief.play_while_charging
    suits = sorted(
        suiting(store, board, now, stock),
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


def suiting(store: Pack, board: ChargeBoard, now: Supply, stock: Stock) -> Iterator[tuple[ChargeBoard, Supply | None]]:
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
        Classes within reach.

    Yields
    ------
    tuple of ChargeBoard and Supply or None
        A board, and the weakest supply that does where the one that is there does not.
    """
    for candidate in stock.chargers:
        if candidate.part_class == board.part_class or (gentler := set_for(candidate, store)) is None:
            continue
        if carries(now, gentler, store.series):
            yield gentler, None
            continue
        if (supply := _weakest(stock, gentler, store)) is not None:
            yield gentler, supply


def _weakest(stock: Stock, board: ChargeBoard, pack: Pack) -> Supply | None:
    """The weakest supply that does for a board made for a pack; None where none does."""
    assert board.end_v is not None
    needs_w = board.current_a.likely * board.end_v.likely * pack.series
    fits = (s for s in stock.supplies if carries(s, board, pack.series) and _watts(s) * 0.85 >= needs_w)
    return min(fits, key=_watts, default=None)


def _watts(supply: Supply) -> float:
    return supply.voltage_v.likely * supply.current_limit_a.likely


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
        supply = _weakest(stock, board, pack)
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
    for other in sorted(assessed.stock.supplies, key=_watts):
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
