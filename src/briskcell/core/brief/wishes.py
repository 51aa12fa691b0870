"""The wishes of a brief, in the order they are asked: each takes a plan's answers, and gives what it comes to against the wish."""

from __future__ import annotations

from briskcell.core.answers import Answers
from briskcell.core.charge.outside import OUTSIDE_A, unfilled
from briskcell.core.draw.bill import bill
from briskcell.core.engine.sources import charge_share
from briskcell.core.heat.case import cells_limit_c, touch_limit_c
from briskcell.core.pack.fit import best_placing, stack_mm
from briskcell.core.pack.resets import counted
from briskcell.core.rails.headroom import Word
from briskcell.model.tree import layout_of
from briskcell.model.units import show

from .giving_way import (
    charged_indoors,
    cooler,
    longer,
    milder,
    more_resets,
    not_while_charging,
    outside,
    shorter,
    sooner_empty,
    thicker,
    up_to,
)
from .settling import settling
from .wish import Requirement, wish

WALL_MM = 2.5  # of a printed case; typical
NEAR_K = 3.0  # below a limit of temperature that counts as close: what a guess of the case may be off
ON_CHARGER = {
    "power_path": ("holds", "feeds the console first", "Play and charge at once; the pack takes what is left."),
    "cut_out": ("fails", "cuts the console out", "Nobody plays while it charges."),
    "on_cell": ("close", "console on the cell", "It plays, but the charger may never find its end."),
}
NO_BOARD = "There is no charge board: the cells come out, or are never filled."


@wish("hours", "Hours of play", unit="h", group="Use", called="the hours of play", gives_way=shorter, turn=1)
def hours(a: Answers) -> Requirement:
    """Whether it likely plays as long as is wished.

    ``close`` where it does by less than the margin that counts as close; what is not known is told as a chance beside.
    """
    found, spread = a.runtime, a.runtime_range
    if found is None or found.hours is None or spread is None:
        return Requirement(field="hours", got="no draw", state="unknown", why="Nothing draws from a pack yet.", station="pack")
    state: Word = "fails" if a.falls_short else "close" if a.barely_lasts else "holds"
    chance = f"a chance of {a.chance_said(a.plan.brief.hours)}"
    why = (
        f"{show(spread.low, 'h')} to {show(spread.high, 'h')} in eight builds of ten, {chance}"
        f"{settling(a)}; stops because {found.stop_words}."
    )
    return Requirement(field="hours", got=found.hours, unit="h", state=state, why=why, station="pack", number="runtime")


@wish(
    "resets_per_charge",
    "Resets accepted over one pack",
    group="Use",
    called="the resets that are accepted",
    gives_way=more_resets,
    turn=9,
)
def resets_per_charge(a: Answers) -> Requirement:
    """Whether no more resets are expected than are accepted.

    Over one pack.
    """
    chance = a.resets
    if chance is None:
        return Requirement(field="resets_per_charge", got="no play", state="unknown", why="Nothing plays yet.", station="pack")
    why = "Parts that peak by chance, together." if chance.at_end > 0 else "Even all peaks at once overrun nothing."
    often = counted(chance.expected)
    return Requirement(field="resets_per_charge", got=often, state=a.resets_word, why=why, station="pack", number="resets")


@wish(
    "shelf_days",
    "Days on the shelf before it is empty",
    unit="d",
    group="Use",
    called="the days on the shelf",
    gives_way=sooner_empty,
    turn=6,
)
def shelf_days(a: Answers) -> Requirement:
    """Whether it is not empty before.

    Of the store that is empty first.
    """
    days = min((s.days for s in a.storage), default=None)
    if days is None:
        return Requirement(field="shelf_days", got="no pack", state="unknown", why="There is no pack to leak.", station="pack")
    first = min(a.plan.stores, key=lambda s: a.storage[a.plan.stores.index(s)].days)
    state: Word = "holds" if days >= a.plan.brief.shelf_days else "fails"
    got = days if days < 1e5 else "no leak counted"
    return Requirement(
        field="shelf_days",
        got=got,
        unit="d",
        state=state,
        why="From full to cut-off with everything off.",
        station="pack",
        number=f"shelf:{first.id}",
    )


