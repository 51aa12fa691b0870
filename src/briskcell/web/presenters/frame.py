"""The frame around every station: spine, map, verdict, surface, slip."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from briskcell.core.assess import Assessment
from briskcell.model.units import show
from briskcell.services.workshop import Opened

from ..view import View
from . import charge, draw, pack, rails
from .find import findable
from .river import river
from .slip import slip_of


@dataclass(frozen=True, slots=True)
class Station:
    """A row of the spine: its key, name, the surface it shows, and its number with unit."""

    key: str
    name: str
    surface: Callable[[Assessment, Any], dict[str, Any]]
    number: Callable[[Assessment], tuple[float | None, str, str]]
    working: Callable[[Assessment], str]


def _spare(a: Assessment) -> tuple[float | None, str, str]:
    least = a.least_spare()
    if least is None:
        return None, "%", "no limits"
    return least.spare, "%", f"{show(abs(least.spare), '%')} {'spare' if least.spare >= 0 else 'short'}"


def _spare_working(a: Assessment) -> str:
    least = a.least_spare()
    return f"working:headroom:{least.element}:{least.kind}" if least else ""


def _hours(a: Assessment) -> tuple[float | None, str, str]:
    found = a.runtime
    return (found.hours, "h", show(found.hours, "h")) if found and found.hours is not None else (None, "h", "no draw")


def _charge(a: Assessment) -> tuple[float | None, str, str]:
    if not a.charges:
        return None, "h", "no charger"
    hours = a.charges[0].off.hours
    return hours, "h", "never full" if hours is None else show(hours, "h")


# The one place where a station is added. Keys are those of the whole working order, so none moves later.
STATIONS: dict[str, Station] = {
    "draw": Station("2", "Draw", draw.surface, lambda a: (a.draw.mean_w, "W", show(a.draw.mean_w, "W")), lambda _: "working:draw"),
    "rails": Station("3", "Rails", rails.surface, _spare, _spare_working),
    "pack": Station("4", "Pack", pack.surface, _hours, lambda _: "working:runtime"),
    "charge": Station("5", "Charge", charge.surface, _charge,
                      lambda a: f"working:charge:{a.charges[0].board.id}" if a.charges else ""),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class SpineRow:
    """A station in the spine."""

    station: str
    key: str
    name: str
    shown: str
    state: str
    delta: float | None
    unit: str
    working: str


def spine(opened: Opened) -> list[SpineRow]:
    """Every station with its number, state, and change since the baseline."""
    rows = []
    for name, station in STATIONS.items():
        value, unit, shown = station.number(opened.assessed)
        before, _, before_shown = station.number(opened.baseline) if opened.baseline else (None, "", shown)
        # A change too small to be seen in the number is not shown beside it.
        delta = value - before if value is not None and before is not None and shown != before_shown else None
        rows.append(
            SpineRow(name, station.key, station.name, shown, opened.assessed.station_state(name), delta, unit,
                     station.working(opened.assessed))
        )  # fmt: skip
    return rows


def frame_of(opened: Opened, view: View) -> dict[str, Any]:
    """Everything a build's page shows."""
    assessed = opened.assessed
    return {
        "opened": opened,
        "plan": assessed.plan,
        "assessed": assessed,
        "view": view,
        "stations": STATIONS,
        "spine": spine(opened),
        "river": river(assessed, view.soc, view.state, view.station),
        "findings": assessed.findings,
        "surface": STATIONS[view.station].surface(assessed, view),
        "slip": slip_of(assessed, view.slip),
        "findable": findable(assessed, STATIONS),
    }
