"""The one reading that would settle a doubt, as the brief and the promise say it."""

from __future__ import annotations

from briskcell.core.answers import Answers
from briskcell.model.units import show

SURE = 0.9  # chance from which nothing has to be settled
SETTLED = 0.12  # half the width of the hours, from which a reading would add little


def settling(a: Answers) -> str:
    """By how much the best reading narrows the hours, where the chance of lasting is not clear yet.

    Parameters
    ----------
    a : Answers
        The build.

    Returns
    -------
    str
        A clause that begins with a comma; empty where nothing is to be settled.
    """
    best = next(iter(a.readings), None)
    chance = a.chance_of(a.plan.brief.hours)
    if best is None or best.now < SETTLED or not 1.0 - SURE < chance < SURE:
        return ""
    return f", {best.words} would settle it (±{show(best.now, '%')} → ±{show(best.then, '%')})"