@wish("clock_must_keep", "A clock must keep time while it is off", group="Use", called="a clock that keeps time")
def clock_must_keep(a: Answers) -> Requirement:
    """Whether something goes on counting while all else is off.

    Of the first clock.
    """
    wanted, clocks = a.plan.brief.clock_must_keep, [p.name for p in a.plan.loads if p.keeps_time]
    state: Word = "holds" if not wanted or clocks else "fails"
    why = (
        f"{clocks[0]} goes on sipping, and is counted on the shelf."
        if wanted and clocks
        else ("No part of the build is a clock." if wanted else "The board may forget the time.")
    )
    got = clocks[0] if clocks else "no clock"
    return Requirement(field="clock_must_keep", got=got, state=state, why=why, station="draw")


@wish(
    "charge_hours",
    "Hours on the charger at most",
    unit="h",
    group="Charging",
    called="the hours on the charger",
    gives_way=longer,
    turn=2,
)
def charge_hours(a: Answers) -> Requirement:
    """Whether it is full soon enough.

    Of the slowest board.
    """
    slow = max(a.charges, key=lambda c: c.off.hours if c.off.hours is not None else float("inf"), default=None)
    if slow is None:
        return Requirement(field="charge_hours", got="no charger", state="unknown", why=NO_BOARD, station="charge")
    took = slow.off.hours
    state: Word = "holds" if took is not None and took <= a.plan.brief.charge_hours else "fails"
    why = slow.off.why or f"From {show(slow.off.start_soc, '%')}, where play ends, with the console off."
    return Requirement(
        field="charge_hours",
        got="never full" if took is None else took,
        unit="h",
        state=state,
        why=why,
        station="charge",
        number=f"charge:{slow.board.id}",
    )


@wish(
    "play_while_charging",
    "Play while it charges",
    group="Charging",
    called="play while charging",
    gives_way=not_while_charging,
    turn=3,
)
def play_while_charging(a: Answers) -> Requirement:
    """Whether somebody can play meanwhile.

    By the layout of the slowest board.
    """
    slow = max(a.charges, key=lambda c: c.off.hours if c.off.hours is not None else float("inf"), default=None)
    if slow is None:
        return Requirement(field="play_while_charging", got="no charger", state="unknown", why=NO_BOARD, station="charge")
    word, got, why = ON_CHARGER[layout_of(a.plan, slow.board)]
    state: Word = word if a.plan.brief.play_while_charging else "holds"  # type: ignore[assignment]
    return Requirement(field="play_while_charging", got=got, state=state, why=why, station="charge")


@wish(
    "charged_outside",
    "Charged outside the case",
    group="Charging",
    called="charging inside the case",
    gives_way=outside,
    turn=2,
)
def charged_outside(a: Answers) -> Requirement:
    """Whether something fills every pack that can be filled.

    Of the first that nothing does.
    """
    bare, outside_too = unfilled(a.plan), a.plan.brief.charged_outside
    if bare and not outside_too:
        why = f"Nothing fills {bare[0].name}."
        return Requirement(field="charged_outside", got="nothing", state="fails", why=why, station="charge")
    hours, why = a.outside_h, "A board inside fills each pack."
    if not a.plan.packs:
        why = NO_BOARD
    elif hours is not None:
        why = f"A balance charger at a jack, or cells taken out: {show(hours, 'h')} with {show(OUTSIDE_A, 'A')} at the most."
    got, state = "outside" if outside_too else "inside", "holds" if a.plan.packs else "unknown"
    return Requirement(field="charged_outside", got=got, state=state, why=why, station="charge")  # type: ignore[arg-type]


