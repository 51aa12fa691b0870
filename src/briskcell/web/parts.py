"""Changes to the parts of a build: added, swapped, moved, hung elsewhere, taken away."""

from __future__ import annotations

from flask import Response, make_response, render_template, request

from briskcell.core.assess import Assessment
from briskcell.formats.parts_csv import MOST_BYTES, read_parts, write_parts
from briskcell.model.errors import FigureError
from briskcell.model.figure import read_figure
from briskcell.model.parts import STATES
from briskcell.model.units import read
from briskcell.services import bay, parts
from briskcell.services.compose import with_power
from briskcell.services.edits import Edit
from briskcell.services.games import add_game, remove_game

from .build import bp, change
from .htmx import download
from .presenters.pack import choices
from .shelf import workshop
from .units import plain


def _form(name: str) -> str:
    return request.form.get(name, "")[:400]


@bp.post("/add")
def add(build_id: int) -> Response:
    """Add a part of a library class."""
    return change(build_id, lambda a: parts.add_load(a.plan, _form("part_class"), _form("fed_by")))


@bp.post("/power")
def power(build_id: int) -> Response:
    """A pack, its charging and a 5 V rail for a build that has no store yet."""
    return change(build_id, lambda a: Edit(with_power(a.plan), "A pack, its charger and a 5 V rail put in"))


@bp.post("/remove-part")
def remove_part(build_id: int) -> Response:
    """Remove a part."""
    return change(build_id, lambda a: parts.remove(a.plan, _form("part")))


@bp.post("/duplicate")
def duplicate(build_id: int) -> Response:
    """A second part like it."""
    return change(build_id, lambda a: parts.duplicate(a.plan, _form("part")))


@bp.post("/move")
def move(build_id: int) -> Response:
    """Put a part before another in the list."""
    return change(build_id, lambda a: parts.move(a.plan, _form("part"), _form("before")))


@bp.post("/hang")
def hang(build_id: int) -> Response:
    """Hang a part on another rail, or on the pack."""
    wanted = [p for p in _form("part").split(" ") if p]
    return change(build_id, lambda a: parts.hang_all(a.plan, wanted, _form("fed_by")))


@bp.post("/rail")
def rail(build_id: int) -> Response:
    """One more rail with its board, or one less."""
    gone = _form("remove")
    if gone:
        return change(build_id, lambda a: parts.remove_rail(a.plan, gone))
    return change(build_id, lambda a: parts.add_rail(a.plan, _form("part_class"), _form("fed_by"), _form("name")))


@bp.post("/swap")
def swap(build_id: int) -> Response:
    """Put another class in a part's place."""
    return change(build_id, lambda a: parts.swap(a.plan, _form("part"), _form("part_class")))


@bp.post("/own")
def own(build_id: int) -> Response:
    """Add a part of the builder's own."""

    def made(assessed: Assessment) -> Edit:
        name = _form("name").strip()
        if not name:
            raise FigureError("own-name", "A part needs a name.", fix="Type one.")
        rest, play, peak = (read_figure(_form(s), "W", f"own-{s}") for s in STATES)
        low_v, high_v = (read(_form(f), "V", f"own-{f}") for f in ("low_v", "high_v"))
        try:
            load = parts.own_load(name, rest, play, peak, low_v, high_v)
        except FigureError as error:
            raise FigureError("own-low_v", error.message, fix=error.fix) from error
        return Edit(parts.added(assessed.plan, load, _form("fed_by") or parts.best_feeder(assessed.plan, load)), f"{name} added")

    return change(build_id, made)


@bp.post("/knob")
def knob(build_id: int) -> Response:
    """A knob for a part, or one less."""
    part, number = _form("part"), _form("remove")
    return change(build_id, lambda a: parts.remove_knob(a.plan, part, number) if number else parts.add_knob(a.plan, part))


@bp.post("/game")
def game(build_id: int) -> Response:
    """One more game, or one less."""
    number = _form("remove")
    return change(build_id, lambda a: remove_game(a.plan, number) if number else add_game(a.plan))


@bp.get("/parts.csv")
def table_out(build_id: int) -> Response:
    """The parts as a table."""
    return download(write_parts(workshop().open(build_id).plan), "text/csv; charset=utf-8", f"parts-of-build-{build_id}.csv")


def _table() -> str:
    upload = request.files.get("file")
    if upload is not None and upload.filename:
        return upload.stream.read(MOST_BYTES + 1).decode("utf-8-sig", "replace")
    return request.form.get("csv", "")


@bp.post("/table/preview")
def table_preview(build_id: int) -> Response:
    """What would be taken from a table, line by line, before anything is."""
    text = _table()
    plan = workshop().open(build_id).plan
    rows = read_parts(text)
    places = {p.name.lower(): p.name for p in parts.feeders(plan)}
    hung = {r.line: places.get(r.hangs_on.lower()) or plan.by_id[parts.best_feeder(plan, r.load)].name for r in rows if r.load}
    return make_response(render_template("_table_preview.html", rows=rows, hung=hung, text=text, id=build_id))


@bp.post("/table/take")
def table_take(build_id: int) -> Response:
    """Take the parts of a table."""
    rows = [(r.load, r.hangs_on) for r in read_parts(_table()) if r.load]
    if not rows:
        raise FigureError("csv", "No line of it makes a part.", fix="Mend the lines that are marked.")
    return change(build_id, lambda a: parts.take_table(a.plan, rows))


@bp.post("/bay")
def bay_begin(build_id: int) -> Response:
    """A first bay, from the case; a block kept out of it, or freed again."""
    action, number = _form("do"), _form("number")
    edits = {"start": bay.start_bay, "block": bay.add_block}
    if action in edits:
        return change(build_id, lambda a: edits[action](a.plan))
    return change(build_id, lambda a: bay.remove_block(a.plan, number))


@bp.get("/packs/<int:revision>")
def packs(build_id: int, revision: int) -> str:
    """All packs of the library that fit: asked for once the page stands."""
    return render_template("_packs.html", id=build_id, **choices(workshop().at(build_id, revision)))


@bp.post("/cells")
def cells(build_id: int) -> Response:
    """Another cell class and count for a pack."""
    count = request.form.get("parallel", 0, type=int)
    return change(build_id, lambda a: bay.take_cells(a.plan, _form("pack"), _form("part_class"), count))


@bp.post("/wrapper")
def wrapper(build_id: int) -> Response:
    """A cell typed from its wrapper."""

    def figure(name: str, unit: str) -> float:
        value = read(plain(_form(name), unit), unit, f"cell-{name}")
        if value <= 0:
            raise FigureError(f"cell-{name}", "This is not above zero.", fix="Give a larger figure.")
        return value

    def made(assessed: Assessment) -> Edit:
        name = _form("name").strip()
        if not name:
            raise FigureError("cell-name", "A cell needs a name.", fix="Type what the wrapper says.")
        wide = figure("width", "mm") if _form("width").strip() else None
        thick, long = figure("thickness", "mm"), figure("length", "mm")
        cell = bay.typed_cell(name, _form("chemistry"), figure("label", "Ah"), thick, wide, long, figure("most", "A"))
        return bay.put_cell(assessed.plan, _form("pack"), cell)

    return change(build_id, made)
