"""The Log station: one line of time a unit, meter logs taken in, complaints with their suspects, and what was learned."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime
from functools import partial
from typing import Any

from flask import g, request, url_for

from briskcell.core.log.culprit import WHENS
from briskcell.drawing.curves import numbers, plot
from briskcell.formats.meter_csv import ROLES
from briskcell.services.bench.courses import Run
from briskcell.services.bench.measured import usable
from briskcell.services.bench.proof import Unit, explained
from briskcell.services.builds import Opened
from briskcell.services.judge import sheltered
from briskcell.services.log.ageing import WORN, Ageing
from briskcell.services.log.entries import ENDS
from briskcell.services.log.learned import Forecast, Lesson, forecast, lesson
from briskcell.services.moments import local
from briskcell.web.sections import Section
from briskcell.web.shop import benches, builds, logs
from briskcell.web.units import show
from briskcell.web.view import View
from briskcell.web.which_unit import proof_of, shown_unit

SECTIONS = (
    Section("h-line", "Line of time"),
    Section("h-course", "Measured run"),
    Section("h-complaint", "Complaints"),
    Section("h-learned", "Learned"),
    Section("h-add", "Add to it"),
)
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


def surface(opened: Opened, view: View) -> dict[str, Any]:
    """What the Log station shows of one unit."""
    build_id = opened.revision.build_id
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
        "ends": ENDS,
        "complaints": _complaints(opened, unit),
        **_run(opened, runs),
    }


def show_range(ends: tuple[float, float, float]) -> str:
    """Hours as a range, and the likely one."""
    return f"{show(ends[0], 'h')} to {show(ends[2], 'h')}, likely {show(ends[1], 'h')}"


def _lines(build_id: int, unit_id: int, runs: list[Run]) -> list[Line]:
    out = [Line(r.began_at, "measured", f"{r.title}: {r.words}", run=r.key, simulated=bool(r.about.get("simulated"))) for r in runs]
    for e in logs().entries(unit_id):
        words = e.words
        if e.kind == "complaint":
            words = (
                f"fails {WHENS[e.about['when']]}"
                + (f": {e.words}" if e.words else "")
                + ("" if e.about.get("open", True) else " (found)")
            )
        photo = url_for("build.photo", build_id=build_id, entry=e.id) if e.file else ""
        out.append(Line(e.at, e.kind, words, entry=e.id, photo=photo))
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
    about = logs().complaints(opened.assessed, unit.id)
    return [
        {
            "entry": c.entry,
            "what": c.what,
            "suspects": c.suspects,
            "step": c.step,
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
    reasons = explained(opened.assessed, rung)
    return {
        "shown": show(rung.reading.value, rung.step.unit),
        "holds": rung.state == "proven",
        "step": step,
        "why": reasons[0].words if reasons else "",
        "usable": usable(rung),
    }


def learned(opened: Opened, view: View) -> dict[str, Any]:
    """What measurements of a build's units teach: asked for once the page stands, since it samples this build and others."""
    units, unit = shown_unit(opened.revision.build_id, view)
    told = logs().told(opened.assessed, unit, units) if unit else ()
    found = sheltered("learning", lambda: lesson(opened.assessed, told), None)
    forecasts = _forecasts(opened, found) if found else []
    aged = sheltered("age of the cells", lambda: logs().aged(opened.assessed, unit) if unit else None, None)
    return {
        "told": told,
        "lesson": found,
        "range": show_range,
        "forecasts": forecasts,
        "mean_w": opened.assessed.draw.mean_w,
        "aged": aged,
        "aged_plot": _aged_plot(aged) if aged and len(aged.tests) > 1 else None,
    }


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


def _forecasts(opened: Opened, learned: Lesson) -> list[Forecast]:
    """What was learned, for the other builds of the shelf that share its parts."""
    out = list[Forecast]()
    rows, _ = builds().shelf()
    for row in [r.row for r in rows if r.row.id != opened.revision.build_id][:OTHERS]:
        other = sheltered("another build", partial(builds().open, row.id), None)
        made = forecast(learned, other.assessed, other.plan.name) if other is not None else None
        if made is not None:
            out.append(made)
    return out
