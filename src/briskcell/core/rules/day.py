"""Rule of the day: the days that are kept last."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from briskcell.core.answers import Answers
from briskcell.core.day.course import DayCourse, plugged_into, weakest_supply
from briskcell.core.moves.fix import Fix
from briskcell.core.moves.suiting import carries
from briskcell.model.changes import remade
from briskcell.model.stores import Pack
from briskcell.model.units import show

from .registry import Finding, missed_by, rule


@rule("day", station="day", shown=("day/day",), source="The day lived through in time")
def day(assessed: Answers) -> Iterator[Finding]:
    """What is wanted in each day that is kept is played."""
    short = sorted((c for c in assessed.days if not c.lasts), key=lambda c: -c.missed_s)
    if not short:
        return
    course, others = short[0], len(short) - 1
    stop = next(e for e in course.events if e.kind == "stops")
    what = (
        f"{course.day.name} stops after {show(stop.at_s / 3600, 'h')}: {stop.words}; {show(course.missed_s / 3600, 'h')} are missed"
    )
    more = f", and {others} more day{'s' if others > 1 else ''} that {'are' if others > 1 else 'is'} kept." if others else "."
    yield Finding(
        "fails",
        assessed.plan.stores[assessed.pack_index or 0].id,
        what + more,
        missed_by(course.wanted_s, course.wanted_s - course.missed_s),
        partial(_stronger, assessed, course),
        "Plug in earlier or for longer, begin fuller, or play less.",
    )


def _stronger(assessed: Answers, course: DayCourse) -> Iterator[Fix]:
    board = next(iter(assessed.plan.chargers), None)
    if board is None:
        return
    store = assessed.plan.by_id[board.charges]
    series = store.series if isinstance(store, Pack) else 1
    fits = [s for s in assessed.stock.supplies if carries(s, board, series)]
    found = weakest_supply(course.day, fits, lambda d: assessed.live(d).lasts)
    if found is not None:
        days = tuple(plugged_into(d, found.part_class) if d is course.day else d for d in assessed.plan.days)
        yield Fix(f"{course.day.name} plugged into {found.name}", "lasts it.", remade(assessed.plan, {"days": days}))
