"""Changes of the Log station: lines written, photographs and meter logs taken in, complaints closed."""

from __future__ import annotations

from flask import Response, abort, g, render_template, request, send_file
from werkzeug.wrappers import Response as Sent

from briskcell.services.bench.measured import put_on_plan
from briskcell.services.log.entries import FORMATS
from briskcell.web.build import bp, change, form, render
from briskcell.web.safe import named, row_number
from briskcell.web.shop import benches, builds, logs, workshop
from briskcell.web.view import view_of
from briskcell.web.which_unit import named_unit, proof_of, with_unit

from .surface import learned

KINDS = {"discharge": "Discharge from a file", "play": "Run in play from a file", "watch": "Log from a file"}
MOST_ROWS = 20_000  # characters of typed rows


def _shown(build_id: int) -> Response:
    return render(builds().open(build_id), view_of(request.form))


@bp.get("/learned/<revision:revision>")
def learned_of(build_id: int, revision: int) -> str:
    """What a unit's measurements teach."""
    view = with_unit(view_of(request.args, "log"), build_id)
    return render_template("log/_learned.html", **learned(builds().at(build_id, revision), view))


@bp.post("/log")
def write_log(build_id: int) -> Response:
    """A line of a unit's log: a timed run, a complaint, a change; or one taken out, or a complaint that is found."""
    log, unit, do = logs(), named_unit(build_id), form("do")
    if do == "run":
        log.add_run(builds().open(build_id).assessed, unit.id, form("hours"), form("end"), form("words"), form("at"))
    elif do == "complaint":
        log.add_complaint(
            builds().open(build_id).plan, unit.id, form("when"), form("what"), form("words"), request.form.getlist("also")
        )
    elif do == "whole":
        log.add_whole(builds().open(build_id).plan, unit.id, form("watts"), form("volts"), form("state"), form("at"))
    elif do == "tested":
        log.add_tested(builds().open(build_id).plan, unit.id, form("ah"), form("of"), form("at"))
    elif do == "rows":
        rows = request.form.get("rows", "")[:MOST_ROWS]
        log.add_typed(builds().open(build_id).plan, unit.id, rows, form("title"), full=form("full") == "yes")
    elif do == "leave":
        number = row_number(form("entry"))
        log.leave_out(unit.id, log.entry(unit.id, number) if number else None, named("run", form("run")), form("why"))
    elif do == "change":
        log.add_note(unit.id, form("words"), form("at"))
    else:
        entry = log.entry(unit.id, row_number(form("entry")) or 0) or abort(404)
        if do == "plan":
            return change(
                build_id,
                lambda a: put_on_plan(a, proof_of(unit, a, standing=True), form("step"), sure=form("sure") == "yes"),
                planned=True,
            )
        if do == "repeat":
            benches().take_back(unit.id, form("step"))
            log.repeats(entry, form("step"))
        elif do == "answer":
            assessed, step = builds().open(build_id).assessed, form("step")
            benches().take(assessed, proof_of(unit, assessed, standing=True), step, form(f"read-{step}"))
            log.repeats(entry, step)
        elif do == "found":
            log.is_found(entry)
        else:
            log.remove(entry)
    return _shown(build_id)


@bp.post("/take-in")
def take_in(build_id: int) -> Response:
    """What was measured of a console, into its plan: all that is ticked, as one change."""
    unit, keys = named_unit(build_id), frozenset(request.form.getlist("take"))
    sure = form("sure") == "yes"
    return change(
        build_id, lambda a: workshop().consoles.taken_in(a, unit, benches().units(build_id), keys, sure=sure), planned=True
    )


@bp.post("/photo")
def take_photo(build_id: int) -> Response:
    """A photograph that came in pieces."""
    logs().add_photo(named_unit(build_id).id, form("file"), form("words"))
    return _shown(build_id)


@bp.get("/photos/<id:entry>")
def photo(build_id: int, entry: int) -> Sent:
    """A photograph, of the type that it was found to be."""
    path, kind = logs().photo(build_id, entry) or abort(404)
    types = {kind for _, kind in FORMATS.values()}
    return send_file(path, mimetype=kind if kind in types else "application/octet-stream", max_age=0)


@bp.post("/import")
def import_log(build_id: int) -> Response:
    """A meter's log that came in pieces: looked at, corrected, taken in as a job, or stopped."""
    unit, do, name, title = named_unit(build_id), form("do"), form("file"), form("title")[:120]
    if do == "stop":
        logs().stop_import(build_id)
    elif do == "drop":
        workshop().uploads.done(name)
    elif do == "take":
        kind = form("kind") if form("kind") in KINDS else "watch"
        logs().bring_in(build_id, builds().open(build_id).plan, unit.id, name, form, title.strip() or KINDS[kind], kind)
    else:
        layout, rows = logs().laid_out(name)
        g.laid = {"file": name, "layout": layout, "rows": rows, "title": title}
    return _shown(build_id)
