"""Rules of the pack: it lasts, and its cells carry the current."""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import partial

from briskcell.core.answers import Answers
from briskcell.core.engine.sources import current_limit_a
from briskcell.core.pack.fit import fit
from briskcell.core.rails.headroom import judged
from briskcell.model.changes import altered, replaced
from briskcell.model.plan import Plan
from briskcell.model.stores import ChargeBoard, Pack
from briskcell.model.units import show

from .registry import RULES, Finding, Fix, missed_by, rule

MOST_PARALLEL = 12  # cells in parallel that a fix proposes


@rule("runtime-brief", station="pack", source="The brief")
def runtime_brief(assessed: Answers) -> Iterator[Finding]:
    """The pack plays as long as the brief asks, and still does at the pessimistic end of what is known."""
    found, spread, wanted = assessed.runtime, assessed.runtime_range, assessed.plan.brief.hours
    if found is None or found.hours is None or spread is None:
        return
    left = f" It stops because {found.stop_words}"
    left += f" with {show(found.stranded_wh, 'Wh')} still inside." if found.stranded_wh > 0.05 * found.energy_wh else "."
    element = assessed.plan.stores[assessed.pack_index or 0].id
    if found.hours < wanted - 1e-9:
        cause = f"It plays {show(found.hours, 'h')}, {show(wanted, 'h')} are wanted.{left}"
        yield Finding("fails", element, cause, missed_by(found.hours, wanted), partial(_what_stops_it, assessed),
                      "Draw less, or make room for a larger pack.")  # fmt: skip
    elif spread.low < wanted:
        cause = (f"It likely plays {show(found.hours, 'h')}, but one build in ten stays under {show(spread.low, 'h')}; "
                 f"{show(wanted, 'h')} are wanted.")  # fmt: skip
        yield Finding("close", element, cause, missed_by(spread.low, wanted), partial(_more_cells, assessed),
                      "Measure the largest draws: a narrower range may settle it.")  # fmt: skip


def _what_stops_it(assessed: Answers) -> Fix | None:
    """The fix of the finding about the very part that ends play, where it is not the pack; else more cells."""
    found = assessed.runtime
    if found and not isinstance(assessed.plan.by_id[found.stop_element], Pack):
        for other in RULES.values():
            for finding in other.check(assessed) if other.name != "runtime-brief" else ():
                if finding.element == found.stop_element and finding.fix:
                    return finding.fix
    return _more_cells(assessed)


def _more_cells(assessed: Answers) -> Fix | None:
    """As many more cells in parallel as the brief needs."""
    pack, found, spread = assessed.plan.stores[assessed.pack_index or 0], assessed.runtime, assessed.runtime_range
    if found is None or not found.hours or spread is None or not isinstance(pack, Pack) or pack.strings:
        return None
    wanted = assessed.plan.brief.hours
    goal = wanted if found.hours < wanted else wanted * found.hours / max(spread.low, 1e-9)
    least = max(pack.parallel + 1, math.ceil(min(pack.parallel * goal / found.hours, MOST_PARALLEL + 1)))
    for parallel in range(least, min(least + 2, MOST_PARALLEL + 1)):
        plan = replaced(assessed.plan, altered(pack, parallel=parallel))
        if not _has_room(plan, pack, parallel):
            return None
        hours = assessed.of(plan).runtime
        if hours and hours.hours and hours.hours >= goal:
            return Fix(f"{parallel} cells in parallel instead of {pack.parallel}", f"play {show(hours.hours, 'h')}.", plan)
    return None


@rule("cell-current", station="pack", source="The cell's stated limits")
def cell_current(assessed: Answers) -> Iterator[Finding]:
    """The cells give and take no more current than they are made for."""
    margins = assessed.plan.brief.margins
    for h in assessed.headrooms:
        state = judged(h.spare, margins)
        if h.kind != "cells" or state == "holds":
            continue
        pack = assessed.plan.by_id[h.element]
        assert isinstance(pack, Pack)
        cause = f"All at {h.at_state}, {pack.name} gives {show(h.demand_a, 'A')}; its cells stand {show(h.limit_a, 'A')}."
        search = partial(_one_more, assessed.plan, pack)
        yield Finding(state, pack.id, cause, -h.spare, search, "Use cells made for more current.")
    for charge in assessed.charges:
        pack = assessed.plan.by_id[charge.board.charges]
        if not isinstance(pack, Pack):
            continue
        curves = assessed.op.curves[assessed.plan.stores.index(pack)]
        most, asked = float(current_limit_a(pack, curves, "max_charge_a").min()), charge.board.current_a.likely
        if asked > most + 1e-9:
            cause = f"{charge.board.name} charges with {show(asked, 'A')}; the cells take {show(most, 'A')}."
            yield Finding("fails", pack.id, cause, missed_by(asked, most), partial(_gentler, assessed.plan, charge.board, most))


def _gentler(plan: Plan, board: ChargeBoard, most: float) -> Fix:
    words = f"A charge current of {show(most, 'A')}"
    return Fix(words, "is what the cells take.", replaced(plan, altered(board, current_a=board.current_a.at(most))))


def _has_room(plan: Plan, pack: Pack, parallel: int) -> bool:
    """Whether the bay, where one is given, holds so many: a fix that does not fit would only trade one finding for another."""
    return plan.bay is None or fit(pack.cell, pack.series * parallel, plan.bay).fits


def _one_more(plan: Plan, pack: Pack) -> Fix | None:
    if pack.parallel >= MOST_PARALLEL or not _has_room(plan, pack, pack.parallel + 1):
        return None
    words = f"{pack.parallel + 1} cells in parallel instead of {pack.parallel}"
    return Fix(words, "share the current.", replaced(plan, altered(pack, parallel=pack.parallel + 1)))
