"""Which other class would do in a part's place: each is put there, and the whole build judged by the rules."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.core.draw.bill import bill
from briskcell.library import PartClass
from briskcell.model.errors import FigureError
from briskcell.model.parts import Part
from briskcell.services.edits.swap import swapped
from briskcell.services.library import classes, classes_for
from briskcell.store.drawer import DrawerRow

MOST_SAID = 2


@dataclass(frozen=True, slots=True, kw_only=True)
class Substitute:
    """Another class in a part's place: whether it would do, what would newly fail or be close, and the numbers then."""

    known: PartClass
    does: bool
    worse: tuple[str, ...]
    plays_h: float | None
    charge_h: float | None
    spare: float | None
    cost: float
    in_drawer: int
    sold_out: bool


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
    for known in classes("cells") if hasattr(part, "cell") else classes_for(part):
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
        out.append(Substitute(
            known=known, does=not fails, worse=tuple(f"{f.state}: {f.cause}" for f in (fails or worse)[:MOST_SAID]),
            plays_h=runtime.hours if runtime else None, charge_h=after.charges[0].off.hours if after.charges else None,
            spare=least.spare if least else None, cost=bill(after.plan).cost, in_drawer=row.quantity if row else 0,
            sold_out=bool(row and row.sold_out),
        ))  # fmt: skip
    return sorted(out, key=lambda s: (not s.does, s.sold_out, len(s.worse), -min(s.in_drawer, 1), s.cost))
