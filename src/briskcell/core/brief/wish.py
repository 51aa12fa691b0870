"""A wish of the brief, registered once: its question, how the plan is held against it, and how it gives way."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from briskcell.core.answers import Answers
from briskcell.core.rails.headroom import Word
from briskcell.model.plan import Plan


@dataclass(frozen=True, slots=True, kw_only=True)
class Requirement:
    """One requirement of the brief: its field, what the plan comes to (a figure in ``unit``, or words), the word for it, and why.

    ``number`` names the figure it is held against, where the assessment can show its working.
    """

    field: str
    got: float | str
    state: Word
    why: str
    station: str
    unit: str = ""
    number: str = ""


GivesWay = Callable[[Answers, float | None], Iterator[tuple[Plan, str]]]


def never(_assessed: Answers, _got: float | None) -> Iterator[tuple[Plan, str]]:
    """How a wish gives way that never does.

    Parameters
    ----------
    _assessed : Answers
        The plan's answers.
    _got : float or None
        What the plan comes to.

    Yields
    ------
    tuple of Plan and str
        Nothing.
    """
    return iter(())


@dataclass(frozen=True, slots=True)
class Wish:
    """One wish: its field of the brief, question, unit and group, what a builder calls it, and its judgement.

    ``gives_way`` yields plans in which it is lowered to what the build comes to, or by a step, each with words; of two wishes that
    contradict each other those of a lower ``turn`` are asked first whether they would.
    """

    field: str
    question: str
    unit: str
    group: str
    called: str
    judge: Callable[[Answers], Requirement]
    gives_way: GivesWay = never
    turn: int = 0


WISHES: dict[str, Wish] = {}


def wish(
    field: str, question: str, *, unit: str = "", group: str, called: str, gives_way: GivesWay = never, turn: int = 0
) -> Callable[[Callable[[Answers], Requirement]], Callable[[Answers], Requirement]]:
    """Register a wish, in the order that a brief is asked for.

    Parameters
    ----------
    field : str
        Of the brief.
    question, unit, group : str
        How it is asked, in what, and among which.
    called : str
        What it is called where it stands in another's way.
    gives_way, turn : callable, int
        How it does, and in which order it is asked to.

    Returns
    -------
    callable
        The decorator of its judgement.
    """

    def register(judge: Callable[[Answers], Requirement]) -> Callable[[Answers], Requirement]:
        WISHES[field] = Wish(field, question, unit, group, called, judge, gives_way, turn)
        return judge

    return register
