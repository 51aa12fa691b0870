"""How wishes of the brief give way: plans in which one is lowered to what the build comes to, or by a step."""

from __future__ import annotations

import math
from collections.abc import Iterator

from briskcell.core.answers import Answers
from briskcell.core.engine.sources import FULL_FROM_C
from briskcell.model.changes import remade
from briskcell.model.plan import Plan
from briskcell.model.units import show

from .wish import GivesWay

THICKER_MM, COOLER_K = (4.0, 8.0, 16.0), 8.0
INDOORS_C = 20.0
LEAST_H = 0.2  # of play that a wish is lowered to
Ways = Iterator[tuple[Plan, str]]


def _brief(a: Answers, **wishes: object) -> Plan:
    return remade(a.plan, {"brief": a.plan.brief.model_copy(update=wishes)})


def shorter(a: Answers, got: float | None) -> Ways:
    """Fewer hours of play."""
    wanted = a.plan.brief.hours
    if not got or not (LEAST_H < got < wanted or got >= wanted):
        return
    lower = math.floor(got * 10.0) / 10.0 if got < wanted else wanted / 2.0
    yield _brief(a, hours=lower), f"{show(lower, 'h')} of play instead of {show(wanted, 'h')}"


def longer(a: Answers, got: float | None) -> Ways:
    """More hours on the charger."""
    wanted = a.plan.brief.charge_hours
    more = math.ceil(got * 2.0) / 2.0 if got and got > wanted else wanted * 2.0
    yield _brief(a, charge_hours=more), f"{show(more, 'h')} on the charger instead of {show(wanted, 'h')}"


def not_while_charging(a: Answers, _got: float | None) -> Ways:
    """No play on the charger."""
    if a.plan.brief.play_while_charging:
        yield _brief(a, play_while_charging=False), "no play while it charges"


def thicker(a: Answers, _got: float | None) -> Ways:
    """A thicker case, with a deeper bay."""
    wanted = a.plan.brief.thickness_mm
    for more in THICKER_MM:
        wider = wanted + more
        bay = a.plan.bay and a.plan.bay.model_copy(update={"depth_mm": a.plan.bay.depth_mm + more})
        case = a.plan.case.model_copy(update={"depth_mm": max(a.plan.case.depth_mm, wider)})
        plan = remade(_brief(a, thickness_mm=wider), {"bay": bay, "case": case})
        yield plan, f"{show(wider, 'mm')} thick instead of {show(wanted, 'mm')}"


def cooler(a: Answers, _got: float | None) -> Ways:
    """A cooler room at the most."""
    room = a.plan.brief.room_c - COOLER_K
    yield _brief(a, room_c=room), f"rooms up to {show(room, '°C')} instead of {show(a.plan.brief.room_c, '°C')}"


def charged_indoors(a: Answers, _got: float | None) -> Ways:
    """Charged at room temperature, however cold it is used."""
    if a.plan.brief.charging_c < FULL_FROM_C or a.plan.brief.charging_c > INDOORS_C + FULL_FROM_C:
        yield _brief(a, charge_c=INDOORS_C), f"charged indoors, at {show(INDOORS_C, '°C')}"


def outside(a: Answers, _got: float | None) -> Ways:
    """Charged by a charger outside the case, or with its cells taken out."""
    if not a.plan.brief.charged_outside:
        yield _brief(a, charged_outside=True), "charged outside the case"


def milder(a: Answers, _got: float | None) -> Ways:
    """Used no colder and no warmer than the cells stand."""
    now = a.plan.brief.cells_c
    low = max((c.use_low_c for p in a.plan.packs for c in p.string_cells), default=now)
    high = min((c.use_high_c for p in a.plan.packs for c in p.string_cells), default=now)
    if (mild := min(max(now, low), high)) != now:
        at = show(mild, "°C")
        yield _brief(a, cells_c=mild), f"used at {at} at the most" if now > high else f"used from {at} on"


def sooner_empty(a: Answers, got: float | None) -> Ways:
    """Fewer days on the shelf."""
    wanted = a.plan.brief.shelf_days
    if got and got < wanted:
        words = f"{math.floor(got)} days on the shelf instead of {wanted:.0f}"
        yield _brief(a, shelf_days=max(math.floor(got), 1.0)), words


def up_to(field: str, unit: str, called: str) -> GivesWay:
    """A limit raised to what the build comes to.

    Parameters
    ----------
    field, unit, called : str
        Of the brief, and in words.

    Returns
    -------
    callable
        How that wish gives way.
    """

    def ways(a: Answers, got: float | None) -> Ways:
        wanted = getattr(a.plan.brief, field)
        if wanted is not None and got:
            limit = float(math.ceil(got))
            yield _brief(a, **{field: limit}), f"{show(limit, unit)} instead of {show(wanted, unit)} as {called}"

    return ways


def more_resets(a: Answers, _got: float | None) -> Ways:
    """More resets accepted."""
    if a.resets is not None and a.resets.expected > a.plan.brief.resets_per_charge:
        more = math.ceil(a.resets.expected)
        yield _brief(a, resets_per_charge=more), f"{more} resets over a pack accepted"
