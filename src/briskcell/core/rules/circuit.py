"""Rules of the circuit as it is soldered: what cannot be joined, and what is joined to nothing."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from briskcell.core.answers import Answers
from briskcell.core.circuit.refusals import Refusal, refusals
from briskcell.core.moves.fix import Fix
from briskcell.core.moves.taking_out import without_board
from briskcell.model.changes import altered, left_out, replaced
from briskcell.model.parts import Converter

from .registry import Finding, rule


@rule("joined", station="wiring", shown=("wiring/soldered",), source="The nets of the circuit, from terminal to terminal")
def joined(assessed: Answers) -> Iterator[Finding]:
    """No net joins plus to minus or one output to another, and every wire, switch, fuse and board leads somewhere."""
    for found in refusals(assessed.circuit):
        dangling = found.kind == "nowhere"
        yield Finding(
            "close" if dangling else "fails",
            found.element,
            found.words,
            0.05 if dangling else 1.0,
            partial(_mended, assessed, found),
            "Take it out, or hang on it what it is for."
            if dangling
            else "Look at the terminals of both; solder neither until then.",
        )


def _mended(assessed: Answers, found: Refusal) -> Iterator[Fix]:
    part = assessed.plan.by_id.get(found.element)
    if part is None:
        return
    if found.kind != "nowhere":
        if part.terminals:
            usual = replaced(assessed.plan, altered(part, terminals=()))
            yield Fix(f"The usual terminals of {part.name}", "are those of its kind.", usual)
        return
    plan = without_board(assessed.plan, part) if isinstance(part, Converter) else left_out(assessed.plan, part)
    if plan is not None:
        yield Fix(f"{part.name} taken out", "nothing needs it.", plan)
