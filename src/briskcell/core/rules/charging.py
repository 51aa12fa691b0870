"""Rules of charging: it fills in time, and as the brief asks."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from briskcell.core.answers import Answers
from briskcell.core.charge.charging import Charge, charge
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.stores import Pack
from briskcell.model.units import show

from .registry import Finding, Fix, missed_by, rule


@rule("charge-brief", station="charge", source="The brief")
def charge_brief(assessed: Answers) -> Iterator[Finding]:
    """The pack fills within the hours of the brief, and charges in play where the brief asks for it."""
    wanted = assessed.plan.brief.charge_hours
    for c in assessed.charges:
        if c.off.hours is None:
            yield Finding("fails", c.board.id, f"{c.board.name} never fills the pack. {c.off.why}", 2.0,
                          advice="Give the charger a supply that carries it.")  # fmt: skip
        elif c.off.hours > wanted + 1e-9:
            cause = f"{c.board.name} fills the pack in {show(c.off.hours, 'h')}; {show(wanted, 'h')} are wanted."
            yield Finding("fails", c.board.id, cause, missed_by(c.off.hours, wanted), partial(_faster, assessed, c),
                          "A stronger supply or charge board, or a smaller pack.")  # fmt: skip
        if assessed.plan.brief.play_while_charging and c.play.hours is None:
            yield Finding("fails", c.board.id, f"It does not fill while someone plays. {c.play.why}", 0.25,
                          advice="A power path and a supply with current to spare feed both.")  # fmt: skip


@rule("load-on-charging-cell", station="charge", source="A charger that watches a cell with a load on it may never end")
def load_on_charging_cell(assessed: Answers) -> Iterator[Finding]:
    """The console is not fed from the cell that charges."""
    for board in assessed.plan.chargers:
        if board.layout == "on_cell" and assessed.plan.fed.get(board.charges):
            plan = replaced(assessed.plan, altered(board, layout="cut_out"))
            yield Finding("fails", board.id, f"The console hangs on the cell that {board.name} charges: its current hides the end of the charge.",
                          0.2, partial(Fix, "A jack that cuts the console out while it charges", "lets the charge end.", plan))  # fmt: skip


@rule("series-balance", station="charge", source="Cells in series drift apart; M. M. Ur Rehman et al., IEEE JESTPE 3(1), 2015")
def series_balance(assessed: Answers) -> Iterator[Finding]:
    """Cells in series are balanced while they charge."""
    for board in assessed.plan.chargers:
        store = assessed.plan.by_id[board.charges]
        if isinstance(store, Pack) and store.series > 1 and not board.balancing:
            plan = replaced(assessed.plan, altered(board, balancing=True))
            yield Finding("fails", board.id, f"{board.name} charges {store.series} cells in series without balancing them.", 0.8,
                          partial(Fix, "A charge board that balances", "keeps the cells together.", plan))  # fmt: skip


@rule("charge-temperature", station="charge", source="Lithium cells: 0 to 45 °C in charge, −20 to 60 °C in use; IEC 62133-2")
def charge_temperature(assessed: Answers) -> Iterator[Finding]:
    """Cells are charged and used within their temperatures."""
    brief = assessed.plan.brief
    filled = {b.charges for b in assessed.plan.chargers}
    for pack in assessed.plan.packs:
        cell = pack.cell
        outside = not cell.charge_low_c <= brief.cells_c <= cell.charge_high_c
        if pack.id in filled and (outside or brief.room_c > cell.charge_high_c):
            at = brief.cells_c if outside else brief.room_c
            cause = (
                f"The cells would be charged at {at:.0f} °C; they are rated {cell.charge_low_c:.0f} to {cell.charge_high_c:.0f} °C."
            )
            yield Finding("fails", pack.id, cause, 0.7, advice="Charge them indoors, at room temperature.")
        if not cell.use_low_c <= brief.cells_c <= cell.use_high_c:
            cause = f"The cells would be used at {brief.cells_c:.0f} °C; they are rated {cell.use_low_c:.0f} to {cell.use_high_c:.0f} °C."
            yield Finding("fails", pack.id, cause, 0.7, advice="Keep them warmer or cooler.")


@rule("only-rechargeable", station="charge", source="The cell's chemistry")
def only_rechargeable(assessed: Answers) -> Iterator[Finding]:
    """No primary cell is charged."""
    for board in assessed.plan.chargers:
        store = assessed.plan.by_id[board.charges]
        if isinstance(store, Pack) and not store.cell.rechargeable:
            plan = remade(assessed.plan, {"chargers": tuple(b for b in assessed.plan.chargers if b.id != board.id)})
            yield Finding("fails", store.id, f"{store.cell.name} must not be charged; {board.name} would.", 2.0,
                          partial(Fix, f"The build without {board.name}", "leaves it alone.", plan))  # fmt: skip


def _faster(assessed: Answers, slow: Charge) -> Fix | None:
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
