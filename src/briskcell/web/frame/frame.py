"""The frame around every station: spine, map, verdict, surface, slip."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial
from typing import Any

from flask import render_template
from markupsafe import Markup

from briskcell.core.assess import Assessment
from briskcell.core.stations import STATIONS, Headline, Station
from briskcell.drawing.stations import TITLES
from briskcell.exports.sheet import headline_words
from briskcell.services.builds import Opened
from briskcell.services.edits.questions import questions
from briskcell.services.judge import sheltered

from ..help import HELP
from ..pages import PAGES
from ..shop import benches, workshop
from ..units import show
from ..view import View
from .facts import differences_from_class
from .map import map_of
from .numbers import Numbers
from .slip import slip_of
from .standing import COMPARED


@dataclass(frozen=True, slots=True)
class SpineRow:
    """A station in the spine: its number as shown, the change since the baseline, the key of its working, its word, its range."""

    name: str
    title: str
    key: str
    shown: str
    delta: str
    working: str
    state: str
    reach: str = ""


def _row(unknown: SpineRow, assessed: Assessment, numbers: Numbers) -> SpineRow:
    station = STATIONS[unknown.name]
    head = station.headline(assessed)
    found = numbers(head.key, head.none) if head.key else None
    missing = head.key and (found is None or found.value is None)
    return replace(
        unknown,
        shown=headline_words(head, assessed, show),
        delta=found.delta if found else "",
        working="" if missing else head.key,
        state=station.state(assessed),
        reach=_reach(station, assessed, head),
    )


def _reach(station: Station, assessed: Assessment, head: Headline) -> str:
    """The range of a number, where it is wider than its words."""
    found = station.reach(assessed) if head.value else None
    low, high = (show(v, head.unit) for v in found) if found else ("", "")
    return f"{low} to {high}" if low != high else ""


def spine(assessed: Assessment, numbers: Numbers) -> list[SpineRow]:
    """Every station with its number, state, and change since the baseline."""
    unknown = [SpineRow(name, TITLES[name], PAGES[name].key, "not known", "", "", "unknown") for name in STATIONS]
    return [sheltered(f"number of {u.name}", partial(_row, u, assessed, numbers), u) for u in unknown]


def figures_of(before: Opened, now: Opened) -> list[tuple[str, str, str, str]]:
    """The stations' numbers at two points: name, then, now, change."""
    one = spine(before.assessed, Numbers(before.assessed, None))
    two = spine(now.assessed, Numbers(now.assessed, before.assessed))
    return [(b.title, a.shown, b.shown, b.delta) for a, b in zip(one, two, strict=True)]


def frame_of(opened: Opened, view: View) -> dict[str, Any]:
    """Everything a build's page shows."""
    assessed, numbers = opened.assessed, Numbers(opened.assessed, opened.baseline)
    return {
        "opened": opened,
        "plan": assessed.plan,
        "assessed": assessed,
        "view": view,
        "titles": TITLES,
        "number": numbers,
        "spine": spine(assessed, numbers),
        "units": benches().units(opened.revision.build_id) if assessed.plan.stores else (),
        "compared": COMPARED,
        "measured_so_far": workshop().consoles.state(opened.revision.build_id),
        **map_of(opened, view),
        "station_help": HELP[view.station],
        "findings": assessed.findings,
        "questions": sheltered("questions", partial(questions, assessed.plan), dict[str, str]()),
        "differing": sheltered("classes", partial(differences_from_class, assessed), dict[str, str]()),
        "surface": sheltered(f"station {view.station}", partial(PAGES[view.station].surface, opened, view), None),
        "slip": sheltered(f"slip {view.slip}", partial(slip_of, assessed, view.slip), None),
    }


def pieces(context: dict[str, Any]) -> dict[str, Markup]:
    """The parts of a page, each rendered by itself: one that fails takes only its own place."""
    files = {name: f"frame/_{name}.html" for name in ("spine", "map", "verdict")} | {
        "surface": f"{context['view'].station}/_surface.html"
    }
    view = context["view"]
    undrawn = context["current_map"] is None if view.map_open else context["strip"] is None and bool(context["plan"].stores)
    undrawn = undrawn and not view.plugged
    missing = {"map": undrawn, "surface": context["surface"] is None}
    made = {n: Markup(_piece(n, f, context)) if not missing.get(n) else _broken(n) for n, f in files.items()}
    there = [s for s in PAGES[view.station].sections if f'id="{s.anchor}"' in made["surface"]]
    shown = [(s, s.state(view.station, context["assessed"])) for s in there]
    made["index"] = Markup(_piece("index", "frame/_index.html", context | {"sections": shown}))
    return made | {"slip": Markup(_piece("slip", "frame/_slip.html", context)) if context["slip"] else Markup("")}


def _piece(name: str, file: str, context: dict[str, Any]) -> str:
    return sheltered(f"page, {name}", lambda: render_template("frame/_piece.html", piece=file, **context), str(_broken(name)))


def _broken(name: str) -> Markup:
    return Markup(render_template("frame/_broken.html", name=name))
