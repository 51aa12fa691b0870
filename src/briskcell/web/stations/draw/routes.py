"""Changes of the Draw station: parts added, described, duplicated, moved, removed; knobs, games, tables."""

from __future__ import annotations

import re

from flask import Response, make_response, render_template, request

from briskcell.core.assess import Assessment
from briskcell.formats.parts_csv import MARKS, MOST_BYTES, mended, parted_by, read_parts, write_parts
from briskcell.model.errors import FigureError
from briskcell.model.figure import read_figure
from briskcell.model.parts import STATES
from briskcell.model.tree import load_feeders
from briskcell.model.units import read
from briskcell.services.drafts import with_power
from briskcell.services.draw import games, loads
from briskcell.services.edits.values import Edit
from briskcell.web.build import bp, change, form
from briskcell.web.htmx import download
from briskcell.web.shop import builds


@bp.post("/power")
def power(build_id: int) -> Response:
    """A pack, its charging and a 5 V rail for a build that has no store yet."""
    return change(build_id, lambda a: Edit(with_power(a.plan), "A pack, its charger and a 5 V rail put in"))


@bp.post("/duplicate")
def duplicate(build_id: int) -> Response:
    """A second part like it."""
    return change(build_id, lambda a: loads.duplicate(a.plan, form("part")))


@bp.post("/move")
def move(build_id: int) -> Response:
    """Put a part before another in the list."""
    return change(build_id, lambda a: loads.move(a.plan, form("part"), form("before")))


@bp.post("/own")
def own(build_id: int) -> Response:
    """Add a part of the builder's own."""

    def made(assessed: Assessment) -> Edit:
        name = form("name").strip()
        if not name:
            raise FigureError("own-name", "A part needs a name.", fix="Type one.")
        rest, play, peak = (read_figure(form(s), "W", f"own-{s}") for s in STATES)
        low_v, high_v = (read(form(f), "V", f"own-{f}") for f in ("low_v", "high_v"))
        try:
            load = loads.own_load(name, rest, play, peak, low_v, high_v)
        except FigureError as error:
            raise FigureError("own-low_v", error.message, fix=error.fix) from error
        return Edit(loads.added(assessed.plan, load, form("fed_by") or loads.best_feeder(assessed.plan, load)), f"{name} added")

    return change(build_id, made)


@bp.post("/knob")
def knob(build_id: int) -> Response:
    """A knob for a part, or one less."""
    part, number = form("part"), form("remove")
    return change(build_id, lambda a: loads.remove_knob(a.plan, part, number) if number else loads.add_knob(a.plan, part))


@bp.post("/game")
def game(build_id: int) -> Response:
    """One more game, or one less; or a part whose peaks a game ties to those of others."""
    number, tied = form("remove"), form("tie")
    if tied:
        return change(build_id, lambda a: games.tie(a.plan, form("game"), tied))
    return change(build_id, lambda a: games.remove_game(a.plan, number) if number else games.add_game(a.plan))


@bp.get("/parts.csv")
def table_out(build_id: int) -> Response:
    """The parts as a table."""
    return download(write_parts(builds().open(build_id).plan), "text/csv", f"parts-of-build-{build_id}.csv")


def _table() -> str:
    upload = request.files.get("file")
    if upload is not None and upload.filename:
        return upload.stream.read(MOST_BYTES + 1).decode("utf-8-sig", "replace")
    typed = {int(k[5:]): v for k, v in request.form.items() if re.fullmatch(r"line-\d{1,4}", k)}
    return mended(request.form.get("csv", ""), typed)


@bp.post("/table/preview")
def table_preview(build_id: int) -> Response:
    """What would be taken from a table, line by line, before anything is."""
    text = _table()
    plan = builds().open(build_id).plan
    rows = read_parts(text)
    places = {p.name.lower(): p.name for p in load_feeders(plan)}
    hung = {r.line: places.get(r.hangs_on.lower()) or plan.by_id[loads.best_feeder(plan, r.load)].name for r in rows if r.load}
    return make_response(
        render_template("draw/_table_preview.html", rows=rows, hung=hung, text=text, parted=MARKS[parted_by(text)], id=build_id)
    )


@bp.post("/table/take")
def table_take(build_id: int) -> Response:
    """Take the parts of a table."""
    rows = [(r.load, r.hangs_on) for r in read_parts(_table()) if r.load]
    if not rows:
        raise FigureError("csv", "No line of it makes a part.", fix="Mend the lines that are marked.")
    return change(build_id, lambda a: loads.take_table(a.plan, rows))
