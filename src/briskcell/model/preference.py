"""Figures in the units that a person prefers: how they are shown, and what a bare number typed means."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from . import units
from .errors import FigureError

# Each choice with its units; the first is the usual one.
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


@dataclass(frozen=True, slots=True)
class Preference:
    """What was chosen, by kind; the usual unit of any other."""

    chosen: Mapping[str, str]

    def unit(self, kind: str) -> str:
        """The unit of a kind."""
        return self.chosen.get(kind, CHOICES[kind][0])

    @property
    def words(self) -> str:
        """All of it in a line, in the order of the choices: what a page's script is told."""
        return " ".join(self.unit(kind) for kind in CHOICES)

    def _other(self, unit: str) -> Other | None:
        return OTHERS.get((unit, self.unit(_KIND[unit]))) if unit in _KIND else None

    def show(self, value: float, unit: str) -> str:
        """A figure at the precision it deserves, in the preferred unit.

        >>> Preference({"length": "in", "warmth": "°F"}).show(25.4, "mm"), Preference({"warmth": "°F"}).show(20.0, "°C")
        ('1.00 in', '68 °F')
        """
        if unit == "€":
            return units.show(value, "€").replace("€", self.unit("money"))
        if unit == "AWG" and self.unit("copper") == "mm²":
            return units.show(units.awg_section_mm2(value), "mm²")
        other = self._other(unit)
        if other is None:
            return units.show(value, unit)
        return f"{value * other.factor + other.offset:.{other.places}f} {other.symbol}"

    def typed(self, value: float, unit: str) -> str:
        """A figure as it stands in a field, in the preferred unit."""
        if unit == "€":
            return f"{value:.6g} {self.unit('money')}"
        if unit == "AWG" and self.unit("copper") == "mm²":
            return f"{units.awg_section_mm2(value):.3g} mm²"
        other = self._other(unit)
        return units.typed(value, unit) if other is None else f"{value * other.factor + other.offset:.6g} {other.symbol}"

    def plain(self, text: str, unit: str) -> str:
        """What was typed, with the preferred unit added to a bare number, and the sign of money taken off."""
        if unit == "€":
            return text.replace(self.unit("money"), "").strip()
        if unit == "AWG" and self.unit("copper") == "mm²" and text.replace(",", ".").replace(".", "", 1).strip().isdigit():
            return f"{text.strip()} mm²"
        other = self._other(unit)
        if other is None:
            return text
        try:
            units.read(text, "")
        except FigureError:
            return text
        return f"{text.strip()} {other.symbol}" if not text.strip().endswith("%") else text

    def change(self, value: float, unit: str) -> str:
        """A change with its sign: +0:21 for hours, −4 for points of a hundred.

        >>> Preference({}).change(0.35, "h"), Preference({}).change(-0.04, "%")
        ('+0:21', '−4')
        """
        sign = "+" if value > 0 else "−"
        if unit == "h":
            minutes = round(abs(value) * 60)
            return f"{sign}{minutes // 60}:{minutes % 60:02d}"
        if unit == "%":
            return f"{sign}{abs(value) * 100:.0f}"
        if unit == "°C":  # a difference: without the offset of a temperature
            return f"{sign}{self.show(abs(value), 'K').replace(' K', ' °C')}"
        return f"{sign}{self.show(abs(value), unit)}"
