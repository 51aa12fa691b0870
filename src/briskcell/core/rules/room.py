"""Rules of the room: what lies in the case meets nothing, and cells keep their distance."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from briskcell.core.answers import Answers
from briskcell.core.moves.fix import Fix
from briskcell.core.room.solids import inside
from briskcell.core.room.stack import arranged, placements
from briskcell.model.changes import remade

from .registry import Finding, missed_by, rule

MOST_SAID = 3


@rule(
    "room",
    station="room",
    shown=("room/stack",),
    source="Bounding boxes; 3 mm from a warm board, 5 mm from an antenna, 1 mm from chips are rules of thumb",
)
def room(assessed: Answers) -> Iterator[Finding]:
    """Parts that are laid in the case meet neither each other nor a wall, and cells lie apart from warm boards, antennas and chips."""
    if not assessed.plan.placed:
        return
    thick = assessed.room.inside[2]
    for clash in assessed.room.clashes[:MOST_SAID]:
        loss = missed_by(thick + clash.by_mm, thick) if clash.state == "fails" else 0.05
        yield Finding(
            clash.state,
            clash.parts[0],
            clash.words,
            loss,
            partial(_laid_anew, assessed),
            "Move or turn one of them, or make the case larger.",
        )


def _laid_anew(assessed: Answers) -> Iterator[Fix]:
    every, _ = assessed.solids
    laid, left = arranged(every, inside(assessed.plan.case))
    if not left:
        plan = remade(assessed.plan, {"placed": placements(laid, {s.id: s for s in every})})
        yield Fix("Everything laid anew by the greedy search", "meets nothing.", plan)
