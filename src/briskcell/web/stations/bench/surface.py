"""The Bench station: the ladder of a unit, one large step at a time, its runs, and the instruments."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

from flask import g, request, session

from briskcell.core.bench.course import Totals
from briskcell.core.bench.specimen import WORDS
from briskcell.core.bench.step import STAGES, Step
from briskcell.core.wiring.order import Joint
from briskcell.drawing.bench.probes import probes
from briskcell.instruments.description import NEEDS, standard
from briskcell.services.bench.after_joints import joined_before
from briskcell.services.bench.asked import usual
from briskcell.services.bench.courses import Run, share
from briskcell.services.bench.instruments import QUANTITY, UNIT
from briskcell.services.bench.measured import simulated, usable
from briskcell.services.bench.proof import before_cuts, explained
from briskcell.services.builds import Opened
from briskcell.web.sections import Section
from briskcell.web.shop import benches
from briskcell.web.units import show
from briskcell.web.view import View
from briskcell.web.which_unit import shown_unit

from ..pack.sure import narrowing

SECTIONS = (
    Section("h-next", "Next"),
    Section("h-ladder", "Ladder"),
    Section("h-live", "Runs"),
    Section("h-instruments", "Instruments"),
    Section("h-units", "Units"),
)


def surface(opened: Opened, view: View) -> dict[str, Any]:
    """What the Bench station shows: one unit's ladder, runs and instruments."""
    opened = replace(opened, assessed=opened.planned, console=None)
    units, unit = shown_unit(opened.revision.build_id, view)
    if unit is None or not opened.plan.stores:
        return {"units": units, "unit": unit, "proof": None}
    found = benches().proof(unit, opened.assessed)
    due = found.due
    stages = [(title, [r for r in found.rungs if r.step.stage == key]) for key, title in STAGES.items()]
    return {
        "units": units,
        "unit": unit,
        "proof": found,
        "due": due,
        "by": session.get("measures", ""),
        "probes": probes(opened.plan, due.step) if due else None,
        "joins": _joins(opened, found.rungs, due.step) if due else (),
        "causes": explained(opened.assessed, due, found.rungs) if due else (),
        "cuts": before_cuts(opened.plan, found),
        "stages": [(title, rungs) for title, rungs in stages if rungs],
        "usable": {r.step.key for r in found.rungs if usable(r)},
        "made_up": {r.step.key for r in found.rungs if simulated(r)},
        "state": benches().state(unit.id),
        "run_tells": next((narrowing(r) for r in opened.assessed.readings if r.key == "hours"), "") if due is None else "",
        "titles": {r.step.key: r.step.title for r in found.rungs},
        **_instruments(opened, due.step if due else None),
        **_runs(opened, unit.id),
    }


def _joins(opened: Opened, rungs: Any, step: Step) -> tuple[Joint, ...]:
    return joined_before(opened.assessed, tuple(r.step for r in rungs), step)


def _instruments(opened: Opened, step: Step | None) -> dict[str, Any]:
    instruments, plan = benches().instruments, opened.plan
    build_id = opened.revision.build_id
    known = instruments.of_build(build_id)
    what = QUANTITY.get(step.unit, "") if step else ""
    return {
        "instruments": known,
        "meters": [i for i in instruments.of_kind("meter", build_id) if what and getattr(i.description.ask, what)],
        "loads": instruments.of_kind("load", build_id),
        "simulated": instruments.plays == build_id,
        "elsewhere": instruments.plays not in (None, build_id),
        "who": g.get("who"),
        "standard": {k: standard(k) for k in NEEDS},
        "faults": [
            (f"{f.kind},{f.where}", f"{WORDS[f.kind]}: {plan.by_id[f.where].name}") for f in benches().faults(opened.assessed)
        ],
        "usual": usual(opened.assessed),
    }


def _runs(opened: Opened, unit_id: int) -> dict[str, Any]:
    runs = benches().runs(unit_id)
    wanted = request.values.get("run", "")
    going = next((r for r in runs if r.state == "running"), None)
    run = next((r for r in runs if r.key == wanted), going or next(iter(runs), None))
    out: dict[str, Any] = {
        "runs": runs,
        "run": run,
        "capacities": {r.id: c for r in runs if (c := benches().capacity(opened.assessed, r)) is not None},
    }
    return out | (_shown(run) if run else {})


def _shown(run: Run) -> dict[str, Any]:
    course = benches().course(run)
    rows = course.rows
    quantity = run.about.get("quantity", "volts")
    column = 2 if quantity == "amps" else 1
    last = float(rows[-1, column]) if len(rows) else None
    return {
        "run_unit": UNIT[quantity],
        "last": last if last is not None and math.isfinite(last) else None,
        "share": share(run.about, rows),
        "course": {"seen": len(rows), "series": course.series},
        "comes_to": _comes_to(course.totals, UNIT[quantity]) if run.state != "running" else [],
    }


def _comes_to(t: Totals, unit: str) -> list[tuple[str, str]]:
    """What a run comes to, in words; what was not read is left out."""
    out = [
        (name, show(v, u))
        for name, v, u in (("Time", t.seconds / 3600, "h"), ("Charge", t.ah, "Ah"), ("Energy", t.wh, "Wh"))
        if math.isfinite(v)
    ]
    first = ("Ohms", "Ω") if unit == "Ω" else ("Volts", "V")
    for (name, u), (least, mean, most) in ((first, t.volts), (("Amps", "A"), t.amps)):
        if math.isfinite(mean):
            out.append((name, f"{show(least, u)} to {show(most, u)}, mean {show(mean, u)}"))
    return [*out, ("Readings", f"{t.readings:,}")]
