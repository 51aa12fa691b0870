"""Answers as ranges: every sample solved whole."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.operating import Operating
from briskcell.core.pack.uncertainty import chance_words

from .batch import Solved, solved
from .belief import sampled
from .doubts import Doubt, doubts
from .reach import COUNT, SEED, centred

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Spread:
    """Samples of a build: factors, and what each comes to. ``hours`` are the samples' own, brought to the exact likely hours."""

    of: tuple[Doubt, ...]
    factors: Array
    found: Solved
    hours: Array

    def at(self, values: Array, *shares: float) -> tuple[float, ...]:
        """Values below which shares of the samples lie; nan where none is known."""
        known = values[np.isfinite(values)]
        return tuple(float(v) for v in np.quantile(known, shares)) if known.size else (float("nan"),) * len(shares)

    @property
    def range_h(self) -> tuple[float, float, float]:
        """The 10, 50 and 90 % points of the hours. [h]"""
        low, likely, high = self.at(self.hours, 0.1, 0.5, 0.9)
        return low, likely, high

    def chance(self, hours: float) -> float:
        """The chance that it plays so long."""
        return float((self.hours >= hours).mean())

    def chance_said(self, hours: float) -> str:
        """The same in words: never as certain."""
        return chance_words(self.chance(hours))


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
    factors = sampled(op.plan, of, count, seed)
    found = solved(op.plan, of, np.vstack([np.ones((1, len(of))), factors]), store)
    scale = hours / found.hours[0] if found.hours[0] > 0 else np.nan
    rest = found.only(slice(1, None))
    return Spread(of, factors, rest, centred(np.nan_to_num(rest.hours * scale), hours, op.plan.evidence))
