"""Edits of the bay and of the blocks it keeps out."""

from __future__ import annotations

from typing import Any

from pydantic import ValidationError

from briskcell.core.brief.wishes import WALL_MM
from briskcell.model.changes import remade
from briskcell.model.errors import FigureError
from briskcell.model.plan import Bay, Box, Plan
from briskcell.services.edits.values import Edit, checked, field_error_of


def bay_of_case(plan: Plan) -> Bay:
    """A bay as large as the case leaves: inside its walls, half of its length for the boards."""
    case = plan.case
    inside = [max(v - 2 * WALL_MM, 1.0) for v in (case.length_mm * 0.5, case.width_mm, case.depth_mm)]
    return Bay(length_mm=round(inside[0], 1), width_mm=round(inside[1], 1), depth_mm=round(inside[2], 1))


def start_bay(plan: Plan) -> Edit:
    """A first bay, guessed from the case, to be measured."""
    return Edit(remade(plan, {"bay": bay_of_case(plan)}), "Bay begun from the case")


def add_block(plan: Plan) -> Edit:
    """A block that is taken, at the bay's corner."""
    bay = _bay(plan)
    size = min(bay.length_mm, bay.width_mm, bay.depth_mm) / 3
    block = Box(length_mm=round(size, 1), width_mm=round(size, 1), depth_mm=bay.depth_mm)
    return Edit(checked(plan, {"bay": altered_bay(bay, keep_outs=(*bay.keep_outs, block))}), "Block kept out of the bay")


def remove_block(plan: Plan, number: str) -> Edit:
    """Free a block again."""
    bay = _bay(plan)
    if not number.isdigit() or int(number) >= len(bay.keep_outs):
        raise FigureError("bay", "There is no such block.", fix="Reload the page.")
    rest = tuple(b for k, b in enumerate(bay.keep_outs) if k != int(number))
    return Edit(checked(plan, {"bay": altered_bay(bay, keep_outs=rest)}), "Block taken out of the bay")


def altered_bay(bay: Bay, **figures: Any) -> Bay:
    """The bay with some measures changed, validated again."""
    try:
        return Bay.model_validate({n: getattr(bay, n) for n in Bay.model_fields} | figures)
    except ValidationError as error:
        raise field_error_of(error, "bay") from error


def _bay(plan: Plan) -> Bay:
    if plan.bay is None:
        raise FigureError("bay", "The build has no bay yet.", fix="Begin one from the case.")
    return plan.bay
