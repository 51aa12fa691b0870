"""The Log station: one line of time a unit, meter logs taken in, complaints with their suspects, and what was learned."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from datetime import datetime
from functools import partial
from typing import Any

from flask import g, request, url_for

from briskcell.core.log.culprit import ALSO, WHENS
from briskcell.core.log.learning import Learned
from briskcell.core.pack.uncertainty import Range
from briskcell.drawing.curves import numbers, plot
from briskcell.formats.meter_csv import ROLES
from briskcell.services.bench.courses import Run
from briskcell.services.bench.measured import usable
from briskcell.services.bench.proof import Unit, explained
from briskcell.services.builds import Opened
from briskcell.services.judge import sheltered
from briskcell.services.log.ageing import WORN, Ageing
from briskcell.services.log.entries import ENDS, LEFT_OUT, OF_TEST, STATES
from briskcell.services.log.learned import Forecast, forecast
from briskcell.services.log.this_console import Console
from briskcell.services.moments import local
from briskcell.web.sections import Section
from briskcell.web.shop import benches, builds, logs, workshop
from briskcell.web.units import show
from briskcell.web.view import View
from briskcell.web.which_unit import proof_of, shown_unit

from ..pack.sure import narrowing

SECTIONS = (
    Section("h-line", "Line of time"),
    Section("h-course", "Measured run"),
    Section("h-complaint", "Complaints"),
    Section("h-learned", "Learned"),
    Section("h-add", "Add to it"),
)
COUNTING = ("run", "whole", "tested", "play", "discharge")  # lines and runs that teach something
OTHERS = 6  # builds that a forecast is made for


@dataclass(frozen=True, slots=True)
class Line:
    """A line of the log: when, which kind, in words; a picture's address, a run's name, or an entry's number."""

    at: datetime
    kind: str
    words: str
    entry: int | None = None
    run: str = ""
    photo: str = ""
    simulated: bool = False
    counts: bool = False
    left_out: str = ""


def surface(opened: Opened, view: View) -> dict[str, Any]:
    """What the Log station shows of one unit."""
    build_id, opened = opened.revision.build_id, replace(opened, assessed=opened.planned, console=None)
    units, unit = shown_unit(build_id, view)
    if unit is None:
        return {"units": units, "unit": None}
    runs = [r for r in benches().runs(unit.id) if r.state not in ("running", "importing")]
    return {
        "units": units,
        "unit": unit,
        "lines": _lines(build_id, unit.id, runs),
        "job": logs().import_of(build_id),
        "laid": g.get("laid"),
        "roles": ROLES,
        "whens": WHENS,
        "also": ALSO,
        "ends": ENDS,
        "states": STATES,
        "of_test": OF_TEST,
        "left_out": LEFT_OUT,
        "complaints": _complaints(opened, unit),
        **_run(opened, runs),
    }


def _lines(build_id: int, unit_id: int, runs: list[Run]) -> list[Line]:
    out = [
        Line(
            r.began_at,
            "measured",
            f"{r.title}: {r.words}",
            run=r.key,
            simulated=bool(r.about.get("simulated")),
            counts=r.kind in COUNTING,
            left_out=str(r.about.get("left_out", "")),
        )
        for r in runs
    ]
    for e in logs().entries(unit_id):
        words = e.words
        if e.kind == "complaint":
            words = (
                f"fails {WHENS[e.about['when']]}"
                + (f": {e.words}" if e.words else "")
                + ("" if e.about.get("open", True) else " (found)")
            )
        photo = url_for("build.photo", build_id=build_id, entry=e.id) if e.file else ""
        left_out = str(e.about.get("left_out", ""))
        out.append(Line(e.at, e.kind, words, entry=e.id, photo=photo, counts=e.kind in COUNTING, left_out=left_out))
    readings = benches().readings(unit_id)
    for day in sorted({local(r.at).date() for r in readings if r.value is not None}):
        at = [r for r in readings if local(r.at).date() == day and r.value is not None]
        out.append(Line(at[-1].at, "bench", f"{len(at)} reading{'s' if len(at) != 1 else ''} on the bench"))
    return sorted(out, key=lambda line: line.at, reverse=True)


def _run(opened: Opened, runs: list[Run]) -> dict[str, Any]:
    wanted = request.values.get("run", "")
    run = next((r for r in runs if r.key == wanted), runs[0] if runs else None)
    if run is None:
        return {"run": None}
    against = sheltered("a run beside its prediction", lambda: logs().compared(opened.assessed, run), None)
    course = benches().course(run)
    rows, t = course.rows, course.totals
    drawn = course.series
    if against is not None:
        drawn.append({"unit": "V", "t": against.t_s.tolist(), "v": against.volts.tolist(), "name": "predicted"})
    ohm = course.step_ohm
    facts = [
        ("Time", t.seconds / 3600, "h"),
        ("Charge", t.ah, "Ah"),
        ("Energy", t.wh, "Wh"),
        ("Mean volts", t.volts[1], "V"),
        ("Lowest volts", t.volts[0], "V"),
        ("Mean amps", t.amps[1], "A"),
        ("Highest amps", t.amps[2], "A"),
        ("Resistance where amps jump", ohm if ohm else math.nan, "Ω"),
    ]
    return {
        "run": run,
        "facts": [(name, show(value, unit)) for name, value, unit in facts if math.isfinite(value)]
        + [("Readings", f"{t.readings:,}")],
        "drawn": {"seen": len(rows), "series": drawn},
        "against": against,
    }


