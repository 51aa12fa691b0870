"""Where the probes go: the way from the store to the element of a step, with a mark at each probe."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.core.bench.step import Step
from briskcell.core.wiring.cutting import colour_of
from briskcell.model.parts import Fed, Link, Part, Rail
from briskcell.model.plan import Plan
from briskcell.model.stores import ChargeBoard
from briskcell.model.tree import feeders_of

from ..shapes import Drawing, Shape, group, path, rect, text
from ..words import short

HEIGHT, TOP, GROUND, LEFT = 128.0, 52.0, 104.0, 12.0
LINK_W, BOX_W, HERE_W, GAP = 74.0, 116.0, 190.0, 10.0


@dataclass(frozen=True, slots=True)
class Piece:
    """One element of the way: a box, or a link drawn as a line in its colour."""

    element: str
    name: str
    x: float
    width: float
    link: bool
    colour: str
    here: bool


def probes(plan: Plan, step: Step) -> Drawing:
    """The way to a step's element, from the store on, with red and black where they touch: between them lies what is read.

    Parameters
    ----------
    plan : Plan
        The build.
    step : Step
        One of its ladder.

    Returns
    -------
    Drawing
        As wide as the way is long.
    """
    pieces, x = list[Piece](), LEFT
    for part in _way(plan, step):
        link = isinstance(part, Link)
        width = LINK_W if link else HERE_W if part.id == step.element else BOX_W
        colour = colour_of(plan, part) if isinstance(part, Link) else ""
        pieces.append(Piece(part.id, short(part.name, width - 6.0, 12), x, width, link, colour, part.id == step.element))
        x += width + (0.0 if link else GAP)
    here = next(p for p in pieces if p.here)
    kind = step.key.partition(":")[0]
    if kind == "joint":
        red, black, grounded = (here.x, TOP), (here.x + here.width, TOP), False
    elif kind in ("draw", "into"):
        at = pieces[0].x + pieces[0].width
        red, black, grounded = (at - 2.0, TOP), (at + GAP + 6.0, TOP), False
    else:
        red, black, grounded = (here.x + here.width - 4.0, TOP), (here.x + here.width - 4.0, GROUND), True
    width = round(max(x + LEFT + 70.0, 240.0))
    shapes = [path("ground", f"M8,104 H{width - 8}"), text("sub", 10.0, 121.0, "ground, minus")]
    shapes += [s for p in pieces for s in _drawn(p)]
    shapes += [_probe("red", red, "l-10,-34 h20 z", text("", red[0], 15.0, "red", "middle"))]
    shapes += [
        _probe("black", black, "l34,-9 v18 z", text("", black[0] + 8, 122.0, "black", "start"))
        if grounded
        else _probe("black", black, "l-10,-34 h20 z", text("", black[0], 15.0, "black", "middle"))
    ]
    says = f"Red probe on {step.red}, black on {step.black}"
    return Drawing("probes-drawn", width, HEIGHT, says, tuple(shapes), sized=True, steers={"data-element": step.element})


def _drawn(p: Piece) -> tuple[Shape, ...]:
    middle = p.x + p.width / 2
    if p.link:
        strand = f"strand {p.colour}{' here' if p.here else ''}"
        return path(strand, f"M{p.x:.1f},52 h{p.width:.1f}"), text("sub", middle, 74.0, p.name, "middle")
    return (
        rect("here" if p.here else "", p.x, 34.0, p.width, 36.0, round=3),
        text("", middle, 57.0, p.name, "middle"),
        path("lead", f"M{p.x + p.width:.1f},52 h10"),
    )


def _probe(colour: str, tip: tuple[float, float], outline: str, word: Shape) -> Shape:
    return group(path("", f"M{tip[0]:.1f},{tip[1]:.1f} {outline}"), word, look=f"probe {colour}")


def _way(plan: Plan, step: Step) -> list[Part]:
    part = plan.by_id[step.element]
    if isinstance(part, ChargeBoard) and step.key.startswith("into"):
        return [part, plan.by_id[part.charges]]
    if not isinstance(part, Fed):
        return [part]
    above = [p for p in feeders_of(plan, part) if not isinstance(p, Rail) and not (isinstance(p, Link) and p.kind == "outlet")]
    return [*reversed(above), part]
