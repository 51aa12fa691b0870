"""Every pack of the cells at hand that fits: how thick it lies, what it holds, how long it plays."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np

from briskcell.core.engine.operating import operate
from briskcell.core.pack.ending import closer
from briskcell.core.pack.fit import best_placing, stack_mm
from briskcell.core.pack.runtime import runtime
from briskcell.core.rails.headroom import headrooms
from briskcell.model.changes import altered, replaced
from briskcell.model.plan import Bay, Plan
from briskcell.model.stores import Cell, Pack

# Finer where the voltage falls fast: towards empty.
COARSE_SOC = np.array([1.0, 0.9, 0.75, 0.6, 0.45, 0.3, 0.2, 0.13, 0.08, 0.04, 0.015, 0.0])
MOST_PARALLEL = 12
SAME_FLOAT_V = 0.06  # charge boards end within 1 %, 0.05 V of a cell; chemistries lie 0.15 V apart and more


@dataclass(frozen=True, slots=True, kw_only=True)
class Candidate:
    """One pack in a build's place: hours None where it carries nothing, ``frontier`` where none thinner plays longer."""

    cell: Cell
    series: int
    parallel: int
    energy_wh: float
    runtime_h: float | None
    thickness_mm: float
    mass_g: float | None
    cost: float | None
    spare: float
    frontier: bool = False


def candidates(plan: Plan, pack: Pack, cells: Iterable[Cell], bay: Bay) -> tuple[Candidate, ...]:
    """All packs of some cells, in a pack's series count, that fit a bay, judged in the build.

    Runtime is read on a coarser grid than the build's own: within a hundredth of it.

    Parameters
    ----------
    plan : Plan
        The build.
    pack : Pack
        The pack of it to be replaced.
    cells : iterable of Cell
        Cells to choose from; those that charge to other volts than today's are left out, as the charge board would not suit.
    bay : Bay
        The room for the pack.

    Returns
    -------
    tuple of Candidate
        Longest runtime first.
    """
    found = []
    for cell in cells:
        placing = best_placing(cell, bay)
        if placing is None or not same_charge(cell, pack.cell):
            continue
        for parallel in range(1, min(placing.cells // pack.series, MOST_PARALLEL) + 1):
            new = altered(pack, cell=cell, parallel=parallel, strings=())
            found.append(_judged(replaced(plan, new), new, stack_mm(placing, parallel * pack.series)))
    best, out = 0.0, []
    for c in sorted(found, key=lambda c: (round(c.thickness_mm, 1), -(c.runtime_h or 0.0))):
        ahead = (c.runtime_h or 0.0) > best * 1.001
        best = max(best, c.runtime_h or 0.0)
        out.append(replace(c, frontier=ahead))
    return tuple(sorted(out, key=lambda c: (-(c.runtime_h or 0.0), -c.energy_wh)))


def same_charge(cell: Cell, other: Cell) -> bool:
    """Whether one charge board suits both cells.

    Parameters
    ----------
    cell, other : Cell
        Cell classes.

    Returns
    -------
    bool
        True where both are charged, or neither is, and to the same volts.
    """
    return cell.rechargeable == other.rechargeable and abs(cell.full_v - other.full_v) <= SAME_FLOAT_V


def _judged(plan: Plan, pack: Pack, thickness_mm: float) -> Candidate:
    op, index = operate(plan, closer(plan, COARSE_SOC)), plan.stores.index(pack)
    found = runtime(op, index)
    count = pack.series * pack.parallel
    cell = pack.cell
    return Candidate(
        cell=cell,
        series=pack.series,
        parallel=pack.parallel,
        energy_wh=found.energy_wh,
        runtime_h=found.hours,
        thickness_mm=thickness_mm,
        mass_g=cell.mass_g and cell.mass_g * count,
        cost=None if cell.cost is None else cell.cost * count,
        spare=min((h.spare for h in headrooms(op, [runtime(op, k).stop_soc for k in range(len(op.curves))])), default=1.0),
    )
