"""The two ways to feed from one cell voltage: one board that charges and boosts, or a charger and a boost apart."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.core.draw.bill import bill
from briskcell.core.engine.converters import SAME_OUTPUT_V, same_output
from briskcell.core.engine.operating import operate
from briskcell.core.moves.fix import placed
from briskcell.core.moves.suiting import charges
from briskcell.core.moves.whole_boards import seated
from briskcell.core.rails.headroom import headrooms
from briskcell.core.rails.sharing import COMMON_RAIL_V
from briskcell.model.parts import Converter
from briskcell.model.plan import Plan
from briskcell.model.stores import ChargeBoard, Pack
from briskcell.model.tree import layout_of, source_of
from briskcell.services.aside import kept
from briskcell.services.edits.values import Edit


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
    board = _board(assessed.plan)
    if board is None:
        return ()
    one_now = _charges_too(assessed.plan, board)
    other = _other_way(assessed, board, one=not one_now)
    if other is None:
        return ()
    plans = {"combined": assessed.plan, "apart": other} if one_now else {"combined": other, "apart": assessed.plan}
    names = {"combined": "One board that charges and boosts", "apart": "A charger and a boost, apart"}
    return tuple(_judged(assessed.of(p), k, names[k], (k == "combined") == one_now, board) for k, p in plans.items())


def take_alternative(assessed: Assessment, key: str) -> Edit:
    """Go the other way."""
    wanted = next((s for s in alternatives(assessed) if s.key == key), None)
    return Edit(wanted.plan, f"{wanted.name} instead") if wanted else Edit(assessed.plan, "")


def _board(plan: Plan) -> Converter | None:
    """The boost that makes about 5 V from a single cell voltage that is charged inside."""
    single = {p.id for p in plan.packs if p.series == 1} & {c.charges for c in plan.chargers}
    fives = (c for c in plan.converters if c.kind == "boost" and abs(c.output_v.likely - COMMON_RAIL_V) < SAME_OUTPUT_V)
    return next((c for c in fives if c.half_of is None and source_of(plan, c).id in single), None)


def _charges_too(plan: Plan, board: Converter) -> bool:
    """Whether a board has a charging half."""
    return any(isinstance(h, ChargeBoard) for h in plan.halves.get(board.id, ()))


def _other_way(assessed: Assessment, board: Converter, *, one: bool) -> Plan | None:
    """The cheapest board of the other way that is comfortable, else the last there is, with what charges then."""
    stock, best = assessed.stock, None
    alike = [c for c in stock.converters if c.kind == "boost" and same_output(c, board)]
    for found in sorted(alike, key=lambda c: c.cost or 0.0):
        half, pack = stock.charging_half(found.part_class), source_of(assessed.plan, board)
        if (half is not None) != one or (half and isinstance(pack, Pack) and not charges(half, pack)):
            continue
        if (plan := seated(assessed.plan, stock, placed(board, found))) is None:
            continue
        best = plan
        spares = [h.spare for h in headrooms(operate(best), assessed.ends) if h.element == board.id]
        if min(spares, default=0.0) >= assessed.plan.brief.margins.comfortable:
            break
    return best


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
