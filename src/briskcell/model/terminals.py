"""Where one solders or plugs to a part: its terminals."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from .figure import Amp, Document
from .units import Unit

Key = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9-]{0,19}$")]
Print = Annotated[str, StringConstraints(strip_whitespace=True, max_length=20)]


class Terminal(Document):
    """One terminal: what it is for, its polarity, what is printed beside it, what one joins there, and where on the body it is.

    One of kind ``trace`` lies on the board between what comes on it. ``stands_a`` is None where nobody has said; so are ``edge``,
    the side of the body it lies at, and ``at_mm`` along it.
    """

    key: Key
    role: Literal["supply_in", "cell", "out", "rail", "ground", "sense", "enable", "lamp", "signal", "contact"]
    polarity: Literal["+", "-", ""] = ""
    prints: Print = ""
    kind: Literal["pad", "hole", "pin", "socket", "spring", "lead", "trace"] = "pad"
    stands_a: Amp | None = None
    edge: Literal["left", "right", "top", "bottom"] | None = None
    at_mm: Annotated[float, Unit("mm", at_least=0, at_most=1000)] | None = None


Terminals = Annotated[tuple[Terminal, ...], Field(max_length=24)]
