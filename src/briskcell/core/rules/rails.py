"""Rules of the rails: boards, wires and switches carry what is asked, parts get the volts they accept."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from itertools import islice

import numpy as np

from briskcell.core.answers import Answers
from briskcell.core.engine.converters import typical_efficiency
from briskcell.core.engine.operating import operate
from briskcell.core.moves.boards import hung, other_boards, other_links, other_rails
from briskcell.core.moves.fix import Fix, placed, within
from briskcell.core.moves.layouts import other_layouts
from briskcell.core.moves.packs import other_packs
from briskcell.core.rails.fewest import straight_on
from briskcell.core.rails.headroom import Headroom, headrooms, judged
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.figure import Figure
from briskcell.model.parts import Converter, Fed, Link, Load, State
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack
from briskcell.model.tree import behind_links, boards_above, feeders_of, source_of
from briskcell.model.units import show

from .registry import Finding, missed_by, rule

CASCADE_W = 0.15  # lost on the way before two boards in a row are worth a word: a twentieth of a small console
HYSTERESIS_V = 0.15  # of a lock-out that states no restart: 0.1 to 0.2 V on sheets; typical
TRIPS_A = (2.5, 3.0, 4.0, 5.0, 8.0, 10.0, 15.0, 20.0, 30.0, 40.0)  # of protection boards that are sold; typical
HEALTHY_V = (3.4, 4.25)  # that a board takes for a lithium cell in order: between its low warning and full; typical
TRIP_OVER = 1.5  # of what the cells give for long, that a protection board may let pass for a moment
GAUGES = (28.0, 26.0, 24.0, 22.0, 20.0, 18.0, 16.0)
CLAMP_V = 0.35  # over its supply, at which an input's clamp begins to conduct: 0.3 to 0.5 V on sheets
HIGH_SHARE = 0.7  # of its supply, that an input takes for a sure high: JESD8C.01


@rule("headroom", station="rails", source="TI SLVA372D; margins of the brief")
def headroom(assessed: Answers) -> Iterator[Finding]:
    """Every board, wire, switch, plug, fuse and protection keeps current to spare at its worst moment."""
    if (lost := assessed.collapse) is not None:
        soc, state = lost
        yield Finding("fails", assessed.plan.stores[0].id, f"At {soc:.0%} charge, all at {state}, the volts collapse: "
                      "the path from the pack cannot carry what is asked.", 3.0, partial(_carried, assessed),
                      "Thicker wire, a stronger pack, or less draw at once.")  # fmt: skip
    for h in assessed.headrooms:
        state = judged(h.spare, assessed.plan.brief.margins)
        if state == "holds" or h.kind == "cells":
            continue
        moment = f"At {h.at_soc:.0%} charge, all at {h.at_state},"
        if h.spare < 0:
            cause = f"{moment} {h.name} is asked for {show(h.demand_a, 'A')} and can give {show(h.limit_a, 'A')}."
        else:
            cause = (f"{moment} {h.name} has {h.spare:.0%} to spare "
                     f"({show(h.demand_a, 'A')} of {show(h.limit_a, 'A')}).")  # fmt: skip
        yield Finding(state, h.element, cause, -h.spare, partial(_stronger, assessed, h),
                      "Choose a part with a higher rating.")  # fmt: skip


def _carried(assessed: Answers) -> Iterator[Fix]:
    """A stronger part in the place of one without spare; then a pack that sags less, and thicker wires all along."""
    for weak in sorted(assessed.headrooms, key=lambda h: h.spare)[:3]:
        if weak.spare < assessed.plan.brief.margins.close:
            yield from _stronger(assessed, weak)
    yield from _all_thicker(assessed.plan)
    for pack in assessed.plan.packs:
        now = assessed.runtimes[assessed.plan.stores.index(pack)]
        for times in (2.0, 3.0):
            yield from islice(other_packs(assessed, pack, least_wh=times * now.energy_wh), 3)
        yield from other_layouts(assessed, pack)


def _all_thicker(plan: Plan) -> Iterator[Fix]:
    """Every wire that is thinner than a gauge, in that gauge."""
    for gauge in (24.0, 20.0, 18.0, 16.0):
        thin = [w for w in plan.links if w.kind == "wire" and w.resistance_ohm is None and (w.awg or 0.0) > gauge]
        if thin:
            changed = plan
            for wire in thin:
                changed = replaced(changed, altered(wire, awg=gauge))
            yield Fix(f"{gauge:.0f} AWG for every thinner wire", "lets more volts arrive.", changed)


def _stronger(assessed: Answers, weak: Headroom) -> Iterator[Fix]:
    """Classes that leave more to spare, the comfortable ones first, the smallest of them first."""
    part, margins = assessed.plan.by_id[weak.element], assessed.plan.brief.margins
    if weak.kind == "protection":
        yield from higher_trip(assessed.plan, weak)
    found: list[Fix] = []
    if isinstance(part, Converter):
        found += other_boards(assessed, part)
    elif isinstance(part, Link):
        found += other_links(assessed, part)
    near: list[Fix] = []
    for fix in found:
        spare = min((h.spare for h in headrooms(operate(fix.plan), assessed.end_soc)
                     if h.element == weak.element and h.kind == weak.kind), default=1.0)  # fmt: skip
        told = Fix(fix.words, f"leaves {spare:.0%} to spare.", fix.plan)
        if spare >= margins.comfortable:
            yield told
        elif spare >= margins.close and spare > weak.spare + 0.005:
            near.append(told)
    if weak.kind == "wire":
        yield from _thicker_wire(assessed.plan, part, weak)
    yield from near


def _thicker_wire(plan: Plan, wire: object, weak: Headroom) -> Iterator[Fix]:
    if isinstance(wire, Link) and wire.awg is not None and wire.rating_a is None:
        for gauge in GAUGES:
            if gauge < wire.awg:
                yield Fix(f"{gauge:.0f} AWG instead of {wire.awg:.0f} AWG for {wire.name}", f"carries {show(weak.demand_a, 'A')}.",
                          replaced(plan, altered(wire, awg=gauge)))  # fmt: skip


def higher_trip(plan: Plan, weak: Headroom) -> Iterator[Fix]:
    """A protection board that trips later, up to what the cells stand for a moment."""
    pack = plan.by_id[weak.element]
    if not isinstance(pack, Pack) or pack.protection is None:
        return
    most = TRIP_OVER * pack.cell.max_discharge_a.likely * pack.parallel
    for trip in TRIPS_A:
        if weak.demand_a / max(1.0 - plan.brief.margins.close, 0.01) <= trip <= most and trip > pack.protection.trip_a.likely:
            figure = Figure(low=trip, likely=trip, high=trip, grade="typical", source="protection board class")
            guard = pack.protection.model_copy(update={"trip_a": figure})
            yield Fix(
                f"A protection board that trips at {show(trip, 'A')}",
                "carries the peak.",
                replaced(plan, altered(pack, protection=guard)),
            )


@rule("load-window", station="rails", source="The part's own window of volts")
def load_window(assessed: Answers) -> Iterator[Finding]:
    """Every part gets volts within its window, from a full pack to the end, at rest, in play and at the peak."""
    op = assessed.op
    reach = op.down_to(assessed.end_soc)
    if not op.network.loads or op.flow.collapsed[:, reach].any():
        return  # the headroom rule speaks of a build that cannot be carried
    all_volts = op.flow.loads_v[:, reach]
    lows, highs = all_volts.min(axis=(0, 1)), all_volts.max(axis=(0, 1))
    for k, load in enumerate(op.network.loads):
        low, high, window = float(lows[k]), float(highs[k]), load.window
        # Beyond what a part was seen to run on nobody knows: that is no failure, and no promise.
        beyond = "unknown" if window.partly_known else "fails"
        seen, needs = ("was seen to run on", "was seen to run from") if window.partly_known else ("accepts", "needs")
        if window.absolute_max_v is not None and high > window.absolute_max_v:
            yield Finding("fails", load.id, f"{load.name} sees {high:.2f} V; more than {window.absolute_max_v:.2f} V destroys it.",
                          2.0 + missed_by(high, window.absolute_max_v), partial(_within_window, assessed, load), "Hang it on a rail within its window.")  # fmt: skip
        elif high > window.high_v + 1e-9:
            yield Finding(beyond, load.id, f"{load.name} sees {high:.2f} V and {seen} at most {window.high_v:.2f} V.",
                          missed_by(high, window.high_v), partial(_within_window, assessed, load), "Hang it on a rail within its window.")  # fmt: skip
        if low < window.low_v - 1e-9:
            when = "at the end of the pack" if float(all_volts[:, :, k].max(axis=1).min()) >= window.low_v else "in play"
            yield Finding(beyond, load.id, f"{load.name} sees {low:.2f} V {when}, {needs} {window.low_v:.2f} V.",
                          missed_by(low, window.low_v), partial(more_volts, assessed, load),
                          "Feed it from a rail with a higher voltage.")  # fmt: skip


@rule("input-window", station="rails", source="The board's sheet")
def input_window(assessed: Answers) -> Iterator[Finding]:
    """No board gets more volts at its input than it stands, not even from a full store without load."""
    op = assessed.op
    for k, board in enumerate(op.network.converters):
        if board.input_max_v is None:
            continue
        source = op.network.source_of_converter(k)
        stores = len(op.network.stores)
        most = float(op.curves[source].ocv_v[0]) if source < stores else op.network.converters[source - stores].output_v.high
        if most > board.input_max_v + 1e-9:
            cause = f"{board.name} gets {most:.2f} V from a full store and stands {board.input_max_v:.2f} V."
            yield Finding("fails", board.id, cause, 1.0 + missed_by(most, board.input_max_v), partial(_input_suits, assessed, board),
                          "Choose a board for a higher input.")  # fmt: skip


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


@rule("double-conversion", station="rails", source="Efficiencies in a row multiply")
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
            yield Finding("close", board.id, cause, lost / max(taken, 1e-9), partial(_straight, assessed, board, first, lost),
                          "Feed it from the store if its input allows.")  # fmt: skip


def _straight(assessed: Answers, board: Converter, first: Converter, lost: float) -> Iterator[Fix]:
    """The second board beside the first, where its input accepts the store's volts and it still steps the right way."""
    op = assessed.op
    volts = op.flow.converter_input_v(op.network.converters.index(first))[:, op.down_to(assessed.end_soc)]
    low, high = float(volts.min()), float(volts.max())
    if high > (board.input_max_v or high) or low < (board.lockout_v or 0.0):
        return
    if (board.kind == "boost" and high > board.output_v.likely) or (board.kind == "buck" and low < board.output_v.likely):
        return
    plan = replaced(assessed.plan, altered(board, fed_by=first.fed_by))
    yield Fix(f"{board.name} fed beside {first.name}", f"saves about {show(lost, 'W')}.", plan)


