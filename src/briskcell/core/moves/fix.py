"""A change that may help, and the two ways a part is changed: set within its bounds, or replaced."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any, TypeVar

from briskcell.model.changes import altered
from briskcell.model.facts import settable
from briskcell.model.figure import Figure
from briskcell.model.parts import Converter, Part
from briskcell.model.plan import Plan
from briskcell.model.stores import ChargeBoard

P = TypeVar("P", bound=Part)
PLACE = ("id", "fed_by", "charges", "supply")  # what a part keeps where another takes its place


@dataclass(frozen=True, slots=True)
class Fix:
    """A change that helps: words to read, what it brings, the plan it makes, and what it costs beside."""

    words: str
    brings: str
    plan: Plan
    costs: str = ""


Search = Callable[[], Iterable[Fix]]


def only(words: str, brings: str, plan: Plan) -> Search:
    """A search that finds the one change there is.

    Parameters
    ----------
    words, brings : str
        As in ``Fix``.
    plan : Plan
        The plan it makes.

    Returns
    -------
    callable
        The search.
    """
    return lambda: (Fix(words, brings, plan),)


def placed(part: P, other: P) -> P:
    """Another part where one stands: fed, filled and supplied as that one is.

    Parameters
    ----------
    part, other : Part
        The part that stands there, and a class to put there.

    Returns
    -------
    Part
        The class's figures under the part's id.
    """
    keep = {name: getattr(part, name) for name in PLACE if name in type(part).model_fields}
    return altered(other, **keep)


def within(board: ChargeBoard | Converter, field: str, value: float, source: str = "set within its bounds") -> Any | None:
    """A board with a figure set on it.

    Parameters
    ----------
    board : ChargeBoard or Converter
        The board.
    field : str
        The figure's field.
    value : float
        What it is set to, in the field's unit.
    source : str
        Where the figure comes from, for those who ask.

    Returns
    -------
    ChargeBoard or Converter or None
        None where its class fixes that figure, or the value lies outside its bounds.
    """
    knob, old = settable(board.adjustable, field), getattr(board, field)
    if knob is None or not knob.low - 1e-9 <= value <= knob.high + 1e-9:
        return None
    return altered(board, **{field: old.at(value, source=source) if isinstance(old, Figure) else value})
