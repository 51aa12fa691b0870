"""Answers as ranges, and which figures carry the doubt."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.operating import Operating
from briskcell.core.pack.uncertainty import chance_words

from .batch import Solved, solved
from .doubts import Doubt, doubts, samples
from .reach import COUNT, SEED

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Carrier:
    """A doubt with the share of the variance of hours that it carries, and the range of hours were it known."""

    doubt: Doubt
    share: float
    known_low_h: float
    known_high_h: float


@dataclass(frozen=True)
class Spread:
    """Samples of a build: factors, what each comes to, and weights that make up 1.

    ``hours`` are the samples' own, brought to the exact likely hours of the build.
    """

    of: tuple[Doubt, ...]
    factors: Array
    found: Solved
    hours: Array
    weight: Array

    def at(self, values: Array, *shares: float) -> tuple[float, ...]:
        """Values below which shares of the weight lie."""
        known = np.isfinite(values)
        if not known.any():
            return (float("nan"),) * len(shares)
        order = np.argsort(values[known], kind="stable")
        ordered, weight = values[known][order], self.weight[known][order]
        below = (np.cumsum(weight) - 0.5 * weight) / weight.sum()
        return tuple(float(v) for v in np.interp(shares, below, ordered))

    @property
    def range_h(self) -> tuple[float, float, float]:
        """The 10, 50 and 90 % points of the hours. [h]"""
        low, likely, high = self.at(self.hours, 0.1, 0.5, 0.9)
        return low, likely, high

    @property
    def effective(self) -> float:
        """How many equal samples the weighted ones are worth (Kish)."""
        return float(1.0 / (self.weight**2).sum())

    def chance(self, hours: float) -> float:
        """The chance that it plays so long."""
        return float(self.weight[self.hours >= hours].sum())

    def chance_said(self, hours: float) -> str:
        """The same in words: never as certain."""
        return chance_words(self.chance(hours))

    def carriers(self, most: int = 5) -> tuple[Carrier, ...]:
        """The doubts that carry most of the variance of log hours, the first the one to measure.

        A linear fit of log hours on the logarithms of the factors: what each column explains of the variance, slope times
        covariance; of columns that do not depend on each other that is the slope's square times their variance [1]_.

        References
        ----------
        .. [1] A. Saltelli et al., Global Sensitivity Analysis: The Primer, Wiley, 2008, ch. 1.
        """
        y = np.log(np.maximum(self.hours, 1e-9))
        known = np.isfinite(y)
        if not self.of or not known.any():
            return ()
        w = self.weight[known] / self.weight[known].sum()
        x, y = np.log(self.factors[known]), y[known]
        x, y = x - w @ x, y - w @ y
        root = np.sqrt(w)[:, None]
        slope = np.linalg.lstsq(x * root, y * root[:, 0], rcond=None)[0]
        part = np.maximum(slope * (w @ (x * y[:, None])), 0.0)
        whole = max(float(w @ y**2), 1e-18)
        middle = self.range_h[1]
        out = []
        for k in np.argsort(-part)[:most]:
            left = np.exp(1.2816 * np.sqrt(max(whole - part[k], 0.0)))
            out.append(Carrier(self.of[k], float(part[k] / whole), middle / left, middle * left))
        return tuple(c for c in out if c.share >= 0.005)


def spread(op: Operating, hours: float, store: int = 0, count: int = COUNT, seed: int = SEED) -> Spread:
    """A build's answers over its doubts.

    Parameters
    ----------
    op : Operating
        The solved build.
    hours : float
        Its likely hours. [h]
    store : int
        Which store plays.
    count, seed : int
        Latin hypercube samples, and what makes them the same again.

    Returns
    -------
    Spread
        Of samples that are the same for the same doubts.
    """
    of = doubts(op.plan)
    factors = samples(of, count, seed)
    found = solved(op.plan, of, np.vstack([np.ones((1, len(of))), factors]), store)
    scale = hours / found.hours[0] if found.hours[0] > 0 else np.nan
    rest = found.only(slice(1, None))
    return Spread(of, factors, rest, rest.hours * scale, np.full(count, 1.0 / count))
