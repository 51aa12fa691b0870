"""Fuses: what one holds when warm, how soon it opens, and whether it saves the thinnest wire behind it."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from briskcell.core.data.tables import table
from briskcell.core.engine.operating import Operating
from briskcell.core.engine.resistance import link_section_mm2
from briskcell.core.wiring.conductors import melting_time_s
from briskcell.model.parts import Link, State
from briskcell.model.stores import Pack
from briskcell.model.units import show

FUSE_SHARE = 0.75  # of its rating that a newly chosen fuse should carry
RESETTABLE_PER_K = 0.006  # of the hold current, above 23 °C: class value of polymer fuses
REFERENCE_C = 23.0  # at which fuses are rated, IEC 60127-1
SHORT_OVER_TRIP = 3.0  # a protection board's short-circuit threshold over its over-current trip: 2 to 5 on sheets; typical
WIRE_SHARE = 0.5  # of what melts a wire that a fuse may let through: a margin of two on I²t


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
    warm = 1.0 - RESETTABLE_PER_K * max(ambient_c - REFERENCE_C, 0.0) if resettable else 1.0
    return rating_a * max(warm, 0.0)


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
    return opens_s < WIRE_SHARE * melts_s


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
            return (
                f"{self.fuse.name} takes {self.opens_after_s:.2g} s to open on a short of {show(self.fault_a, 'A')}; "
                f"{self.thinnest.name} melts after {self.melts_after_s:.2g} s."
            )
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
        flow = op.flow.branch_a[State.PEAK, :, column]
        behind = [k for k in _behind(op, fuse.id) if k.kind in ("wire", "trace") and k.resistance_ohm is None]
        thinnest = min(behind, key=link_section_mm2, default=None)
        fault = short_circuit_a(op, fuse.id)
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


def short_circuit_a(op: Operating, element: str, further_ohm: float = 0.0) -> float:
    """Current of a full store into a short right behind an element: its fast resistance and all links up to there.

    Parameters
    ----------
    op : Operating
        The solved build.
    element : str
        The id of any part of the console that hangs on a store without a board between.
    further_ohm : float
        Resistance from there to the short. [Ω]

    Returns
    -------
    float
        Amperes, held by the protection board's threshold; 0 behind a converter.
    """
    row = op.network.branch_of_element[op.network.position[element]]
    source = int(op.network.source_of_element[op.network.position[element]])
    if source >= len(op.network.stores):
        return 0.0
    curves = op.curves[source]
    path = float(row @ op.network.fixed_ohm) + float(curves.fast_ohm[0]) + further_ohm
    store = op.plan.stores[source]
    trip = store.protection.trip_a.likely * SHORT_OVER_TRIP if isinstance(store, Pack) and store.protection else math.inf
    return min(float(curves.ocv_v[0]) / max(path, 1e-6), max(trip, 1e-6))
