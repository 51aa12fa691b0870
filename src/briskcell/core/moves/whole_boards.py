"""A board goes whole: what comes on it goes and comes with it, and nothing is left without what it did."""

from __future__ import annotations

from collections.abc import Iterator

from briskcell.core.answers import Stock
from briskcell.model.changes import altered, left_out, remade, replaced
from briskcell.model.kinds import kind_of
from briskcell.model.parts import Converter, Fed, Link, Load, Part, Rail
from briskcell.model.plan import Plan
from briskcell.model.stores import ChargeBoard, Pack, Supply
from briskcell.model.tree import feeding_point, free_id, free_name, made_v, source_of
from briskcell.model.units import show

from .fix import placed
from .suiting import carries, charges, set_for, weakest

PATH_SHARE = 0.8  # of what a regulator's switch carries, that the path of a charge board before it has to


def seated(plan: Plan, stock: Stock, whole: Part) -> Plan | None:
    """A plan with a board, and all that comes on its class, in the place of the board of its id and all that came on that.

    What both have keeps its id, and so what hangs on it; a charge board of its own that fills the same pack goes where the new
    board charges; where the new one does not, a charge board of its own comes.

    Parameters
    ----------
    plan : Plan
        The build.
    stock : Stock
        Knows the halves of the class, the charge boards and the supplies.
    whole : Part
        The new board, with the id and place of the old.

    Returns
    -------
    Plan or None
        None where something else hangs on what would go, or where nothing would charge the pack.
    """
    old = list(plan.halves.get(whole.id, ()))
    changed = replaced(plan, whole)
    for half in stock.halves.get(whole.part_class, ()):
        was = next((p for p in old if kind_of(p) is kind_of(half) and _alike(p, half)), None)
        if was is not None:
            old.remove(was)
            changed = replaced(changed, altered(placed(was, half), half_of=whole.id))
        else:
            changed = attached(changed, stock, whole.id, half)
    for gone in old:
        after = _charger_apart(changed, stock, gone) if isinstance(gone, ChargeBoard) else _taken_off(changed, gone)
        if after is None:
            return None
        changed = after
    return changed


def _alike(one: Part, other: Part) -> bool:
    """Whether one half does what another did: a regulator near the same volts, a load of the same group of volts."""
    if isinstance(one, Converter) and isinstance(other, Converter):
        return abs(one.output_v.likely - other.output_v.likely) < 0.1 * other.output_v.likely
    return one.part_class == other.part_class if isinstance(one, Load) else True


def _taken_off(plan: Plan, gone: Part) -> Plan | None:
    """A plan without a half: a regulator with its rail, where nothing hangs on that."""
    if isinstance(gone, Converter):
        for rail in [r for r in plan.rails if r.fed_by == gone.id]:
            if (after := left_out(plan, rail)) is None:
                return None
            plan = after
    return left_out(plan, plan.by_id[gone.id])


def _charger_apart(plan: Plan, stock: Stock, half: ChargeBoard) -> Plan | None:
    """A plan with a charge board of its own in a charging half's place: where asked one that lets one play, the cheapest."""
    pack, now = plan.by_id[half.charges], plan.by_id[half.supply]
    if not isinstance(pack, Pack) or not isinstance(now, Supply):
        return None
    playing, whole = plan.brief.play_while_charging, plan.by_id[half.half_of or ""]
    limit = whole.switch_current_a if isinstance(whole, Converter) else None
    most_a = PATH_SHARE * limit.likely if limit else 0.0

    def order(board: ChargeBoard) -> tuple[bool, bool, float]:
        path = board.battery_path_a
        return playing and board.layout != "power_path", path is not None and path.likely < most_a, board.cost or 0.0

    for board in sorted(stock.chargers, key=order):
        gentler = set_for(board, pack)
        if gentler is None or not carries(now, gentler, pack.series):
            continue
        if gentler.current_a.likely < 0.7 * half.current_a.likely:
            continue
        return replaced(plan, placed(half, gentler))
    return None


def attached(plan: Plan, stock: Stock, whole_id: str, half: Part) -> Plan:
    """A plan with one half more on a board.

    Parameters
    ----------
    plan : Plan
        Holds the board.
    stock : Stock
        Knows the supplies.
    whole_id : str
        The board, by its id.
    half : Part
        A class that comes on it: what charges fills the board's store, a regulator is fed as the board is and makes a rail, a
        switch lies before the board, and what draws hangs on the board's own rail.

    Returns
    -------
    Plan
        With it. What charges takes the place of a charge board of its own, where one filled that store.
    """
    whole = plan.by_id[whole_id]
    assert isinstance(whole, Fed)
    new_id = free_id(plan, half.part_class or half.id)
    if isinstance(half, ChargeBoard):
        return _charging(plan, stock, whole, half, new_id)
    if isinstance(half, Converter):
        board = altered(half, id=new_id, half_of=whole_id, fed_by=whole.fed_by)
        name = free_name(plan, f"{show(half.output_v.likely, 'V')} rail")
        rail = Rail(id=free_id(plan, "rail"), name=name, fed_by=new_id)
        return remade(plan, {"converters": (*plan.converters, board), "rails": (*plan.rails, rail)})
    if isinstance(half, Link):
        link = altered(half, id=new_id, half_of=whole_id, fed_by=whole.fed_by)
        boards = tuple(altered(c, fed_by=new_id) if c is whole else c for c in plan.converters)
        return remade(plan, {"links": (*plan.links, link), "converters": boards})
    assert isinstance(half, Load)
    if isinstance(whole, Load):  # a part that takes several volts: each share from a rail that suits, else judged where it hangs
        low, high = half.window.low_v, half.window.high_v
        rail_id = next((r.id for r in plan.rails if low <= made_v(plan, r) <= high), feeding_point(plan, whole))
    else:
        rail_id = next((r.id for r in plan.rails if r.fed_by == whole_id), whole_id)
    return remade(plan, {"loads": (*plan.loads, altered(half, id=new_id, half_of=whole_id, fed_by=rail_id))})


