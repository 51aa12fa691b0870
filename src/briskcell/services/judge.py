"""A plan is judged whole before it is kept; what fails is logged, and takes nothing but itself away."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

import structlog

from briskcell.core.assess import Assessment, assess
from briskcell.library import catalogue
from briskcell.model.errors import FigureError
from briskcell.model.plan import Plan
from briskcell.store.builds import UnknownBuildError

T = TypeVar("T")


class Watch:
    """Logs what cannot be worked out of one plan, and remembers it."""

    def __init__(self, about: str) -> None:
        self.about = about
        self.failed: list[str] = []

    def __call__(self, what: str, error: Exception) -> None:
        self.failed.append(what)
        structlog.get_logger("brisk-cell").error("could not be judged", what=what, about=self.about, exc_info=error)


def assessed(plan: Plan, about: str) -> Assessment:
    """A plan assessed so that one rule or answer that fails leaves the others standing."""
    return assess(plan, catalogue().stock(), Watch(about))


def judged(plan: Plan, about: str, near: Assessment | None = None) -> Assessment:
    """A plan assessed whole, to be kept; ``near`` is an assessment of what it was made of.

    Raises
    ------
    FigureError
        If some of it cannot be worked out: such a plan is not kept.
    """
    found = near.of(plan, Watch(about)) if near else assessed(plan, about)
    found.work_out()
    if isinstance(watch := found.report, Watch) and watch.failed:
        what = ", ".join(dict.fromkeys(watch.failed))
        raise FigureError(
            "",
            f"With this the build could not be judged ({what}), so nothing was changed.",
            fix="Try another figure; the log says what went wrong.",
        )
    return found


def sheltered(what: str, make: Callable[[], T], otherwise: T) -> T:
    """What is made, or something else where making it fails, with a line in the log; what is not there stays not found."""
    try:
        return make()
    except UnknownBuildError:
        raise
    except Exception as error:
        structlog.get_logger("brisk-cell").error("could not be shown", what=what, exc_info=error)
        return otherwise