@rule("lock-out-chatter", station="rails", source="Lock-out with hysteresis, on a pack that recovers without load")
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
        yield Finding("close", board.id, cause, 0.1, partial(_stays_off, assessed, board, round(rest_v + 0.05, 2)),
                      "A switch that latches off, and a warning before.")  # fmt: skip


def _stays_off(assessed: Answers, board: Converter, restart_v: float) -> Iterator[Fix]:
    """A restart set higher where the board lets one set it; else a switch that latches off; else a board that locks out later."""
    if (changed := within(board, "restart_v", restart_v)) is not None:
        yield Fix(f"A restart at {restart_v:.2f} V", "keeps it off.", replaced(assessed.plan, changed))
    for part in feeders_of(assessed.plan, board):
        if isinstance(part, Link) and part.kind == "switch":
            for other in assessed.stock.links:
                if other.latching and other.rating_a and part.rating_a and other.rating_a.likely >= part.rating_a.likely:
                    yield Fix(f"{other.name} in place of {part.name}", "stays off until it is pressed.",
                              replaced(assessed.plan, placed(part, other)))  # fmt: skip
    yield from other_boards(assessed, board)


@rule("logic-level", station="rails", source="JESD8C.01, 3.3 V; a high level needs 0.7 of the supply")
def logic_level(assessed: Answers) -> Iterator[Finding]:
    """A part's signals come at a level it understands and survives."""
    for load in assessed.plan.loads:
        driver = assessed.plan.by_id.get(load.driven_by or "")
        if not isinstance(driver, Load) or load.logic_v is None or driver.logic_v is None:
            continue
        if driver.logic_v > load.logic_v + CLAMP_V:
            yield Finding("fails", load.id, f"{driver.name} drives {load.name} at {driver.logic_v:.1f} V; it stands {load.logic_v:.1f} V.",
                          missed_by(driver.logic_v, load.logic_v), advice="Put a level shifter between, or a driver of the lower level.")  # fmt: skip
        elif driver.logic_v < HIGH_SHARE * load.logic_v:
            yield Finding("close", load.id, f"{driver.name} drives {load.name} at {driver.logic_v:.1f} V; a sure high is {HIGH_SHARE * load.logic_v:.1f} V.",
                          0.1, advice="Put a level shifter between.")  # fmt: skip


