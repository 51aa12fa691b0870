"""Figures in the units a person prefers: how they are shown, and what a bare number typed means."""

from __future__ import annotations

from dataclasses import dataclass

from flask import has_request_context, request

from briskcell.core.engine.resistance import awg_section_mm2
from briskcell.model import units
from briskcell.model.errors import FigureError

COOKIE = "units"
# Each choice with the words beside it; the first is the usual one. The cookie holds the chosen ones.
CHOICES: dict[str, tuple[str, ...]] = {
    "length": ("mm", "in"),
    "warmth": ("°C", "°F"),
    "copper": ("AWG", "mm²"),
    "mass": ("g", "oz"),
    "charge": ("Ah", "mAh"),
    "money": ("€", "$", "£", "kr"),
}


@dataclass(frozen=True, slots=True)
class Other:
    """A unit in place of a field's own: ``shown = own * factor + offset``."""

    symbol: str
    factor: float
    offset: float = 0.0
    places: int = 2


OTHERS: dict[tuple[str, str], Other] = {
    ("mm", "in"): Other("in", 1 / (units.INCH_M * 1000)),
    ("m", "in"): Other("in", 1 / units.INCH_M, places=1),
    ("°C", "°F"): Other("°F", 1.8, 32.0, 0),
    ("K", "°F"): Other("°F", 1.8, 0.0, 0),
    ("Ah", "mAh"): Other("mAh", 1000.0, places=0),
    ("g", "oz"): Other("oz", 1 / units.OUNCE_G, places=1),
}
_KIND = {"mm": "length", "m": "length", "°C": "warmth", "K": "warmth", "AWG": "copper", "g": "mass", "Ah": "charge", "€": "money"}


def chosen() -> dict[str, str]:
    """The preference of whoever asks: one unit for each choice."""
    kept = request.cookies.get(COOKIE, "").split("|") if has_request_context() else []
    return {kind: next((c for c in choices if c in kept), choices[0]) for kind, choices in CHOICES.items()}


def _other(unit: str) -> Other | None:
    return OTHERS.get((unit, chosen()[_KIND[unit]])) if unit in _KIND else None


def show(value: float, unit: str) -> str:
    """A figure at the precision it deserves, in the preferred unit."""
    if unit == "€":
        return units.show(value, "€").replace("€", chosen()["money"])
    if unit == "AWG" and chosen()["copper"] == "mm²":
        return units.show(awg_section_mm2(value), "mm²")
    other = _other(unit)
    return units.show(value, unit) if other is None else f"{value * other.factor + other.offset:.{other.places}f} {other.symbol}"


def typed(value: float, unit: str) -> str:
    """A figure as it stands in a field, in the preferred unit."""
    if unit == "€":
        return f"{value:.6g} {chosen()['money']}"
    if unit == "AWG" and chosen()["copper"] == "mm²":
        return f"{awg_section_mm2(value):.3g} mm²"
    other = _other(unit)
    return units.typed(value, unit) if other is None else f"{value * other.factor + other.offset:.6g} {other.symbol}"


def plain(text: str, unit: str) -> str:
    """What was typed, with the preferred unit added to a bare number, and the sign of money taken off."""
    if unit == "€":
        return text.replace(chosen()["money"], "").strip()
    if unit == "AWG" and chosen()["copper"] == "mm²" and text.replace(",", ".").replace(".", "", 1).strip().isdigit():
        return f"{text.strip()} mm²"
    other = _other(unit)
    if other is None:
        return text
    try:
        units.read(text, "")
    except FigureError:
        return text
    return f"{text.strip()} {other.symbol}" if not text.strip().endswith("%") else text


def change(value: float, unit: str) -> str:
    """A change with its sign: +0:21 for hours, −4 for points of a hundred."""
    sign = "+" if value > 0 else "−"
    if unit == "h":
        minutes = round(abs(value) * 60)
        return f"{sign}{minutes // 60}:{minutes % 60:02d}"
    if unit == "%":
        return f"{sign}{abs(value) * 100:.0f}"
    if unit == "°C":  # a difference: without the offset of a temperature
        return f"{sign}{show(abs(value), 'K').replace(' K', ' °C')}"
    return f"{sign}{show(abs(value), unit)}"
