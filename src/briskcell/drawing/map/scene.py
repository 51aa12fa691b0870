"""A map before it is drawn: its marks, bands and rows, each with its numbers at every state and state of charge.

``Moment`` shows one point of it. ``stepping`` hands out all of them, for a page that steps by itself.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from briskcell.core.assess import Assessment
from briskcell.model.parts import STATES, Part
from briskcell.model.plan import Store
from briskcell.model.stores import Capacitor, Pack
from briskcell.model.tree import layout_of
from briskcell.model.units import show

from ..shapes import Shape, path, text
from ..words import short, wrapped
from .flows import Widths
from .layout import Node

Array = NDArray[np.float64]
LAYOUTS = {"power_path": "power path", "cut_out": "console cut out", "on_cell": "console on the cell"}
WORDS = ("holds", "close", "fails")


@dataclass(frozen=True, slots=True)
class Band:
    """A stretch of the river to some nodes: its course, and the height of its start and its width at every point."""

    nodes: tuple[Node, ...]
    x0: float
    straight: float
    x1: float
    y1: float
    starts: Array
    thick: Array

    @property
    def ids(self) -> str:
        """The nodes by id."""
        return " ".join(n.id for n in self.nodes)


@dataclass(frozen=True, slots=True)
class Mark:
    """A drawn element: where it stands, the words of its name, and the bands that leave it."""

    node: Node
    x: float
    y: float
    lines: tuple[str, ...]
    bands: tuple[Band, ...]


@dataclass(frozen=True, slots=True)
class Row:
    """A line at the mouth: the nodes that it stands for, its name, and its height."""

    nodes: tuple[Node, ...]
    name: str
    y: float

    @property
    def load(self) -> bool:
        """Whether it is one load by itself."""
        return len(self.nodes) == 1 and self.nodes[0].kind == "load"


@dataclass(frozen=True, slots=True)
class Scene:
    """Marks and rows of one map; a pack is drawn ``tall``."""

    assessed: Assessment
    widths: Widths
    marks: tuple[Mark, ...]
    rows: tuple[Row, ...]
    tall: float

    def stepping(self) -> dict[str, Any]:
        """Every number of its shapes, by states and states of charge, as plain lists."""
        flows, op = self.widths.flows, self.assessed.op
        marks, found = dict[str, Any](), self.assessed
        for mark in self.marks:
            flow = flows[mark.node.id]
            marks[mark.node.id] = {
                "v": _plain(flow.volts),
                "w": _plain(flow.watts),
                "l": _plain(flow.lost),
                "half": _plain(self.widths.half(mark.node), 2),
                "loss": _plain(self.widths.lost(mark.node), 1),
                "bands": [
                    {"from": [b.x0, b.straight, b.x1, b.y1], "y": _plain(b.starts, 1), "thick": _plain(b.thick, 1)}
                    for b in mark.bands
                ],
            } | ({} if flow.spare is None else {"s": _plain(flow.spare), "now": _worded(flow.spare, found)})
        charges = {c.board.id: np.interp(op.soc, c.off.soc, c.off.current_a) for c in found.charges if len(c.off.soc)}
        return {
            "soc": [round(float(s) * 100, 2) for s in op.soc],
            "collapsed": op.flow.collapsed.tolist(),
            "left": [None if h is None else round(h, 5) for h in found.left_h],
            "draws": found.runtime is not None and found.runtime.hours is not None,
            "charge": {board: [float(f"{v:.3g}") for v in amps] for board, amps in charges.items()},
            "volts": {p.id: _plain(op.flow.load_v(k)) for k, p in enumerate(op.network.loads)},
            "fill": [round(float(s) * self.tall, 2) for s in op.soc],
            "marks": marks,
            "rows": {" ".join(n.id for n in r.nodes): self._row(r) for r in self.rows},
            "own": {n.id: [w.id for w in n.wires] for m in self.marks for n in m.node.walk() if n.wires},
        }

    def _row(self, row: Row) -> dict[str, Any]:
        if not row.load:
            return {"w": _plain(self.widths.into(row.nodes))}
        flow = self.widths.flows[row.nodes[0].id]
        return {"w": _plain(flow.watts), "v": _plain(flow.volts)}


def _plain(values: Array, places: int = 6) -> list[list[float]]:
    rounded: list[list[float]] = (np.round(values, places) + 0.0).tolist()  # no zero has a sign
    return rounded


def _worded(spare: Array, assessed: Assessment) -> list[list[int]]:
    """Which word each spare is, as its place among ``WORDS``."""
    return [[WORDS.index(assessed.judged(v)) for v in row] for row in spare.tolist()]


def course(x0: float, y0: float, straight: float, y1: float, x1: float) -> str:
    """The middle of a band as a path: bent to its height up to ``straight``, then level."""
    middle = (x0 + straight) / 2
    return f"M{x0:.1f},{y0:.1f} C{middle:.1f},{y0:.1f} {middle:.1f},{y1:.1f} {straight:.1f},{y1:.1f} H{x1:.1f}"


def changed_parts(assessed: Assessment, baseline: Assessment | None) -> frozenset[str]:
    """Ids of the parts that are not as they were in the baseline."""
    if baseline is None:
        return frozenset()
    before = baseline.plan.by_id
    return frozenset(p.id for p in assessed.plan.parts() if before.get(p.id) != p)


class Moment:
    """One operating point of a scene: its numbers and words, and the shapes that both maps share.

    ``own`` are the kinds of parts that are the matter of the station beside it; ``changed`` those that are not as they were.
    """

    def __init__(self, scene: Scene, soc: float, state: str, own: tuple[type[Part], ...], baseline: Assessment | None) -> None:
        self.scene, self.assessed, self.own = scene, scene.assessed, own
        self.at = STATES.index(state), scene.assessed.op.index(soc)
        self.changed = changed_parts(scene.assessed, baseline)

    def number(self, values: Array) -> float:
        """A number at this point."""
        return float(values[self.at])

    def is_changed(self, node: Node) -> bool:
        """Whether any part of a node changed since the mark."""
        parts: list[Part] = [*node.parts, *node.wires, *([node.rail] if node.rail else [])]
        return any(p.id in self.changed for p in parts)

    def is_own(self, nodes: Iterable[Node]) -> bool:
        """Whether any of some nodes is the station's matter."""
        return any(isinstance(n.parts[0], self.own) for n in nodes)

    def state(self, nodes: Iterable[Node]) -> str:
        """Worst word of some nodes' parts."""
        words = [self.assessed.element_state(p.id) for n in nodes for p in (*n.parts, *n.wires)]
        return next((w for w in ("fails", "close") if w in words), "holds")

    def look(self, name: str, node: Node) -> str:
        """The look of a node's mark: its kind, its word, and whether it changed."""
        return f"{name} {self.state((node,))}{' changed' if self.is_changed(node) else ''}"

    def under(self, node: Node) -> tuple[str, str]:
        """What stands under a node's name, and its word now."""
        flow = self.scene.widths.flows[node.id]
        volts, amps = show(self.number(flow.volts), "V"), flow.amps(*self.at)
        if node.kind == "pack":
            return f"{volts} · {show(amps, 'A')}", ""
        if node.kind == "board":
            if flow.spare is None:
                return "", "holds"
            spare = self.number(flow.spare)
            words = f"{show(abs(spare), '%')} {'spare' if spare >= 0 else 'short'} now"
            return words, self.assessed.judged(spare)
        if node.kind == "links":
            return f"−{show(self.number(flow.lost) / amps if amps > 0 else 0.0, 'V')}", ""
        return volts, ""

    def title(self, node: Node) -> str:
        """A node in a sentence."""
        flow, part = self.scene.widths.flows[node.id], node.parts[0]
        title = " → ".join(p.name for p in node.parts)
        title += f", {_held(part)}" if node.kind == "pack" else f", feeds {node.rail.name}" if node.rail else ""
        watts, volts, lost = (show(self.number(v), u) for v, u in ((flow.watts, "W"), (flow.volts, "V"), (flow.lost, "W")))
        return f"{title}: {watts} at {volts}, {lost} lost" + (", changed since the mark" if self.is_changed(node) else "")

    def bands(self, mark: Mark) -> tuple[Shape, ...]:
        """The bands that leave a mark."""
        return tuple(
            path(
                f"band{' own' if self.is_own(b.nodes) else ''}",
                course(b.x0, self.number(b.starts), b.straight, b.y1, b.x1),
                self.number(b.thick),
                title=self._band_title(b),
            )
            for b in mark.bands
        )

    def _band_title(self, band: Band) -> str:
        watts = show(self.number(self.scene.widths.into(band.nodes)), "W")
        return f"{band.nodes[0].parts[-1].name}: {watts}" if len(band.nodes) == 1 else watts

    def steers(self, mark: Mark) -> dict[str, str]:
        """What a page's script knows a mark by."""
        return {"data-node": mark.node.id, "data-kind": mark.node.kind, "data-y": f"{mark.y:.2f}"}

    def collapsed(self, words: str, x: float, y: float) -> Shape:
        """A word where the path cannot carry the draw; hidden where it can."""
        flow = self.assessed.op.flow
        stands = bool(flow.collapsed[self.at]) if self.assessed.op.network.elements else False
        return text("collapse", x, y, words, "middle", {} if stands else {"hidden": ""})

    def sockets(self, root: Node, room: float) -> list[Socket]:
        """The charge paths at a pack's left, one below the other."""
        op, out = self.assessed.op, list[Socket]()
        for n, found in enumerate(c for c in self.assessed.charges if c.board.charges == root.id):
            amps = float(np.interp(op.soc[self.at[1]], found.off.soc, found.off.current_a)) if len(found.off.soc) else 0.0
            most = 1 if n else 2
            changed = found.board.id in self.changed or found.supply.id in self.changed
            state = self.assessed.element_state(found.board.id) + (" changed" if changed else "")
            out.append(
                Socket(
                    found.supply.id,
                    found.supply.name,
                    wrapped(found.supply.name, room, 2)[:most],
                    found.board.id,
                    found.board.name,
                    wrapped(found.board.name, room, 2)[:most],
                    short(LAYOUTS[layout_of(self.assessed.plan, found.board)], room, 12),
                    f"charges {show(amps, 'A')}",
                    state,
                    root.y + 78.0 * n,
                )
            )
        return out


@dataclass(frozen=True, slots=True)
class Socket:
    """A charge path: supply and board by id, name and words, how they are joined, what flows, and the height."""

    supply: str
    supply_name: str
    supply_lines: tuple[str, ...]
    board: str
    board_name: str
    board_lines: tuple[str, ...]
    joined: str
    charges: str
    state: str
    y: float


def _held(store: Store) -> str:
    """What a store is, in a word."""
    if isinstance(store, Pack):
        return f"{store.series}S, {len(store.strings)} strings" if store.strings else f"{store.series}S{store.parallel}P"
    return show(store.capacitance_f.likely, "F") if isinstance(store, Capacitor) else show(store.cells_wh.likely, "Wh")
