"""Another number of cells in series, with the charge board, supply and regulators that then belong to it."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice

from briskcell.core.answers import Answers
from briskcell.core.engine.converters import same_output
from briskcell.model.changes import altered, replaced, warned
from briskcell.model.parts import Converter
from briskcell.model.plan import Plan
from briskcell.model.stores import Cell, ChargeBoard, Pack, Supply
from briskcell.model.tree import boards_above, source_of

from .boards import stands
from .charging import other_chargers
from .fix import Fix, placed, within
from .guards import protection_for
from .packs import FAMILY_V, MOST_PARALLEL, has_room, parallel_for, proven
from .suiting import carries, set_for

USUAL_V = 4.2  # full volts of the cells that most boards are made for


def other_layouts(assessed: Answers, pack: Pack) -> Iterator[Fix]:
    """The pack with fewer or more cells in series and as much energy, and everything around it that this asks for.

    Parameters
    ----------
    assessed : Answers
        The build.
    pack : Pack
        The pack to lay out anew.

    Yields
    ------
    Fix
        Whole plans: pack, charge board, supply and the regulators at the pack.
    """
    usual = [c for c in proven(assessed) if abs(c.full_v - USUAL_V) < FAMILY_V and has_room(assessed, c, 1)]
    keep = pack.cell if pack.cell.rechargeable else next(iter(usual), None)
    if keep is None or pack.strings:
        return
    others = [c for c in usual if c.part_class != keep.part_class]
    energy = assessed.plan.brief.hours * max(assessed.draw.mean_w, 0.05) / 0.85
    for series in (1, 2, 3, 4):
        for cell in (keep, *sorted(others, key=lambda c: (c.cost or 0.0) / c.capacity_ah.likely)[:2]):
            changed = _sized(pack, cell, series, energy)
            if changed is None or not has_room(assessed, cell, series * changed.parallel):
                continue
            plan = _regulated(assessed, _warned(replaced(assessed.plan, changed), series / pack.series), changed)
            if plan is None:
                continue
            words = f"{series} in series, {changed.parallel} in parallel of {cell.name}"
            boards = [b for b in plan.chargers if b.charges == pack.id]
            if not boards:
                yield Fix(words, "with the regulators they need.", plan)
                continue
            if (kept := _still_suits(plan, boards[0], changed)) is not None:
                yield Fix(words, "with the regulators they need; the charge board stays.", replaced(plan, kept))
                continue
            for fix in islice(other_chargers(assessed.of(plan), altered(boards[0], part_class=""), pack=changed), 2):
                yield Fix(f"{words}; {fix.words}", "and the regulators they need.", fix.plan)


def _warned(plan: Plan, times: float) -> Plan:
    """The plan with its warning at the same volts a cell."""
    set_v = plan.shutdown.warning_v
    if set_v is None or times == 1.0:
        return plan
    return warned(plan, set_v * times)


def _sized(pack: Pack, cell: Cell, series: int, energy_wh: float) -> Pack | None:
    parallel = parallel_for(cell, series, energy_wh)
    if parallel > MOST_PARALLEL or (cell is pack.cell and series == pack.series):
        return None
    guard = pack.protection
    if guard is not None:  # a protection board is bought for its pack
        trip = max(guard.trip_a.likely, round(0.8 * cell.max_discharge_a.likely * parallel, 1))
        cutoff = guard.cutoff_cell_v if cell.empty_v - 0.4 < guard.cutoff_cell_v < cell.full_v - 0.6 else cell.empty_v
        made = protection_for(cell, series, parallel, cutoff)
        trips = guard.trip_a.at(trip, grade="typical", source="protection board class")
        bought = {"over_cell_v": made.over_cell_v, "cost": made.cost} if guard.over_cell_v is not None else {}
        guard = guard.model_copy(update={"trip_a": trips, "cutoff_cell_v": cutoff, **bought})
    return altered(pack, cell=cell, series=series, parallel=parallel, protection=guard)


def _still_suits(plan: Plan, board: ChargeBoard, pack: Pack) -> ChargeBoard | None:
    """The charge board that is there, set to what the pack takes; None where it is not made for it or its supply falls short."""
    kept, supply = set_for(board, pack), plan.by_id[board.supply]
    return kept if kept is not None and isinstance(supply, Supply) and carries(supply, kept, pack.series) else None


def _regulated(assessed: Answers, plan: Plan, pack: Pack) -> Plan | None:
    """The plan with every regulator at the pack one that works from its volts; None where the library has none."""
    low = max(pack.cell.empty_v, pack.protection.cutoff_cell_v if pack.protection else 0.0) * pack.series
    high = pack.cell.full_v * pack.series
    for board in plan.converters:
        if source_of(plan, board).id != pack.id or boards_above(plan, board) or stands(board, low, high):
            continue
        fits = [c for c in assessed.stock.plain if same_output(c, board) and stands(c, low, high)]
        if not fits:
            return None
        strong = sorted(fits, key=lambda c: (not _as_strong(c, board), c.cost or 0.0))[0]
        new = placed(board, strong)
        plan = replaced(plan, within(new, "output_v", board.output_v.likely) or new)
    for load in plan.loads:
        window = load.window
        if (
            source_of(plan, load).id == pack.id
            and not boards_above(plan, load)
            and not (window.low_v <= low and high <= window.high_v)
        ):
            return None
    return plan


def _as_strong(candidate: Converter, board: Converter) -> bool:
    if candidate.switch_current_a is None or board.switch_current_a is None:
        return True
    return candidate.switch_current_a.likely >= board.switch_current_a.likely * (0.6 if candidate.kind == "buck" else 1.0)
