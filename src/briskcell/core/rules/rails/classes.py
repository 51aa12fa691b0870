"""The rule of classes: a part is what its class is, or it says where it differs."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from briskcell.core.answers import Answers
from briskcell.core.moves.fix import Fix, placed
from briskcell.model.changes import altered, replaced
from briskcell.model.parts import Part
from briskcell.model.stores import Cell, Pack

from ..registry import Finding, rule

STATION = {"chargers": "charge", "supplies": "charge", "packs": "pack"}


@rule(
    "as-its-class",
    station="rails",
    shown=("rails/boards",),
    worst="close",
    source="The class's facts, and the bounds of what can be set on it",
)
def as_its_class(assessed: Answers) -> Iterator[Finding]:
    """A part's figures are those of its class, within what can be set on it."""
    for element, found in assessed.differences.items():
        part = assessed.plan.by_id[element]
        known = assessed.stock.of_class(part.cell.part_class if isinstance(part, Pack) else part.part_class)
        assert known is not None
        cause = f"{part.name} differs from its class “{known.name}”: {'; '.join(d.words for d in found[:3])}."
        yield Finding(
            "close",
            part.id,
            cause,
            0.15,
            partial(_as_class, assessed, part, known),
            "If it is another part, give it a name and source of its own.",
        )


def _as_class(assessed: Answers, part: Part, known: Part | Cell) -> Iterator[Fix]:
    if isinstance(part, Pack) and isinstance(known, Cell):
        yield Fix(f"{known.name} as its class has it", "is what can be bought.", replaced(assessed.plan, altered(part, cell=known)))
    elif isinstance(known, Part):
        yield Fix(f"{known.name} as its class has it", "is what can be bought.", replaced(assessed.plan, placed(part, known)))
