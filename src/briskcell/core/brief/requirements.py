"""The brief held against the plan: what every wish comes to, in the order they are asked."""

from __future__ import annotations

from briskcell.core.answers import Answers

from . import wishes  # noqa: F401  which registers them all
from .wish import WISHES, Requirement, Wish

__all__ = ["WISHES", "Requirement", "Wish", "requirements", "unmet"]


def requirements(assessed: Answers) -> tuple[Requirement, ...]:
    """Every requirement of the brief, judged.

    Parameters
    ----------
    assessed : Answers
        The plan's answers.

    Returns
    -------
    tuple of Requirement
        In the order a brief is asked for.
    """
    return tuple(w.judge(assessed) for w in WISHES.values())


def unmet(assessed: Answers) -> tuple[Requirement, ...]:
    """The requirements that fail, but for the hours of play, of which a rule says all there is to say.

    Parameters
    ----------
    assessed : Answers
        The plan's answers. How far its hours reach is not asked, which is half of what all the rest costs.

    Returns
    -------
    tuple of Requirement
        As of ``requirements``.
    """
    apart = (w.judge(assessed) for w in WISHES.values() if w.field != "hours")
    return tuple(found for found in apart if found.state == "fails")
