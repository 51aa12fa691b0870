"""Rules of what the console does while it charges: on the cells, on an output of the board, cut out, switched off."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from briskcell.core.answers import Answers
from briskcell.core.moves.charging import jack_for, other_chargers
from briskcell.core.moves.fix import Fix, only
from briskcell.core.moves.switching import switch_behind, switches_before
from briskcell.model.changes import altered, replaced
from briskcell.model.parts import Converter, Fed, Link, Load, State
from briskcell.model.plan import Plan
from briskcell.model.stores import ChargeBoard
from briskcell.model.tree import feeders_of, layout_of, source_of
from briskcell.model.units import show

from ..registry import Finding, rule

SWITCH_OFF = " Nobody wants to play meanwhile, and its switch cuts it off: switch off to charge."


@rule(
    "load-on-charging-cell",
    station="charge",
    wish="play_while_charging",
    shown=("charge/charging",),
    source="A charger that watches a cell with a load on it may never end",
)
def load_on_charging_cell(assessed: Answers) -> Iterator[Finding]:
    """The console is not fed from the cell that charges."""
    for board in assessed.plan.chargers:
        if _on_cells(assessed.plan, board) and not _has_output(assessed, board):
            off = not assessed.plan.brief.play_while_charging and _hard_off(assessed.plan, board.charges)
            off = off and not switches_before(assessed.plan, board)
            cause = f"The console hangs on the cell that {board.name} charges: its current hides the end of the charge."
            advice = "Switch it off to charge, or put in a power path, or a jack that cuts the console out."
            search = partial(_parted, assessed, board)
            yield Finding("close" if off else "fails", board.id, f"{cause}{SWITCH_OFF if off else ''}", 0.2, search, advice)


@rule(
    "charge-behind-switch",
    station="charge",
    shown=("charge/charging",),
    source="A board that charges and boosts has one pair of pads for the cells: what lies before it, lies in its charge",
)
def charge_behind_switch(assessed: Answers) -> Iterator[Finding]:
    """A board that charges as well reaches its cells with the console off."""
    plan = assessed.plan
    for board in plan.chargers:
        for switch in switches_before(plan, board):
            latches = switch.latching or switch.acts is not None
            cause = f"{switch.name} lies between the cells and {plan.by_id[board.half_of or ''].name}, which charges them: " + (
                "it lets go when the cells are empty, and then nothing charges." if latches else "switched off, nothing charges."
            )
            yield Finding(
                "fails" if latches or not plan.brief.play_while_charging else "close",
                board.id,
                cause,
                0.1 if latches else 0.05,
                partial(_unswitched, assessed, board, switch),
                "Put it at the output of the board, or take a charge board of its own.",
            )


def _unswitched(assessed: Answers, board: ChargeBoard, switch: Link) -> Iterator[Fix]:
    whole = assessed.plan.by_id[board.half_of or ""]
    if isinstance(whole, Converter) and (moved := switch_behind(assessed.plan, switch, whole)) is not None:
        yield moved
    yield from other_chargers(assessed, board)


@rule(
    "system-output",
    station="charge",
    wish="play_while_charging",
    shown=("charge/charging",),
    source="A board that feeds the console itself has an output for that; on the cells, its current hides the end of the charge",
)
def system_output(assessed: Answers) -> Iterator[Finding]:
    """A console hangs on the output that its charge board has for it, not on the cells."""
    for board in assessed.plan.chargers:
        if _on_cells(assessed.plan, board) and _has_output(assessed, board):
            yield Finding(
                "fails",
                board.id,
                f"{board.name} has an output for the console, and the console hangs on the cells: it takes the current that the board "
                "ends the charge by.",
                0.2,
                only("The console on its output", "feeds it first, and charges with what is left.", _on_output(assessed, board)),
                "Join the console to the board's output.",
            )


def _on_cells(plan: Plan, board: ChargeBoard) -> bool:
    """Whether a console hangs on the cells that a board charges."""
    return layout_of(plan, board) == "on_cell" and bool(plan.fed.get(board.charges))


def _has_output(assessed: Answers, board: ChargeBoard) -> bool:
    """Whether a board has an output that feeds a console: it states its path from the cells, or its class is one that has."""
    known = assessed.stock.of_class(board.part_class)
    return board.battery_path_ohm is not None or getattr(known, "layout", "") == "power_path"


def _on_output(assessed: Answers, board: ChargeBoard) -> Plan:
    known = assessed.stock.of_class(board.part_class)
    figures = {n: getattr(board, n) or getattr(known, n, None) for n in ("battery_path_ohm", "battery_path_a")}
    return replaced(assessed.plan, altered(board, layout="power_path", **figures))


def _hard_off(plan: Plan, store: str) -> bool:
    """Whether a switch thrown by hand cuts everything off that hangs on a store."""
    fed = [p for p in plan.loads if source_of(plan, p).id == store]
    return bool(fed) and all(
        any(isinstance(k, Link) and k.kind == "switch" and k.acts is None for k in feeders_of(plan, p)) for p in fed
    )


ENDS_SHARE = 0.5  # of the current that ends a charge, that what is not cut out may take: a guess


@rule(
    "cut-out-whole",
    station="charge",
    shown=("charge/charging",),
    source="What hangs before the contact stays on the cells: its current hides the end of the charge",
)
def cut_out_whole(assessed: Answers) -> Iterator[Finding]:
    """A jack that cuts the console out cuts out all that draws."""
    plan, op = assessed.plan, assessed.op
    for board in plan.chargers:
        if layout_of(plan, board) != "cut_out":
            continue
        aside = [
            (k, p) for k, p in enumerate(op.network.loads) if source_of(plan, p).id == board.charges and not _behind_jack(plan, p)
        ]
        if not aside or len(aside) == len(op.network.loads):  # where nothing hangs behind one, another rule says so
            continue
        watts = {p.name: float(op.load_w[State.PLAY, op.half, k]) for k, p in aside}
        amps = sum(watts.values()) / max(float(op.store_v[State.PLAY, op.half, op.network.stores.index(board.charges)]), 0.1)
        if amps > ENDS_SHARE * board.termination_a.likely:
            most = max(watts, key=watts.__getitem__)
            cause = f"{most} hangs before the jack that cuts the console out: {show(amps, 'A')} stay on the cells that charge."
            search = partial(_behind_it, plan, tuple(p for _, p in aside))
            yield Finding("fails", board.id, cause, 0.15, search, "Hang it behind the jack.")


def _behind_it(plan: Plan, aside: tuple[Load, ...]) -> Iterator[Fix]:
    """What hangs before a jack behind it: each by the part right at the way that leads to the jack."""
    jack = next((k for k in plan.links if k.kind == "jack"), None)
    if jack is None:
        return
    before, changed = {p.id for p in feeders_of(plan, jack)}, plan
    for load in aside:
        top: Fed = load
        while top.fed_by not in before and isinstance(feeder := plan.by_id[top.fed_by], Fed):
            top = feeder
        changed = replaced(changed, altered(changed.by_id[top.id], fed_by=jack.id))
    names = aside[0].name if len(aside) == 1 else f"{len(aside)} parts"
    yield Fix(f"{names} behind {jack.name}", "cuts all out that draws.", changed)


def _behind_jack(plan: Plan, load: Load) -> bool:
    return any(isinstance(p, Link) and p.kind == "jack" for p in feeders_of(plan, load))


def _parted(assessed: Answers, board: ChargeBoard) -> Iterator[Fix]:
    """A power path where the brief asks to play meanwhile; else the cheaper jack first."""
    jack = jack_for(assessed, board.charges)
    if jack is not None and not assessed.plan.brief.play_while_charging:
        yield jack
    for layout in ("power_path", "cut_out"):
        yield from (f for f in other_chargers(assessed, board) if getattr(f.plan.by_id[board.id], "layout", "") == layout)


@rule(
    "cut-out-contact",
    station="charge",
    shown=("charge/charging",),
    source="A charge socket's switching contact carries the console: its rating and drop count",
)
def cut_out_contact(assessed: Answers) -> Iterator[Finding]:
    """A jack that cuts the console out is a part of the build, with a rating and a drop."""
    plan = assessed.plan
    for board in plan.chargers:
        if (
            board.layout == "cut_out"
            and plan.fed.get(board.charges)
            and not any(isinstance(p, Link) and p.kind == "jack" for p in plan.links)
        ):
            cause = f"{board.name} cuts the console out with a contact that the build does not name: it carries all of the console's current."
            yield Finding(
                "close",
                board.id,
                cause,
                0.05,
                partial(_named_jack, assessed, board),
                "Name the jack, with its rating and resistance.",
            )


def _named_jack(assessed: Answers, board: ChargeBoard) -> Iterator[Fix]:
    if (found := jack_for(assessed, board.charges)) is not None:
        yield found
