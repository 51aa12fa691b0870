"""How far hours reach, at the cost of some dozens of variants: each doubt asked alone, put together, held against whole samples."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.operating import Operating
from briskcell.core.pack.uncertainty import Range

from .doubts import Doubt, doubts, pert_at, samples
from .variants import Maker

Array = NDArray[np.float64]
COUNT, SEED = 4000, 20
TENTHS = np.array([0.1, 0.9])
FEW = 400  # samples that are solved whole where it cannot be put together
WHOLE = 8  # samples that are solved whole besides, to hold the put-together ones against
OFF = 0.02  # by which the two may differ, before every sample is solved whole


def reach(op: Operating, hours: float, store: int = 0) -> Range:
    """The 10, 50 and 90 % points of a build's hours.

    The current from a pack is a sum over what draws, times what goes for all of them: so the reciprocal of hours is put together
    as ``(1 + Σ draws) · Π others``, each doubt's part a parabola through its likely, 10 and 90 % points, which are solved. Within
    0.2 % of samples that are solved whole; where a stop between them makes more of it, those are asked instead.

    Parameters
    ----------
    op : Operating
        The solved build.
    hours : float
        Its likely hours. [h]
    store : int
        Which store plays.

    Returns
    -------
    Range
        Hours, of samples that are the same for the same doubts.
    """
    of = doubts(op.plan)
    if not of or hours <= 0:
        return Range(hours, hours, hours)
    made = Maker(op.plan, of, op.network)
    alone = np.ones((1 + 2 * len(of), len(of)))
    for k, d in enumerate(of):
        alone[[1 + 2 * k, 2 + 2 * k], k] = tenths(d.low, d.high)
    whole = samples(of, WHOLE, SEED)
    found = made.solve(np.vstack([alone, whole]), store).hours
    if np.isfinite(found).all() and found.min() > 0:
        parts = parabolas(alone, found[0] / found[: len(alone)])
        if np.abs(_put_together(of, parts, whole) * found[0] / found[len(alone) :] - 1.0).max() < OFF:
            return _range(hours * _put_together(of, parts, samples(of, COUNT, SEED)), hours)
    found = made.solve(samples(of, FEW, SEED), store).hours
    return _range(np.where(np.isfinite(found), found, 0.0), hours)


@lru_cache(maxsize=512)
def tenths(low: float, high: float) -> Array:
    """The 10 and 90 % points of a PERT range around a likely value of 1.

    Parameters
    ----------
    low, high : float
        Its ends.

    Returns
    -------
    ndarray, shape (2,)
    """
    return pert_at(TENTHS, low, 1.0, high)


def parabolas(alone: Array, took: Array) -> Array:
    """Of each doubt the first and second coefficient of what it adds, as a parabola through its likely value and two others.

    Parameters
    ----------
    alone : ndarray, shape (1 + 2 k, k)
        Factors: all likely first, then each doubt alone at two others.
    took : ndarray, shape (1 + 2 k,)
        What they come to, as shares of what the first does.

    Returns
    -------
    ndarray, shape (k, 2)
        On the factor less 1, and on its square.
    """
    n = alone.shape[1]
    low, high = alone[1 + 2 * np.arange(n), np.arange(n)] - 1.0, alone[2 + 2 * np.arange(n), np.arange(n)] - 1.0
    at_low, at_high = took[1::2] - 1.0, took[2::2] - 1.0
    with np.errstate(divide="ignore", invalid="ignore"):  # a likely value at a tenth's own place makes nan of it
        second = (at_high * low - at_low * high) / (low * high * (high - low))
        return np.stack([(at_low - second * low * low) / low, second], axis=1)


def _put_together(of: tuple[Doubt, ...], parts: Array, factors: Array) -> Array:
    """Hours of samples as shares of the likely ones."""
    x = factors - 1.0
    each = parts[:, 0] * x + parts[:, 1] * x * x
    draws = np.array([d.kind == "draw" for d in of])
    took = (1.0 + each[:, draws].sum(axis=1)) * np.maximum(1.0 + each[:, ~draws], 1e-3).prod(axis=1)
    return np.asarray(1.0 / np.maximum(took, 1e-3))


def _range(hours: Array, likely: float) -> Range:
    low, high = np.quantile(hours, TENTHS)
    return Range(float(low), likely, float(high))
