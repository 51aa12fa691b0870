"""Edits that add, take away, swap, move and hang parts; each gives a new plan and says in words what it did."""

from __future__ import annotations

from pydantic import ValidationError

from briskcell.library import catalogue
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.errors import FigureError
from briskcell.model.figure import Figure
from briskcell.model.parts import Converter, Fed, Link, Load, Part, PowerStates, Rail, Window
from briskcell.model.plan import Plan
from briskcell.model.stores import Cell, ChargeBoard, Pack, Supply

from .edits import Edit, checked, told

KIND_OF: dict[type[Part], str] = {
    Load: "loads", Converter: "converters", Link: "links", ChargeBoard: "chargers", Supply: "supplies", Pack: "cells",
}  # fmt: skip


def free_id(plan: Plan, wanted: str) -> str:
    """The id itself, or with the first free number."""
    base = wanted[:40]
    return next(i for n in range(1, 1000) if (i := base if n == 1 else f"{base}-{n}") not in plan.by_id)


def feeders(plan: Plan) -> list[Part]:
    """Where a load can hang: rails, and packs and converters without a rail of their own."""
    railed = {r.fed_by for r in plan.rails}
    return [p for p in plan.parts() if p in plan.rails or (isinstance(p, (Pack, Converter)) and p.id not in railed)]


def added(plan: Plan, load: Load, fed_by: str) -> Plan:
    """The plan with a load on a wire of its own."""
    part_id = free_id(plan, load.id)
    wire_id = free_id(plan, f"w-{part_id}")
    wire = Link(id=wire_id, name=f"Wire to {load.name[:60]}", kind="wire", fed_by=fed_by, awg=26, length_m=0.15)
    try:
        placed = altered(load, id=part_id, fed_by=wire_id)
    except ValidationError as error:
        raise told(error) from error
    return checked(plan, {"links": (*plan.links, wire), "loads": (*plan.loads, placed)})


def add_load(plan: Plan, key: str, fed_by: str) -> Edit:
    """Add a load of a library class, with a wire of its own, where it hangs."""
    found = catalogue().find(key)
    if found.kind != "loads":
        raise FigureError("part_class", f"{found.name} draws nothing by itself.", fix="Choose a part that draws current.")
    return Edit(added(plan, altered(found.part, id=key), fed_by or best_feeder(plan, found.part)), f"{found.name} added")


def best_feeder(plan: Plan, load: Load) -> str:
    """Where a part may hang without asking: the first rail or board whose volts it accepts, else the first there is."""
    places = feeders(plan)
    if not places:
        raise FigureError("fed_by", "A part needs a pack or a rail to hang on; this build has neither.", fix="Begin a new build.")
    for place in places:
        board = plan.by_id[place.fed_by] if isinstance(place, Rail) else place
        if isinstance(board, Converter) and load.window.low_v <= board.output_v.likely <= load.window.high_v:
            return place.id
    return places[0].id


def take_table(plan: Plan, rows: list[tuple[Load, str]]) -> Edit:
    """Add the parts of a table, each where it names a rail or board, else where its volts are right."""
    for load, wanted in rows:
        named = next((p.id for p in feeders(plan) if wanted and wanted.lower() in (p.name.lower(), p.id)), None)
        plan = added(plan, load, named or best_feeder(plan, load))
    return Edit(plan, f"{len(rows)} part{'s' if len(rows) != 1 else ''} taken from a table")


def own_load(name: str, rest: Figure, play: Figure, peak: Figure, low_v: float, high_v: float) -> Load:
    """A part of the builder's own, drawing constant power, not yet placed."""
    word = "".join(c if c.isascii() and c.isalnum() else "-" for c in name.lower()).strip("-")[:36] or "part"
    try:
        return Load(
            id=word if word[0].isalpha() else f"p-{word}", name=name, fed_by="nowhere",
            power_w=PowerStates(rest=rest, play=play, peak=peak),
            window=Window(low_v=low_v, high_v=high_v, source="typed by the builder"),
        )  # fmt: skip
    except ValidationError as error:
        raise told(error) from error


