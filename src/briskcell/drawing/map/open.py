"""The current map: the build laid out as a river, socket left, loads right, band width by watts, at one operating point."""

from __future__ import annotations

from briskcell.core.assess import Assessment
from briskcell.model.figure import SHORT_GRADES, Figure
from briskcell.model.parts import STATES, Part
from briskcell.model.units import show

from ..shapes import Drawing, Shape, circle, group, line, path, rect, text
from ..words import short
from .flows import Widths, flows_of
from .layout import WIDEST, Layout, Node, lay_out, trees
from .scene import Band, Mark, Moment, Row, Scene, Socket

TALL = 114.0  # of a full pack
LINE = 14.0


def open_scene(assessed: Assessment, width: str = "wide") -> tuple[Scene, Layout]:
    """Lay out a build for a width of the page."""
    roots = trees(assessed.plan)
    flows = flows_of(assessed, roots)
    most = max((float(f.into.max(initial=0.0)) for f in flows.values()), default=0.0)
    scale = WIDEST / max(most, 0.1)  # one for all states, so that rest looks thin beside the peak
    widths = Widths(flows, scale)
    chargers = {s.id: sum(c.charges == s.id for c in assessed.plan.chargers) for s in assessed.plan.stores}
    layout = lay_out(roots, width, {e: float(f.into.max(initial=0.0)) * scale for e, f in flows.items()}, chargers)
    nodes = [n for root in layout.roots for n in root.walk()]
    room = layout.width - layout.label_x - (78.0 if layout.two_lines else 104.0)
    marks = tuple(Mark(n, n.x, n.y, n.lines, _bands(n, widths, layout.step)) for n in nodes if n.kind != "load")
    rows = tuple(Row((n,), short(n.parts[0].name, room), n.y) for n in nodes if n.kind == "load")
    return Scene(assessed, widths, marks, rows, TALL), layout


def _bands(node: Node, widths: Widths, step: float) -> tuple[Band, ...]:
    """A band reaches the height of its own strip within one column, so that it crosses nothing."""
    fan = widths.fan([(c,) for c in node.children], node.y)
    return tuple(
        Band((c,), node.out_x, min(node.out_x + max(step * 0.72, 40.0), c.in_x), c.in_x, c.y, starts, thick)
        for c, (starts, thick) in zip(node.children, fan, strict=True)
    )


def open_map(
    assessed: Assessment,
    soc: float,
    state: str,
    own: tuple[type[Part], ...] = (),
    width: str = "wide",
    baseline: Assessment | None = None,
) -> Drawing:
    """A build at one state of charge and load state.

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
    Drawing
        Of every store's tree.
    """
    scene, layout = open_scene(assessed, width)
    here = Moment(scene, soc, state, own, baseline)
    shapes: list[Shape] = []
    for root in layout.roots:
        shapes += [s for socket in here.sockets(root, layout.left - 24.0) for s in _socket(socket, root.x)]
    shapes += [_marked(here, mark) for mark in scene.marks]
    shapes += [_row(here, row, layout) for row in scene.rows]
    shapes.append(here.collapsed("collapses here: the path cannot carry this draw", layout.width / 2, 18.0))
    says = f"The build from socket to loads, at {round(soc * 100)} % charge, {state}"
    return Drawing("river haloed", layout.width, layout.height, says, tuple(shapes), opening=True)


def _socket(s: Socket, to_x: float) -> tuple[Shape, ...]:
    above = len(s.supply_lines) - 1
    under = s.y + 26 + LINE * len(s.board_lines)
    return (
        path("idle", f"M27,{s.y:.1f} H{to_x:.1f}"),
        group(
            circle("socket", 20.0, s.y, 7.0),
            *(text("nm", 8.0, s.y - 16 - LINE * (above - k), words) for k, words in enumerate(s.supply_lines)),
            title=s.supply_name,
            opens=f"part:{s.supply}",
        ),
        group(
            rect(f"board {s.state}", to_x * 0.5, s.y - 10, 34.0, 20.0, round=2),
            *(text("nm", 8.0, s.y + 26 + LINE * k, words) for k, words in enumerate(s.board_lines)),
            text("sub", 8.0, under, s.joined),
            text("sub", 8.0, under + 14, s.charges, steers={"data-charge": s.board}),
            title=s.board_name,
            opens=f"part:{s.board}",
        ),
    )


def _marked(here: Moment, mark: Mark) -> Shape:
    """A mark with its bands, its heat, and the hand's way to add a part behind it."""
    node, half = mark.node, here.number(here.scene.widths.half(mark.node))
    drawn = {"pack": _pack, "board": _board, "rail": _rail}.get(node.kind, _links)(here, mark, half)
    opened = group(*drawn, title=here.title(node), opens=f"part:{node.parts[0].id}")
    heat: tuple[Shape, ...] = ()
    if node.kind in ("board", "links"):
        lost, name = here.scene.widths.flows[node.id].lost, " ".join(mark.lines)
        heat = (
            path(
                "loss",
                f"M{mark.x - 14:.1f},{mark.y + half:.1f} q1,12 12,20",
                here.number(here.scene.widths.lost(node)),
                title=f"lost as heat in {name}",
            ),
            text("sub", mark.x + 2, mark.y + half + 22, show(here.number(lost), "W"), steers={"data-is": "lost"}),
        )
    return group(*here.bands(mark), opened, *heat, _plus(mark), steers=here.steers(mark))


