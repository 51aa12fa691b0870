"""What must be left for a clean shutdown, where the warning belongs, and how long the pack lasts in storage."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.operating import Operating
from briskcell.core.pack.ending import board_stops, store_stops
from briskcell.core.pack.runtime import Runtime
from briskcell.model.parts import State
from briskcell.model.stores import Balancer, Capacitor, ChargeBoard, Pack
from briskcell.model.tree import boards_above, source_of, stays_connected

Array = NDArray[np.float64]
FACTOR = 1.5
MONTH_D = 30.44


@dataclass(frozen=True, slots=True, kw_only=True)
class Reserve:
    """Where the warning belongs: volts under load and at rest, and minutes of play left from then to the first stop but a warning.

    ``peak_minutes_sooner`` is how much sooner a peak lights the warning, the plan's own or this one, than steady play does.
    ``needed_wh`` is what the shutdown must find above the stop. ``enough`` says whether the plan's own warning, where it
    sets one, comes early enough; None without one. ``peak_words`` names what a peak at that moment runs into, empty if nothing.
    """

    needed_wh: float
    warning_soc: float
    under_load_v: float
    at_rest_v: float
    minutes_left: float
    peak_minutes_sooner: float
    enough: bool | None
    peak_words: str = ""


def shutdown_reserve(op: Operating, found: Runtime, store: int = 0) -> Reserve | None:
    """The latest moment for a warning: ``E ≥ 1.5 · P_shutdown · t_shutdown`` must remain above the stop, and the
    minutes of play that are asked for.

    Parameters
    ----------
    op : Operating
        The solved build.
    found : Runtime
        Its runtime.
    store : int
        Which store.

    Returns
    -------
    Reserve or None
        None where nothing plays, or even a full store holds too little.
    """
    if not found.unwarned_h:
        return None
    curves, soc = op.curves[store], op.soc
    shutdown = op.plan.shutdown
    needed_wh = FACTOR * shutdown.power_w.likely * shutdown.seconds / 3600.0
    # Energy left above the stop at each state of charge, at the terminals in play.
    volts = np.where(op.flow.lost[State.PLAY, :, store], 0.0, op.store_v[State.PLAY, :, store])
    peak = np.where(op.flow.lost[State.PEAK, :, store], 0.0, op.store_v[State.PEAK, :, store])
    steps = -np.diff(soc) * 0.5 * (volts[1:] + volts[:-1]) * curves.capacity_ah
    spent = np.concatenate([[0.0], np.cumsum(steps)])
    left = float(np.interp(found.unwarned_h, found.elapsed_h, spent)) - spent
    if left[0] < needed_wh:
        return None
    asked_h = found.unwarned_h - shutdown.warning_minutes / 60.0
    if asked_h <= 0:
        return None
    at = max(float(np.interp(-needed_wh, -left, soc)), float(np.interp(asked_h, found.elapsed_h, soc)))

    def reading(values: Array) -> float:
        return float(np.interp(-at, -soc, values))

    under_load = reading(volts)
    lit_h = [_lit_h(v, shutdown.warning_v or under_load, found) for v in (volts, peak)]
    hours_at = float(np.interp(-at, -soc, found.elapsed_h))
    warning = shutdown.warning_v
    return Reserve(
        needed_wh=needed_wh,
        warning_soc=at,
        under_load_v=under_load,
        at_rest_v=reading(curves.ocv_v),
        peak_minutes_sooner=max(lit_h[0] - lit_h[1], 0.0) * 60.0,
        minutes_left=max((found.unwarned_h - hours_at) * 60.0, 0.0),
        enough=None if warning is None else warning >= under_load - 0.005,
        peak_words=_met_by_a_peak(op, store, at) if State.PEAK in op.used else "",
    )


def _met_by_a_peak(op: Operating, store: int, at: float) -> str:
    """What a peak runs into at a state of charge, all parts at once; empty if nothing."""
    stops = (*store_stops(op, store, [State.PEAK]), *board_stops(op, store, [State.PEAK]))
    return next((s.words for s in stops if float(np.interp(-at, -op.soc, s.margin)) < 0 and s.cause != "cell cut-off"), "")


def _lit_h(volts: Array, warning_v: float, found: Runtime) -> float:
    """Hours from full to where volts first fall to a warning."""
    below = volts <= warning_v
    return float(found.elapsed_h[below.argmax()]) if below.any() else float(found.elapsed_h[-1])


@dataclass(frozen=True, slots=True, kw_only=True)
class StorageLife:
    """Days from full to cut-off with everything off, and the current that flows meanwhile."""

    days: float
    leakage_a: float
    self_discharge_a: float
    who: tuple[tuple[str, float], ...]


def storage_life(op: Operating, store: int = 0, opened: frozenset[str] | None = None) -> StorageLife:
    """How long a full store lasts while nobody plays.

    The boards that stay connected sip their current when off, referred to the store; the cells lose some by themselves.

    Parameters
    ----------
    op : Operating
        The solved build.
    store : int
        Which store.
    opened : frozenset of str, optional
        The switches that are off; all of them where not given.

    Returns
    -------
    StorageLife
        ``who`` names the sippers with their current at the store, largest first. Days are inf where nothing leaks.
    """
    plan, part, curves = op.plan, op.plan.stores[store], op.curves[store]
    middle_v = float(np.interp(0.5, op.soc[::-1], curves.ocv_v[::-1]))
    sips: list[tuple[str, float]] = []
    for converter in op.plan.converters:
        if converter.off_current_a is not None and stays_connected(plan, converter, part, opened):
            sips.append((converter.name, converter.off_current_a.likely))
    beside: tuple[ChargeBoard | Balancer, ...] = (*plan.chargers, *plan.balancers)
    for board in beside:
        if board.charges == part.id and board.off_current_a is not None:
            sips.append((board.name, board.off_current_a.likely))
    for link in plan.links:
        if link.off_current_a is not None and source_of(plan, link).id == part.id:
            sips.append((link.name, link.off_current_a.likely))
    if isinstance(part, Pack) and part.protection is not None:
        sips.append((f"Protection of {part.name}", part.protection.off_current_a.likely))
    for load in plan.loads:
        if load.off_current_a is not None and stays_connected(plan, load, part, opened):
            boards = boards_above(plan, load)
            volts = boards[-1].output_v.likely if boards else middle_v
            sips.append((f"{load.name}, shut down", load.off_current_a.likely * volts / middle_v))
        if plan.brief.clock_must_keep and load.keeps_time:
            watts = float(op.load_w[State.REST, op.half, op.network.loads.index(load)])
            sips.append((load.name, watts / middle_v))
    lost = part.cell.self_discharge_per_month if isinstance(part, Pack) else 0.0
    own_a = curves.capacity_ah * lost / (MONTH_D * 24.0)
    if isinstance(part, Capacitor):
        own_a = part.leakage_a.likely
    total = sum(a for _, a in sips) + own_a
    usable = curves.capacity_ah * (1.0 - _cutoff_soc(op, store))
    days = usable / total / 24.0 if total > 0 else float("inf")
    return StorageLife(days=days, leakage_a=total - own_a, self_discharge_a=own_a, who=tuple(sorted(sips, key=lambda s: -s[1])))


def _cutoff_soc(op: Operating, store: int) -> float:
    curves = op.curves[store]
    return float(np.interp(curves.cutoff_v, curves.ocv_v[::-1], op.soc[::-1]))
