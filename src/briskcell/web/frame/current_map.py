"""The current map: the build laid out as a river, socket left, loads right, band width by watts, at one operating point."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from briskcell.core.assess import Assessment
from briskcell.core.rails.headroom import judged
from briskcell.core.stations import STATIONS
from briskcell.model.figure import Figure
from briskcell.model.parts import STATES, Link, Part
from briskcell.model.plan import Store
from briskcell.model.stores import Capacitor, Pack
from briskcell.model.tree import layout_of
from briskcell.model.units import show
from briskcell.web.drawing.text import short, wrapped

from .map_flows import NodeFlow, flows_document, flows_of
from .map_layout import WIDEST, Layout, Node, lay_out, trees

LAYOUTS = {"power_path": "power path", "cut_out": "console cut out", "on_cell": "console on the cell"}


@dataclass(frozen=True, slots=True)
class Band:
    """A stretch of the river: the middle of its course, and how wide it is; ``watts`` go in at its start."""

    of: str
    path: str
    thick: float
    own: bool
    title: str
    x1: float
    y1: float
    straight: float


@dataclass(frozen=True, slots=True)
class Mark:
    """A drawn element with its words, and the bands that leave it."""

    kind: str
    element: str
    x: float
    y: float
    out_x: float
    half: float
    lines: tuple[str, ...]
    sub: str
    state: str
    now: str
    own: bool
    changed: bool
    title: str
    volts: str
    lost: str
    lost_thick: float
    fill: float
    rail: tuple[float, float] | None
    bands: tuple[Band, ...]
    feeds: str


@dataclass(frozen=True, slots=True)
class Row:
    """A load at the mouth of the river."""

    element: str
    name: str
    flows: str
    watts: str
    grade: str
    state: str
    y: float
    own: bool
    changed: bool
    title: str


@dataclass(frozen=True, slots=True)
class CurrentMap:
    """The whole map in the coordinates of its view box; ``scale`` is units of width a watt."""

    layout: Layout
    scale: float
    marks: tuple[Mark, ...]
    rows: tuple[Row, ...]
    table: tuple[tuple[str, str, str, str, str, str, bool], ...]
    sockets: tuple[dict[str, Any], ...]


def current_map(assessed: Assessment, soc: float, state: str, station: str, width: str = "wide",
          baseline: Assessment | None = None) -> CurrentMap:  # fmt: skip
    """Lay out a build and show it at one state of charge and load state."""
    op, plan = assessed.op, assessed.plan
    point, row = op.index(soc), STATES.index(state)
    roots = trees(plan)
    flows = flows_of(assessed, roots)
    most = max((float((f.watts + f.lost).max(initial=0.0)) for f in flows.values()), default=0.0)
    scale = WIDEST / max(most, 0.1)  # one for all states, so that rest looks thin beside the peak
    widest = {e: float((f.watts + f.lost).max(initial=0.0)) * scale for e, f in flows.items()}
    chargers = {s.id: sum(c.charges == s.id for c in plan.chargers) for s in plan.stores}
    layout = lay_out(roots, width, widest, chargers)
    changed = changed_parts(assessed, baseline)
    here = OperatingPoint(assessed, flows, row, point, scale, STATIONS[station].own, changed, layout.step)
    nodes = [n for root in layout.roots for n in root.walk()]
    return CurrentMap(
        layout=layout,
        scale=scale,
        marks=tuple(here.mark(n) for n in nodes if n.kind != "load"),
        rows=tuple(here.row_of(n, layout) for n in nodes if n.kind == "load"),
        table=(*(here.line(n) for n in nodes), *(here.back(k) for k in plan.links if k.kind == "return")),
        sockets=tuple(s for root in layout.roots for s in here.sockets(root, layout.left - 24.0)),
    )


def left_h(assessed: Assessment) -> list[float | None]:
    """Hours of play left at each state of charge of the deciding store; None from its stop down, or where nothing draws."""
    found, op = assessed.runtime, assessed.op
    if found is None or found.hours is None:
        return [None for _ in op.soc]
    left = found.hours - found.elapsed_h
    return [float(h) if s > found.stop_soc and h > 0 else None for s, h in zip(op.soc, left, strict=True)]


def left_words(assessed: Assessment, soc: float) -> str:
    """What is left at a state of charge, in words; as the page's script says it while the slider moves."""
    found = assessed.runtime
    if found is None or found.hours is None:
        return ""
    left = left_h(assessed)[assessed.op.index(soc)]
    return "stopped" if left is None else f"{show(left, 'h')} left"


