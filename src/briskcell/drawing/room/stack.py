"""The case to scale: its stack from above and from the long side."""

from __future__ import annotations

import json
from collections.abc import Callable

from briskcell.core.assess import Assessment
from briskcell.core.room.stack import Block
from briskcell.model.units import Show, show

from ..shapes import Drawing, Shape, group, rect, text

WIDTH, MARGIN, GAP = 760.0, 26.0, 34.0
MOST_SCALE = 4.0  # units a millimetre
Box = tuple[float, float, float, float]


def scale_of(length_mm: float) -> float:
    """Units a millimetre for a length that has the drawing's width."""
    return min((WIDTH - 2 * MARGIN) / length_mm, MOST_SCALE)


def numbers_of(assessed: Assessment) -> dict[str, int]:
    """The number that each solid goes by, by its part."""
    return {s.id: n + 1 for n, s in enumerate(assessed.solids[0])}


def stack(assessed: Assessment, show: Show = show) -> Drawing | None:
    """Everything that is laid, from above with the front towards you, below it from the long side with the front on top.

    Parameters
    ----------
    assessed : Assessment
        The build.
    show : callable
        How figures are shown.

    Returns
    -------
    Drawing or None
        Blocks can be dragged and stepped: each says where it lies. None while no part has a size.
    """
    if not assessed.solids[0]:
        return None
    case, size, blocks = assessed.plan.case, assessed.room.inside, assessed.laid[0]
    scale = scale_of(size[0])
    wide, tall, thick = (v * scale for v in size)
    lower = MARGIN + tall + GAP
    view = _Blocks(numbers_of(assessed), {p for c in assessed.room.clashes if c.state == "fails" for p in c.parts})

    def above(b: Block) -> Box:
        return MARGIN + b.at[0] * scale, MARGIN + (size[1] - b.end[1]) * scale, b.size[0] * scale, b.size[1] * scale

    def beside(b: Block) -> Box:
        return MARGIN + b.at[0] * scale, lower + (size[2] - b.end[2]) * scale, b.size[0] * scale, b.size[2] * scale

    shapes = [
        text("sub", MARGIN, 16.0, f"{show(case.length_mm, 'mm')} × {show(case.width_mm, 'mm')} outside"),
        rect("wall", MARGIN, MARGIN, wide, tall),
        *view.drawn(sorted(blocks, key=lambda b: b.end[2]), above, 5.0, moved=True),
        text("sub", MARGIN, lower - 8, f"{show(case.depth_mm, 'mm')} thick outside"),
        rect("wall", MARGIN, lower, wide, thick),
        *view.drawn(sorted(blocks, key=lambda b: -b.at[1]), beside, 4.0, moved=False),
    ]
    height = round(MARGIN * 2 + tall + GAP + thick + 8)
    return Drawing(
        "stack",
        WIDTH,
        height,
        "The stack, from above and from the side",
        tuple(shapes),
        opening=True,
        sized=True,
        steers={"data-scale": f"{scale:.6g}"},
    )


class _Blocks:
    """Blocks as one view has them: by number, and marked where they meet something."""

    def __init__(self, numbers: dict[str, int], bad: set[str]) -> None:
        self.numbers, self.bad = numbers, bad

    def drawn(self, blocks: list[Block], place: Callable[[Block], Box], down: float, *, moved: bool) -> list[Shape]:
        """The blocks in their order, at their places; those that can be moved say where they lie."""
        return [self._one(b, place(b), down, moved=moved) for b in blocks]

    def _one(self, b: Block, box: Box, down: float, *, moved: bool) -> Shape:
        solid, (x, y, width, height) = b.solid, box
        number = str(self.numbers[solid.id]) if moved or height > 13 else ""
        kind = "cells" if solid.cells else "front" if solid.front else "warm" if solid.warm else "part"
        steers = (
            {
                "data-block": json.dumps({"part": solid.id, "x": b.at[0], "y": b.at[1]}),
                "tabindex": "0",
                "role": "button",
                "aria-label": f"{number}, {solid.name}: at {b.at[0]} and {b.at[1]} mm; arrow keys move it",
            }
            if moved
            else {}
        )
        return group(
            rect("", x, y, width, height, round=2 if moved else 1),
            text("", x + width / 2, y + height / 2 + down, number, "middle"),
            look=f"block {kind}{' clash' if solid.id in self.bad else ''}",
            title=solid.name,
            steers=steers,
        )
