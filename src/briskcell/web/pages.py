"""The pages of the stations: what each shows, its sections and its key. Filled once, as the application is made."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from briskcell.services.builds import Opened

from .sections import Section
from .view import View


@dataclass(frozen=True, slots=True)
class StationPage:
    """A station's page: the key that goes there, its sections in their order, and what its surface shows."""

    key: str
    sections: tuple[Section, ...]
    surface: Callable[[Opened, View], dict[str, Any]]


PAGES: dict[str, StationPage] = {}
