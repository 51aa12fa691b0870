"""Rules of the pack: it lasts, and its cells carry the current."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from briskcell.core.answers import Answers
from briskcell.core.engine.sources import current_limit_a
from briskcell.core.moves.boards import other_boards, other_rails
from briskcell.core.moves.carrying import carried
from briskcell.core.moves.charging import other_chargers
from briskcell.core.moves.fix import Fix
from briskcell.core.moves.layouts import other_layouts
from briskcell.core.moves.packs import other_packs
from briskcell.core.moves.suiting import gentle
from briskcell.core.moves.volts import more_volts
from briskcell.core.moves.warning import lower_warning
from briskcell.core.pack.ending import WARNING
from briskcell.core.rails.headroom import judged
from briskcell.model.changes import replaced
from briskcell.model.parts import Converter, Load
from briskcell.model.stores import ChargeBoard, Pack
from briskcell.model.units import show

from ..registry import Finding, missed_by, rule

STRANDED = 0.1  # of a pack's energy left inside, worth a word: what a board that locks out early costs
TYPICAL_PATH = 0.85  # of the pack's energy that reaches the parts, where nothing plays yet to tell
TYPICAL_USE = 0.95  # of a pack's energy that can be used down to its cut-off


@rule("runtime-brief", station="pack", wish="hours", shown=("brief/brief", "pack/answers"), source="The brief")
def runtime_brief(assessed: Answers) -> Iterator[Finding]:
    """The pack plays as long as the brief asks."""
    found, wanted = assessed.runtime, assessed.plan.brief.hours
    if found is None or found.hours is None or not assessed.falls_short:
        return
    left = f" It stops because {found.stop_words}"
    left += f" with {show(found.stranded_wh, 'Wh')} still inside." if found.stranded_wh > 0.05 * found.energy_wh else "."
    element = assessed.plan.stores[assessed.pack_index or 0].id
    cause = f"It plays {show(found.hours, 'h')}, {show(wanted, 'h')} are wanted.{left}"
    yield Finding(
        "fails",
        element,
        cause,
        missed_by(found.hours, wanted),
        partial(_what_stops_it, assessed),
        "Draw less, or make room for a larger pack.",
    )


@rule(
    "stranded",
    station="pack",
    shown=("pack/answers",),
    worst="close",
    source="Energy left down to the pack's own end, ∫ OCV dQ",
)
def stranded(assessed: Answers) -> Iterator[Finding]:
    """No board and no part ends play with much of the pack's energy still inside."""
    found = assessed.runtime
    if found is None or not found.hours or assessed.falls_short or found.stop_cause in (WARNING, "bank switches off"):
        return
    if found.stranded_wh > STRANDED * found.energy_wh:
        cause = f"Play ends because {found.stop_words}, with {show(found.stranded_wh, 'Wh')} of {show(found.energy_wh, 'Wh')} still inside."
        share = found.stranded_wh / found.energy_wh
        search = partial(_what_stops_it, assessed)
        yield Finding("close", found.stop_element, cause, share, search, "A board or part that works from fewer volts plays on.")


@rule(
    "runtime-range",
    station="pack",
    shown=("brief/brief", "pack/answers"),
    worst="close",
    source="The brief, and the margin that it counts as close",
)
def runtime_range(assessed: Answers) -> Iterator[Finding]:
    """The pack likely plays longer than the brief asks by the margin that counts as close."""
    if assessed.runtime is None or assessed.runtime.hours is None or not assessed.barely_lasts:
        return
    likely, wanted = assessed.runtime.hours, assessed.plan.brief.hours
    chance = assessed.chance_said(wanted)
    cause = f"It likely plays {show(likely, 'h')}, hardly longer than the {show(wanted, 'h')} wanted: the chance is {chance}."
    goal = wanted * (1.0 + assessed.plan.brief.margins.close)
    best = next(iter(assessed.readings), None)
    yield Finding(
        "close",
        assessed.plan.stores[assessed.pack_index or 0].id,
        cause,
        missed_by(likely, goal),
        partial(_more_cells, assessed),
        f"Measure it: {best.words} tells most." if best else "",
    )


