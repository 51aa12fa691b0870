"""Too much current in a conductor, anything from what opens nothing up to a dead short: how hot it gets before something opens."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from briskcell.core.engine.resistance import link_section_mm2
from briskcell.core.wiring.conductors import (
    COPPER_MELTS_C,
    carried_a,
    short_temperatures_c,
    trace_carries_a,
    trace_rises_k,
    wire_rises_k,
)
from briskcell.core.wiring.openers import corners_a, first_to_open, lets_pass_a
from briskcell.model.parts import Link, Part
from briskcell.model.stores import Pack

MOMENT_S, END_OF_A_SHORT_C = 5.0, 160.0  # IEC 60724: PVC at the end of a short of at most 5 s; from memory, to be checked
LASTING_S = 600.0  # past this an overload lasts: the wire has reached what it reaches
STEPS = 24  # currents that are tried, from a fiftieth of a dead short up to it, beside those at which a curve has a corner
JUST = 1.0 - 1e-9


@dataclass(frozen=True, slots=True, kw_only=True)
class Overload:
    """The worst of all currents that can flow in a conductor: what it is, what opens on it and when, and how hot the copper gets.

    ``opener`` is empty where nothing opens; ``past_k`` is by how much the insulation is passed, below 0 where it is not.
    """

    amps: float
    opener: str
    opens_s: float
    reaches_c: float
    past_k: float

    @property
    def safe(self) -> bool:
        """Whether the insulation outlives every current."""
        return self.past_k <= 0.0


def is_copper(link: Link) -> bool:
    """Whether a link is a wire or a trace whose copper is known.

    Parameters
    ----------
    link : Link
        Any link.

    Returns
    -------
    bool
        False where its resistance is given as a figure: nobody knows what it is made of.
    """
    return link.resistance_ohm is None and link.kind in ("wire", "trace")


def link_carries_a(link: Link, air_c: float) -> float:
    """Current that a wire or trace carries for ever.

    Parameters
    ----------
    link : Link
        Its copper known.
    air_c : float
        Air around it. [°C]

    Returns
    -------
    float
        Up to what its insulation stands. [A]
    """
    if link.kind == "trace":
        return trace_carries_a(max(link.insulation_c - air_c, 0.0), link.trace_width_mm or 0.0, link.copper_um)
    return carried_a(link_section_mm2(link), link.insulation_c, bundle=link.strands_in_bundle, ambient_c=air_c)


def overload(way: Sequence[Part], link: Link, dead_a: float, air_c: float, least_a: float = 0.0) -> Overload:
    """Every current from what opens nothing up to a dead short, tried on one conductor.

    What lasts warms it as ``wire_rises_k`` says, what opens sooner at most as if it gave no heat off meanwhile.

    Parameters
    ----------
    way : sequence of Part
        What guards it: the parts the current flows through, a pack last.
    link : Link
        Its copper known.
    dead_a : float
        The most that can flow. [A]
    air_c : float
        Air around it. [°C]
    least_a : float
        The least that is tried; all of it from a fiftieth of the most where not given. [A]

    Returns
    -------
    Overload
        The worst of them: where the insulation is passed by most, or comes nearest to it.
    """
    most = max(dead_a, 1e-6)
    least = min(max(least_a, most / 50.0), most)
    amps = np.unique(np.concatenate([np.geomspace(least, most, STEPS), [a for a in _steps(way, most) if a >= least]]))
    opens, names = first_to_open(way, amps)
    section = link_section_mm2(link)
    if link.kind == "trace":
        rise = trace_rises_k(amps, link.trace_width_mm or 1e-3, link.copper_um)
    else:
        rise = wire_rises_k(amps, section, bundle=link.strands_in_bundle, ambient_c=air_c)
    settled = np.minimum(air_c + rise, COPPER_MELTS_C)
    by_then = np.where(opens > LASTING_S, np.inf, short_temperatures_c(amps, section, np.minimum(opens, LASTING_S), air_c))
    reaches = np.minimum(settled, by_then)
    allowed = np.where(opens < MOMENT_S, max(link.insulation_c, END_OF_A_SHORT_C), link.insulation_c)
    k = int(np.argmax(reaches - allowed))
    return Overload(
        amps=float(amps[k]),
        opener=names[k] if opens[k] <= LASTING_S else "",
        opens_s=float(opens[k]),
        reaches_c=float(reaches[k]),
        past_k=float(reaches[k] - allowed[k]),
    )


def _steps(way: Sequence[Part], most: float) -> list[float]:
    """Currents right below and at which something on the way begins to open, or its curve has a corner, or a moment is enough."""
    edges = [a for p in way if isinstance(p, Link) and p.kind == "fuse" for a in (*corners_a(p), lets_pass_a(p, MOMENT_S))]
    edges += [p.protection.trip_a.likely for p in way if isinstance(p, Pack) and p.protection is not None]
    return [a * k for a in edges for k in (JUST, 1.0) if a * k <= most]
