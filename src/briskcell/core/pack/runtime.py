"""How long a pack plays, what stops it, and what is left in it then."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from briskcell.core.engine.operating import Operating, shares_of, used_states
from briskcell.model.parts import State
from briskcell.model.plan import Profile

from .ending import WARNING, Stop, board_stops, set_stops, store_stops
from .stops import first_below

Array = NDArray[np.float64]
NEVER_H = 1e9  # stands for the time in which next to nothing empties a pack


@dataclass(frozen=True, slots=True, kw_only=True)
class Runtime:
    """Hours from full to the first stop, the stop, and what it leaves behind.

    ``hours`` is None where nothing draws from the pack. ``stops`` is every stop reached before empty, earliest first,
    as (state of charge, stop). ``own_end_soc`` is where the store itself ends, whatever the boards do. ``unwarned_h`` are the
    hours to the first stop but a warning that is set. ``judged_soc`` and ``judged_h`` are where a build is judged down to: the
    first stop that is not met with a full store already, since what never plays has not come to its end.
    ``gain_if_fixed_h`` is what mending the first stop alone would add, up to ``next_words``.
    """

    hours: float | None
    stop_soc: float
    stop_cause: str
    stop_element: str
    stop_words: str
    energy_wh: float
    stranded_wh: float
    mean_a: float
    mean_w: float
    stops: tuple[tuple[float, Stop], ...]
    elapsed_h: Array
    own_end_soc: float
    unwarned_h: float | None
    judged_soc: float
    judged_h: float | None
    gain_if_fixed_h: float
    next_words: str


def elapsed(soc: Array, current_a: Array, capacity_ah: ArrayLike) -> Array:
    """Hours from full down to each state of charge: ``t = ∫ Q dsoc / I``.

    Parameters
    ----------
    soc : ndarray, shape (n,)
        States of charge, falling.
    current_a : ndarray, shape (..., n)
        Mean current; inf where it cannot be carried, which takes no time. [A]
    capacity_ah : array_like, broadcasts with the leading axes
        Charge from full to empty. [Ah]

    Returns
    -------
    ndarray, shape (..., n)
        Hours; the first is 0.
    """
    with np.errstate(divide="ignore"):
        pace = np.minimum(np.asarray(capacity_ah, dtype=float)[..., None] / current_a, NEVER_H)
    out = np.zeros(pace.shape)
    np.cumsum(-np.diff(soc) * 0.5 * (pace[..., 1:] + pace[..., :-1]), axis=-1, out=out[..., 1:])
    return out


def hours_at(end: Array, soc: Array, hours: Array) -> Array:
    """Hours at a state of charge, read between the grid's points, one for each of many.

    Parameters
    ----------
    end : ndarray, shape (n,)
        Where each ends.
    soc : ndarray, shape (m,)
        States of charge, falling.
    hours : ndarray, shape (n, m)
        Hours from full down to each.

    Returns
    -------
    ndarray, shape (n,)
        [h]
    """
    k = np.clip(np.searchsorted(-soc, -end, side="right") - 1, 0, len(soc) - 2)
    share = (soc[k] - end) / (soc[k] - soc[k + 1])
    row = np.arange(len(end))
    return np.asarray(hours[row, k] + share * (hours[row, k + 1] - hours[row, k]))


def carried_peaks(amps: Array) -> Array:
    """Currents in the three states, where a peak that cannot be carried counts as play: it resets the board, and play goes on.

    Parameters
    ----------
    amps : ndarray, shape (3, ...)
        Of a store; inf where it collapses. [A]

    Returns
    -------
    ndarray
        Of the same shape.
    """
    lost = np.isinf(amps[State.PEAK])
    return np.stack([amps[State.REST], amps[State.PLAY], np.where(lost, amps[State.PLAY], amps[State.PEAK])])


def mean_current(amps: Array, use: Profile) -> Array:
    """Mean current out of a store over a profile.

    Parameters
    ----------
    amps : ndarray, shape (3, ...)
        In the three states; inf where it collapses. [A]
    use : Profile
        How the time is spent.

    Returns
    -------
    ndarray, shape (...)
        States of no share count for nothing, whatever would flow in them. [A]
    """
    shares, happen = shares_of(use), used_states(use)
    return np.asarray(np.tensordot(shares[happen], carried_peaks(amps)[happen], axes=1))


@dataclass(frozen=True, slots=True)
class Played:
    """How long each of many variants plays.

    Attributes
    ----------
    end : ndarray, shape (n,)
        State of charge at the first stop.
    elapsed : ndarray, shape (n, n_soc)
        Hours from full down to each state of charge. [h]
    hours : ndarray, shape (n,)
        From full to the first stop; nan where nothing draws. [h]
    """

    end: Array
    elapsed: Array
    hours: Array


def played(soc: Array, own: Array, others: Sequence[Array], amps: Array, use: Profile, capacity_ah: ArrayLike) -> Played:
    """How long many variants of one store play: the one judgement that doubts and searches share with a single build.

    Parameters
    ----------
    soc : ndarray, shape (n_soc,)
        States of charge, falling.
    own : ndarray, shape (n, n_soc)
        Margin to the store's own cut-off.
    others : sequence of ndarray, each broadcasting with ``own``
        Margins to every other stop.
    amps : ndarray, shape (3, n, n_soc)
        Out of the store in the three states; inf where it collapses. [A]
    use : Profile
        How the time is spent.
    capacity_ah : array_like, shape (n,)
        Charge from full to empty. [Ah]

    Returns
    -------
    Played
        Of each variant.
    """
    at = first_below(np.stack([own, *(np.broadcast_to(m, own.shape) for m in others)]), soc)
    end, mean = np.maximum(at.max(axis=0), 0.0), mean_current(amps, use)
    took = elapsed(soc, mean, capacity_ah)
    hours = np.where(mean.max(axis=-1) > 1e-9, hours_at(end, soc, took), np.nan)
    return Played(end, took, hours)


def runtime(op: Operating, pack: int = 0) -> Runtime:
    """Runtime of one pack under the profile, integrated over charge.

    Parameters
    ----------
    op : Operating
        The solved build.
    pack : int
        Which pack.

    Returns
    -------
    Runtime
        With the first stop and the energy it strands: what the pack would still give down to its own cut-off.
    """
    curves, soc = op.curves[pack], op.soc
    current = mean_current(op.flow.branch_a[..., pack], op.plan.use)
    hours = elapsed(soc, current, curves.capacity_ah)
    own = list(store_stops(op, pack))
    every = (*own, *board_stops(op, pack), *set_stops(op, pack))
    at_soc = first_below(np.stack([s.margin for s in every]), soc)
    met = [(float(at), s) for at, s in zip(at_soc, every, strict=True) if at >= 0]
    stops = tuple(sorted(met, key=lambda pair: -pair[0]))
    at, stop = stops[0] if stops else (0.0, None)
    own_ends = (float(at) for at, s in zip(at_soc, own, strict=False) if at >= 0 and s.cause != "collapse")
    own_end = max(own_ends, default=0.0)
    after, second = next(((s, p) for s, p in stops[1:] if stop and p.element != stop.element), (0.0, None))
    judged = next((s for s, _ in stops if s < 1.0), 0.0)
    unwarned = next((s for s, p in stops if p.cause != WARNING), 0.0)
    idle = not current.max() > 1e-9
    energy = _between(soc, curves.ocv_v, 1.0, at) * curves.capacity_ah
    ran = float(np.interp(at, soc[::-1], hours[::-1]))
    used_ah = (1.0 - at) * curves.capacity_ah
    return Runtime(
        hours=None if idle else ran,
        stop_soc=at,
        stop_cause=stop.cause if stop else "empty",
        stop_element=stop.element if stop else op.plan.stores[pack].id,
        stop_words=stop.words if stop else "the pack is empty",
        energy_wh=curves.energy_wh,
        stranded_wh=max(_between(soc, curves.ocv_v, at, own_end) * curves.capacity_ah, 0.0),
        mean_a=0.0 if idle or ran == 0 else used_ah / ran,
        mean_w=0.0 if idle or ran == 0 else energy / ran,
        stops=stops,
        elapsed_h=hours,
        own_end_soc=own_end,
        unwarned_h=None if idle else float(np.interp(-unwarned, -soc, hours)),
        judged_soc=judged,
        judged_h=None if idle else float(np.interp(-judged, -soc, hours)),
        gain_if_fixed_h=max(float(np.interp(-after, -soc, hours)) - ran, 0.0),
        next_words=second.words if second else "the pack is empty",
    )


def _between(soc: Array, value: Array, start: float, end: float) -> float:
    """Integral of a falling-grid table from one state of charge down to a lower one."""
    rising, table = soc[::-1], value[::-1]
    inside = rising[(rising > end) & (rising < start)]
    points = np.concatenate([[end], inside, [start]])
    return float(np.trapezoid(np.interp(points, rising, table), points))
