"""Rules of the rails: boards, wires and switches carry what is asked, parts get the volts they accept."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

import numpy as np

from briskcell.core.answers import Answers
from briskcell.core.engine.converters import same_output, typical_efficiency
from briskcell.core.engine.operating import operate
from briskcell.core.rails.fewest import straight_on
from briskcell.core.rails.headroom import Headroom, headrooms, judged
from briskcell.model.changes import altered, replaced
from briskcell.model.parts import Converter, Fed, Link, Load, State
from briskcell.model.plan import Plan
from briskcell.model.tree import boards_above
from briskcell.model.units import show

from .registry import Finding, Fix, missed_by, rule

CASCADE_W = 0.15  # lost on the way before two boards in a row are worth a word: a twentieth of a small console
HYSTERESIS_V = 0.15  # of a lock-out that states no restart: 0.1 to 0.2 V on sheets; typical
DIODE_V = 0.3  # a boost fed that far above its output passes its input through its diode
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


def _carried(assessed: Answers) -> Fix | None:
    """A stronger part in the place of one without spare, if with it the build no longer collapses."""
    for weak in sorted(assessed.headrooms, key=lambda h: h.spare):
        fix = _stronger(assessed, weak) if weak.spare < assessed.plan.brief.margins.close else None
        if fix is not None and assessed.of(fix.plan).collapse is None:
            return Fix(fix.words, f"carries it, and {fix.brings}", fix.plan)
    return None


def _stronger(assessed: Answers, weak: Headroom) -> Fix | None:
    """The smallest class of the same kind that is comfortable, else the strongest that helps."""
    part = assessed.plan.by_id[weak.element]
    candidates: list[Converter | Link] = []
    if isinstance(part, Converter):
        candidates = [
            altered(c, id=part.id, fed_by=part.fed_by, output_v=part.output_v, part_class=c.part_class)
            for c in assessed.stock.converters
            if c.kind == part.kind and same_output(c, part)
        ]
    elif isinstance(part, Link):
        candidates = [
            altered(c, id=part.id, fed_by=part.fed_by)
            for c in assessed.stock.links
            if c.kind == part.kind and c.rating_a and part.rating_a and c.rating_a.likely > part.rating_a.likely
        ]
        candidates.sort(key=lambda c: c.rating_a.likely if isinstance(c, Link) and c.rating_a else 0.0)
    best: tuple[float, Fix] | None = None
    for candidate in candidates:
        plan = replaced(assessed.plan, candidate)
        spare = min(
            h.spare for h in headrooms(operate(plan), assessed.end_soc) if h.element == weak.element and h.kind == weak.kind
        )
        if spare < assessed.plan.brief.margins.close or spare <= weak.spare + 0.005 or (best and spare <= best[0]):
            continue
        best = spare, Fix(f"{candidate.name} in its place", f"leaves {spare:.0%} to spare.", plan)
        if spare >= assessed.plan.brief.margins.comfortable:
            break
    return best[1] if best else None


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
        if window.absolute_max_v is not None and high > window.absolute_max_v:
            yield Finding("fails", load.id, f"{load.name} sees {high:.2f} V; more than {window.absolute_max_v:.2f} V destroys it.",
                          2.0 + missed_by(high, window.absolute_max_v), advice="Hang it on a rail within its window.")  # fmt: skip
        elif high > window.high_v + 1e-9:
            yield Finding("fails", load.id, f"{load.name} sees {high:.2f} V and accepts at most {window.high_v:.2f} V.",
                          missed_by(high, window.high_v), advice="Hang it on a rail within its window.")  # fmt: skip
        if low < window.low_v - 1e-9:
            when = "at the end of the pack" if float(all_volts[:, :, k].max(axis=1).min()) >= window.low_v else "in play"
            yield Finding("fails", load.id, f"{load.name} sees {low:.2f} V {when}, needs {window.low_v:.2f} V.",
                          missed_by(low, window.low_v), partial(_more_volts, assessed, load),
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
            yield Finding("fails", board.id, cause, 1.0 + missed_by(most, board.input_max_v), partial(_other_board, assessed, board, most),
                          "Choose a board for a higher input.")  # fmt: skip


def _other_board(assessed: Answers, board: Converter, most_v: float) -> Fix | None:
    """A class with the same output that stands the input: a buck where the input is above the output."""
    kind = "buck" if most_v > board.output_v.likely + DIODE_V else board.kind
    for candidate in assessed.stock.converters:
        suits = candidate.input_max_v is None or candidate.input_max_v >= most_v
        if candidate.kind == kind and suits and same_output(candidate, board):
            plan = replaced(assessed.plan, altered(candidate, id=board.id, fed_by=board.fed_by))
            return Fix(f"{candidate.name} in its place", f"stands {candidate.input_max_v or most_v:.0f} V.", plan)
    return None


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


def _straight(assessed: Answers, board: Converter, first: Converter, lost: float) -> Fix | None:
    """The second board beside the first, where its input accepts the store's volts and it still steps the right way."""
    op = assessed.op
    volts = op.flow.converter_input_v(op.network.converters.index(first))[:, op.down_to(assessed.end_soc)]
    low, high = float(volts.min()), float(volts.max())
    if high > (board.input_max_v or high) or low < (board.lockout_v or 0.0):
        return None
    if (board.kind == "boost" and high > board.output_v.likely) or (board.kind == "buck" and low < board.output_v.likely):
        return None
    plan = replaced(assessed.plan, altered(board, fed_by=first.fed_by))
    return Fix(f"{board.name} fed beside {first.name}", f"saves about {show(lost, 'W')}.", plan)


