"""Rules of what belongs together: a charge board, its cells, and its supply."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from itertools import islice

from briskcell.core.answers import Answers
from briskcell.core.charge.charging import OVER_V, end_v
from briskcell.core.charge.supplied import given_v, gives_nothing
from briskcell.core.moves.charging import other_chargers, other_supplies
from briskcell.core.moves.fix import Fix
from briskcell.core.moves.layouts import other_layouts
from briskcell.core.moves.packs import FAMILY_V
from briskcell.core.moves.suiting import reaches, takes
from briskcell.model.changes import altered, replaced
from briskcell.model.stores import Cell, ChargeBoard, Pack, Supply
from briskcell.model.units import show

from ..registry import Finding, missed_by, rule

WHOLE = 0.8  # of a pack's charge, that a board which ends too low has to reach to be no more than a loss
CAUTION = "A lithium cell charged beyond its volts can burn: do not connect this board."


@rule(
    "charger-suits-cells",
    station="charge",
    shown=("charge/charging",),
    source="End volts by chemistry: IEC 62133-2; data sheets of the cells",
)
def charger_suits_cells(assessed: Answers) -> Iterator[Finding]:
    """A charge board is made for its pack: as many cells in series, their end volts, their chemistry."""
    for found in assessed.charges:
        board, pack = found.board, found.store
        if not isinstance(pack, Pack) or not pack.cell.rechargeable:
            continue
        cells = pack.string_cells
        search = partial(_suitable, assessed, board, pack)
        ends, full = end_v(board, pack), min(c.full_v for c in cells) * pack.series
        if not board.cells or board.end_v is None:
            yield Finding(
                "unknown",
                board.id,
                f"{board.name} does not say how many cells in series it charges, and to how many volts.",
                0.1,
                search,
                "Read it from the board, or take a class that says it.",
            )
        elif ends > full + OVER_V * pack.series:
            made = f" made for {_many(board)}" if pack.series not in board.cells else ""
            cause = (
                f"{board.name} ends at {show(ends, 'V')}{made}; {pack.name} is full at {show(full, 'V')}: each cell would be driven to "
                f"{ends / pack.series:.2f} V. {CAUTION}"
            )
            yield Finding("fails", board.id, cause, 3.0 + missed_by(ends, full), search, "A charge board made for these cells.")
        elif pack.series not in board.cells or ends < full - OVER_V * pack.series:
            reached = found.off.end_soc if found.off.hours is not None else 0.0
            state = "close" if pack.series in board.cells and reached >= WHOLE else "fails"
            made = f"is made for {_many(board)} and " if pack.series not in board.cells else ""
            cause = f"{board.name} {made}ends at {show(ends, 'V')}; {pack.name} is full at {show(full, 'V')}: it fills to {reached:.0%}."
            yield Finding(state, board.id, cause, missed_by(ends, full), search, "A charge board made for these cells.")
        elif strange := sorted({c.chemistry for c in cells if c.chemistry not in board.chemistries}):
            cause = f"{board.name} is made for {', '.join(board.chemistries) or 'no chemistry that it names'}; the cells are {', '.join(strange)}."
            yield Finding("fails", board.id, cause, 1.0, search, "A charge board made for this chemistry.")


def _many(board: ChargeBoard) -> str:
    counts = " or ".join(str(n) for n in board.cells)
    return f"{counts} cells in series" if board.cells != (1,) else "one cell"


def _suitable(assessed: Answers, board: ChargeBoard, pack: Pack) -> Iterator[Fix]:
    """Boards for these cells; then cells for this board."""
    yield from islice(other_chargers(assessed, board), 4)
    if board.end_v is not None and pack.series in board.cells:
        for cell in assessed.stock.cells:
            if cell.rechargeable and abs(cell.full_v - board.end_v.likely) < FAMILY_V and cell.chemistry in board.chemistries:
                yield Fix(
                    f"{cell.name} instead of {pack.cell.name}",
                    "is what the board charges.",
                    replaced(assessed.plan, altered(pack, cell=cell, strings=())),
                )
                break
    yield from other_layouts(assessed, pack)


@rule(
    "like-strings",
    station="charge",
    shown=("charge/charging",),
    source="Cells of unlike chemistry in parallel force each other's volts; IEC 62133-2",
)
def like_strings(assessed: Answers) -> Iterator[Finding]:
    """Strings in parallel are of one chemistry, full at one voltage."""
    for pack in assessed.plan.packs:
        kinds = {(s.cell.chemistry, round(s.cell.full_v, 2)): s.cell for s in pack.strings}
        if len(kinds) > 1:
            names = " beside ".join(f"{c.chemistry}, full at {show(c.full_v, 'V')}" for c in kinds.values())
            cause = f"{pack.name} joins unlike cells in parallel: {names}. The one that is full first is driven on by the other. {CAUTION}"
            yield Finding(
                "fails", pack.id, cause, 3.0, partial(_alike, assessed, pack, tuple(kinds.values())), "One kind of cell throughout."
            )


def _alike(assessed: Answers, pack: Pack, cells: tuple[Cell, ...]) -> Iterator[Fix]:
    for cell in sorted(cells, key=lambda c: -c.capacity_ah.likely):
        if cell.rechargeable or not any(b.charges == pack.id for b in assessed.plan.chargers):
            plan = replaced(assessed.plan, altered(pack, cell=cell, parallel=len(pack.strings), strings=()))
            yield Fix(f"{cell.name} in every string", "fill and empty together.", plan)


@rule("charger-input", station="charge", shown=("charge/charging",), source="The board's sheet")
def charger_input(assessed: Answers) -> Iterator[Finding]:
    """A charge board accepts its supply's volts, and gets from them to its end volts."""
    for board in assessed.plan.chargers:
        supply, store = assessed.plan.by_id[board.supply], assessed.plan.by_id[board.charges]
        assert isinstance(supply, Supply)
        search, window = partial(_fed, assessed, board), board.input
        if gives_nothing(board, supply) or given_v(board, supply) < supply.voltage_v.low:
            continue  # of that another rule speaks
        if window is not None and supply.voltage_v.high > (window.absolute_max_v or window.high_v) + 1e-9:
            cause = f"{supply.name} gives up to {show(supply.voltage_v.high, 'V')}; more than {show(window.absolute_max_v or window.high_v, 'V')} destroys {board.name}."
            yield Finding("fails", board.id, cause, 2.5, search, "A supply that the board stands.")
        elif window is not None and not takes(board, supply):
            cause = f"{supply.name} gives {show(given_v(board, supply), 'V')}; {board.name} accepts {show(window.low_v, 'V')} to {show(window.high_v, 'V')}."
            yield Finding("fails", board.id, cause, 1.0, search, "A supply within its window.")
        elif isinstance(store, Pack) and not reaches(board, supply, store.series):
            ends = end_v(board, store)
            how = "only steps up" if board.kind == "step_up" else "only steps down"
            cause = f"{supply.name} gives {show(given_v(board, supply), 'V')}, {store.name} is full at {show(ends, 'V')}, and {board.name} {how}."
            yield Finding("fails", board.id, cause, 1.2, search, "A board that steps up, or a supply with more volts.")


def _fed(assessed: Answers, board: ChargeBoard) -> Iterator[Fix]:
    """The cheaper first: another supply, then another board."""
    yield from other_supplies(assessed, board)
    yield from other_chargers(assessed, board)
