"""The map folded to a strip: the way from the pack to where it branches, and the largest of what hangs there.

Whatever the tree, it is a chain of at most a few marks and four rows, so its height is always the same.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from briskcell.core.assess import Assessment
from briskcell.core.stations import STATIONS
from briskcell.model.parts import STATES
from briskcell.model.units import show
from briskcell.web.drawing.text import short

from .current_map import Band, Mark, OperatingPoint, changed_parts, course
from .map_flows import flows_of
from .map_layout import Node, trees, words_of

MIDDLE, WIDEST = 58.0, 24.0
ROWS, ROW_STEP = 4, 23.0
TANK_W, AFTER_TANK = 44.0, 28.0  # and the room that the pack's volts and amps take beside it
WATTS_W = 62.0


@dataclass(frozen=True, slots=True)
class StripSpace:
    """What a strip is drawn for: its width, the pack's place, where the rows begin, the most marks, and whether rows show volts."""

    width: float
    tank_x: float
    rows_x: float
    marks: int
    detail: bool

    @property
    def watts_x(self) -> float:
        """Where the watts of a row end."""
        return self.width - (164.0 if self.detail else 36.0)


STRIPS = {
    "wide": StripSpace(1024.0, 112.0, 612.0, 4, detail=True),
    "narrow": StripSpace(704.0, 104.0, 424.0, 2, detail=False),
    "phone": StripSpace(366.0, 46.0, 158.0, 0, detail=False),
}


@dataclass(frozen=True, slots=True)
class StripMark:
    """A mark of the chain: its node and place, and the room for its words."""

    node: Node
    x: float
    room: float
    left_out: int = 0


@dataclass(frozen=True, slots=True)
class StripRow:
    """A row at the mouth: what it stands for, by id, its words, and its height."""

    nodes: tuple[Node, ...]
    name: str
    y: float

    @property
    def load(self) -> bool:
        """Whether it is one load by itself."""
        return len(self.nodes) == 1 and self.nodes[0].kind == "load"


@dataclass(frozen=True, slots=True)
class StripLayout:
    """A placed strip."""

    space: StripSpace
    marks: tuple[StripMark, ...]
    rows: tuple[StripRow, ...]


def strip_of(root: Node, drawn: str, most_w: dict[str, float]) -> StripLayout:
    """Place one tree.

    Parameters
    ----------
    root : Node
        The store's.
    drawn : str
        ``wide``, ``narrow`` or ``phone``.
    most_w : dict
        Most watts that ever pass each node, by id: the largest are shown by name.

    Returns
    -------
    StripLayout
        At most ``marks`` marks, and ``ROWS`` rows.
    """
    space = STRIPS[drawn]
    chain, at = [], root
    while len(at.children) == 1 and at.children[0].kind != "load":
        at = at.children[0]
        chain.append(at)
    shown = chain if len(chain) <= space.marks else [*chain[: space.marks - 1], chain[-1]] if space.marks else []
    start, end = space.tank_x + TANK_W + AFTER_TANK, space.rows_x - 50.0
    step = (end - start) / max(len(shown), 1)
    hidden = len(chain) - len(shown)
    marks = [StripMark(n, start + step * (k + 0.5), step - 8.0) for k, n in enumerate(shown)]
    if hidden and marks:
        marks[-1] = replace(marks[-1], left_out=hidden)
    branches = sorted(at.children, key=lambda n: -most_w.get(n.id, 0.0))
    single = branches if len(branches) <= ROWS else branches[: ROWS - 1]
    rest = branches[len(single) :]
    groups = [(n,) for n in single] + ([tuple(rest)] if rest else [])
    top = MIDDLE - ROW_STEP * (len(groups) - 1) / 2
    room = space.watts_x - WATTS_W - space.rows_x
    rows = tuple(StripRow(g, short(_words(g), room), top + ROW_STEP * k) for k, g in enumerate(groups))
    return StripLayout(space, tuple(marks), rows)


def _words(group: tuple[Node, ...]) -> str:
    loads = [n for node in group for n in node.walk() if n.kind == "load"]
    if len(group) > 1:
        return f"{len(loads)} more part{'s' if len(loads) != 1 else ''}"
    node = group[0]
    if node.kind == "load":
        return str(node.parts[0].name)
    what = str(loads[0].parts[0].name) if len(loads) == 1 else f"{len(loads)} parts" if loads else "nothing"
    return f"{what} behind {node.parts[-1].name}"


