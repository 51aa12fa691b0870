"""What a page looks at, read from its request."""

from __future__ import annotations

import re
from dataclasses import dataclass

from flask import request
from werkzeug.datastructures import MultiDict

from briskcell.model.parts import STATES


@dataclass(frozen=True)
class View:
    """What a page looks at: station, operating point, the open slip, how wide the map is drawn, and whether it is open.

    ``map`` is what was chosen: "open", "strip", or "" for what the screen has room for, which ``map_open`` then says.
    ``unit`` names the console that was made from the build and is looked at; empty where none is.
    ``console`` names the one whose measured figures are shown in place of the plan's; empty where the plan is.
    ``plugged`` where the map shows it on the charger: by the socket ``by``, with the console off or in the load state ``use``.
    """

    station: str
    soc: float
    state: str
    slip: str
    width: str = "wide"
    map: str = ""
    map_open: bool = False
    plugged: bool = False
    use: str = "play"
    by: str = ""
    unit: str = ""
    console: str = ""

    @property
    def drawn(self) -> str:
        """How wide drawings are: an open slip leaves less room beside it."""
        return "narrow" if self.slip and self.width == "wide" else self.width

    @property
    def query(self) -> dict[str, str]:
        """The operating point and the console, as a page's address carries them."""
        at = {"soc": str(round(self.soc * 100)), "state": PLUGGED if self.plugged else self.state}
        return (
            at
            | ({"use": self.use, "by": self.by} if self.plugged else {})
            | {k: v for k, v in (("unit", self.unit), ("console", self.console)) if v}
        )


PLUGGED = "plugged"
USES = ("off", *STATES)
MAPS = ("open", "strip")
WIDTHS = ("wide", "narrow", "phone")


def view_of(values: MultiDict[str, str], station: str = "") -> View:
    """Read a view from a request; anything odd becomes the usual one."""
    percent = values.get("soc", 70, type=int)
    width = request.cookies.get("map_width", "wide")
    chosen = values.get("map", "")
    station, state = station or values.get("station", ""), values.get("state", "play")
    plugged, use = state == PLUGGED, values.get("use", "play")
    use = use if use in USES else "play"
    if plugged:
        state = use
    return View(
        station=station or "draw",
        soc=min(max(percent, 0), 100) / 100,
        state=state if state in STATES else "play",
        slip=(values.get("preview", "") or values.get("slip", ""))[:160],
        width=width if width in WIDTHS else "wide",
        map=chosen if chosen in MAPS else "",
        map_open=(chosen if chosen in MAPS else request.cookies.get("map_room", "")) == "open",
        plugged=plugged,
        use=use,
        by=values.get("by", "")[:160],
        unit=_key(values.get("unit", "")),
        console=_key(values.get("console", "")),
    )


def _key(text: str) -> str:
    """A unit's name as addresses carry it; nothing where it is none."""
    return text if re.fullmatch(r"[0-9a-f]{16}", text) else ""