@wish("charge_ports", "Charge ports", group="Charging", called="the charge ports")
def charge_ports(a: Answers) -> Requirement:
    """Whether there are no more sockets than are wished.

    Of all charge boards.
    """
    ports = len({c.supply for c in a.plan.chargers})
    why = "One socket for everything." if ports == 1 else "No socket." if not ports else "With several, one is always forgotten."
    state: Word = "holds" if ports <= a.plan.brief.charge_ports else "fails"
    return Requirement(field="charge_ports", got=str(ports), state=state, why=why, station="charge")


@wish("thickness_mm", "Thickness at most", unit="mm", group="Size and cost", called="the thickness", gives_way=thicker, turn=4)
def thickness(a: Answers) -> Requirement:
    """Whether it is thin enough.

    Of the case, or of its thickest pack with two walls.
    """
    plan, wanted = a.plan, a.plan.brief.thickness_mm
    got, most = thickness_mm(a), pack_with_walls_mm(a)
    state: Word = "holds" if got <= wanted + 1e-9 else "fails"
    why = "Its cells state no size." if most is None else f"The pack with two walls takes {show(most, 'mm')} of it."
    if state == "fails" and plan.case.depth_mm <= wanted and most is not None:
        why = f"The case is thin enough, but the pack with two walls takes {show(most, 'mm')}."
    return Requirement(field="thickness_mm", got=got, unit="mm", state=state, why=why, station="pack")


@wish(
    "mass_g", "Mass at most", unit="g", group="Size and cost", called="the mass", gives_way=up_to("mass_g", "g", "the mass"), turn=8
)
def mass(a: Answers) -> Requirement:
    """Whether it is light enough.

    ``unknown`` without a wish.
    """
    total, wanted = bill(a.plan), a.plan.brief.mass_g
    got = max(a.plan.case.mass_g, total.mass_g)
    why = f"{show(total.mass_g, 'g')} of it are parts that state their mass; the whole is as the case says."
    state: Word = "unknown" if wanted is None else "holds" if got <= wanted else "fails"
    return Requirement(field="mass_g", got=got, unit="g", state=state, why=why, station="pack", number="mass")


@wish(
    "budget",
    "Budget for the parts",
    unit="€",
    group="Size and cost",
    called="the budget",
    gives_way=up_to("budget", "€", "the budget"),
    turn=7,
)
def budget(a: Answers) -> Requirement:
    """Whether the parts cost no more.

    ``unknown`` without a wish, ``close`` where a part states no cost.
    """
    total, wanted = bill(a.plan), a.plan.brief.budget
    open_ended = f"{len(total.unpriced)} parts state no cost" if total.unpriced else "every part states its cost"
    over = wanted is not None and total.cost > wanted
    state: Word = "unknown" if wanted is None else "fails" if over else "close" if total.unpriced else "holds"
    why = f"Sum of the parts; {open_ended}."
    return Requirement(field="budget", got=total.cost, unit="€", state=state, why=why, station="draw", number="cost")


@wish("room_c", "Warmest room", unit="°C", group="Surroundings", called="the warmest room", gives_way=cooler, turn=5)
def room_c(a: Answers) -> Requirement:
    """Whether hands and cells stand it in that room.

    Of the skin, with the cells beside it.
    """
    brief, warm = a.plan.brief, a.heat
    limit, cells_limit = touch_limit_c(a.plan), cells_limit_c(a.plan)
    if not a.plan.stores:
        return Requirement(field="room_c", got="no draw", state="unknown", why="Nothing warms the case yet.", station="heat")
    hot = warm.skin_c > limit or warm.cells_c > cells_limit
    near = warm.skin_c > limit - NEAR_K or warm.cells_c > cells_limit - NEAR_K
    why = f"{show(limit, '°C')} is the most {'that hands hold' if brief.held else 'for a case nobody holds'}; the cells feel "
    return Requirement(
        field="room_c",
        got=warm.skin_c,
        unit="°C",
        state="fails" if hot else "close" if near else "holds",
        why=f"{why}{show(warm.cells_c, '°C')}.",
        station="heat",
        number="heat",
    )


