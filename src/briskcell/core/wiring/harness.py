"""The conductors of a build at their worst moment, and the thinnest gauge that does."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from briskcell.core.engine.operating import Operating
from briskcell.core.engine.resistance import link_resistance_ohm, link_section_mm2, wire_resistance_ohm
from briskcell.core.wiring.conductors import trace_rise_k, wire_rise_k
from briskcell.core.wiring.overload import overload
from briskcell.model.parts import Link, Part, State
from briskcell.model.units import awg_section_mm2

GAUGES = tuple(float(g) for g in range(34, 9, -2))
SLACK_FACTOR, SLACK_M = 1.15, 0.02  # a seventh, and 20 mm to strip and join twice; a rule of thumb of service loops
LEAST_RISE_K = 5.0  # a wire that warms by less is not what makes a hot case hot


@dataclass(frozen=True, slots=True, kw_only=True)
class LinkCheck:
    """One conductor of the build at its highest current: drop, warming, what it may warm to, and slack beyond its run."""

    link: Link
    amps: float
    drop_v: float
    rise_k: float | None
    allowed_k: float
    excess_m: float


def check_links(op: Operating, ends: Sequence[float], air_c: float) -> tuple[LinkCheck, ...]:
    """Every conductor at its worst moment.

    Parameters
    ----------
    op : Operating
        The solved build.
    ends : sequence of float
        State of charge of each store when play ends.
    air_c : float
        Air in the closed case. [°C]

    Returns
    -------
    tuple of LinkCheck
        Warming is None for switches, fuses and plugs, which have a rating instead.
    """
    out = []
    for link in op.plan.links:
        if link.id not in op.network.branch:
            continue
        flows = op.flow.branch_a[:, op.down_to(ends[op.network.store_of(link.id)]), op.network.branch[link.id]]
        carried = np.where(np.isfinite(flows), flows, 0.0)
        # A wire warms with what flows for minutes: play, not the peak.
        amps, warm = float(carried.max(initial=0.0)), float(carried[State.PLAY].max(initial=0.0))
        out.append(link_check(link, amps, warm, air_c))
    return tuple(out)


def link_check(link: Link, amps: float, warm_a: float, air_c: float) -> LinkCheck:
    """One conductor at its highest current.

    Parameters
    ----------
    link : Link
        The conductor.
    amps : float
        The most that flows. [A]
    warm_a : float
        What flows for minutes, and warms it. [A]
    air_c : float
        Air around it. [°C]

    Returns
    -------
    LinkCheck
        Warming is None for switches, fuses and plugs.
    """
    rise: float | None = None
    if link.kind == "trace" and link.trace_width_mm:
        rise = trace_rise_k(warm_a, link.trace_width_mm, link.copper_um)
    elif link.kind in ("wire", "return") and (link.awg is not None or link.section_mm2 is not None):
        rise = wire_rise_k(warm_a, link_section_mm2(link), bundle=link.strands_in_bundle, ambient_c=air_c)
    excess = link.length_m - slack_length_m(link.run_m) if link.length_m and link.run_m else 0.0
    return LinkCheck(
        link=link,
        amps=amps,
        drop_v=amps * link_resistance_ohm(link),
        rise_k=rise,
        allowed_k=max(link.insulation_c - air_c, LEAST_RISE_K),
        excess_m=max(excess, 0.0),
    )


def find_gauge(
    current_a: float,
    length_m: float,
    drop_v: float,
    *,
    air_c: float = 40.0,
    insulation_c: float = 80.0,
    bundle: int = 1,
    guards: tuple[Part, ...] = (),
    fault_a: float | None = None,
    owned: tuple[float, ...] = GAUGES,
) -> float | None:
    """The thinnest gauge whose drop and warming are allowed, and which carries all that its guards let pass.

    Parameters
    ----------
    current_a : float
        Highest current. [A]
    length_m : float
        Run, one way. [m]
    drop_v : float
        Drop allowed, out and back. [V]
    air_c, insulation_c : float
        Air in the case, and what the insulation stands. [°C]
    bundle : int
        Loaded conductors lying together.
    guards : tuple of Part
        What opens before it: fuses, a pack.
    fault_a : float, optional
        The most that a short draws there; where not given, none is asked. [A]

    owned : tuple of float
        Gauges to choose from, the thinnest first. [AWG]

    Returns
    -------
    float or None
        AWG; None where none of them does.

    Examples
    --------
    >>> find_gauge(2.5, 0.15, 0.05)
    22.0
    """
    for gauge in owned:
        section = awg_section_mm2(gauge)
        if current_a * wire_resistance_ohm(length_m, section, 2, air_c) > drop_v:
            continue
        if wire_rise_k(current_a, section, bundle=bundle, ambient_c=air_c) > insulation_c - air_c:
            continue
        wire = Link(id="wire", name="wire", kind="wire", fed_by="fuse", length_m=length_m, awg=gauge)
        wire = wire.model_copy(update={"insulation_c": insulation_c, "strands_in_bundle": bundle})
        if fault_a and not overload(guards, wire, fault_a, air_c).safe:
            continue
        return gauge
    return None


def slack_length_m(run_m: float) -> float:
    """Length a conductor may have: its run and the slack that service needs, a seventh and 20 mm.

    Parameters
    ----------
    run_m : float
        From pad to pad. [m]

    Returns
    -------
    float
        Metres.
    """
    return run_m * SLACK_FACTOR + SLACK_M
