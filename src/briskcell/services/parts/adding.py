"""A class of the library added where it fits: each kind of part has one way in."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from briskcell.core.engine.converters import deliverable_a
from briskcell.core.moves.guards import LEAST_GUARD_V, guard_v
from briskcell.core.moves.whole_boards import attached
from briskcell.library import PartClass, catalogue
from briskcell.model.changes import altered, replaced
from briskcell.model.errors import FigureError
from briskcell.model.facts import settable
from briskcell.model.kinds import kind_of
from briskcell.model.parts import Converter, Fed, Link, Load, Part, Rail
from briskcell.model.plan import Plan, Store
from briskcell.model.stores import ChargeBoard, Pack, Supply
from briskcell.model.tree import behind_links, free_id, free_name, load_feeders
from briskcell.services.assembly import pack_of
from briskcell.services.draw.loads import accepted_rail, added
from briskcell.services.edits.values import Edit, checked

CARRIES = 0.8  # of what a board can deliver, that a part it is chosen for may ask: a fifth stays spare
DROPS = 0.3  # volts that a board which steps down needs between input and output; typical
SHARE_AWG, SHARE_M = 20.0, 0.08  # of the wires of a part that takes several volts: amperes at a volt or two; typical
AT_THE_STORE = ("fuse",)  # links that belong right at the store


@dataclass(frozen=True, slots=True)
class Place:
    """Where a class would go: the id of what feeds it, the class of a board that has to come with it, its volts, and words."""

    feeder: str
    board: str
    words: str
    volts: float | None = None


def add(plan: Plan, key: str, before: str = "", behind: str = "") -> Edit:
    """Add a class of the library.

    Parameters
    ----------
    plan : Plan
        The build.
    key : str
        The class.
    before : str
        The part that a link is to be put before.
    behind : str
        What it is to be fed from, or for what fills a store, that store. Where neither is given, it goes where it fits.

    Returns
    -------
    Edit
        Naming the new part in ``shows``.

    Raises
    ------
    FigureError
        If it fits nowhere, with the reason.
    """
    found = catalogue().find(key)
    if behind and behind not in plan.by_id:
        raise FigureError("part_class", "What it was to be fed from is no longer there.", fix="Reload the page.")
    if getattr(found.part, "half_of", None) is not None:
        whole = catalogue().find(found.part.half_of).name
        raise FigureError("part_class", f"{found.name} comes on {whole} alone.", fix=f"Add {whole}.")
    edit = _link(plan, found, before, behind) if found.kind == "links" else WAYS[found.kind][1](plan, found, behind)
    return _with_halves(edit, found)


def _with_halves(edit: Edit, found: PartClass) -> Edit:
    """All that comes on the board that was added, and what it needs."""
    halves, plan = catalogue().halves.get(found.key, ()), edit.plan
    for half in halves:
        if isinstance(half, Load) and found.kind == "loads":  # each share of a part that takes several volts goes to its own rail
            place = _place_of_load(plan, half)
            rail = place.feeder
            if place.board:
                plan, rail = _with_rail(plan, catalogue().find(place.board), place.feeder, place.volts)
            plan = added(plan, altered(half, half_of=edit.shows), rail)
            plan = replaced(plan, altered(plan.links[-1], awg=SHARE_AWG, length_m=SHARE_M))
        else:
            plan = attached(plan, catalogue().stock(), edit.shows, half)
    return Edit(plan, edit.words, shows=edit.shows) if halves else edit


def place_of(plan: Plan, found: PartClass) -> Place:
    """Where a class would be put if nobody says where.

    Raises
    ------
    FigureError
        If it fits nowhere.
    """
    if found.kind == "loads":
        return _place_of_load(plan, found.part)
    if (found.kind == "links" and found.part.kind == "outlet") or (found.kind == "converters" and found.part.built_in):
        return Place("", "", "as an output of the part that you open")
    if found.kind == "links":
        return Place("", "", "right at the pack" if found.part.kind in AT_THE_STORE else "where the current first parts")
    return Place("", "", WAYS[found.kind][0])


def _place_of_load(plan: Plan, load: Load) -> Place:
    if not load_feeders(plan) and not plan.stores:
        raise FigureError("part_class", "There is nothing to feed it yet.", fix="Add a pack or a bank first.")
    if (rail := accepted_rail(plan, load)) is not None:
        return Place(rail.id, "", f"on {rail.name}")
    for store in plan.stores:
        low, high = _volts(store)
        if load.window.low_v <= low and high <= load.window.high_v:
            return Place(behind_links(plan, store).id, "", f"on {store.name} itself")
    for store in plan.stores:
        found = _board_for(load, store)
        if found is not None:
            maker, volts = found
            return Place(behind_links(plan, store).id, maker.key, f"with {maker.name} and a rail of {volts:.1f} V", volts)
    window = f"{load.window.low_v:.2f} to {load.window.high_v:.2f} V"
    raise FigureError(
        "part_class",
        f"{load.name} takes {window}; no rail gives that, and no board makes it from this pack.",
        fix="Choose another class, or another pack.",
    )


def _volts(store: Store) -> tuple[float, float]:
    """Least and most volts of a store."""
    if isinstance(store, Pack):
        return store.cell.empty_v * store.series, store.cell.full_v * store.series
    volts = store.output_v.likely if hasattr(store, "output_v") else store.full_v
    return volts, volts


def _board_for(load: Load, store: Store) -> tuple[PartClass, float] | None:
    """The cheapest board that makes a load's volts from a store, from full to empty, and carries its peak; and the volts."""
    low, high = _volts(store)

    def suits(board: Converter) -> float | None:
        out = _made_for(board, load)
        if out is None or board.part_class in catalogue().halves or (board.input_max_v or 99.0) < high:
            return None
        if (board.kind == "boost" and high > out) or (board.kind in ("buck", "linear") and low < out + DROPS):
            return None
        figure = load.draw.peak.likely
        amps = {"power_w": figure / out, "current_a": figure}.get(load.kind, out / max(figure, 1e-6))
        set_to = altered(board, output_v=board.output_v.at(out))
        return out if amps < CARRIES * float(deliverable_a(set_to, max(low, board.lockout_v or 0.0))) else None

    found = [(c, out) for c in catalogue().boards() if (out := suits(c.part)) is not None]
    return min(found, key=lambda pair: pair[0].part.cost or 0.0, default=None)


