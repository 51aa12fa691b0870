"""Regulators: another class in a board's place, an output set, a further rail."""

from __future__ import annotations

from collections.abc import Iterator

from briskcell.core.answers import Answers
from briskcell.core.engine.converters import same_output
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.parts import Converter, Fed, Link, Load, Rail, Window
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack
from briskcell.model.tree import behind_links, boards_above, feeders_of, free_id, maker_of, own_wires, source_of
from briskcell.model.units import show

from .fix import Fix, placed, within
from .taking_out import superfluous
from .whole_boards import no_more_than, seated

DIODE_V = 0.3  # a boost fed that far above its output passes its input through its diode


def input_range_v(assessed: Answers, board: Converter) -> tuple[float, float]:
    """Volts that a board meets at its input: from the store's cut-off to full, or those of the board before it.

    Parameters
    ----------
    assessed : Answers
        The build.
    board : Converter
        One of its boards.

    Returns
    -------
    tuple of float
        Least and most. [V]
    """
    net = assessed.op.network
    source = net.source_of_converter(net.converters.index(board))
    if source >= len(net.stores):
        before = net.converters[source - len(net.stores)].output_v
        return before.low, before.high
    return _store_range_v(assessed, source)


def _store_range_v(assessed: Answers, store: int) -> tuple[float, float]:
    """Volts of a store from its cut-off to full."""
    curves = assessed.op.curves[store]
    return max(curves.cutoff_v, float(curves.ocv_v[-1])), float(curves.ocv_v[0])


def _suits(window: Window, volts: float) -> bool:
    """Whether a regulated voltage lies in a window, with a hundredth above its lower end for the wire."""
    return window.low_v * 1.01 < volts <= window.high_v


def stands(candidate: Converter, low_v: float, high_v: float) -> bool:
    """Whether a class works from one input to the other: it stands the most, starts at the least, and steps the right way.

    Parameters
    ----------
    candidate : Converter
        The class.
    low_v, high_v : float
        What it would meet. [V]

    Returns
    -------
    bool
        By its kind, its highest input and its lock-out.
    """
    out = candidate.output_v.likely
    if candidate.input_max_v is not None and high_v > candidate.input_max_v + 1e-9:
        return False
    if candidate.lockout_v is not None and low_v < candidate.lockout_v + 0.1:
        return False
    if candidate.kind == "boost":
        return high_v <= out + DIODE_V
    return candidate.kind == "buck_boost" or low_v >= out + 0.2


def other_boards(assessed: Answers, board: Converter) -> Iterator[Fix]:
    """Classes with the same output that work from the board's input, those of its own kind first, then by cost.

    Parameters
    ----------
    assessed : Answers
        The build.
    board : Converter
        The board to replace.

    Yields
    ------
    Fix
        Plans with the class, set to the board's output where it can be.
    """
    if board.built_in or board.half_of is not None:
        yield from _fed_elsewhere(assessed, board)
        return
    yield from superfluous(assessed, board)
    plan, stock, low_high = assessed.plan, assessed.stock, input_range_v(assessed, board)
    fits = [c for c in stock.converters if c.part_class != board.part_class and no_more_than(plan, stock, c, board)]
    fits = [c for c in fits if stands(c, *low_high) and _serves(plan, board, c)]
    for candidate in sorted(fits, key=lambda c: (c.kind != board.kind, c.part_class in stock.halves, c.cost or 0.0)):
        new = placed(board, candidate)
        if same_output(candidate, board):
            new = within(new, "output_v", board.output_v.likely) or new
        if (changed := seated(plan, stock, new)) is not None:
            apart = [p.name for p in changed.chargers if p.half_of is None and plan.by_id[p.id].half_of is not None]
            words = f"{candidate.name} in its place" + (f", with {apart[0]}" if apart else "")
            yield Fix(words, f"takes {low_high[0]:.1f} to {low_high[1]:.1f} V.", changed)


