"""The harness as it will be laid: lane by lane from where a run begins to where it ends, wires to their length and thickness."""

from __future__ import annotations

import math
from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.core.engine.resistance import link_section_mm2
from briskcell.core.wiring.cutting import colour_of
from briskcell.core.wiring.harness import LinkCheck
from briskcell.model.parts import Converter, Fed, Link, Load, Part, Rail
from briskcell.model.plan import Plan, Store
from briskcell.model.stores import ChargeBoard, Supply
from briskcell.model.units import Show, show

from ..shapes import Drawing, Shape, group, path, rect, text
from ..words import short

LANE, HEAD, LEFT = 50.0, 30.0, 16.0
WIRE_W, STRETCH, OTHER_W, END_W = 132.0, 110.0, 104.0, 236.0
WIDTHS = {"wide": 1024.0, "narrow": 704.0, "phone": 640.0}


@dataclass(frozen=True, slots=True)
class Segment:
    """One link of a lane: its place, its words above and below, and how it is drawn."""

    element: str
    wire: bool
    x: float
    width: float
    over: str
    under: str
    colour: str
    back: bool
    thick: float
    state: str
    picked: bool
    title: str


@dataclass(frozen=True, slots=True)
class Lane:
    """One run: its links, what it ends at, and its height."""

    segments: tuple[Segment, ...]
    end: str
    end_id: str
    end_x: float
    y: float


@dataclass(frozen=True, slots=True)
class Lanes:
    """Where everything lies: lanes below the names of where they begin."""

    width: float
    height: float
    heads: tuple[tuple[str, str, float], ...]
    lanes: tuple[Lane, ...]


@dataclass(frozen=True, slots=True)
class _Run:
    links: tuple[Link, ...]
    end: Part | None


def lanes_of(assessed: Assessment, width: str, picked: str = "", show: Show = show) -> Lanes:
    """Lay out every run of a build.

    Parameters
    ----------
    assessed : Assessment
        The build.
    width : str
        ``wide``, ``narrow`` or ``phone``.
    picked : str
        A part, by id: its own runs are picked out.
    show : callable
        How figures are shown.

    Returns
    -------
    Lanes
        At least as wide as its longest run.
    """
    plan = assessed.plan
    checks = {c.link.id: c for c in assessed.links}
    longest = max((k.length_m for k in plan.links if k.length_m), default=0.1)
    groups = [(name, start, runs) for name, start, runs in _groups(plan) if runs]
    need = max((sum(_width(k, longest) for k in r.links) for _, _, runs in groups for r in runs), default=0.0) + LEFT + END_W
    heads, lanes, y = [], [], 4.0
    for name, start, runs in groups:
        heads.append((name, start, y + 18.0))
        y += HEAD
        for run in runs:
            lanes.append(_lane(assessed, run, checks, longest, picked, y + LANE / 2, show))
            y += LANE
        y += 8.0
    return Lanes(max(WIDTHS[width], need), y + 6.0, tuple(heads), tuple(lanes))


def harness(assessed: Assessment, width: str = "wide", picked: str = "", show: Show = show) -> Drawing | None:
    """The harness of a build, as ``lanes_of`` has it; None where there is no wire to draw."""
    if not assessed.plan.links:
        return None
    laid = lanes_of(assessed, width, picked, show)
    shapes = [group(text("head", 8.0, y, name), look="part", opens=f"part:{start}") for name, start, y in laid.heads]
    for lane in laid.lanes:
        shapes += [_drawn(s, lane.y) for s in lane.segments]
        if lane.end_id:
            shapes.append(group(text("nm", lane.end_x, lane.y + 5, lane.end), look="part", opens=f"part:{lane.end_id}"))
        else:
            shapes.append(text("sub", lane.end_x, lane.y + 5, lane.end))
    return Drawing(
        "harness", round(laid.width), round(laid.height), "The harness, run by run", tuple(shapes), opening=True, sized=True
    )


def _drawn(s: Segment, y: float) -> Shape:
    middle = s.x + s.width / 2
    if s.wire:
        strands = [path(f"strand {s.colour}", f"M{s.x:.1f},{y - 3:.1f} h{s.width:.1f}", s.thick)]
        strands += [path("strand black", f"M{s.x:.1f},{y + 4:.1f} h{s.width:.1f}", s.thick)] if s.back else []
    else:
        strands = [
            path("strand lead", f"M{s.x:.1f},{y:.1f} h{s.width:.1f}", 1.2),
            rect(f"contact {s.state}", middle - 9, y - 8, 18.0, 16.0, round=2),
        ]
    words = text("over", middle, y - 12, s.over, "middle"), text(f"sub {s.state}", middle, y + 21, s.under, "middle")
    return group(*strands, *words, look="part picked" if s.picked else "part", title=s.title, opens=f"part:{s.element}")


