"""Wires whose insulation outlives every current that can flow: in another gauge, or with insulation that stands more."""

from __future__ import annotations

from collections.abc import Sequence

from briskcell.core.answers import Answers
from briskcell.core.wiring.harness import GAUGES
from briskcell.core.wiring.shorts import check_short
from briskcell.model.changes import altered, replaced
from briskcell.model.parts import Link

from .fix import Fix

SILICONE_C = 200.0  # that the insulation of usual silicone wire stands for good, on sheets; typical


def outliving(assessed: Answers, wires: Sequence[Link], insulation_c: float | None = None) -> Fix | None:
    """Each of some wires in the thinnest gauge, from its own on, that outlives every current that can flow in it.

    Parameters
    ----------
    assessed : Answers
        The build.
    wires : sequence of Link
        Those that do not.
    insulation_c : float, optional
        What other insulation stands that they are given; their own where not. [°C]

    Returns
    -------
    Fix or None
        None where there are none, one of them goes by no gauge, or no usual gauge does.
    """
    plan, thickest, thicker = assessed.plan, max(GAUGES), False
    if insulation_c is not None and any(w.insulation_c >= insulation_c for w in wires):
        return None
    for wire in wires:
        own = wire if insulation_c is None else altered(wire, insulation_c=insulation_c)
        tried = (own if g == wire.awg else altered(own, awg=g) for g in GAUGES if wire.awg is not None and g <= wire.awg)
        other = next((k for k in tried if check_short(assessed.op, k, assessed.heat.air_c).safe), None)
        if other is None or other.awg is None:
            return None
        plan, thickest, thicker = replaced(plan, other), min(thickest, other.awg), thicker or other.awg != wire.awg
    if not wires:
        return None
    silicone = "" if insulation_c is None else ", in silicone"
    if len(wires) == 1:
        gauge = f"{thickest:.0f} AWG instead of {wires[0].awg:.0f} AWG for {wires[0].name}" if thicker else wires[0].name
        return Fix(f"{gauge}{silicone}", "outlives a short at its end.", plan)
    return Fix(f"{len(wires)} wires of up to {thickest:.0f} AWG{silicone}", "outlive a short at their end.", plan)
