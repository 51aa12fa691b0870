"""Changes of a plan: each takes a plan and gives another."""

from __future__ import annotations

from typing import Any, TypeVar

from pydantic import ValidationError

from briskcell.model.figure import Document
from briskcell.model.kinds import PART_LISTS
from briskcell.model.parts import Link, Part
from briskcell.model.plan import Plan

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
    if plan.fed.get(part.id) and not isinstance(part, Link):
        return None
    update: dict[str, Any] = {}
    for name in PART_LISTS:
        kept = tuple(
            altered(p, fed_by=part.fed_by) if isinstance(part, Link) and getattr(p, "fed_by", None) == part.id else p
            for p in getattr(plan, name)
            if p.id != part.id
        )
        if kept != getattr(plan, name):
            update[name] = kept
    try:
        return remade(plan, update)
    except ValidationError:  # something names it
        return None
