"""A short at the far end of each conductor: what opens, after how long, and what the wire reaches by then."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from briskcell.core.engine.operating import Operating
from briskcell.core.engine.resistance import link_resistance_ohm, link_section_mm2
from briskcell.core.wiring.conductors import COPPER_MELTS_C, short_temperature_c, wire_rise_k
from briskcell.core.wiring.fuses import opening_time_s, short_circuit_a
from briskcell.model.parts import Converter, Link, Part
from briskcell.model.plan import Store
from briskcell.model.stores import Pack
from briskcell.model.tree import feeders_of, source_of

PROTECTION_S = 0.005  # a protection board's delay on a short: 0.2 to 5 ms on sheets; the slow end
MOMENT_S, END_OF_A_SHORT_C = 5.0, 160.0  # IEC 60724: PVC at the end of a short of at most 5 s
LASTING_S = 600.0  # past this a short lasts: the wire has reached what it reaches


@dataclass(frozen=True, slots=True, kw_only=True)
class ShortCheck:
    """One wire with a short at its far end: the current, what opens first and when, and how hot the wire gets.

    ``opener`` is empty where nothing opens; ``held_by`` names the board that then holds its own limit for as long as it lasts.
    """

    link: Link
    fault_a: float
    opener: str
    opens_s: float
    reaches_c: float
    insulation_c: float
    held_by: str

    @property
    def safe(self) -> bool:
        """Whether the insulation outlives it."""
        allowed = max(self.insulation_c, END_OF_A_SHORT_C) if self.opens_s < MOMENT_S else self.insulation_c
        return self.reaches_c <= allowed


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
    """Every wire of the console with a short at its far end.

    A boost holds no short back: its coil and diode pass on what the store gives. A wire stands a moment's heat that it
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
    return tuple(
        check_short(op, k, air_c)
        for k in op.plan.links
        if k.kind == "wire" and k.resistance_ohm is None and k.id in op.network.position
    )


def check_short(op: Operating, wire: Link, air_c: float) -> ShortCheck:
    """One wire with a short at its far end.

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
    board = next((p for p in above if isinstance(p, Converter)), None)
    section, ohm = link_section_mm2(wire), link_resistance_ohm(wire)
    passes = board is not None and board.kind == "boost" and source_of(op.plan, board) is above[-1] and _alone(above)
    if board is None or passes:
        # Beyond what the tree is solved with: another gauge, or the way from the board on.
        beyond = (
            [ohm] + [link_resistance_ohm(p) for p in above[: above.index(board)] if isinstance(p, Link)]
            if board
            else [ohm - link_resistance_ohm(k) for k in op.plan.links if k.id == wire.id]
        )
        fault = short_circuit_a(op, board.fed_by if board else wire.id, sum(beyond))
        opens, opener = _opened(above, fault)
    else:
        limit = op.board_limit_a[op.network.converters.index(board)]
        fault = float(np.where(np.isfinite(limit), limit, 0.0).max(initial=0.0))
        opens, opener = _opened(above[: above.index(board)], fault)
    if opens > LASTING_S:
        rise = wire_rise_k(fault, section, bundle=wire.strands_in_bundle, ambient_c=air_c)
        return ShortCheck(
            link=wire,
            fault_a=fault,
            opener="",
            opens_s=math.inf,
            reaches_c=min(air_c + rise, COPPER_MELTS_C),
            insulation_c=wire.insulation_c,
            held_by=board.name if board and not passes else "",
        )
    return ShortCheck(
        link=wire,
        fault_a=fault,
        opener=opener,
        opens_s=opens,
        insulation_c=wire.insulation_c,
        held_by="",
        reaches_c=short_temperature_c(fault, section, opens, air_c),
    )


def _alone(above: list[Part]) -> bool:
    """Whether only one board lies on the way."""
    return sum(isinstance(p, Converter) for p in above) == 1


def _opened(way: list[Part], fault_a: float) -> tuple[float, str]:
    """What opens first on a way, and after how long; inf where nothing does."""
    times = [
        (opening_time_s(fault_a / f.rating_a.likely, resettable=f.resettable), f.name)
        for f in way
        if isinstance(f, Link) and f.kind == "fuse" and f.rating_a
    ]
    store = way[-1] if way else None
    if isinstance(store, Pack) and store.protection is not None and fault_a >= store.protection.trip_a.likely:
        times.append((PROTECTION_S, f"protection of {store.name}"))
    return min(times, default=(math.inf, ""))
