"""The map, the bay, the harness and the stack as pictures that stand alone, taken from the pages that show them."""

from __future__ import annotations

from flask import render_template

from briskcell.model.errors import FigureError
from briskcell.services.workshop import Opened

from ..build import addresses
from ..frame.frame import frame_of
from ..view import View
from .drawing import drawings

# Each picture: the station that shows it, the template it stands in, the class of the drawing, and what is missing without it.
PICTURES = {
    "map": ("draw", "frame/_map.html", "river", "Nothing is connected yet, so there is no map."),
    "bay": ("pack", "pack/_bay.html", "bay", "Nobody has measured the bay yet."),
    "harness": ("wiring", "wiring/_surface.html", "harness", "There is no wire to draw yet."),
    "stack": ("room", "room/_surface.html", "stack", "No part of this build has a size yet."),
}


def page_of(opened: Opened, name: str, soc: float = 0.7, state: str = "play") -> str:
    """The piece of a page that a picture stands in."""
    station, piece, _, _ = PICTURES[name]
    view = View(station=station, soc=soc, state=state, slip="", map_open=True)
    return render_template("frame/_piece.html", piece=piece, **addresses(opened, view), **frame_of(opened, view))


def picture(opened: Opened, name: str, soc: float = 0.7, state: str = "play") -> str:
    """A picture as SVG.

    Raises
    ------
    FigureError
        If the build has nothing of that kind to draw.
    """
    found = drawings(page_of(opened, name, soc, state)).get(PICTURES[name][2])
    if found is None:
        raise FigureError(name, PICTURES[name][3], fix="Add it on its station first.")
    return found
