"""Rules of charging: it fills in time, as the brief asks, and the cells stay within their temperatures."""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import partial
from itertools import islice

from briskcell.core.answers import Answers
from briskcell.core.charge.charging import Charge
from briskcell.core.charge.warmth import ChargeWarmth
from briskcell.core.engine.sources import FULL_FROM_C, charge_share
from briskcell.core.moves.case import cooler
from briskcell.core.moves.charging import balancers, currents, jack_for, other_chargers, other_supplies
from briskcell.core.moves.fix import Fix, only, within
from briskcell.core.moves.layouts import other_layouts
from briskcell.core.moves.packs import other_packs
from briskcell.core.moves.suiting import gentle, most_charge_a
from briskcell.model.changes import left_out, remade, replaced
from briskcell.model.plan import Plan
from briskcell.model.stores import Balancer, ChargeBoard, Pack, Trickle
from briskcell.model.units import show

from ..registry import Finding, missed_by, past, rule


@rule("charge-brief", station="charge", wish="charge_hours", shown=("brief/brief", "charge/times"), source="The brief")
def charge_brief(assessed: Answers) -> Iterator[Finding]:
    """The pack fills within the hours of the brief, and charges in play where the brief asks for it."""
    wanted = assessed.plan.brief.charge_hours
    for c in assessed.charges:
        if c.off.hours is None:
            yield Finding(
                "fails",
                c.board.id,
                f"{c.board.name} never fills the pack. {c.off.why}",
                2.0,
                partial(_filled, assessed, c),
                "Give the charger a supply that carries it.",
            )
        elif c.off.hours > wanted + 1e-9:
            cause = f"{c.board.name} fills the pack in {show(c.off.hours, 'h')}; {show(wanted, 'h')} are wanted."
            yield Finding(
                "fails",
                c.board.id,
                cause,
                missed_by(c.off.hours, wanted),
                partial(_faster, assessed, c),
                "A stronger supply or charge board, or a smaller pack.",
            )
        if assessed.plan.brief.play_while_charging and c.play.hours is None:
            yield Finding(
                "fails",
                c.board.id,
                f"It does not fill while someone plays. {c.play.why}",
                0.25,
                partial(_filled, assessed, c),
                "A power path and a supply with current to spare feed both.",
            )


@rule(
    "series-balance",
    station="charge",
    shown=("charge/charging",),
    source="Cells in series drift apart; M. M. Ur Rehman et al., IEEE JESTPE 3(1), 2015",
)
def series_balance(assessed: Answers) -> Iterator[Finding]:
    """Cells in series are balanced while they charge."""
    plan = assessed.plan
    for board in plan.chargers:
        store = plan.by_id[board.charges]
        helped = any(b.charges == board.charges for b in plan.balancers)
        if isinstance(store, Pack) and store.series > 1 and store.cell.is_lithium and not board.balancing and not helped:
            yield Finding(
                "fails",
                board.id,
                f"{board.name} charges {store.series} cells in series without balancing them.",
                0.8,
                partial(_balanced, assessed, board, store),
                "A balancer, or a charge board that balances.",
            )
    for balancer in plan.balancers:
        pack = plan.by_id[balancer.charges]
        if isinstance(pack, Pack) and not pack.cell.is_lithium:
            yield Finding(
                "fails",
                balancer.id,
                f"{balancer.name} is made for lithium cells; {pack.cell.name} are {pack.cell.chemistry}: it would drain them.",
                0.5,
                partial(_left_out, assessed, balancer),
                "Leave it out: these cells are kept alike by a slow full charge now and then.",
            )


def _left_out(assessed: Answers, balancer: Balancer) -> Iterator[Fix]:
    if (plan := left_out(assessed.plan, balancer)) is not None:
        yield Fix(f"{balancer.name} left out", "these cells need none.", plan)


def _balanced(assessed: Answers, board: ChargeBoard, pack: Pack) -> Iterator[Fix]:
    yield from balancers(assessed.plan, assessed.stock, pack)
    yield from other_chargers(assessed, board)


