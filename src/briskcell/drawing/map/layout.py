"""Where everything on the current map stands: a place for each element, whatever flows at the moment.

Each element owns a horizontal strip with room for its words, and the strips of what is fed from it lie within its own; columns
are as wide as their words. So no two elements can meet, for any tree.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

from briskcell.drawing.words import wrapped
from briskcell.model.parts import Converter, Fed, Link, Load, Rail
from briskcell.model.plan import Plan, Store

PACK, BOARD, PACK_HALF = 64.0, 62.0, 58.0
WIDEST = 54.0  # of a band
LINE = 14.0
FEW = 14  # loads up to which each has two lines


@dataclass(frozen=True, slots=True)
class Space:
    """What a map is drawn for: its width, the room left of the pack, and that of the names at the right."""

    width: float
    left: float
    names: float


NARROW = Space(784.0, 150.0, 262.0)
SPACES = {"wide": Space(1024.0, 216.0, 244.0), "narrow": NARROW, "phone": NARROW}
LEAST_STEP = 104.0


@dataclass
class Node:
    """A drawn element: one part, or a run of links taken together, with the wires that serve a load alone."""

    parts: list[Any]
    kind: str
    wires: list[Link] = field(default_factory=list)
    children: list[Node] = field(default_factory=list)
    rail: Rail | None = None
    depth: int = 0
    x: float = 0.0
    y: float = 0.0
    top: float = 0.0
    bottom: float = 0.0
    lines: tuple[str, ...] = ()

    @property
    def id(self) -> str:
        """The id of its first part."""
        return str(self.parts[0].id)

    @property
    def out_x(self) -> float:
        """Where its bands begin."""
        if self.kind == "board":
            return self.x + BOARD / 2 + (22.0 if self.rail else 0.0)
        return self.x + (PACK if self.kind == "pack" else 0.0)

    @property
    def in_x(self) -> float:
        """Where its own band ends."""
        return self.x - BOARD / 2 if self.kind == "board" else self.x

    def walk(self) -> Iterator[Node]:
        """The node and all below."""
        yield self
        for child in self.children:
            yield from child.walk()


@dataclass(frozen=True, slots=True)
class Layout:
    """The placed trees, in the coordinates of the map's view box."""

    roots: tuple[Node, ...]
    width: float
    height: float
    left: float
    mouth: float
    label_x: float
    step: float
    two_lines: bool


def trees(plan: Plan) -> list[Node]:
    """One drawn tree for each store."""
    return [_tree(plan, store) for store in plan.stores]


def _tree(plan: Plan, part: Any) -> Node:
    """A run of links is one node, a board carries the rail it makes, and a wire that serves one load alone is its band."""
    kind = "pack" if isinstance(part, Store) else "board" if isinstance(part, Converter) else "rail"
    node = Node([part], "links" if isinstance(part, Link) else kind)
    at = part
    while isinstance(at, Link) and len(nexts := _behind(plan, at)) == 1 and isinstance(nexts[0], Link):
        at = nexts[0]
        node.parts.append(at)
    nexts = plan.fed.get(at.id, ())
    if isinstance(part, Converter) and len(nexts) == 1 and isinstance(nexts[0], Rail):
        node.rail = nexts[0]
        nexts = plan.fed.get(node.rail.id, ())
    for child in (c for n in nexts for c in _with_outputs(plan, n)):
        if isinstance(child, Link) and child.kind == "return":
            continue  # it carries no more than what is drawn already; the table has it
        below, wires = child, []
        while isinstance(below, Link) and len(_behind(plan, below)) == 1:
            wires.append(below)
            below = plan.fed[below.id][0]
        node.children.append(Node([below], "load", wires) if isinstance(below, Load) else _tree(plan, child))
    return node


def _with_outputs(plan: Plan, part: Fed) -> tuple[Fed, ...]:
    """A part, and where it is a load, the outputs by which it passes power on: they branch off at its terminals."""
    return (part, *plan.fed.get(part.id, ())) if isinstance(part, Load) else (part,)


