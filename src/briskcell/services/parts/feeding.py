"""What a part is connected to: what feeds it, the store it fills, its supply, what drives its signals."""

from __future__ import annotations

from typing import Any

from pydantic import ValidationError

from briskcell.model.changes import altered, replaced
from briskcell.model.errors import FigureError
from briskcell.model.parts import Converter, Fed, Link, Load, Part, Rail
from briskcell.model.plan import Plan, Store
from briskcell.model.stores import Balancer, ChargeBoard, Supply, Trickle
from briskcell.model.tree import feeders_of, load_feeders, on_supply
from briskcell.services.edits.values import Edit, checked, field_error_of

WORDS = {
    "fed_by": "Fed from",
    "charges": "Fills",
    "supply": "Its supply",
    "driven_by": "Signals come from",
    "return_by": "Returns by",
    "also": "Also fed from",
}
MAY_BE_NONE = ("driven_by", "return_by", "also")


def ends_of(plan: Plan, part: Part) -> dict[str, tuple[Part, ...]]:
    """What each end of a part may be connected to, by the field that names it; loads have a way of their own."""
    out: dict[str, tuple[Part, ...]] = {}
    if isinstance(part, Fed) and not isinstance(part, Load):
        below = _below(plan, part)
        outlet = isinstance(part, Link) and part.kind == "outlet"
        way_in = on_supply(plan, part)
        if way_in:
            kinds: tuple[Any, ...] = (Supply, Link)
        else:
            kinds = (Load,) if outlet else (Store, Rail, Link, Converter, *((Load,) if isinstance(part, Converter) else ()))
        feeders = (p for p in plan.parts() if isinstance(p, kinds))
        out["fed_by"] = tuple(
            p
            for p in feeders
            if p.id not in below
            and not (isinstance(p, Link) and p.kind == "return")
            and (not isinstance(p, Link) or on_supply(plan, p) == way_in)
        )
    if isinstance(part, Rail):
        above = {p.id for p in feeders_of(plan, part)}
        own = (p for p in plan.parts() if isinstance(p, (Rail, Link, Converter)) and p.id not in above | _below(plan, part))
        out["also"] = tuple(p for p in own if may_give(plan, p))
    if isinstance(part, (ChargeBoard, Trickle)):
        out["charges"] = plan.stores
    if isinstance(part, Balancer):
        out["charges"] = plan.packs
    if isinstance(part, ChargeBoard):
        out["supply"] = plan.supplies
    if isinstance(part, Load):
        out["driven_by"] = tuple(p for p in plan.loads if p is not part)
        out["return_by"] = tuple(k for k in plan.links if k.kind == "return")
    return {field: parts for field, parts in out.items() if parts}


def places_for(plan: Plan, load: Load) -> tuple[Part, ...]:
    """What a load may be fed from: every place but what hangs on the load itself."""
    below = _below(plan, load)
    return tuple(p for p in load_feeders(plan) if p.id not in below)


def may_rise(plan: Plan, part: Part) -> bool:
    """Whether a link can change places with the one before it: both lie on one way, and neither is an output or a return."""
    before = plan.by_id.get(part.fed_by) if isinstance(part, Link) else None
    if not isinstance(part, Link) or not isinstance(before, Link):
        return False
    apart = ("outlet", "return")
    return part.kind not in apart and before.kind not in apart and len(plan.fed[before.id]) == 1


def rise(plan: Plan, part_id: str) -> Edit:
    """Have a link change places with the one before it.

    Raises
    ------
    FigureError
        If there is none to change with.
    """
    link = plan.by_id.get(part_id)
    if not isinstance(link, Link) or not may_rise(plan, link):
        raise FigureError("id", "No link lies before it to change places with.", fix="Connect it elsewhere in its slip.")
    before = plan.by_id[link.fed_by]
    assert isinstance(before, Link)
    swapped = {link.id: before.fed_by, before.id: link.id} | {p.id: before.id for p in plan.fed.get(link.id, ())}
    update = {
        name: tuple(altered(p, fed_by=swapped[p.id]) if p.id in swapped else p for p in getattr(plan, name))
        for name in ("links", "converters", "rails", "loads", "chargers")
    }
    return Edit(checked(plan, update), f"{link.name} put before {before.name}")


def may_give(plan: Plan, part: Fed) -> bool:
    """Whether a part may give to a rail as a second source: it hangs on a store, past no load and no return."""
    above = [part, *feeders_of(plan, part)]
    return isinstance(above[-1], Store) and not any(
        isinstance(p, Load) or (isinstance(p, Link) and p.kind == "return") for p in above
    )


def _below(plan: Plan, part: Part) -> set[str]:
    """The part itself, and everything that is fed by way of it."""
    found, left = {part.id}, [part.id]
    while left:
        for p in plan.fed.get(left.pop(), ()):
            found.add(p.id)
            left.append(p.id)
    return found


def connect(plan: Plan, part_id: str, field: str, to: str) -> Edit:
    """Connect an end of a part to another.

    Raises
    ------
    FigureError
        If it cannot be connected there.
    """
    part, target = plan.by_id.get(part_id), plan.by_id.get(to)
    none = not to and field in MAY_BE_NONE
    if part is None or not (none or (target is not None and target in ends_of(plan, part).get(field, ()))):
        raise FigureError(field, "It cannot be connected there.", fix="Choose one of the list.")
    now = () if not to else (to,)
    change = {field: now if field == "also" else to or None} | ({"fed_by": None} if field == "supply" else {})
    try:
        words = f"{part.name}: {WORDS[field].lower()} {target.name if target else 'nothing'}"
        return Edit(replaced(plan, altered(part, **change)), words)
    except ValidationError as error:
        raise field_error_of(error, field) from error
