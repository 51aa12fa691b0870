"""What a page looks at, read from its request."""

from __future__ import annotations

from dataclasses import dataclass

from flask import request
from werkzeug.datastructures import MultiDict

from briskcell.model.parts import STATES


@dataclass(frozen=True)
class View:
    """What a page looks at: station, operating point, the open slip, how wide the map is drawn, and whether it is open."""

    station: str
    soc: float
    state: str
    slip: str
    width: str = "wide"
    map_open: bool = False


WIDTHS = ("wide", "narrow", "phone")


def view_of(values: MultiDict[str, str], station: str = "") -> View:
    """Read a view from a request; anything odd becomes the usual one."""
    percent = values.get("soc", 70, type=int)
    width = request.cookies.get("map_width", "wide")
    station, state = station or values.get("station", ""), values.get("state", "play")
    return View(
        station=station or "draw",
        soc=min(max(percent, 0), 100) / 100,
        state=state if state in STATES else "play",
        slip=(values.get("preview", "") or values.get("slip", ""))[:160],
        width=width if width in WIDTHS else "wide",
        map_open=values.get("map", "") == "open",
    )
