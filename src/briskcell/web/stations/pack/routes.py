"""Changes of the Pack station: the bay, the cells, a session in time, and the wide search."""

from __future__ import annotations

from flask import Response, make_response, render_template, request, url_for

from briskcell.core.assess import Assessment
from briskcell.model.errors import FigureError
from briskcell.model.units import read
from briskcell.services.edits.values import Edit
from briskcell.services.pack import bay, cells
from briskcell.services.pack.typed_curve import give_curve
from briskcell.services.search import take_found
from briskcell.web.build import base_revision, bp, change, form
from briskcell.web.shop import builds, searches
from briskcell.web.units import plain
from briskcell.web.which_unit import shown_at

from . import sure  # noqa: F401  adds its part to the build
from .scatters import scatters
from .surface import choices


@bp.post("/bay")
def edit_bay(build_id: int) -> Response:
    """A first bay, from the case; a block kept out of it, or freed again."""
    action, number = form("do"), form("number")
    edits = {"start": bay.start_bay, "block": bay.add_block}
    if action in edits:
        return change(build_id, lambda a: edits[action](a.plan))
    return change(build_id, lambda a: bay.remove_block(a.plan, number))


@bp.get("/packs/<revision:revision>")
def packs(build_id: int, revision: int) -> str:
    """All packs of the library that fit: asked for once the page stands."""
    return render_template("pack/_packs.html", id=build_id, **choices(shown_at(build_id, revision)))


@bp.post("/cells")
def take_cells(build_id: int) -> Response:
    """Another cell class and count for a pack."""
    count = request.form.get("parallel", 0, type=int)
    return change(build_id, lambda a: cells.take_cells(a.plan, form("pack"), form("part_class"), count))


@bp.post("/wrapper")
def wrapper(build_id: int) -> Response:
    """A cell typed from its wrapper."""

    def figure(name: str, unit: str) -> float:
        value = read(plain(form(name), unit), unit, f"cell-{name}")
        if value <= 0:
            raise FigureError(f"cell-{name}", "This is not above zero.", fix="Give a larger figure.")
        return value

    def made(assessed: Assessment) -> Edit:
        name = form("name").strip()
        if not name:
            raise FigureError("cell-name", "A cell needs a name.", fix="Type what the wrapper says.")
        wide = figure("width", "mm") if form("width").strip() else None
        thick, long = figure("thickness", "mm"), figure("length", "mm")
        ohm = figure("ohm", "Ω") if form("ohm").strip() else None
        mass = figure("mass", "g") if form("mass").strip() else None
        label, most = figure("label", "Ah"), figure("most", "A")
        cell = cells.typed_cell(name, form("chemistry"), label, thick, wide, long, most, ohm, mass)
        return cells.put_cell(assessed.plan, form("pack"), cell)

    return change(build_id, made)


@bp.post("/curve")
def curve(build_id: int) -> Response:
    """The cells' own curve, and their resistances by pulses, as typed or pasted."""

    def made(assessed: Assessment) -> Edit:
        amps = form("amps").strip()
        drawn = read(plain(amps, "A"), "A", "curve-amps") if amps else None
        return give_curve(assessed.plan, form("pack"), form("points"), drawn, form("pulses"))

    return change(build_id, made)


def _search_shown(build_id: int) -> Response:
    job = searches().of(build_id)
    result = job.result if job and job.result and "unbeaten" in job.result else None  # else an earlier version's
    drawn = scatters(result["points"]) if result else None
    return make_response(render_template("pack/_search.html", id=build_id, job=job, result=result, s=drawn))


@bp.get("/search")
def search(build_id: int) -> Response:
    """How far the search is, and what it found."""
    return _search_shown(build_id)


@bp.post("/search")
def search_begin(build_id: int) -> Response:
    """Begin the wide search, or go on with one that was stopped; one that is under way for this build is stopped."""
    if form("do") == "go on":
        searches().go_on(build_id, shown_at(build_id).assessed)
    else:
        searches().begin(build_id, shown_at(build_id).assessed, in_drawer=form("do") == "drawer")
    return _search_shown(build_id)


@bp.post("/search/stop")
def search_stop(build_id: int) -> Response:
    """Stop it; what it found so far stays."""
    searches().stop(build_id)
    return _search_shown(build_id)


@bp.post("/search/take")
def search_take(build_id: int) -> Response:
    """Put one of its combinations into the build."""
    count, awg = request.form.get("parallel", 0, type=int), request.form.get("awg", 0.0, type=float)

    def taken(a: Assessment) -> Edit:
        return take_found(a, form("cell"), count, form("board"), awg, form("charger"))

    if form("do") != "variant":
        return change(build_id, taken)
    base = base_revision()
    edit = taken(builds().at(build_id, base).assessed)
    made = builds().variant(build_id, base, edit.words[:100])
    builds().change(made, builds().stands_at(made) or 0, taken)
    response = make_response("", 204)
    response.headers["HX-Redirect"] = url_for("build.station", build_id=made, station="pack")
    return response
