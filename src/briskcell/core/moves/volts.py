"""Volts that a part accepts: a thicker wire, an output set, another board, another rail."""

from __future__ import annotations

from collections.abc import Iterator

from briskcell.core.answers import Answers
from briskcell.core.engine.operating import operate
from briskcell.model.changes import altered, replaced
from briskcell.model.parts import Converter, Fed, Link, Load
from briskcell.model.plan import Plan
from briskcell.model.tree import boards_above

from .boards import other_boards, other_rails
from .carrying import GAUGES
from .fix import Fix, within


def within_window(assessed: Answers, load: Load) -> Iterator[Fix]:
    """A lower output where the board lets one set it, else another rail.

    Parameters
    ----------
    assessed : Answers
        The build.
    load : Load
        What gets more volts than it accepts.

    Yields
    ------
    Fix
        Plans in which it gets less.
    """
    board = next(reversed(boards_above(assessed.plan, load)), None)
    if board is not None:
        others = [p for p in assessed.plan.loads if board in boards_above(assessed.plan, p)]
        low, high = max(p.window.low_v for p in others), min(p.window.high_v for p in others)
        if low < high and (changed := within(board, "output_v", round(low + 0.6 * (high - low), 2))) is not None:
            yield Fix(
                f"{board.name} set to {changed.output_v.likely:.2f} V",
                "lies within every window.",
                replaced(assessed.plan, changed),
            )
        for fix in other_boards(assessed, board):
            candidate = fix.plan.by_id[board.id]
            if isinstance(candidate, Converter) and low <= candidate.output_v.likely <= high:
                yield fix
    yield from other_rails(assessed, load)


def more_volts(assessed: Answers, load: Load) -> Iterator[Fix]:
    """A thicker wire if that is enough, a higher output of the board that feeds it, another board, another rail.

    Parameters
    ----------
    assessed : Answers
        The build.
    load : Load
        What gets fewer volts than it needs.

    Yields
    ------
    Fix
        Plans in which it gets more.
    """
    plan, column = assessed.plan, assessed.op.network.loads.index(load)

    def least_v(changed: Plan) -> float:
        op = operate(changed)
        return float(op.flow.load_v(column)[:, op.down_to(assessed.end_of(load.id))].min())

    at: Fed = load
    best = plan
    while isinstance(feeder := plan.by_id[at.fed_by], (Link, Fed)) and not isinstance(feeder, Converter):
        at = feeder
        if isinstance(feeder, Link) and feeder.awg is not None and feeder.resistance_ohm is None:
            for thicker in (g for g in GAUGES if g < feeder.awg):
                changed = replaced(plan, altered(feeder, awg=thicker))
                if (volts := least_v(changed)) >= load.window.low_v:
                    words = f"{thicker:.0f} AWG instead of {feeder.awg:.0f} AWG for {feeder.name}"
                    yield Fix(words, f"brings {volts:.2f} V.", changed)
            best = replaced(best, altered(feeder, awg=min(feeder.awg, 22.0)))
    if isinstance(feeder, Converter):
        yield from _higher_output(assessed, load, feeder, plan, least_v(plan), "")
        if best is not plan:
            yield from _higher_output(assessed, load, feeder, best, least_v(best), ", with 22 AWG wire")
        for fix in other_boards(assessed, feeder):
            if least_v(fix.plan) >= load.window.low_v:
                yield fix
            new = fix.plan.by_id[feeder.id]
            if isinstance(new, Converter):
                yield from _higher_output(assessed, load, new, fix.plan, least_v(fix.plan), f": {new.name}", new=True)
    yield from other_rails(assessed, load)


def _higher_output(
    assessed: Answers, load: Load, board: Converter, plan: Plan, least_v: float, also: str, *, new: bool = False
) -> Iterator[Fix]:
    """The board's output set higher, within its bounds and every other part's window."""
    target = board.output_v.likely + (load.window.low_v - least_v) * 1.25
    others = [p for p in plan.loads if p.id != load.id and board in boards_above(plan, p)]
    ceiling = min((p.window.high_v for p in (*others, load)), default=target)
    volts = round(min(target, ceiling), 2)
    changed = within(board, "output_v", volts, "set within its bounds, for a part that needs the volts")
    if volts <= board.output_v.likely + 0.005 or changed is None:
        return
    words = (
        f"{assessed.plan.by_id[board.id].name} replaced by {board.name}, set to {volts:.2f} V"
        if new
        else f"{board.name} set to {volts:.2f} V{also}"
    )
    yield Fix(words, f"lifts {load.name} above {load.window.low_v:.2f} V.", replaced(plan, changed))