@rule("inrush", station="rails", source="The part's sheet, against the limit of what feeds it")
def inrush(assessed: Answers) -> Iterator[Finding]:
    """What a part pulls in its first moment does not trip what feeds it."""
    op, plan = assessed.op, assessed.plan
    for load in plan.loads:
        board = next(reversed(boards_above(plan, load)), None)
        if load.inrush is None or board is None:
            continue
        k = op.network.converters.index(board)
        limit = float(op.board_limit_a[k][State.PLAY].min())
        rest = float(np.where(op.flow.collapsed, 0.0, op.flow.output_a(k))[State.REST].max())
        asked = load.inrush.peak_a.likely + rest
        if asked > limit:
            cause = f"{load.name} pulls {show(load.inrush.peak_a.likely, 'A')} as it starts; with the rest {board.name} gives {show(limit, 'A')}."
            yield Finding(
                "fails", load.id, cause, missed_by(asked, limit), advice="Start the parts one after another, or limit the inrush."
            )


@rule("battery-measure", station="rails", source="Boards with a gauge of their own")
def battery_measure(assessed: Answers) -> Iterator[Finding]:
    """A board that measures its battery sees the volts of a healthy cell at its battery terminals."""
    op = assessed.op
    for k, load in enumerate(op.network.loads):
        boards = boards_above(assessed.plan, load) if load.measures_battery else ()
        if not boards:
            continue
        volts = op.flow.loads_v[:, op.down_to(assessed.end_soc), k]
        least, most = float(volts.min()), float(volts.max())
        if HEALTHY_V[0] <= least and most <= HEALTHY_V[1]:
            yield Finding("close", load.id, f"{load.name} is fed with a regulated {most:.2f} V at its battery terminals: it runs, but its gauge "
                          "never sees the pack run empty.", 0.05, partial(_to_store, assessed, load),
                          "Keep a low lamp or a warning on the pack itself.")  # fmt: skip
        else:
            cause = (f"{load.name} measures its battery and sees {least:.2f} to {most:.2f} V behind {boards[-1].name}, which looks like no healthy "
                     "cell: it may refuse to run.")  # fmt: skip
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


