"""How many resets a pack sees, over what is uncertain of a build: each sample's own peaks, boards and cells, in one batch."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.operating import Operating
from briskcell.core.pack.resets import MAYBE, counted, expected_resets
from briskcell.core.pack.uncertainty import chance_words

from .batch import Maker
from .belief import sampled
from .doubts import doubts
from .reach import FEW, SEED

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class ResetSpread:
    """Resets over one pack of many samples."""

    expected: Array

    @property
    def range(self) -> tuple[float, float, float]:
        """The 10, 50 and 90 % points."""
        low, middle, high = np.quantile(self.expected, (0.1, 0.5, 0.9))
        return float(low), float(middle), float(high)

    @property
    def counted(self) -> tuple[str, str, str]:
        """The same, as it is said."""
        low, middle, high = (counted(v) for v in self.range)
        return low, middle, high

    def chance(self, accepted: float) -> float:
        """The chance that there are no more than so many; one in ten packs counts as none."""
        return float((self.expected <= accepted + MAYBE).mean())

    def chance_said(self, accepted: float) -> str:
        """The same in words: never as certain."""
        return chance_words(self.chance(accepted))


def reset_spread(op: Operating, store: int = 0) -> ResetSpread:
    """Expected resets of samples of a build.

    Parameters
    ----------
    op : Operating
        The solved build.
    store : int
        Which store plays.

    Returns
    -------
    ResetSpread
        Of some hundreds of samples that are the same for the same doubts; 0 in one that does not play.
    """
    of = doubts(op.plan)
    made = Maker(op.plan, of, op.network)
    factors = sampled(op.plan, of, FEW, SEED) if of else np.ones((1, 0))
    found = made.solve(factors, store)
    expected = expected_resets(op.plan, op.network, made.factors(factors), found.end, made.soc, found.elapsed)
    return ResetSpread(np.where(np.nan_to_num(found.hours) > 0, expected, 0.0))
