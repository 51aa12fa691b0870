"""The bay drawn to scale, from above and from the side: pack, swelling, holder, plug and cable room, and what does not fit."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from briskcell.core.answers import Answers
from briskcell.core.pack.fit import Fit, Placing, best_placing, cell_size, fit
from briskcell.model.plan import Bay
from briskcell.model.stores import Cell, Pack
from briskcell.model.units import show

from ..shapes import Drawing, Shape, group, line, rect, text

WIDTH, MARGIN, GAP = 560.0, 30.0, 46.0
MOST_SCALE = 4.0  # units a millimetre
Box3 = tuple[float, float, float, float, float, float]


@dataclass(frozen=True, slots=True)
class Rect:
    """A drawn rectangle, its kind, and its words."""

    kind: str
    x: float
    y: float
    width: float
    height: float
    title: str = ""
    round: float = 0.0


@dataclass(frozen=True, slots=True)
class Edge:
    """A wall that can be dragged: its line, its scale, and the field it ends in."""

    path: str
    name: str
    axis: str
    x1: float
    y1: float
    x2: float
    y2: float
    drag: dict[str, Any]
    value: float


@dataclass(frozen=True, slots=True)
class BayViews:
    """Both views in one drawing, and what they say in words."""

    height: float
    top: tuple[Rect, ...]
    side: tuple[Rect, ...]
    edges: tuple[Edge, ...]
    side_y: float
    words: tuple[str, ...]
    fits: bool


def bay_views(assessed: Answers, pack: Pack) -> BayViews | None:
    """Where everything lies in the bay with a pack of the build; None without a bay."""
    bay = assessed.plan.bay
    if bay is None:
        return None
    found, count = fit(pack.cell, pack.series * pack.parallel, bay), pack.series * pack.parallel
    placing = found.placing or best_placing(pack.cell, bay)
    over = max(count - found.most, 0)
    scale = min((WIDTH - 2 * MARGIN) / (bay.length_mm * (1.0 if not over else 1.35)), 240.0 / bay.width_mm, MOST_SCALE)
    side_y = MARGIN + bay.width_mm * scale + GAP
    boxes = _cells(placing, count) if placing else []
    inner = _inner(pack.cell, bay)

    def view(y0: float, above: bool) -> list[Rect]:
        plug = _plug(placing, pack.cell, bay, scale, y0, above)
        return [*_room(bay, scale, y0, above), *_drawn(boxes, inner, scale, y0, above), *plug]

    top, side = view(MARGIN, True), view(side_y, False)
    if over:
        top += _outside(pack.cell, bay, over, scale)
    return BayViews(
        side_y + bay.depth_mm * scale + 34.0,
        tuple(top),
        tuple(side),
        _edges(bay, scale, side_y),
        side_y,
        _words(found, bay, pack.cell),
        found.fits,
    )


def bay(assessed: Answers, pack: Pack) -> Drawing | None:
    """The bay with a pack of the build, to scale; None where nobody has measured one."""
    found = bay_views(assessed, pack)
    return None if found is None else drawn_bay(found, "from above")


def drawn_bay(found: BayViews, above: str, *, handles: bool = True) -> Drawing:
    """Both views of a bay, with the measures that are dragged unless they are left out."""
    shapes = [text("sub", MARGIN, 22.0, above), text("sub", MARGIN, found.side_y - 8, "from the side")]
    shapes += [rect(f"bay-{r.kind}", r.x, r.y, r.width, r.height, round=r.round, title=r.title) for r in (*found.top, *found.side)]
    for r in found.top:
        x, y = r.x + r.width / 2, r.y + r.height / 2
        if r.kind == "plug":
            turned = f"rotate({-90 if r.height > r.width else 0} {x:.1f} {y:.1f})"
            shapes.append(text("sub", x, y, "plug", "middle", transform=turned, dy=4))
        if r.kind == "block" and r.height > 16 and r.width > 40:
            shapes.append(text("sub", r.x + 4, r.y + 14, "taken"))
    out = next((r for r in found.top if r.kind == "left-out"), None)
    if out is not None:
        shapes.append(text("nm", out.x, out.y - 6, out.title))
    if handles:
        shapes += [_handle(e) for e in found.edges]
    says = f"The bay to scale: {' '.join(found.words)}"
    return Drawing("bay", WIDTH, found.height, says, tuple(shapes), opening=handles)


def _handle(e: Edge) -> Shape:
    upright = e.axis == "x"
    grab = (e.x1 - 7, e.y1, 14.0, e.y2 - e.y1) if upright else (e.x1, e.y1 - 7, e.x2 - e.x1, 14.0)
    at = (e.x2 + 5, (e.y1 + e.y2) / 2 + 4) if upright else ((e.x1 + e.x2) / 2, e.y1 + 16)
    return group(
        rect("grab", *grab, hand=True),
        line("rail", e.x1, e.y1, e.x2, e.y2),
        text("vl", *at, show(e.value, "mm"), "start" if upright else "middle", {"data-shows": ""}),
        look="handle" if upright else "handle down",
        steers={
            "tabindex": "0",
            "role": "slider",
            "aria-label": f"{e.name}, millimetres",
            "aria-valuemin": "0",
            "aria-valuemax": f"{e.value * 2:g}",
            "aria-valuenow": f"{e.value:g}",
            "aria-valuetext": show(e.value, "mm"),
            "data-drag": json.dumps(e.drag),
            "data-value": f"{e.value:g}",
            "data-path": e.path,
        },
    )


def _cells(placing: Placing, count: int) -> list[Box3]:
    """Where each cell lies, with its swelling and wrap: filled along the length, then the width, then upwards."""
    nx, ny, nz = placing.count
    out = []
    for k in range(min(count, nx * ny * nz)):
        at = k % nx, k // nx % ny, k // (nx * ny)
        corner = [c + n * s for c, n, s in zip(placing.corner_mm, at, placing.cell_mm, strict=True)]
        out.append((corner[0], corner[1], corner[2], *placing.cell_mm))
    return out


def _inner(cell: Cell, bay: Bay) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """A cell's measures with and without swelling and wrap, in the same order."""
    width = cell.width_mm or cell.thickness_mm or 0.0
    return cell_size(cell, bay) or (0.0, 0.0, 0.0), (cell.length_mm or 0.0, width, cell.thickness_mm or 0.0)


