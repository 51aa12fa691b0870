"""Fuses: what one holds when warm, and whether every wire behind it carries what it lets pass."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from briskcell.core.engine.operating import Operating
from briskcell.core.engine.resistance import link_resistance_ohm
from briskcell.core.wiring.openers import SHORT_OVER_TRIP, lets_pass_a, opening_time_s
from briskcell.core.wiring.overload import LASTING_S, Overload, is_copper, link_carries_a, overload
from briskcell.model.parts import Link, State
from briskcell.model.stores import Pack
from briskcell.model.tree import feeders_of
from briskcell.model.units import show

FUSE_SHARE = 0.75  # of its rating that a newly chosen fuse should carry
RESETTABLE_PER_K = 0.006  # of the hold current, above 23 °C: class value of polymer fuses
REFERENCE_C = 23.0  # at which fuses are rated, IEC 60127-1


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


@dataclass(frozen=True, slots=True, kw_only=True)
class FuseCheck:
    """One fuse: whether it carries the warm peak, and whether every wire behind it carries what it lets pass.

    ``lets_a`` passes for ever; ``opens_after_s`` is the longest it takes on ``fault_a``, a dead short right behind it. ``wire`` is
    the conductor behind it that comes nearest to its end or goes furthest past it, and ``worst`` how.
    """

    fuse: Link
    peak_a: float
    holds_a: float
    lets_a: float
    fault_a: float
    opens_after_s: float
    wire: Link | None
    carries_a: float
    worst: Overload | None

    @property
    def words(self) -> str:
        """What is wrong, in a sentence; empty where nothing is."""
        if self.peak_a > self.holds_a:
            return f"{self.fuse.name} holds {show(self.holds_a, 'A')} in the warm case; the peak asks {show(self.peak_a, 'A')}."
        if self.wire is None or self.worst is None or self.worst.safe:
            return ""
        at, name, stands = self.worst, self.wire.name, show(self.wire.insulation_c, "°C")
        if at.opens_s > LASTING_S:
            return (
                f"{self.fuse.name} lets {show(at.amps, 'A')} pass for as long as it may; {name} carries "
                f"{show(self.carries_a, 'A')} and would reach {show(at.reaches_c, '°C')}. Its insulation stands {stands}."
            )
        return (
            f"{self.fuse.name} takes up to {show(at.opens_s, 's')} to open on {show(at.amps, 'A')}; {name} would reach "
            f"{show(at.reaches_c, '°C')} by then. Its insulation stands {stands}."
        )


def check_fuses(op: Operating, ends: Sequence[float], air_c: float, known: Mapping[str, Overload]) -> tuple[FuseCheck, ...]:
    """Every fuse against the peak it carries and the wires behind it.

    Parameters
    ----------
    op : Operating
        The solved build.
    ends : sequence of float
        State of charge of each store when play ends.
    air_c : float
        Air in the closed case. [°C]
    known : mapping of str to Overload
        The worst of wires, by id, as it was found already.

    Returns
    -------
    tuple of FuseCheck
        Wires behind a converter or a further fuse are not counted: those guard them.
    """
    out = []
    for fuse in op.plan.links:
        if fuse.kind != "fuse" or fuse.rating_a is None or fuse.id not in op.network.branch:
            continue
        flow = op.flow.branch_a[State.PEAK, op.down_to(ends[op.network.store_of(fuse.id)]), op.network.branch[fuse.id]]
        above = [fuse, *feeders_of(op.plan, fuse)]
        copper = [k for k in _behind(op, fuse.id) if is_copper(k)]
        met = [(k, known[k.id] if k.id in known else overload(above, k, most_past(op, k), air_c)) for k in copper]
        wire, worst = max(met, key=lambda m: m[1].past_k, default=(None, None))
        fault = short_circuit_a(op, fuse.id)
        out.append(
            FuseCheck(
                fuse=fuse,
                peak_a=float(flow[np.isfinite(flow)].max(initial=0.0)),
                holds_a=fuse_holds_a(fuse.rating_a.likely, air_c, resettable=fuse.resettable),
                lets_a=lets_pass_a(fuse),
                fault_a=fault,
                opens_after_s=opening_time_s(fault / fuse.rating_a.likely, resettable=fuse.resettable),
                wire=wire,
                carries_a=link_carries_a(wire, air_c) if wire else math.inf,
                worst=worst,
            )
        )
    return tuple(out)


def most_past(op: Operating, link: Link) -> float:
    """The most that can flow through a link: a dead short at its far end. [A]

    Parameters
    ----------
    op : Operating
        The solved build.
    link : Link
        A link of the console, as it is or in another gauge.

    Returns
    -------
    float
        [A]
    """
    now = op.plan.by_id.get(link.id)
    return short_circuit_a(op, link.id, link_resistance_ohm(link) - (link_resistance_ohm(now) if isinstance(now, Link) else 0.0))


def _behind(op: Operating, at: str) -> list[Link]:
    """Links behind a fuse, up to the next fuse or board."""
    out: list[Link] = []
    for child in op.plan.fed.get(at, ()):
        if isinstance(child, Link) and child.kind != "fuse":
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
