"""The current map: the build laid out as a river, socket left, loads right, band width by watts."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from briskcell.core.assess import Assessment
from briskcell.core.headroom import judged
from briskcell.model.figure import Figure
from briskcell.model.parts import STATES, Converter, Link, Load, Rail
from briskcell.model.plan import Store
from briskcell.model.stores import Bank, Capacitor, Pack
from briskcell.model.units import show

LEFT, PACK, RIGHT, LABEL = 226.0, 64.0, 770.0, 786.0
ROW, TOP = 37.0, 44.0
WIDEST = 54.0
OWN = {"draw": (Load,), "rails": (Converter, Rail, Load), "pack": (Pack, Capacitor, Bank), "charge": (Pack, Capacitor, Bank)}


@dataclass
class Node:
    """A drawn element: one part, or a run of links taken together."""

    parts: list[Any]
    children: list[Node] = field(default_factory=list)
    depth: int = 0
    x: float = 0.0
    y: float = 0.0
    watts: float = 0.0


@dataclass(frozen=True, slots=True)
class Band:
    """A stretch of the river, as an SVG path."""

    path: str
    own: bool
    title: str


@dataclass(frozen=True, slots=True)
class Mark:
    """A drawn element with its words; ``kind`` chooses the shape."""

    kind: str
    element: str
    x: float
    y: float
    height: float
    lines: tuple[str, ...]
    sub: str
    state: str
    own: bool
    title: str
    fill: float = 0.0
    below: str = ""
    now: str = "holds"


@dataclass(frozen=True, slots=True)
class Loss:
    """Heat that peels off downwards."""

    path: str
    x: float
    y: float
    words: str


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
    title: str


@dataclass(frozen=True, slots=True)
class River:
    """The whole map in the coordinates of its view box."""

    height: float
    bands: tuple[Band, ...]
    marks: tuple[Mark, ...]
    losses: tuple[Loss, ...]
    rows: tuple[Row, ...]
    table: tuple[tuple[str, str, str, str, str], ...]
    sockets: tuple[dict[str, Any], ...]
    collapsed: bool
    label_x: float = LABEL


def river(assessed: Assessment, soc: float, state: str, station: str) -> River:
    """Lay out a build at one state of charge and load state."""
    op, plan = assessed.op, assessed.plan
    point, row = int(np.argmin(np.abs(op.soc - soc))), STATES.index(state)
    collapsed = bool(op.flow.collapsed[row, point]) if op.network.elements else False
    column = op.network.position
    volts = {e: float(op.flow.element_v[row, point, k]) for e, k in column.items()}
    amps = {e: 0.0 if collapsed else float(op.flow.element_a[row, point, k]) for e, k in column.items()}
    own = OWN.get(station, ())
    roots = [_tree(plan, pack) for pack in plan.stores]
    leaves: list[Node] = []
    for root in roots:
        _order(root, 0, leaves)
    depth = max((n.depth for r in roots for n in _walk(r) if not isinstance(n.parts[0], Load)), default=1)
    bottom = max([TOP + ROW * len(leaves), 206.0 * max(len(roots), 1)])
    gap = (bottom - TOP) / max(len(leaves), 1)
    for k, leaf in enumerate(leaves):
        leaf.y = TOP + gap * (k + 0.5) - 8
    step = (RIGHT - LEFT - PACK - 68.0) / max(depth, 1)
    for root in roots:
        _place(root, step, amps, volts)
    bottom = max([bottom, *(r.y + 108.0 for r in roots)])
    # One scale for all states, so that rest looks thin beside the peak.
    most = float(op.flow.element_w.max(initial=0.1))
    scale = WIDEST / max(most, 0.1)
    bands: list[Band] = []
    marks: list[Mark] = []
    losses: list[Loss] = []
    rows: list[Row] = []
    for root in roots:
        _draw(root, scale, assessed, volts, amps, own, row, point, bands, marks, losses, rows)
    table = tuple(
        (
            plan.by_id[e].name,
            show(volts[e], "V"),
            show(amps[e], "A"),
            show(volts[e] * amps[e], "W"),
            assessed.element_state(e),
        )
        for e in op.network.elements
    )
    return River(bottom + 14, tuple(bands), tuple(marks), tuple(losses), tuple(rows), table,
                 tuple(_socket(assessed, c, roots) for c in assessed.charges), collapsed)  # fmt: skip


def _tree(plan: Any, part: Any) -> Node:
    """The drawn tree below a part; a run of links is one node, and a wire that serves one load alone is its band."""
    node = Node([part])
    at = part
    while isinstance(at, Link) and len(nexts := plan.fed.get(at.id, ())) == 1 and isinstance(nexts[0], Link):
        at = nexts[0]
        node.parts.append(at)
    for child in plan.fed.get(at.id, ()):
        below = child
        while isinstance(below, Link) and len(plan.fed.get(below.id, ())) == 1:
            below = plan.fed[below.id][0]
        node.children.append(Node([below]) if isinstance(below, Load) else _tree(plan, child))
    return node


def _walk(node: Node) -> list[Node]:
    return [node, *(n for c in node.children for n in _walk(c))]


def _order(node: Node, depth: int, leaves: list[Node]) -> None:
    node.depth = depth
    if not node.children:
        leaves.append(node)
    for child in node.children:
        _order(child, depth + 1, leaves)


def _place(node: Node, step: float, amps: dict[str, float], volts: dict[str, float]) -> None:
    for child in node.children:
        _place(child, step, amps, volts)
    last = node.parts[-1].id
    node.watts = max(volts[last] * amps[last], 0.0)
    node.x = RIGHT if isinstance(node.parts[0], Load) else LEFT + (PACK + node.depth * step if node.depth else 0.0)
    if node.children:
        heavy = sum(max(c.watts, 0.02) for c in node.children)
        node.y = sum(c.y * max(c.watts, 0.02) for c in node.children) / heavy
        node.y = 0.5 * node.y + 0.5 * (node.children[0].y + node.children[-1].y) / 2


def _draw(node: Node, scale: float, assessed: Assessment, volts: dict[str, float], amps: dict[str, float],
          own: tuple[type, ...], row: int, point: int, bands: list[Band], marks: list[Mark], losses: list[Loss],
          rows: list[Row]) -> None:  # fmt: skip
    part = node.parts[0]
    mine = isinstance(part, own)
    width = max(node.watts * scale, 1.0)
    name = part.name
    if isinstance(part, Load):
        likely: Figure = getattr(part.draw, STATES[row])
        grade = likely.grade
        rows.append(
            Row(part.id, _short(name, 24), f"{show(volts[part.id], 'V')} · {show(amps[part.id], 'A')}", show(node.watts, "W"),
                grade, assessed.element_state(part.id), node.y, mine,
                f"{name}: {show(node.watts, 'W')} at {show(volts[part.id], 'V')}, known as: {grade}")
        )  # fmt: skip
        return
    lost, below, now = _lost(assessed, node, amps, volts, row, point), "", "holds"
    if isinstance(part, Store):
        kind, height = "pack", 116.0
        title = _held(part)
        lines: tuple[str, ...] = (_short(name, 16), title)
        sub = f"{show(volts[part.id], 'V')} · {show(amps[part.id], 'A')}"
        below = f"{show(lost, 'W')} lost inside"
    elif isinstance(part, Converter):
        kind, height = "board", max(width + 10, 26.0)
        lines = _wrapped(name)
        spare = next((h.spare_now[row, point] for h in assessed.headrooms if h.element == part.id), None)
        sub = f"spare {spare:.0%}" if spare is not None else ""
        now = judged(float(spare), assessed.plan.brief.margins) if spare is not None else "holds"
    elif isinstance(part, Rail):
        kind, height = "rail", max(width, 0.0)
        lines, sub = _wrapped(name), show(volts[part.id], "V")
    else:
        kind, height = "links", width
        kinds = [p.kind for p in node.parts]
        words = ", ".join(dict.fromkeys(kinds))
        lines = _wrapped(words[0].upper() + words[1:])
        sub = show(_drop(assessed, node, amps), "V")
    end = node.x + {"pack": PACK, "board": 62.0}.get(kind, 0.0)
    spread = (node.children[0].y, node.children[-1].y) if node.children else (node.y, node.y)
    state = next((w for w in ("fails", "close") if w in [assessed.element_state(p.id) for p in node.parts]), "holds")
    if kind == "rail":
        top = min(spread[0], node.y - width / 2) - 8
        kind = "rail" if node.depth < 4 else "side-rail"
        marks.append(Mark(kind, part.id, node.x, top, max(spread[1], node.y + width / 2) + 8 - top, lines, sub, state, mine, name))
    else:
        fill = float(assessed.op.soc[point]) if kind == "pack" else 0.0
        title = " → ".join(p.name for p in node.parts)
        marks.append(Mark(kind, part.id, node.x, node.y, height, lines, sub, state, mine, f"{title}: {sub}", fill, below, now))
    if lost >= 0.005 and kind != "pack":
        losses.append(_loss(node.x + (26.0 if kind == "board" else 0.0), node.y + (height if kind == "board" else width) / 2,
                            lost, scale))  # fmt: skip
    total = sum(max(c.watts * scale, 1.0) for c in node.children)
    at = node.y - total / 2
    for child in node.children:
        thick = max(child.watts * scale, 1.0)
        leaf = isinstance(child.parts[0], Load)
        band_title = f"{child.parts[-1].name}: {show(child.watts, 'W')}"
        bands.append(
            Band(
                _ribbon(end, at + thick / 2, child.x, child.y, thick),
                leaf and isinstance(child.parts[0], own),
                band_title,
            )
        )
        at += thick
    for child in node.children:
        _draw(child, scale, assessed, volts, amps, own, row, point, bands, marks, losses, rows)


def _held(store: Store) -> str:
    """What a store is, in a word."""
    if isinstance(store, Pack):
        return f"{store.series}S, {len(store.strings)} strings" if store.strings else f"{store.series}S{store.parallel}P"
    return show(store.capacitance_f.likely, "F") if isinstance(store, Capacitor) else show(store.cells_wh.likely, "Wh")


def _ribbon(x0: float, y0: float, x1: float, y1: float, thick: float) -> str:
    middle, half = (x0 + x1) / 2, thick / 2
    over = f"M{x0:.1f},{y0 - half:.1f} C{middle:.1f},{y0 - half:.1f} {middle:.1f},{y1 - half:.1f} {x1:.1f},{y1 - half:.1f}"
    under = f"C{middle:.1f},{y1 + half:.1f} {middle:.1f},{y0 + half:.1f} {x0:.1f},{y0 + half:.1f}Z"
    return f"{over} L{x1:.1f},{y1 + half:.1f} {under}"


def _loss(x: float, y: float, lost: float, scale: float) -> Loss:
    wide = min(max(lost * scale, 2.0), 16.0)
    path = f"M{x - wide:.1f},{y:.1f} q{wide + 8:.1f},2 {wide + 10:.1f},22 l-{wide:.1f},0 q-1,-16 -{10:.1f},-20 z"
    return Loss(path, x + 14, y + 20, show(lost, "W"))


def _lost(assessed: Assessment, node: Node, amps: dict[str, float], volts: dict[str, float], row: int, point: int) -> float:
    """Watts lost in an element: in its resistance, or between a board's input and output."""
    op, part = assessed.op, node.parts[0]
    if op.flow.collapsed[row, point]:
        return 0.0
    if isinstance(part, Converter):
        k = len(op.network.loads) + op.network.converters.index(part)
        taken = float(op.flow.consumer_v[row, point, k] * op.flow.consumer_a[row, point, k])
        return taken - volts[part.id] * amps[part.id]
    branches = [op.network.branches.index(p.id) for p in node.parts if p.id in op.network.branches]
    ohm = op.flow.branch_ohm[0 if op.flow.branch_ohm.shape[0] == 1 else row, point]
    return float(sum(ohm[b] * op.flow.branch_a[row, point, b] ** 2 for b in branches))