def map_document(assessed: Assessment) -> dict[str, Any]:
    """All that the map needs to step through charge and states by itself."""
    roots = trees(assessed.plan)
    margins = assessed.plan.brief.margins
    return flows_document(assessed, roots, flows_of(assessed, roots)) | {
        "left": [None if h is None else round(h, 5) for h in left_h(assessed)],
        "draws": assessed.runtime is not None and assessed.runtime.hours is not None,
        "margins": [margins.comfortable, margins.close],
        "own": {n.id: [w.id for w in n.wires] for r in roots for n in r.walk() if n.wires},
    }


def changed_parts(assessed: Assessment, baseline: Assessment | None) -> frozenset[str]:
    """Ids of the parts that are not as they were in the baseline."""
    if baseline is None:
        return frozenset()
    before = baseline.plan.by_id
    return frozenset(p.id for p in assessed.plan.parts() if before.get(p.id) != p)


def course(x0: float, y0: float, straight: float, y1: float, x1: float) -> str:
    """The middle of a band as a path: bent to its height up to ``straight``, then level."""
    middle = (x0 + straight) / 2
    return f"M{x0:.1f},{y0:.1f} C{middle:.1f},{y0:.1f} {middle:.1f},{y1:.1f} {straight:.1f},{y1:.1f} H{x1:.1f}"


