"""Every number a page shows: its value, its working, and what changed since the baseline."""

from __future__ import annotations

import math
from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.core.workings import value

from ..units import change, show

# Kinds of numbers of which more is better, and less; of others a change is neither.
MORE_IS_BETTER = ("runtime", "energy", "headroom", "shelf", "efficiency", "path", "limit")
LESS_IS_BETTER = (
    "draw",
    "part-draw",
    "charge",
    "charge-play",
    "heat",
    "warmth",
    "lost",
    "cost",
    "cells-mass",
    "wiring",
    "stranded",
    "resets",
    "asked",
    "guessed",
    "fuse",
)


@dataclass(frozen=True, slots=True)
class Number:
    """A number as it is shown: ``delta`` is empty where nothing changed that can be seen."""

    key: str
    value: float | None
    shown: str
    delta: str


class Numbers:
    """The numbers of one assessment, beside those of the baseline."""

    def __init__(self, assessed: Assessment, baseline: Assessment | None) -> None:
        self._now, self._before = assessed, baseline

    def __call__(self, key: str, none: str = "none") -> Number:
        """The number of that key; ``none`` is shown where the build has none."""
        now, unit = _finite(self._now, key)
        shown = none if now is None else show(now, unit)
        if self._before is None:
            return Number(key, now, shown, "")
        before, _ = _finite(self._before, key)
        if (before is None) != (now is None):
            return Number(key, now, shown, "new" if before is None else f"was {show(before, unit)}")
        if before is None or now is None or show(before, unit) == shown:
            return Number(key, now, shown, "")
        return Number(key, now, shown, f"{change(now - before, unit)}{_verdict(key, now - before)}")


def _verdict(key: str, by: float) -> str:
    """Whether a change is for the better, as a word after it."""
    kind = key.partition(":")[0]
    if kind not in MORE_IS_BETTER + LESS_IS_BETTER:
        return ""
    return ", better" if (by > 0) == (kind in MORE_IS_BETTER) else ", worse"


def _finite(assessed: Assessment, key: str) -> tuple[float | None, str]:
    found, unit = value(assessed, key)
    return (found if found is not None and math.isfinite(found) and abs(found) < 1e6 else None), unit
