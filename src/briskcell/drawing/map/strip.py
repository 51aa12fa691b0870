"""The map folded to a strip: the way from the pack to where it branches, and the largest of what hangs there.

Whatever the tree, it is a chain of at most a few marks and four rows, so its height is always the same.
"""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.model.parts import Part
from briskcell.model.units import show

from ..shapes import Drawing, Shape, group, path, rect, text
from ..words import short
from .flows import Widths, flows_of
from .layout import Node, trees, words_of
from .scene import Band, Mark, Moment, Row, Scene

HEIGHT, MIDDLE, WIDEST = 112.0, 58.0, 24.0
ROWS, ROW_STEP = 4, 23.0
TANK_W, TALL, AFTER_TANK = 44.0, 60.0, 28.0  # and the room that the pack's volts and amps take beside it
WATTS_W = 62.0
BOARD_HALF, LINK_HALF = 31.0, 3.0  # of their width


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


SPACES = {
    "wide": StripSpace(1024.0, 112.0, 612.0, 4, detail=True),
    "narrow": StripSpace(704.0, 104.0, 424.0, 2, detail=False),
    "phone": StripSpace(366.0, 46.0, 158.0, 0, detail=False),
}


def strip_scene(assessed: Assessment, width: str = "wide") -> Scene | None:
    """Lay out the store that ends play first; None where there is no store.

    At most ``marks`` marks, and ``ROWS`` rows: the branches that ever carry most by name, the others in one.
    """
    roots = trees(assessed.plan)
    if not roots:
        return None
    space, root = SPACES[width], roots[assessed.pack_index or 0]
    flows = flows_of(assessed, roots)
    most_w = {e: float(f.into.max(initial=0.0)) for e, f in flows.items()}
    widths = Widths(flows, WIDEST / max(most_w[root.id], 0.1))
    chain, at = [], root
    while len(at.children) == 1 and at.children[0].kind != "load":
        at = at.children[0]
        chain.append(at)
    shown = chain if len(chain) <= space.marks else [*chain[: space.marks - 1], chain[-1]] if space.marks else []
    start, end = space.tank_x + TANK_W + AFTER_TANK, space.rows_x - 50.0
    step = (end - start) / max(len(shown), 1)
    names = [short(words_of(n), step - 8.0) for n in shown]
    if shown and (hidden := len(chain) - len(shown)):
        names[-1] = short(f"{hidden} more, {names[-1]}", step - 8.0)
    rows = _rows(at, space, most_w)
    stops = [(root, space.tank_x, short(words_of(root), 104.0))]
    stops += [(n, start + step * (k + 0.5), name) for k, (n, name) in enumerate(zip(shown, names, strict=True))]
    marks = []
    for k, (node, x, name) in enumerate(stops):
        out_x = x + TANK_W if node.kind == "pack" else x + _half_wide(node)
        bands = _fan(widths, rows, out_x, space) if k + 1 == len(stops) else (_on(widths, out_x, *stops[k + 1][:2]),)
        marks.append(Mark(node, x, MIDDLE, (name,), bands))
    return Scene(assessed, widths, tuple(marks), rows, TALL)


def _half_wide(node: Node) -> float:
    return BOARD_HALF if node.kind == "board" else LINK_HALF


def _rows(at: Node, space: StripSpace, most_w: dict[str, float]) -> tuple[Row, ...]:
    branches = sorted(at.children, key=lambda n: -most_w.get(n.id, 0.0))
    single = branches if len(branches) <= ROWS else branches[: ROWS - 1]
    rest = branches[len(single) :]
    groups = [(n,) for n in single] + ([tuple(rest)] if rest else [])
    top = MIDDLE - ROW_STEP * (len(groups) - 1) / 2
    room = space.watts_x - WATTS_W - space.rows_x
    return tuple(Row(g, short(_words(g), room), top + ROW_STEP * k) for k, g in enumerate(groups))


def _words(group: tuple[Node, ...]) -> str:
    loads = [n for node in group for n in node.walk() if n.kind == "load"]
    if len(group) > 1:
        return f"{len(loads)} more part{'s' if len(loads) != 1 else ''}"
    node = group[0]
    if node.kind == "load":
        return str(node.parts[0].name)
    if not loads:  # a second source, or a board that feeds nothing yet
        return str(node.parts[-1].name)
    what = str(loads[0].parts[0].name) if len(loads) == 1 else f"{len(loads)} parts"
    return f"{what} behind {node.parts[-1].name}"


def _on(widths: Widths, x0: float, after: Node, to: float) -> Band:
    """The band to the next mark of the chain."""
    end, thick = to - _half_wide(after), widths.thick((after,))
    return Band((after,), x0, end, end, MIDDLE, MIDDLE + 0.0 * thick, thick)


def _fan(widths: Widths, rows: tuple[Row, ...], x0: float, space: StripSpace) -> tuple[Band, ...]:
    """The bands to the rows."""
    end = space.rows_x - 10.0
    return tuple(
        Band(row.nodes, x0, end - 8.0, end, row.y, starts, thick)
        for row, (starts, thick) in zip(rows, widths.fan([r.nodes for r in rows], MIDDLE), strict=True)
    )


