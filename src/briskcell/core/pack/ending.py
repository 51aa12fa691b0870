"""Everything that ends play, asked in one place: what is set on the console, what a store sets, what boards and parts set."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.operating import Operating
from briskcell.core.engine.sources import store_curves
from briskcell.model.parts import State
from briskcell.model.plan import Plan
from briskcell.model.stores import Bank

from .stops import collapse_margin, cutoff_margin, limit_margin, lockout_margin

Array = NDArray[np.float64]
WARNING = "warning"
EARLY = 0.13  # charge above which a warning ends play early
BETWEEN = np.array([0.92, 0.82, 0.7, 0.55, 0.37, 0.25, 0.16, 0.1])  # where coarse grids are filled up then


@dataclass(frozen=True, slots=True, kw_only=True)
class Stop:
    """One thing that can end play: its least margin over the steady states that happen; play ends where that falls below zero.

    ``volts`` are those that a warning is set to.
    """

    cause: str
    element: str
    words: str
    margin: Array
    volts: float = 0.0


def closer(plan: Plan, soc: Array) -> Array:
    """A coarse grid of states of charge, filled up where a warning ends a plan's play well before the pack is empty.

    Parameters
    ----------
    plan : Plan
        The build.
    soc : ndarray, shape (n,)
        Falling.

    Returns
    -------
    ndarray
        The grid itself where no warning is set, or it comes late.
    """
    warning_v = plan.shutdown.warning_v
    if warning_v is None:
        return soc
    at = np.array([1.0, EARLY, 0.0])
    low = (float(store_curves(s, at, plan.brief.cells_c).ocv_v[1]) for s in plan.stores if not isinstance(s, Bank))
    return np.union1d(soc, BETWEEN)[::-1] if any(warning_v > v for v in low) else soc


def set_stops(op: Operating, store: int, states: Sequence[State] | None = None) -> Iterator[Stop]:
    """The stop that is set on the console: the warning before shutdown, with which play ends.

    Parameters
    ----------
    op : Operating
        The solved build.
    store : int
        Which store.
    states : sequence of State, optional
        States asked; those that last where not given: a script that warns waits for a peak to pass.

    Yields
    ------
    Stop
        Margins of shape (n_soc,). None of a bank, which hides the volts of its cells, nor of a store that feeds nothing.
    """
    warning_v, part = op.plan.shutdown.warning_v, op.plan.stores[store]
    if warning_v is None or isinstance(part, Bank) or not op.plan.fed.get(part.id):
        return
    yield Stop(
        cause=WARNING,
        element=part.id,
        words=f"the warning is set to {warning_v:.2f} V",
        margin=cutoff_margin(op.store_v[..., store], list(states or op.steady), warning_v),
        volts=warning_v,
    )


def store_stops(op: Operating, store: int, states: Sequence[State] | None = None) -> Iterator[Stop]:
    """The stops that a store itself sets: its cut-off, and a draw it cannot carry at all.

    Parameters
    ----------
    op : Operating
        The solved build.
    store : int
        Which store.
    states : sequence of State, optional
        States asked; those that last where not given.

    Yields
    ------
    Stop
        Margins of shape (n_soc,).
    """
    curves, part, used = op.curves[store], op.plan.stores[store], list(states or op.steady)
    guarded = curves.cutoff_is_protection
    lost = op.flow.lost[..., store]
    margin = cutoff_margin(op.store_v[..., store], used, curves.cutoff_v)
    gives_way = curves.cutoff_v > 0 and _collapses_first(op, store, margin, used)
    if curves.cutoff_v > 0 and not gives_way:
        yield Stop(
            cause="protection cut-off" if guarded else "cell cut-off",
            element=part.id,
            words=f"the {'protection board cuts off' if guarded else 'cells are empty'} at {curves.cutoff_v:.2f} V",
            margin=margin,
        )
    if isinstance(part, Bank):
        least = part.least_load_a.likely
        yield Stop(
            cause="bank switches off",
            element=part.id,
            words=f"{part.name} switches itself off below {least:.2f} A",
            margin=np.where(lost, -1.0, op.flow.branch_a[..., store])[used].min(axis=0) - least,
        )
    yield Stop(
        cause="collapse",
        element=part.id,
        words="the path from the pack cannot carry the draw",
        margin=np.minimum(margin, collapse_margin(lost, used)) if gives_way else collapse_margin(lost, used),
    )


def _collapses_first(op: Operating, store: int, margin: Array, used: Sequence[State]) -> bool:
    """Whether the draw can no longer be carried before the store has fallen to its cut-off.

    The most that a path carries flows while half of the volts are lost on it; the store's own share of that loss is read
    where the draw was carried last.
    """
    first = int(np.argmax(margin < 0))
    state = next((s for s in used if op.flow.lost[s, first, store]), None)
    if margin[first] >= 0 or state is None:
        return False
    if first == 0:
        return True
    consumers = op.network.root_of_unknown[: op.flow.consumer_v.shape[-1]] == store
    ocv = float(op.curves[store].ocv_v[first - 1])
    lost_in_store, lost_in_all = (
        ocv - op.store_v[state, first - 1, store],
        ocv - op.flow.consumer_v[state, first - 1, consumers].min(),
    )
    share = lost_in_store / max(lost_in_all, lost_in_store, 1e-9)
    return bool(op.curves[store].ocv_v[first] * (1.0 - 0.5 * share) > op.curves[store].cutoff_v)


def board_stops(op: Operating, store: int, states: Sequence[State] | None = None) -> Iterator[Stop]:
    """The stops that the boards and parts of a store's tree set: lock-out, current limit, a load under its window.

    Parameters
    ----------
    op : Operating
        The solved build.
    store : int
        Which store.
    states : sequence of State, optional
        States asked; those that last where not given.

    Yields
    ------
    Stop
        Margins of shape (n_soc,).
    """
    used, lost = list(states or op.steady), op.flow.lost[..., store]
    for k, converter in enumerate(op.network.converters):
        if op.network.store_of_converter(k) != store:
            continue
        if converter.lockout_v is not None:
            yield Stop(
                cause="converter lock-out",
                element=converter.id,
                words=f"{converter.name} locks out at {converter.lockout_v:.2f} V in",
                margin=lockout_margin(op.flow.converter_input_v(k), used, converter.lockout_v),
            )
        if np.isfinite(op.board_limit_a[k][used]).any():
            margin = limit_margin(op.board_limit_a[k], op.flow.output_a(k), lost, used)
            words = f"{converter.name} reaches its current limit"
            yield Stop(cause="converter current limit", element=converter.id, words=words, margin=margin)
    least = op.flow.loads_v[used].min(axis=0)
    for k, load in enumerate(op.network.loads):
        margin = least[..., k] - load.window.low_v
        if op.network.store_of_load(k) == store and margin.min() < 0:
            words = f"{load.name} falls below its {load.window.low_v:.2f} V"
            yield Stop(cause="load under its window", element=load.id, words=words, margin=margin)