def _plus(mark: Mark) -> Shape:
    x, y = mark.node.out_x, mark.y
    behind = mark.node.rail.id if mark.node.rail else str(mark.node.parts[-1].id)
    return Shape(
        "a",
        "plus",
        inside=(
            circle("reach", x + 14, y, 12.0),
            circle("", x + 14, y, 7.0),
            path("", f"M{x + 10:.1f},{y:.1f} h8 M{x + 14:.1f},{y - 4:.1f} v8"),
        ),
        steers={
            "href": "#find",
            "role": "button",
            "data-opens": "find",
            "data-typed": "add ",
            "data-behind": behind,
            "aria-label": f"Add a part behind {' '.join(mark.lines)}",
        },
        hand=True,
    )


def _lines(mark: Mark, x: float, lowest: float, anchor: str = "middle") -> tuple[Shape, ...]:
    """The words of a name above a mark, the last of them lowest."""
    above = len(mark.lines) - 1
    return tuple(text("nm", x, lowest - LINE * (above - k), words, anchor) for k, words in enumerate(mark.lines))


def _pack(here: Moment, mark: Mark, _half: float) -> tuple[Shape, ...]:
    x, y = mark.x, mark.y
    tall = TALL * float(here.assessed.op.soc[here.at[1]])
    lost = show(here.number(here.scene.widths.flows[mark.node.id].lost), "W")
    return (
        rect(here.look("tank", mark.node), x, y - 58, 64.0, 116.0, round=3),
        rect("tank-fill", x + 1, y + 57 - tall, 62.0, tall, steers={"data-floor": f"{y + 57:.2f}"}),
        *_lines(mark, x + 32, y - 66),
        text("vl", x + 32, y + 74, here.under(mark.node)[0], "middle", {"data-is": "sub"}),
        Shape(
            "text",
            "sub",
            {"x": x + 32, "y": y + 90, "text-anchor": "middle"},
            inside=(Shape("tspan", words=lost, steers={"data-is": "lost"}), Shape("tspan", words=" lost inside")),
        ),
    )


def _board(here: Moment, mark: Mark, half: float) -> tuple[Shape, ...]:
    x, y, node = mark.x, mark.y, mark.node
    words, now = here.under(node)
    volts = show(here.number(here.scene.widths.flows[node.id].volts), "V")
    above = _lines(mark, node.out_x - 8, y - half - 22, "end") if node.rail else _lines(mark, x, y - half - 22)
    return (
        rect(here.look("board", node), x - 31, y - half, 62.0, 2 * half, round=2),
        text("vl upon", x, y + 4, volts, "middle", {"data-is": "volts"}),
        *above,
        text(f"sub {now}", x, y - half - 7, words, "middle", {"data-is": "sub"}),
        *((line("joint", x + 31, y, node.out_x, y), _rail_line(here, mark, node.out_x)) if node.rail else ()),
    )


def _rail_line(here: Moment, mark: Mark, x: float) -> Shape:
    ys = [*(c.y for c in mark.node.children), mark.y]
    return line(f"rail{' own' if here.is_own((mark.node,)) else ''}", x, min(ys) - 8, x, max(ys) + 8)


def _rail(here: Moment, mark: Mark, half: float) -> tuple[Shape, ...]:
    return (
        _rail_line(here, mark, mark.x),
        *_lines(mark, mark.x, mark.y - half - 10),
        text("vl", mark.x + 6, mark.y + half + 12, here.under(mark.node)[0], steers={"data-is": "sub"}),
    )


def _links(here: Moment, mark: Mark, half: float) -> tuple[Shape, ...]:
    return (
        rect(here.look("link", mark.node), mark.x - 3, mark.y - half, 6.0, 2 * half),
        *_lines(mark, mark.x, mark.y - half - 22),
        text("sub", mark.x, mark.y - half - 7, here.under(mark.node)[0], "middle", {"data-is": "sub"}),
    )


def _row(here: Moment, row: Row, layout: Layout) -> Shape:
    """A load's row."""
    node = row.nodes[0]
    load, flow = node.parts[0], here.scene.widths.flows[node.id]
    volts, watts = show(here.number(flow.volts), "V"), show(here.number(flow.watts), "W")
    likely: Figure = getattr(load.draw, STATES[here.at[0]])
    look = f"nm{' own' if here.is_own((node,)) else ''}{' changed' if here.is_changed(node) else ''}"
    lamp, right, y = f"lamp {here.state((node,))}", layout.width, row.y
    inside: tuple[Shape, ...]
    if layout.two_lines:
        inside = (
            text(look, layout.label_x, y - 3, row.name),
            text("vl", layout.label_x, y + 13, f"{volts} · {show(flow.amps(*here.at), 'A')}", steers={"data-is": "flows"}),
            text("big", right - 6, y - 3, watts, "end", {"data-is": "watts"}),
            text(f"sub {likely.grade}", right - 48, y + 13, SHORT_GRADES[likely.grade], "end"),
            rect(lamp, right - 42, y + 6, 36.0, 7.0),
        )
    else:
        inside = (
            text(look, layout.label_x, y + 4, row.name),
            text("big", right - 34, y + 4, watts, "end", {"data-is": "watts"}),
            rect(lamp, right - 28, y - 4, 22.0, 7.0),
        )
    title = f"{load.name}: {watts} at {volts}, known as: {likely.grade}"
    return group(
        *inside,
        title=title + (", changed since the mark" if here.is_changed(node) else ""),
        opens=f"part:{load.id}",
        steers={"data-row": load.id, "data-load": "yes"},
    )