@dataclass(frozen=True, slots=True)
class RowView:
    """A row as shown: what it stands for by id, its words and figures."""

    ids: str
    element: str
    load: bool
    name: str
    watts: str
    flows: str
    state: str
    y: float
    title: str


@dataclass(frozen=True, slots=True)
class Strip:
    """The strip at one operating point: its marks, the pack's first, each with its name and bands; and the rows."""

    space: StripSpace
    scale: float
    marks: tuple[tuple[Mark, str, tuple[Band, ...]], ...]
    rows: tuple[RowView, ...]
    socket: dict[str, Any] | None
    more: int


def strip_at(assessed: Assessment, soc: float, state: str, station: str, width: str, baseline: Assessment | None) -> Strip | None:
    """The strip of a build at one operating point.

    Returns
    -------
    Strip or None
        Of the store that ends play first; None where there is no store. ``more`` counts the other stores.
    """
    roots = trees(assessed.plan)
    if not roots:
        return None
    op = assessed.op
    point, row = op.index(soc), STATES.index(state)
    flows = flows_of(assessed, roots)
    most_w = {e: float((f.watts + f.lost).max(initial=0.0)) for e, f in flows.items()}
    root = roots[assessed.pack_index or 0]
    scale = WIDEST / max(most_w[root.id], 0.1)
    here = OperatingPoint(assessed, flows, row, point, scale, STATIONS[station].own, changed_parts(assessed, baseline))
    laid = strip_of(root, width, most_w)
    stops = [(root, laid.space.tank_x + TANK_W), *((m.node, m.x) for m in laid.marks)]
    root.x, root.y = laid.space.tank_x, MIDDLE
    marks = []
    for k, (node, x) in enumerate(stops):
        node.y = MIDDLE
        if k:
            node.x = x
        out_x = x if k == 0 else x + (31.0 if node.kind == "board" else 3.0)
        if k + 1 < len(stops):
            after, to = stops[k + 1]
            end = to - (31.0 if after.kind == "board" else 3.0)
            bands: tuple[Band, ...] = (_band(here, (after,), out_x, MIDDLE, end, MIDDLE, end, here.thick(here.in_w(after))),)
        else:
            bands = _fan(here, laid, out_x)
        mark = here.mark(node)
        name = short(words_of(node), 104.0 if k == 0 else laid.marks[k - 1].room)
        if k and laid.marks[k - 1].left_out:
            name = short(f"{laid.marks[k - 1].left_out} more, {name}", laid.marks[k - 1].room)
        marks.append((mark, name, bands))
    sockets = here.sockets(root, laid.space.tank_x - 20.0)
    rows = tuple(_row(here, r) for r in laid.rows)
    return Strip(laid.space, scale, tuple(marks), rows, sockets[0] if sockets and width != "phone" else None, len(roots) - 1)


def _band(here: OperatingPoint, nodes: tuple[Node, ...], x0: float, y0: float, straight: float, y1: float, x1: float,
          thick: float) -> Band:  # fmt: skip
    path = course(x0, y0, straight, y1, x1)
    own = any(isinstance(n.parts[0], here.own) for n in nodes)
    watts = sum(here.in_w(n) for n in nodes)
    return Band(" ".join(n.id for n in nodes), path, thick, own, show(watts, "W"), x1, y1, straight)


def _fan(here: OperatingPoint, laid: StripLayout, x0: float) -> tuple[Band, ...]:
    thick = [here.thick(sum(here.in_w(n) for n in r.nodes)) for r in laid.rows]
    at, out = MIDDLE - sum(thick) / 2, []
    end = laid.space.rows_x - 10.0
    for row, wide in zip(laid.rows, thick, strict=True):
        out.append(_band(here, row.nodes, x0, at + wide / 2, end - 8.0, row.y, end, wide))
        at += wide
    return tuple(out)


def _row(here: OperatingPoint, row: StripRow) -> RowView:
    first = row.nodes[0]
    words = [here.state(n) for node in row.nodes for n in node.walk()]
    state = next((w for w in ("fails", "close") if w in words), "holds")
    flow, at = here.flows[first.id], (here.row, here.point)
    watts = float(flow.watts[at]) if row.load else sum(here.in_w(n) for n in row.nodes)
    flows = f"{show(flow.amps(*at), 'A')} at {show(float(flow.volts[at]), 'V')}" if row.load else ""
    names = ", ".join(str(n.parts[-1].name) for n in row.nodes)
    return RowView(" ".join(n.id for n in row.nodes), first.parts[-1].id, row.load, row.name, show(watts, "W"), flows, state, row.y,
                   f"{names}: {show(watts, 'W')}")  # fmt: skip
