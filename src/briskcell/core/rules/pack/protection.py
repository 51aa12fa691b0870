"""Rules of protection: something ends a discharge, a short and a charge before they harm lithium cells."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from briskcell.core.answers import Answers
from briskcell.core.moves.guards import guarded

from ..registry import Finding, rule

HARMED_V = 0.5  # below where it is empty: sheets end a discharge at 2.5 V (3.0 V empty), of LFP at 2.0 V (2.5 V)


@rule(
    "protected-cells",
    station="pack",
    shown=("pack/cells",),
    source="Lithium cells need protection against deep discharge, short and overcharge; IEC 62133-2",
)
def protected_cells(assessed: Answers) -> Iterator[Finding]:
    """Lithium cells have a protection board, and it cuts off before a discharge harms them."""
    for pack in assessed.plan.packs:
        lithium = [c for c in pack.string_cells if c.is_lithium]
        if not lithium:
            continue
        least = max(c.empty_v for c in lithium) - HARMED_V
        if pack.protection is None:
            yield Finding(
                "fails",
                pack.id,
                f"Nothing protects {pack.name}: no board ends a discharge past empty, a short or an overcharge.",
                1.0,
                partial(guarded, assessed.plan, pack),
                "A protection board; or, where the cells carry their own, say where it cuts off and trips.",
            )
        elif pack.protection.cutoff_cell_v < least - 1e-9:
            cause = (
                f"The protection of {pack.name} lets each cell fall to {pack.protection.cutoff_cell_v:.2f} V; "
                f"below {least:.2f} V it is harmed, and may not be charged again."
            )
            yield Finding("fails", pack.id, cause, 0.6, partial(guarded, assessed.plan, pack), "A board made for these cells.")