def _what_stops_it(assessed: Answers) -> Iterator[Fix]:
    """What mends the very part that ends play, where it is not the pack; else a larger pack."""
    found = assessed.runtime
    stopper = assessed.plan.by_id[found.stop_element] if found else None
    if isinstance(stopper, Converter):
        yield from other_boards(assessed, stopper)
    if isinstance(stopper, Load):
        yield from more_volts(assessed, stopper)
        yield from other_rails(assessed, stopper)
    if found and found.stop_cause == WARNING:
        yield from lower_warning(assessed)
    if found and found.stop_cause == "collapse":
        yield from carried(assessed)
    yield from _more_cells(assessed)
    for pack in assessed.plan.packs:
        yield from other_layouts(assessed, pack)


def _more_cells(assessed: Answers) -> Iterator[Fix]:
    """Packs that hold the energy the brief needs, and carry what is asked."""
    pack, found = assessed.plan.stores[assessed.pack_index or 0], assessed.runtime
    if found is None or not isinstance(pack, Pack):
        return
    wanted, now = assessed.plan.brief.hours, found.hours or 0.0
    goal = wanted if now < wanted else wanted * (1.0 + assessed.plan.brief.margins.close)
    mean_w = found.mean_w or assessed.draw.mean_w / TYPICAL_PATH
    usable = now * mean_w / found.energy_wh if now and found.energy_wh else TYPICAL_USE
    peak = next((h.demand_a for h in assessed.headrooms if h.kind == "cells"), 0.0)
    for spare in (1.0, 1.15):  # the spread of cells and of sag: what just misses is tried once more, a little larger
        yield from other_packs(assessed, pack, least_wh=spare * goal * mean_w / max(usable, 0.2), least_a=peak)


@rule("cell-current", station="pack", shown=("pack/cells",), source="The cell's stated limits")
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
        search = partial(_stronger_cells, assessed, pack, h.demand_a)
        yield Finding(state, pack.id, cause, -h.spare, search, "Use cells made for more current.")
    yield from _filled_together(assessed)
    for charge in assessed.charges:
        pack = assessed.plan.by_id[charge.board.charges]
        if not isinstance(pack, Pack):
            continue
        curves = assessed.op.curves[assessed.plan.stores.index(pack)]
        most, asked = float(current_limit_a(pack, curves, "max_charge_a").min()), charge.board.current_a.likely
        if asked > most + 1e-9:
            cause = f"{charge.board.name} charges with {show(asked, 'A')}; the cells take {show(most, 'A')}."
            yield Finding("fails", pack.id, cause, missed_by(asked, most), partial(_gentler, assessed, charge.board, most))


def _filled_together(assessed: Answers) -> Iterator[Finding]:
    """Boards that each keep to what a pack takes, and together do not: nothing holds them to it."""
    for pack in assessed.plan.packs:
        boards = [b for b in assessed.plan.chargers if b.charges == pack.id]
        curves = assessed.op.curves[assessed.plan.stores.index(pack)]
        most = float(current_limit_a(pack, curves, "max_charge_a").min())
        each, asked = max((b.current_a.likely for b in boards), default=0.0), sum(b.current_a.likely for b in boards)
        if len(boards) > 1 and each <= most + 1e-9 < asked:
            cause = f"{len(boards)} boards charge {pack.name} with {show(asked, 'A')} together; the cells take {show(most, 'A')}."
            search = partial(_gentler, assessed, boards[-1], most - asked + boards[-1].current_a.likely)
            yield Finding("fails", pack.id, cause, missed_by(asked, most), search, "One board, or smaller currents.")


def _gentler(assessed: Answers, board: ChargeBoard, most: float) -> Iterator[Fix]:
    changed = gentle(board, most)
    if changed is not None and changed is not board:
        yield Fix(
            f"A charge current of {show(changed.current_a.likely, 'A')}",
            "is what the cells take.",
            replaced(assessed.plan, changed),
        )
    yield from other_chargers(assessed, board)


def _stronger_cells(assessed: Answers, pack: Pack, demand_a: float) -> Iterator[Fix]:
    """Packs that carry the current with spare, and hold as much as this one."""
    margins, found = assessed.plan.brief.margins, assessed.runtimes[assessed.plan.stores.index(pack)]
    for spare in (margins.comfortable, margins.close):
        yield from other_packs(assessed, pack, least_wh=0.95 * found.energy_wh, least_a=demand_a / max(1.0 - spare, 0.01))
