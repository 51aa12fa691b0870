"""How far hours and spare reach, from some dozens of variants: each doubt asked alone, put together, held against samples."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.operating import Operating
from briskcell.core.pack.uncertainty import Range
from briskcell.model.evidence import Evidence

from .batch import Maker, Solved
from .belief import Belief, belief
from .doubts import TENTH, Doubt, doubts

Array = NDArray[np.float64]
COUNT, SEED = 4000, 20
TENTHS = np.array([0.1, 0.9])
FEW = 400  # samples that are solved whole where it cannot be put together
FEWER = 100  # samples of the least spare, where it cannot be put together: a page waits for them
WHOLE = 6  # samples that are solved whole besides, to hold the put-together ones against
OFF = 0.02  # by which the two may differ in the middle of them, before every sample is solved whole
ALL_DRAWS = np.array([0.35, 0.6, 0.8, 1.3, 1.8, 3.0])  # factors on all draws together that are asked, beside the likely ones
LIKELY_AT = int(np.searchsorted(ALL_DRAWS, 1.0))
SCALE = np.insert(ALL_DRAWS, LIKELY_AT, 1.0)
LEAST = 1e-4  # share of the likely hours that stands for none at all


class Reach:
    """How far what a build comes to reaches over its doubts, from some dozens of variants solved in one batch.

    Each doubt is asked alone, at its 10 and 90 % points, and all draws together over a wide range. They are put together for
    samples that are the same for the same doubts, and held against some that are solved whole.

    Parameters
    ----------
    op : Operating
        The solved build.
    store : int
        Which store plays.
    """

    def __init__(self, op: Operating, store: int = 0) -> None:
        self.of, self.store = doubts(op.plan), store
        self._evidence = op.plan.evidence
        every = Doubt("draw", "every", "", 0.0, "guessed", on=tuple(p.id for p in op.network.loads))
        self._made = Maker(op.plan, (*self.of, every), op.network)
        self._alone = one_at_a_time(self.of)

    @cached_property
    def belief(self) -> Belief:
        """What is known of its doubts together."""
        return belief(self.of, self._evidence)

    def hours(self, likely: float) -> Range:
        """The 10, 50 and 90 % points of the hours, around the likely ones. [h]"""
        if not self.of or likely <= 0:
            return Range(likely, likely, likely)
        low, high = np.quantile(self.sampled_hours(likely), TENTHS)
        return Range(float(low), likely, float(high))

    def sampled_hours(self, likely: float) -> Array:
        """Hours of thousands of samples; of some hundreds, where those have to be solved whole. [h]

        All draws together make a curve of hours, along which each draw counts by its share; what else there is goes for all
        of them, and multiplies. Where a stop between them makes more of it, samples are solved whole.
        """
        if not self.of or likely <= 0:
            return np.full(1, likely)
        return centred(self._hours, 1.0, self._evidence) * likely

    @cached_property
    def _hours(self) -> Array:
        likely = float(np.nan_to_num(self._solved.hours[0]))
        if likely <= 0:
            return np.zeros(1)
        few = np.nan_to_num(self._solved.hours[-WHOLE:]) / likely
        off = np.abs(self._played(self._few) - few) / np.maximum(few, LEAST)  # where one does not play, nothing is put together
        if np.median(off) < OFF and np.sort(off)[-2] < 4.0 * OFF:
            return self._played(self._samples)
        return np.asarray(np.nan_to_num(self._whole.hours) / likely)

    def _played(self, factors: Array) -> Array:
        """Hours of rows of factors, as shares of the likely ones."""
        whole = 1.0 + (self._draws_of(factors) - 1.0) @ self._share
        others = np.array([d.kind not in ("draw", "shared") for d in self.of])
        slopes = bent(np.log(self._alone), self._log_hours[: len(self._alone)])
        rest = bent_added(slopes[others], np.log(factors[:, others])).sum(axis=1)
        ends = np.log(np.clip(whole, SCALE[0] / 3.0, SCALE[-1] * 3.0))
        return np.asarray(np.exp(_along(ends, np.log(SCALE), self._by_all(self._log_hours)) + rest))

    def _least(self, factors: Array) -> Array:
        """The least spare of rows of factors."""
        n, found = len(self._alone), self._solved.spares
        own, draws = factors - 1.0, self._is_draw
        shared = self._shared_of(factors)
        own[:, draws] *= shared
        own[:, [d.kind == "shared" for d in self.of]] = 0.0
        low, high = np.moveaxis(bent(self._alone, found[:n]), 1, 0)
        cover = float(self._share[[j in self._moved for j in np.flatnonzero(draws)]].sum() / max(self._share.sum(), 1e-9))
        together = 1.0 + (shared[:, 0] - 1.0) * cover if self._moved else np.ones(len(factors))
        curve = self._by_all(found)
        by_all = np.stack([_along(together, SCALE, curve[:, e]) for e in range(curve.shape[1])], axis=1)
        each = by_all + np.minimum(own, 0.0) @ low + np.maximum(own, 0.0) @ high
        return np.asarray(each.min(axis=1, initial=1.0))

    @cached_property
    def _is_draw(self) -> NDArray[np.bool_]:
        return np.array([d.kind == "draw" for d in self.of])

    @cached_property
    def _moved(self) -> list[int]:
        """The doubts of draws that share a factor."""
        on = {name for d in self.of if d.kind == "shared" for name in d.on}
        return [k for k, d in enumerate(self.of) if d.kind == "draw" and d.element in on]

    def _shared_of(self, factors: Array) -> Array:
        """The shared factor of each draw, shape (n, n_draws)."""
        out = np.ones((len(factors), int(self._is_draw.sum())))
        place = {int(k): j for j, k in enumerate(np.flatnonzero(self._is_draw))}
        for k, d in enumerate(self.of):
            if d.kind == "shared":
                out[:, np.array([place[j] for j in self._moved], dtype=np.intp)] *= factors[:, [k]]
        return out

    def _draws_of(self, factors: Array) -> Array:
        """The whole factor of each draw, shape (n, n_draws)."""
        return np.asarray(factors[:, self._is_draw] * self._shared_of(factors))

    def _by_all(self, values: Array) -> Array:
        """What all draws together come to, at each of ``SCALE``."""
        return np.insert(values[len(self._alone) : -WHOLE], LIKELY_AT, values[0], axis=0)

    @cached_property
    def _log_hours(self) -> Array:
        hours = np.nan_to_num(self._solved.hours)
        share = hours / hours[0] if hours[0] > 0 else np.zeros(len(hours))
        return np.asarray(np.log(np.maximum(share, LEAST)))

    @cached_property
    def _share(self) -> Array:
        """What share of all draws each one is: by what all would have to change for the same hours. Shape (n_draws,)."""
        curve, alone = self._by_all(self._log_hours), self._log_hours[: len(self._alone)]
        rising = np.argsort(curve, kind="stable")
        as_all = np.exp(np.interp(alone, curve[rising], np.log(SCALE)[rising]))
        step = np.array([np.ptp(d.tenths) for d in self.of])
        return np.asarray(((as_all[2::2] - as_all[1::2]) / step)[self._is_draw])

    @cached_property
    def slopes(self) -> tuple[Array, Array]:
        """By how much the logarithms of hours and of watts change with that of each doubt's factor; each of shape (k,)."""
        likely = self._solved
        n = len(self.of)
        wide = 2.0 * TENTH * np.array([d.off for d in self.of])

        def of(values: Array) -> Array:
            log = np.log(np.maximum(np.nan_to_num(values[: 1 + 2 * n]), 1e-9))
            return np.asarray((log[2::2] - log[1::2]) / wide)

        return of(likely.hours), of(likely.watts)

    def spare(self, likely: float) -> Range:
        """The 10, 50 and 90 % points of the least spare, around the likely one.

        That of each element is what all draws together leave, and a sum of what the other doubts add; the least is that of the
        element that has least in each sample.
        """
        if not self.of:
            return Range(likely, likely, likely)
        off = np.sort(np.abs(np.clip(self._least(self._few), -1.0, 1.0) - np.clip(self._solved.spare[-WHOLE:], -1.0, 1.0)))
        if np.median(off) < 2.0 * OFF and off[-2] < 8.0 * OFF:
            found = self._least(self._samples)
        else:
            found = self._made.solve(self._with_all(self.belief.drawn(FEWER, SEED)), self.store).spare
        moved = np.clip(found + likely - self._solved.spare[0], -1.0, 1.0)
        points = np.quantile(moved, TENTHS)
        return Range(float(points[0]), likely, float(points[1]))

    @cached_property
    def _samples(self) -> Array:
        return self.belief.drawn(COUNT, SEED)

    @cached_property
    def _few(self) -> Array:
        return self.belief.drawn(WHOLE, SEED)

    @cached_property
    def _solved(self) -> Solved:
        """Each doubt alone, all draws together, then the few whole samples."""
        curve = np.ones((len(ALL_DRAWS), len(self.of) + 1))
        curve[:, -1] = ALL_DRAWS
        return self._made.solve(np.vstack([self._with_all(self._alone), curve, self._with_all(self._few)]), self.store)

    @cached_property
    def _whole(self) -> Solved:
        return self._made.solve(self._with_all(self.belief.drawn(FEW, SEED)), self.store)

    @staticmethod
    def _with_all(factors: Array) -> Array:
        """Rows with a column for all draws together, at what is likely."""
        return np.hstack([factors, np.ones((len(factors), 1))])


