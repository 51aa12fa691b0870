"""Other cells, and other numbers of them, in the bay there is."""

from __future__ import annotations

import math
from collections.abc import Iterator

from briskcell.core.answers import Answers
from briskcell.core.draw.bill import part_figures
from briskcell.core.pack.fit import fit
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.parts import Fed
from briskcell.model.plan import Plan
from briskcell.model.stores import Cell, Pack
from briskcell.model.units import show

from .fix import Fix

MOST_PARALLEL = 12  # cells in parallel that a fix proposes
FAMILY_V = 0.06  # between full volts of cells that one charge board fills


def other_packs(assessed: Answers, pack: Pack, *, least_wh: float = 0.0, least_a: float = 0.0) -> Iterator[Fix]:
    """Packs of one chemistry's volts that fit the bay, hold that energy and carry that current, the cheapest first.

    Parameters
    ----------
    assessed : Answers
        The build.
    pack : Pack
        The pack to replace; its cells in series stay.
    least_wh : float
        Energy it must hold. [Wh]
    least_a : float
        Current it must carry. [A]

    Yields
    ------
    Fix
        Plans with another number of the same cells first, then with other cells.
    """
    if not pack.cell.rechargeable or pack.strings:
        return
    own = [pack.cell]
    others = [c for c in proven(assessed) if abs(c.full_v - pack.cell.full_v) < FAMILY_V and c != pack.cell]
    found: list[tuple[float, int, Cell, int]] = []
    for k, cell in enumerate((*own, *others)):
        parallel = parallel_for(cell, pack.series, least_wh, least_a)
        if parallel > MOST_PARALLEL or not has_room(assessed, cell, pack.series * parallel):
            continue
        changed = altered(pack, cell=cell, parallel=parallel)
        if changed != pack:
            found.append((part_figures(changed)[0] or 1e6, k, cell, parallel))
    found.sort(key=lambda f: (f[2] is not pack.cell, f[0]))
    for _, _, cell, parallel in found:
        plan = replaced(assessed.plan, altered(pack, cell=cell, parallel=parallel))
        if cell is pack.cell:
            words = f"{parallel} cells in parallel instead of {pack.parallel}"
        else:
            words = f"{pack.series * parallel} × {cell.name}" + (f", {pack.series} in series" if pack.series > 1 else "")
        yield Fix(words, _hours(assessed, plan), plan)


def proven(assessed: Answers) -> list[Cell]:
    """Cells within reach that can be charged and whose label can be trusted: none that stands for an unproven wrapper.

    Parameters
    ----------
    assessed : Answers
        The build.

    Returns
    -------
    list of Cell
        In the order of the library.
    """
    return [c for c in assessed.stock.cells if c.rechargeable and c.measured_ah is None]


def parallel_for(cell: Cell, series: int, least_wh: float, least_a: float = 0.0) -> int:
    """How many strings hold an energy and carry a current.

    Parameters
    ----------
    cell : Cell
        The cell.
    series : int
        Cells in each string.
    least_wh, least_a : float
        Energy they must hold [Wh], and current they must carry [A].

    Returns
    -------
    int
        One at least.
    """
    energy = _cell_wh(cell) * series
    return max(1, math.ceil(least_wh / energy - 1e-9), math.ceil(least_a / cell.max_discharge_a.likely - 1e-9))


def _cell_wh(cell: Cell) -> float:
    return cell.ocv.value[len(cell.ocv.value) // 2] * cell.capacity_ah.likely * cell.health


def has_room(assessed: Answers, cell: Cell, count: int) -> bool:
    """Whether the bay, where one is given, holds so many: what does not fit would only trade one finding for another.

    Parameters
    ----------
    assessed : Answers
        The build.
    cell : Cell
        The cell.
    count : int
        How many.

    Returns
    -------
    bool
        True also where no bay is given.
    """
    bay = assessed.plan.bay
    return bay is None or fit(cell, count, bay).fits


def _hours(assessed: Answers, plan: Plan) -> str:
    changed = assessed.of(plan)
    if changed.runtime and changed.runtime.hours:
        return f"play {show(changed.runtime.hours, 'h')}."
    return f"hold {show(changed.runtimes[0].energy_wh, 'Wh')}."


def as_many_as_fit(assessed: Answers, pack: Pack) -> Iterator[Fix]:
    """Packs as large as the bay allows, the most energy first.

    Parameters
    ----------
    assessed : Answers
        The build; it names a bay.
    pack : Pack
        The pack that does not fit.

    Yields
    ------
    Fix
        Plans with as many cells of one class as fit.
    """
    bay, found = assessed.plan.bay, []
    if bay is None or pack.strings:
        return
    for cell in (pack.cell, *proven(assessed)):
        parallel = min(fit(cell, 1, bay).most // pack.series, MOST_PARALLEL)
        if parallel >= 1 and abs(cell.full_v - pack.cell.full_v) < FAMILY_V:
            found.append((_cell_wh(cell) * parallel, parallel, cell))
    for _, parallel, cell in sorted(found, key=lambda f: (-f[0], f[1])):
        plan = replaced(assessed.plan, altered(pack, cell=cell, parallel=parallel))
        words = (
            f"{parallel} in parallel instead of {pack.parallel}" if cell is pack.cell else f"{pack.series * parallel} × {cell.name}"
        )
        yield Fix(words, "fit.", plan)


def as_one(assessed: Answers) -> Iterator[Fix]:
    """All packs of like cells put together as one, in parallel, with the first one's charger alone.

    Parameters
    ----------
    assessed : Answers
        A build with more than one pack.

    Yields
    ------
    Fix
        None where the packs are of unlike cells, or of other counts in series.
    """
    plan = assessed.plan
    if len(plan.packs) < 2:
        return
    first, *others = plan.packs
    like = all(p.cell.part_class == first.cell.part_class and p.series == first.series and not p.strings for p in plan.packs)
    if not like or first.strings or not first.cell.part_class:
        return
    gone = {p.id for p in others}
    chargers = tuple(c for c in plan.chargers if c.charges not in gone)
    used = {c.supply for c in chargers} | {p.fed_by for p in plan.parts() if isinstance(p, Fed)}
    whole = altered(first, parallel=sum(p.parallel for p in plan.packs))
    kept = {"packs": (whole,), "chargers": chargers, "supplies": tuple(s for s in plan.supplies if s.id in used)}
    moved = {
        name: tuple(altered(p, fed_by=first.id) if getattr(p, "fed_by", None) in gone else p for p in getattr(plan, name))
        for name in ("links", "converters", "rails", "loads")
    }
    balancers = tuple(b for b in plan.balancers if b.charges not in gone)
    trickles = tuple(altered(t, charges=first.id) if t.charges in gone else t for t in plan.trickles)
    joined = remade(plan, {**kept, **moved, "balancers": balancers, "trickles": trickles})
    yield Fix(
        f"{first.name} of {whole.parallel} in parallel, in the place of {len(plan.packs)} packs",
        "is filled at one port, and none is forgotten.",
        joined,
    )
