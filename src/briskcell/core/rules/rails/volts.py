"""Rules of the rails: boards, wires and switches carry what is asked, parts get the volts they accept."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from itertools import islice

import numpy as np
from numpy.typing import NDArray

from briskcell.core.answers import LATE, Answers
from briskcell.core.engine.converters import typical_efficiency
from briskcell.core.moves.boards import hung, input_range_v, other_boards, other_rails
from briskcell.core.moves.carrying import carried, stronger
from briskcell.core.moves.fix import Fix, only, placed, within
from briskcell.core.moves.layouts import other_layouts
from briskcell.core.moves.volts import more_volts, within_window
from briskcell.core.moves.warning import higher_warning
from briskcell.core.rails.fewest import straight_on
from briskcell.core.rails.headroom import Headroom
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.parts import Converter, Link, Load, State
from briskcell.model.plan import Plan
from briskcell.model.tree import behind_links, boards_above, feeders_of, source_of
from briskcell.model.units import show

from ..registry import Finding, missed_by, rule

CASCADE_W = 0.15  # lost on the way before two boards in a row are worth a word: a twentieth of a small console
HYSTERESIS_V = 0.15  # of a lock-out that states no restart: 0.1 to 0.2 V on sheets; typical
HEALTHY_V = (3.4, 4.25)  # that a board takes for a lithium cell in order: between its low warning and full; typical


@rule("headroom", station="rails", wish="margins", shown=("rails/boards",), source="TI SLVA372D; margins of the brief")
def headroom(assessed: Answers) -> Iterator[Finding]:
    """Every board, wire, switch, plug, fuse and protection keeps current to spare at its worst moment."""
    if (lost := assessed.collapse) is not None:
        soc, at, store = lost
        late = soc < assessed.needed_ends[store]
        told = f"At {soc:.0%} charge, all at {at}, the volts collapse: the path from the pack cannot carry what is asked."
        yield Finding(
            "close" if late else "fails",
            assessed.plan.stores[store].id,
            f"{told}{_late(assessed) if late else ''}",
            3.0,
            partial(_carried, assessed, soc),
            "Thicker wire, a stronger pack, or less draw at once.",
        )
    for h in assessed.headrooms:
        state = assessed.word_of(h)
        if state == "holds" or h.kind == "cells":
            continue
        moment = f"At {h.at_soc:.0%} charge, all at {h.at_state},"
        if h.spare < 0:
            cause = f"{moment} {h.name} is asked for {show(h.demand_a, 'A')} and can give {show(h.limit_a, 'A')}."
        else:
            cause = f"{moment} {h.name} has {h.spare:.0%} to spare ({show(h.demand_a, 'A')} of {show(h.limit_a, 'A')})."
        if state != assessed.judged(h.spare):
            cause += _late(assessed)
        yield Finding(state, h.element, cause, -h.spare, partial(_stronger, assessed, h), "Choose a part with a higher rating.")


def _late(assessed: Answers) -> str:
    """That something happens after the hours that are wanted."""
    return f" That is after the {show(assessed.plan.brief.hours, 'h')} that are wanted."


def _carried(assessed: Answers, soc: float) -> Iterator[Fix]:
    above = assessed.op.soc[assessed.op.soc > soc + 1e-9]
    yield from higher_warning(assessed, above[-1:].tolist())
    yield from carried(assessed)


def _stronger(assessed: Answers, weak: Headroom) -> Iterator[Fix]:
    """A warning that ends play before it comes to that, where the hours allow; then a part that gives more."""
    if weak.kind in LATE:
        margins, least = assessed.plan.brief.margins, weak.spare_now.min(axis=0)
        yield from higher_warning(assessed, [_last_with(least, assessed.op.soc, m) for m in (margins.comfortable, margins.close)])
    yield from stronger(assessed, weak)


def _last_with(spare: NDArray[np.float64], soc: NDArray[np.float64], least: float) -> float:
    """The lowest state of charge down to which something has so much to spare."""
    short = np.flatnonzero(spare < least)
    return float(soc[max(int(short[0]) - 1, 0)]) if short.size else float(soc[-1])


@rule("load-window", station="rails", shown=("rails/windows",), source="The part's own window of volts")
def load_window(assessed: Answers) -> Iterator[Finding]:
    """Every part gets volts within its window, from a full pack to the end, at rest, in play and at the peak."""
    if not assessed.op.network.loads or assessed.collapse is not None:
        return  # the headroom rule speaks of a build that cannot be carried
    for got, needed in zip(assessed.windows, assessed.needed_windows, strict=True):
        load, window, low, high = got.load, got.load.window, got.least_v, got.most_v
        # Beyond what a part was seen to run on nobody knows: that is no failure, and no promise.
        beyond = "unknown" if window.partly_known else "fails"
        seen, needs = ("was seen to run on", "was seen to run from") if window.partly_known else ("accepts", "needs")
        if window.absolute_max_v is not None and high > window.absolute_max_v:
            yield Finding(
                "fails",
                load.id,
                f"{load.name} sees {high:.2f} V; more than {window.absolute_max_v:.2f} V destroys it.",
                2.0 + missed_by(high, window.absolute_max_v),
                partial(within_window, assessed, load),
                "Hang it on a rail within its window.",
            )
        elif high > window.high_v + 1e-9:
            yield Finding(
                beyond,
                load.id,
                f"{load.name} sees {high:.2f} V and {seen} at most {window.high_v:.2f} V.",
                missed_by(high, window.high_v),
                partial(within_window, assessed, load),
                "Hang it on a rail within its window.",
            )
        if low < window.low_v - 1e-9:
            when = "at the end of the pack" if got.best_v >= window.low_v else "in play"
            late = needed.least_v >= window.low_v - 1e-9
            cause = f"{load.name} sees {low:.2f} V {when}, {needs} {window.low_v:.2f} V."
            yield Finding(
                "close" if late and beyond == "fails" else beyond,
                load.id,
                f"{cause}{_late(assessed) if late else ''}",
                missed_by(low, window.low_v),
                partial(_more_volts, assessed, load),
                "Feed it from a rail with a higher voltage.",
            )


def _more_volts(assessed: Answers, load: Load) -> Iterator[Fix]:
    """A warning that ends play before a peak leaves the window, where the hours allow; then a rail that gives more."""
    op, k = assessed.op, assessed.op.network.loads.index(load)
    over = op.flow.loads_v[..., k].min(axis=0) - load.window.low_v
    yield from higher_warning(assessed, [_last_with(over, op.soc, 0.0)])
    yield from more_volts(assessed, load)


@rule("input-window", station="rails", shown=("rails/windows",), source="The board's sheet")
def input_window(assessed: Answers) -> Iterator[Finding]:
    """No board gets more volts at its input than it stands, not even from a full store without load."""
    for board in assessed.op.network.converters:
        if board.input_max_v is None:
            continue
        _, most = input_range_v(assessed, board)
        if most > board.input_max_v + 1e-9:
            cause = f"{board.name} gets {most:.2f} V from a full store and stands {board.input_max_v:.2f} V."
            yield Finding(
                "fails",
                board.id,
                cause,
                1.0 + missed_by(most, board.input_max_v),
                partial(_input_suits, assessed, board),
                "Choose a board for a higher input.",
            )


def _input_suits(assessed: Answers, board: Converter) -> Iterator[Fix]:
    """Another board; its loads on other rails; then another number of cells in series."""
    yield from islice(other_boards(assessed, board), 4)
    below = [p for p in assessed.plan.loads if board in boards_above(assessed.plan, p)]
    if len(below) == 1:
        for fix in islice(other_rails(assessed, below[0]), 4):
            spare = board not in boards_above(fix.plan, fix.plan.by_id[below[0].id])  # type: ignore[arg-type]
            yield Fix(fix.words, fix.brings, _without(fix.plan, board) if spare else fix.plan)
    for pack in assessed.plan.packs:
        if source_of(assessed.plan, board) is pack:
            yield from islice(other_layouts(assessed, pack), 4)


def _without(plan: Plan, board: Converter) -> Plan:
    """The plan without a board that feeds nothing any more, and without what hung on it."""
    gone, grew = {board.id}, True
    while grew:
        more = {p.id for p in (*plan.links, *plan.rails, *plan.converters) if p.fed_by in gone} - gone
        gone, grew = gone | more, bool(more)
    lists = {name: tuple(p for p in getattr(plan, name) if p.id not in gone) for name in ("links", "rails", "converters")}
    return remade(plan, lists)


@rule("double-conversion", station="rails", shown=("rails/fewest",), worst="close", source="Efficiencies in a row multiply")
def double_conversion(assessed: Answers) -> Iterator[Finding]:
    """No more than a little power goes through two switching boards in a row."""
    op, plan = assessed.op, assessed.plan
    for k, board in enumerate(op.network.converters):
        first = next((a for a in reversed(boards_above(plan, board)) if a.kind != "linear"), None)
        if first is None or board.kind == "linear" or op.flow.collapsed[State.PLAY, op.half]:
            continue
        taken = float(op.flow.converter_input_w(k)[State.PLAY, op.half])
        lost = taken * (1.0 / typical_efficiency(first) - 1.0)
        if lost > CASCADE_W:
            cause = f"{board.name} takes {show(taken, 'W')} through {first.name}, which costs {show(lost, 'W')} on the way."
            yield Finding(
                "close",
                board.id,
                cause,
                lost / max(taken, 1e-9),
                partial(_straight, assessed, board, first, lost),
                "Feed it from the store if its input allows.",
            )


def _straight(assessed: Answers, board: Converter, first: Converter, lost: float) -> Iterator[Fix]:
    """The second board beside the first, where its input accepts the store's volts and it still steps the right way."""
    op = assessed.op
    volts = op.flow.converter_input_v(op.network.converters.index(first))[:, op.down_to(assessed.end_of(first.id))]
    low, high = float(volts.min()), float(volts.max())
    if high > (board.input_max_v or high) or low < (board.lockout_v or 0.0):
        return
    if (board.kind == "boost" and high > board.output_v.likely) or (board.kind == "buck" and low < board.output_v.likely):
        return
    plan = replaced(assessed.plan, altered(board, fed_by=first.fed_by))
    yield Fix(f"{board.name} fed beside {first.name}", f"saves about {show(lost, 'W')}.", plan)