@rule(
    "charge-room",
    station="charge",
    wish="charge_c",
    shown=("charge/course",),
    source="Lithium cells: 0 to 45 °C in charge, IEC 62133-2; less than 10 °C slowly, JIS C 8714 and JEITA's guide; from memory",
)
def charge_room(assessed: Answers) -> Iterator[Finding]:
    """Where it is charged is warm enough for the cells, and not too warm."""
    brief = assessed.plan.brief
    for board in assessed.plan.chargers:
        pack = assessed.plan.by_id[board.charges]
        if not isinstance(pack, Pack):
            continue
        cell = pack.cell
        outside = not cell.charge_low_c <= brief.charging_c <= cell.charge_high_c
        if outside or (brief.charge_c is None and brief.room_c > cell.charge_high_c):
            at = brief.charging_c if outside else brief.room_c
            cause = (
                f"The cells would be charged at {at:.0f} °C; they are rated {cell.charge_low_c:.0f} to {cell.charge_high_c:.0f} °C."
            )
            advice = "Charge them indoors, at room temperature: no part of the build changes that."
            yield Finding("fails", pack.id, cause, 0.7, advice=advice)
            continue
        most = most_charge_a(pack) * charge_share(cell, brief.charging_c)
        asked = board.current_a.likely
        if most < asked <= most_charge_a(pack):
            cause = (
                f"At {brief.charging_c:.0f} °C the cells take {show(most, 'A')}, {_share_words(brief.charging_c)}; {board.name} "
                f"charges with {show(asked, 'A')}."
            )
            search = partial(_slowly, assessed, board, most)
            yield Finding("fails", pack.id, cause, missed_by(asked, most), search, "Charge them indoors, or with less.")


def _share_words(celsius: float) -> str:
    return "a third of what they take from 10 °C" if celsius < FULL_FROM_C else "half of what they take up to 45 °C"


def _slowly(assessed: Answers, board: ChargeBoard, most: float) -> Iterator[Fix]:
    changed = gentle(board, most)
    if changed is not None and changed is not board:
        words = f"A charge current of {show(changed.current_a.likely, 'A')}"
        yield Fix(words, "is what cold cells take.", replaced(assessed.plan, changed))
    yield from (f for f in other_chargers(assessed, board) if _current_a(f.plan, board) <= most + 1e-9)


def _current_a(plan: Plan, board: ChargeBoard) -> float:
    now = plan.by_id[board.id]
    return now.current_a.likely if isinstance(now, ChargeBoard) else math.inf


@rule(
    "charge-temperature",
    station="charge",
    wish="play_while_charging",
    shown=("charge/course", "heat/limits"),
    source="Lithium cells: 0 to 45 °C in charge, −20 to 60 °C in use; IEC 62133-2",
)
def charge_temperature(assessed: Answers) -> Iterator[Finding]:
    """Cells are charged within their temperatures, in the case and with the console at work."""
    brief = assessed.plan.brief
    if brief.charge_c is None and brief.room_c > min((p.cell.charge_high_c for p in assessed.plan.packs), default=0.0):
        return
    for warm in (*assessed.idle_warmths, *(assessed.played_warmths if brief.play_while_charging else ())):
        if warm.minutes is not None:
            yield _too_warm(assessed, warm)


def _too_warm(assessed: Answers, warm: ChargeWarmth) -> Finding:
    when = "in play" if warm.playing else "with the console off"
    cause = (
        f"While it charges {when}, from {warm.charge.supply.name}, the cells reach {past(warm.celsius, warm.limit_c)}: they pass {warm.limit_c:.0f} °C, "
        f"the most for charging, after {warm.minutes or 0:.0f} min with {show(warm.watts, 'W')} in the case."
    )
    return Finding(
        "fails",
        warm.charge.board.id,
        cause,
        missed_by(warm.celsius, warm.limit_c),
        partial(_stays_cool, assessed, warm),
        "A lower charge current, vents, or no play while it charges.",
    )


@rule(
    "played-on-the-charger",
    station="charge",
    shown=("charge/course", "heat/limits"),
    worst="close",
    source="Nothing but the builder keeps a console off that its charger feeds",
)
def played_on_the_charger(assessed: Answers) -> Iterator[Finding]:
    """Where the brief asks for no play while it charges, but nothing prevents it, the cells stand it."""
    if assessed.plan.brief.play_while_charging:
        return
    for warm in assessed.played_warmths:
        if warm.minutes:
            cause = (
                f"Played while it charges, from {warm.charge.supply.name}, the cells would pass {warm.limit_c:.0f} °C, the most for charging, "
                f"after {warm.minutes:.0f} min and reach {past(warm.celsius, warm.limit_c)}; nothing in the build prevents it."
            )
            yield Finding(
                "close",
                warm.charge.board.id,
                cause,
                missed_by(warm.celsius, warm.limit_c),
                partial(_kept_off, assessed, warm),
                "Charge it with the console off, or let a jack cut it out.",
            )


