"""Figures in the units that whoever asks prefers: their cookie holds what they chose."""

from __future__ import annotations

from flask import has_request_context, request

from briskcell.model.preference import CHOICES, Preference

COOKIE = "units"


def preferred() -> Preference:
    """The preference of whoever asks."""
    kept = request.cookies.get(COOKIE, "").split("|") if has_request_context() else []
    return Preference({kind: unit for kind, choices in CHOICES.items() for unit in choices if unit in kept})


def show(value: float, unit: str) -> str:
    """A figure at the precision it deserves, in the preferred unit."""
    return preferred().show(value, unit)


def typed(value: float, unit: str) -> str:
    """A figure as it stands in a field, in the preferred unit."""
    return preferred().typed(value, unit)


def plain(text: str, unit: str) -> str:
    """What was typed, with the preferred unit added to a bare number."""
    return preferred().plain(text, unit)


def change(value: float, unit: str) -> str:
    """A change with its sign."""
    return preferred().change(value, unit)
