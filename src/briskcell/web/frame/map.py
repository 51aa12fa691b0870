"""The map above every station: open, folded to a strip, or on the charger."""

from __future__ import annotations

from functools import partial
from typing import Any

from briskcell.core.assess import Assessment
from briskcell.drawing.map.open import open_map, open_scene
from briskcell.drawing.map.plugged import plugged_map, sentence_of
from briskcell.drawing.map.strip import strip, strip_scene
from briskcell.drawing.stations import OWN
from briskcell.model.units import show
from briskcell.services.builds import Opened
from briskcell.services.charge.at_socket import on_charger
from briskcell.services.judge import sheltered

from ..view import View
from .map_table import Line, map_table

USES = (("off", "console off"), ("rest", "at rest"), ("play", "in play"), ("peak", "at the peak"))


def map_of(opened: Opened, view: View) -> dict[str, Any]:
    """What the map's piece of a page shows."""
    assessed = opened.assessed
    wide, own = view.map_open and not view.plugged, OWN.get(view.station, ())
    at = (assessed, view.soc, view.state, own, view.drawn, opened.baseline)
    nothing: tuple[Line, ...] = ()
    table = partial(map_table, assessed, view.soc, view.state, opened.baseline)
    return {
        "current_map": sheltered("map", partial(open_map, *at), None) if wide else None,
        "map_table": sheltered("map as a table", table, nothing) if wide else (),
        "strip": None if view.map_open or view.plugged else sheltered("strip", partial(strip, *at), None),
        "plugged": sheltered("plugged in", partial(_plugged, assessed, view), None) if view.plugged else None,
        "uses": USES,
        "left": sheltered("hours left", partial(left_words, assessed, view.soc), ""),
    }


def _plugged(assessed: Assessment, view: View) -> dict[str, Any] | None:
    """The drawing on the charger, the ways to plug in, and the sentence that says the same; None without a charger for a pack."""
    on = on_charger(assessed, view.by, view.use, view.soc)
    if on is None:
        return None
    return {"on": on, "drawing": plugged_map(assessed, on, view.soc, view.drawn), "sentence": sentence_of(assessed, on)}


def left_words(assessed: Assessment, soc: float) -> str:
    """What is left at a state of charge, in words; as the page's script says it while the slider moves."""
    if assessed.runtime is None or assessed.runtime.hours is None:
        return ""
    left = assessed.left_h[assessed.op.index(soc)]
    return "stopped" if left is None else f"{show(left, 'h')} left"


def stepping(assessed: Assessment, opened: str, width: str) -> dict[str, Any]:
    """All that the map needs to step through charge and states by itself, as it is drawn now."""
    scene = open_scene(assessed, width)[0] if opened == "open" else strip_scene(assessed, width)
    return {} if scene is None else scene.stepping()
