"""A discharge on the bench: what the plan allows of it, and when it has to end, whatever was asked for."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Literal

from briskcell.core.answers import Answers
from briskcell.core.bench.at_rest import AT_REST_A
from briskcell.core.engine.resistance import link_rating_a, link_section_mm2
from briskcell.core.engine.sources import current_limit_a
from briskcell.core.wiring.conductors import carried_a
from briskcell.core.wiring.fuses import fuse_holds_a
from briskcell.model.parts import Link
from briskcell.model.stores import Bank, Pack
from briskcell.model.tree import behind_links, feeders_of
from briskcell.model.units import show

BENCH_C = 30.0  # of the air about a tester at work, a guess
OVER_SET = 1.1  # of the amps that were set, above which a load does not do as it is told: a guess, past any load's own error
OVER_SET_A = 0.05  # beside that, for small currents
FRESH_S = 5.0  # of the bench's own time, within which a meter's reading is held against the load's
LEADS_OHM = 0.15  # of a load's own leads and clips at the most, a guess: so much less than the meter it may show
APART_V = 0.1  # beside that, before meter and load are said to be on different things
CELLS_C = 60.0  # where no cell says what it stands in use (IEC 62133-2 leaves it to the maker; the usual figure of sheets)


@dataclass(frozen=True, slots=True)
class Bound:
    """A limit and whose it is."""

    value: float
    whose: str


@dataclass(frozen=True, slots=True)
class Allowed:
    """What a plan allows of a discharge at its pack's leads: the lowest and the highest volts, the most amperes and degrees."""

    least_v: Bound
    full_v: float
    most_a: Bound
    most_c: Bound


def allowed(a: Answers) -> Allowed:
    """What cells, protection, fuse and wires allow of a discharge.

    Parameters
    ----------
    a : Answers
        Of a build with a store. The tester hangs where the pack's own leads end: behind the links that all of its current takes.

    Returns
    -------
    Allowed
        The strictest of each, with whose it is.

    References
    ----------
    IEC 61960-3:2017, 7.3: a cell is discharged down to its end-of-discharge voltage, and no further.
    """
    store = a.plan.stores[0]
    least, most = [Bound(0.0, store.name)], [Bound(math.inf, store.name)]
    full_v, most_c = float(a.op.curves[0].ocv_v.max()), Bound(CELLS_C, "cells")
    if isinstance(store, Pack):
        least.append(Bound(store.series * max(c.empty_v for c in store.string_cells), "the cells are empty there"))
        most.append(Bound(float(current_limit_a(store, a.op.curves[0], "max_discharge_a").min()), "the cells"))
        most_c = Bound(min(c.use_high_c for c in store.string_cells), "the cells")
        if store.protection is not None:
            least.append(Bound(store.series * store.protection.cutoff_cell_v, "the protection board lets go there"))
            most.append(Bound(store.protection.trip_a.likely, "the protection board"))
    elif isinstance(store, Bank):
        most.append(Bound(store.output_limit_a.likely, "the bank's output"))
    for link in _leads(a):
        carried = _carries_a(link)
        if carried is not None:
            most.append(Bound(carried, link.name))
    return Allowed(max(least, key=lambda b: b.value), full_v, min(most, key=lambda b: b.value), most_c)


def _leads(a: Answers) -> list[Link]:
    """The links that all of the first store's current takes."""
    end = behind_links(a.plan, a.plan.stores[0])
    return [p for p in (end, *feeders_of(a.plan, end)) if isinstance(p, Link)] if isinstance(end, Link) else []


def _carries_a(link: Link) -> float | None:
    """What a link carries for hours: a fuse in warm air, a wire by its insulation, anything else by its rating. [A]"""
    rated = link_rating_a(link)
    if link.kind == "fuse":
        return None if rated is None else fuse_holds_a(rated, BENCH_C, resettable=link.resettable)
    if link.kind in ("wire", "return") and (link.awg is not None or link.section_mm2 is not None):
        copper = carried_a(link_section_mm2(link), link.insulation_c, bundle=link.strands_in_bundle, ambient_c=BENCH_C)
        return copper if rated is None else min(copper, rated)
    return rated