@wish(
    "cells_c",
    "Temperature of the cells in use",
    unit="°C",
    group="Surroundings",
    called="the temperature of the cells",
    gives_way=milder,
    turn=8,
)
def cells_c(a: Answers) -> Requirement:
    """Whether the cells give at that temperature.

    Of all packs.
    """
    low, high = max((p.cell.use_low_c for p in a.plan.packs), default=-20.0), cells_limit_c(a.plan)
    got = a.plan.brief.cells_c
    why = f"The cells give from {show(low, '°C')} to {show(high, '°C')}; cold ones have more resistance, which is counted."
    return Requirement(
        field="cells_c", got=got, unit="°C", state="holds" if low <= got <= high else "fails", why=why, station="pack"
    )


@wish(
    "charge_c",
    "Temperature where it charges",
    unit="°C",
    group="Surroundings",
    called="charging in the cold",
    gives_way=charged_indoors,
    turn=3,
)
def charge_c(a: Answers) -> Requirement:
    """Whether the cells may be charged there.

    As warm as in use where it is left open.
    """
    packs = [p for p in a.plan.packs if any(b.charges == p.id for b in a.plan.chargers)]
    got = a.plan.brief.charging_c
    if not packs:
        return Requirement(field="charge_c", got=got, unit="°C", state="unknown", why=NO_BOARD, station="charge")
    share = min(charge_share(p.cell, got) for p in packs)
    low, high = max(p.cell.charge_low_c for p in packs), min(p.cell.charge_high_c for p in packs)
    why = f"The cells take a charge from {show(low, '°C')} to {show(high, '°C')}, below 10 °C a third of it."
    state: Word = "fails" if share <= 0 else "close" if share < 1 else "holds"
    return Requirement(field="charge_c", got=got, unit="°C", state=state, why=why, station="charge")


@wish("margins", "Spare that counts as comfortable, as close", group="Surroundings", called="the margins")
def margins(a: Answers) -> Requirement:
    """Whether the least spare of all limits is comfortable.

    Of the element with the least.
    """
    least = a.least_spare()
    if least is None:
        return Requirement(field="margins", got="no limits", state="unknown", why="No part states a limit.", station="rails")
    why = f"{least.name}, all at {least.at_state}, {show(least.at_soc, '%')} charge."
    return Requirement(
        field="margins",
        got=least.spare,
        unit="%",
        state=a.word_of(least),
        why=why,
        station="rails",
        number=f"headroom:{least.element}:{least.kind}",
    )


def thickness_mm(assessed: Answers) -> float:
    """How thick the build comes to be. [mm]

    Parameters
    ----------
    assessed : Answers
        The plan's answers.

    Returns
    -------
    float
        That of the case, or of its thickest pack with two walls where that is more.
    """
    return max(assessed.plan.case.depth_mm, pack_with_walls_mm(assessed) or 0.0)


def pack_with_walls_mm(a: Answers) -> float | None:
    """The thickest pack with a wall on either side.

    Parameters
    ----------
    a : Answers
        The plan's answers.

    Returns
    -------
    float or None
        None where no cells state their size. [mm]
    """
    return max((s + 2 * WALL_MM for p in a.plan.packs if (s := _thick(a, p.id)) is not None), default=None)


def _thick(a: Answers, pack_id: str) -> float | None:
    """How thick a pack lies in its bay; without a bay, one layer of its cells."""
    pack = next(p for p in a.plan.packs if p.id == pack_id)
    if a.plan.bay is not None and (placing := best_placing(pack.cell, a.plan.bay)):
        return stack_mm(placing, pack.series * pack.parallel)
    return pack.cell.thickness_mm
