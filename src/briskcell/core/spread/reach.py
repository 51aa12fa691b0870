"""How far hours and spare reach, from some dozens of variants: each doubt asked alone, put together, held against samples."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.operating import Operating
from briskcell.core.pack.uncertainty import Range

from .batch import Maker, Solved
from .doubts import Doubt, doubts, pert_at, samples

Array = NDArray[np.float64]
COUNT, SEED = 4000, 20
TENTHS = np.array([0.1, 0.9])
FEW = 400  # samples that are solved whole where it cannot be put together
FEWER = 100  # samples of the least spare, where it cannot be put together: a page waits for them
WHOLE = 8  # samples that are solved whole besides, to hold the put-together ones against
OFF = 0.02  # by which the two may differ, before every sample is solved whole


class Reach:
    """How far what a build comes to reaches over its doubts, from some dozens of variants solved in one batch.

    Each doubt is asked alone, at its 10 and 90 % points; what that adds is a parabola through them and the likely value. The
    parts are put together for samples that are the same for the same doubts, and held against some that are solved whole.

    Parameters
    ----------
    op : Operating
        The solved build.
    store : int
        Which store plays.
    """

    def __init__(self, op: Operating, store: int = 0) -> None:
        self.of, self.store = doubts(op.plan), store
        self._made = Maker(op.plan, self.of, op.network)
        self._alone = one_at_a_time(self.of)

    def hours(self, likely: float) -> Range:
        """The 10, 50 and 90 % points of the hours, around the likely ones. [h]

        The current from a pack is a sum over what draws, times what goes for all of them: so the reciprocal of hours is put
        together as ``(1 + Σ draws) · Π others``; within 0.2 % of samples that are solved whole. Where a stop between them makes
        more of it, those are asked instead.
        """
        if not self.of or likely <= 0:
            return Range(likely, likely, likely)
        n = len(self._alone)
        alone, few = self._solved.hours[:n], self._solved.hours[n:]
        draws = np.array([d.kind == "draw" for d in self.of])

        def played(factors: Array) -> Array:
            each = added(parts, factors)
            took = (1.0 + each[:, draws].sum(axis=1)) * np.maximum(1.0 + each[:, ~draws], 1e-3).prod(axis=1)
            return np.asarray(1.0 / np.maximum(took, 1e-3))

        with np.errstate(divide="ignore", invalid="ignore"):  # where a variant does not play at all, nothing is put together
            parts = parabolas(self._alone, alone[0] / alone)
            if np.abs(played(self._few) * alone[0] / few - 1.0).max() < OFF:
                return _range(likely * played(samples(self.of, COUNT, SEED)), likely)
        return _range(np.nan_to_num(self._whole.hours), likely)

    def spare(self, likely: float) -> Range:
        """The 10, 50 and 90 % points of the least spare, around the likely one.

        That of each element is a sum of what the doubts add; the least is that of the element that has least in each sample.
        """
        if not self.of:
            return Range(likely, likely, likely)
        n = len(self._alone)
        alone, few = self._solved.spares[:n], self._solved.spare[n:]
        first, second = np.moveaxis(parabolas(self._alone, 1.0 + alone - alone[0]), 1, 0)

        def least(factors: Array) -> Array:
            x = factors - 1.0
            return np.asarray((alone[0] + x @ first + (x * x) @ second).min(axis=1, initial=1.0))

        if np.abs(least(self._few) - few).max() < OFF:
            found = least(samples(self.of, COUNT, SEED))
        else:
            found = self._made.solve(samples(self.of, FEWER, SEED), self.store).spare
        return _range(np.clip(found + likely - self._solved.spare[0], -1.0, 1.0), likely)

    @cached_property
    def _few(self) -> Array:
        return samples(self.of, WHOLE, SEED)

    @cached_property
    def _solved(self) -> Solved:
        """Each doubt alone, then the few whole samples."""
        return self._made.solve(np.vstack([self._alone, self._few]), self.store)

    @cached_property
    def _whole(self) -> Solved:
        return self._made.solve(samples(self.of, FEW, SEED), self.store)


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


def one_at_a_time(of: Sequence[Doubt]) -> Array:
    """Variants in which each doubt alone is not at its likely value.

    Parameters
    ----------
    of : sequence of Doubt
        k of them.

    Returns
    -------
    ndarray, shape (1 + 2 k, k)
        Factors: all likely first, then each doubt at its 10 and at its 90 % point.
    """
    alone = np.ones((1 + 2 * len(of), len(of)))
    for k, d in enumerate(of):
        alone[[1 + 2 * k, 2 + 2 * k], k] = tenths(d.low, d.high)
    return alone


def added(parts: Array, factors: Array) -> Array:
    """What each doubt adds in each sample, by its parabola.

    Parameters
    ----------
    parts : ndarray, shape (k, 2)
        Of ``parabolas``.
    factors : ndarray, shape (n, k)
        Samples.

    Returns
    -------
    ndarray, shape (n, k)
        As shares of what the likely values come to.
    """
    x = factors - 1.0
    return np.asarray(parts[:, 0] * x + parts[:, 1] * x * x)


def parabolas(alone: Array, took: Array) -> Array:
    """Of each doubt the first and second coefficient of what it adds, as a parabola through its likely value and two others.

    Parameters
    ----------
    alone : ndarray, shape (1 + 2 k, k)
        Factors: all likely first, then each doubt alone at two others.
    took : ndarray, shape (1 + 2 k, ...)
        What they come to, as shares of what the first does.

    Returns
    -------
    ndarray, shape (k, 2, ...)
        On the factor less 1, and on its square.
    """
    n = alone.shape[1]
    of_all = (n, *(1,) * (took.ndim - 1))
    low, high = (np.reshape(alone[r + 2 * np.arange(n), np.arange(n)] - 1.0, of_all) for r in (1, 2))
    at_low, at_high = took[1::2] - 1.0, took[2::2] - 1.0
    with np.errstate(divide="ignore", invalid="ignore"):  # a likely value at a tenth's own place makes nan of it
        second = (at_high * low - at_low * high) / (low * high * (high - low))
        return np.stack([(at_low - second * low * low) / low, second], axis=1)


def _range(hours: Array, likely: float) -> Range:
    low, high = np.quantile(hours, TENTHS)
    return Range(float(low), likely, float(high))
