"""What a format is, and those that need no drawing: each is registered once, here."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.core.pack.day import DayCourse, phases_of
from briskcell.formats import gauge, spice, tables_csv
from briskcell.formats.assessment_json import assessment_document
from briskcell.formats.parts_csv import write_parts
from briskcell.formats.plan_json import write_plan
from briskcell.model.errors import FigureError

CSV, TEXT, JSON = "text/csv", "text/plain", "application/json"


@dataclass(frozen=True, slots=True)
class Wanted:
    """What is asked of a format besides the build: the charge and load of a circuit."""

    soc: float = 0.5
    state: str = "play"


@dataclass(frozen=True, slots=True)
class Format:
    """A way out of the application: its key, title, what it is for, the end of its file's name, its type, and how it is written."""

    key: str
    title: str
    words: str
    suffix: str
    mime: str
    write: Callable[[Assessment, Wanted], str | bytes]


def written(form: Format, assessed: Assessment, wanted: Wanted) -> bytes:
    """A build in a format.

    Raises
    ------
    FigureError
        If the build has nothing of that kind, in words.
    """
    found = form.write(assessed, wanted)
    return found.encode() if isinstance(found, str) else found


def _answers(assessed: Assessment, wanted: Wanted) -> str:
    document = assessment_document(assessed, wanted.soc, wanted.state)
    return json.dumps(document, ensure_ascii=False, indent=2, allow_nan=False) + "\n"


def _circuit(assessed: Assessment, wanted: Wanted) -> str:
    if not assessed.plan.stores:
        raise FigureError("circuit", "Nothing feeds this build, so it is no circuit yet.", fix="Add a pack.")
    return spice.write_circuit(assessed.plan, wanted.soc, wanted.state)


def _first_day(assessed: Assessment) -> DayCourse:
    if not assessed.days:
        raise FigureError("day", "No day is planned, or nothing plays in it.", fix="Plan one on the station Day.")
    return assessed.days[0]


def _session(assessed: Assessment, _: Wanted) -> str:
    """The first day as a circuit in time, up to where something stops it."""
    course, supplies = _first_day(assessed), {s.part_class: s for s in assessed.stock.supplies}
    phases = phases_of(assessed.plan, course.day, supplies)
    stop = next((e.at_s for e in course.events if e.kind == "stops"), float(course.time_s[-1]))
    if stop <= 0:
        raise FigureError("day", "The day stops before it begins.", fix="Begin with more charge.")
    return spice.write_session(assessed.op, phases, start_soc=course.day.start_soc, seconds=stop, store=assessed.pack_index or 0)


PLAIN = (
    Format("plan", "Plan", "the whole build, to be opened again here", ".json", JSON, lambda a, _: write_plan(a.plan)),
    Format("answers", "Answers", "every number and finding, for other programs", ".json", JSON, _answers),
    Format("parts", "Parts", "what draws current, as a table that can be read in again", ".csv", CSV,
           lambda a, _: write_parts(a.plan)),
    Format("wires", "Wires", "every piece to cut, with its current, drop and warming", ".csv", CSV,
           lambda a, _: tables_csv.write_wires(a)),
    Format("curves", "Curves", "volts and amperes of each store from full to empty", ".csv", CSV,
           lambda a, _: tables_csv.write_curves(a)),
    Format("day", "Day", "charge, volts and warmth through the first day that is planned", ".csv", CSV,
           lambda a, _: tables_csv.write_day(_first_day(a))),
    Format("circuit", "Circuit", "the tree at one charge and load, for a SPICE simulator", ".cir", TEXT, _circuit),
    Format("session", "Circuit in time", "the first day that is planned, for a SPICE simulator", ".cir", TEXT, _session),
    Format("gauge-csv", "Gauge table", "charge against volts under load", ".csv", CSV,
           lambda a, _: gauge.write_csv(gauge.gauge_of(a))),
    Format("gauge-c", "Gauge in C", "charge and time left, for a microcontroller", ".h", "text/x-c",
           lambda a, _: gauge.write_header(gauge.gauge_of(a))),
    Format("gauge-python", "Gauge in Python", "the same as a module", ".py", "text/x-python",
           lambda a, _: gauge.write_module(gauge.gauge_of(a))),
)  # fmt: skip