def _complaints(opened: Opened, unit: Unit) -> list[dict[str, Any]]:
    """Open complaints with their suspects, and the reading that tells the first two apart."""
    about = logs().complaints(opened.assessed, unit)
    return [
        {
            "entry": c.entry,
            "what": c.what,
            "suspects": c.suspects,
            "step": c.step,
            "rests_on": c.rests_on,
            "read": _answer(opened, unit, c.entry.about.get("repeat")),
        }
        for c in about
    ]


def _answer(opened: Opened, unit: Unit, step: str | None) -> dict[str, Any] | None:
    """What was read for a complaint: the reading in words, whether it is as it should be, why not, whether it makes a figure."""
    ladder = proof_of(unit, opened.assessed, standing=True) if step else None
    rungs = ladder.rungs if ladder else ()
    rung = next((r for r in rungs if r.step.key == step and r.reading is not None and r.reading.value is not None), None)
    if rung is None or rung.reading is None or rung.reading.value is None or not rung.step.unit:
        return None
    reasons = explained(opened.assessed, rung, rungs)
    return {
        "shown": show(rung.reading.value, rung.step.unit),
        "holds": rung.state == "proven",
        "step": step,
        "why": reasons[0].words if reasons else "",
        "usable": usable(rung),
    }


def learned(opened: Opened, view: View) -> dict[str, Any]:
    """What measurements of a build's units teach: asked for once the page stands, since it is worked out for other builds too."""
    units, unit = shown_unit(opened.revision.build_id, view)
    console = sheltered("learning", lambda: workshop().consoles.of(opened.planned, unit, units), None) if unit else None
    aged = sheltered("age of the cells", lambda: logs().aged(opened.planned, unit) if unit else None, None)
    found = console.learned if console else None
    return {
        "id": opened.revision.build_id,
        "unit": unit,
        "console": console,
        "lesson": found,
        "before": opened.planned.runtime_range,
        "after": console.assessed.runtime_range if console else None,
        "plan_reads": next(iter(opened.planned.readings), None),
        "next_reads": console.assessed.readings[:3] if console else (),
        "narrowing": narrowing,
        "range": show_range,
        "own": sum(not t.measured.sibling and not t.left_out for t in console.told) if console else 0,
        "siblings": sum(t.measured.sibling and not t.left_out for t in console.told) if console else 0,
        "moved": _moved(opened, console) if console else [],
        "forecasts": _forecasts(opened, found) if found else [],
        "aged": aged,
        "aged_plot": _aged_plot(aged) if aged and len(aged.tests) > 1 else None,
    }


def show_range(of: Range) -> str:
    """Hours as a range, and the likely one."""
    return f"{show(of.low, 'h')} to {show(of.high, 'h')}, likely {show(of.likely, 'h')}"


def _moved(opened: Opened, console: Console) -> list[tuple[str, str, str]]:
    """What the likely figures of the console are beside the plan's: draws and what a cell holds."""
    out = []
    plan, own = opened.planned.draw, console.assessed.draw
    out.append(("All parts in the mean", show(plan.mean_w, "W"), show(own.mean_w, "W")))
    for a, b in zip(opened.planned.plan.packs, console.assessed.plan.packs, strict=False):
        out.append((f"A cell of {a.name} holds", show(a.cell.capacity_ah.likely, "Ah"), show(b.cell.capacity_ah.likely, "Ah")))
    return [row for row in out if row[1] != row[2]]


def _aged_plot(found: Ageing) -> dict[str, Any]:
    """What a cell held of its label over the days since the first test, and its resistance where every test showed it."""
    days = [(t.at - found.tests[0].at).total_seconds() / 86_400 for t in found.tests]
    series = [
        {"label": "held, of the label", "unit": "%", "role": "limit", "values": numbers([t.of_label * 100 for t in found.tests], 1)}
    ]
    ohms = [t.ohm * 1e3 for t in found.tests if t.ohm is not None]
    if len(ohms) == len(days):
        ohm = {"label": "resistance of a cell", "unit": "mΩ", "role": "demand", "axis": "right", "values": numbers(ohms, 2)}
        series.append(ohm)
    along = {"label": "days", "unit": "d", "values": numbers(days, 1)}
    return plot("What a cell holds, and its resistance, over time", along, series, [{"y": WORN * 100, "words": "worn out"}])


def _forecasts(opened: Opened, learned: Learned) -> list[Forecast]:
    """What was learned, for the other builds of the shelf that share its parts."""
    out = list[Forecast]()
    rows, _ = builds().shelf()
    for row in [r.row for r in rows if r.row.id != opened.revision.build_id][:OTHERS]:
        other = sheltered("another build", partial(builds().open, row.id), None)
        made = forecast(learned, other.assessed, other.plan.name) if other is not None else None
        if made is not None:
            out.append(made)
    return out
