"""Edits of the parts that draw current: added, duplicated, given a knob, moved, removed."""

from __future__ import annotations

from pydantic import ValidationError

from briskcell.model.changes import altered, remade, replaced
from briskcell.model.errors import FigureError
from briskcell.model.figure import Figure
from briskcell.model.parts import Link, Load, Part, PowerStates, Window
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack
from briskcell.model.tree import behind_links, feeding_point, free_id, free_name, load_feeders, made_v, own_wires
from briskcell.services.edits.values import Edit, checked, field_error_of


def added(plan: Plan, load: Load, fed_by: str) -> Plan:
    """The plan with a load on a wire of its own."""
    store = plan.by_id.get(fed_by)
    fed_by = behind_links(plan, store).id if isinstance(store, Pack) else fed_by  # never before the switch and the fuse
    part_id = free_id(plan, load.id)
    wire_id = free_id(plan, f"w-{part_id}")
    wire = Link(id=wire_id, name=f"Wire to {load.name[:60]}", kind="wire", fed_by=fed_by, awg=26, length_m=0.15)
    try:
        placed = altered(load, id=part_id, fed_by=wire_id)
    except ValidationError as error:
        raise field_error_of(error) from error
    return checked(plan, {"links": (*plan.links, wire), "loads": (*plan.loads, placed)})


def accepted_rail(plan: Plan, load: Load) -> Part | None:
    """The first rail, or board without one, whose volts a load accepts; None where there is none."""
    places = (p for p in load_feeders(plan) if not isinstance(p, Pack))
    return next((p for p in places if load.window.low_v <= made_v(plan, p) <= load.window.high_v), None)


def best_feeder(plan: Plan, load: Load) -> str:
    """Where a part may hang without asking: the first rail or board whose volts it accepts, else the first there is."""
    places = load_feeders(plan)
    if not places:
        raise FigureError("fed_by", "A part needs a pack or a rail to hang on; this build has neither.", fix="Begin a new build.")
    if (rail := accepted_rail(plan, load)) is not None:
        return rail.id
    # No rail suits: the pack itself, behind its switch and fuse, where its volts do; else the rail nearest to what it accepts.
    for place in places:
        if not isinstance(place, Pack):
            continue
        low, high = place.cell.empty_v * place.series, place.cell.full_v * place.series
        if load.window.low_v <= low and high <= load.window.high_v:
            return behind_links(plan, place).id
    boards = [p for p in places if not isinstance(p, Pack)]
    middle = (load.window.low_v + load.window.high_v) / 2.0
    return min(boards or places, key=lambda p: abs(made_v(plan, p) - middle)).id


def take_table(plan: Plan, rows: list[tuple[Load, str]]) -> Edit:
    """Add the parts of a table, each where it names a rail or board, else where its volts are right."""
    for load, wanted in rows:
        named = next((p.id for p in load_feeders(plan) if wanted and wanted.lower() in (p.name.lower(), p.id)), None)
        plan = added(plan, load, named or best_feeder(plan, load))
    return Edit(plan, f"{len(rows)} part{'s' if len(rows) != 1 else ''} taken from a table")


def own_load(name: str, rest: Figure, play: Figure, peak: Figure, low_v: float, high_v: float) -> Load:
    """A part of the builder's own, drawing constant power, not yet placed."""
    word = "".join(c if c.isascii() and c.isalnum() else "-" for c in name.lower()).strip("-")[:36] or "part"
    try:
        return Load(
            id=word if word[0].isalpha() else f"p-{word}",
            name=name,
            fed_by="nowhere",
            power_w=PowerStates(rest=rest, play=play, peak=peak),
            window=Window(low_v=low_v, high_v=high_v, source="typed by the builder"),
        )
    except ValidationError as error:
        raise field_error_of(error) from error


def duplicate(plan: Plan, part_id: str) -> Edit:
    """A second part like a load, right after it, on a wire like its own."""
    load = load_of(plan, part_id)
    new_id = free_id(plan, part_id)
    twin = altered(load, id=new_id, name=free_name(plan, load.name))
    links = plan.links
    if own := own_wires(plan, load):
        twin = altered(twin, fed_by=free_id(plan, f"w-{new_id}"))
        links = (*links, altered(own[0], id=twin.fed_by, name=f"Wire to {twin.name[:60]}", fed_by=feeding_point(plan, load)))
    at = plan.loads.index(load) + 1
    return Edit(checked(plan, {"links": links, "loads": (*plan.loads[:at], twin, *plan.loads[at:])}), f"{load.name} doubled")


def add_knob(plan: Plan, part_id: str) -> Edit:
    """A knob for a part, such as its brightness: full up, where its draw is taken to be quoted, until it is told otherwise."""
    load = load_of(plan, part_id)
    name = "Brightness" if not load.settings else f"Knob {len(load.settings) + 1}"
    knobs = (*load.settings, {"name": name, "position": 1.0, "share": 0.5})
    return Edit(replaced(plan, altered(load, settings=knobs)), f"{load.name} has a knob")


def remove_knob(plan: Plan, part_id: str, number: str) -> Edit:
    """Take a knob away; the draw is then what was quoted."""
    load = load_of(plan, part_id)
    if not number.isdigit() or int(number) >= len(load.settings):
        raise FigureError("id", "There is no such knob.", fix="Reload the page.")
    rest = tuple(s for k, s in enumerate(load.settings) if k != int(number))
    return Edit(replaced(plan, altered(load, settings=rest)), f"{load.settings[int(number)].name} of {load.name} taken away")


def remove(plan: Plan, part_id: str) -> Edit:
    """Remove a load and the wire that served it alone."""
    part = load_of(plan, part_id)
    gone = {part_id, *(w.id for w in own_wires(plan, part))}
    update = {name: tuple(p for p in getattr(plan, name) if p.id not in gone) for name in ("links", "loads")}
    return Edit(checked(plan, update), f"{part.name} removed")


def load_of(plan: Plan, part_id: str) -> Load:
    """The load of that id; FigureError where there is none."""
    part = plan.by_id.get(part_id)
    if not isinstance(part, Load):
        raise FigureError("id", "This works on a part that draws current.", fix="Swap it for another class instead.")
    return part


def move(plan: Plan, part_id: str, before: str) -> Edit:
    """Put a load before another in the list, or last where ``before`` names none."""
    load = load_of(plan, part_id)
    rest = [p for p in plan.loads if p is not load]
    at = next((k for k, p in enumerate(rest) if p.id == before), len(rest))
    return Edit(remade(plan, {"loads": (*rest[:at], load, *rest[at:])}), f"{load.name} moved")