def _width(link: Link, longest_m: float) -> float:
    if link.kind not in ("wire", "return") or link.length_m is None:
        return OTHER_W
    return WIRE_W + STRETCH * link.length_m / longest_m


def _lane(assessed: Assessment, run: _Run, checks: dict[str, LinkCheck], longest: float, picked: str, y: float, show: Show) -> Lane:
    segments, x = [], LEFT
    end_id = run.end.id if run.end else ""
    mine = picked in (end_id, *(k.id for k in run.links)) and picked != ""
    for link in run.links:
        width = _width(link, longest)
        segments.append(_segment(assessed, link, checks.get(link.id), x, width, show, picked=mine))
        x += width
    end = run.end.name if run.end else "several ways on" if run.links else ""
    return Lane(tuple(segments), short(end, END_W - 24.0), end_id, x + 10.0, y)


def _segment(
    assessed: Assessment, link: Link, check: LinkCheck | None, x: float, width: float, show: Show, *, picked: bool
) -> Segment:
    wire = link.kind in ("wire", "return") and link.length_m is not None and (link.awg is not None or link.section_mm2 is not None)
    if wire:
        gauge = show(link.awg, "AWG") if link.awg is not None else f"{link.section_mm2:g} mm²"
        over = f"{gauge} · {show(link.length_m or 0.0, 'm')}"
        thick = min(max(1.6 * link_section_mm2(link) ** 0.5 + 1.2, 1.5), 6.0)
    else:
        rated = f" {link.rating_a.likely:g} A" if link.rating_a else ""
        over, thick = f"{link.kind}{rated}", 0.0
    under = "" if check is None else f"{show(check.drop_v, 'V')}{_warming(check.rise_k)}"
    return Segment(
        link.id,
        wire,
        x,
        width,
        short(over, width - 8.0, 12),
        short(under, width - 8.0, 12),
        colour_of(assessed.plan, link),
        link.conductors > 1 and link.kind == "wire",
        round(thick, 1),
        assessed.element_state(link.id),
        picked,
        f"{link.name}: {over}" + (f", {under} at {show(check.amps, 'A')}" if check else ""),
    )


def _warming(rise_k: float | None) -> str:
    """How much a wire warms, in a word; nothing where that is less than a degree."""
    if rise_k is None or rise_k < 1.0:
        return ""
    return f" · +{rise_k:.0f} °C" if math.isfinite(rise_k) else " · runs away"


def _groups(plan: Plan) -> list[tuple[str, str, list[_Run]]]:
    """Where runs begin: sockets, stores, branching links, boards with their rails, and parts that pass power on."""
    out: list[tuple[str, str, list[_Run]]] = []
    waiting: list[Part] = [*plan.supplies, *plan.stores]
    while waiting:
        start = waiting.pop(0)
        children = _children(plan, start)
        runs = [_run(plan, c) for c in children]
        if isinstance(start, Supply):
            runs = [_Run(r.links, r.end or _charged(plan, r)) for r in runs]
        out.append((_name(plan, start), start.id, [r for r in runs if r.links]))
        for run in runs:
            at = run.end if run.end is not None else run.links[-1] if run.links else None
            if at is not None and _children(plan, at):
                waiting.append(at)
    return out


def _name(plan: Plan, start: Part) -> str:
    if isinstance(start, Converter):
        rail = next((r for r in plan.rails if r.fed_by == start.id), None)
        return f"{rail.name if rail else 'Output'}, from {start.name}"
    if isinstance(start, (Store, Supply)):
        return f"From {start.name}"
    return f"{start.name} passes on" if isinstance(start, Load) else f"Behind {start.name}"


def _children(plan: Plan, part: Part) -> list[Fed]:
    """What hangs on a part, past the rail it makes."""
    out: list[Fed] = []
    for child in plan.fed.get(part.id, ()):
        out += _children(plan, child) if isinstance(child, Rail) else [child]
    return out


def _run(plan: Plan, first: Fed) -> _Run:
    """Links one after the other, to the part at their end, or to where they part."""
    links: list[Link] = []
    at: Fed = first
    while isinstance(at, Link):
        links.append(at)
        below = _children(plan, at)
        if len(below) != 1:
            return _Run(tuple(links), _met(plan, at))
        at = below[0]
    return _Run(tuple(links), at)


def _met(plan: Plan, last: Link) -> Rail | None:
    """The rail that a link gives to as its second source."""
    return next((r for r in plan.rails if last.id in r.also), None)


def _charged(plan: Plan, run: _Run) -> ChargeBoard | None:
    """The charge board that a run of the supply side leads to."""
    return next((b for b in plan.chargers if run.links and b.fed_by == run.links[-1].id), None)