def strip(
    assessed: Assessment,
    soc: float,
    state: str,
    own: tuple[type[Part], ...] = (),
    width: str = "wide",
    baseline: Assessment | None = None,
) -> Drawing | None:
    """The strip of a build at one operating point.

    Parameters
    ----------
    assessed : Assessment
        The build.
    soc, state : float, str
        Where it is looked at.
    own : tuple of type
        Kinds of parts that are picked out.
    width : str
        ``wide``, ``narrow`` or ``phone``.
    baseline : Assessment, optional
        What changes are marked against.

    Returns
    -------
    Drawing or None
        Of the store that ends play first; None where there is no store.
    """
    scene, space = strip_scene(assessed, width), SPACES[width]
    if scene is None:
        return None
    here = Moment(scene, soc, state, own, baseline)
    shapes = [*_socket(here, width, space)]
    shapes += [_marked(here, mark) for mark in scene.marks]
    shapes += [_row(here, row, space) for row in scene.rows]
    if more := len(assessed.plan.stores) - 1:
        words = f"and {more} more store{'s' if more > 1 else ''}: open the map"
        shapes.append(text("sub", space.width - 8, 107.0, words, "end"))
    shapes.append(here.collapsed("the path cannot carry this draw", space.width / 2, 108.0))
    says = f"The build from pack to loads, at {round(soc * 100)} % charge, {state}"
    return Drawing("river strip haloed", space.width, HEIGHT, says, tuple(shapes), opening=True)


def _socket(here: Moment, width: str, space: StripSpace) -> tuple[Shape, ...]:
    """The first of the pack's charge paths."""
    found = here.sockets(here.scene.marks[0].node, space.tank_x - 20.0)
    if not found or width == "phone":
        return ()
    s = found[0]
    return (
        path("idle", f"M8,58 H{space.tank_x:.1f}"),
        group(
            text("nm", 8.0, 44.0, s.supply_lines[0]),
            text("sub", 8.0, 78.0, s.charges, steers={"data-charge": s.board}),
            title=f"{s.supply_name}, {s.board_name}",
            opens=f"part:{s.board}",
        ),
    )


def _marked(here: Moment, mark: Mark) -> Shape:
    node, x, name = mark.node, mark.x, mark.lines[0]
    half, (words, now) = here.number(here.scene.widths.half(node)), here.under(node)
    inside: tuple[Shape, ...]
    if node.kind == "pack":
        tall = TALL * float(here.assessed.op.soc[here.at[1]])
        inside = (
            rect(here.look("tank", node), x, 28.0, TANK_W, TALL, round=3),
            rect("tank-fill", x + 1, 88 - tall, TANK_W - 2, tall, steers={"data-floor": "88"}),
            text("nm", x + 22, 18.0, name, "middle"),
            text("vl", x + 22, 104.0, words, "middle", {"data-is": "sub"}),
        )
    elif node.kind == "board":
        volts = show(here.number(here.scene.widths.flows[node.id].volts), "V")
        inside = (
            rect(here.look("board", node), x - BOARD_HALF, mark.y - half, 2 * BOARD_HALF, 2 * half, round=2),
            text("vl upon", x, mark.y + 4, volts, "middle", {"data-is": "volts"}),
            text("nm", x, 18.0, name, "middle"),
            text(f"sub {now}", x, 96.0, words, "middle", {"data-is": "sub"}),
        )
    else:
        inside = (
            rect(here.look("link", node), x - LINK_HALF, mark.y - half, 2 * LINK_HALF, 2 * half),
            text("nm", x, 18.0, name, "middle"),
            text("sub", x, 96.0, words, "middle", {"data-is": "sub"}),
        )
    opened = group(*inside, title=here.title(node), opens=f"part:{node.parts[0].id}")
    return group(*here.bands(mark), opened, steers=here.steers(mark))


def _row(here: Moment, row: Row, space: StripSpace) -> Shape:
    first, widths = row.nodes[0], here.scene.widths
    flow = widths.flows[first.id]
    watts = show(here.number(flow.watts if row.load else widths.into(row.nodes)), "W")
    words = here.state([n for node in row.nodes for n in node.walk()])
    inside = [
        text("nm", space.rows_x, row.y + 4, row.name),
        text("big", space.watts_x, row.y + 4, watts, "end", {"data-is": "watts"}),
        rect(f"lamp {words}", space.watts_x + 8, row.y - 4, 20.0, 7.0),
    ]
    if space.detail and row.load:
        flows = f"{show(flow.amps(*here.at), 'A')} at {show(here.number(flow.volts), 'V')}"
        inside.append(text("sub", space.width - 8, row.y + 4, flows, "end", {"data-is": "flows"}))
    names = ", ".join(str(n.parts[-1].name) for n in row.nodes)
    steers = {"data-row": " ".join(n.id for n in row.nodes), "data-load": "yes" if row.load else ""}
    return group(*inside, title=f"{names}: {watts}", opens=f"part:{first.parts[-1].id}", steers=steers)
