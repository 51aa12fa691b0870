"""The frame around every station: spine, map, verdict, surface, slip."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from typing import Any

from flask import render_template
from markupsafe import Markup

from briskcell.core.assess import Assessment
from briskcell.core.stations import STATIONS, Headline, Station
from briskcell.model.parts import STATES
from briskcell.services.edits.questions import questions
from briskcell.services.judge import sheltered
from briskcell.services.workshop import Opened
from briskcell.web.stations import sections, surfaces

from ..help import HELP
from ..units import show
from ..view import View
from .current_map import CurrentMap, current_map, left_words
from .facts import differences_from_class
from .numbers import Numbers
from .plugged_map import USES, PluggedMap, plugged_map
from .slip import slip_of
from .strip import Strip, strip_at


@dataclass(frozen=True, slots=True)
class SpineRow:
    """A station in the spine: its number as shown, the change since the baseline, the key of its working, its word, its range."""

    station: Station
    shown: str
    delta: str
    working: str
    state: str
    reach: str = ""


def _row(station: Station, assessed: Assessment, numbers: Numbers) -> SpineRow:
    head = station.headline(assessed)
    found = numbers(head.key, head.none) if head.key else None
    missing = head.key and (found is None or found.value is None)
    return SpineRow(station, _words(head, missing=bool(missing)), found.delta if found else "", "" if missing else head.key,
                    station.state(assessed), _reach(station, assessed, head))  # fmt: skip


def _reach(station: Station, assessed: Assessment, head: Headline) -> str:
    """The range of a number, where it is wider than its words."""
    found = station.reach(assessed) if head.value else None
    low, high = (show(v, head.unit) for v in found) if found else ("", "")
    return f"{low} to {high}" if low != high else ""


def _words(head: Headline, *, missing: bool) -> str:
    if head.value is None or missing:
        return head.none
    return f"{show(head.value, head.unit)} {head.after}".rstrip()


def spine(assessed: Assessment, numbers: Numbers) -> list[SpineRow]:
    """Every station with its number, state, and change since the baseline."""
    unknown = [SpineRow(s, "not known", "", "", "unknown") for s in STATIONS.values()]
    return [sheltered(f"number of {u.station.name}", partial(_row, u.station, assessed, numbers), u) for u in unknown]


def figures_of(before: Opened, now: Opened) -> list[tuple[str, str, str, str]]:
    """The stations' numbers at two points: name, then, now, change."""
    one = spine(before.assessed, Numbers(before.assessed, None))
    two = spine(now.assessed, Numbers(now.assessed, before.assessed))
    return [(b.station.title, a.shown, b.shown, b.delta) for a, b in zip(one, two, strict=True)]


def frame_of(opened: Opened, view: View) -> dict[str, Any]:
    """Everything a build's page shows."""
    assessed, numbers = opened.assessed, Numbers(opened.assessed, opened.baseline)
    return {
        "opened": opened,
        "plan": assessed.plan,
        "assessed": assessed,
        "view": view,
        "stations": STATIONS,
        "number": numbers,
        "spine": spine(assessed, numbers),
        "current_map": sheltered("map", lambda: _map(assessed, opened, view), None) if view.map_open and not view.plugged else None,
        "strip": None if view.map_open or view.plugged else sheltered("strip", partial(_strip, assessed, opened, view), None),
        "plugged": sheltered("plugged in", partial(_plugged, assessed, view), None) if view.plugged else None,
        "uses": USES,
        "station_help": HELP[view.station],
        "left": sheltered("hours left", partial(left_words, assessed, view.soc), ""),
        "collapsed": sheltered("collapse", partial(_collapsed, assessed, view), False),
        "findings": assessed.findings,
        "questions": sheltered("questions", partial(questions, assessed.plan), dict[str, str]()),
        "differing": sheltered("classes", partial(differences_from_class, assessed), dict[str, str]()),
        "surface": sheltered(f"station {view.station}", partial(surfaces()[view.station], opened, view), None),
        "slip": sheltered(f"slip {view.slip}", partial(slip_of, assessed, view.slip), None),
    }


def _map(assessed: Assessment, opened: Opened, view: View) -> CurrentMap:
    return current_map(assessed, view.soc, view.state, view.station, view.drawn, opened.baseline)


def _strip(assessed: Assessment, opened: Opened, view: View) -> Strip | None:
    return strip_at(assessed, view.soc, view.state, view.station, view.drawn, opened.baseline)


def _plugged(assessed: Assessment, view: View) -> PluggedMap | None:
    return plugged_map(assessed, view.soc, view.use, view.by, view.drawn)


def _collapsed(assessed: Assessment, view: View) -> bool:
    op = assessed.op
    return bool(op.flow.collapsed[STATES.index(view.state), op.index(view.soc)]) if op.network.elements else False


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
    shown = [
        (s, s.state(view.station, context["assessed"])) for s in sections(view.station) if f'id="{s.anchor}"' in made["surface"]
    ]
    made["index"] = Markup(_piece("index", "frame/_index.html", context | {"sections": shown}))
    return made | {"slip": Markup(_piece("slip", "frame/_slip.html", context)) if context["slip"] else Markup("")}


def _piece(name: str, file: str, context: dict[str, Any]) -> str:
    return sheltered(f"page, {name}", lambda: render_template("frame/_piece.html", piece=file, **context), str(_broken(name)))


def _broken(name: str) -> Markup:
    return Markup(render_template("frame/_broken.html", name=name))