def _drawn(boxes: list[Box3], inner: Any, scale: float, y0: float, above: bool) -> list[Rect]:
    out, (outer, bare) = [], inner
    axis = 1 if above else 2
    for n, box in enumerate(boxes, 1):
        size = box[3], box[3 + axis]
        x, y = MARGIN + box[0] * scale, y0 + box[axis] * scale
        own = [next((b for o, b in zip(outer, bare, strict=True) if abs(o - s) < 1e-6), s) for s in size]
        out.append(Rect("swelling", x, y, size[0] * scale, size[1] * scale, "swelling and wrap"))
        dx, dy = (size[0] - own[0]) / 2 * scale, (size[1] - own[1]) / 2 * scale
        end_on = abs(own[0] - own[1]) < 0.1 and own[0] < bare[0] - 0.1 and abs(bare[1] - bare[2]) < 0.1
        out.append(Rect("cell", x + dx, y + dy, own[0] * scale, own[1] * scale, f"cell {n}", own[0] * scale / 2 if end_on else 3.0))
    return out


def _room(bay: Bay, scale: float, y0: float, above: bool) -> list[Rect]:
    across = bay.width_mm if above else bay.depth_mm
    out = [Rect("bay", MARGIN, y0, bay.length_mm * scale, across * scale, "the bay")]
    if not above and bay.holder_mm:
        tall = bay.holder_mm * scale
        out.append(Rect("holder", MARGIN, y0 + (across * scale - tall), bay.length_mm * scale, tall, "holder"))
    for n, b in enumerate(bay.keep_outs, 1):
        y, tall = (b.y_mm, b.width_mm) if above else (b.z_mm, b.depth_mm)
        out.append(
            Rect(
                "block" if above else "block-behind",
                MARGIN + b.x_mm * scale,
                y0 + y * scale,
                b.length_mm * scale,
                tall * scale,
                f"taken, block {n}",
            )
        )
    return out


