"""What a page looks at, read from its request."""

from __future__ import annotations

from dataclasses import dataclass

from werkzeug.datastructures import MultiDict

from briskcell.model.parts import STATES


@dataclass(frozen=True)
class View:
    """What a page looks at: station, operating point, and the open slip."""

    station: str
    soc: float
    state: str
    slip: str


def view_of(values: MultiDict[str, str], station: str = "") -> View:
    """Read a view from a request; anything odd becomes the usual one."""
    percent = values.get("soc", 70, type=int)
    station, state = station or values.get("station", ""), values.get("state", "play")
    return View(
        station=station or "draw",
        soc=min(max(percent, 0), 100) / 100,
        state=state if state in STATES else "play",
        slip=values.get("slip", "")[:120],
    )
