"""The harness as places for probes: what the trainer's console is pressed on."""

from __future__ import annotations

from briskcell.core.assess import Assessment

from ..shapes import Drawing, Shape, group, path, rect, text
from .harness import Segment, lanes_of


def points(assessed: Assessment, red: str, black: str) -> Drawing:
    """Every element of a console to put a probe on.

    Parameters
    ----------
    assessed : Assessment
        The build.
    red, black : str
        Where the probes are, by id.

    Returns
    -------
    Drawing
        Each place a group with its ``data-point``.
    """
    laid, names = lanes_of(assessed, "narrow"), {p.id: p.name for p in assessed.plan.parts()}

    def point(element: str, *inside: Shape, title: str = "") -> Shape:
        look = f"point{' red' if red == element else ''}{' black' if black == element else ''}"
        return group(*inside, look=look, title=title, steers={"data-point": element})

    shapes = [
        point(start, rect("box", 2.0, y - 17, 16.0 + len(name) * 8, 24.0, round=3), text("head", 8.0, y, name))
        for name, start, y in laid.heads
    ]
    for lane in laid.lanes:
        shapes += [point(s.element, *_segment(s, lane.y), title=names[s.element]) for s in lane.segments]
        if lane.end_id:
            box = rect("box", lane.end_x - 6, lane.y - 12, 12 + len(lane.end) * 7.4, 24.0, round=3)
            shapes.append(point(lane.end_id, box, text("nm", lane.end_x, lane.y + 5, lane.end)))
    return Drawing(
        "harness points", round(laid.width), round(laid.height), "The console, run by run", tuple(shapes), opening=True, sized=True
    )


def _segment(s: Segment, y: float) -> tuple[Shape, ...]:
    middle = s.x + s.width / 2
    strands: tuple[Shape, ...]
    if s.wire:
        strands = (path(f"strand {s.colour}", f"M{s.x:.1f},{y:.1f} h{s.width:.1f}", s.thick),)
    else:
        strands = (
            path("strand lead", f"M{s.x:.1f},{y:.1f} h{s.width:.1f}", 1.2),
            rect("contact", middle - 9, y - 8, 18.0, 16.0, round=2),
        )
    return *strands, text("over", middle, y - 12, s.over, "middle"), rect("hit box", s.x, y - 14, s.width, 28.0, round=3)