def _serves(plan: Plan, board: Converter, candidate: Converter) -> bool:
    """Whether a class makes the board's volts, or volts within the windows of all that hangs on it."""
    fed = [p.window for p in plan.loads if board in boards_above(plan, p)[-1:]]
    behind = any(board in boards_above(plan, c) for c in plan.converters)
    if same_output(candidate, board):
        return True
    volts = candidate.output_v.likely
    return bool(fed) and not behind and all(_suits(w, volts) for w in fed)


def other_links(assessed: Answers, link: Link) -> Iterator[Fix]:
    """Classes of the same kind with a higher rating, the lowest first.

    Parameters
    ----------
    assessed : Answers
        The build.
    link : Link
        A switch, fuse, plug or jack with a rating.

    Yields
    ------
    Fix
        Plans with the class in its place.
    """
    if link.kind == "outlet":
        yield from _fed_elsewhere(assessed, link)
    if link.rating_a is None or link.kind == "outlet":
        return
    rated = [(c, c.rating_a.likely) for c in assessed.stock.links if c.kind == link.kind and c.rating_a]
    for candidate, amps in sorted(rated, key=lambda c: c[1]):
        if amps > link.rating_a.likely and (candidate.latching or not link.latching):
            yield Fix(
                f"{candidate.name} in its place", f"carries {show(amps, 'A')}.", replaced(assessed.plan, placed(link, candidate))
            )


def _fed_elsewhere(assessed: Answers, output: Fed) -> Iterator[Fix]:
    """What hangs on another part's output, one after the other fed from a rail or the store."""
    for load in assessed.plan.loads:
        if output not in feeders_of(assessed.plan, load):
            continue
        for rail in assessed.plan.rails:
            board = maker_of(assessed.plan, rail)
            if board is not None and board is not output and _suits(load.window, board.output_v.likely):
                yield Fix(f"{load.name} fed from {rail.name}", "relieves the output.", hung(assessed.plan, load, rail.id))
        yield from other_rails(assessed, load)


def other_rails(assessed: Answers, load: Load) -> Iterator[Fix]:
    """Rails and boards of the build within a load's window, then the store itself, then a further board and rail.

    Parameters
    ----------
    assessed : Answers
        The build.
    load : Load
        The load to feed otherwise.

    Yields
    ------
    Fix
        Plans with the load, and the wire of its own, hung elsewhere.
    """
    plan, window = assessed.plan, load.window
    for rail in plan.rails:
        board = maker_of(plan, rail)
        if board is not None and board not in boards_above(plan, load) and _suits(window, board.output_v.likely):
            yield Fix(
                f"{load.name} fed from {rail.name}", f"gives it {show(board.output_v.likely, 'V')}.", hung(plan, load, rail.id)
            )
    source = source_of(plan, load)
    if not isinstance(source, Pack):
        return
    k = [s.id for s in plan.stores].index(source.id)
    at = behind_links(plan, source)
    low, high = _store_range_v(assessed, k)
    if window.low_v + 0.1 <= low and high <= window.high_v:
        yield Fix(f"{load.name} fed from {source.name}, behind switch and fuse", "suits its window.", hung(plan, load, at.id))
    classes = [c for c in assessed.stock.plain if stands(c, low, high)]
    classes = [c for c in classes if _suits(window, c.output_v.likely)]
    for candidate in sorted(classes, key=lambda c: c.cost or 0.0):
        board = altered(candidate, id=free_id(plan, "reg"), fed_by=at.id)
        rail = Rail(id=free_id(plan, "rail"), name=f"{show(board.output_v.likely, 'V')} rail", fed_by=board.id)
        wider = remade(plan, {"converters": (*plan.converters, board), "rails": (*plan.rails, rail)})
        yield Fix(
            f"{load.name} on a rail of its own from {candidate.name}",
            f"gives it {show(board.output_v.likely, 'V')}.",
            hung(wider, load, rail.id),
        )


def hung(plan: Plan, load: Load, at: str) -> Plan:
    """The load, with the wires of its own, fed from elsewhere.

    Parameters
    ----------
    plan : Plan
        The build.
    load : Load
        One of its loads.
    at : str
        Id of what feeds it from now on.

    Returns
    -------
    Plan
        The changed build.
    """
    own = own_wires(plan, load)
    return replaced(plan, altered(own[-1] if own else load, fed_by=at))
