"""The conductors of a build at their worst moment, and the thinnest gauge that does."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from briskcell.core.engine.operating import Operating
from briskcell.core.engine.resistance import link_resistance_ohm, link_section_mm2, wire_resistance_ohm
from briskcell.core.wiring.conductors import melting_time_s, trace_rise_k, wire_rise_k
from briskcell.core.wiring.fuses import opening_time_s, opens_in_time
from briskcell.model.parts import Link, State
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


def check_links(op: Operating, air_c: float) -> tuple[LinkCheck, ...]:
    """Every conductor at its worst moment.

    Parameters
    ----------
    op : Operating
        The solved build.
    air_c : float
        Air in the closed case. [°C]

    Returns
    -------
    tuple of LinkCheck
        Warming is None for switches, fuses and plugs, which have a rating instead.
    """
    out = []
    # A wire warms with what flows for minutes: play, not the peak.
    amps_all, warm_all = (
        np.where(np.isfinite(a), a, 0.0).max(axis=axes) if a.size else np.zeros(0)
        for a, axes in ((op.flow.branch_a, (0, 1)), (op.flow.branch_a[State.PLAY], 0))
    )
    for link in op.plan.links:
        if link.id not in op.network.branch:
            continue
        amps, warm = (float(a[op.network.branch[link.id]]) for a in (amps_all, warm_all))
        rise: float | None = None
        if link.kind == "trace" and link.trace_width_mm:
            rise = trace_rise_k(warm, link.trace_width_mm, link.copper_um)
        elif link.kind in ("wire", "return") and (link.awg is not None or link.section_mm2 is not None):
            rise = wire_rise_k(warm, link_section_mm2(link), bundle=link.strands_in_bundle, ambient_c=air_c)
        excess = link.length_m - slack_length_m(link.run_m) if link.length_m and link.run_m else 0.0
        out.append(
            LinkCheck(
                link=link,
                amps=amps,
                drop_v=amps * link_resistance_ohm(link),
                rise_k=rise,
                allowed_k=max(link.insulation_c - air_c, LEAST_RISE_K),
                excess_m=max(excess, 0.0),
            )
        )
    return tuple(out)


def find_gauge(
    current_a: float,
    length_m: float,
    drop_v: float,
    *,
    air_c: float = 40.0,
    insulation_c: float = 80.0,
    bundle: int = 1,
    fuse_a: float | None = None,
    fault_a: float | None = None,
    owned: tuple[float, ...] = GAUGES,
) -> float | None:
    """The thinnest gauge whose drop and warming are allowed, and which outlives the fuse before it.

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
    fuse_a, fault_a : float, optional
        Rating of the fuse before it and the short-circuit current there. [A]

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
        if (
            fuse_a
            and fault_a
            and not opens_in_time(opening_time_s(fault_a / fuse_a, resettable=False), melting_time_s(fault_a, section))
        ):
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
