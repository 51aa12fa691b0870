"""Days that a build is to last: put in, typed, changed stretch by stretch."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import get_args

from briskcell.core.day.course import plugged_into
from briskcell.library import catalogue
from briskcell.model.errors import FigureError
from briskcell.model.phases import Moment
from briskcell.model.plan import Day, Plan, Stretch
from briskcell.model.stores import Supply
from briskcell.model.units import read, typed
from briskcell.services.edits.values import Edit, checked

OWN = "own"
MOST_DAYS, MOST_STRETCHES, MOST_MINUTES = 6, 40, 4320
EXAMPLES = {
    "An evening": "boot 1 min, play 2h00, off 20 min, play 1h00",
    "A ferry crossing of 7 h, one socket at noon": "boot 1 min, play 2h29, off 30 min plugged, play 30 min plugged, play 3h30",
    "A weekend away": "play 3h00, off 21h00, play 3h00, off 18h00 plugged, play 3h00",
}
PIECE = re.compile(
    r"^(?P<what>[a-z]+)\s+(?P<time>.+?)(?:\s+with\s+(?P<game>.+?))?(?:\s+(?:plugged|charging)(?P<plug>\s+\S+)?)?$", re.I
)
PLUGGED = re.compile(r"\s(?:plugged|charging)(?:\s+\S+)?$", re.I)


def day_text(day: Day) -> str:
    """A day as it is typed; reading it gives the same stretches."""

    def piece(s: Stretch) -> str:
        game = f" with {s.game}" if s.game else ""
        whole = f"{int(s.minutes) // 60}h{int(s.minutes) % 60:02d}"
        time = whole if s.minutes >= 60 and s.minutes == int(s.minutes) else typed(s.minutes, "min")
        return f"{s.what} {time}{game}" + ("" if not s.plug else " plugged" + ("" if s.plug == OWN else f" {s.plug}"))

    return ", ".join(piece(s) for s in day.stretches)


def read_stretches(text: str, plan: Plan, slot: str = "day") -> tuple[Stretch, ...]:
    """Stretches from words such as ``boot 1 min, play 2h00 with Loud, off 30 min plugged``.

    Raises
    ------
    FigureError
        If a stretch names nothing a console does, no time, or a game or a supply that there is not.
    """
    games, supplies = {g.name for g in plan.games}, supply_classes()
    out = []
    for words in (p.strip() for p in re.split(r"[,;\n]", text)):
        if not words:
            continue
        found = PIECE.match(words)
        what = found["what"].lower() if found else ""
        known: Moment | None = next((m for m in get_args(Moment) if m == what), None)
        if found is None or known is None:
            raise FigureError(
                slot,
                f"“{words[:60]}” begins with none of {', '.join(get_args(Moment))}, or has no time.",
                fix="Type it like play 2h00, or off 30 min plugged.",
            )
        plug = ((found["plug"] or "").strip() or OWN) if PLUGGED.search(words) else ""
        if plug not in ("", OWN, *supplies):
            raise FigureError(slot, f"There is no supply “{plug[:60]}”.", fix="Leave it out for the charger’s own.")
        if found["game"] and found["game"] not in games:
            raise FigureError(slot, f"There is no game “{found['game'][:60]}”.", fix="Add it on Draw, or leave it out.")
        minutes = read(found["time"], "min", slot)
        if minutes <= 0:
            raise FigureError(slot, f"“{words[:60]}” takes no time.", fix="Give it minutes or hours.")
        if minutes > MOST_MINUTES:
            raise FigureError(slot, f"“{words[:60]}” is longer than {MOST_MINUTES // 60} h.", fix="Shorten it, or part it.")
        out.append(Stretch(what=known, minutes=minutes, game=found["game"] or "", plug=plug))
    if not out or len(out) > MOST_STRETCHES:
        raise FigureError(slot, f"A day has 1 to {MOST_STRETCHES} stretches.", fix=f"Type it like {EXAMPLES['An evening']}.")
    return tuple(out)


def supply_classes() -> dict[str, Supply]:
    """Supplies of the library by class."""
    return {c.key: c.part for c in catalogue().of_kind("supplies")}


def add_day(plan: Plan, example: str = "") -> Edit:
    """One more day, from an example; plugs only where the build has a charger."""
    if len(plan.days) >= MOST_DAYS:
        raise FigureError("days", f"A build keeps up to {MOST_DAYS} days.", fix="Take one away first.")
    title = example if example in EXAMPLES else next(iter(EXAMPLES))
    names = {d.name for d in plan.days}
    name = next(n for k in range(1, MOST_DAYS + 2) if (n := title if k == 1 else f"{title} {k}") not in names)
    stretches = read_stretches(EXAMPLES[title], plan)
    if not plan.chargers:
        stretches = tuple(s.model_copy(update={"plug": ""}) for s in stretches)
    return Edit(checked(plan, {"days": (*plan.days, Day(name=name, stretches=stretches))}), f"{name} planned")


def remove_day(plan: Plan, number: int) -> Edit:
    """Take a day away."""
    day = day_of(plan, number)
    return Edit(checked(plan, {"days": tuple(d for d in plan.days if d is not day)}), f"{day.name} taken away")


def type_day(plan: Plan, number: int, text: str) -> Edit:
    """A day's stretches as typed."""
    return _put(plan, number, read_stretches(text, plan, f"days/{number}/text"), "typed anew")