def _made_for(board: Converter, load: Load) -> float | None:
    """The volts of a board that a load accepts: as it comes, else as it can be set, nearest to the middle of the window."""
    low, high = load.window.low_v, load.window.high_v
    if low <= board.output_v.likely <= high:
        return board.output_v.likely
    knob = settable(board.adjustable, "output_v")
    if knob is None or knob.high < low or knob.low > high:
        return None
    return min(max(round((low + high) / 2.0, 1), max(low, knob.low)), min(high, knob.high))


def _load(plan: Plan, found: PartClass, at: str) -> Edit:
    load = altered(found.part, id=found.key, name=free_name(plan, found.name))
    if at:
        return _shown(plan, added(plan, load, at), f"{load.name} added")
    place = _place_of_load(plan, load)
    if not place.board:
        return _shown(plan, added(plan, load, place.feeder), f"{load.name} added")
    with_rail, rail = _with_rail(plan, catalogue().find(place.board), place.feeder, place.volts)
    return _shown(with_rail, added(with_rail, load, rail), f"{load.name} added with {catalogue().find(place.board).name}")


def _with_rail(plan: Plan, found: PartClass, feeder: str, volts: float | None = None, name: str = "") -> tuple[Plan, str]:
    """A board and the rail it makes, named by its volts; and the rail's id."""
    output = found.part.output_v if volts is None else found.part.output_v.at(volts, source="set within its bounds")
    name = name or free_name(plan, found.name)
    board = catalogue().part(found.key, id=free_id(plan, f"reg-{found.key}"), fed_by=feeder, name=name, output_v=output)
    rail = Rail(id=free_id(plan, "rail"), name=free_name(plan, f"{output.likely:.1f} V rail"), fed_by=board.id)
    return checked(plan, {"converters": (*plan.converters, board), "rails": (*plan.rails, rail)}), rail.id


