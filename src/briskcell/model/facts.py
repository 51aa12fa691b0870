"""What a class of part says of itself beside its figures: which of them can be set on it, and within what bounds."""

from __future__ import annotations

from typing import Annotated, Self

from pydantic import Field, StringConstraints, model_validator

from .errors import FigureError
from .figure import Document

FieldName = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9_]{0,40}$")]


class Adjustable(Document):
    """A figure of a part that can be set on it: its field, the bounds in SI units, and what sets it.

    ``low`` and ``high`` bound the field's likely value; ``by`` is a resistor, a jumper or a knob.
    """

    field: FieldName
    low: Annotated[float, Field(ge=0, le=1e6)]
    high: Annotated[float, Field(ge=0, le=1e6)]
    by: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)] = "a resistor"

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if self.high < self.low:
            raise FigureError("high", f"{self.high:g} is below {self.low:g}.", fix="Swap the two.")
        return self


Adjustables = Annotated[tuple[Adjustable, ...], Field(max_length=8)]


def settable(adjustable: Adjustables, field: str) -> Adjustable | None:
    """What sets a field of a part; None where its class fixes it."""
    return next((a for a in adjustable if a.field == field), None)
