"""Parts that carry more: stronger boards, links and protection, thicker wires, packs that sag less."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice

from briskcell.core.answers import Answers
from briskcell.core.engine.operating import operate
from briskcell.core.rails.headroom import Headroom, headrooms
from briskcell.model.changes import altered, replaced
from briskcell.model.figure import Figure
from briskcell.model.parts import Converter, Link
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack
from briskcell.model.units import show

from .boards import other_boards, other_links
from .fix import Fix
from .layouts import other_layouts
from .packs import other_packs

TRIPS_A = (2.5, 3.0, 4.0, 5.0, 8.0, 10.0, 15.0, 20.0, 30.0, 40.0)  # of protection boards that are sold; typical
TRIP_OVER = 1.5  # of what the cells give for long, that a protection board may let pass for a moment
GAUGES = (28.0, 26.0, 24.0, 22.0, 20.0, 18.0, 16.0)


def carried(assessed: Answers) -> Iterator[Fix]:
    """A stronger part in the place of one without spare; then a pack that sags less, and thicker wires all along.

    Parameters
    ----------
    assessed : Answers
        The build; its volts collapse somewhere.

    Yields
    ------
    Fix
        Plans that carry more.
    """
    for weak in sorted(assessed.headrooms, key=lambda h: h.spare)[:3]:
        if weak.spare < assessed.plan.brief.margins.close:
            yield from stronger(assessed, weak)
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


def stronger(assessed: Answers, weak: Headroom) -> Iterator[Fix]:
    """Classes that leave more to spare, the comfortable ones first, the smallest of them first.

    Parameters
    ----------
    assessed : Answers
        The build.
    weak : Headroom
        What has too little to spare.

    Yields
    ------
    Fix
        Plans with another part, or a thicker wire, in its place.
    """
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
        if weak.element not in fix.plan.by_id:
            yield fix
            continue
        spare = min(
            (h.spare for h in headrooms(operate(fix.plan), assessed.ends) if h.element == weak.element and h.kind == weak.kind),
            default=1.0,
        )
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
                yield Fix(
                    f"{gauge:.0f} AWG instead of {wire.awg:.0f} AWG for {wire.name}",
                    f"carries {show(weak.demand_a, 'A')}.",
                    replaced(plan, altered(wire, awg=gauge)),
                )


def higher_trip(plan: Plan, weak: Headroom) -> Iterator[Fix]:
    """A protection board that trips later, up to what the cells stand for a moment.

    Parameters
    ----------
    plan : Plan
        The build.
    weak : Headroom
        Of a protection board.

    Yields
    ------
    Fix
        Plans with a board that trips higher. [A]
    """
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
