"""All readings of a unit as figures of the plan at once: each with what it was and is, and why one is left out."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.model.changes import altered, replaced
from briskcell.model.errors import FigureError, PlanError
from briskcell.model.parts import Converter, Link, Load, Part
from briskcell.model.plan import Plan
from briskcell.model.stores import ChargeBoard
from briskcell.model.units import show
from briskcell.services.edits.values import Edit
from briskcell.store.units import ReadingRow

from .measured import put_on_plan, simulated, usable
from .proof import TRUSTED, Proof, Rung


@dataclass(frozen=True, slots=True)
class Taken:
    """A reading that is, or could be, a figure of the plan: its step, what that was and becomes, when; or why it cannot be."""

    key: str
    title: str
    before: str
    after: str
    reading: ReadingRow
    trusted: bool
    simulated: bool
    why_not: str = ""


def taken(a: Assessment, found: Proof, keys: Collection[str] | None = None) -> tuple[Plan, tuple[Taken, ...]]:
    """A plan with the readings of a unit in the place of what was assumed.

    Parameters
    ----------
    a : Assessment
        The build as it is planned.
    found : Proof
        A unit's ladder.
    keys : collection of str, optional
        The steps that are taken into the plan; else a console is looked at, with all that are proven or were passed for a reason.

    Returns
    -------
    tuple of Plan and tuple of Taken
        What cannot become a figure is told and left out.
    """
    plan, told = a.plan, []
    for rung in found.rungs:
        if not usable(rung) or rung.reading is None:
            continue
        trusted, why_not, part = rung.state in TRUSTED, "", None
        try:
            edit = put_on_plan(a, found, rung.step.key, sure=True, on_console=keys is None)
            part = edit.plan.by_id[rung.step.element]
            if rung.step.key in keys if keys is not None else trusted:
                plan = _with(plan, a.plan, edit)
        except (FigureError, PlanError) as error:
            why_not = str(error)
        before, after = (_said(rung, p) for p in (a.plan.by_id[rung.step.element], part))
        told.append(Taken(rung.step.key, rung.step.title, before, after, rung.reading, trusted, simulated(rung), why_not))
    return plan, tuple(told)


def _with(plan: Plan, before: Plan, edit: Edit) -> Plan:
    """A plan with the figures that an edit changed; those that others changed stay."""
    for part in edit.plan.parts():
        was = before.by_id.get(part.id)
        if was is not None and was != part:
            changed = {f: getattr(part, f) for f in type(part).model_fields if getattr(part, f) != getattr(was, f)}
            plan = replaced(plan, altered(plan.by_id[part.id], **changed))
    return plan


def _efficiency(part: Part) -> str:
    return "as read" if getattr(getattr(part, "loss", None), "grade", "") == "measured" else "its class"


def _ohms(part: Part) -> str:
    return show(part.resistance_ohm.likely, "Ω") if isinstance(part, Link) and part.resistance_ohm else "by its wire"


def _watts(part: Part) -> str:
    assert isinstance(part, Load)
    return show(part.draw.play.likely, {"power_w": "W", "current_a": "A", "resistance_ohm": "Ω"}[part.kind])


SAID: dict[str, Callable[[Part], str]] = {
    "draw": _watts,
    "into": lambda p: show(p.current_a.likely, "A") if isinstance(p, ChargeBoard) else "",
    "joint": _ohms,
    "drop": _ohms,
    "idle": lambda p: show(p.output_v.likely, "V") if isinstance(p, Converter) else "",
    "feed": _efficiency,
}


def _said(rung: Rung, part: Part | None) -> str:
    return SAID[rung.step.key.partition(":")[0]](part) if part is not None else ""
