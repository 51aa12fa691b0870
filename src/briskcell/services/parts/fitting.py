"""What a part may carry: a pack its protection board and strings of other cells, a load its inrush and jack, a switch its press."""

from __future__ import annotations

from pydantic import ValidationError

from briskcell.core.moves.guards import guard_v, protection_for
from briskcell.library import catalogue
from briskcell.model.changes import altered, replaced
from briskcell.model.errors import FigureError
from briskcell.model.figure import Figure
from briskcell.model.parts import Inrush, Jack, Link, Load, Switching
from briskcell.model.plan import Plan
from briskcell.model.stores import CellString, Pack
from briskcell.services.edits.values import Edit, field_error_of

USUAL_INRUSH = Inrush(
    capacitance_f=Figure(low=1e-4, likely=2.2e-4, high=4.7e-4, source="a small board's input capacitors, to be measured"),
    peak_a=Figure(low=1.0, likely=2.0, high=4.0, source="a small board's first moment, to be measured"),
)
USUAL_PRESS = Switching(soft=True, cuts_after_s=45.0, held_s=6.0)  # of the class ``switch-soft-5``


def protect(plan: Plan, part_id: str) -> Edit:
    """Give a pack a protection board of its class, or take its own away."""
    pack = _pack(plan, part_id)
    if pack.protection is not None:
        return Edit(replaced(plan, altered(pack, protection=None)), f"Protection board of {pack.name} taken away")
    made = protection_for(pack.cell, pack.series, pack.parallel, guard_v(pack.cell))
    return Edit(replaced(plan, altered(pack, protection=made)), f"{pack.name} has a protection board")


def add_string(plan: Plan, part_id: str, key: str) -> Edit:
    """Put a string of another cell beside those of a pack, which then have figures of their own.

    Raises
    ------
    FigureError
        If it is no pack, the class is no cell, or there are as many strings as there can be.
    """
    pack, found = _pack(plan, part_id), catalogue().find(key)
    if found.kind != "cells":
        raise FigureError("part_class", f"{found.name} is no cell.", fix="Choose a cell.")
    strings = pack.strings or tuple(CellString(cell=pack.cell) for _ in range(pack.parallel))
    try:
        return Edit(
            replaced(plan, altered(pack, strings=(*strings, CellString(cell=found.part)))),
            f"A string of {found.name} beside the others",
        )
    except ValidationError as error:
        raise field_error_of(error, "part_class") from error


def remove_string(plan: Plan, part_id: str, number: str) -> Edit:
    """Take a string out of a pack of unequal ones; where those left are alike, they count as parallel again."""
    pack = _pack(plan, part_id)
    if not number.isdigit() or int(number) >= len(pack.strings) or len(pack.strings) < 2:
        raise FigureError("id", "There is no such string.", fix="Reload the page.")
    left = tuple(s for k, s in enumerate(pack.strings) if k != int(number))
    alike = all(s == left[0] and s.ocv_v is None for s in left)
    after = altered(pack, strings=(), cell=left[0].cell, parallel=len(left)) if alike else altered(pack, strings=left)
    return Edit(replaced(plan, after), f"A string of {pack.strings[int(number)].cell.name} taken out")


def first_moment(plan: Plan, part_id: str) -> Edit:
    """Give a load an inrush to be typed over, or take it away."""
    load = plan.by_id.get(part_id)
    if not isinstance(load, Load):
        raise FigureError("id", "Only a part that draws current has an inrush.", fix="Reload the page.")
    if load.inrush is not None:
        return Edit(replaced(plan, altered(load, inrush=None)), f"Inrush of {load.name} taken away")
    return Edit(replaced(plan, altered(load, inrush=USUAL_INRUSH)), f"{load.name} has an inrush, guessed")


def socketed(plan: Plan, part_id: str) -> Edit:
    """Say that a load has a jack with a fuse behind it, or that nothing is known of one."""
    load = plan.by_id.get(part_id)
    if not isinstance(load, Load):
        raise FigureError("id", "Only a part that draws current is fed at a jack.", fix="Reload the page.")
    if load.jack is not None:
        return Edit(replaced(plan, altered(load, jack=None)), f"{load.name} has no jack of its own")
    return Edit(replaced(plan, altered(load, jack=Jack(fuse=True))), f"{load.name} has a jack with a fuse behind it")


def pressed(plan: Plan, part_id: str) -> Edit:
    """Have a switch pressed, with a soft shutdown of usual times to be typed over, or thrown by hand."""
    switch = plan.by_id.get(part_id)
    if not isinstance(switch, Link) or switch.kind != "switch":
        raise FigureError("id", "Only a switch is pressed or thrown.", fix="Reload the page.")
    if switch.acts is not None:
        return Edit(replaced(plan, altered(switch, acts=None)), f"{switch.name} is thrown by hand")
    return Edit(replaced(plan, altered(switch, acts=USUAL_PRESS)), f"{switch.name} is pressed, and asks the board first")


def _pack(plan: Plan, part_id: str) -> Pack:
    pack = plan.by_id.get(part_id)
    if not isinstance(pack, Pack):
        raise FigureError("id", "Only a pack has that.", fix="Reload the page.")
    return pack
