"""A short at the far end of each conductor: what opens, after how long, and what the wire reaches by then."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from briskcell.core.engine.operating import Operating
from briskcell.core.engine.resistance import link_resistance_ohm
from briskcell.core.wiring.fuses import most_past, short_circuit_a
from briskcell.core.wiring.overload import Overload, overload
from briskcell.model.parts import Converter, Link, Part
from briskcell.model.plan import Store
from briskcell.model.stores import Pack, Supply
from briskcell.model.tree import feeders_of, source_of


@dataclass(frozen=True, slots=True, kw_only=True)
class ShortCheck:
    """One wire with a short at its far end, dead or partial: the most that flows, and the worst of all currents up to it.

    ``dead`` is what a dead short does, ``worst`` what that current does at which the insulation is passed by most, or comes
    nearest to it. ``held_by`` names a board that holds its limit where nothing opens; ``guard`` is the fuse that guards the wire,
    empty where none does or a board lies between.
    """

    link: Link
    fault_a: float
    dead: Overload
    worst: Overload
    held_by: str = ""
    guard: str = ""

    @property
    def safe(self) -> bool:
        """Whether the insulation outlives every current."""
        return self.worst.safe


@dataclass(frozen=True, slots=True, kw_only=True)
class LeadTouch:
    """The two bare leads of a full store: their volts, and the current where they touch."""

    store: Store
    volts: float
    amps: float


def lead_touches(op: Operating) -> tuple[LeadTouch, ...]:
    """What the leads of each store carry as they touch, before anything is joined to them.

    Parameters
    ----------
    op : Operating
        The solved build.

    Returns
    -------
    tuple of LeadTouch
        In the order of the stores; held by the protection board of a pack, as any short is.
    """
    return tuple(
        LeadTouch(store=s, volts=float(curves.ocv_v[0]), amps=short_circuit_a(op, s.id))
        for s, curves in zip(op.plan.stores, op.curves, strict=True)
    )


def check_shorts(op: Operating, air_c: float) -> tuple[ShortCheck, ...]:
    """Every wire of the console with a short at its far end, from a partial one to a dead one.

    A boost holds no dead short back: its coil and diode pass on what the store gives. A wire stands a moment's heat that it
    would not stand for long: PVC is allowed 160 °C at the end of a short (IEC 60724).

    Parameters
    ----------
    op : Operating
        The solved build.
    air_c : float
        Air in the closed case. [°C]

    Returns
    -------
    tuple of ShortCheck
        In the order of the plan's links.
    """
    return tuple(check_short(op, k, air_c) for k in op.plan.links if k.kind == "wire" and k.resistance_ohm is None)


def check_short(op: Operating, wire: Link, air_c: float) -> ShortCheck:
    """One wire with a short at its far end, from a partial one to a dead one.

    A lead that no fuse guards is tried with a dead short alone: what it may carry short of that is a matter of its length.

    Parameters
    ----------
    op : Operating
        The solved build.
    wire : Link
        A wire of the console, as it is or in another gauge.
    air_c : float
        Air in the closed case. [°C]

    Returns
    -------
    ShortCheck
        What opens, and how hot the wire gets.
    """
    above = list(feeders_of(op.plan, wire))
    if isinstance(supply := above[-1], Supply):
        # A source is taken to hold its current through a short; what opens in time is not counted on.
        most, guards = supply.current_limit_a.likely, above[:-1]
        dead, worst = overload(guards, wire, most, air_c, most), overload(guards, wire, most, air_c)
        return ShortCheck(link=wire, fault_a=most, dead=dead, worst=worst, held_by=supply.name)
    board = next((p for p in above if isinstance(p, Converter)), None)
    if board is None:
        fuse = next((p for p in above if isinstance(p, Link) and p.kind == "fuse"), None)
        most = most_past(op, wire)
        dead = overload(above, wire, most, air_c, most)
        worst = overload(above, wire, most, air_c) if fuse else dead
        return ShortCheck(link=wire, fault_a=most, dead=dead, worst=worst, guard=fuse.name if fuse else "")
    limit = op.board_limit_a[op.network.converters.index(board)]
    held_a = float(np.where(np.isfinite(limit), limit, 0.0).max(initial=0.0))
    guards = above[: above.index(board)]
    held = overload(guards, wire, held_a, air_c)
    if board.kind != "boost" or source_of(op.plan, board) is not above[-1] or not _alone(above):
        dead = overload(guards, wire, held_a, air_c, held_a)
        return ShortCheck(link=wire, fault_a=held_a, dead=dead, worst=held, held_by=board.name)
    links = [wire, *(p for p in guards if isinstance(p, Link))]
    most = short_circuit_a(op, board.fed_by, sum(link_resistance_ohm(p) for p in links))
    dead, passed = overload(above, wire, most, air_c, most), overload(above, wire, most, air_c, min(held_a, most))
    if passed.past_k >= held.past_k:
        return ShortCheck(link=wire, fault_a=most, dead=dead, worst=passed)
    return ShortCheck(link=wire, fault_a=most, dead=dead, worst=held, held_by=board.name)


def _alone(above: list[Part]) -> bool:
    """Whether only one board lies on the way."""
    return sum(isinstance(p, Converter) for p in above) == 1


@dataclass(frozen=True, slots=True, kw_only=True)
class Lead:
    """What lies between a store and the first fuse on one way from it: its wires, their metres, and whether a board opens there."""

    store: Store
    fuse: Link
    wires: tuple[Link, ...]
    length_m: float
    guarded: bool


def unfused_leads(op: Operating) -> tuple[Lead, ...]:
    """Every lead between a store and the first fuse behind it.

    Parameters
    ----------
    op : Operating
        The solved build.

    Returns
    -------
    tuple of Lead
        One for each fuse with a wire before it; a way without a fuse is a matter of its own.
    """
    out = []
    for fuse in op.plan.links:
        if fuse.kind != "fuse" or fuse.id not in op.network.position:
            continue
        way = list(feeders_of(op.plan, fuse))
        if any(isinstance(p, Converter) or (isinstance(p, Link) and p.kind == "fuse") for p in way):
            continue
        store = op.plan.stores[op.network.store_of(fuse.id)]
        wires = tuple(p for p in way if isinstance(p, Link) and p.kind in ("wire", "flat") and p.length_m)
        guarded = isinstance(store, Pack) and store.protection is not None
        if wires:
            metres = sum(w.length_m or 0.0 for w in wires)
            out.append(Lead(store=store, fuse=fuse, wires=wires, length_m=metres, guarded=guarded))
    return tuple(out)