class OperatingPoint:
    """One operating point of one build, as the drawings of it need it."""

    def __init__(self, assessed: Assessment, flows: dict[str, NodeFlow], row: int, point: int, scale: float,
                 own: tuple[Any, ...], changed: frozenset[str], step: float = 0.0) -> None:  # fmt: skip
        self.assessed, self.flows, self.row, self.point, self.scale = assessed, flows, row, point, scale
        self.own, self.changed, self.step = own, changed, step

    def in_w(self, node: Node) -> float:
        """Watts into a node, with what is lost in it."""
        f = self.flows[node.id]
        return float(f.watts[self.row, self.point] + f.lost[self.row, self.point])

    def thick(self, watts: float) -> float:
        """How wide a band of so many watts is."""
        return round(max(watts * self.scale, 0.8), 1)

    def is_changed(self, node: Node) -> bool:
        """Whether any part of a node changed since the mark."""
        parts: list[Part] = [*node.parts, *node.wires, *([node.rail] if node.rail else [])]
        return any(p.id in self.changed for p in parts)

    def state(self, node: Node) -> str:
        """Worst word of a node's parts."""
        words = [self.assessed.element_state(p.id) for p in (*node.parts, *node.wires)]
        return next((w for w in ("fails", "close") if w in words), "holds")

    def mark(self, node: Node) -> Mark:
        """A node with its words and the bands that leave it."""
        part, f = node.parts[0], self.flows[node.id]
        at = self.row, self.point
        volts, lost = float(f.volts[at]), float(f.lost[at])
        spare = float(f.spare[at]) if f.spare is not None else None
        half = 58.0 if node.kind == "pack" else max(self.thick(self.in_w(node)) / 2 + 5, 13.0)
        sub, now = show(volts, "V"), "holds"
        if node.kind == "pack":
            sub = f"{show(volts, 'V')} · {show(f.amps(*at), 'A')}"
        elif node.kind == "board":
            sub = "" if spare is None else f"{show(abs(spare), '%')} {'spare' if spare >= 0 else 'short'} now"
            now = judged(spare, self.assessed.plan.brief.margins) if spare is not None else "holds"
        elif node.kind == "links":
            amps = f.amps(*at)
            sub = f"−{show(lost / amps if amps > 0 else 0.0, 'V')}"
        title = " → ".join(p.name for p in node.parts)
        if node.kind == "pack":
            title += f", {_held(part)}"
        rail = None
        if node.kind == "rail" or node.rail:
            ys = [c.y for c in node.children] or [node.y]
            rail = min(*ys, node.y) - 8, max(*ys, node.y) + 8
            title += f", feeds {node.rail.name}" if node.rail else ""
        return Mark(
            kind=node.kind, element=part.id, x=node.x, y=node.y, out_x=node.out_x, half=half, lines=node.lines, sub=sub,
            state=self.state(node), now=now, own=isinstance(part, self.own), changed=self.is_changed(node),
            title=f"{title}: {show(float(f.watts[at]), 'W')} at {show(volts, 'V')}, {show(lost, 'W')} lost",
            volts=show(volts, "V"), lost=show(lost, "W"), lost_thick=round(min(max(lost * self.scale, 4.0), 16.0), 1),
            fill=float(self.assessed.op.soc[self.point]) if node.kind == "pack" else 0.0, rail=rail, bands=self._bands(node),
            feeds=node.rail.id if node.rail else str(node.parts[-1].id),
        )  # fmt: skip

    def _bands(self, node: Node) -> tuple[Band, ...]:
        widths = [self.thick(self.in_w(c)) for c in node.children]
        at = node.y - sum(widths) / 2
        out = []
        for child, thick in zip(node.children, widths, strict=True):
            # A band reaches the height of its own strip within one column, so that it crosses nothing.
            straight = min(node.out_x + max(self.step * 0.72, 40.0), child.in_x)
            path = course(node.out_x, at + thick / 2, straight, child.y, child.in_x)
            title = f"{child.parts[-1].name}: {show(self.in_w(child), 'W')}"
            out.append(Band(child.id, path, thick, isinstance(child.parts[0], self.own),
                            title, child.in_x, child.y, straight))  # fmt: skip
            at += thick
        return tuple(out)

    def row_of(self, node: Node, layout: Layout) -> Row:
        """A load's row."""
        load, f = node.parts[0], self.flows[node.id]
        volts, watts = float(f.volts[self.row, self.point]), float(f.watts[self.row, self.point])
        likely: Figure = getattr(load.draw, STATES[self.row])
        room = layout.width - layout.label_x - (78.0 if layout.two_lines else 104.0)
        flows = f"{show(volts, 'V')} · {show(f.amps(self.row, self.point), 'A')}"
        return Row(
            load.id, short(load.name, room), flows, show(watts, "W"), likely.grade, self.state(node), node.y,
            isinstance(load, self.own), self.is_changed(node),
            f"{load.name}: {show(watts, 'W')} at {show(volts, 'V')}, known as: {likely.grade}",
        )  # fmt: skip

    def line(self, node: Node) -> tuple[str, str, str, str, str, str, bool]:
        """A line of the table behind the map."""
        f, at = self.flows[node.id], (self.row, self.point)
        name = " → ".join(p.name for p in (*node.parts, *([node.rail] if node.rail else [])))
        return (name, show(float(f.volts[at]), "V"), show(f.amps(*at), "A"), show(float(f.watts[at]), "W"),
                show(float(f.lost[at]), "W"), self.state(node), self.is_changed(node))  # fmt: skip

    def back(self, link: Link) -> tuple[str, str, str, str, str, str, bool]:
        """A shared return in that table: its drop, and what flows back."""
        flow, k = self.assessed.op.flow, self.assessed.op.network.position[link.id]
        volts = float(flow.element_v[self.row, self.point, k])
        amps = float(flow.branch_a[self.row, self.point, self.assessed.op.network.branch[link.id]])
        amps = amps if np.isfinite(amps) else 0.0
        return (link.name, show(volts, "V"), show(amps, "A"), show(0.0, "W"), show(volts * amps, "W"),
                self.assessed.element_state(link.id), link.id in self.changed)  # fmt: skip

    def sockets(self, root: Node, room: float) -> list[dict[str, Any]]:
        """The charge paths at a pack's left, one below the other."""
        op = self.assessed.op
        out = []
        for n, found in enumerate(c for c in self.assessed.charges if c.board.charges == root.id):
            amps = float(np.interp(op.soc[self.point], found.off.soc, found.off.current_a)) if len(found.off.soc) else 0.0
            out.append({
                "y": root.y + 78.0 * n,
                "supply": found.supply,
                "board": found.board,
                "supply_lines": wrapped(found.supply.name, room, 2)[: 1 if n else 2],
                "board_lines": wrapped(found.board.name, room, 2)[: 1 if n else 2],
                "words": short(LAYOUTS[layout_of(self.assessed.plan, found.board)], room, 12),
                "amps": show(amps, "A"),
                "state": self.assessed.element_state(found.board.id),
                "changed": found.board.id in self.changed or found.supply.id in self.changed,
                "to_x": root.x,
            })  # fmt: skip
        return out


def _held(store: Store) -> str:
    """What a store is, in a word."""
    if isinstance(store, Pack):
        return f"{store.series}S, {len(store.strings)} strings" if store.strings else f"{store.series}S{store.parallel}P"
    return show(store.capacitance_f.likely, "F") if isinstance(store, Capacitor) else show(store.cells_wh.likely, "Wh")
