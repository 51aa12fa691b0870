"""Complaints of a unit with what may be wrong, and the reading that tells it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

from briskcell.core.assess import Assessment
from briskcell.core.bench.step import Step
from briskcell.core.log.culprit import Suspect, separating, suspects
from briskcell.services.judge import sheltered
from briskcell.store.log import EntryRow

MOST_COMPLAINTS = 3


@dataclass(frozen=True, slots=True)
class Complaint:
    """A line of the log that says what fails, its suspects, the likeliest first, and the step that tells the first two apart."""

    entry: EntryRow
    what: str
    suspects: tuple[Suspect, ...]
    step: Step | None


def suspected(assessed: Assessment, entry: EntryRow) -> Complaint:
    """What may be wrong where a complaint says that something fails."""
    what = entry.about["what"] if entry.about["what"] in assessed.plan.by_id else ""
    nothing: tuple[Suspect, ...] = ()
    found = sheltered("suspects", partial(suspects, assessed, entry.about["when"], what), nothing)
    step = separating(assessed, *found[:2]) if len(found) > 1 else None
    return Complaint(entry, assessed.plan.by_id[what].name if what else "the whole console", found, step)
