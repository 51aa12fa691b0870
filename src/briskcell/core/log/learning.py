"""What measured runs say of what is uncertain: samples reweighted, for this build and for any that shares its parts."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from briskcell.core.answers import Answers
from briskcell.core.spread.batch import solved
from briskcell.core.spread.doubts import Doubt, doubts
from briskcell.core.spread.spread import Spread

Array = NDArray[np.float64]
RUN_OFF, CAPACITY_OFF = 0.05, 0.02  # one standard deviation of the logarithm: games, brightness, warmth; a capacity test
SIBLING = 2.0  # how much less sure another unit of the same build is
FEW = 25.0  # effective samples, below which measurements and plan do not go together
BEYOND = 0.005  # share of the weight beyond a measurement, below which it is a surprise
OTHERWISE = np.exp(np.linspace(np.log(0.2), np.log(5.0), 61))  # factors on all draws that are tried


@dataclass(frozen=True, slots=True)
class Measured:
    """One measurement: hours of play from a full pack, or Ah out of it. ``ended`` is whether it went on to its stop."""

    what: Literal["hours", "capacity"]
    value: float
    ended: bool = True
    sibling: bool = False

    @property
    def off(self) -> float:
        """One standard deviation of its logarithm."""
        return (RUN_OFF if self.what == "hours" else CAPACITY_OFF) * (SIBLING if self.sibling else 1.0)


@dataclass(frozen=True, slots=True)
class Learned:
    """A spread before and after, how many effective samples are left, and the measurements that the plan did not expect.

    ``widened`` is by how much measurements had to be trusted less for samples to be left at all; 1 as a rule.
    """

    before: Spread
    after: Spread
    measured: tuple[Measured, ...]
    surprises: tuple[Measured, ...]
    widened: float

    @property
    def effective(self) -> float:
        return self.after.effective


def learn(prior: Spread, measured: Sequence[Measured], capacity_ah: float) -> Learned:
    """Samples weighted by how well they explain what was measured [1]_.

    Parameters
    ----------
    prior : Spread
        Of the build, before.
    measured : sequence of Measured
        Of its units.
    capacity_ah : float
        What its pack likely holds. [Ah]

    Returns
    -------
    Learned
        Where fewer than some samples explain all, every measurement is trusted less until they do, and it is said so.

    References
    ----------
    .. [1] A. F. M. Smith and A. E. Gelfand, Bayesian statistics without tears, The American Statistician 46(2), 1992: sampling,
       importance weights, resampling. Effective size: L. Kish, Survey Sampling, Wiley, 1965.
    """
    fits = np.zeros(len(prior.hours))
    surprises = []
    for m in measured:
        at = _samples_of(prior, m, capacity_ah)
        off = (np.log(np.maximum(at, 1e-9)) - math.log(m.value)) / m.off
        fits += np.where(np.isfinite(off), -0.5 * off**2 if m.ended else _log_normal_cdf(off), -1e9)
        beyond = float(prior.weight[at >= m.value].sum())
        if (m.ended and min(beyond, 1.0 - beyond) < BEYOND) or (not m.ended and beyond < BEYOND):
            surprises.append(m)
    widened = 1.0
    weight = _weights(prior.weight, fits)
    while 1.0 / (weight**2).sum() < FEW and widened < 64.0:
        widened *= 1.5
        weight = _weights(prior.weight, fits / widened**2)
    return Learned(prior, replace(prior, weight=weight), tuple(measured), tuple(surprises), widened)


def transferred(learned: Learned, other: Spread) -> Spread:
    """The hours of another build as what was learned has it: what both share is the same samples, so the same weights hold.

    Parameters
    ----------
    learned : Learned
        From measurements of one build.
    other : Spread
        Of another one: a variant, another pack, a draft; as many samples, from the same seed.

    Returns
    -------
    Spread
        With what was learned.
    """
    return replace(other, weight=learned.after.weight)


def shared(one: Sequence[Doubt], other: Sequence[Doubt]) -> tuple[Doubt, ...]:
    """The doubts that two builds have in common.

    Parameters
    ----------
    one, other : sequence of Doubt
        Of each.

    Returns
    -------
    tuple of Doubt
        Those of the first whose class and range the other has as well.
    """
    known = {d.drawn_as for d in other}
    return tuple(d for d in one if d.drawn_as in known)


def draw_that_explains(a: Answers, hours: float, store: int = 0) -> float | None:
    """The factor on all draws with which a build plays so long: what an unknown draw must have been.

    Parameters
    ----------
    a : Answers
        The build.
    hours : float
        From full to its stop. [h]
    store : int
        Which store.

    Returns
    -------
    float or None
        None where no factor from a fifth to five does it.
    """
    likely = a.runtimes[store].hours if a.runtimes else None
    of = tuple(d for d in doubts_of_draws(a))
    if not likely or not of:
        return None
    factors = np.repeat(np.concatenate([[1.0], OTHERWISE])[:, None], len(of), axis=1)
    found = solved(a.plan, of, factors, store).hours
    at = found[1:] * likely / found[0]
    known = np.isfinite(at) & (at > 0.0)
    if not known.any() or not at[known].min() <= hours <= at[known].max():
        return None
    return float(np.exp(np.interp(math.log(hours), np.log(at[known][::-1]), np.log(OTHERWISE[known][::-1]))))


def doubts_of_draws(a: Answers) -> tuple[Doubt, ...]:
    """A column for every load's draw, whether it is uncertain or not.

    Parameters
    ----------
    a : Answers
        The build.

    Returns
    -------
    tuple of Doubt
        One a load.
    """
    known = {d.element: d for d in doubts(a.plan) if d.kind == "draw"}
    return tuple(known.get(p.id) or Doubt("draw", p.id, p.name, 1.0, 1.0, "guessed") for p in a.plan.loads)


def _samples_of(prior: Spread, m: Measured, capacity_ah: float) -> Array:
    if m.what == "hours":
        return prior.hours
    column = next((k for k, d in enumerate(prior.of) if d.kind == "capacity"), None)
    return np.full(len(prior.hours), capacity_ah) if column is None else capacity_ah * prior.factors[:, column]


def _weights(prior: Array, fits: Array) -> Array:
    weight = prior * np.exp(fits - fits.max())
    return np.asarray(weight / weight.sum())


def _log_normal_cdf(off: Array) -> Array:
    """Logarithm of the normal distribution's integral."""
    erf = np.array([math.erf(min(max(x, -6.0), 6.0) / math.sqrt(2.0)) for x in off])
    return np.log(np.maximum(0.5 * (1.0 + erf), 1e-12))