def centred(hours: Array, likely: float, evidence: tuple[Evidence, ...]) -> Array:
    """Hours of samples about the likely ones, where a reading of the whole says what they are.

    Evidence is a sum of logarithms and draws add up themselves, so samples that keep to it are a little short of it as a rule: that
    is taken out.

    Parameters
    ----------
    hours : ndarray, shape (n,)
        Of samples.
    likely : float
        What they are about.
    evidence : tuple of Evidence
        Of the build; without any, hours stay as they are.

    Returns
    -------
    ndarray, shape (n,)
    """
    middle = float(np.median(hours))
    return hours * (likely / middle) if evidence and middle > 0 else hours


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
        alone[[1 + 2 * k, 2 + 2 * k], k] = d.tenths
    return alone


def bent(alone: Array, came_to: Array) -> Array:
    """Of each doubt two slopes of what it brings about, below its likely value and above.

    Parameters
    ----------
    alone : ndarray, shape (1 + 2 k, k)
        The likely one first, then each doubt alone at two others; factors, or their logarithms.
    came_to : ndarray, shape (1 + 2 k, ...)
        What they come to.

    Returns
    -------
    ndarray, shape (k, 2, ...)
        Slopes, which hold past those points as well.
    """
    k = np.arange(alone.shape[1])
    of_all = (len(k), *(1,) * (came_to.ndim - 1))
    steps = [np.reshape(alone[r + 2 * k, k] - alone[0, k], of_all) for r in (1, 2)]
    return np.stack([(came_to[r::2] - came_to[0]) / step for r, step in zip((1, 2), steps, strict=True)], axis=1)


def bent_added(slopes: Array, moved: Array) -> Array:
    """What each doubt adds in each sample.

    Parameters
    ----------
    slopes : ndarray, shape (k, 2)
        Of ``bent``.
    moved : ndarray, shape (n, k)
        By how much each is off its likely value.

    Returns
    -------
    ndarray, shape (n, k)
    """
    return np.asarray(np.minimum(moved, 0.0) * slopes[:, 0] + np.maximum(moved, 0.0) * slopes[:, 1])


def _along(x: Array, xs: Array, ys: Array) -> Array:
    """Straight lines through points, and on past the ends."""
    inside = np.interp(x, xs, ys)
    below, above = (ys[1] - ys[0]) / (xs[1] - xs[0]), (ys[-1] - ys[-2]) / (xs[-1] - xs[-2])
    return np.asarray(np.where(x < xs[0], ys[0] + (x - xs[0]) * below, np.where(x > xs[-1], ys[-1] + (x - xs[-1]) * above, inside)))
