"""The front of the case from outside: what it leaves open, and what comes out at its edges."""

from __future__ import annotations

from briskcell.core.assess import Assessment
from briskcell.core.room.face import Opening, Reach

from ..shapes import Drawing, Shape, group, rect, text
from .stack import MARGIN, WIDTH, numbers_of, scale_of

NOTCH = 7.0  # of a socket, beyond the outline of the face


def face(assessed: Assessment) -> Drawing | None:
    """The face to scale; None while nothing is laid."""
    if not assessed.laid[0]:
        return None
    case, found = assessed.plan.case, assessed.room
    scale, numbers = scale_of(case.length_mm), numbers_of(assessed)
    wide, tall = case.length_mm * scale, case.width_mm * scale
    shapes = [rect("wall", MARGIN, MARGIN, wide, tall, round=9)]
    shapes += [_opening(o, numbers[o.block.solid.id], scale, case.wall_mm, tall) for o in found.openings]
    shapes += [_port(r, scale, case.wall_mm, wide, tall) for r in found.reaches if r.reached and r.face != "back"]
    return Drawing("stack face", WIDTH, round(tall + 2 * MARGIN), "The front of the case", tuple(shapes), sized=True)


def _opening(o: Opening, number: int, scale: float, wall: float, tall: float) -> Shape:
    x, y = MARGIN + (o.at[0] + wall) * scale, MARGIN + tall - (o.at[1] + o.size[1] + wall) * scale
    width, height = o.size[0] * scale, o.size[1] * scale
    return group(
        rect("", x, y, width, height, round=3),
        text("", x + width / 2, y + height / 2 + 5, str(number), "middle"),
        look="hole" if o.block.solid.seen is None else "seen",
        title=o.block.solid.name,
    )


def _port(r: Reach, scale: float, wall: float, wide: float, tall: float) -> Shape:
    """Where a socket or grille comes out: a notch on its edge, or its outline on the front."""
    b = r.block
    x, y = MARGIN + (b.at[0] + wall) * scale, MARGIN + tall - (b.end[1] + wall) * scale
    width, height = b.size[0] * scale, b.size[1] * scale
    on_edge = {
        "left side": (MARGIN - NOTCH, y, NOTCH, height),
        "right side": (MARGIN + wide, y, NOTCH, height),
        "lower edge": (x, MARGIN + tall, width, NOTCH),
        "upper edge": (x, MARGIN - NOTCH, width, NOTCH),
    }
    box = on_edge.get(r.face, (x, y, width, height))
    return group(rect("" if r.face in on_edge else "grille", *box), look="port", title=b.solid.name)