def ended(value: float, side: str, limit: float, unit: str) -> str:
    """Why a run ends at a limit, in words.

    Parameters
    ----------
    value, limit : float
        What was read, and the limit. [unit]
    side : str
        ``below`` or ``above``.
    unit : str
        Of both.

    Returns
    -------
    str
        A sentence; with what was read where that shows as another figure.
    """
    read, at = show(value, unit), show(limit, unit)
    return f"Ended {side} {at}." if read == at else f"Ended at {read}, {side} {at}."


Reason = Literal["volts", "time", "charge", "amps", "heat", "silence", "rest", "apart"]
PLANNED: tuple[Reason, ...] = ("volts", "time", "charge")  # ends that were asked for; any other is a test that was cut short


@dataclass(frozen=True, slots=True)
class End:
    """Why a discharge ends, and in words."""

    reason: Reason
    words: str

    @property
    def planned(self) -> bool:
        """Whether it is an end that was asked for."""
        return self.reason in PLANNED


@dataclass(frozen=True, slots=True, kw_only=True)
class Stops:
    """At which figures a discharge ends. [V, A, °C, Ah, s]

    ``below_v`` is what was asked for; ``least_v`` is what the plan allows at all; ``set_a`` is what the load is told to draw.
    """

    below_v: float
    least_v: float
    set_a: float
    most_c: float
    most_ah: float = math.inf
    seconds: float = math.inf


@dataclass(slots=True)
class Watch:
    """Looks at each reading of a discharge, and says when it has to end. What has come out is counted on the way.

    A reading that is nan was not taken.
    """

    stops: Stops
    ah: float = 0.0
    _last: tuple[float, float] | None = field(default=None)
    _began: float | None = field(default=None)

    def seen(
        self, t_s: float, *, load_v: float, amps: float, meter_v: float = math.nan, age_s: float = 0.0, celsius: float = math.nan
    ) -> End | None:
        """One reading.

        Parameters
        ----------
        t_s : float
            Seconds of the bench's clock; one that leaps back counts as standing still. [s]
        load_v, amps : float
            What the load itself shows. [V, A]
        meter_v : float
            What the meter shows on the pack's leads. [V]
        age_s : float
            How long ago it did. [s]
        celsius : float
            Of the cells. [°C]

        Returns
        -------
        End or None
            Why it ends here; None while it goes on.
        """
        stops = self.stops
        self._began = t_s if self._began is None else self._began
        if self._last is not None and t_s > self._last[0]:
            self.ah += (t_s - self._last[0]) * (amps + self._last[1]) / 2.0 / 3600.0
        self._last = (t_s, amps)
        drop_v = LEADS_OHM * amps
        volts = meter_v if math.isfinite(meter_v) else load_v
        if volts < stops.below_v:
            return End("volts", ended(volts, "below", stops.below_v, "V"))
        if load_v < stops.least_v - drop_v - APART_V:
            return End(
                "volts",
                f"Ended: the load has {show(load_v, 'V')} left, less than its leads can lose of {show(stops.least_v, 'V')}.",
            )
        if amps > OVER_SET * stops.set_a + OVER_SET_A:
            return End("amps", f"Ended: the load drew {show(amps, 'A')} where {show(stops.set_a, 'A')} was set.")
        if celsius > stops.most_c:
            return End("heat", f"Ended: the cells were at {celsius:.0f} °C; {stops.most_c:.0f} °C is the most.")
        if amps > AT_REST_A and age_s < FRESH_S and abs(meter_v - load_v) > drop_v + APART_V:
            return End(
                "apart",
                f"Ended: the meter shows {show(meter_v, 'V')}, the load {show(load_v, 'V')}. One of them is on "
                "something else, or a clip has come off.",
            )
        if self.ah >= stops.most_ah:
            return End("charge", f"Ended after {show(self.ah, 'Ah')}.")
        if t_s - self._began >= stops.seconds:
            return End("time", f"Ended after {show((t_s - self._began) / 3600.0, 'h')}.")
        return None