def _charging(plan: Plan, stock: Stock, whole: Fed, half: ChargeBoard, new_id: str) -> Plan:
    """A board's charging half, set to what the cells take, fed by a supply that does."""
    store = source_of(plan, whole)
    apart = next((c for c in plan.chargers if c.charges == store.id and c.half_of is None), None)
    board = (set_for(half, store) if isinstance(store, Pack) else None) or half
    series = store.series if isinstance(store, Pack) else 1
    supply = next((s for s in plan.supplies if carries(s, board, series)), None)
    if apart is not None and carries(now := plan.by_id[apart.supply], board, series):  # type: ignore[arg-type]
        assert isinstance(now, Supply)
        supply = now
    supplies = plan.supplies
    if supply is None:
        found = weakest(stock, board, store) if isinstance(store, Pack) else None
        found = found or next((s for s in stock.supplies if carries(s, board, series)), None)
        if found is not None:
            supply = altered(found, id=free_id(plan, "supply"))
            supplies = (*supplies, supply)
    supply = supply or next(iter(plan.supplies), None)
    if supply is None:
        return plan
    own = altered(
        board,
        id=apart.id if apart else new_id,
        half_of=whole.id,
        charges=store.id,
        supply=supply.id,
        fed_by=apart.fed_by if apart and apart.supply == supply.id else None,
    )
    chargers = tuple(own if c is apart else c for c in plan.chargers) if apart else (*plan.chargers, own)
    return remade(plan, {"supplies": supplies, "chargers": chargers})


def no_more_than(plan: Plan, stock: Stock, candidate: Part, whole: Part) -> bool:
    """Whether nothing comes on a class of board that does not come on the one in its place: nobody pays for what they have.

    Parameters
    ----------
    plan : Plan
        The build.
    stock : Stock
        Knows what comes on the class.
    candidate : Part
        The class.
    whole : Part
        The board of the build.

    Returns
    -------
    bool
        By the kinds of what comes on each.
    """
    have = {kind_of(h).list for h in plan.halves.get(whole.id, ())}
    return {kind_of(h).list for h in stock.halves.get(candidate.part_class, ())} <= have


def other_wholes(plan: Plan, stock: Stock, half: ChargeBoard, least_a: float = 0.0) -> Iterator[tuple[ChargeBoard, Plan]]:
    """Boards that charge and make the same volts, in the place of one whose charging half does not do; then two boards apart.

    Parameters
    ----------
    plan : Plan
        The build.
    stock : Stock
        Classes within reach.
    half : ChargeBoard
        The charging half.
    least_a : float
        The least charge current that is of use. [A]

    Yields
    ------
    tuple of ChargeBoard and Plan
        What charges from then on, and the build with it.
    """
    whole, store = plan.by_id.get(half.half_of or ""), plan.by_id[half.charges]
    if not isinstance(whole, Converter) or not isinstance(store, Pack):
        return
    alike = [c for c in stock.converters if c.kind == whole.kind and abs(c.output_v.likely - whole.output_v.likely) < 0.4]
    for board in sorted(alike, key=lambda c: (c.part_class not in stock.halves, c.cost or 0.0)):
        own = stock.charging_half(board.part_class)
        if board.part_class == whole.part_class or (own is not None and not charges(own, store)):
            continue
        if not no_more_than(plan, stock, board, whole):
            continue
        changed = seated(plan, stock, placed(whole, board))
        charger = next((c for c in changed.chargers if c.charges == store.id), None) if changed else None
        if changed is not None and charger is not None and charger.current_a.likely >= least_a - 1e-9:
            yield charger, changed


def restored(plan: Plan, before: Plan, part_id: str) -> Plan:
    """A plan with a board, and all that comes on it, as it was in another plan: together, or none of it.

    Parameters
    ----------
    plan : Plan
        The build as it is.
    before : Plan
        The build as it was.
    part_id : str
        A board, or a part of its own.

    Returns
    -------
    Plan
        With it.

    Raises
    ------
    ValidationError
        Where something names what goes with it.
    """
    added = [h for h in plan.halves.get(part_id, ()) if h.id not in before.by_id]
    changed = plan
    for part in (before.by_id[part_id], *before.halves.get(part_id, ()), *plan.halves.get(part_id, ())):
        was = before.by_id.get(part.id)
        if was is not None and part.id in changed.by_id:
            changed = replaced(changed, was)
    for half in added:
        changed = _taken_off(changed, half) or changed
    return changed
