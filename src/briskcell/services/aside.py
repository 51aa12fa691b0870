"""What services work out of an assessment beside its answers: once, and kept as long as the assessment is."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import TypeVar, TypeVarTuple

from briskcell.core.answers import Answers

A = TypeVar("A", bound=Answers)
About = TypeVarTuple("About")
T = TypeVar("T")


def kept(ask: Callable[[A, *About], T]) -> Callable[[A, *About], T]:
    """A question of the plan and the library alone, asked once of each assessment; what is given besides has to be hashable."""

    @wraps(ask)
    def found(assessed: A, *about: *About) -> T:
        if (key := (ask, *about)) not in assessed.aside:
            assessed.aside[key] = ask(assessed, *about)
        answer: T = assessed.aside[key]
        return answer

    return found
