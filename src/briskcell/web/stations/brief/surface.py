"""The Brief station: each wish with its field, what the plan does about it, and where that is decided."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from briskcell.core.brief.requirements import Requirement
from briskcell.services.builds import Opened
from briskcell.web.sections import Section
from briskcell.web.units import show
from briskcell.web.view import View

# Each wish of the plan's brief in the words of the question; the choices of those that are no figure.
QUESTIONS: dict[str, tuple[str, str]] = {
    "hours": ("Hours of play", "h"),
    "resets_per_charge": ("Resets accepted over one pack", ""),
    "shelf_days": ("Days on the shelf before it is empty", "d"),
    "clock_must_keep": ("A clock must keep time while it is off", ""),
    "charge_hours": ("Hours on the charger at most", "h"),
    "play_while_charging": ("Play while it charges", ""),
    "charge_ports": ("Charge ports", ""),
    "thickness_mm": ("Thickness at most", "mm"),
    "mass_g": ("Mass at most", "g"),
    "budget": ("Budget for the parts", "€"),
    "room_c": ("Warmest room", "°C"),
    "cells_c": ("Temperature of the cells in use", "°C"),
    "margins": ("Spare that counts as comfortable, as close", ""),
}
GROUPS = (
    ("Use", ("hours", "resets_per_charge", "shelf_days", "clock_must_keep")),
    ("Charging", ("charge_hours", "play_while_charging", "charge_ports")),
    ("Size and cost", ("thickness_mm", "mass_g", "budget")),
    ("Surroundings", ("room_c", "cells_c", "margins")),
)

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
    rows = {name: _row(found[name], question, unit) for name, (question, unit) in QUESTIONS.items()}
    states = [w.state for w in found.values()]
    return {
        "groups": [(title, [rows[n] for n in names]) for title, names in GROUPS],
        "met": states.count("holds"),
        "asked": len(states) - states.count("unknown"),
    }


def _row(wish: Requirement, question: str, unit: str) -> Row:
    return Row(wish, question, unit, wish.got if isinstance(wish.got, str) else show(wish.got, wish.unit))
