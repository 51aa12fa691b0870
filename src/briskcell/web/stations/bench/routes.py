"""Changes of the Bench station: units, readings, instruments, runs. A reading or a run may become a figure of the plan."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import replace
from threading import BoundedSemaphore

from flask import Response, abort, g, make_response, request, session

from briskcell.services.bench.measured import put_on_plan
from briskcell.web.build import bp, change, form, render
from briskcell.web.lan import at_the_computer, begun_from, who_asks
from briskcell.web.safe import named, row_number
from briskcell.web.shop import benches, builds, workshop
from briskcell.web.view import view_of
from briskcell.web.which_unit import named_unit, proof_of, shown_unit, with_unit

from . import pins, practice  # noqa: F401  add their pages to the build

STREAMS = BoundedSemaphore(6)  # each holds one of the server's threads
LASTS_S = 30.0  # after which a page asks for the next stretch of a stream by itself
NOTED = ("print", "side", "by")


@bp.post("/unit")
def unit(build_id: int) -> Response:
    """One more unit."""
    key = benches().add_unit(build_id, form("name"))
    return render(builds().open(build_id), replace(view_of(request.form), unit=key))


@bp.post("/reading")
def reading(build_id: int) -> Response:
    """A reading on a unit, typed or taken by the meter; what was typed stays where it makes no sense."""
    opened, step = builds().open(build_id), form("step")
    found = proof_of(named_unit(build_id), opened.assessed)
    note = {name: form(name)[:60] for name in NOTED if form(name)}
    if "by" in note:
        session["measures"] = note["by"]
    if form("do") == "meter":
        benches().read(build_id, opened.assessed, found, step, {})
    else:  # a field of the step's own: what was typed for another proves nothing here
        text, back = form(f"read-{step}"), form("do") == "back"
        benches().take(opened.assessed, found, step, text, reason=form("reason"), back=back, note=note)
    return render(opened, view_of(request.form))


@bp.post("/measured")
def measured(build_id: int) -> Response:
    """A reading as a figure of the plan."""
    unit = named_unit(build_id)
    return change(build_id, lambda a: put_on_plan(a, proof_of(unit, a), form("step"), sure=form("sure") == "yes"), planned=True)


@bp.post("/instrument")
def instrument(build_id: int) -> Response:
    """Add an instrument, ask one who it is, or remove it."""
    known, number = benches().instruments, row_number(form("instrument")) or 0
    if form("do") == "who":
        g.who = (number, known.who(number))
        return render(builds().open(build_id), view_of(request.form))
    at_the_computer("address")
    if form("do") == "remove":
        known.remove(number)
    else:
        known.add(form("address"), request.form.get("description", "").replace("\r\n", "\n"))
    return render(builds().open(build_id), view_of(request.form))


@bp.post("/simulate")
def simulate(build_id: int) -> Response:
    """Put the build on the simulated bench, take it away, or cut its line for a moment."""
    known, opened = benches().instruments, builds().open(build_id)
    at_the_computer("simulate")
    if form("do") == "clear":
        known.clear("simulate")
    elif form("do") == "cut":
        known.with_bench(lambda bench: bench.cut(3.0))
    else:
        benches().simulate(build_id, opened.assessed, form("fault"), form("soc"), form("speed"))
    return render(opened, view_of(request.form))


@bp.post("/run")
def run(build_id: int) -> Response:
    """Begin a run, stop it, remove it, or make its capacity or its curve the plan's."""
    number, do, sure = named("run", form("run")) or 0, form("do"), form("sure") == "yes"
    if do == "begin":
        _begin(build_id)
    else:
        found = benches().run(build_id, number) or abort(404)
        if do == "curve":
            return change(build_id, lambda a: benches().curve_on_plan(build_id, a, found, sure=sure), planned=True)
        if do == "plan":
            return change(build_id, lambda a: benches().capacity_on_plan(build_id, a, found, sure=sure), planned=True)
        if do == "remove":
            benches().remove_run(number)
        else:
            benches().stop(number)
    return render(builds().open(build_id), view_of(request.form))


def _begin(build_id: int) -> None:
    if form("kind") == "discharge":
        at_the_computer("run")
    benches().begin(build_id, named_unit(build_id), builds().open(build_id).assessed, form, begun_from())


@bp.get("/bench/news")
def bench_news(build_id: int) -> Response:
    """What else happened to a console since its page was made: nothing, or the page as it is now."""
    view = with_unit(view_of(request.args, "bench"), build_id)
    _, unit = shown_unit(build_id, view)
    if unit is None or request.args.get("seen") == benches().state(unit.id):
        return make_response("", 204)
    response = render(builds().open(build_id), view)
    response.headers["HX-Retarget"], response.headers["HX-Reswap"] = "#build", "outerMorph"
    return response


@bp.get("/runs/<run:run>/stream")
def run_stream(build_id: int, run: int) -> Response:
    """A run as it goes on: server-sent events, from the reading on that was seen last."""
    if benches().run(build_id, run) is None:
        abort(404)
    seen = row_number(request.headers.get("Last-Event-ID")) or row_number(request.args.get("seen")) or 0
    if not STREAMS.acquire(blocking=False):
        return make_response("Too many pages watch runs.", 503, {"Retry-After": "5"})

    device, devices, news_of = who_asks(), workshop().devices, benches().stream(run, seen, LASTS_S)

    def events() -> Iterator[str]:
        yield "retry: 500\n\n"
        for news in news_of:
            if not devices.lets_in(device):
                return
            yield f"id: {news['seen']}\ndata: {json.dumps(news)}\n\n"

    response = Response(events(), mimetype="text/event-stream")
    response.call_on_close(STREAMS.release)
    return response
