"""The frame around every station: spine, map, verdict, surface, slip."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from briskcell.core.assess import Assessment
from briskcell.services.workshop import Opened

from ..units import show
from ..view import View
from . import brief, charge, draw, pack, rails
from .numbers import Number, Numbers
from .river import river
from .slip import slip_of

Shown = tuple[str, str, str]  # the number in words, its change, and the key of its working


@dataclass(frozen=True, slots=True)
class Station:
    """A row of the spine: its key, name, the surface it shows, and its number."""

    key: str
    name: str
    surface: Callable[[Opened, View], dict[str, Any]]
    number: Callable[[Assessment, Numbers], Shown]


def _plain(found: Number, after: str = "") -> Shown:
    return f"{found.shown}{after}", found.delta, found.key if found.value is not None else ""


def _spare(a: Assessment, n: Numbers) -> Shown:
    least = a.least_spare()
    if least is None:
        return "no limits", "", ""
    found = n(f"headroom:{least.element}:{least.kind}")
    words = f"{show(abs(least.spare), '%')} {'spare' if least.spare >= 0 else 'short'}"
    return words, found.delta, found.key


def _charge(a: Assessment, n: Numbers) -> Shown:
    return _plain(n(f"charge:{a.charges[0].board.id}", "never full")) if a.charges else ("no charger", "", "")


# The one place where a station is added. Keys are those of the whole working order, so none moves later.
STATIONS: dict[str, Station] = {
    "brief": Station("1", "Brief", brief.surface, lambda a, _: (f"{show(a.plan.brief.hours, 'h')} wanted", "", "")),
    "draw": Station("2", "Draw", draw.surface, lambda _, n: _plain(n("draw"))),
    "rails": Station("3", "Rails", rails.surface, _spare),
    "pack": Station("4", "Pack", pack.surface, lambda _, n: _plain(n("runtime", "no draw"))),
    "charge": Station("5", "Charge", charge.surface, _charge),
}


@dataclass(frozen=True, slots=True)
class SpineRow:
    """A station in the spine."""

    station: str
    key: str
    name: str
    shown: str
    delta: str
    working: str
    state: str


def spine(opened: Opened, numbers: Numbers) -> list[SpineRow]:
    """Every station with its number, state, and change since the baseline."""
    a = opened.assessed
    return [SpineRow(name, s.key, s.name, *s.number(a, numbers), a.station_state(name)) for name, s in STATIONS.items()]


def figures_of(before: Opened, now: Opened) -> list[tuple[str, str, str, str]]:
    """The stations' numbers at two points: name, then, now, change."""
    one, two = Numbers(before.assessed, None), Numbers(now.assessed, before.assessed)
    return [
        (s.name, s.number(before.assessed, one)[0], (shown := s.number(now.assessed, two))[0], shown[1]) for s in STATIONS.values()
    ]


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
        "spine": spine(opened, numbers),
        "river": river(assessed, view.soc, view.state, view.station, view.room, opened.baseline),
        "findings": assessed.findings,
        "surface": STATIONS[view.station].surface(opened, view),
        "slip": slip_of(assessed, view.slip),
    }
