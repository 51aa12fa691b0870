"""Changes of a plan: each takes a plan and gives another."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any, TypeVar

from pydantic import ValidationError

from briskcell.model.figure import Document
from briskcell.model.kinds import PART_LISTS
from briskcell.model.parts import Fed, Link, Load, Part, Rail
from briskcell.model.plan import Plan
from briskcell.model.stores import ChargeBoard, Supply
from briskcell.model.tree import free_id

P = TypeVar("P", bound=Document)


def replaced(plan: Plan, part: Part) -> Plan:
    """The plan with the part of the same id replaced.

    Parameters
    ----------
    plan : Plan
        Holds a part of that id.
    part : Part
        The new part, of the same list.

    Returns
    -------
    Plan
        Validated again.
    """
    update: dict[str, Any] = {}
    for name in PART_LISTS:
        parts = getattr(plan, name)
        if any(p.id == part.id for p in parts):
            update[name] = tuple(part if p.id == part.id else p for p in parts)
    return remade(plan, update)


def altered(part: P, **figures: Any) -> P:
    """The part with some of its figures changed, validated again.

    Parameters
    ----------
    part : Part
        Any part.
    **figures
        New values by field name.

    Returns
    -------
    Part
        Of the same kind.
    """
    return type(part).model_validate({name: getattr(part, name) for name in type(part).model_fields} | figures)


def remade(plan: Plan, update: dict[str, Any]) -> Plan:
    """The plan with some of its fields changed, validated again.

    Parameters
    ----------
    plan : Plan
        The old plan.
    update : dict
        New values by field name.

    Returns
    -------
    Plan
        The new plan.
    """
    return Plan.model_validate({name: getattr(plan, name) for name in Plan.model_fields} | update)


def without(plan: Plan, gone: set[str], moved: Mapping[str, str]) -> dict[str, Any]:
    """What changes of a plan as some parts go: others fed from elsewhere, and nothing that names what is gone.

    Parameters
    ----------
    plan : Plan
        The plan.
    gone : set of str
        Ids of the parts that go.
    moved : mapping of str to str
        What feeds others from then on, by their id.

    Returns
    -------
    dict
        New lists of parts by their name, as of ``remade``.
    """
    update: dict[str, Any] = {}
    for name in PART_LISTS:
        kept = []
        for p in getattr(plan, name):
            if p.id in gone:
                continue
            change: dict[str, Any] = {"fed_by": moved[p.id]} if p.id in moved else {}
            if isinstance(p, Rail) and gone & {*p.also}:
                change["also"] = tuple(at for at in p.also if at not in gone)
            if isinstance(p, Load):
                change |= {f: None for f in ("return_by", "driven_by") if getattr(p, f) in gone}
            if isinstance(p, ChargeBoard) and p.fed_by in gone:
                change["fed_by"] = _supply_side(plan, p.fed_by, gone)
            kept.append(altered(p, **change) if change else p)
        update[name] = tuple(kept)
    return update


def _supply_side(plan: Plan, at: str, gone: set[str]) -> str | None:
    """What feeds a charge board once a link before it is gone; None where that is its supply itself."""
    while at in gone:
        link = plan.by_id[at]
        assert isinstance(link, Fed)
        at = link.fed_by
    return None if isinstance(plan.by_id[at], Supply) else at


def put_in(plan: Plan, link: Link, at: str, name: str, before: Iterable[Part] | None = None) -> tuple[Plan, str]:
    """A plan with a link put in behind a part.

    Parameters
    ----------
    plan : Plan
        The plan.
    link : Link
        A class of link.
    at : str
        The part that feeds it.
    name : str
        What its id is to begin with.
    before : iterable of Part, optional
        What of that part's it then feeds; all but shared returns where not given.

    Returns
    -------
    tuple of Plan and str
        The plan, and the id of the link.
    """
    fed = [p for p in plan.fed.get(at, ()) if not (isinstance(p, Link) and p.kind == "return")] if before is None else before
    new = altered(link, id=free_id(plan, name), fed_by=at)
    changed = remade(plan, {"links": (*plan.links, new)})
    for part in fed:
        changed = replaced(changed, altered(changed.by_id[part.id], fed_by=new.id))
    return changed, new.id


def warned(plan: Plan, volts: float) -> Plan:
    """A plan with its warning before shutdown set.

    Parameters
    ----------
    plan : Plan
        The plan.
    volts : float
        Under load; to the hundredth. [V]

    Returns
    -------
    Plan
        With it.
    """
    return remade(plan, {"shutdown": plan.shutdown.model_copy(update={"warning_v": round(volts, 2)})})


def left_out(plan: Plan, part: Part) -> Plan | None:
    """The plan without a part that nothing hangs on, or without a link, whose place closes up.

    Parameters
    ----------
    plan : Plan
        Holds the part.
    part : Part
        The part.

    Returns
    -------
    Plan or None
        None where others cannot do without it.
    """
    hang = plan.fed.get(part.id, ())
    if hang and not isinstance(part, Link):
        return None
    moved = {p.id: part.fed_by for p in hang} if isinstance(part, Link) else {}
    try:
        return remade(plan, without(plan, {part.id}, moved))
    except ValidationError:  # something names it
        return None