def _behind(plan: Plan, link: Link) -> tuple[Fed, ...]:
    """What hangs on a link, with what a load there passes on."""
    return tuple(p for below in plan.fed.get(link.id, ()) for p in _with_outputs(plan, below))


def lay_out(roots: list[Node], drawn: str, most_w: dict[str, float], chargers: dict[str, int]) -> Layout:
    """Place the trees of a plan.

    Parameters
    ----------
    roots : list of Node
        One for each store; they are given their places.
    drawn : str
        ``wide`` or ``narrow``.
    most_w : dict
        Most watts that ever pass each element, by id: its band never gets wider than that.
    chargers : dict
        How many charge boards fill each store, by id.
    """
    space = SPACES[drawn]
    loads = sum(n.kind == "load" for r in roots for n in r.walk())
    for root in roots:
        _deepen(root, 0)
    inner = [n.depth for r in roots for n in r.walk() if n.kind != "load"]
    columns = max(inner, default=0)
    left = space.left if any(chargers.values()) else 24.0
    needed = left + PACK + LEAST_STEP * columns + 60.0 + space.names
    width = max(space.width, needed)
    mouth = width - space.names - 14.0
    step = (mouth - left - PACK - 40.0) / max(columns, 1)
    two_lines = loads <= FEW
    top = 26.0  # room for a word about a collapse
    for root in roots:
        top = _place(root, top, left, step, mouth, 37.0 if two_lines else 21.0, most_w, chargers.get(root.id, 0))
    return Layout(tuple(roots), width, top + 6.0, left, mouth, mouth + 14.0, step, two_lines)


def _deepen(node: Node, depth: int) -> None:
    node.depth = depth
    for child in node.children:
        _deepen(child, depth + 1)


def _place(
    node: Node, top: float, left: float, step: float, mouth: float, row: float, most_w: dict[str, float], chargers: int
) -> float:
    """Give a node and all below their places from ``top`` down; where the strip ends."""
    node.top = top
    if node.kind == "load":
        node.x, node.y, node.bottom = mouth, top + row / 2, top + row
        return node.bottom
    node.x = left if node.kind == "pack" else left + PACK + (node.depth - 0.5) * step
    # The words of a board with a rail end before the rail, so that its line crosses none of them.
    room = PACK + 52 if node.kind == "pack" else step / 2 + BOARD / 2 + 8 if node.rail else step - 10
    node.lines = wrapped(words_of(node), room, 2)
    half = PACK_HALF if node.kind == "pack" else max(most_w.get(node.id, 0.0) / 2 + 5, 13.0)
    above = half + LINE * len(node.lines) + (6.0 if node.kind in ("pack", "rail") else 20.0)
    below = half + (38.0 + 78.0 * max(chargers - 1, 0) if node.kind == "pack" else 30.0)
    at = top
    for child in node.children:
        at = _place(child, at, left, step, mouth, row, most_w, 0)
    spread = at - top
    if spread < above + below:  # what is fed from it stands in the middle of its strip
        _shift(node.children, (above + below - spread) / 2)
    node.bottom = top + max(spread, above + below)
    middle = (node.children[0].y + node.children[-1].y) / 2 if node.children else top + above
    node.y = min(max(middle, top + above), node.bottom - below)
    return node.bottom


def _shift(nodes: list[Node], by: float) -> None:
    for node in (n for root in nodes for n in root.walk()):
        node.y, node.top, node.bottom = node.y + by, node.top + by, node.bottom + by


def words_of(node: Node) -> str:
    """The name of a node: of its part, or the kinds of a run of links."""
    part = node.parts[0]
    if node.kind != "links":
        return str(part.name)
    hosts = [
        c.parts[0]
        for c in node.children
        if any(isinstance(p, Link) and p.fed_by == c.id for k in node.children for p in (*k.parts, *k.wires))
    ]
    words = ", ".join(dict.fromkeys(p.kind for p in node.parts))
    if hosts and len(node.parts) == 1:
        words = "passes on"
    return words[0].upper() + words[1:]
