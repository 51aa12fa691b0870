"""Rules of heat: what the hand, the cells and the boards feel in the closed case."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from briskcell.core.answers import Answers
from briskcell.core.heat.case import SKIN_C, cells_limit_c, touch_limit_c
from briskcell.core.moves.boards import other_boards
from briskcell.core.moves.case import cooler
from briskcell.core.moves.fix import Fix
from briskcell.model.parts import Converter

from .registry import Finding, missed_by, past, rule


@rule(
    "case-heat",
    station="heat",
    wish="room_c",
    shown=("heat/limits",),
    source="IEC 62368-1:2018, table 38: 48 °C where plastic is held; cells 60 °C in use",
)
def case_heat(assessed: Answers) -> Iterator[Finding]:
    """In the warmest room neither the hand nor the cells feel more than they should."""
    found = assessed.heat
    element = assessed.plan.stores[0].id if assessed.plan.stores else ""
    if not element:
        return
    limit = touch_limit_c(assessed.plan)
    soon = f" after {found.minutes_to_limit:.0f} min" if found.minutes_to_limit else ""
    if found.skin_c > limit:
        cause = f"The closed case reaches {past(found.skin_c, limit)}{soon}; {limit:.0f} °C is the most {'that hands should hold' if assessed.plan.brief.held else 'for a case that is touched'}."
        yield Finding(
            "fails",
            element,
            cause,
            missed_by(found.skin_c - limit + SKIN_C, SKIN_C),
            partial(cooler, assessed),
            "A larger case, or less draw.",
        )
    elif found.cells_c > cells_limit_c(assessed.plan):
        cause = (
            f"The cells reach {past(found.cells_c, cells_limit_c(assessed.plan))} in the closed case; "
            f"they are rated to {cells_limit_c(assessed.plan):.0f} °C."
        )
        yield Finding(
            "fails",
            element,
            cause,
            missed_by(found.cells_c - cells_limit_c(assessed.plan) + SKIN_C, SKIN_C),
            partial(cooler, assessed),
            "A larger case.",
        )


@rule(
    "part-heat",
    station="heat",
    wish="room_c",
    shown=("heat/limits",),
    source="Case air plus warmth per watt, against the part's sheet",
)
def part_heat(assessed: Answers) -> Iterator[Finding]:
    """No board or part gets warmer than its sheet allows."""
    for part in assessed.heat.parts:
        if part.celsius > part.limit_c:
            cause = f"{part.name} reaches {past(part.celsius, part.limit_c)} in play; it stands {part.limit_c:.0f} °C."
            yield Finding(
                "fails",
                part.element,
                cause,
                missed_by(part.celsius - part.limit_c + SKIN_C, SKIN_C),
                partial(_less_loss, assessed, part.element),
                "A board with less loss, or copper to carry the heat away.",
            )
        elif part.slows_c is not None and part.celsius > part.slows_c:
            cause = f"{part.name} reaches {past(part.celsius, part.slows_c)} in play and slows down from {part.slows_c:.0f} °C on."
            yield Finding(
                "close",
                part.element,
                cause,
                missed_by(part.celsius - part.slows_c + SKIN_C, SKIN_C),
                partial(cooler, assessed),
                "A heat sink on it, vents or a fan.",
            )


def _less_loss(assessed: Answers, element: str) -> Iterator[Fix]:
    """Another board, then a cooler case."""
    part = assessed.plan.by_id[element]
    if isinstance(part, Converter):
        yield from other_boards(assessed, part)
    yield from cooler(assessed)