def duplicate(plan: Plan, part_id: str) -> Edit:
    """A second part like a load, right after it, on a wire like its own."""
    load = _load(plan, part_id)
    new_id = free_id(plan, part_id)
    twin = altered(load, id=new_id, name=_numbered(plan, load.name))
    links = plan.links
    if (own := _own_wires(plan, load)) and isinstance(wire := plan.by_id[own[0]], Link):
        twin = altered(twin, fed_by=free_id(plan, f"w-{new_id}"))
        links = (*links, altered(wire, id=twin.fed_by, name=f"Wire to {twin.name[:60]}", fed_by=hangs_on(plan, load)))
    at = plan.loads.index(load) + 1
    return Edit(checked(plan, {"links": links, "loads": (*plan.loads[:at], twin, *plan.loads[at:])}), f"{load.name} doubled")


def _numbered(plan: Plan, name: str) -> str:
    names = {p.name for p in plan.parts()}
    return next(n for k in range(2, 1000) if (n := f"{name[:112]} {k}") not in names)


def add_knob(plan: Plan, part_id: str) -> Edit:
    """A knob for a part, such as its brightness: full up, where its draw is taken to be quoted, until it is told otherwise."""
    load = _load(plan, part_id)
    name = "Brightness" if not load.settings else f"Knob {len(load.settings) + 1}"
    knobs = (*load.settings, {"name": name, "position": 1.0, "share": 0.5})
    return Edit(replaced(plan, altered(load, settings=knobs)), f"{load.name} has a knob")


def remove_knob(plan: Plan, part_id: str, number: str) -> Edit:
    """Take a knob away; the draw is then what was quoted."""
    load = _load(plan, part_id)
    if not number.isdigit() or int(number) >= len(load.settings):
        raise FigureError("id", "There is no such knob.", fix="Reload the page.")
    rest = tuple(s for k, s in enumerate(load.settings) if k != int(number))
    return Edit(replaced(plan, altered(load, settings=rest)), f"{load.settings[int(number)].name} of {load.name} taken away")


def remove(plan: Plan, part_id: str) -> Edit:
    """Remove a load and the wire that served it alone."""
    part = _load(plan, part_id)
    gone = {part_id, *_own_wires(plan, part)}
    update = {name: tuple(p for p in getattr(plan, name) if p.id not in gone) for name in ("links", "loads")}
    return Edit(checked(plan, update), f"{part.name} removed")


def _load(plan: Plan, part_id: str) -> Load:
    part = plan.by_id.get(part_id)
    if not isinstance(part, Load):
        raise FigureError("id", "This works on a part that draws current.", fix="Swap it for another class instead.")
    return part


def _own_wires(plan: Plan, load: Load) -> list[str]:
    """The wires that serve a load alone, from the load upwards."""
    own, at = [], plan.by_id[load.fed_by]
    while isinstance(at, Link) and at.kind == "wire" and len(plan.fed[at.id]) == 1:
        own.append(at.id)
        at = plan.by_id[at.fed_by]
    return own


def hangs_on(plan: Plan, load: Load) -> str:
    """What a load hangs on, above the wires of its own."""
    own = _own_wires(plan, load)
    return getattr(plan.by_id[own[-1]], "fed_by", "") if own else load.fed_by


def hang(plan: Plan, part_id: str, fed_by: str) -> Edit:
    """Hang a load elsewhere, with its own wire: on a rail, a board without one, or the pack itself."""
    load, to = _load(plan, part_id), plan.by_id.get(fed_by)
    if to is None or not (to in feeders(plan) or to.id == store_point(plan, load)):
        raise FigureError("fed_by", "Nothing hangs there.", fix="Choose a rail, or a pack.")
    own = _own_wires(plan, load)
    try:
        moved = altered(plan.by_id[own[-1]] if own else load, fed_by=fed_by)
        return Edit(replaced(plan, moved), f"{load.name} hung on {to.name}")
    except ValidationError as error:
        raise told(error, "fed_by") from error


def store_point(plan: Plan, load: Load) -> str:
    """Where a part hangs on its store without a board: behind the switch and fuse, never before them."""
    at: Part = load
    while isinstance(at, Fed):
        at = plan.by_id[at.fed_by]
    return behind_links(plan, at).id


