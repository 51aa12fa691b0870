"""Rules of charging: it fills in time, and as the brief asks."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from typing import TYPE_CHECKING

from briskcell.core.changes import altered, replaced
from briskcell.core.charging import Charge, charge
from briskcell.model.parts import Pack
from briskcell.model.units import show

from .registry import Finding, Fix, rule

if TYPE_CHECKING:
    from briskcell.core.assess import Assessment


@rule("charge-brief", station="charge", source="The brief")
def charge_brief(assessed: Assessment) -> Iterator[Finding]:
    """The pack fills within the hours of the brief, and charges in play where the brief asks for it."""
    wanted = assessed.plan.brief.charge_hours
    for c in assessed.charges:
        if c.off.hours is None:
            yield Finding("fails", c.board.id, f"{c.board.name} never fills the pack. {c.off.why}", 2.0,
                          advice="Give the charger a supply that carries it.")  # fmt: skip
        elif c.off.hours > wanted + 1e-9:
            cause = f"{c.board.name} fills the pack in {show(c.off.hours, 'h')}; {show(wanted, 'h')} are wanted."
            yield Finding("fails", c.board.id, cause, c.off.hours / wanted - 1, partial(_faster, assessed, c),
                          "A stronger supply or charge board, or a smaller pack.")  # fmt: skip
        if assessed.plan.brief.play_while_charging and c.play.hours is None:
            yield Finding("fails", c.board.id, f"It does not fill while someone plays. {c.play.why}", 0.25,
                          advice="A power path and a supply with current to spare feed both.")  # fmt: skip


def _faster(assessed: Assessment, slow: Charge) -> Fix | None:
    """A higher charge current, within what the cells take and the supply gives."""
    board, pack = slow.board, assessed.plan.by_id[slow.board.charges]
    if not isinstance(pack, Pack):
        return None
    most = min(pack.cell.max_charge_a.likely * pack.parallel, slow.supply.current_limit_a.likely)
    if most <= board.current_a.likely * 1.02 or slow.off.hours is None:
        return None
    plan = replaced(assessed.plan, altered(board, current_a=board.current_a.at(round(most, 2))))
    changed = plan.by_id[board.id]
    hours = charge(assessed.op, changed, slow.off.start_soc).off.hours  # type: ignore[arg-type]
    if hours is None or hours > slow.off.hours * 0.98:
        return None
    return Fix(f"A charge current of {show(most, 'A')}", f"fills it in {show(hours, 'h')}.", plan)
