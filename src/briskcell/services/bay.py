"""Edits of the bay, the blocks it keeps out, and the cells that lie in it."""

from __future__ import annotations

from typing import Any

from pydantic import ValidationError

from briskcell.core.brief.requirements import WALL_MM
from briskcell.library import catalogue
from briskcell.library.catalogue import chemistries, chemistry_fields
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.errors import FigureError
from briskcell.model.figure import Figure
from briskcell.model.plan import Bay, Box, Plan
from briskcell.model.stores import Cell, Pack

from .edits import Edit, checked, told


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
        raise told(error, "bay") from error


def _bay(plan: Plan) -> Bay:
    if plan.bay is None:
        raise FigureError("bay", "The build has no bay yet.", fix="Begin one from the case.")
    return plan.bay


def take_cells(plan: Plan, pack_id: str, key: str, parallel: int) -> Edit:
    """Another cell class and count in a pack's place."""
    pack, found = plan.by_id.get(pack_id), catalogue().find(key)
    if not isinstance(pack, Pack) or not isinstance(found.part, Cell):
        raise FigureError("part_class", f"{found.name} makes no pack.", fix="Choose a cell.")
    try:
        new = altered(pack, cell=found.part, parallel=parallel, strings=())
        return Edit(replaced(plan, new), f"{pack.series}S{parallel}P of {found.name} in place of {pack.cell.name}")
    except ValidationError as error:
        raise told(error, "part_class") from error


def typed_cell(name: str, chemistry: str, label_ah: float, thickness_mm: float, width_mm: float | None, length_mm: float,
               most_a: float) -> Cell:  # fmt: skip
    """A cell as its wrapper has it; what no wrapper says is a guess from its chemistry and size."""
    known = chemistries()
    if chemistry not in known:
        raise FigureError("cell-chemistry", f"“{chemistry}” is no chemistry of the library.", fix="Choose one from the list.")
    is_round = width_mm is None or abs(width_mm - thickness_mm) < 0.05
    ohm = 0.045 if is_round else 0.15 / label_ah
    printed = "printed on the wrapper, never tested"
    guess = Figure(low=0.7 * ohm, likely=ohm, high=1.6 * ohm, grade="guessed", source="range of cells of this shape and size")
    try:
        return Cell.model_validate(chemistry_fields(known[chemistry]) | {
            "name": name, "label_ah": Figure(low=0.6 * label_ah, likely=label_ah, high=label_ah, grade="guessed", source=printed),
            "resistance_ohm": guess, "thickness_mm": thickness_mm, "width_mm": width_mm, "length_mm": length_mm,
            "swelling": 0.0 if is_round else 0.1,
            "max_discharge_a": Figure(low=most_a, likely=most_a, high=most_a, grade="guessed", source=printed),
            "max_charge_a": Figure(low=0.3 * label_ah, likely=0.5 * label_ah, high=label_ah, source="half its capacity"),
        })  # fmt: skip
    except ValidationError as error:
        raise told(error, "cell-label") from error


def put_cell(plan: Plan, pack_id: str, cell: Cell) -> Edit:
    """A cell typed from its wrapper into a pack."""
    pack = plan.by_id.get(pack_id)
    if not isinstance(pack, Pack):
        raise FigureError("cell-name", "The build has no such pack.", fix="Reload the page.")
    return Edit(replaced(plan, altered(pack, cell=cell, strings=())), f"{cell.name} typed from its wrapper")