@rule(
    "lock-out-chatter",
    station="rails",
    shown=("rails/boards",),
    worst="close",
    source="Lock-out with hysteresis, on a pack that recovers without load",
)
def lockout_chatter(assessed: Answers) -> Iterator[Finding]:
    """A board that locks out does not start again as the pack recovers, only to lock out again."""
    found = assessed.runtime
    if found is None or found.stop_cause != "converter lock-out" or assessed.pack_index is None:
        return
    board = assessed.plan.by_id[found.stop_element]
    if isinstance(board, Converter) and any(isinstance(p, Link) and p.latching for p in feeders_of(assessed.plan, board)):
        return
    assert isinstance(board, Converter)
    curves = assessed.op.curves[assessed.pack_index]
    rest_v = float(np.interp(-found.stop_soc, -curves.soc, curves.ocv_v))
    restart_v = board.restart_v if board.restart_v is not None else (board.lockout_v or 0.0) + HYSTERESIS_V
    source = assessed.op.network.source_of_converter(assessed.op.network.converters.index(board))
    if source == assessed.pack_index and rest_v > restart_v:
        cause = f"{board.name} locks out at {board.lockout_v or 0:.2f} V, the pack recovers to {rest_v:.2f} V and it starts again: it will chatter."
        yield Finding(
            "close",
            board.id,
            cause,
            0.1,
            partial(_stays_off, assessed, board, round(rest_v + 0.05, 2)),
            "A switch that latches off, and a warning before.",
        )


