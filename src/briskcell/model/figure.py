"""A number that knows where it comes from."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Annotated, Any, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, model_validator

from .errors import FigureError
from .units import Unit, read

Grade = Literal["measured", "sheet", "typical", "guessed"]
GRADES: dict[str, str] = {
    "measured": "measured",
    "sheet": "from a data sheet",
    "typical": "typical for its class",
    "guessed": "a guess",
}
SHORT_GRADES = {"measured": "measured", "sheet": "sheet", "typical": "typical", "guessed": "guess", "computed": "computed"}

Words = Annotated[str, StringConstraints(strip_whitespace=True, max_length=400)]


class Document(BaseModel):
    """A part of a plan: validated once, never changed afterwards."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, revalidate_instances="never")


class Figure(Document):
    """Low, likely and high of one quantity, how they are known, and from where.

    A document may give a bare number; it then counts as a guess without a range.
    """

    low: float
    likely: float
    high: float
    grade: Grade = "guessed"
    source: Words = "no source given"

    @model_validator(mode="before")
    @classmethod
    def _bare(cls, value: Any) -> Any:
        if isinstance(value, (int, float)) and not isinstance(value, bool):
            return {"low": value, "likely": value, "high": value}
        if isinstance(value, dict) and "likely" in value:
            return {"low": value["likely"], "high": value["likely"], **value}
        return value

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if not self.low <= self.likely <= self.high:
            raise FigureError(
                "likely",
                f"Low {self.low:g}, likely {self.likely:g} and high {self.high:g} are not in rising order.",
                fix="Put the three in order.",
            )
        return self

    def at(self, likely: float, *, grade: Grade = "guessed", source: str = "typed by the builder") -> Figure:
        """The same figure moved to another likely value; its range keeps its proportions."""
        scale = likely / self.likely if self.likely else 1.0
        if scale <= 0 or not self.likely:
            return Figure(low=likely, likely=likely, high=likely, grade=grade, source=source)
        low, high = min(self.low * scale, likely), max(self.high * scale, likely)
        return Figure(low=low, likely=likely, high=high, grade=grade, source=source)


MOST_TEXT = 200  # characters of a range as typed; what is longer is none


def bounds(text: str) -> list[str]:
    """The one, two or three numbers of a figure as typed, apart."""
    return [p.strip() for p in re.split(r"\.\.+|–|—|(?<=[\d.,])\s*-\s*(?=[\d.,])", text[:MOST_TEXT]) if p.strip()]


def read_figure(text: str, unit: str, field: str, *, grade: Grade = "guessed", source: str = "typed by the builder") -> Figure:
    """A figure as people type it: one number, or a range such as ``1.2..1.9 W`` or ``1.2..1.5..1.9 W``.

    Raises
    ------
    FigureError
        If it is none, or its numbers do not rise.
    """
    parts = bounds(text)
    if len(text.strip()) > MOST_TEXT:
        raise FigureError(field, f"“{text.strip()[:20]}…” is too long for a figure.", fix=f"Type it like 1.2..1.9 {unit}.")
    if not 1 <= len(parts) <= 3:
        message = f"“{text.strip()}” is not a figure." if parts else "Nothing was typed."
        raise FigureError(field, message, fix=f"Type it like 1.2..1.9 {unit}.")
    suffix = re.sub(r"^[\d.,+\-−\s]*", "", parts[-1])
    numbers = [read(p if re.search(r"[^\d.,+\-−\s]", p) else f"{p} {suffix}", unit, field) for p in parts]
    if numbers != sorted(numbers):
        raise FigureError(field, f"The numbers of “{text.strip()}” do not rise.", fix="Put the lowest first.")
    likely = numbers[1] if len(numbers) == 3 else numbers[0] / 2 + numbers[-1] / 2
    return Figure(low=numbers[0], likely=likely, high=numbers[-1], grade=grade, source=source)


class Curve(Document):
    """A quantity over state of charge, 0 empty to 1 full, read by straight lines between the points."""

    soc: tuple[float, ...] = Field(min_length=2, max_length=1001)
    value: tuple[float, ...] = Field(min_length=2, max_length=1001)

    @model_validator(mode="after")
    def _sensible(self) -> Self:
        if len(self.soc) != len(self.value):
            raise FigureError("value", f"{len(self.soc)} states of charge have {len(self.value)} values.", fix="Pair them.")
        if any(b <= a for a, b in zip(self.soc, self.soc[1:], strict=False)) or self.soc[0] < 0 or self.soc[-1] > 1:
            raise FigureError("soc", "States of charge do not rise from 0 to 1.", fix="Sort the points by state of charge.")
        return self

    @classmethod
    def of(cls, points: Sequence[tuple[float, float]]) -> Curve:
        return cls(soc=tuple(s for s, _ in points), value=tuple(v for _, v in points))


Volt = Annotated[float, Unit("V", above=0, at_most=60)]
Volts = Annotated[Figure, Unit("V", above=0, at_most=60)]
Amp = Annotated[float, Unit("A", above=0, at_most=200)]
Amps = Annotated[Figure, Unit("A", at_least=0, at_most=200)]
AmpsAbove = Annotated[Figure, Unit("A", above=0, at_most=200)]
Watts = Annotated[Figure, Unit("W", at_least=0, at_most=500)]
Ohms = Annotated[Figure, Unit("Ω", at_least=0, at_most=1e6)]
OhmsAbove = Annotated[Figure, Unit("Ω", above=0, at_most=1e6)]
AmpHours = Annotated[Figure, Unit("Ah", above=0, at_most=500)]
Share = Annotated[float, Unit("", at_least=0, at_most=1)]
Efficiency = Annotated[Figure, Unit("", above=0, at_most=1)]
Hours = Annotated[float, Unit("h", above=0, at_most=1000)]
Metres = Annotated[float, Unit("m", at_least=0, at_most=20)]
Millimetres = Annotated[float, Unit("mm", above=0, at_most=1000)]
Celsius = Annotated[float, Unit("°C", at_least=-40, at_most=125)]
KelvinPerWatt = Annotated[Figure, Unit("K/W", at_least=0, at_most=1000)]
Grams = Annotated[float, Unit("g", above=0, at_most=20000)]
Money = Annotated[float, Unit("€", at_least=0, at_most=100000)]