def _converter(plan: Plan, found: PartClass, at: str) -> Edit:
    if found.part.built_in:
        host = _host(plan, at)
        after, _ = _with_rail(plan, found, host.id, name=_of(plan, found, host))
        return Edit(after, f"{after.converters[-1].name} added", shows=after.converters[-1].id)
    after, _ = _with_rail(plan, found, at or behind_links(plan, _store(plan)).id)
    return Edit(after, f"{found.name} and its rail added", shows=after.converters[-1].id)


def _link(plan: Plan, found: PartClass, before_id: str, behind: str) -> Edit:
    part = plan.by_id.get(before_id)
    if found.part.kind == "outlet":
        return _outlet(plan, found, behind)
    if isinstance(part, ChargeBoard) or isinstance(plan.by_id.get(behind), Supply):
        return _way_in(plan, found, part, behind)
    if part is not None and not isinstance(part, Fed):
        raise FigureError("part_class", f"Nothing leads to {part.name}.", fix="Put it before a part that is fed.")
    if part is not None:
        before, feeder = [part], part.fed_by
    else:
        store = plan.by_id.get(behind) or _store(plan)
        feeder = store.id if behind or found.part.kind in AT_THE_STORE else behind_links(plan, store).id
        before = [p for p in plan.fed.get(feeder, ()) if not (isinstance(p, Link) and p.kind == "return")]
    link = catalogue().part(found.key, id=free_id(plan, found.key), fed_by=feeder, name=free_name(plan, found.name))
    update: dict[str, Any] = {}
    for fed in before:
        name = kind_of(fed).list
        update[name] = tuple(altered(p, fed_by=link.id) if p is fed else p for p in update.get(name, getattr(plan, name)))
    update["links"] = (*update.get("links", plan.links), link)
    return Edit(checked(plan, update), f"{link.name} put in", shows=link.id)


def _way_in(plan: Plan, found: PartClass, board: Part | None, behind: str) -> Edit:
    """A link between a supply and its charge board: right before that board, or before all boards of that supply."""
    boards = [board] if isinstance(board, ChargeBoard) else [b for b in plan.chargers if (b.fed_by or b.supply) == behind]
    feeder = behind if board is None else boards[0].fed_by or boards[0].supply
    link = catalogue().part(found.key, id=free_id(plan, found.key), fed_by=feeder, name=free_name(plan, found.name))
    moved = [altered(k, fed_by=link.id) if board is None and k.fed_by == feeder else k for k in plan.links]
    chargers = [altered(b, fed_by=link.id) if b in boards else b for b in plan.chargers]
    update = {"links": (*moved, link), "chargers": tuple(chargers)}
    return Edit(checked(plan, update), f"{link.name} put in", shows=link.id)


def _outlet(plan: Plan, found: PartClass, of: str) -> Edit:
    """An output of a load: a socket, pins, a pad."""
    host = _host(plan, of)
    link = catalogue().part(found.key, id=free_id(plan, found.key), fed_by=host.id, name=_of(plan, found, host))
    return Edit(checked(plan, {"links": (*plan.links, link)}), f"{link.name} added", shows=link.id)


def _host(plan: Plan, of: str) -> Load:
    """The load that an output belongs to: the one named, else the one that draws most."""
    hosts = [p for p in plan.loads if p.id == of] if of else sorted(plan.loads, key=lambda p: -p.draw.play.likely)
    if not hosts:
        raise FigureError("part_class", "An output belongs to a part that draws current.", fix="Open that part, and give it one.")
    return hosts[0]


def _of(plan: Plan, found: PartClass, host: Load) -> str:
    return free_name(plan, f"{found.name} of {host.name}"[:110])


