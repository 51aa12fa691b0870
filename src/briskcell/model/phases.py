"""Phases of a session: what the console does, for how long, plugged in or not."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Moment = Literal["boot", "rest", "play", "peak", "off"]


@dataclass(frozen=True, slots=True)
class Phase:
    """A stretch of a session: what the console does, for how many seconds, and whether the charger is plugged in."""

    what: Moment
    seconds: float
    plugged: bool = False
