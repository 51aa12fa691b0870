"""Changes of the Bench station: units, readings, instruments, runs. A reading or a run may become a figure of the plan."""

from __future__ import annotations

import json
import time
from collections.abc import Iterator
from dataclasses import replace
from threading import BoundedSemaphore

from flask import Response, abort, g, make_response, request, session

from briskcell.core.assess import Assessment
from briskcell.core.bench.specimen import fault_of
from briskcell.model.errors import FigureError
from briskcell.model.units import read
from briskcell.services.bench.asked import test_of
from briskcell.services.bench.courses import stream
from briskcell.services.bench.measured import capacity_on_plan, put_on_plan
from briskcell.services.bench.proof import Proof, add_unit, take
from briskcell.web.build import bp, change, form, render
from briskcell.web.lan import at_the_computer, begun_from, still_let_in, who_asks
from briskcell.web.safe import named, row_number
from briskcell.web.shelf import workshop
from briskcell.web.view import view_of

from ..which_unit import named_unit, proof_of, shown_unit, with_unit
from . import practice  # noqa: F401  adds its page to the build
from .surface import state_of

STREAMS = BoundedSemaphore(6)  # each holds one of the server's threads
LASTS_S = 30.0  # after which a page asks for the next stretch of a stream by itself
NOTED = ("print", "side", "by")
FASTEST = 100_000.0


@bp.post("/unit")
def unit(build_id: int) -> Response:
    """One more unit."""
    made = add_unit(workshop().units, build_id, form("name"))
    key = workshop().key_of("unit", made) or ""
    return render(workshop().open(build_id), replace(view_of(request.form), unit=key))


@bp.post("/reading")
def reading(build_id: int) -> Response:
    """A reading on a unit, typed or taken by the meter; what was typed stays where it makes no sense."""
    shop, opened = workshop(), workshop().open(build_id)
    found = proof_of(named_unit(build_id), opened.assessed)
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
            form(f"read-{form('step')}"),  # a field of the step's own: what was typed for another proves nothing here
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
    if meters[0].is_simulated():
        note["simulated"] = "yes"
    take(assessed, shop.units, found, form("step"), "", note=note, read_by=lambda s: shop.instruments.read(meters[0].id, s))


@bp.post("/measured")
def measured(build_id: int) -> Response:
    """A reading as a figure of the plan."""
    unit = named_unit(build_id)
    return change(build_id, lambda a: put_on_plan(a, proof_of(unit, a), form("step"), sure=form("sure") == "yes"))


@bp.post("/instrument")
def instrument(build_id: int) -> Response:
    """Add an instrument, ask one who it is, or remove it."""
    known, number = workshop().instruments, row_number(form("instrument")) or 0
    if form("do") == "who":
        g.who = (number, known.who(number))
        return render(workshop().open(build_id), view_of(request.form))
    at_the_computer("address")
    if form("do") == "remove":
        known.remove(number)
    else:
        known.add(form("address"), request.form.get("description", "").replace("\r\n", "\n"))
    return render(workshop().open(build_id), view_of(request.form))


@bp.post("/simulate")
def simulate(build_id: int) -> Response:
    """Put the build on the simulated bench, take it away, or cut its line for a moment."""
    known, opened = workshop().instruments, workshop().open(build_id)
    at_the_computer("simulate")
    if form("do") == "clear":
        known.clear("simulate")
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
    shop, number, do = workshop(), named("run", form("run")) or 0, form("do")
    if do == "begin":
        _begin(build_id)
    else:
        found = shop.runs.get(number)
        if found is None or shop.units.build_of(found.unit_id) != build_id:
            abort(404)
        if do == "plan":
            name = next(u.name for u in shop.units.units(build_id) if u.id == found.unit_id)
            return change(build_id, lambda a: capacity_on_plan(a, found, shop.runs, name, sure=form("sure") == "yes"))
        shop.recorder.stop(number)
        if do == "remove" and not shop.recorder.runs(number):
            shop.runs.remove(number)
        shop.recorder.wait(number, shop.runs.count(number), 0.5)
    return render(shop.open(build_id), view_of(request.form))


def _begin(build_id: int) -> None:
    shop, unit, opened = workshop(), named_unit(build_id), workshop().open(build_id)
    if form("kind") == "discharge":
        at_the_computer("run")
    known = {i.id: i for i in shop.instruments.of_build(build_id)}
    where = f"{opened.plan.name}, {unit.name}{begun_from()}"
    test = test_of(form, lambda name: known.get(row_number(form(name)) or -1), opened.assessed, where)
    pack = next(iter(opened.plan.packs), None)
    shop.recorder.begin(unit.id, test, {"cell": pack.cell.part_class} if pack and test.kind == "discharge" else {})


@bp.get("/bench/news")
def bench_news(build_id: int) -> Response:
    """What else happened to a console since its page was made: nothing, or the page as it is now."""
    view = with_unit(view_of(request.args, "bench"), build_id)
    _, unit = shown_unit(build_id, view)
    if unit is None or request.args.get("seen") == state_of(unit):
        return make_response("", 204)
    response = render(workshop().open(build_id), view)
    response.headers["HX-Retarget"], response.headers["HX-Reswap"] = "#build", "outerMorph"
    return response


@bp.get("/runs/<run:run>/stream")
def run_stream(build_id: int, run: int) -> Response:
    """A run as it goes on: server-sent events, from the reading on that was seen last."""
    shop = workshop()
    found = shop.runs.get(run)
    if found is None or shop.units.build_of(found.unit_id) != build_id:
        abort(404)
    seen = row_number(request.headers.get("Last-Event-ID")) or row_number(request.args.get("seen")) or 0
    if not STREAMS.acquire(blocking=False):
        return make_response("Too many pages watch runs.", 503, {"Retry-After": "5"})

    device = who_asks()

    def events() -> Iterator[str]:
        yield "retry: 500\n\n"
        for news in stream(shop.recorder, shop.runs, run, seen, time.monotonic() + LASTS_S):
            if not still_let_in(shop, device):
                return
            yield f"id: {news['seen']}\ndata: {json.dumps(news)}\n\n"

    response = Response(events(), mimetype="text/event-stream")
    response.call_on_close(STREAMS.release)
    return response