def behind_links(plan: Plan, store: Part) -> Part:
    """The end of the wire, switch and fuse that follow a store, where its current first parts."""
    at = store
    while len(nexts := plan.fed.get(at.id, ())) == 1 and isinstance(nexts[0], Link):
        at = nexts[0]
    return at


def board_places(plan: Plan) -> list[tuple[Part, str]]:
    """Where a further board can be fed from: each store, behind its switch and fuse, and each rail; with words for it."""
    stores = [(behind_links(plan, s), f"{s.name}, behind switch and fuse") for s in plan.stores]
    return stores + [(r, r.name) for r in plan.rails]


def hang_all(plan: Plan, part_ids: list[str], fed_by: str) -> Edit:
    """Hang several loads on one rail."""
    for part_id in part_ids or [""]:
        plan = hang(plan, part_id, fed_by).plan
    return Edit(plan, f"{len(part_ids)} part{'s' if len(part_ids) != 1 else ''} hung on {plan.by_id[fed_by].name}")


def move(plan: Plan, part_id: str, before: str) -> Edit:
    """Put a load before another in the list, or last where ``before`` names none."""
    load = _load(plan, part_id)
    rest = [p for p in plan.loads if p is not load]
    at = next((k for k, p in enumerate(rest) if p.id == before), len(rest))
    return Edit(remade(plan, {"loads": (*rest[:at], load, *rest[at:])}), f"{load.name} moved")


def swapped(plan: Plan, part_id: str, key: str) -> tuple[Plan, str]:
    """The plan with another class in a part's place, and the name that was there; where it hangs stays.

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
        if KIND_OF.get(type(part)) != found.kind:
            raise FigureError("part_class", f"{found.name} cannot stand for {part.name}.", fix="Choose a part of the same kind.")
        keep = {n: getattr(part, n) for n in ("id", "fed_by", "charges", "supply") if n in type(part).model_fields}
        new: Part = catalogue().part(key, **keep)
        return replaced(plan, new), part.name
    except ValidationError as error:
        raise told(error, "part_class") from error


def swap(plan: Plan, part_id: str, key: str) -> Edit:
    """Put another class in a part's place; where it hangs stays, and a pack keeps its cells' count."""
    new, was = swapped(plan, part_id, key)
    return Edit(new, f"{catalogue().find(key).name} in place of {was}")


def add_rail(plan: Plan, board_key: str, fed_by: str, name: str) -> Edit:
    """A further rail: a board of a library class, and the rail it makes."""
    found = catalogue().find(board_key)
    if found.kind != "converters":
        raise FigureError("rail", f"{found.name} makes no rail.", fix="Choose a board.")
    if fed_by not in {p.id for p, _ in board_places(plan)}:
        raise FigureError("rail", "No board can be fed from there.", fix="Choose the pack, or a rail.")
    board = catalogue().part(board_key, id=free_id(plan, f"reg-{board_key}"), fed_by=fed_by)
    name = name.strip() or f"{found.part.output_v.likely:.1f} V rail"
    try:
        rail = Rail(id=free_id(plan, "rail"), name=name, fed_by=board.id)
    except ValidationError as error:
        raise told(error, "rail") from error
    update = {"converters": (*plan.converters, board), "rails": (*plan.rails, rail)}
    return Edit(checked(plan, update), f"{name} added, made by {found.name}")


def remove_rail(plan: Plan, rail_id: str) -> Edit:
    """Take a rail away with the board that makes it, once nothing hangs on it."""
    rail = plan.by_id.get(rail_id)
    if not isinstance(rail, Rail) or plan.fed.get(rail_id):
        raise FigureError("rail", "Something still hangs on this rail.", fix="Hang its parts elsewhere first.")
    alone = isinstance(plan.by_id[rail.fed_by], Converter) and len(plan.fed[rail.fed_by]) == 1
    gone = {rail_id, rail.fed_by} if alone else {rail_id}
    update = {name: tuple(p for p in getattr(plan, name) if p.id not in gone) for name in ("converters", "rails")}
    return Edit(checked(plan, update), f"{rail.name} taken away")
