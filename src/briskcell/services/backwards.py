"""Questions answered backwards, for a page: each with a change to try."""

from __future__ import annotations

from briskcell.core.assess import Assessment
from briskcell.core.backwards.questions import Answer, answers
from briskcell.core.search.candidates import Candidate
from briskcell.model.errors import FigureError
from briskcell.services.aside import kept
from briskcell.services.edits.values import Edit
from briskcell.services.judge import sheltered
from briskcell.services.pack.candidates import fitting_packs


@kept
def _answered(a: Assessment, packs: tuple[Candidate, ...]) -> tuple[Answer, ...]:
    return tuple(answers(a, packs))


def asked(a: Assessment) -> tuple[Answer, ...]:
    """Every question that a build can be asked, answered."""
    found = sheltered("packs that fit", lambda: fitting_packs(a), None)
    nothing: tuple[Answer, ...] = ()
    return sheltered("questions answered backwards", lambda: _answered(a, found.packs if found else ()), nothing)


def try_answer(a: Assessment, key: str) -> Edit:
    """An answer's change.

    Raises
    ------
    FigureError
        If the build has no such answer any more.
    """
    found = next((x for x in asked(a) if x.key == key and x.plan is not None), None)
    if found is None or found.plan is None:
        raise FigureError("backwards", "The build has no such answer any more.", fix="Reload the page.")
    return Edit(found.plan, f"{found.question} {found.words}"[:400])
