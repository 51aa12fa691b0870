"""Changes of the Log station: lines written, photographs and meter logs taken in, complaints closed."""

from __future__ import annotations

from flask import Response, abort, g, render_template, request, send_file
from werkzeug.wrappers import Response as Sent

from briskcell.services.bench.measured import put_on_plan
from briskcell.services.bench.proof import take
from briskcell.services.log.entries import FORMATS, add_complaint, add_note, add_photo, add_run
from briskcell.services.log.imports import KIND, bring_in, corrected, laid_out
from briskcell.web.build import bp, change, form, render
from briskcell.web.safe import row_number
from briskcell.web.shelf import workshop
from briskcell.web.view import view_of

from ..which_unit import named_unit, proof_of, with_unit
from .surface import learned

KINDS = {"discharge": "Discharge from a file", "watch": "Log from a file"}


def _shown(build_id: int) -> Response:
    return render(workshop().open(build_id), view_of(request.form))


@bp.get("/learned/<revision:revision>")
def learned_of(build_id: int, revision: int) -> str:
    """What a unit's measurements teach."""
    view = with_unit(view_of(request.args, "log"), build_id)
    return render_template("log/_learned.html", **learned(workshop().at(build_id, revision), view))


@bp.post("/log")
def write_log(build_id: int) -> Response:
    """A line of a unit's log: a timed run, a complaint, a change; or one taken out, or a complaint that is found."""
    shop, unit, do = workshop(), named_unit(build_id), form("do")
    if do == "run":
        runtime = shop.open(build_id).assessed.runtime
        add_run(shop.log, unit.id, form("hours"), form("end"), form("words"), form("at"), runtime.hours if runtime else None)
    elif do == "complaint":
        add_complaint(shop.log, shop.open(build_id).plan, unit.id, form("when"), form("what"), form("words"))
    elif do == "change":
        add_note(shop.log, unit.id, form("words"), form("at"))
    else:
        entry = shop.log.get(row_number(form("entry")) or 0)
        if entry is None or entry.unit_id != unit.id:
            abort(404)
        if do == "repeat":
            shop.units.take(unit.id, form("step"), None)
            shop.log.note(entry.id, entry.about | {"repeat": form("step")})
        elif do == "answer":
            opened = shop.open(build_id)
            take(
                opened.assessed, shop.units, proof_of(unit, opened.assessed, standing=True), form("step"),
                form(f"read-{form('step')}"),
            )  # fmt: skip
            shop.log.note(entry.id, entry.about | {"repeat": form("step")})
        elif do == "plan":
            return change(
                build_id, lambda a: put_on_plan(a, proof_of(unit, a, standing=True), form("step"), sure=form("sure") == "yes")
            )
        elif do == "found":
            shop.log.note(entry.id, entry.about | {"open": False})
        else:
            shop.log.remove(entry.id)
    return _shown(build_id)


@bp.post("/photo")
def take_photo(build_id: int) -> Response:
    """A photograph that came in pieces."""
    shop, unit = workshop(), named_unit(build_id)
    path = shop.uploads.path(form("file"))
    try:
        add_photo(shop.log, unit.id, path, form("words"))
    finally:
        shop.uploads.done(form("file"))
    return _shown(build_id)


@bp.get("/photos/<id:entry>")
def photo(build_id: int, entry: int) -> Sent:
    """A photograph, of the type that it was found to be."""
    shop = workshop()
    found = shop.log.get(entry)
    if found is None or not found.file or shop.units.build_of(found.unit_id) != build_id:
        abort(404)
    types = {kind for _, kind in FORMATS.values()}
    kind = found.about.get("type", "")
    return send_file(shop.log.photo(found.file), mimetype=kind if kind in types else "application/octet-stream", max_age=0)


@bp.post("/import")
def import_log(build_id: int) -> Response:
    """A meter's log that came in pieces: looked at, corrected, taken in as a job, or stopped."""
    shop, unit, do, name = workshop(), named_unit(build_id), form("do"), form("file")
    if do == "stop":
        shop.jobs.stop(build_id, KIND)
    elif do == "drop":
        shop.uploads.done(name)
    else:
        try:
            layout, rows = laid_out(shop.uploads, shop.log, name)
        except Exception:
            shop.uploads.done(name)
            raise
        if do == "take":
            kind = form("kind") if form("kind") in KINDS else "watch"
            title = form("title").strip() or KINDS[kind]
            work = bring_in(shop.uploads, shop.log, shop.runs, unit.id, name, corrected(layout, form), title[:120], kind)
            shop.jobs.begin(build_id, KIND, work)
        else:
            g.laid = {"file": name, "layout": layout, "rows": rows, "title": form("title")[:120]}
    return _shown(build_id)
