"""Packs that fit, hours over thickness; the frontier is joined."""

from __future__ import annotations

from briskcell.core.search.candidates import Candidate
from briskcell.model.stores import Pack
from briskcell.model.units import Show, show

from ..scale import Scale
from ..shapes import Drawing, Shape, circle, group, line, text

WIDTH, HEIGHT = 560.0, 286.0


def scatter(found: tuple[Candidate, ...], pack: Pack, wanted_h: float, show: Show = show) -> Drawing | None:
    """Some packs against each other.

    Parameters
    ----------
    found : tuple of Candidate
        Packs that fit.
    pack : Pack
        The build's own, which is picked out.
    wanted_h : float
        Hours of the brief. [h]
    show : callable
        How figures are shown.

    Returns
    -------
    Drawing or None
        None where no pack plays.
    """
    played = [c for c in found if c.runtime_h]
    if not played:
        return None
    x = Scale(0.0, max(c.thickness_mm for c in played) * 1.08, 46.0, 540.0)
    y = Scale(0.0, max(wanted_h, *(c.runtime_h or 0.0 for c in played)) * 1.08, 246.0, 14.0)
    shapes: list[Shape] = []
    for t in x.ticks(6):
        shapes += [line("grid", x(t), 14.0, x(t), 246.0), text("sub", x(t), 262.0, show(t, "mm").replace(".0", ""), "middle")]
    for t in y.ticks(5):
        shapes += [line("grid", 46.0, y(t), 540.0, y(t)), text("sub", 40.0, y(t) + 4, f"{t:g} h", "end")]
    shapes += [line("wanted", 46.0, y(wanted_h), 540.0, y(wanted_h)), text("sub", 538.0, y(wanted_h) - 5, "wanted", "end")]
    joined = sorted(((x(c.thickness_mm), y(c.runtime_h or 0.0)) for c in played if c.frontier), key=lambda p: p[0])
    shapes.append(Shape("polyline", "frontier", {"points": " ".join(f"{a},{b}" for a, b in joined)}))
    shapes += [_spot(c, x(c.thickness_mm), y(c.runtime_h or 0.0), pack, show) for c in played]
    shapes.append(text("sub", 540.0, 280.0, "thickness with swelling and wrap", "end"))
    says = f"Runtime against thickness of {len(found)} packs; the table below has the same"
    return Drawing("scatter", WIDTH, HEIGHT, says, tuple(shapes), opening=True)


def _spot(c: Candidate, x: float, y: float, pack: Pack, show: Show) -> Shape:
    now = c.cell.part_class == pack.cell.part_class and c.parallel == pack.parallel
    figures = f"{show(c.energy_wh, 'Wh')}, {show(c.runtime_h or 0.0, 'h')}, {show(c.thickness_mm, 'mm')} thick"
    right = x < 420
    word = (text("nm", x + (10 if right else -10), y - 9, "this build", "start" if right else "end"),) if now else ()
    return group(
        circle("", x, y, 7.0 if now else 4.5),
        *word,
        look=f"spot{' front' if c.frontier else ''}{' here' if now else ''}",
        title=f"{c.series}S{c.parallel}P of {c.cell.name}: {figures}",
    )