def _within_window(assessed: Answers, load: Load) -> Iterator[Fix]:
    """A lower output where the board lets one set it, else another rail."""
    board = next(reversed(boards_above(assessed.plan, load)), None)
    if board is not None:
        others = [p for p in assessed.plan.loads if board in boards_above(assessed.plan, p)]
        low, high = max(p.window.low_v for p in others), min(p.window.high_v for p in others)
        if low < high and (changed := within(board, "output_v", round(low + 0.6 * (high - low), 2))) is not None:
            yield Fix(
                f"{board.name} set to {changed.output_v.likely:.2f} V",
                "lies within every window.",
                replaced(assessed.plan, changed),
            )
        for fix in other_boards(assessed, board):
            candidate = fix.plan.by_id[board.id]
            if isinstance(candidate, Converter) and low <= candidate.output_v.likely <= high:
                yield fix
    yield from other_rails(assessed, load)


def more_volts(assessed: Answers, load: Load) -> Iterator[Fix]:
    """A thicker wire if that is enough, a higher output of the board that feeds it, another board, another rail."""
    plan, column = assessed.plan, assessed.op.network.loads.index(load)

    def least_v(changed: Plan) -> float:
        op = operate(changed)
        return float(op.flow.load_v(column)[:, op.down_to(assessed.end_soc)].min())

    at: Fed = load
    best = plan
    while isinstance(feeder := plan.by_id[at.fed_by], (Link, Fed)) and not isinstance(feeder, Converter):
        at = feeder
        if isinstance(feeder, Link) and feeder.awg is not None and feeder.resistance_ohm is None:
            for thicker in (g for g in GAUGES if g < feeder.awg):
                changed = replaced(plan, altered(feeder, awg=thicker))
                if (volts := least_v(changed)) >= load.window.low_v:
                    words = f"{thicker:.0f} AWG instead of {feeder.awg:.0f} AWG for {feeder.name}"
                    yield Fix(words, f"brings {volts:.2f} V.", changed)
            best = replaced(best, altered(feeder, awg=min(feeder.awg, 22.0)))
    if isinstance(feeder, Converter):
        yield from _higher_output(assessed, load, feeder, plan, least_v(plan), "")
        if best is not plan:
            yield from _higher_output(assessed, load, feeder, best, least_v(best), ", with 22 AWG wire")
        for fix in other_boards(assessed, feeder):
            if least_v(fix.plan) >= load.window.low_v:
                yield fix
            new = fix.plan.by_id[feeder.id]
            if isinstance(new, Converter):
                yield from _higher_output(assessed, load, new, fix.plan, least_v(fix.plan), f": {new.name}", new=True)
    yield from other_rails(assessed, load)


def _higher_output(assessed: Answers, load: Load, board: Converter, plan: Plan, least_v: float, also: str,
                   *, new: bool = False) -> Iterator[Fix]:  # fmt: skip
    """The board's output set higher, within its bounds and every other part's window."""
    target = board.output_v.likely + (load.window.low_v - least_v) * 1.25
    others = [p for p in plan.loads if p.id != load.id and board in boards_above(plan, p)]
    ceiling = min((p.window.high_v for p in (*others, load)), default=target)
    volts = round(min(target, ceiling), 2)
    changed = within(board, "output_v", volts, "set within its bounds, for a part that needs the volts")
    if volts <= board.output_v.likely + 0.005 or changed is None:
        return
    words = (
        f"{assessed.plan.by_id[board.id].name} replaced by {board.name}, set to {volts:.2f} V"
        if new
        else f"{board.name} set to {volts:.2f} V{also}"
    )
    yield Fix(words, f"lifts {load.name} above {load.window.low_v:.2f} V.", replaced(plan, changed))
