"""Complaints of a unit with what may be wrong, by all that is known of it, and the reading that tells."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

from briskcell.core.assess import Assessment
from briskcell.core.bench.step import Step
from briskcell.core.log.culprit import PaperFault, Suspect, next_step, suspects
from briskcell.services.bench.proof import Proof
from briskcell.services.judge import sheltered
from briskcell.store.log import EntryRow

MOST_COMPLAINTS = 3


@dataclass(frozen=True, slots=True)
class Complaint:
    """A line of the log that says what fails, its suspects, the likeliest first, and the step that parts them most.

    ``rests_on`` is how many readings of the unit were weighed.
    """

    entry: EntryRow
    what: str
    suspects: tuple[Suspect, ...]
    step: Step | None
    rests_on: int


def suspected(assessed: Assessment, entry: EntryRow, found: Proof) -> Complaint:
    """What may be wrong where a complaint says that something fails."""
    about = entry.about
    what = about["what"] if about["what"] in assessed.plan.by_id else ""
    reads = reads_of(found)
    nothing: tuple[Suspect, ...] = ()
    ask = partial(suspects, assessed, about["when"], what, about.get("also"), reads, on_paper(assessed))
    told = sheltered("suspects", ask, nothing)
    step = sheltered("next reading", partial(next_step, assessed, told, reads), None) if told else None
    return Complaint(entry, assessed.plan.by_id[what].name if what else "the whole console", told, step, len(reads))


def reads_of(found: Proof) -> dict[str, float]:
    """What each step of a unit read; one that was passed for a reason says nothing."""
    return {
        r.step.key: r.reading.value
        for r in found.rungs
        if r.step.unit and r.reading is not None and r.reading.value is not None and not r.reading.reason and r.state != "again"
    }


def on_paper(assessed: Assessment) -> tuple[PaperFault, ...]:
    """What fails by the plan as it is, the worst first."""
    return tuple(PaperFault(f.rule, f.element, f.cause) for f in assessed.failing)
