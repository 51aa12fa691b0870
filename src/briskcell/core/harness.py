"""Choosing conductors and fuses: warming, bundles, traces, short circuits, and the thinnest gauge that does."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from briskcell.model.parts import Link
from briskcell.model.stores import Pack
from briskcell.model.units import show

from .operating import Operating
from .tables import table
from .wiring import awg_section_mm2, link_resistance_ohm, link_section_mm2, wire_resistance_ohm

H_CLOSED = 10.0  # W/m²K from an insulated wire to still air in a closed case
INSULATION_MM = 0.4  # wall of the insulation of small equipment wire
COPPER_MELTS_C = 1083.0
GAUGES = tuple(float(g) for g in range(34, 9, -2))
FLAT_CONTACT_A = 0.5
FUSE_SHARE = 0.75  # of its rating that a newly chosen fuse should carry
RESETTABLE_PER_K = 0.006
LEAST_RISE_K = 5.0  # a wire that warms by less is not what makes a hot case hot


def bundle_factor(conductors: int) -> float:
    """What a bundle leaves of a wire's current rating, by IEC 60364-5-52.

    Parameters
    ----------
    conductors : int
        Loaded conductors lying together.

    Returns
    -------
    float
        1 for a single one.

    Examples
    --------
    >>> bundle_factor(1), bundle_factor(4)
    (1.0, 0.65)
    """
    if conductors == 1:
        return 1.0
    rows = table("bundles")
    counts, factors = ([float(r[k]) for r in rows] for k in ("conductors", "factor"))
    return float(np.interp(conductors, counts, factors))


def wire_rise_k(current_a: float, section_mm2: float, *, bundle: int = 1, ambient_c: float = 40.0) -> float:
    """Warming of an insulated copper wire over the air around it.

    Balance of a metre of wire: ``I²·R' = h·π·d·ΔT`` [1]_, the copper's resistance at its own temperature, the current
    raised by what the bundle derates.

    Parameters
    ----------
    current_a : float
        Steady current. [A]
    section_mm2 : float
        Copper section. [mm²]
    bundle : int
        Loaded conductors lying together.
    ambient_c : float
        Air in the case. [°C]

    Returns
    -------
    float
        Kelvin; inf where the copper runs away.

    References
    ----------
    .. [1] F. P. Incropera et al., Fundamentals of Heat and Mass Transfer, 7th ed., Wiley, 2011, ch. 3.

    Examples
    --------
    >>> round(wire_rise_k(3.0, awg_section_mm2(24)), 1)
    21.4
    """
    outer_m = (math.sqrt(4.0 * section_mm2 / math.pi) + 2.0 * INSULATION_MM) * 1e-3
    amps = current_a / bundle_factor(bundle)
    cool = H_CLOSED * math.pi * outer_m
    at_ambient = amps**2 * wire_resistance_ohm(1.0, section_mm2, 1, ambient_c)
    grows = amps**2 * (
        wire_resistance_ohm(1.0, section_mm2, 1, ambient_c + 1.0) - wire_resistance_ohm(1.0, section_mm2, 1, ambient_c)
    )
    return at_ambient / (cool - grows) if cool > grows else math.inf


def trace_rise_k(current_a: float, width_mm: float, copper_um: float = 35.0, *, inner: bool = False) -> float:
    """Warming of a board's trace by IPC-2221: ``I = k·ΔT^0.44·A^0.725`` [1]_.

    Parameters
    ----------
    current_a : float
        Current. [A]
    width_mm, copper_um : float
        The trace. [mm, µm]
    inner : bool
        Inside the board.

    Returns
    -------
    float
        Kelvin.

    References
    ----------
    .. [1] IPC-2221B, Generic Standard on Printed Board Design, 2012, 6.2.

    Examples
    --------
    >>> round(trace_rise_k(1.0, 0.3), 1)
    10.0
    """
    mils2 = (width_mm / 0.0254) * (copper_um / 25.4)
    return float((current_a / ((0.024 if inner else 0.048) * mils2**0.725)) ** (1.0 / 0.44))


def melting_time_s(current_a: float, section_mm2: float, ambient_c: float = 40.0) -> float:
    """Time until a copper wire melts under a short circuit, by Onderdonk's equation [1]_.

    Parameters
    ----------
    current_a : float
        Fault current. [A]
    section_mm2 : float
        Copper section. [mm²]
    ambient_c : float
        Before the fault. [°C]

    Returns
    -------
    float
        Seconds; no heat is given off meanwhile, so past about ten seconds it is on the safe side.

    References
    ----------
    .. [1] E. R. Stauffacher, Short-time current carrying capacity of copper wire, General Electric Review 31(6), 1928.

    Examples
    --------
    >>> round(melting_time_s(50.0, awg_section_mm2(24)), 3)
    1.349
    """
    circular_mils = section_mm2 / 5.067075e-4
    reach = math.log10((COPPER_MELTS_C - ambient_c) / (234.0 + ambient_c) + 1.0)
    return reach / 33.0 * (circular_mils / current_a) ** 2 if current_a > 0 else math.inf


def opening_time_s(multiple: float, *, resettable: bool) -> float:
    """Time a fuse takes to open at a multiple of its rating, read from a table on logarithmic scales.

    Parameters
    ----------
    multiple : float
        Current over rating.
    resettable : bool
        A polymer fuse rather than a wire.

    Returns
    -------
    float
        Seconds; inf below the table's first row, where it may never open.
    """
    rows = [r for r in table("fuses") if r["kind"] == ("resettable" if resettable else "wire")]
    times = [(float(r["multiple_of_rating"]), float(r["opens_after_s"])) for r in rows]
    if multiple < times[0][0]:
        return math.inf
    return float(np.exp(np.interp(math.log(multiple), [math.log(m) for m, _ in times], [math.log(t) for _, t in times])))


def fuse_holds_a(rating_a: float, ambient_c: float, *, resettable: bool) -> float:
    """Current that a fuse holds in a warm case.

    Parameters
    ----------
    rating_a : float
        At 23 °C. [A]
    ambient_c : float
        Air around it. [°C]
    resettable : bool
        A polymer fuse loses 0.6 % of its rating a kelvin above 23 °C.

    Returns
    -------
    float
        Amperes.
    """
    warm = 1.0 - RESETTABLE_PER_K * max(ambient_c - 23.0, 0.0) if resettable else 1.0
    return rating_a * max(warm, 0.0)


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
    amps_all, warm_all = (np.where(np.isfinite(a), a, 0.0).max(axis=axes) if a.size else np.zeros(0) for a, axes in
                          ((op.flow.branch_a, (0, 1)), (op.flow.branch_a[1], 0)))  # fmt: skip
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
        out.append(LinkCheck(link=link, amps=amps, drop_v=amps * link_resistance_ohm(link), rise_k=rise,
                             allowed_k=max(link.insulation_c - air_c, LEAST_RISE_K), excess_m=max(excess, 0.0)))  # fmt: skip
    return tuple(out)


def find_gauge(current_a: float, length_m: float, drop_v: float, *, air_c: float = 40.0, insulation_c: float = 80.0,
               bundle: int = 1, fuse_a: float | None = None, fault_a: float | None = None) -> float | None:  # fmt: skip
    """The thinnest even gauge whose drop and warming are allowed, and which outlives the fuse before it.

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

    Returns
    -------
    float or None
        AWG; None where not even 10 AWG does.

    Examples
    --------
    >>> find_gauge(2.5, 0.15, 0.05)
    22.0
    """
    for gauge in GAUGES:
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


def opens_in_time(opens_s: float, melts_s: float) -> bool:
    """Whether a fuse opens before a wire has taken half of what melts it.

    Parameters
    ----------
    opens_s, melts_s : float
        Time to open and time to melt, on the same fault. [s]

    Returns
    -------
    bool
        True where the wire is safe.
    """
    return opens_s < 0.5 * melts_s


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
    return run_m * 1.15 + 0.02


@dataclass(frozen=True, slots=True, kw_only=True)
class FuseCheck:
    """One fuse: whether it carries the warm peak, and whether it opens before the thinnest wire behind it suffers."""

    fuse: Link
    peak_a: float
    holds_a: float
    fault_a: float
    opens_after_s: float
    thinnest: Link | None
    melts_after_s: float

    @property
    def words(self) -> str:
        """The check in a sentence."""
        if self.peak_a > self.holds_a:
            return f"{self.fuse.name} holds {show(self.holds_a, 'A')} in the warm case; the peak asks {show(self.peak_a, 'A')}."
        if self.thinnest is not None and not opens_in_time(self.opens_after_s, self.melts_after_s):
            return (f"{self.fuse.name} takes {self.opens_after_s:.2g} s to open on a short of {show(self.fault_a, 'A')}; "
                    f"{self.thinnest.name} melts after {self.melts_after_s:.2g} s.")  # fmt: skip
        return ""


def check_fuses(op: Operating, air_c: float) -> tuple[FuseCheck, ...]:
    """Every fuse against the peak it carries and the wires behind it.

    Parameters
    ----------
    op : Operating
        The solved build.
    air_c : float
        Air in the closed case. [°C]

    Returns
    -------
    tuple of FuseCheck
        Wires behind a converter are not counted: its own limit protects them.
    """
    out = []
    for fuse in op.plan.links:
        if fuse.kind != "fuse" or fuse.rating_a is None or fuse.id not in op.network.branch:
            continue
        column = op.network.branch[fuse.id]
        flow = op.flow.branch_a[2, :, column]
        behind = [k for k in _behind(op, fuse.id) if k.kind in ("wire", "trace") and k.resistance_ohm is None]
        thinnest = min(behind, key=link_section_mm2, default=None)
        fault = _short_circuit_a(op, fuse)
        out.append(
            FuseCheck(
                fuse=fuse,
                peak_a=float(flow[np.isfinite(flow)].max(initial=0.0)),
                holds_a=fuse_holds_a(fuse.rating_a.likely, air_c, resettable=fuse.resettable),
                fault_a=fault,
                opens_after_s=opening_time_s(fault / fuse.rating_a.likely, resettable=fuse.resettable),
                thinnest=thinnest,
                melts_after_s=melting_time_s(fault, link_section_mm2(thinnest)) if thinnest else math.inf,
            )
        )
    return tuple(out)


def _behind(op: Operating, at: str) -> list[Link]:
    out: list[Link] = []
    for child in op.plan.fed.get(at, ()):
        if isinstance(child, Link):
            out += [child, *_behind(op, child.id)]
        elif child in op.plan.rails:
            out += _behind(op, child.id)
    return out


def _short_circuit_a(op: Operating, fuse: Link) -> float:
    """Full store into a short right behind the fuse: its fast resistance and all links up to there."""
    row = op.network.branch_of_element[op.network.position[fuse.id]]
    source = int(op.network.source_of_element[op.network.position[fuse.id]])
    if source >= len(op.network.stores):
        return 0.0
    curves = op.curves[source]
    path = float(row @ op.network.fixed_ohm) + float(curves.fast_ohm[0])
    store = op.plan.stores[source]
    trip = store.protection.trip_a.likely * 3.0 if isinstance(store, Pack) and store.protection else math.inf
    return min(float(curves.ocv_v[0]) / max(path, 1e-6), max(trip, 1e-6))