def set_stretch(plan: Plan, number: int, at: int, values: Mapping[str, str]) -> Edit:
    """What a stretch is: what the console does, with which game, plugged into what."""
    day = day_of(plan, number)
    stretch = _stretch(day, at)
    words = read_stretches(
        day_text(Day(name="x", stretches=(stretch.model_copy(update=dict(values)),))), plan, f"day-{number}-{at}"
    )
    return _put(plan, number, (*day.stretches[:at], *words, *day.stretches[at + 1 :]), f"stretch {at + 1} is to {words[0].what}")


def split_stretch(plan: Plan, number: int, at: int) -> Edit:
    """Two halves of a stretch, to be told apart."""
    day = day_of(plan, number)
    stretch = _stretch(day, at)
    if len(day.stretches) >= MOST_STRETCHES:
        raise FigureError(f"day-{number}-{at}", f"A day has up to {MOST_STRETCHES} stretches.", fix="Put alike ones together.")
    half = stretch.model_copy(update={"minutes": stretch.minutes / 2})
    return _put(plan, number, (*day.stretches[:at], half, half, *day.stretches[at + 1 :]), f"stretch {at + 1} in two halves")


def drop_stretch(plan: Plan, number: int, at: int) -> Edit:
    """A day without one of its stretches."""
    day = day_of(plan, number)
    _stretch(day, at)
    if len(day.stretches) == 1:
        raise FigureError(f"day-{number}-{at}", "A day has at least one stretch.", fix="Take the whole day away.")
    return _put(plan, number, (*day.stretches[:at], *day.stretches[at + 1 :]), f"stretch {at + 1} taken away")


def put_day(plan: Plan, number: int, day: Day, words: str) -> Edit:
    """A day in the place of another."""
    return _put(plan, number, day.stretches, words)


def day_of(plan: Plan, number: int) -> Day:
    """A day of a plan, by its number."""
    if not 0 <= number < len(plan.days):
        raise FigureError("days", "There is no such day.", fix="Reload the page.")
    return plan.days[number]


def _stretch(day: Day, at: int) -> Stretch:
    if not 0 <= at < len(day.stretches):
        raise FigureError("days", "There is no such stretch.", fix="Reload the page.")
    return day.stretches[at]


def _put(plan: Plan, number: int, stretches: tuple[Stretch, ...], words: str) -> Edit:
    day = day_of(plan, number)
    new = day.model_copy(update={"stretches": stretches})
    return Edit(checked(plan, {"days": tuple(new if d is day else d for d in plan.days)}), f"{day.name}: {words}")


def plug_in(plan: Plan, number: int, supply: Supply) -> Edit:
    """Every plug of a day into one supply."""
    return put_day(plan, number, plugged_into(day_of(plan, number), supply.part_class), f"plugged into {supply.name}")
