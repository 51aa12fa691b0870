"""Lamps that say the volts are low: when each lights in play, what is left then, and from when peaks flash it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.operating import Operating
from briskcell.core.pack.runtime import Runtime
from briskcell.model.parts import Load, State

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class LampShow:
    """One lamp: the charge at which it lights in play, and the minutes of play left then, least and most by its threshold.

    ``soc`` and the minutes are None where it never lights before play ends. ``flashes_min`` is for how many minutes before
    that a peak can light it; ``least_v`` are the least volts it is fed in play.
    """

    load: Load
    soc: float | None
    minutes_left: float | None
    least_min: float
    most_min: float
    flashes_min: float
    least_v: float

    @property
    def id(self) -> str:
        return self.load.id


def lamp_shows(op: Operating, found: Runtime) -> tuple[LampShow, ...]:
    """What each lamp of a build shows over a discharge.

    Parameters
    ----------
    op : Operating
        The solved build.
    found : Runtime
        Its runtime, with hours of play.

    Returns
    -------
    tuple of LampShow
        In the order of the plan's loads.
    """
    return tuple(_show(op, found, k, p) for k, p in enumerate(op.network.loads) if p.lamp is not None)


def _show(op: Operating, found: Runtime, k: int, load: Load) -> LampShow:
    assert load.lamp is not None
    hours = found.hours or 0.0
    last = max(int(np.searchsorted(-op.soc, -found.stop_soc)), 1)
    steady = op.flow.consumer_v[State.PLAY, :, k]
    peak = op.flow.consumer_v[State.PEAK, :, k] if State.PEAK in op.used else steady

    def lit_h(volts: Array, threshold_v: float) -> float | None:
        """Hours from full to where the volts first fall to a threshold; None where they do not before play ends."""
        below = np.flatnonzero(volts <= threshold_v)
        if not below.size:
            return None
        first = int(below[0])
        at = float(found.elapsed_h[0])
        if first:
            over, under = volts[first - 1] - threshold_v, threshold_v - volts[first]
            share = over / (over + under) if over + under > 0 else 1.0
            at = float(found.elapsed_h[first - 1] + share * (found.elapsed_h[first] - found.elapsed_h[first - 1]))
        return at if at < hours else None

    figure = load.lamp.lights_below_v
    lit = lit_h(steady, figure.likely)
    early, late = lit_h(steady, figure.high), lit_h(steady, figure.low)
    flashes = lit_h(peak, figure.likely)
    return LampShow(
        load=load,
        soc=None if lit is None else float(np.interp(lit, found.elapsed_h, op.soc)),
        minutes_left=None if lit is None else (hours - lit) * 60.0,
        least_min=0.0 if late is None else (hours - late) * 60.0,
        most_min=0.0 if early is None else (hours - early) * 60.0,
        flashes_min=0.0 if flashes is None else max((hours if lit is None else lit) - flashes, 0.0) * 60.0,
        least_v=float(steady[:last].min()),
    )
