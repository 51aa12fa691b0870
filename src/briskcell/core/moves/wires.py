"""Wires in another gauge: thick enough that their insulation outlives a short at their far end."""

from __future__ import annotations

from collections.abc import Sequence

from briskcell.core.answers import Answers
from briskcell.core.wiring.harness import GAUGES
from briskcell.core.wiring.shorts import check_short
from briskcell.model.changes import altered, replaced
from briskcell.model.parts import Link

from .fix import Fix


def outliving(assessed: Answers, wires: Sequence[Link]) -> Fix | None:
    """Each of some wires in the thinnest gauge that outlives a short at its end.

    Parameters
    ----------
    assessed : Answers
        The build.
    wires : sequence of Link
        Those that do not.

    Returns
    -------
    Fix or None
        None where there are none, one of them goes by no gauge, or no usual gauge does.
    """
    plan, thickest = assessed.plan, max(GAUGES)
    for wire in wires:
        thicker = (altered(wire, awg=g) for g in GAUGES if wire.awg is not None and g < wire.awg)
        other = next((k for k in thicker if check_short(assessed.op, k, assessed.heat.air_c).safe), None)
        if other is None or other.awg is None:
            return None
        plan, thickest = replaced(plan, other), min(thickest, other.awg)
    if len(wires) == 1:
        words = f"{thickest:.0f} AWG instead of {wires[0].awg:.0f} AWG for {wires[0].name}"
        return Fix(words, "outlives a short at its end.", plan)
    return Fix(f"{len(wires)} wires of up to {thickest:.0f} AWG", "outlive a short at their end.", plan) if wires else None