def _cell(plan: Plan, found: PartClass, _at: str) -> Edit:
    first = next(iter(plan.packs), None)
    cutoff = first.protection.cutoff_cell_v if first and first.protection else guard_v(found.part)
    pack = pack_of(free_id(plan, "pack"), free_name(plan, "Pack"), found.part, 1, 1, cutoff=max(cutoff, LEAST_GUARD_V))
    return Edit(checked(plan, {"packs": (*plan.packs, pack)}), f"{pack.name} of one {found.name} added", shows=pack.id)


def _store_of_its_own(plan: Plan, found: PartClass, _at: str) -> Edit:
    part = catalogue().part(found.key, id=free_id(plan, found.key), name=free_name(plan, found.name))
    return Edit(checked(plan, {found.kind: (*getattr(plan, found.kind), part)}), f"{part.name} added", shows=part.id)


def _at_the_pack(plan: Plan, found: PartClass, at: str) -> Edit:
    store = at if at in {s.id for s in plan.stores} else _store(plan).id
    part = catalogue().part(found.key, id=free_id(plan, found.key), charges=store, name=free_name(plan, found.name))
    return Edit(checked(plan, {found.kind: (*getattr(plan, found.kind), part)}), f"{part.name} added", shows=part.id)


def _charger(plan: Plan, found: PartClass, at: str) -> Edit:
    filled = {c.charges for c in plan.chargers}
    stores = [s.id for s in plan.stores]
    store = at if at in stores else next((s for s in stores if s not in filled), _store(plan).id)
    window = found.part.input

    def takes(volts: float) -> bool:
        return window is None or window.low_v <= volts <= window.high_v

    supply = next((s for s in plan.supplies if takes(s.voltage_v.likely)), None)
    supplies = plan.supplies
    if supply is None:
        of_library = (c for c in catalogue().of_kind("supplies") if takes(c.part.voltage_v.likely))
        enough = sorted(of_library, key=lambda c: c.part.current_limit_a.likely < found.part.current_a.likely)
        if not enough:
            raise FigureError("part_class", f"No supply of the library suits {found.name}.", fix="Choose another charge board.")
        supply = catalogue().part(enough[0].key, id=free_id(plan, enough[0].key))
        supplies = (*supplies, supply)
    name = free_name(plan, found.name)
    board = catalogue().part(found.key, id=free_id(plan, found.key), charges=store, supply=supply.id, name=name)
    return Edit(checked(plan, {"supplies": supplies, "chargers": (*plan.chargers, board)}), f"{board.name} added", shows=board.id)


def _supply(plan: Plan, found: PartClass, _at: str) -> Edit:
    supply = catalogue().part(found.key, id=free_id(plan, found.key), name=free_name(plan, found.name))
    return Edit(checked(plan, {"supplies": (*plan.supplies, supply)}), f"{supply.name} added", shows=supply.id)


def _store(plan: Plan) -> Store:
    if not plan.stores:
        raise FigureError("part_class", "There is no pack or bank to put it at.", fix="Add a cell or a bank first.")
    return plan.stores[0]


def _shown(before: Plan, after: Plan, words: str) -> Edit:
    new = next(p.id for p in after.loads if p.id not in before.by_id)
    return Edit(after, words, shows=new)


# Of each kind but links, which go into a path: where a class goes, in words, and how.
WAYS: dict[str, tuple[str, Callable[[Plan, PartClass, str], Edit]]] = {
    "loads": ("where its volts are", _load),
    "converters": ("behind switch and fuse, with a rail", _converter),
    "cells": ("as a pack of its own, one cell", _cell),
    "banks": ("as a store of its own", _store_of_its_own),
    "capacitors": ("as a store of its own", _store_of_its_own),
    "balancers": ("at the pack", _at_the_pack),
    "trickles": ("at the pack", _at_the_pack),
    "chargers": ("at the pack", _charger),
    "supplies": ("for a charge board", _supply),
}
