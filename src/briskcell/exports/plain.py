"""Formats that need no drawing: what the writers of ``formats`` are given."""

from __future__ import annotations

import json

from briskcell.core.day.course import DayCourse, phases_of
from briskcell.formats import gauge, soldered, spice, tables_csv
from briskcell.formats.assessment_json import assessment_document
from briskcell.formats.parts_csv import write_parts
from briskcell.formats.plan_json import write_plan
from briskcell.model.errors import FigureError
from briskcell.model.plan import Plan
from briskcell.model.stores import Bank

from .form import Form, Given, Wanted

CSV, TEXT, JSON = "text/csv", "text/plain", "application/json"


def _answers(given: Given, wanted: Wanted) -> str:
    document = assessment_document(given.assessed, wanted.soc, wanted.state)
    return json.dumps(document, ensure_ascii=False, indent=2, allow_nan=False) + "\n"


def _fed(given: Given) -> Plan:
    if not given.plan.stores:
        raise FigureError("circuit", "Nothing feeds this build, so it is no circuit yet.", fix="Add a pack.")
    return given.plan


def _circuit(given: Given, wanted: Wanted) -> str:
    return spice.write_circuit(_fed(given), wanted.soc, wanted.state)


def _soldered(given: Given, wanted: Wanted) -> str:
    return soldered.write_soldered(_fed(given), wanted.soc, wanted.state)


def _soldered_plugged(given: Given, wanted: Wanted) -> str:
    """The circuit as it is soldered with its first charge board at work."""
    plan = _fed(given)
    board = next((b for b in plan.chargers if not isinstance(plan.by_id[b.charges], Bank)), None)
    if board is None:
        raise FigureError("soldered", "Nothing inside charges this build.", fix="Add a charge board first.")
    return soldered.write_soldered(plan, wanted.soc, wanted.state, board)


def _first_day(given: Given) -> DayCourse:
    if not given.assessed.days:
        raise FigureError("day", "No day is planned, or nothing plays in it.", fix="Plan one on the station Day.")
    return given.assessed.days[0]


def _session(given: Given, _: Wanted) -> str:
    """The first day as a circuit in time, up to where something stops it."""
    assessed, course = given.assessed, _first_day(given)
    supplies = {s.part_class: s for s in assessed.stock.supplies}
    phases = phases_of(assessed.plan, course.day, supplies)
    stop = next((e.at_s for e in course.events if e.kind == "stops"), float(course.time_s[-1]))
    if stop <= 0:
        raise FigureError("day", "The day stops before it begins.", fix="Begin with more charge.")
    return spice.write_session(assessed.op, phases, start_soc=course.day.start_soc, seconds=stop, store=assessed.pack_index or 0)


PLAIN = (
    Form("plan", "Plan", "the whole build, to be opened again here", ".json", JSON, lambda g, _: write_plan(g.plan)),
    Form("answers", "Answers", "every number and finding, for other programs", ".json", JSON, _answers),
    Form(
        "parts", "Parts", "what draws current, as a table that can be read in again", ".csv", CSV, lambda g, _: write_parts(g.plan)
    ),
    Form(
        "wires",
        "Wires",
        "every piece to cut, with its current, drop and warming",
        ".csv",
        CSV,
        lambda g, _: tables_csv.write_wires(g.assessed),
    ),
    Form(
        "curves",
        "Curves",
        "volts and amperes of each store from full to empty",
        ".csv",
        CSV,
        lambda g, _: tables_csv.write_curves(g.assessed),
    ),
    Form(
        "day",
        "Day",
        "charge, volts and warmth through the first day that is planned",
        ".csv",
        CSV,
        lambda g, _: tables_csv.write_day(_first_day(g)),
    ),
    Form("circuit", "Circuit", "the tree at one charge and load, for a SPICE simulator", ".cir", TEXT, _circuit),
    Form("soldered", "Circuit as soldered", "terminal by terminal, both poles, for a SPICE simulator", ".cir", TEXT, _soldered),
    Form(
        "on-charger",
        "Circuit as soldered, on its charger",
        "from the supply's outlet to the cells and the loads, for a SPICE simulator",
        ".cir",
        TEXT,
        _soldered_plugged,
    ),
    Form(
        "netlist",
        "Netlist",
        "every terminal and what it is joined to, for a board editor such as KiCad",
        ".net",
        TEXT,
        lambda g, _: soldered.write_kicad(g.assessed.circuit),
    ),
    Form("session", "Circuit in time", "the first day that is planned, for a SPICE simulator", ".cir", TEXT, _session),
    Form(
        "gauge-csv",
        "Gauge table",
        "charge against volts under load",
        ".csv",
        CSV,
        lambda g, _: gauge.write_csv(gauge.gauge_of(g.assessed)),
    ),
    Form(
        "gauge-c",
        "Gauge in C",
        "charge and time left, for a microcontroller",
        ".h",
        "text/x-c",
        lambda g, _: gauge.write_header(gauge.gauge_of(g.assessed)),
    ),
    Form(
        "gauge-python",
        "Gauge in Python",
        "the same as a module",
        ".py",
        "text/x-python",
        lambda g, _: gauge.write_module(gauge.gauge_of(g.assessed)),
    ),
)