def _drop(assessed: Assessment, node: Node, amps: dict[str, float]) -> float:
    net = assessed.op.network
    return float(sum(net.fixed_ohm[net.branches.index(p.id)] * amps[p.id] for p in node.parts))


def _socket(assessed: Assessment, found: Any, roots: list[Node]) -> dict[str, Any]:
    """The charge path at a pack's left."""
    pack = next(r for r in roots if r.parts[0].id == found.board.charges)
    layout = {"power_path": "power path", "cut_out": "console cut out", "on_cell": "console on the cell"}
    return {
        "y": pack.y,
        "supply": found.supply,
        "board": found.board,
        "supply_lines": _wrapped(found.supply.name, 16),
        "board_lines": _wrapped(found.board.name, 16),
        "words": layout[found.board.layout],
        "state": assessed.element_state(found.board.id),
    }


def _short(words: str, most: int) -> str:
    return words if len(words) <= most else words[: most - 1].rstrip(" ,") + "…"


def _wrapped(words: str, most: int = 15) -> tuple[str, ...]:
    """At most two lines."""
    lines: list[str] = []
    for word in words.split():
        if lines and len(lines[-1]) + 1 + len(word) <= most:
            lines[-1] += f" {word}"
        else:
            lines.append(word)
    if len(lines) > 2:
        lines = [lines[0], _short(" ".join(lines[1:]), most)]
    return tuple(_short(line, most) for line in lines)