@rule("lock-out-chatter", station="rails", source="Lock-out with hysteresis, on a pack that recovers without load")
def lockout_chatter(assessed: Answers) -> Iterator[Finding]:
    """A board that locks out does not start again as the pack recovers, only to lock out again."""
    found = assessed.runtime
    if found is None or found.stop_cause != "converter lock-out" or assessed.pack_index is None:
        return
    board = assessed.plan.by_id[found.stop_element]
    assert isinstance(board, Converter)
    curves = assessed.op.curves[assessed.pack_index]
    rest_v = float(np.interp(-found.stop_soc, -curves.soc, curves.ocv_v))
    restart_v = board.restart_v if board.restart_v is not None else (board.lockout_v or 0.0) + HYSTERESIS_V
    source = assessed.op.network.source_of_converter(assessed.op.network.converters.index(board))
    if source == assessed.pack_index and rest_v > restart_v:
        cause = f"{board.name} locks out at {board.lockout_v or 0:.2f} V, the pack recovers to {rest_v:.2f} V and it starts again: it will chatter."
        wider = round(rest_v + 0.05, 2)
        plan = replaced(assessed.plan, altered(board, restart_v=wider))
        yield Finding("close", board.id, cause, 0.1, partial(Fix, f"A restart at {wider:.2f} V", "keeps it off.", plan))


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
    """A board that measures its battery is fed where it measures, not behind it."""
    for load in assessed.plan.loads:
        if load.measures_battery and boards_above(assessed.plan, load):
            yield Finding("fails", load.id, f"{load.name} measures its battery and may refuse to run when a regulator feeds it.", 0.5,
                          partial(_to_store, assessed, load), "Feed it at its battery terminals.")  # fmt: skip


def _to_store(assessed: Answers, load: Load) -> Fix | None:
    for store in assessed.plan.stores:
        if load.id in straight_on(assessed.plan, store):
            return Fix(
                f"{load.name} straight on {store.name}",
                "suits its window.",
                replaced(assessed.plan, altered(load, fed_by=store.id)),
            )
    return None


def _more_volts(assessed: Answers, load: Load) -> Fix | None:
    """A thicker wire if that is enough, else a higher output of the board that feeds it."""
    plan, column = assessed.plan, assessed.op.network.loads.index(load)

    def least_v(changed: Plan) -> float:
        op = operate(changed)
        return float(op.flow.load_v(column)[:, op.down_to(assessed.end_soc)].min())

    at: Fed = load
    while isinstance(feeder := plan.by_id[at.fed_by], (Link, Fed)) and not isinstance(feeder, Converter):
        at = feeder
        if isinstance(feeder, Link) and feeder.awg is not None and feeder.resistance_ohm is None:
            for thicker in (g for g in (28, 26, 24, 22, 20, 18, 16) if g < feeder.awg):
                changed = replaced(plan, altered(feeder, awg=float(thicker)))
                if (volts := least_v(changed)) >= load.window.low_v:
                    words = f"{thicker} AWG instead of {feeder.awg:.0f} AWG for {feeder.name}"
                    return Fix(words, f"brings {volts:.2f} V.", changed)
    if isinstance(feeder, Converter):
        return _higher_output(assessed, load, feeder, least_v(plan))
    return None


def _higher_output(assessed: Answers, load: Load, board: Converter, least_v: float) -> Fix | None:
    plan = assessed.plan
    target = board.output_v.likely + (load.window.low_v - least_v) * 1.25
    others = [p for p in plan.loads if p is not load and board in boards_above(plan, p)]
    ceiling = min((p.window.high_v for p in (*others, load)), default=target)
    volts = round(min(target, ceiling), 2)
    if volts <= board.output_v.likely + 0.005 or volts - board.output_v.likely > 1.0:
        return None
    changed = replaced(plan, altered(board, output_v=board.output_v.at(volts, source="trimmed by a fix")))
    return Fix(f"{board.name} set to {volts:.2f} V", f"lifts {load.name} above {load.window.low_v:.2f} V.", changed)
