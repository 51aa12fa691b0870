"""The workshop of this application, by its use cases: what every view asks."""

from __future__ import annotations

from flask import current_app

from briskcell.services.bench.benches import Benches
from briskcell.services.builds import Builds
from briskcell.services.log.logs import Logs
from briskcell.services.searches import Searches
from briskcell.services.workshop import Workshop

EXTENSION = "briskcell"


def workshop() -> Workshop:
    """All of them."""
    found: Workshop = current_app.extensions[EXTENSION]
    return found


def builds() -> Builds:
    """Stored builds."""
    return workshop().builds


def searches() -> Searches:
    """Long work on them."""
    return workshop().searches


def benches() -> Benches:
    """Consoles that were made of them."""
    return workshop().benches


def logs() -> Logs:
    """What happened to those."""
    return workshop().logs
