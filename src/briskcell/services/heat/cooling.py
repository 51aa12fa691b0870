"""What makes a case cooler, ranked by what it brings for its money; each can be tried."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.core.draw.bill import bill
from briskcell.core.moves.boards import other_boards
from briskcell.core.moves.case import cooler
from briskcell.core.moves.fix import Fix
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.errors import FigureError
from briskcell.model.plan import Plan
from briskcell.services.aside import kept
from briskcell.services.edits.values import Edit

LEAST_K = 0.2  # a change that brings less is not worth a line
DIMMER = 0.7  # of where a brightness stands
METAL_SHELL = 12.0  # € over a printed one; a guess
HELD = 0.6  # of what hands cover now, held at its edges


@dataclass(frozen=True, slots=True)
class Cooling:
    """One change: its words, the plan, what the skin and the air become cooler by, and what it costs."""

    words: str
    plan: Plan
    skin_k: float
    air_k: float
    money: float
    hours: float


@kept
def coolings(assessed: Assessment) -> tuple[Cooling, ...]:
    """Changes that cool the case: free ones first, then by kelvin for the money.

    Returns
    -------
    tuple of Cooling
        Each told by its words, by which it is taken.
    """
    before, cost = assessed.heat, bill(assessed.plan).cost
    found: dict[str, Cooling] = {}
    for fix in _ways(assessed):
        after = assessed.of(fix.plan)
        skin, air = before.skin_c - after.heat.skin_c, before.air_c - after.heat.air_c
        was, now = (a.runtime.hours if a.runtime and a.runtime.hours else 0.0 for a in (assessed, after))
        if skin >= LEAST_K and fix.words not in found:
            shell = METAL_SHELL if fix.plan.case.material != assessed.plan.case.material else 0.0
            found[fix.words] = Cooling(fix.words, fix.plan, skin, air, max(bill(fix.plan).cost - cost, 0.0) + shell, now - was)
    return tuple(sorted(found.values(), key=lambda c: (c.money > 0, -c.skin_k / max(c.money, 1.0))))


def _ways(assessed: Assessment) -> Iterator[Fix]:
    plan = assessed.plan
    yield from cooler(assessed)
    if plan.case.covered > 0.05:
        case = plan.case.model_copy(update={"covered": round(plan.case.covered * HELD, 3)})
        yield Fix("Held at its edges, so that less of it is covered", "", remade(plan, {"case": case}))
    if plan.case.material != "metal":
        yield Fix("A metal shell", "", remade(plan, {"case": plan.case.model_copy(update={"material": "metal"})}))
    for load in plan.loads:
        if load.settings and load.settings[0].position > 0.3:
            knob = load.settings[0].model_copy(update={"position": round(load.settings[0].position * DIMMER, 2)})
            lower = altered(load, settings=(knob, *load.settings[1:]))
            yield Fix(f"{knob.name} of {load.name} at {knob.position:.0%}", "", replaced(plan, lower))
    for board in plan.converters:
        for fix in list(other_boards(assessed, board))[:3]:
            yield Fix(f"{fix.words.removesuffix(' in its place')} in place of {board.name}", "", fix.plan)


def take(assessed: Assessment, words: str) -> Edit:
    """Make one of the changes.

    Raises
    ------
    FigureError
        If it is no longer among them.
    """
    found = next((c for c in coolings(assessed) if c.words == words), None)
    if found is None:
        raise FigureError("cooling", "This change is no longer among those that cool.", fix="Reload the page.")
    return Edit(found.plan, found.words)
