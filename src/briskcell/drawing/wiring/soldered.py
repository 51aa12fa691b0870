"""The circuit as one solders it: boards with their named terminals, conductors in their colours from pad to pad."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

from briskcell.core.assess import Assessment
from briskcell.core.circuit.circuit import Circuit, Conductor, End, Place
from briskcell.core.wiring.strands import strand_words
from briskcell.model.parts import Link, Load
from briskcell.model.stores import Supply, Trickle
from briskcell.model.units import Show, show

from ..shapes import Drawing, Shape, circle, group, path, rect, text
from ..words import short

BOX_W, LINK_W, PAD_H, HEAD, GAP, LANE, EDGE = 118.0, 76.0, 16.0, 22.0, 18.0, 7.0, 14.0
CHANNEL = 16.0  # between two columns, beside the tracks in it


@dataclass
class _Box:
    """A place as it is drawn: its column, its pads on the left and on the right, and where it lies."""

    place: Place
    column: int
    left: list[str] = field(default_factory=list)
    right: list[str] = field(default_factory=list)
    x: float = 0.0
    y: float = 0.0

    @property
    def width(self) -> float:
        return LINK_W if isinstance(self.place.part, Link) or self.place.part is None else BOX_W

    @property
    def height(self) -> float:
        return HEAD + PAD_H * max(len(self.left), len(self.right), 1) + 4.0

    def pad(self, key: str) -> tuple[float, float]:
        """Where a terminal lies."""
        right = key in self.right
        row = (self.right if right else self.left).index(key)
        return self.x + (self.width if right else 0.0), self.y + HEAD + PAD_H * (row + 0.5)


def soldered(assessed: Assessment, picked: str = "", show: Show = show) -> Drawing | None:
    """The circuit of a build.

    Parameters
    ----------
    assessed : Assessment
        The build.
    picked : str
        A part, by id: its conductors are picked out.
    show : callable
        A figure with its unit, as it is worded here.

    Returns
    -------
    Drawing or None
        None where nothing is joined.
    """
    circuit = assessed.circuit
    if not circuit.conductors:
        return None
    boxes = _boxes(circuit)
    channels = _lay(boxes.values())
    routes, below = _routes(circuit, boxes, channels)
    shapes = [_conductor(assessed, c, d, picked, show) for c, d in routes]
    shapes += [_drawn(assessed, box, picked) for box in boxes.values()]
    width = max(b.x + b.width for b in boxes.values()) + EDGE
    names = f"{len(boxes)} parts and {len(circuit.conductors)} conductors, from terminal to terminal"
    return Drawing("soldered", round(width, 1), round(below + EDGE, 1), names, tuple(shapes), opening=True, sized=True)


def _boxes(circuit: Circuit) -> dict[str, _Box]:
    """Every place with its column: as many conductors as it lies behind a source, at the most."""
    joined = [p for p in circuit.places if circuit.at(p.id)]
    after: dict[str, set[str]] = {p.id: set() for p in joined}
    for c in circuit.conductors:
        if c.pole == "+":  # from where current comes on battery: a charge board lies behind the cells
            first, second = (c.b, c.a) if c.a.terminal == "bat" else (c.a, c.b)
            after[first.place].add(second.place)
    column = dict.fromkeys(after, 0)
    for _ in after:  # the longest way from a source; the plan has no rings
        for place_id, behind in after.items():
            for other in behind:
                column[other] = max(column[other], min(column[place_id] + 1, len(after)))
    for place in joined:  # what nothing leads to stands right before what it leads to; what has no plus, beside what it joins
        behind = after[place.id] or {e.place for c in circuit.at(place.id) for e in (c.a, c.b) if e.place != place.id}
        if not any(place.id in others for others in after.values()):
            column[place.id] = max(min(column[b] for b in behind) - bool(after[place.id]), 0)
    boxes = {p.id: _Box(p, column[p.id]) for p in joined}
    for place in joined:
        for t in place.terminals:
            ends = [c.b if c.a == End(place.id, t.key) else c.a for c in circuit.at(place.id) if End(place.id, t.key) in (c.a, c.b)]
            if ends:
                right = sum(column[e.place] > column[place.id] for e in ends) * 2 >= len(ends)
                (boxes[place.id].right if right else boxes[place.id].left).append(t.key)
    return boxes


def _lay(boxes: Iterable[_Box]) -> dict[int, float]:
    """Boxes into their columns, each beside what feeds it; the left edge of each column."""
    columns: dict[int, list[_Box]] = {}
    for box in boxes:
        columns.setdefault(box.column, []).append(box)
    x, at = EDGE, dict[int, float]()
    for k in range(max(columns) + 1):
        y = EDGE
        tracks = sum(len(b.left) for b in columns.get(k, ()))
        if k:
            x += LANE * min(tracks, 24)
        at[k] = x
        for box in columns.get(k, ()):
            box.x, box.y = x, y
            y += box.height + GAP
        x += max((b.width for b in columns.get(k, ())), default=0.0) + CHANNEL
    at[max(columns) + 1] = x + LANE * 8
    return at


def _routes(circuit: Circuit, boxes: dict[str, _Box], columns: dict[int, float]) -> tuple[list[tuple[Conductor, str]], float]:
    """The course of each conductor: from a pad into the channel beside it, along a track, on; long ones below the boxes between."""
    track: dict[int, int] = {}
    lanes: list[tuple[float, int, int]] = []
    out = []

    def free(channel: int) -> float:
        """A track of the channel right before a column, the next that nobody has."""
        track[channel] = track.get(channel, 0) + 1
        return columns[channel] - 8.0 - LANE * ((track[channel] - 1) % 26)

    def lane(first: int, last: int) -> float:
        """A height below all boxes of some columns, where no other lies beside it."""
        floor = max((b.y + b.height for b in boxes.values() if first <= b.column < last), default=0.0) + GAP / 2
        taken = {y for y, a, b in lanes if a <= last and first <= b}
        y = floor
        while any(abs(y - other) < LANE for other in taken):
            y += LANE / 2
        lanes.append((y, first, last))
        return y

    for c in circuit.conductors:
        one, two = (c.a, c.b) if boxes[c.a.place].column <= boxes[c.b.place].column else (c.b, c.a)
        first, last = boxes[one.place], boxes[two.place]
        (x1, y1), (x2, y2) = first.pad(one.terminal), last.pad(two.terminal)
        out1 = first.column + (one.terminal in first.right)
        out2 = last.column + (two.terminal in last.right)
        if out1 == out2:
            at = free(out1)
            out.append((c, f"M{x1:.1f} {y1:.1f}H{at:.1f}V{y2:.1f}H{x2:.1f}"))
            continue
        low, at1, at2 = lane(min(out1, out2), max(out1, out2)), free(out1), free(out2)
        out.append((c, f"M{x1:.1f} {y1:.1f}H{at1:.1f}V{low:.1f}H{at2:.1f}V{y2:.1f}H{x2:.1f}"))
    return out, max([b.y + b.height for b in boxes.values()] + [y for y, *_ in lanes])


def _conductor(assessed: Assessment, c: Conductor, d: str, picked: str, show: Show) -> Shape:
    circuit = assessed.circuit
    link = c.link
    fixed = {"-": "black", "tap": "grey", "signal": "grey"}.get(c.pole)
    colour = fixed or ("lead" if link is None else assessed.colours[link.id])
    looks = f"strand {colour} {'named' if link else 'short'}"
    whose = c.key.rpartition(":")[0]
    look = "picked" if picked and picked in (c.a.place, c.b.place) else ""
    title = f"{circuit.words(c.a)} to {circuit.words(c.b)}: {strand_words(assessed.colours, c, show)}"
    return group(path(looks, d), look=look, title=title, opens=f"part:{whose}" if whose in assessed.plan.by_id else "")


def _drawn(assessed: Assessment, box: _Box, picked: str) -> Shape:
    place, part = box.place, box.place.part
    kind = "link" if isinstance(part, Link) else "load" if isinstance(part, Load) else "outside" if _outside(part) else "board"
    state = assessed.element_state(part.id) if part is not None else ""
    inside = [
        rect(f"box {kind} {state}".strip(), box.x, box.y, box.width, box.height, round=2.0),
        text("name", box.x + box.width / 2, box.y + 14.0, short(place.name, box.width - 8.0, 11), "middle"),
    ]
    for keys, right in ((box.left, False), (box.right, True)):
        for key in keys:
            x, y = box.pad(key)
            inside.append(circle("pad", x, y, 3.0))
            words = place.of(key).prints
            inside.append(text("print", x + (-7.0 if right else 7.0), y + 3.5, words, "end" if right else ""))
    look = "picked" if part is not None and part.id == picked else ""
    return group(*inside, look=look, title=place.name, opens=f"part:{part.id}" if part is not None else "")


def _outside(part: object) -> bool:
    return isinstance(part, (Supply, Trickle))
