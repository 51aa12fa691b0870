"""Quantities as people type and read them. Inside a plan each field has one unit; this is the edge."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, get_args

from pydantic import BaseModel, GetCoreSchemaHandler, GetJsonSchemaHandler
from pydantic_core import CoreSchema, core_schema

from .errors import FigureError

# Symbol, in lower case, to (dimension, factor to the dimension's base unit). Case is forgiven, since benches type
# "850MA" and "4w"; the one clash that matters, milli against mega, is resolved as milli: nobody types megavolts.
_BASE = {
    "v": "V",
    "a": "A",
    "w": "W",
    "ohm": "Ω",
    "ω": "Ω",
    "ah": "Ah",
    "wh": "Wh",
    "f": "F",
    "h": "H",
    "hz": "Hz",
    "g": "g",
    "m": "m",
}
INCH_M, OUNCE_G = 0.0254, 28.349523125  # by the international yard and pound of 1959, exact
_PREFIX = {"": 1.0, "m": 1e-3, "µ": 1e-6, "μ": 1e-6, "u": 1e-6, "k": 1e3, "n": 1e-9, "p": 1e-12}
_MORE = {
    "mm": ("m", 1e-3),
    "µm": ("m", 1e-6),
    "um": ("m", 1e-6),
    "μm": ("m", 1e-6),
    "cm": ("m", 1e-2),
    "in": ("m", INCH_M),
    '"': ("m", INCH_M),
    "inch": ("m", INCH_M),
    "ft": ("m", 0.3048),
    "mm2": ("mm²", 1.0),
    "mm²": ("mm²", 1.0),
    "awg": ("AWG", 1.0),
    "s": ("s", 1.0),
    "sec": ("s", 1.0),
    "min": ("s", 60.0),
    "d": ("s", 86400.0),
    "day": ("s", 86400.0),
    "days": ("s", 86400.0),
    "hour": ("s", 3600.0),
    "hours": ("s", 3600.0),
    "°c": ("°C", 1.0),
    "c": ("°C", 1.0),
    "°f": ("°F", 1.0),
    "%": ("", 0.01),
    "percent": ("", 0.01),
    "k/w": ("K/W", 1.0),
    "k": ("K", 1.0),
    "": ("", 1.0),
    "mhz": ("Hz", 1e6),
    "oz": ("g", OUNCE_G),
    "lb": ("g", 453.59237),
}
# How a field's own unit relates to the dimension above: dimension, factor.
_FIELD_UNITS = {
    "V": ("V", 1.0),
    "A": ("A", 1.0),
    "W": ("W", 1.0),
    "Ω": ("Ω", 1.0),
    "mΩ": ("Ω", 1e-3),
    "Ah": ("Ah", 1.0),
    "Wh": ("Wh", 1.0),
    "m": ("m", 1.0),
    "mm": ("m", 1e-3),
    "mm²": ("mm²", 1.0),
    "µm": ("m", 1e-6),
    "AWG": ("AWG", 1.0),
    "h": ("s", 3600.0),
    "s": ("s", 1.0),
    "min": ("s", 60.0),
    "°C": ("°C", 1.0),
    "g": ("g", 1.0),
    "H": ("H", 1.0),
    "Hz": ("Hz", 1.0),
    "F": ("F", 1.0),
    "K/W": ("K/W", 1.0),
    "K": ("K", 1.0),
    "d": ("s", 86400.0),
    "": ("", 1.0),
    "€": ("", 1.0),
}
LONGEST = 60  # characters of a figure as typed
_NUMBER = r"[-+−]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:e[-+]?\d+)?"
_GROUPS = re.compile(r"(?<![\d.,])\d{1,3}(?:([ '’.,])\d{3})(?:\1\d{3})*(?![\d])")
_AT = re.compile(r"^(.+?)\s*(?:\bat\b|@)\s*(.+)$", re.IGNORECASE)
_QUANTITY = re.compile(rf"^\s*({_NUMBER})\s*([^\d\s]*[²2]?)\s*$", re.IGNORECASE)
_DURATION = re.compile(r"^\s*(\d{1,6})\s*(?:h|:)\s*([0-5]?\d)\s*(?:m|min)?\s*$", re.IGNORECASE)
_EXAMPLE = {
    "V": "3.7 V",
    "A": "850 mA",
    "W": "4 W",
    "Ω": "45 mΩ",
    "Ah": "3200 mAh",
    "m": "12 cm",
    "mm": "22 mm",
    "h": "5h30",
    "AWG": "24awg",
    "mm²": "0.2 mm2",
    "°C": "30 °C",
    "": "85 %",
    "K/W": "40",
}


def _dimension(symbol: str, wanted: str) -> tuple[str, float] | None:
    key = symbol.lower()
    if key == "€":
        return "", 1.0
    if key == "h" and wanted == "s":
        return "s", 3600.0
    if key == "m" and wanted == "s":
        return "s", 60.0
    if key in _MORE and not (key == "k" and wanted == "Ω"):
        return _MORE[key]
    for prefix in ("", *filter(None, _PREFIX)):
        if key.startswith(prefix) and (unit := _BASE.get(key[len(prefix) :])):
            return unit, _PREFIX[prefix]
    return ("Ω", _PREFIX[key]) if wanted == "Ω" and key in ("k", "m") else None


def read(text: str, unit: str, field: str = "") -> float:
    """Read what a person typed as a figure in the field's own unit.

    Parameters
    ----------
    text : str
        ``850 mA``, ``1.2A``, ``4W``, ``3,7 V``, ``24awg``, ``0.2 mm2``, ``5h30``; a bare number is in ``unit``.
    unit : str
        The unit of the field, one of those a plan uses.
    field : str
        The field's name, for the error.

    Raises
    ------
    FigureError
        If it is no number, one of another kind, or can be read as two.

    Examples
    --------
    >>> read("850 mA", "A"), read("3,7 V", "V"), read("5h30", "h"), read("24awg", "AWG"), read("12 cm", "mm")
    (0.85, 3.7, 5.5, 24.0, 120.0)
    >>> read("2 450 mAh", "Ah"), read("0.31 A at 5.1 V", "W")
    (2.45, 1.581)
    """
    example = f"Type it like {_EXAMPLE.get(unit, '1 ' + unit)}."
    text = text.strip()
    if len(text) > LONGEST:  # before any pattern looks at it: some take the square of its length
        raise FigureError(field, f"“{text[:20]}…” is too long for a figure.", fix=example)
    dimension, scale = _FIELD_UNITS[unit]
    if dimension == "s" and (clock := _DURATION.match(text)):
        return (int(clock[1]) * 3600 + int(clock[2]) * 60) / scale
    if unit in ("W", "A") and (at := _AT.match(text)):
        return _drawn_at(at[1], at[2], unit, field)
    found = _QUANTITY.match(_ungrouped(re.sub("[\u00a0\u2009\u202f]", " ", text), field))
    if not found:
        raise FigureError(field, f"“{text.strip()}” is not a figure." if text.strip() else "Nothing was typed.", fix=example)
    number = float(found[1].replace(",", ".").replace("−", "-"))
    if not math.isfinite(number):
        raise FigureError(field, f"“{text[:20]}” is larger than any number here.", fix=example)
    symbol = found[2]
    if not symbol or symbol == unit:
        return number
    given = _dimension(symbol, dimension)
    if given and given[0] == "°F" and dimension == "°C":
        return (number - 32.0) / 1.8
    if given is None or given[0] != dimension:
        wanted = f"is not in {unit}" if unit else "carries a unit, and this is a plain number"
        if given and {given[0], dimension} == {"W", "A"}:
            example = f"Type it like {text} at 5 V."
        raise FigureError(field, f"“{text.strip()}” {wanted}.", fix=example)
    factor = given[1] / scale
    # A division keeps "850 mA" at 0.85 to the digit, where a product with 0.001 would not.
    return number / round(1 / factor) if factor < 1 and abs(1 / factor - round(1 / factor)) < 1e-9 else number * factor


def _ungrouped(text: str, field: str) -> str:
    """The text with its thousands run together and its decimals behind a point.

    A point before three digits parts decimals, as in all that is shown here; a comma there can be either, and is asked back.
    """
    found = _GROUPS.search(text)
    if found is None:
        return text
    if (
        found[1] == "."
        and found[0].count(".") == 1
        and text[found.end() : found.end() + 1] != ","
        and re.search(r"mAh\s*$", text, re.IGNORECASE)
    ):
        # Nothing that is shown here stands in mAh, and no cell holds so few: it is a thousands point, or a slip.
        whole, less = found[0].replace(".", ""), f"{float(found[0]):g}"
        raise FigureError(
            field, f"“{text.strip()}” can be {whole} mAh or {less} mAh.", fix="Type the one that it is, without the point."
        )
    mark, rest = found[1], text[found.end() :]
    whole = found[0].replace(mark, "")
    alone = found[0].count(mark) == 1
    if alone and mark == "." and not rest.startswith(","):
        return text
    if alone and mark == "," and not rest.startswith("."):
        if found[0].startswith("0"):
            return text
        unit, less = rest.strip(), f"{float(found[0].replace(',', '.')):g}"
        one, other = (f"{n} {unit}".strip() for n in (whole, less))
        raise FigureError(field, f"“{text}” can be {one} or {other}.", fix="Type the one that it is, without the comma.")
    return text[: found.start()] + whole + rest


def _drawn_at(drawn: str, volts: str, unit: str, field: str) -> float:
    """A draw given with the volts it was read at: amps make watts there, and watts amps."""
    at_v = read(volts, "V", field)
    other = "A" if unit == "W" else "W"
    try:
        return read(drawn, unit, field)
    except FigureError:
        found = read(drawn, other, field)
    if at_v <= 0:
        raise FigureError(field, f"{typed(at_v, 'V')} draws nothing.", fix=f"Type it like {_EXAMPLE['A']} at 5 V.")
    return found * at_v if unit == "W" else found / at_v


Show = Callable[[float, str], str]  # how a figure is shown: ``show`` below, or in the units that a person prefers
_PLACES = {"V": 2, "W": 2, "Wh": 1, "Ah": 2, "mm": 1, "mm²": 2, "°C": 0, "g": 0, "K/W": 0, "K": 0, "min": 0, "€": 2}
_PREFIXED = ("V", "A", "W", "Wh", "Ω", "H", "Hz", "F")
_STEPS = ((1e6, "M"), (1e3, "k"), (1.0, ""), (1e-3, "m"), (1e-6, "µ"), (1e-9, "n"))


def _prefixed(size: float, unit: str, below: float) -> tuple[float, str]:
    """The size and unit with the prefix that keeps its digits before the point; none from ``below`` to a thousand."""
    # A millihertz would read as a megahertz, and nobody has one.
    if unit not in _PREFIXED or size == 0 or below <= size < 1e3 or (unit == "Hz" and size < 1e3):
        return size, unit
    factor, prefix = next(((f, p) for f, p in _STEPS if size >= f * 0.9999999), _STEPS[-1])
    # A division keeps 0.85 at 850 milli to the digit, where a product would not.
    return (size * round(1 / factor) if factor < 1 else size / factor), prefix + unit


def show(value: float, unit: str) -> str:
    """Show a figure at the precision it deserves, with its unit.

    >>> show(5.17, "h"), show(0.0462, "V"), show(1.184, "A"), show(0.045, "Ω"), show(0.284, "%"), show(24, "AWG")
    ('5 h 10', '46 mV', '1.18 A', '45 mΩ', '28 %', '24 AWG')
    """
    if not math.isfinite(value):
        return "none"
    sign = "−" if value < 0 and round(value, 6) != 0 else ""
    size = abs(value)
    if unit == "h":
        minutes = round(size * 60)
        return f"{sign}{minutes // 60} h {minutes % 60:02d}" if minutes >= 60 else f"{sign}{minutes} min"
    if unit == "%":
        return f"{sign}{size * 100:.0f} %"
    if unit == "d":
        return f"{sign}{size:.0f} day{'' if round(size) == 1 else 's'}"
    scaled, prefixed = _prefixed(size, unit, 0.1)
    if prefixed != unit:
        return f"{sign}{_significant(scaled)} {prefixed}"
    if unit == "A" and size < 10:
        return f"{sign}{size:.2f} A"
    if unit in _PLACES:
        return f"{sign}{size:.{_PLACES[unit]}f} {unit}"
    return f"{sign}{_significant(size)} {unit}".rstrip()


def _significant(value: float) -> str:
    value = float(f"{value:.4g}")  # so that 19.99999 is 20, not 20.0
    if value >= 100 or (value == round(value, 6) and value == int(value)):
        return f"{value:.0f}"
    return f"{value:.2g}" if value < 10 else f"{value:.0f}" if value >= 20 else f"{value:.1f}"


def typed(value: float, unit: str) -> str:
    """A figure as it stands in an input field: every digit that counts, and its unit.

    >>> typed(0.85, "A"), typed(5.5, "h"), typed(1.3, "W"), typed(22.0, "AWG"), typed(4.7e-6, "H"), typed(1e6, "Hz")
    ('850 mA', '5h30', '1.3 W', '22 AWG', '4.7 µH', '1 MHz')
    """
    if unit == "h" and abs(value) < 1e6 and abs(value * 60 - round(value * 60)) < 1e-9:
        return f"{round(value * 60) // 60}h{round(value * 60) % 60:02d}"
    scaled, prefixed = _prefixed(abs(value), unit, 0.1 if unit in ("W", "V", "Wh") else 1.0)
    return f"{'-' if value < 0 else ''}{scaled:.6g} {prefixed}".rstrip()


def awg_section_mm2(awg: float) -> float:
    """Section of a solid round conductor of an American Wire Gauge.

    Parameters
    ----------
    awg : float
        Gauge number; 36 is 0.127 mm, and 39 steps make a factor of 92 in diameter [1]_.

    Returns
    -------
    float
        Section. [mm²]

    References
    ----------
    .. [1] ASTM B258-18, Standard Specification for Standard Nominal Diameters and Cross-Sectional Areas of AWG
       Sizes of Solid Round Wires.

    Examples
    --------
    >>> round(awg_section_mm2(24), 4)
    0.2047
    """
    diameter_mm = 0.127 * math.pow(92.0, (36.0 - awg) / 39.0)
    return math.pi / 4.0 * diameter_mm * diameter_mm


@dataclass(frozen=True, slots=True)
class Unit:
    """The unit of a plan's field, and the range in which a figure of it makes sense.

    As metadata of an annotated type it lets a document hold the figure as a number, as typed text, or in full,
    and shows the unit in the schema.
    """

    symbol: str
    at_least: float | None = None
    above: float | None = None
    at_most: float | None = None

    def check(self, value: float) -> None:
        """Raise FigureError when the value is outside the range or no number."""
        if value != value or abs(value) == float("inf"):
            raise FigureError("", "This is not a finite number.", fix="Give a number.")
        shown = typed(value, self.symbol)
        if self.at_least is not None and value < self.at_least:
            raise FigureError("", f"{shown} is below {typed(self.at_least, self.symbol)}.", fix="Give a larger figure.")
        if self.above is not None and value <= self.above:
            raise FigureError("", f"{shown} is not above {typed(self.above, self.symbol)}.", fix="Give a larger figure.")
        if self.at_most is not None and value > self.at_most:
            raise FigureError("", f"{shown} is above {typed(self.at_most, self.symbol)}.", fix="Give a smaller figure.")

    def _before(self, value: Any) -> Any:
        if isinstance(value, dict):
            numbers = ("low", "likely", "high")
            return {k: self._before(v) if k in numbers else v for k, v in value.items()}
        return read(value, self.symbol) if isinstance(value, str) else value

    def _after(self, value: Any) -> Any:
        for part in (value,) if isinstance(value, (int, float)) else (value.low, value.likely, value.high):
            self.check(part)
        return value

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> CoreSchema:
        schema = core_schema.no_info_before_validator_function(self._before, handler(source))
        return core_schema.no_info_after_validator_function(self._after, schema)

    def __get_pydantic_json_schema__(self, schema: CoreSchema, handler: GetJsonSchemaHandler) -> dict[str, Any]:
        out = dict(handler(schema))
        notes = {
            "unit": self.symbol,
            "minimum_figure": self.at_least,
            "above": self.above,
            "maximum_figure": self.at_most,
        }
        return out | {k: v for k, v in notes.items() if v is not None}


def unit_of_field(model: type[BaseModel], field: str) -> Unit | None:
    """The unit of a model's field; None where it has none."""

    def search(annotation: Any, metadata: tuple[Any, ...] | list[Any]) -> Unit | None:
        for item in metadata:
            if isinstance(item, Unit):
                return item
        for arg in get_args(annotation):
            if isinstance(arg, Unit):
                return arg
            if found := search(arg, ()):
                return found
        return None

    info = model.model_fields.get(field)
    return search(info.annotation, info.metadata) if info else None
