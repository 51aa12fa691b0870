"""Changes of the Bench station: units, readings, instruments, runs. A reading or a run may become a figure of the plan."""

from __future__ import annotations

import json
import time
from collections.abc import Iterator
from threading import BoundedSemaphore

from flask import Response, abort, g, make_response, request, session

from briskcell.core.assess import Assessment
from briskcell.core.bench.specimen import fault_of
from briskcell.model.errors import FigureError
from briskcell.model.units import read
from briskcell.services.bench.asked import test_of
from briskcell.services.bench.measured import capacity_on_plan, put_on_plan
from briskcell.services.bench.proof import Proof, add_unit, take
from briskcell.services.bench.recording import stream
from briskcell.web.build import bp, change, form, render
from briskcell.web.safe import row_number
from briskcell.web.shelf import workshop
from briskcell.web.view import view_of

from ..which_unit import named_unit, proof_of
from . import practice  # noqa: F401  adds its page to the build

STREAMS = BoundedSemaphore(6)  # each holds one of the server's threads
LASTS_S = 30.0  # after which a page asks for the next stretch of a stream by itself
NOTED = ("print", "side", "by")
FASTEST = 100_000.0


@bp.post("/unit")
def unit(build_id: int) -> Response:
    """One more unit."""
    add_unit(workshop().units, build_id, form("name"))
    return render(workshop().open(build_id), view_of(request.form))


@bp.post("/reading")
def reading(build_id: int) -> Response:
    """A reading on a unit, typed or taken by the meter; what was typed stays where it makes no sense."""
    shop, opened = workshop(), workshop().open(build_id)
    found = proof_of(build_id, named_unit(build_id), opened.assessed)
    note = {name: form(name)[:60] for name in NOTED if form(name)}
    if "by" in note:
        session["measures"] = note["by"]
    if form("do") == "meter":
        _by_meter(build_id, opened.assessed, found)
    else:
        take(
            opened.assessed,
            shop.units,
            found,
            form("step"),
            form("reading"),
            reason=form("reason"),
            back=form("do") == "back",
            note=note,
        )
    return render(opened, view_of(request.form))


def _by_meter(build_id: int, assessed: Assessment, found: Proof) -> None:
    """Read the step with the first meter that can; what it may be off is kept with the reading."""
    shop = workshop()
    meters = shop.instruments.of_kind("meter", build_id)
    if not meters:
        raise FigureError(f"read-{form('step')}", "There is no meter any more.", fix="Type what you read.")
    step = next((r.step for r in found.rungs if r.step.key == form("step")), None)
    off = {"V": "volts", "A": "amps", "Ω": "ohms"}.get(step.unit if step else "", "volts")
    share = getattr(meters[0].description.error, off)[0]
    note = {"by": meters[0].description.name[:60], "off": f"{max(share, 0.001):g}"}
    take(assessed, shop.units, found, form("step"), "", note=note, read_by=lambda s: shop.instruments.read(meters[0].id, s))


@bp.post("/measured")
def measured(build_id: int) -> Response:
    """A reading as a figure of the plan."""
    return change(build_id, lambda a: put_on_plan(a, proof_of(build_id, named_unit(build_id), a), form("step")))


@bp.post("/instrument")
def instrument(build_id: int) -> Response:
    """Add an instrument, ask one who it is, or remove it."""
    known, number = workshop().instruments, row_number(form("instrument")) or 0
    if form("do") == "who":
        g.who = (number, known.who(number))
    elif form("do") == "remove":
        known.remove(number)
    else:
        known.add(form("address"), request.form.get("description", "").replace("\r\n", "\n"))
    return render(workshop().open(build_id), view_of(request.form))


@bp.post("/simulate")
def simulate(build_id: int) -> Response:
    """Put the build on the simulated bench, take it away, or cut its line for a moment."""
    known, opened = workshop().instruments, workshop().open(build_id)
    if form("do") == "clear":
        known.clear()
    elif form("do") == "cut":
        known.with_bench(lambda bench: bench.cut(3.0))
    else:
        kind, _, where = form("fault").partition(",")
        faults = (fault_of(opened.plan, kind, where),) if kind else ()
        soc, speed = read(form("soc") or "60 %", "", "simulate"), read(form("speed") or "1", "", "simulate")
        if not 0 <= soc <= 1 or not 0 < speed <= FASTEST:
            raise FigureError("simulate", "Charge goes from 0 to 100 %, speed up to 100 000.", fix="Give figures within.")
        known.simulate(build_id, opened.assessed, faults, soc=soc, speed=speed)
    return render(opened, view_of(request.form))


@bp.post("/run")
def run(build_id: int) -> Response:
    """Begin a run, stop it, remove it, or make its capacity the plan's."""
    shop, number, do = workshop(), row_number(form("run")) or 0, form("do")
    if do == "begin":
        unit_id = named_unit(build_id)
        shop.recorder.begin(unit_id, test_of(form, lambda name: row_number(form(name))))
    else:
        found = shop.runs.get(number)
        if found is None or shop.units.build_of(found.unit_id) != build_id:
            abort(404)
        if do == "plan":
            name = next(u.name for u in shop.units.units(build_id) if u.id == found.unit_id)
            return change(build_id, lambda a: capacity_on_plan(a, found, shop.runs, name))
        shop.recorder.stop(number)
        if do == "remove" and not shop.recorder.runs(number):
            shop.runs.remove(number)
        shop.recorder.wait(number, shop.runs.count(number), 0.5)
    return render(shop.open(build_id), view_of(request.form))


@bp.get("/runs/<id:run>/stream")
def run_stream(build_id: int, run: int) -> Response:
    """A run as it goes on: server-sent events, from the reading on that was seen last."""
    shop = workshop()
    found = shop.runs.get(run)
    if found is None or shop.units.build_of(found.unit_id) != build_id:
        abort(404)
    seen = row_number(request.headers.get("Last-Event-ID")) or row_number(request.args.get("seen")) or 0
    if not STREAMS.acquire(blocking=False):
        return make_response("Too many pages watch runs.", 503, {"Retry-After": "5"})

    def events() -> Iterator[str]:
        yield "retry: 500\n\n"
        for news in stream(shop.recorder, shop.runs, run, seen, time.monotonic() + LASTS_S):
            yield f"id: {news['seen']}\ndata: {json.dumps(news)}\n\n"

    response = Response(events(), mimetype="text/event-stream")
    response.call_on_close(STREAMS.release)
    return response
