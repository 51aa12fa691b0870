"""Rules of the rails: boards, wires and switches carry what is asked, parts get the volts they accept."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from typing import TYPE_CHECKING

from briskcell.core.changes import altered, replaced
from briskcell.core.headroom import Headroom, headrooms, judged
from briskcell.core.operating import operate
from briskcell.model.parts import Converter, Fed, Link, Load
from briskcell.model.plan import Plan
from briskcell.model.units import show

from .registry import Finding, Fix, rule

if TYPE_CHECKING:
    from briskcell.core.assess import Assessment


@rule("headroom", station="rails", source="TI SLVA372D; margins of the brief")
def headroom(assessed: Assessment) -> Iterator[Finding]:
    """Every board, wire, switch, plug, fuse and protection keeps current to spare at its worst moment."""
    if (lost := assessed.collapse) is not None:
        soc, state = lost
        yield Finding("fails", assessed.plan.stores[0].id, f"At {soc:.0%} charge, all at {state}, the volts collapse: "
                      "the path from the pack cannot carry what is asked.", 3.0,
                      advice="Thicker wire, a stronger pack, or less draw at once.")  # fmt: skip
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


def _stronger(assessed: Assessment, weak: Headroom) -> Fix | None:
    """The smallest class of the same kind that is comfortable, else the strongest that helps."""
    part = assessed.plan.by_id[weak.element]
    candidates: list[Converter | Link] = []
    if isinstance(part, Converter):
        candidates = [
            altered(c, id=part.id, fed_by=part.fed_by, output_v=part.output_v, part_class=c.part_class)
            for c in assessed.shelf.converters
            if c.kind == part.kind and abs(c.output_v.likely - part.output_v.likely) < 0.4
        ]
    elif isinstance(part, Link):
        candidates = [
            altered(c, id=part.id, fed_by=part.fed_by)
            for c in assessed.shelf.links
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
def load_window(assessed: Assessment) -> Iterator[Finding]:
    """Every part gets volts within its window, from a full pack to the end, at rest, in play and at the peak."""
    op = assessed.op
    reach = op.soc >= assessed.end_soc - 1e-9
    for k, load in enumerate(op.network.loads):
        if op.flow.collapsed[:, reach].any():
            continue  # the headroom rule speaks of a build that cannot be carried
        volts = op.flow.input_v(k)[:, reach]
        low, high, window = float(volts.min()), float(volts.max()), load.window
        if window.absolute_max_v is not None and high > window.absolute_max_v:
            yield Finding("fails", load.id, f"{load.name} sees {high:.2f} V; more than {window.absolute_max_v:.2f} V destroys it.",
                          1.0 + high / window.absolute_max_v, advice="Hang it on a rail within its window.")  # fmt: skip
        elif high > window.high_v + 1e-9:
            yield Finding("fails", load.id, f"{load.name} sees {high:.2f} V and accepts at most {window.high_v:.2f} V.",
                          high / window.high_v - 1, advice="Hang it on a rail within its window.")  # fmt: skip
        if low < window.low_v - 1e-9:
            when = "at the end of the pack" if float(volts.max(axis=1).min()) >= window.low_v else "in play"
            yield Finding("fails", load.id, f"{load.name} sees {low:.2f} V {when}, needs {window.low_v:.2f} V.",
                          1 - low / window.low_v, partial(_more_volts, assessed, load),
                          "Feed it from a rail with a higher voltage.")  # fmt: skip


def _more_volts(assessed: Assessment, load: Load) -> Fix | None:
    """A thicker wire if that is enough, else a higher output of the board that feeds it."""
    plan, column = assessed.plan, assessed.op.network.loads.index(load)

    def least_v(changed: Plan) -> float:
        op = operate(changed)
        return float(op.flow.input_v(column)[:, op.soc >= assessed.end_soc - 1e-9].min())

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


def _higher_output(assessed: Assessment, load: Load, board: Converter, least_v: float) -> Fix | None:
    plan = assessed.plan
    target = board.output_v.likely + (load.window.low_v - least_v) * 1.25
    others = [p for p in plan.loads if p is not load and board.id in _above(plan, p)]
    ceiling = min((p.window.high_v for p in (*others, load)), default=target)
    volts = round(min(target, ceiling), 2)
    if volts <= board.output_v.likely + 0.005 or volts - board.output_v.likely > 1.0:
        return None
    changed = replaced(plan, altered(board, output_v=board.output_v.at(volts, source="trimmed by a fix")))
    return Fix(f"{board.name} set to {volts:.2f} V", f"lifts {load.name} above {load.window.low_v:.2f} V.", changed)


def _above(plan: Plan, part: Fed) -> set[str]:
    out: set[str] = set()
    at: object = part
    while isinstance(at, Fed):
        out.add(at.fed_by)
        at = plan.by_id[at.fed_by]
    return out
