"""Phases of a session: what the console does, for how long, plugged in or not."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from briskcell.model.stores import Supply

Moment = Literal["boot", "rest", "play", "peak", "off"]


@dataclass(frozen=True, slots=True)
class Phase:
    """A stretch of a session: what the console does, for how many seconds, and whether the charger is plugged in.

    ``by`` is another supply than the board's own. ``shares`` are those of rest, play and peak where the console plays a game; it
    draws their mean.
    """

    what: Moment
    seconds: float
    plugged: bool = False
    by: Supply | None = None
    shares: tuple[float, float, float] | None = None
