"""The brief held against the plan: each requirement, what the plan does about it, and the station that decides it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from briskcell.core.answers import Answers
from briskcell.core.draw.bill import bill
from briskcell.core.heat.case import cells_limit_c, touch_limit_c
from briskcell.core.pack.fit import best_placing, stack_mm
from briskcell.core.pack.resets import MAYBE, counted
from briskcell.core.rails.headroom import Word, judged
from briskcell.model.tree import layout_of
from briskcell.model.units import show

WALL_MM = 2.5  # of a printed case; typical
NEAR_K = 3.0  # below a limit of temperature that counts as close: what a guess of the case may be off


@dataclass(frozen=True, slots=True, kw_only=True)
class Requirement:
    """One requirement of the brief: its field, what the plan comes to (a figure in ``unit``, or words), the word for it, and why.

    ``number`` names the figure it is held against, where the assessment can show its working.
    """

    field: str
    got: float | str
    state: Word
    why: str
    station: str
    unit: str = ""
    number: str = ""


def requirements(assessed: Answers) -> tuple[Requirement, ...]:
    """Every requirement of the brief, judged.

    Parameters
    ----------
    assessed : Answers
        The plan's answers.

    Returns
    -------
    tuple of Requirement
        In the order a brief is asked for.
    """
    return (_hours(assessed), *_apart_from_hours(assessed))


def unmet(assessed: Answers) -> tuple[Requirement, ...]:
    """The requirements that fail, but for the hours of play, of which a rule says all there is to say.

    Parameters
    ----------
    assessed : Answers
        The plan's answers. How far its hours reach is not asked, which is half of what all the rest costs.

    Returns
    -------
    tuple of Requirement
        As of ``requirements``.
    """
    return tuple(w for w in _apart_from_hours(assessed) if w.state == "fails")


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
    return max(assessed.plan.case.depth_mm, _pack_with_walls_mm(assessed) or 0.0)


def _hours(a: Answers) -> Requirement:
    found, spread = a.runtime, a.runtime_range
    if found is None or found.hours is None or spread is None:
        return Requirement(field="hours", got="no draw", state="unknown", why="Nothing draws from a pack yet.", station="pack")
    state: Word = "fails" if a.falls_short else "close" if spread.low < a.plan.brief.hours else "holds"
    why = f"{show(spread.low, 'h')} to {show(spread.high, 'h')} in eight builds of ten; stops because {found.stop_words}."
    return Requirement(field="hours", got=found.hours, unit="h", state=state, why=why, station="pack", number="runtime")


def _apart_from_hours(a: Answers) -> Iterator[Requirement]:
    yield from _use(a)
    yield from _charging(a)
    yield from _size(a)
    yield from _hands(a)


def _use(a: Answers) -> Iterator[Requirement]:
    brief, chance = a.plan.brief, a.resets
    if chance is None:
        yield Requirement(field="resets_per_charge", got="no play", state="unknown", why="Nothing plays yet.", station="pack")
    else:
        over = chance.expected > brief.resets_per_charge
        state: Word = "fails" if chance.expected > brief.resets_per_charge + MAYBE else "close" if over else "holds"
        why = "Parts that peak by chance, together." if chance.at_end > 0 else "Even all peaks at once overrun nothing."
        often = counted(chance.expected)
        yield Requirement(field="resets_per_charge", got=often, state=state, why=why, station="pack", number="resets")
    days = min((s.days for s in a.storage), default=None)
    if days is None:
        yield Requirement(field="shelf_days", got="no pack", state="unknown", why="There is no pack to leak.", station="pack")
    else:
        first = min(a.plan.stores, key=lambda s: a.storage[a.plan.stores.index(s)].days)
        state = "holds" if days >= brief.shelf_days else "fails"
        got = days if days < 1e5 else "no leak counted"
        yield Requirement(field="shelf_days", got=got, unit="d", state=state, why="From full to cut-off with everything off.",
                   station="pack", number=f"shelf:{first.id}")  # fmt: skip
    clocks = [p.name for p in a.plan.loads if p.keeps_time]
    state = "holds" if not brief.clock_must_keep or clocks else "fails"
    why = f"{clocks[0]} goes on sipping, and is counted on the shelf." if brief.clock_must_keep and clocks else (
        "No part of the build is a clock." if brief.clock_must_keep else "The board may forget the time.")  # fmt: skip
    yield Requirement(field="clock_must_keep", got=clocks[0] if clocks else "no clock", state=state, why=why, station="draw")


def _charging(a: Answers) -> Iterator[Requirement]:
    brief = a.plan.brief
    slow = max(a.charges, key=lambda c: c.off.hours if c.off.hours is not None else float("inf"), default=None)
    if slow is None:
        none = "There is no charge board: the cells come out, or are never filled."
        yield Requirement(field="charge_hours", got="no charger", state="unknown", why=none, station="charge")
        yield Requirement(field="play_while_charging", got="no charger", state="unknown", why=none, station="charge")
    else:
        hours = slow.off.hours
        why = slow.off.why or f"From {show(slow.off.start_soc, '%')}, where play ends, with the console off."
        yield Requirement(field="charge_hours", got="never full" if hours is None else hours, unit="h",
                   state="holds" if hours is not None and hours <= brief.charge_hours else "fails",
                   why=why, station="charge", number=f"charge:{slow.board.id}")  # fmt: skip
        layout = layout_of(a.plan, slow.board)
        words = {"power_path": "feeds the console first", "cut_out": "cuts the console out", "on_cell": "console on the cell"}[
            layout
        ]
        wanted = brief.play_while_charging
        state: Word = "holds" if layout == "power_path" or not wanted else "fails" if layout == "cut_out" else "close"
        why = {
            "power_path": "Play and charge at once; the pack takes what is left.",
            "cut_out": "Nobody plays while it charges.",
            "on_cell": "It plays, but the charger may never find its end.",
        }[layout]
        yield Requirement(field="play_while_charging", got=words, state=state, why=why, station="charge")
    ports = len({c.supply for c in a.plan.chargers})
    why = "One socket for everything." if ports == 1 else "No socket." if not ports else "With several, one is always forgotten."
    yield Requirement(field="charge_ports", got=str(ports), state="holds" if ports <= brief.charge_ports else "fails", why=why,
               station="charge")  # fmt: skip


def _size(a: Answers) -> Iterator[Requirement]:
    plan, brief, total = a.plan, a.plan.brief, bill(a.plan)
    got, most = thickness_mm(a), _pack_with_walls_mm(a)
    state: Word = "holds" if got <= brief.thickness_mm + 1e-9 else "fails"
    why = "Its cells state no size." if most is None else f"The pack with two walls takes {show(most, 'mm')} of it."
    if state == "fails" and plan.case.depth_mm <= brief.thickness_mm and most is not None:
        why = f"The case is thin enough, but the pack with two walls takes {show(most, 'mm')}."
    yield Requirement(field="thickness_mm", got=got, unit="mm", state=state, why=why, station="pack")
    mass = max(plan.case.mass_g, total.mass_g)
    known = f"{show(total.mass_g, 'g')} of it are parts that state their mass; the whole is as the case says."
    state = "unknown" if brief.mass_g is None else "holds" if mass <= brief.mass_g else "fails"
    yield Requirement(field="mass_g", got=mass, unit="g", state=state, why=known, station="pack", number="mass")
    over = brief.budget is not None and total.cost > brief.budget
    open_ended = f"{len(total.unpriced)} parts state no cost" if total.unpriced else "every part states its cost"
    state = "unknown" if brief.budget is None else "fails" if over else "close" if total.unpriced else "holds"
    yield Requirement(field="budget", got=total.cost, unit="€", state=state, why=f"Sum of the parts; {open_ended}.", station="draw",
               number="cost")  # fmt: skip


def _pack_with_walls_mm(a: Answers) -> float | None:
    """The thickest pack with a wall on either side; None where no cells state their size."""
    return max((s + 2 * WALL_MM for p in a.plan.packs if (s := _thick(a, p.id)) is not None), default=None)


def _thick(a: Answers, pack_id: str) -> float | None:
    """How thick a pack lies in its bay; without a bay, one layer of its cells."""
    pack = next(p for p in a.plan.packs if p.id == pack_id)
    if a.plan.bay is not None and (placing := best_placing(pack.cell, a.plan.bay)):
        return stack_mm(placing, pack.series * pack.parallel)
    return pack.cell.thickness_mm


def _hands(a: Answers) -> Iterator[Requirement]:
    brief, warm = a.plan.brief, a.heat
    limit, cells_limit = touch_limit_c(brief), cells_limit_c(a.plan)
    if not a.plan.stores:
        yield Requirement(field="room_c", got="no draw", state="unknown", why="Nothing warms the case yet.", station="heat")
    else:
        hot = warm.skin_c > limit or warm.cells_c > cells_limit
        near = warm.skin_c > limit - NEAR_K or warm.cells_c > cells_limit - NEAR_K
        why = f"{show(limit, '°C')} is the most {'that hands hold' if brief.held else 'for a case nobody holds'}; the cells feel "
        yield Requirement(field="room_c", got=warm.skin_c, unit="°C", state="fails" if hot else "close" if near else "holds",
                   why=f"{why}{show(warm.cells_c, '°C')}.", station="heat", number="heat")  # fmt: skip
    low = max((p.cell.use_low_c for p in a.plan.packs), default=-20.0)
    cold = not low <= brief.cells_c <= cells_limit
    why = f"The cells give from {show(low, '°C')} to {show(cells_limit, '°C')}; cold ones have more resistance, which is counted."
    yield Requirement(field="cells_c", got=brief.cells_c, unit="°C", state="fails" if cold else "holds", why=why, station="pack")
    least = min(a.headrooms, key=lambda h: h.spare, default=None)
    if least is None:
        yield Requirement(field="margins", got="no limits", state="unknown", why="No part states a limit.", station="rails")
    else:
        why = f"{least.name}, all at {least.at_state}, {show(least.at_soc, '%')} charge."
        yield Requirement(field="margins", got=least.spare, unit="%", state=judged(least.spare, brief.margins), why=why,
                   station="rails", number=f"headroom:{least.element}:{least.kind}")  # fmt: skip
