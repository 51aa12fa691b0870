"""Which other class would do in a part's place: each is put there, and the whole build judged by the rules."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.core.draw.bill import bill
from briskcell.library import PartClass
from briskcell.model.errors import FigureError
from briskcell.model.parts import Load, Part
from briskcell.model.units import show
from briskcell.services.edits.swap import swapped
from briskcell.services.library import classes, classes_for
from briskcell.store.drawer import DrawerRow

MOST_SAID, MOST_SWAPS = 2, 15
LONGER, CHEAPER = 0.02, 0.5  # share of hours, and euros, from which a swap is worth a word


@dataclass(frozen=True, slots=True, kw_only=True)
class Substitute:
    """Another class in a part's place: whether it would do, what would newly fail or be close, and the numbers then.

    ``left`` is how much of the build fails with it.
    """

    known: PartClass
    does: bool
    worse: tuple[str, ...]
    plays_h: float | None
    charge_h: float | None
    spare: float | None
    cost: float
    in_drawer: int
    sold_out: bool
    left: int = 0


@dataclass(frozen=True, slots=True)
class Swap:
    """Another class in one part's place, and what that brings the whole build."""

    part: Part
    other: Substitute
    brings: tuple[str, ...]


def substitutes(assessed: Assessment, part: Part, rows: Sequence[DrawerRow]) -> list[Substitute]:
    """Every other class of the library that may stand in a part's place, the best first.

    Parameters
    ----------
    assessed : Assessment
        The build.
    part : Part
        One of its parts; of a pack, its cells are replaced.
    rows : sequence of DrawerRow
        The drawer.

    Returns
    -------
    list of Substitute
        Those that would do before those that would not, by what they leave worse, what lies in the drawer, and cost.
    """
    key = part.cell.part_class if hasattr(part, "cell") else part.part_class
    had = {(f.rule, f.element): f.state for f in assessed.findings}
    have = {r.part_class: r for r in rows}
    out = []
    for known in classes("cells") if hasattr(part, "cell") else _alike(part):
        if known.key == key:
            continue
        try:
            after = assessed.of(swapped(assessed.plan, part.id, known.key)[0])
            found, least, runtime = after.findings, after.least_spare(), after.runtime
        except FigureError:
            continue  # it cannot stand there at all
        worse = [f for f in found if had.get((f.rule, f.element)) != f.state and had.get((f.rule, f.element)) != "fails"]
        fails = [f for f in worse if f.state == "fails"]
        row = have.get(known.key)
        out.append(
            Substitute(
                known=known,
                does=not fails,
                worse=tuple(f"{f.state}: {f.cause}" for f in (fails or worse)[:MOST_SAID]),
                plays_h=runtime.hours if runtime else None,
                charge_h=after.charges[0].off.hours if after.charges else None,
                spare=least.spare if least else None,
                cost=bill(after.plan).cost,
                in_drawer=row.quantity if row else 0,
                sold_out=bool(row and row.sold_out),
                left=sum(f.state == "fails" for f in found),
            )
        )
    return sorted(out, key=lambda s: (not s.does, s.sold_out, len(s.worse), -min(s.in_drawer, 1), s.cost))


def _alike(part: Part) -> tuple[PartClass, ...]:
    """Classes that do a part's job: of a load those of its own group, a screen for a screen."""
    found = classes_for(part)
    group = next((c.group for c in found if c.key == part.part_class), "") if isinstance(part, Load) else ""
    return tuple(c for c in found if not group or c.group == group)


def across(assessed: Assessment, rows: Sequence[DrawerRow]) -> list[Swap]:
    """Of all parts of a build the swaps that bring it something and leave nothing worse, by what fails then, hours and cost.

    What the console is made of stays: its board, screen, controls and other loads are asked for on their own slips.

    Parameters
    ----------
    assessed : Assessment
        The build.
    rows : sequence of DrawerRow
        The drawer.

    Returns
    -------
    list of Swap
        The best first, of each part the best alone.
    """
    now, cost = assessed.runtime.hours if assessed.runtime else None, bill(assessed.plan).cost
    fails = len(assessed.failing)
    out: list[Swap] = []
    for part in assessed.plan.parts():
        if isinstance(part, Load) or not (part.cell.part_class if hasattr(part, "cell") else part.part_class):
            continue
        found = [
            Swap(part, s, brings)
            for s in substitutes(assessed, part, rows)
            if s.does and not s.worse and not s.sold_out and (brings := _brings(s, fails, now, cost))
        ]
        out += sorted(found, key=_rank)[:1]
    return sorted(out, key=_rank)[:MOST_SWAPS]


def _rank(swap: Swap) -> tuple[float, ...]:
    return swap.other.left, -(swap.other.plays_h or 0.0), swap.other.cost


def _brings(s: Substitute, fails: int, hours: float | None, cost: float) -> tuple[str, ...]:
    """What a swap brings, in words; nothing where it is not worth one."""
    out: list[str] = []
    if (s.known.kind == "cells" and not s.plays_h) or (s.plays_h or 0.0) < (hours or 0.0) * (1 - LONGER):
        return ()  # cells that play nothing, and whatever plays less, are no gain
    if s.left < fails:
        out.append(f"{fails - s.left} less that fails")
    if hours and s.plays_h and s.plays_h > hours * (1 + LONGER):
        out.append(f"{show(s.plays_h - hours, 'h')} more play")
    elif not hours and s.plays_h:
        out.append(f"it plays {show(s.plays_h, 'h')}")
    if cost - s.cost >= CHEAPER:
        out.append(f"{show(cost - s.cost, '€')} less")
    return tuple(out)
