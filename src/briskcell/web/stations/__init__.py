"""The pages of the stations: a folder for each, by its name, with what its surface shows and the changes made on it."""

from __future__ import annotations

from importlib import import_module
from importlib.util import find_spec

from briskcell.core.stations import STATIONS

from ..pages import PAGES, StationPage

KEYS = "1234567890-"  # of the upper row, in the working order


def load() -> None:
    """Register every station's page, and add the addresses of those that have any to the build's blueprint."""
    for name, key in zip(STATIONS, KEYS, strict=True):
        found = import_module(f"{__name__}.{name}.surface")
        PAGES[name] = StationPage(key, found.SECTIONS, found.surface)
        if find_spec(f"{__name__}.{name}.routes") is not None:
            import_module(f"{__name__}.{name}.routes")
