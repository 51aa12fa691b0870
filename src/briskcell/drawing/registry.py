"""Every drawing that is taken along, once: exports, the sheet and the help walk this list."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.model.errors import FigureError

from .map.open import open_map
from .pack.bay import bay
from .room.face import face
from .room.stack import stack
from .shapes import Drawing
from .stations import OWN
from .wiring.harness import harness
from .wiring.soldered import soldered


@dataclass(frozen=True, slots=True)
class Drawn:
    """One drawing: its key and name, how it is made at a state of charge and of load, and what is said where there is none."""

    key: str
    title: str
    draw: Callable[[Assessment, float, str], Drawing | None]
    missing: str


def _map(assessed: Assessment, soc: float, state: str) -> Drawing | None:
    return open_map(assessed, soc, state, OWN["draw"]) if assessed.plan.stores else None


def _bay(assessed: Assessment, _soc: float, _state: str) -> Drawing | None:
    found = next(iter(assessed.plan.packs), None)
    return None if found is None else bay(assessed, found)


DRAWINGS = (
    Drawn("map", "Map", _map, "Nothing is connected yet, so there is no map."),
    Drawn("bay", "Bay", _bay, "Nobody has measured the bay yet."),
    Drawn("harness", "Harness", lambda a, _soc, _state: harness(a), "There is no wire to draw yet."),
    Drawn("soldered", "Circuit", lambda a, _soc, _state: soldered(a), "Nothing is joined yet."),
    Drawn("stack", "Stack", lambda a, _soc, _state: stack(a), "No part of this build has a size yet."),
    Drawn("face", "Face", lambda a, _soc, _state: face(a), "Nothing is laid in the case yet."),
)
BY_KEY = {d.key: d for d in DRAWINGS}


def drawing(key: str, assessed: Assessment, soc: float = 0.7, state: str = "play") -> Drawing:
    """A drawing of the list.

    Raises
    ------
    FigureError
        If the build has nothing of that kind to draw.
    """
    one = BY_KEY[key]
    found = one.draw(assessed, soc, state)
    if found is None:
        raise FigureError(key, one.missing, fix="Add it on its station first.")
    return found
