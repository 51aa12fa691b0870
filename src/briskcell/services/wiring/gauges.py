"""The gauge finder: the thinnest that does for each wire, from those one owns, and what a thicker one would bring.

A wire does if it drops and warms no more than it may, and its insulation outlives a short at its far end: behind a buck, which
holds its own limit for as long as that lasts, this asks for more than what it feeds.
"""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.core.engine.resistance import wire_resistance_ohm
from briskcell.core.wiring.harness import GAUGES, find_gauge
from briskcell.core.wiring.shorts import check_short
from briskcell.model.changes import altered, remade
from briskcell.model.errors import FigureError
from briskcell.model.parts import Link
from briskcell.model.plan import Plan
from briskcell.model.units import awg_section_mm2
from briskcell.services.edits.values import Edit

USUAL_DROP_V = 0.05


@dataclass(frozen=True, slots=True)
class Proposal:
    """One wire: its gauge, the thinnest of those owned that does, what it then drops, and the minutes one step thicker brings.

    ``gauge`` is None where none of them does; ``gain_min`` where that is not worth a word.
    """

    link: Link
    now: float
    gauge: float | None
    drop_v: float
    now_drop_v: float
    thicker: float | None
    gain_min: float


def owned_gauges(text: str) -> tuple[float, ...]:
    """The gauges one owns, as typed: ``22, 24, 28``; all usual ones where nothing is.

    Raises
    ------
    FigureError
        If one of them is no gauge.
    """
    words = [w for w in text.replace(";", " ").replace(",", " ").replace("AWG", " ").replace("awg", " ").split() if w]
    try:
        found = tuple(sorted({float(w) for w in words}, reverse=True))
    except ValueError as error:
        raise FigureError("owned", f"“{text[:40]}” is no list of gauges.", fix="Type them like 22, 24, 28.") from error
    if any(not 4 <= g <= 44 for g in found):
        raise FigureError("owned", "A gauge lies between 4 and 44 AWG.", fix="Type them like 22, 24, 28.")
    return found or GAUGES


def proposals(assessed: Assessment, drop_v: float, owned: tuple[float, ...], *, gains: bool = False) -> tuple[Proposal, ...]:
    """The thinnest gauge for each wire.

    Parameters
    ----------
    assessed : Assessment
        The build.
    drop_v : float
        What each wire may drop at its worst moment, out and back. [V]
    owned : tuple of float
        Gauges to choose from. [AWG]
    gains : bool
        Whether to ask what one step thicker than now would bring in minutes of play: one assessment a wire.

    Returns
    -------
    tuple of Proposal
        Of the wires that go by a gauge, in the order of the plan.
    """
    air_c: float = assessed.heat.air_c
    out = []
    for check in assessed.links:
        wire = check.link
        if wire.kind != "wire" or wire.awg is None or wire.length_m is None or wire.resistance_ohm is not None:
            continue
        outlive = tuple(g for g in owned if check_short(assessed.op, altered(wire, awg=g), air_c).safe)
        found = find_gauge(
            check.amps,
            wire.length_m,
            drop_v,
            air_c=air_c,
            insulation_c=wire.insulation_c,
            bundle=wire.strands_in_bundle,
            owned=outlive,
        )
        thicker = next((g for g in owned if g < wire.awg), None)
        gain = _gain_min(assessed, wire, thicker) if gains and thicker is not None else 0.0
        out.append(Proposal(wire, wire.awg, found, _drop_v(check.amps, wire, found or wire.awg), check.drop_v, thicker, gain))
    return tuple(out)


def _drop_v(amps: float, wire: Link, gauge: float) -> float:
    return amps * wire_resistance_ohm(wire.length_m or 0.0, awg_section_mm2(gauge), wire.conductors, wire.temperature_c)


def _gain_min(assessed: Assessment, wire: Link, gauge: float) -> float:
    """Minutes of play that one wire in a thicker gauge brings."""
    after = assessed.of(_with(assessed.plan, {wire.id: gauge})).runtime
    before = assessed.runtime
    if before is None or after is None or before.hours is None or after.hours is None:
        return 0.0
    return (after.hours - before.hours) * 60.0


def _with(plan: Plan, gauges: dict[str, float]) -> Plan:
    return remade(plan, {"links": tuple(altered(k, awg=gauges[k.id]) if k.id in gauges else k for k in plan.links)})


def take(assessed: Assessment, drop_v: float, owned: tuple[float, ...], wire_ids: tuple[str, ...] = ()) -> Edit:
    """Give wires the gauge that was found for them: those named, else all.

    Raises
    ------
    FigureError
        If nothing would change.
    """
    wanted = {
        p.link.id: p.gauge
        for p in proposals(assessed, drop_v, owned)
        if p.gauge is not None and p.gauge != p.now and (not wire_ids or p.link.id in wire_ids)
    }
    if not wanted:
        raise FigureError("gauges", "Every wire has the gauge that was found for it.", fix="Allow another drop.")
    one = next(iter(wanted.items()))
    words = f"{one[1]:g} AWG for {assessed.plan.by_id[one[0]].name}" if len(wanted) == 1 else f"Gauges of {len(wanted)} wires"
    return Edit(_with(assessed.plan, wanted), words)
