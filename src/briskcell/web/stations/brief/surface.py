"""The Brief station: each wish with its field, what the plan does about it, and where that is decided."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from briskcell.core.brief.requirements import WISHES, Requirement, Wish
from briskcell.services.builds import Opened
from briskcell.web.sections import Section
from briskcell.web.units import show
from briskcell.web.view import View

SECTIONS = (
    Section("h-brief", "Wishes"),
    Section("h-backwards", "Asked backwards"),
    Section("h-about", "About"),
)


@dataclass(frozen=True, slots=True)
class Row:
    """One wish as the page shows it."""

    wish: Requirement
    question: str
    unit: str
    shown: str


def surface(opened: Opened, _view: View) -> dict[str, Any]:
    """What the Brief station shows."""
    found = {w.field: w for w in opened.assessed.requirements}
    states = [w.state for w in found.values()]
    return {
        "groups": [
            (title, [_row(found[w.field], w) for w in WISHES.values() if w.group == title])
            for title in dict.fromkeys(w.group for w in WISHES.values())
        ],
        "met": states.count("holds"),
        "asked": len(states) - states.count("unknown"),
    }


def _row(found: Requirement, wish: Wish) -> Row:
    return Row(found, wish.question, wish.unit, found.got if isinstance(found.got, str) else show(found.got, found.unit))