def _stays_off(assessed: Answers, board: Converter, restart_v: float) -> Iterator[Fix]:
    """A restart set higher where the board lets one set it; else a switch that latches off; else a board that locks out later."""
    if (changed := within(board, "restart_v", restart_v)) is not None:
        yield Fix(f"A restart at {restart_v:.2f} V", "keeps it off.", replaced(assessed.plan, changed))
    for part in feeders_of(assessed.plan, board):
        if isinstance(part, Link) and part.kind == "switch":
            for other in assessed.stock.links:
                if other.latching and other.rating_a and part.rating_a and other.rating_a.likely >= part.rating_a.likely:
                    yield Fix(
                        f"{other.name} in place of {part.name}",
                        "stays off until it is pressed.",
                        replaced(assessed.plan, placed(part, other)),
                    )
    yield from other_boards(assessed, board)


@rule(
    "logic-level",
    station="rails",
    shown=("rails/windows", "wiring/signals"),
    source="JESD8C.01, 3.3 V; a high level needs 0.7 of the supply",
)
def logic_level(assessed: Answers) -> Iterator[Finding]:
    """A part's signals come at a level it understands and survives."""
    for found in assessed.signals:
        driver, load = found.driver, found.load
        if found.state == "fails":
            yield Finding(
                "fails",
                load.id,
                f"{driver.name} drives {load.name} at {found.driven_v:.1f} V; it stands {load.logic_v:.1f} V.",
                missed_by(found.driven_v, load.logic_v or 0.0),
                advice="Put a level shifter between, or a driver of the lower level.",
            )
        elif found.state == "close":
            yield Finding(
                "close",
                load.id,
                f"{driver.name} drives {load.name} at {found.driven_v:.1f} V; a sure high is {found.least_v:.1f} V.",
                0.1,
                advice="Put a level shifter between.",
            )


@rule(
    "inrush",
    station="rails",
    shown=("rails/boards", "wiring/signals"),
    source="The part's sheet, against the limit of what feeds it",
)
def inrush(assessed: Answers) -> Iterator[Finding]:
    """What a part pulls in its first moment does not trip what feeds it."""
    for start in assessed.first_moments:
        if not start.ridden:
            cause = (
                f"{start.load.name} pulls {show(start.pulls_a, 'A')} for {show(start.lasts_s, 's')} as it starts; with the rest "
                f"{start.board.name} gives {show(start.limit_a, 'A')}."
            )
            if start.sags_v is not None:
                cause += f" Its rail falls to {show(start.sags_v, 'V')}; what hangs there works from {show(start.least_v, 'V')}."
            yield Finding(
                "fails",
                start.load.id,
                cause,
                missed_by(start.asked_a, start.limit_a),
                advice="Start the parts one after another, or limit the inrush.",
            )


