"""The Day station: days drawn along a line of time, what is left at each moment, and when to plug in."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from flask import request

from briskcell.core.day.course import DayCourse
from briskcell.drawing.curves import numbers, plot
from briskcell.model.plan import Stretch
from briskcell.model.units import show
from briskcell.services.builds import Opened
from briskcell.services.charge.at_socket import sockets
from briskcell.services.day.days import EXAMPLES, OWN, day_text
from briskcell.web.sections import Section
from briskcell.web.view import View

SECTIONS = (
    Section("h-day", "The day"),
    Section("h-stretches", "Stretches"),
    Section("h-plugs", "When to plug in"),
    Section("h-days", "All days"),
)
WIDTH, LEFT, TOP, TALL = 1040.0, 10.0, 30.0, 44.0
TICKS = (0.25, 0.5, 1.0, 2.0, 3.0, 6.0, 12.0, 24.0)  # hours between two marks, of which the first that leaves room is taken
MOVING = {"boot": "starts", "rest": "rests", "play": "plays", "peak": "at its peak", "off": "is off"}


@dataclass(frozen=True, slots=True)
class Block:
    """A stretch as it is drawn: its number, place and words, and the handle at its end."""

    number: int
    stretch: Stretch
    x: float
    width: float
    words: str
    drag: dict[str, Any]


@dataclass(frozen=True, slots=True)
class Line:
    """A day's drawing: its blocks, the hours marked on it, what happens, and where it ends."""

    blocks: list[Block]
    ticks: list[tuple[float, str]]
    marks: list[tuple[float, str, str]]
    height: float = TOP + TALL + 54.0


def surface(opened: Opened, _view: View) -> dict[str, Any]:
    """What the Day station shows: one of the days, the others beside it."""
    assessed = opened.assessed
    days = assessed.plan.days
    shown = min(max(request.values.get("day", 0, type=int), 0), max(len(days) - 1, 0))
    course = assessed.days[shown] if assessed.days else None
    return {
        "number": shown,
        "day": days[shown] if days else None,
        "course": course,
        "line": _line(course) if course else None,
        "plots": _plots(course) if course else [],
        "text": day_text(days[shown]) if days else "",
        "supplies": {s.supply.part_class or s.key: s.supply.name for s in sockets(assessed)},
        "own": OWN,
        "moving": MOVING,
        "examples": list(EXAMPLES),
        "all": [(k, d, ends_in_words(d)) for k, d in enumerate(assessed.days)],
        "in_words": ends_in_words(course) if course else "",
        "clock": clock,
    }


def clock(course: DayCourse, seconds: float) -> str:
    """The time of day, with the day after the first named."""
    minutes = round(course.day.begins_h * 60 + seconds / 60)
    after = f" on day {minutes // 1440 + 1}" if minutes >= 1440 else ""
    return f"{minutes // 60 % 24}:{minutes % 60:02d}{after}"


def ends_in_words(course: DayCourse) -> str:
    """How a day ends."""
    end = clock(course, float(course.time_s[-1]))
    if course.lasts:
        return f"{show(float(course.soc[-1]), '%')} left at {end}, {show(float(course.soc.min()), '%')} at the least."
    stop = next(e for e in course.events if e.kind == "stops")
    return f"Stops at {clock(course, stop.at_s)}: {stop.words}."


def _line(course: DayCourse) -> Line:
    day = course.day
    whole = sum(s.minutes for s in day.stretches)
    room = WIDTH - 2 * LEFT

    def x(minutes: float) -> float:
        return LEFT + room * minutes / whole

    blocks, at, words = list[Block](), 0.0, ""
    for k, s in enumerate(day.stretches):
        wide = x(at + s.minutes) - x(at)
        words = s.what if wide > 34 else ""
        if s.game and wide > 34 + 7 * len(s.game):
            words = f"{s.what}, {s.game}"
        drag = {
            "axis": "x",
            "low": 0,
            "high": round(whole, 3),
            "start": round(x(at), 2),
            "end": round(x(at) + room, 2),
            "step": 1 if whole < 900 else 5,
            "unit": "min",
        }
        blocks.append(Block(k, s, x(at), wide, words, drag))
        at += s.minutes
    step = next((t for t in TICKS if whole / 60 / t <= 16), TICKS[-1])
    first = np.ceil(day.begins_h / step) * step
    hours = np.arange(first, day.begins_h + whole / 60 + 1e-9, step)
    ticks = [(x((h - day.begins_h) * 60), clock(course, (h - day.begins_h) * 3600).split(" ")[0]) for h in hours]
    marks = [(x(e.at_s / 60), e.kind, f"{clock(course, e.at_s)} {e.words}") for e in course.events]
    return Line(blocks, ticks, marks)


def _plots(course: DayCourse) -> list[dict[str, Any]]:
    axis = {"label": "time from the begin", "unit": "h", "values": numbers(course.time_s / 3600), "reverse": False}
    stops = [{"x": round(e.at_s / 3600, 3), "words": e.kind} for e in course.events][:6]
    charge = [
        {"label": "charge left", "unit": "%", "role": "limit", "values": numbers(course.soc * 100, 2)},
        {"label": "pack volts", "unit": "V", "role": "quiet", "axis": "right", "values": numbers(course.store_v)},
    ]
    warm = [{"label": "case", "unit": "°C", "role": "demand", "values": numbers(course.case_c, 2)}]
    return [plot("Charge left through the day", axis, charge, stops), plot("Warmth of the case through the day", axis, warm)]
