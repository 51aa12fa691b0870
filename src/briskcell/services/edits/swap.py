"""Another class in a part's place."""

from __future__ import annotations

from pydantic import ValidationError

from briskcell.core.moves.whole_boards import seated
from briskcell.library import catalogue
from briskcell.model.changes import altered, replaced
from briskcell.model.errors import FigureError
from briskcell.model.kinds import kind_of
from briskcell.model.parts import Part
from briskcell.model.plan import Plan
from briskcell.model.stores import Cell, Pack

from .values import Edit, field_error_of


def swapped(plan: Plan, part_id: str, key: str) -> tuple[Plan, str]:
    """The plan with another class in a part's place, and the name that was there; what feeds it stays.

    Raises
    ------
    FigureError
        If there is no such part, or the class is of another kind.
    """
    part, found = plan.by_id.get(part_id), catalogue().find(key)
    if part is None:
        raise FigureError("id", f"The build has no part “{part_id}”.", fix="Reload the page.")
    try:
        if isinstance(part, Pack) and found.kind == "cells":
            assert isinstance(found.part, Cell)
            return replaced(plan, altered(part, cell=found.part)), part.cell.name
        if kind_of(part).library != found.kind:
            raise FigureError("part_class", f"{found.name} cannot stand for {part.name}.", fix="Choose a part of the same kind.")
        if part.half_of is not None:
            whole = plan.by_id[part.half_of].name
            raise FigureError("part_class", f"{part.name} comes on {whole}.", fix=f"Put another class in the place of {whole}.")
        keep = {n: getattr(part, n) for n in ("id", "fed_by", "charges", "supply") if n in type(part).model_fields}
        new: Part = catalogue().part(key, **keep)
        if (after := seated(plan, catalogue().stock(), new)) is None:
            what = " and ".join(h.name for h in plan.halves.get(part_id, ()))
            raise FigureError("part_class", f"{what} would go with {part.name}, and is in use.", fix="Feed what hangs on it first.")
        return after, part.name
    except ValidationError as error:
        raise field_error_of(error, "part_class") from error


def swap(plan: Plan, part_id: str, key: str) -> Edit:
    """Put another class in a part's place; what feeds it stays, and a pack keeps its cells' count."""
    new, was = swapped(plan, part_id, key)
    return Edit(new, f"{catalogue().find(key).name} in place of {was}")
