"""Parts laid in the case: moved, turned, taken out, laid by the greedy search; and what each change of a part gains."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.core.room.solids import Solid, inside
from briskcell.core.room.stack import arranged, placements, thinnest_mm, without_connectors
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.errors import FigureError
from briskcell.model.parts import Body
from briskcell.model.plan import Placed, Plan
from briskcell.services.aside import kept
from briskcell.services.edits.values import Edit

USUAL_BODY = Body(length_mm=40.0, width_mm=25.0, height_mm=8.0)
LEAST_GAIN_MM = 0.4


def _solid(assessed: Assessment, part_id: str) -> Solid:
    found = next((s for s in assessed.solids[0] if s.id == part_id), None)
    if found is None:
        raise FigureError("part", "This part has no size, or is no longer in the build.", fix="Give it a size first.")
    return found


def _with(plan: Plan, at: Placed) -> Plan:
    others = tuple(p for p in plan.placed if p.part != at.part and p.part in plan.by_id)
    return remade(plan, {"placed": (*others, at)})


def place(assessed: Assessment, part_id: str, x_mm: float, y_mm: float, z_mm: float | None = None) -> Edit:
    """Lay a part somewhere; it keeps its height and turn where it has a place already.

    Raises
    ------
    FigureError
        If it has no size.
    """
    solid = _solid(assessed, part_id)
    was = next((p for p in assessed.plan.placed if p.part == part_id), Placed(part=part_id))
    z = was.z_mm if z_mm is None else round(z_mm, 1)
    at = altered(was, laid_as=solid.made_as, x_mm=round(x_mm, 1), y_mm=round(y_mm, 1), z_mm=z)
    return Edit(_with(assessed.plan, at), f"{solid.name} laid at {at.x_mm:g} / {at.y_mm:g} / {at.z_mm:g} mm")


def turn(assessed: Assessment, part_id: str) -> Edit:
    """Turn a part by 90° about its corner."""
    solid = _solid(assessed, part_id)
    was = next((p for p in assessed.plan.placed if p.part == part_id), Placed(part=part_id))
    return Edit(_with(assessed.plan, altered(was, turned=not was.turned, laid_as=solid.made_as)), f"{solid.name} turned")


def take_out(assessed: Assessment, part_id: str) -> Edit:
    """Take a part's place away."""
    solid = _solid(assessed, part_id)
    left = tuple(p for p in assessed.plan.placed if p.part != part_id)
    return Edit(remade(assessed.plan, {"placed": left}), f"{solid.name} taken out of the case")


def arrange(assessed: Assessment) -> Edit:
    """Lay everything by the greedy search.

    Raises
    ------
    FigureError
        If no part of the build has a size.
    """
    every, _ = assessed.solids
    if not every:
        raise FigureError("arrange", "No part of this build has a size.", fix="Give the parts their sizes.")
    laid, left = arranged(every, inside(assessed.plan.case))
    words = "Everything laid" if not left else f"{len(laid)} parts laid; no room for {', '.join(s.name for s in left[:3])}"
    return Edit(remade(assessed.plan, {"placed": placements(laid, {s.id: s for s in every})}), words)


def give_size(plan: Plan, part_id: str) -> Edit:
    """Give a part a size to be typed over."""
    part = plan.by_id.get(part_id)
    if part is None or "body" not in type(part).model_fields:
        raise FigureError("part", "Only a board or a part that draws has a size of its own.", fix="Reload the page.")
    return Edit(replaced(plan, altered(part, body=USUAL_BODY)), f"{part.name} has a size, guessed")


@dataclass(frozen=True, slots=True)
class Gain:
    """One change: its words, and the thickness of the case it brings, beside what it needs now. [mm]"""

    words: str
    thickness_mm: float
    gain_mm: float


@kept
def gains(assessed: Assessment) -> tuple[float | None, tuple[Gain, ...]]:
    """The thinnest case that the greedy search finds, and what each change would take off it.

    Returns
    -------
    tuple
        Outside thickness now, None where not all parts find room at any; and the changes, the largest gain first.
    """
    plan = assessed.plan
    every, _ = assessed.solids
    room, walls = inside(plan.case), 2.0 * plan.case.wall_mm
    now = thinnest_mm(every, room) if every else None
    if now is None:
        return None, ()
    out, most = [], now - LEAST_GAIN_MM
    for s in every:
        options = [(f"Without {s.name}", tuple(o for o in every if o.id != s.id))]
        if s.bare_height_mm is not None and s.bare_height_mm < s.size[2]:
            options.append((f"{s.name} without its tall connectors", without_connectors(every, s.id)))
        for words, changed in options:
            then = thinnest_mm(changed, room, most)
            if then is not None:
                out.append(Gain(words, then + walls, now - then))
    for share in (1.05, 1.1):
        then = thinnest_mm(every, (room[0] * share, room[1] * share, room[2]), most)
        if then is not None:
            words = f"A case {plan.case.length_mm * share:.0f} mm long and {plan.case.width_mm * share:.0f} mm wide"
            out.append(Gain(words, then + walls, now - then))
    return now + walls, tuple(sorted(out, key=lambda g: -g.gain_mm))
