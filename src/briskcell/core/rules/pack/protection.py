"""Rules of protection: something ends a discharge, a short and a charge before they harm lithium cells."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from briskcell.core.answers import Answers
from briskcell.core.charge.charging import end_v
from briskcell.core.moves.guards import guarded
from briskcell.model.stores import Pack

from ..registry import Finding, rule

HARMED_V = 0.5  # below where it is empty: sheets end a discharge at 2.5 V (3.0 V empty), of LFP at 2.0 V (2.5 V)

OVERCHARGED_V = 0.12  # past full, that no cell may reach: boards for 4.2 V cells open at 4.25 to 4.32 V
OPENS_V = 0.02  # over the end of a charge, that a board has to let pass: a charge board is within 1 % as a rule, 10 to 20 mV


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
        elif (wrong := _on_charge(assessed, pack, min(c.full_v for c in lithium))) is not None:
            yield Finding("fails", pack.id, wrong, 0.5, partial(guarded, assessed.plan, pack), "A board made for these cells.")


def _on_charge(assessed: Answers, pack: Pack, full_v: float) -> str | None:
    """What is wrong with where a protection board ends a charge; None where that suits, or nobody has said it."""
    guard = pack.protection
    if guard is None:
        return None
    if pack.series > 1 and not guard.senses_each:
        return (
            f"The protection of {pack.name} sees the {pack.series} cells in series as one: the weakest is driven past full and "
            "past empty unseen."
        )
    if guard.over_cell_v is None:
        return None
    if guard.over_cell_v > full_v + OVERCHARGED_V + 1e-9:
        return (
            f"The protection of {pack.name} lets each cell be charged to {guard.over_cell_v:.2f} V; past "
            f"{full_v + OVERCHARGED_V:.2f} V it may burn."
        )
    ends = [end_v(b, pack) / pack.series for b in assessed.plan.chargers if b.charges == pack.id]
    if ends and guard.over_cell_v < max(ends) + OPENS_V - 1e-9:
        return (
            f"The protection of {pack.name} opens at {guard.over_cell_v:.2f} V a cell, before the charge ends at {max(ends):.2f} V."
        )
    return None