def _kept_off(assessed: Answers, warm: ChargeWarmth) -> Iterator[Fix]:
    """A lower current; a board that cuts the console out, by a jack that is named; then what cools."""
    board = warm.charge.board
    yield from currents(assessed, board, (0.75, 0.5, 0.3))
    for fix in other_chargers(assessed, board):
        other = fix.plan.by_id[board.id]
        jack = jack_for(assessed.of(fix.plan), board.charges) if getattr(other, "layout", "") == "cut_out" else None
        if jack is not None:
            yield Fix(f"{fix.words}, and {jack.words}", "the console is off while it charges.", jack.plan)
    yield from _stays_cool(assessed, warm)


def _stays_cool(assessed: Answers, warm: ChargeWarmth) -> Iterator[Fix]:
    """A lower current, a cooler case, both; then a board that wastes less."""
    board, cooled = warm.charge.board, list(cooler(assessed))
    yield from currents(assessed, board, (0.75, 0.5, 0.3))
    yield from cooled
    for cool in cooled[:2]:
        for share in (0.75, 0.5, 0.3):
            slow = within(board, "current_a", round(board.current_a.likely * share, 2))
            if slow is not None:
                words = f"{cool.words}, and a charge current of {show(slow.current_a.likely, 'A')},"
                yield Fix(words, "keep the cells below their limit.", replaced(cool.plan, slow))
    for cool in cooled[1:3]:
        for fix in islice(other_chargers(assessed.of(cool.plan), board), 3):
            yield Fix(f"{cool.words}, and {fix.words}", "keep the cells below their limit.", fix.plan)
    yield from other_chargers(assessed, board)


@rule("only-rechargeable", station="charge", shown=("charge/charging",), source="The cell's chemistry")
def only_rechargeable(assessed: Answers) -> Iterator[Finding]:
    """No primary cell is charged."""
    plan = assessed.plan
    sources: tuple[ChargeBoard | Trickle, ...] = (*plan.chargers, *plan.trickles)
    for board in sources:
        store = plan.by_id[board.charges]
        if isinstance(store, Pack) and not store.cell.rechargeable:
            name = "trickles" if isinstance(board, Trickle) else "chargers"
            without = remade(plan, {name: tuple(b for b in getattr(plan, name) if b.id != board.id)})
            yield Finding(
                "fails",
                store.id,
                f"{store.cell.name} must not be charged; {board.name} would.",
                2.0,
                only(f"The build without {board.name}", "leaves it alone.", without),
            )


def _filled(assessed: Answers, c: Charge) -> Iterator[Fix]:
    """A supply that carries it, then another board."""
    yield from other_supplies(assessed, c.board)
    yield from other_chargers(assessed, c.board)


def _faster(assessed: Answers, slow: Charge) -> Iterator[Fix]:
    """A higher charge current within its bounds and what the cells take, a stronger supply, another board, both."""
    board, pack = slow.board, assessed.plan.by_id[slow.board.charges]
    if not isinstance(pack, Pack) or slow.off.hours is None:
        return
    wanted = assessed.plan.brief.charge_hours
    yield from currents(assessed, board, (slow.off.hours / wanted * 1.05, 1e6))
    knob = max((a.high for a in board.adjustable if a.field == "current_a"), default=0.0)
    most = min(most_charge_a(pack), knob)
    if most > board.current_a.likely * 1.02 and (up := within(board, "current_a", round(most - 0.005, 2))) is not None:
        yield Fix(
            f"A charge current of {show(up.current_a.likely, 'A')}",
            "is the most that the board and the cells take.",
            replaced(assessed.plan, up),
        )
    yield from other_supplies(assessed, board)
    least = min(board.current_a.likely * slow.off.hours / wanted, most_charge_a(pack))
    yield from other_chargers(assessed, board, least)
    found = assessed.runtime
    if found is not None and found.hours:
        need = found.energy_wh * assessed.plan.brief.hours / found.hours
        yield from other_packs(assessed, pack, least_wh=1.05 * need)
    yield from other_layouts(assessed, pack)
