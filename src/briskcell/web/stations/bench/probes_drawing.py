"""Where the probes go: the way from the store to the element of a step, with a mark at each probe."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.core.bench.step import Step
from briskcell.core.wiring.cutting import colour_of
from briskcell.model.parts import Fed, Link, Part, Rail
from briskcell.model.plan import Plan
from briskcell.model.stores import ChargeBoard
from briskcell.model.tree import feeders_of
from briskcell.web.drawing.text import short

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


@dataclass(frozen=True, slots=True)
class Probes:
    """The drawing: pieces from the store on, and where red and black touch. Between ``red`` and ``black`` lies what is read."""

    width: float
    pieces: tuple[Piece, ...]
    red: tuple[float, float]
    black: tuple[float, float]
    grounded: bool
    cut: bool


def draw_probes(plan: Plan, step: Step) -> Probes:
    """Lay out the way to a step's element.

    Parameters
    ----------
    plan : Plan
        The build.
    step : Step
        One of its ladder.
    """
    pieces, x = [], LEFT
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
    return Probes(max(x + LEFT + 70.0, 240.0), tuple(pieces), red, black, grounded, kind in ("draw", "into"))


def _way(plan: Plan, step: Step) -> list[Part]:
    part = plan.by_id[step.element]
    if isinstance(part, ChargeBoard) and step.key.startswith("into"):
        return [part, plan.by_id[part.charges]]
    if not isinstance(part, Fed):
        return [part]
    above = [p for p in feeders_of(plan, part) if not isinstance(p, Rail) and not (isinstance(p, Link) and p.kind == "outlet")]
    return [*reversed(above), part]