@rule(
    "common-return",
    station="rails",
    shown=("rails/windows", "wiring/signals"),
    worst="close",
    source="A signal's current returns by the negative: without a common one its level means nothing",
)
def common_return(assessed: Answers) -> Iterator[Finding]:
    """Parts that signal to each other have a common negative."""
    plan = assessed.plan
    for load in plan.loads:
        driver = plan.by_id.get(load.driven_by or "")
        if not isinstance(driver, Load):
            continue
        one, two = _negatives(assessed, load), _negatives(assessed, driver)
        if not one & two:
            cause = (
                f"{driver.name} drives {load.name}, and they hang on two stores: nothing says that {plan.by_id[min(one)].name} and "
                f"{plan.by_id[min(two)].name} have their negatives joined, so the signal has no way back."
            )
            yield Finding("close", load.id, cause, 0.3, advice="Join the two negatives by a wire, or feed both from one store.")


def _negatives(assessed: Answers, load: Load) -> set[str]:
    """The stores that a load's negative is joined to: its own, those that meet it on a rail, and that of its shared return."""
    plan, net = assessed.plan, assessed.op.network
    found = {source_of(plan, load).id}
    if load.return_by is not None:
        found.add(source_of(plan, plan.by_id[load.return_by]).id)
    for met in net.meetings:
        ends = {net.stores[net.store_of(met.main)], net.stores[net.store_of(met.other)]}
        found |= ends if found & ends else set()
    return found


@rule("battery-measure", station="rails", shown=("rails/boards",), source="Boards with a gauge of their own")
def battery_measure(assessed: Answers) -> Iterator[Finding]:
    """A board that measures its battery sees the volts of a healthy cell at its battery terminals."""
    op = assessed.op
    for k, load in enumerate(op.network.loads):
        boards = boards_above(assessed.plan, load) if load.measures_battery else ()
        if not boards:
            continue
        volts = op.flow.loads_v[:, op.down_to(assessed.end_of(load.id)), k]
        least, most = float(volts.min()), float(volts.max())
        if HEALTHY_V[0] <= least and most <= HEALTHY_V[1]:
            yield Finding(
                "close",
                load.id,
                f"{load.name} is fed with a regulated {most:.2f} V at its battery terminals: it runs, but its gauge "
                "never sees the pack run empty.",
                0.05,
                partial(_to_store, assessed, load),
                "Keep a low lamp or a warning on the pack itself.",
            )
        else:
            cause = (
                f"{load.name} measures its battery and sees {least:.2f} to {most:.2f} V behind {boards[-1].name}, which looks like no healthy "
                "cell: it may refuse to run."
            )
            yield Finding("fails", load.id, cause, 0.5, partial(_to_store, assessed, load), "Feed it at its battery terminals.")


def _to_store(assessed: Answers, load: Load) -> Iterator[Fix]:
    for store in assessed.plan.stores:
        if load.id in straight_on(assessed.plan, store):
            at = behind_links(assessed.plan, store)
            yield Fix(
                f"{load.name} straight on {store.name}, behind switch and fuse",
                "suits its window.",
                hung(assessed.plan, load, at.id),
            )


@rule(
    "behind-the-jack",
    station="rails",
    shown=("rails/windows",),
    worst="close",
    source="A board fed at its pins or pads has lost what sits behind its jack",
)
def behind_the_jack(assessed: Answers) -> Iterator[Finding]:
    """A part fed behind its jack still has what the jack would have given it: a fuse, and volts and polarity that cannot harm."""
    plan = assessed.plan
    for load in plan.loads:
        jack = load.jack
        if jack is None or not jack.bypassed:
            continue
        fused = any(isinstance(p, Link) and p.kind == "fuse" for p in feeders_of(plan, load))
        lost = [
            words
            for words, guards in (
                ("its fuse", jack.fuse and not fused),
                ("its guard against wrong polarity", jack.reverse_polarity),
                ("its guard against too many volts", jack.over_voltage),
            )
            if guards
        ]
        if lost:
            cause = f"{load.name} is fed behind its jack: {' and '.join(lost)} no longer protect{'s' if len(lost) == 1 else ''} it."
            at_jack = replaced(plan, altered(load, jack=altered(jack, bypassed=False)))
            yield Finding(
                "close",
                load.id,
                cause,
                0.1,
                only(f"{load.name} fed at its jack", "keeps what protects it.", at_jack),
                advice="Or put in a fuse, and prove polarity and volts before the first connection.",
            )
