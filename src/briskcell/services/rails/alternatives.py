"""The two ways to feed from one cell voltage: one board that charges and boosts, or a charger and a boost apart."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.core.draw.bill import bill
from briskcell.core.engine.converters import SAME_OUTPUT_V, same_output
from briskcell.core.engine.operating import operate
from briskcell.core.rails.headroom import headrooms
from briskcell.core.rails.sharing import COMMON_RAIL_V
from briskcell.library import catalogue
from briskcell.model.changes import remade
from briskcell.model.parts import Converter
from briskcell.model.plan import Plan
from briskcell.model.stores import ChargeBoard
from briskcell.model.tree import layout_of
from briskcell.services.aside import kept
from briskcell.services.edits.values import Edit

COMBINED, ITS_CHARGER, APART_CHARGER = "combined-5v-1", "charger-lin-1-cell", "charger-sw-2"


@dataclass(frozen=True, slots=True)
class Alternative:
    """One way: its name, the plan it makes (today's for the way the build goes), and what comes of it."""

    key: str
    name: str
    today: bool
    plan: Plan
    spare: float | None
    runtime_h: float | None
    charge_h: float | None
    skin_c: float
    cost: float
    plays: bool
    fails: int


@kept
def alternatives(assessed: Assessment) -> tuple[Alternative, ...]:
    """Both ways of a build of one cell voltage that is boosted; none where the question does not arise."""
    found = _boards(assessed.plan)
    if found is None:
        return ()
    board, charger = found
    combined_now = board.combined
    if combined_now:
        plans = {"combined": assessed.plan, "apart": _apart(assessed, board, charger)}
    else:
        plans = {"combined": _with(assessed.plan, board, charger, COMBINED, ITS_CHARGER), "apart": assessed.plan}
    names = {"combined": "One board that charges and boosts", "apart": "A charger and a boost, apart"}
    return tuple(_judged(assessed.of(p), k, names[k], (k == "combined") == combined_now, board) for k, p in plans.items())


def take_alternative(assessed: Assessment, key: str) -> Edit:
    """Go the other way."""
    wanted = next((s for s in alternatives(assessed) if s.key == key), None)
    return Edit(wanted.plan, f"{wanted.name} instead") if wanted else Edit(assessed.plan, "")


def _boards(plan: Plan) -> tuple[Converter, ChargeBoard] | None:
    """The boost that feeds about 5 V from a single cell voltage, and the board that charges its pack."""
    board = next((c for c in plan.converters if c.kind == "boost" and abs(c.output_v.likely - COMMON_RAIL_V) < SAME_OUTPUT_V), None)
    single = {p.id for p in plan.packs if p.series == 1}
    charger = next((c for c in plan.chargers if c.charges in single), None)
    return (board, charger) if board and charger else None


def _with(plan: Plan, board: Converter, charger: ChargeBoard, board_key: str, charger_key: str) -> Plan:
    new_board = catalogue().part(board_key, id=board.id, fed_by=board.fed_by)
    new_charger = catalogue().part(
        charger_key, id=charger.id, charges=charger.charges, supply=charger.supply, fed_by=charger.fed_by
    )
    converters = tuple(new_board if c.id == board.id else c for c in plan.converters)
    chargers = tuple(new_charger if c.id == charger.id else c for c in plan.chargers)
    return remade(plan, {"converters": converters, "chargers": chargers})


def _apart(assessed: Assessment, board: Converter, charger: ChargeBoard) -> Plan:
    """The smallest boost that is comfortable, else the largest there is, with a switching charger and a power path."""
    best: Plan | None = None
    for found in catalogue().boards():
        if found.part.kind != "boost" or found.part.combined or not same_output(found.part, board):
            continue
        best = _with(assessed.plan, board, charger, found.key, APART_CHARGER)
        spares = [h.spare for h in headrooms(operate(best), assessed.ends) if h.element == board.id]
        if min(spares, default=0.0) >= assessed.plan.brief.margins.comfortable:
            break
    return best or assessed.plan


def _judged(a: Assessment, key: str, name: str, today: bool, board: Converter) -> Alternative:
    charge = a.charges[0]
    return Alternative(
        key=key,
        name=name,
        today=today,
        plan=a.plan,
        spare=next((h.spare for h in a.headrooms if h.element == board.id), None),
        runtime_h=a.runtime.hours if a.runtime else None,
        charge_h=charge.off.hours,
        skin_c=a.heat.skin_c,
        cost=bill(a.plan).cost,
        plays=layout_of(a.plan, charge.board) == "power_path",
        fails=len(a.failing),
    )
