"""The phases of a session, typed as the stretches of a day are."""

from __future__ import annotations

from briskcell.core.day.course import phases_of
from briskcell.model.errors import FigureError
from briskcell.model.phases import Phase
from briskcell.model.plan import Day, Plan

from .days import read_stretches, supply_classes

MOST_H = 72.0


def read_phases(text: str) -> list[Phase]:
    """Phases from words such as ``boot 1 min, play 2h, off 30 min plugged``.

    Raises
    ------
    FigureError
        If a phase names nothing a console does, or no time, or all are longer than three days.
    """
    nothing = Plan(name="A session")
    day = Day(name="A session", stretches=read_stretches(text, nothing, "session"))
    if sum(s.minutes for s in day.stretches) > MOST_H * 60:
        raise FigureError("session", f"This is longer than {MOST_H:.0f} h.", fix="Shorten it.")
    return phases_of(nothing, day, supply_classes())
