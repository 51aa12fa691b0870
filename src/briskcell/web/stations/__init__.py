"""The pages of the stations: a folder for each, by its name, with what its surface shows and the changes made on it."""

from __future__ import annotations

from collections.abc import Callable
from importlib import import_module
from importlib.util import find_spec
from typing import Any

from briskcell.core.stations import STATIONS
from briskcell.services.workshop import Opened

from ..view import View
from .sections import Section

KEYS = dict(zip(STATIONS, "1234567890-", strict=True))  # of the upper row, in the working order
Surface = Callable[[Opened, View], dict[str, Any]]


def surfaces() -> dict[str, Surface]:
    """What each registered station shows: the function ``surface`` of its module of that name."""
    return {name: import_module(f"{__name__}.{name}.surface").surface for name in STATIONS}


def sections(name: str) -> tuple[Section, ...]:
    """The sections of a station's page, in their order: ``SECTIONS`` of its module ``surface``."""
    found: tuple[Section, ...] = import_module(f"{__name__}.{name}.surface").SECTIONS
    return found


def load_routes() -> None:
    """Add the addresses of the stations that have any to the build's blueprint."""
    for name in STATIONS:
        if find_spec(f"{__name__}.{name}.routes") is not None:
            import_module(f"{__name__}.{name}.routes")
