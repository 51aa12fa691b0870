"""Edits of a pack's cells: another class and count, or a cell typed from its wrapper."""

from __future__ import annotations

from pydantic import ValidationError

from briskcell.library import catalogue
from briskcell.library.catalogue import chemistries, chemistry_fields
from briskcell.model.changes import altered, replaced
from briskcell.model.errors import FigureError
from briskcell.model.figure import Figure
from briskcell.model.plan import Plan
from briskcell.model.stores import Cell, Pack
from briskcell.services.edits.values import Edit, field_error_of


def take_cells(plan: Plan, pack_id: str, key: str, parallel: int) -> Edit:
    """Another cell class and count in a pack's place."""
    pack, found = plan.by_id.get(pack_id), catalogue().find(key)
    if not isinstance(pack, Pack) or not isinstance(found.part, Cell):
        raise FigureError("part_class", f"{found.name} makes no pack.", fix="Choose a cell.")
    try:
        new = altered(pack, cell=found.part, parallel=parallel, strings=())
        return Edit(replaced(plan, new), f"{pack.series}S{parallel}P of {found.name} in place of {pack.cell.name}")
    except ValidationError as error:
        raise field_error_of(error, "part_class") from error


def typed_cell(
    name: str,
    chemistry: str,
    label_ah: float,
    thickness_mm: float,
    width_mm: float | None,
    length_mm: float,
    most_a: float,
    ohm: float | None = None,
    mass_g: float | None = None,
) -> Cell:
    """A cell as its wrapper or sheet has it; what neither says is a guess from its chemistry and size."""
    known = chemistries()
    if chemistry not in known:
        raise FigureError("cell-chemistry", f"“{chemistry}” is no chemistry of the library.", fix="Choose one from the list.")
    is_round = width_mm is None or abs(width_mm - thickness_mm) < 0.05
    usual = 0.045 if is_round else 0.15 / label_ah
    printed = "printed on the wrapper, never tested"
    guess = Figure(low=0.7 * usual, likely=usual, high=1.6 * usual, grade="guessed", source="range of cells of this shape and size")
    if ohm is not None:
        guess = Figure(low=0.8 * ohm, likely=ohm, high=1.3 * ohm, grade="sheet", source="typed with the cell, with its contacts")
    try:
        return Cell.model_validate(
            chemistry_fields(known[chemistry])
            | {
                "name": name,
                "label_ah": Figure(low=0.6 * label_ah, likely=label_ah, high=label_ah, grade="guessed", source=printed),
                "resistance_ohm": guess,
                "thickness_mm": thickness_mm,
                "width_mm": width_mm,
                "length_mm": length_mm,
                "mass_g": mass_g,
                "swelling": 0.0 if is_round else 0.1,
                "max_discharge_a": Figure(low=most_a, likely=most_a, high=most_a, grade="guessed", source=printed),
                "max_charge_a": Figure(low=0.3 * label_ah, likely=0.5 * label_ah, high=label_ah, source="half its capacity"),
            }
        )
    except ValidationError as error:
        raise field_error_of(error, "cell-label") from error


def put_cell(plan: Plan, pack_id: str, cell: Cell) -> Edit:
    """A cell typed from its wrapper into a pack."""
    pack = plan.by_id.get(pack_id)
    if not isinstance(pack, Pack):
        raise FigureError("cell-name", "The build has no such pack.", fix="Reload the page.")
    return Edit(replaced(plan, altered(pack, cell=cell, strings=())), f"{cell.name} typed from its wrapper")
