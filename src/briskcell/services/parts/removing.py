"""A part of any kind removed: what hung on it is fed from the next place that suits, and that is said."""

from __future__ import annotations

from typing import Any

from briskcell.model.changes import altered, replaced, without
from briskcell.model.errors import FigureError
from briskcell.model.parts import Converter, Fed, Link, Load, Part, Rail
from briskcell.model.plan import Plan, Store
from briskcell.model.stores import Balancer, ChargeBoard, Supply, Trickle
from briskcell.model.tree import behind_links, feeding_point, load_feeders, made_v, own_wires
from briskcell.services.draw.loads import remove as remove_load
from briskcell.services.edits.values import Edit, checked


def remove(plan: Plan, part_id: str) -> Edit:
    """Remove a part.

    A link's place closes up. What a board, rail or store fed goes to the next rail, board or store that suits; a store's
    charge boards, balancers and trickle sources go with it.

    Raises
    ------
    FigureError
        If other parts cannot do without it.
    """
    part = plan.by_id.get(part_id)
    if part is None:
        raise FigureError("id", "This part is no longer in the build.", fix="Reload the page.")
    if part.half_of is not None:
        whole = plan.by_id[part.half_of].name
        raise FigureError("id", f"{part.name} comes on {whole}.", fix=f"Remove {whole}, or put another board in its place.")
    for half in plan.halves.get(part_id, ()):
        alone = altered(half, half_of=None)
        plan = remove(replaced(plan, alone), half.id).plan
    part = plan.by_id[part_id]
    if isinstance(part, Load) and not plan.fed.get(part_id):
        return remove_load(plan, part_id)
    gone, homeless = {part_id}, list(plan.fed.get(part_id, ()))
    if isinstance(part, Load):
        outputs = {o.id for o in homeless} | {r.id for o in homeless for r in plan.fed.get(o.id, ()) if isinstance(r, Rail)}
        homeless = [p for o in outputs for p in plan.fed.get(o, ()) if p.id not in outputs]
        gone |= outputs | {w.id for w in own_wires(plan, part)}
    if isinstance(part, Converter):
        rails = [p for p in homeless if isinstance(p, Rail)]
        gone |= {r.id for r in rails}
        homeless = [p for p in homeless if p.id not in gone] + [p for r in rails for p in plan.fed.get(r.id, ())]
    if isinstance(part, Supply):
        users = [b for b in plan.chargers if b.supply == part_id]
        if users:
            raise FigureError(
                "id",
                f"{users[0].name} is fed from {part.name}.",
                fix="Remove that board first, or feed it from another supply in its slip.",
            )
    if isinstance(part, Store):
        beside: tuple[ChargeBoard | Trickle | Balancer, ...] = (*plan.chargers, *plan.trickles, *plan.balancers)
        gone |= {p.id for p in beside if p.charges == part_id}
    to = _new_home(plan, part, gone) if homeless else ""
    return Edit(checked(plan, without(plan, gone, {p.id: to for p in homeless})), _words(plan, part, homeless, to))


def _new_home(plan: Plan, part: Part, gone: set[str]) -> str:
    """What feeds the parts that a removed one fed."""
    if isinstance(part, Link | Rail):
        return part.fed_by
    if isinstance(part, Load):
        return feeding_point(plan, part)
    places = [p for p in load_feeders(plan) if p.id not in gone and not _below(plan, p, part.id)]
    if isinstance(part, Converter):
        rails = [p for p in places if not isinstance(p, Store)]
        return min(rails, key=lambda p: abs(made_v(plan, p) - part.output_v.likely)).id if rails else part.fed_by
    others = [s for s in plan.stores if s.id != part.id]
    if not others:
        raise FigureError("id", f"{part.name} is all that feeds this build.", fix="Add another store first, or swap its class.")
    return behind_links(plan, others[0]).id


def _below(plan: Plan, at: Part, part_id: str) -> bool:
    """Whether a place is fed from a part."""
    while isinstance(at, Fed):
        if at.fed_by == part_id:
            return True
        at = plan.by_id[at.fed_by]
    return False


def _words(plan: Plan, part: Part, homeless: list[Any], to: str) -> str:
    if not homeless or isinstance(part, Link):
        return f"{part.name} removed"
    moved = homeless[0].name if len(homeless) == 1 else f"{len(homeless)} parts"
    return f"{part.name} removed; {moved} fed from {plan.by_id[to].name}"


def removable(plan: Plan, part: Part) -> bool:
    """Whether a part has a way out: everything but the one store that feeds all, and what comes on another board."""
    return part.half_of is None and not (isinstance(part, Store) and len(plan.stores) == 1 and plan.fed.get(part.id))
