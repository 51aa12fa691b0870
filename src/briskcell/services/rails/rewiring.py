"""Edits of what feeds what: loads fed from another rail, rails with their boards added and removed."""

from __future__ import annotations

from pydantic import ValidationError

from briskcell.core.moves.boards import hung
from briskcell.library import catalogue
from briskcell.model.errors import FigureError
from briskcell.model.parts import Converter, Rail
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack
from briskcell.model.tree import behind_links, board_feeders, free_id, load_feeders, store_point
from briskcell.services.draw.loads import load_of
from briskcell.services.edits.values import Edit, checked, field_error_of


def feed_from(plan: Plan, part_id: str, fed_by: str) -> Edit:
    """Hang a load elsewhere, with its own wire: on a rail, a board without one, or the pack itself."""
    load, to = load_of(plan, part_id), plan.by_id.get(fed_by)
    if to is None or not (to in load_feeders(plan) or to.id == store_point(plan, load)):
        raise FigureError("fed_by", "Nothing hangs there.", fix="Choose a rail, or a pack.")
    if isinstance(to, Pack):
        to = behind_links(plan, to)  # never before the switch and the fuse
    try:
        return Edit(hung(plan, load, to.id), f"{load.name} fed from {to.name}")
    except ValidationError as error:
        raise field_error_of(error, "fed_by") from error


def feed_all_from(plan: Plan, part_ids: list[str], fed_by: str) -> Edit:
    """Hang several loads on one rail."""
    for part_id in part_ids or [""]:
        plan = feed_from(plan, part_id, fed_by).plan
    return Edit(plan, f"{len(part_ids)} part{'s' if len(part_ids) != 1 else ''} fed from {plan.by_id[fed_by].name}")


def add_rail(plan: Plan, board_key: str, fed_by: str, name: str) -> Edit:
    """A further rail: a board of a library class, and the rail it makes."""
    found = catalogue().find(board_key)
    if found.kind != "converters":
        raise FigureError("rail", f"{found.name} makes no rail.", fix="Choose a board.")
    if fed_by not in {p.id for p, _ in board_feeders(plan)}:
        raise FigureError("rail", "No board can be fed from there.", fix="Choose the pack, or a rail.")
    board = catalogue().part(board_key, id=free_id(plan, f"reg-{board_key}"), fed_by=fed_by)
    name = name.strip() or f"{found.part.output_v.likely:.1f} V rail"
    try:
        rail = Rail(id=free_id(plan, "rail"), name=name, fed_by=board.id)
    except ValidationError as error:
        raise field_error_of(error, "rail") from error
    update = {"converters": (*plan.converters, board), "rails": (*plan.rails, rail)}
    return Edit(checked(plan, update), f"{name} added, made by {found.name}")


def remove_rail(plan: Plan, rail_id: str) -> Edit:
    """Take a rail away with the board that makes it, once nothing is fed from it."""
    rail = plan.by_id.get(rail_id)
    if not isinstance(rail, Rail) or plan.fed.get(rail_id):
        raise FigureError("rail", "Something is still fed from this rail.", fix="Feed its parts from elsewhere first.")
    board = plan.by_id[rail.fed_by]
    whole = board.half_of is not None or board.id in plan.halves  # goes with what else comes on it, or not at all
    alone = isinstance(board, Converter) and len(plan.fed[rail.fed_by]) == 1 and not whole
    gone = {rail_id, rail.fed_by} if alone else {rail_id}
    update = {name: tuple(p for p in getattr(plan, name) if p.id not in gone) for name in ("converters", "rails")}
    return Edit(checked(plan, update), f"{rail.name} taken away")
