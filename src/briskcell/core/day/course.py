"""A day lived through: what is left at each moment, where it stops, and the latest moment to plug in so that it does not."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.day.session import Course, Now
from briskcell.core.pack.resets import Resets
from briskcell.model.phases import Phase
from briskcell.model.plan import Day, Plan
from briskcell.model.stores import Supply

Array = NDArray[np.float64]
STEPS = 120  # of a day at the most, besides the ends of its stretches
LEAST_STEP_S, MOST_STEP_S = 60.0, 900.0
FULL = 0.995  # of the charge, from which a pack counts as full
AGAIN_SOC = 0.3  # of the charge, filled past which a warning and the lamps speak anew
FILLING_S = 240.0  # of a step while it fills: the current falls near the end
RESOLVED_S = 4.0  # to which a stop is told


@dataclass(frozen=True, slots=True)
class Event:
    """Something that happens in a day: when, of which kind (``stops``, ``warning``, ``lamp``, ``full``), and in words. [s]"""

    at_s: float
    kind: str
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class DayCourse:
    """The course of a day; arrays share one time axis. ``on`` says whether the console plays or rests then.

    ``wanted_s`` is what is to be played and rested, ``missed_s`` what of it the console is off because something stopped it,
    ``resets`` how many peaks that overrun something are expected while it plays on its pack.
    """

    day: Day
    time_s: Array
    soc: Array
    store_v: Array
    case_c: Array
    on: NDArray[np.bool_]
    events: tuple[Event, ...]
    wanted_s: float
    missed_s: float
    resets: float

    @property
    def lasts(self) -> bool:
        """Whether everything that is wanted is played."""
        return self.missed_s < 1.0


def phases_of(plan: Plan, day: Day, supplies: Mapping[str, Supply]) -> list[Phase]:
    """The stretches of a day as phases of a session.

    Parameters
    ----------
    plan : Plan
        The build, whose games they name.
    day : Day
        The day.
    supplies : mapping of str to Supply
        Supplies of the library by class.

    Returns
    -------
    list of Phase
        A game that is not there any more is play, a supply that is not is the board's own.
    """
    games = {g.name: (g.profile.rest, g.profile.play, g.profile.peak) for g in plan.games}
    return [
        Phase(s.what, s.minutes * 60.0, bool(s.plug), supplies.get(s.plug), games.get(s.game) if s.what == "play" else None)
        for s in day.stretches
    ]


class _Told:
    """What a day was so far: its samples, what happened, what was missed, and what has been said already."""

    def __init__(self, course: Course, warning_v: float | None, lamps: Sequence[tuple[str, float]]) -> None:
        self.course, self._warning_v, self._lamps = course, warning_v, lamps
        self.rows: list[tuple[float, float, float, float, bool, bool]] = []
        self.events: list[Event] = []
        self.missed_s = 0.0
        self._warned = self._full = False
        self._dark = dict(lamps)

    def stops(self, words: str, seconds: float) -> None:
        """The console is off for the rest of a stretch."""
        self.events.append(Event(self.course.clock_s, "stops", words))
        self.missed_s += seconds

    def at(self, phase: Phase, now: Now, *, plugged: bool) -> None:
        """A sample, and whatever it is the first to show."""
        course, on = self.course, phase.what != "off"
        self.rows.append((course.clock_s, course.soc, now.store_v, course.case_c, on, phase.what == "play" and not plugged))
        warning_v = self._warning_v
        if on and not self._warned and warning_v is not None and now.store_v < warning_v and now.store_a > 0:
            self._warned = True
            self.events.append(Event(course.clock_s, "warning", f"the warning at {warning_v:.2f} V"))
        for name in [n for n, soc in self._dark.items() if on and not plugged and course.soc <= soc]:
            del self._dark[name]
            self.events.append(Event(course.clock_s, "lamp", f"{name} lights"))
        if plugged and not self._full and course.soc > FULL and now.store_a <= 0:
            self._full = True
            self.events.append(Event(course.clock_s, "full", "full"))
        if not plugged:
            self._full = False
        elif course.soc > AGAIN_SOC:
            self._warned, self._dark = False, dict(self._lamps)


def _live(told: _Told, phase: Phase, longest: float, *, resolved: bool) -> None:
    """One stretch; where something stops the console in it, the rest of it is off."""
    course, left, now_is, step = told.course, phase.seconds, phase, longest
    if phase.plugged and phase.what != "off" and course.layout == "cut_out":
        told.stops("the jack cuts the console out while it charges", left)
        now_is = Phase("off", left, plugged=True, by=phase.by)
    before, took = course.stands, 0.0
    while True:
        now = course.at(now_is)
        if course.ended and took > RESOLVED_S:  # gone over in one long step: again from before it, in shorter ones
            course.stands, left, step = before, left + took, max(took / 8, RESOLVED_S)
            now = course.at(now_is)
        if course.ended and left > 1e-9:
            told.stops(course.ended, left)
            now_is, step = Phase("off", left, plugged=phase.plugged, by=phase.by), longest
            now = course.at(now_is)
        course.ended = ""
        told.at(now_is, now, plugged=phase.plugged)
        if left <= 1e-9:
            return
        filling = phase.plugged and course.soc < FULL and not resolved
        before, took = course.stands, min(step, left, FILLING_S if filling else step)
        course.pass_time(now, took)
        left -= took


def live_through(
    course: Course,
    day: Day,
    phases: Sequence[Phase],
    *,
    warning_v: float | None = None,
    lamps: Sequence[tuple[str, float]] = (),
    chance: Resets | None = None,
    step_s: float | None = None,
) -> DayCourse:
    """A day from its begin to its end.

    Where something stops the console it stays off to the end of that stretch, and is tried again in the next.

    Parameters
    ----------
    course : Course
        Of the store that plays, at its begin.
    day : Day
        The day.
    phases : sequence of Phase
        Its stretches.
    warning_v : float, optional
        Volts in use at which the console warns. [V]
    lamps : sequence of tuple of str and float
        Lamps that say the charge is low, each with the state of charge at which it lights in play.
    chance : Resets, optional
        How often peaks overrun something, over the charge.
    step_s : float, optional
        Longest step; one that fits the day's length where not given. [s]

    Returns
    -------
    DayCourse
        Sampled at the start of every step and at the end of every stretch.
    """
    whole = sum(p.seconds for p in phases)
    longest = step_s or min(max(LEAST_STEP_S, whole / STEPS), MOST_STEP_S)
    told = _Told(course, warning_v, lamps)
    for phase in phases:
        _live(told, phase, longest, resolved=step_s is not None)
    table, events, missed = np.array(told.rows), told.events, told.missed_s
    return DayCourse(
        day=day,
        time_s=table[:, 0],
        soc=table[:, 1],
        store_v=table[:, 2],
        case_c=table[:, 3],
        on=table[:, 4] > 0,
        events=tuple(events),
        wanted_s=sum(p.seconds for p in phases if p.what != "off"),
        missed_s=missed,
        resets=_resets(table[:, 0], table[:, 1], table[:, 5], chance) if chance else 0.0,
    )


def _resets(time_s: Array, soc: Array, alone: Array, chance: Resets) -> float:
    """Resets expected while it plays on its pack: the rate at either end of each step, over its hours."""
    rates = np.interp(-soc, -chance.soc, chance.per_hour)
    return float((alone[:-1] * 0.5 * (rates[:-1] + rates[1:]) * np.diff(time_s)).sum()) / 3600.0


def latest_plug(day: Day, number: int, lasts: Callable[[Day], bool]) -> Day | None:
    """The day with one plug put in as late as it may be, to the minute: what comes before it goes on until then.

    Parameters
    ----------
    day : Day
        The day.
    number : int
        The stretch that is plugged in; what comes before it is on the pack.
    lasts : callable
        Whether a day lasts.

    Returns
    -------
    Day or None
        None where the day does not last as it is, or there is nothing before that stretch.
    """
    if number < 1 or number >= len(day.stretches) or not lasts(day):
        return None
    room = int(day.stretches[number].minutes) - 1
    low, high = 0, room + 1  # minutes later: it lasts with the first, and is not asked of the second
    if high > 1 and lasts(_later(day, number, room)):
        return _later(day, number, room)
    high = room
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (middle, high) if lasts(_later(day, number, middle)) else (low, middle)
    return _later(day, number, low)


def _later(day: Day, number: int, minutes: int) -> Day:
    before, at = day.stretches[number - 1], day.stretches[number]
    moved = (
        before.model_copy(update={"minutes": before.minutes + minutes}),
        at.model_copy(update={"minutes": at.minutes - minutes}),
    )
    return day.model_copy(update={"stretches": (*day.stretches[: number - 1], *moved, *day.stretches[number + 1 :])})


def weakest_supply(day: Day, supplies: Sequence[Supply], lasts: Callable[[Day], bool]) -> Supply | None:
    """The weakest supply at which the day lasts, in the place of all it is plugged into.

    Parameters
    ----------
    day : Day
        The day.
    supplies : sequence of Supply
        Those that the charge board takes.
    lasts : callable
        Whether a day lasts.

    Returns
    -------
    Supply or None
        None where none does, or the day is never plugged in.
    """
    if not any(s.plug for s in day.stretches):
        return None
    for supply in sorted(supplies, key=lambda s: s.voltage_v.likely * s.current_limit_a.likely):
        if lasts(plugged_into(day, supply.part_class)):
            return supply
    return None


def plugged_into(day: Day, plug: str) -> Day:
    """The day with everything it is plugged into replaced.

    Parameters
    ----------
    day : Day
        The day.
    plug : str
        The class of a supply.

    Returns
    -------
    Day
        Stretches on the pack stay on it.
    """
    changed = tuple(s.model_copy(update={"plug": plug}) if s.plug else s for s in day.stretches)
    return day.model_copy(update={"stretches": changed})
