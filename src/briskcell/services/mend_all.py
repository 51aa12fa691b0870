"""Mend all, as long work beside the page: what it found is shown before it is taken, in one step that can be undone."""

from __future__ import annotations

from itertools import count
from typing import Any

from briskcell.core.assess import Assessment
from briskcell.core.draw.bill import bill
from briskcell.core.mending import MOST_JUDGED, Mending, each_once, mend_all
from briskcell.formats.plan_json import document_of
from briskcell.model.errors import FigureError
from briskcell.model.plan import plan_of
from briskcell.model.units import show
from briskcell.store import JobRow

from .edits.values import Edit
from .jobs import Progress, Work

KIND = "mend"
TOO_OLD = "The build has changed since this was worked out."


def mending(assessed: Assessment, revision: int) -> Work:
    """The work of mending a build as it was at one revision."""

    def work(progress: Progress) -> dict[str, Any]:
        asked = count(1)

        def ended() -> bool:
            progress.at(next(asked) / (2 * MOST_JUDGED))
            return progress.stopped()

        found = mend_all(assessed, ended=ended)
        return {
            "revision": revision,
            "steps": found.steps,
            "left": found.left,
            "judged": found.judged,
            "figures": _figures(found),
            "plan": document_of(found.after.plan),
            "conflict": _conflict(found),
        }

    return work


def _conflict(found: Mending) -> dict[str, Any] | None:
    c = found.conflict
    offers = [{"words": o.words, "brings": o.brings, "plan": document_of(o.plan)} for o in c.offers] if c else []
    return {"first": c.first, "second": c.second, "offers": offers} if c else None


def _figures(found: Mending) -> list[tuple[str, str, str]]:
    """What the whole comes to: its name, before, after."""
    rows = zip(*(_of(a) for a in (found.before, found.after)), strict=True)
    return [(name, before, after) for (name, before), (_, after) in rows]


def _of(a: Assessment) -> list[tuple[str, str]]:
    hours = a.runtime.hours if a.runtime else None
    charge = max((c.off.hours for c in a.charges if c.off.hours is not None), default=None)
    thick = a.wish("thickness_mm")
    return [
        ("Plays", "nothing plays" if hours is None else show(hours, "h")),
        ("On the charger", "never full" if charge is None else show(charge, "h")),
        ("Thickness", show(thick.got, "mm") if thick and isinstance(thick.got, float) else "not known"),
        ("Parts", show(bill(a.plan).cost, "€")),
        ("Fails", str(len(each_once(a)))),
    ]


def take_mended(job: JobRow | None, base: int, offer: int | None) -> Edit:
    """The plan that was found, or one of the offers where wishes contradict each other.

    Raises
    ------
    FigureError
        If nothing was found for the build as it is.
    """
    result = job.result if job else None
    if not result or result["revision"] != base:
        raise FigureError("mend", TOO_OLD, fix="Mend all again.")
    offers = (result["conflict"] or {"offers": []})["offers"]
    if offer is None:
        count_of = len(result["steps"])
        return Edit(plan_of(result["plan"]), f"Mend all: {count_of} change{'' if count_of == 1 else 's'}")
    if not 0 <= offer < len(offers):
        raise FigureError("mend", "There is no such offer.", fix="Mend all again.")
    return Edit(plan_of(offers[offer]["plan"]), f"Mend all: {offers[offer]['words'].split(';')[0]}"[:200])