def _plug(placing: Placing | None, cell: Cell, bay: Bay, scale: float, y0: float, above: bool) -> list[Rect]:
    """The room kept for plug and cable, at the end of the cells' length."""
    size = cell_size(cell, bay)
    if placing is None or size is None or not bay.plug_room_mm:
        return []
    axis = next(k for k in range(3) if abs(placing.cell_mm[k] - size[0]) < 1e-6)
    start = [c + n * s for c, n, s in zip(placing.corner_mm, placing.count, placing.cell_mm, strict=True)]
    across = 1 if above else 2
    if axis == 0:
        y, tall = placing.corner_mm[across], placing.count[across] * placing.cell_mm[across]
        return [Rect("plug", MARGIN + start[0] * scale, y0 + y * scale, bay.plug_room_mm * scale, tall * scale, "plug and cable")]
    if axis == across:
        wide = placing.count[0] * placing.cell_mm[0]
        return [
            Rect(
                "plug",
                MARGIN + placing.corner_mm[0] * scale,
                y0 + start[across] * scale,
                wide * scale,
                bay.plug_room_mm * scale,
                "plug and cable",
            )
        ]
    return []


def _outside(cell: Cell, bay: Bay, over: int, scale: float) -> list[Rect]:
    """Cells without a place, drawn beside the bay."""
    size = cell_size(cell, bay)
    if size is None:
        return []
    x, out = MARGIN + bay.length_mm * scale + 72.0, []
    wide = min(size[1] * scale, 60.0)
    for n in range(min(over, 3)):
        out.append(
            Rect(
                "left-out",
                x + n * (wide * 0.35),
                MARGIN + n * 8.0,
                wide,
                min(size[0] * scale, bay.width_mm * scale * 1.2),
                f"{over} without a place",
            )
        )
    return out


def _edges(bay: Bay, scale: float, side_y: float) -> tuple[Edge, ...]:
    right, low, floor = MARGIN + bay.length_mm * scale, MARGIN + bay.width_mm * scale, side_y + bay.depth_mm * scale

    def drag(axis: str, start: float, value: float) -> dict[str, Any]:
        most = value + 60.0
        return {"axis": axis, "low": 0, "high": most, "start": start, "end": start + most * scale, "step": 0.5, "unit": "mm"}

    return (
        Edge("bay/length_mm", "Length of the bay", "x", right, MARGIN, right, low, drag("x", MARGIN, bay.length_mm), bay.length_mm),
        Edge("bay/width_mm", "Width of the bay", "y", MARGIN, low, right, low, drag("y", MARGIN, bay.width_mm), bay.width_mm),
        Edge("bay/depth_mm", "Depth of the bay", "y", MARGIN, floor, right, floor, drag("y", side_y, bay.depth_mm), bay.depth_mm),
    )


def _words(found: Fit, bay: Bay, cell: Cell) -> tuple[str, ...]:
    kept = f"Kept free: {bay.clearance_mm:g} mm to the walls, {bay.plug_room_mm:g} mm for plug and cable"
    kept += f", {bay.holder_mm:g} mm for a holder." if bay.holder_mm else "."
    size = cell_size(cell, bay)
    taken = f"One cell takes {size[0]:.1f} × {size[1]:.1f} × {size[2]:.1f} mm with swelling and wrap." if size else ""
    return tuple(w for w in (found.words, taken, kept) if w)
