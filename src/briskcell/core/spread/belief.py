"""What is known of doubts together: how far each may be off, and what readings of whole consoles say of several at once."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.model.evidence import Evidence
from briskcell.model.plan import Plan

from .doubts import WIDEST, Doubt, samples

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Belief:
    """Doubts of a build, and those that its evidence speaks of besides.

    Attributes
    ----------
    latent : tuple of Doubt
        Each once: of doubts that go by one name, the first; then those of the evidence alone.
    at : ndarray, shape (k,)
        For each doubt of the build its place among them.
    rows : ndarray, shape (m, n_latent)
        Weights of the evidence.
    off : ndarray, shape (m,)
        How far off each of it is.
    """

    latent: tuple[Doubt, ...]
    at: NDArray[np.intp]
    rows: Array
    off: Array

    @property
    def covariance(self) -> Array:
        """Of the logarithms of the factors of all latent doubts."""
        return after(np.diag(np.array([d.off**2 for d in self.latent])), self.rows, self.off)

    def drawn(self, count: int, seed: int) -> Array:
        """Samples of the build's doubts, shape (count, k): as each is by itself, then moved to where the evidence holds [1]_.

        References
        ----------
        .. [1] C. K. I. Williams et al., Pathwise conditioning of Gaussian processes, JMLR 22, 2021: Matheron's rule.
        """
        if not len(self.off):
            return samples(self.latent, count, seed)[:, self.at]
        x = np.log(samples(self.latent, count, seed))
        noise = tuple(Doubt("wiring", f"evidence {k}", "", float(v), "measured") for k, v in enumerate(self.off))
        prior = np.array([d.off**2 for d in self.latent])
        whole = (self.rows * prior) @ self.rows.T + np.diag(self.off**2)
        gain = np.linalg.solve(whole, self.rows * prior)
        moved = x - (x @ self.rows.T + np.log(samples(noise, count, seed))) @ gain
        return np.clip(np.exp(moved[:, self.at]), 1.0 / WIDEST, WIDEST)


def after(covariance: Array, rows: Array, off: Array) -> Array:
    """A covariance once sums of what it is of are known: the update of a Kalman filter.

    Parameters
    ----------
    covariance : ndarray, shape (n, n)
        Before.
    rows : ndarray, shape (m, n)
        What each reading is a sum of.
    off : ndarray, shape (m,)
        One standard deviation of each reading.

    Returns
    -------
    ndarray, shape (n, n)
        After them.

    Examples
    --------
    Two figures of variance 1, and a reading of their sum that is known to a variance of 2: half of the sum's is left.

    >>> import numpy as np
    >>> after(np.eye(2), np.array([[1.0, 1.0]]), np.array([2.0**0.5])).round(2).tolist()
    [[0.75, -0.25], [-0.25, 0.75]]
    """
    if not len(off):
        return covariance
    both = covariance @ rows.T
    return np.asarray(covariance - both @ np.linalg.solve(rows @ both + np.diag(off**2), both.T))


def belief(of: tuple[Doubt, ...], evidence: tuple[Evidence, ...]) -> Belief:
    """What is known of doubts together.

    Parameters
    ----------
    of : tuple of Doubt
        Of a build.
    evidence : tuple of Evidence
        That it has.

    Returns
    -------
    Belief
        In which doubts of one name are one.
    """
    latent = {d.known_as: d for d in reversed(of)}
    latent = {d.known_as: latent[d.known_as] for d in of}
    for e in evidence:
        for t in e.terms:
            if t.doubt not in latent and t.off > 0:
                kind, _, made_as = t.doubt.partition("|")
                latent[t.doubt] = Doubt(kind, made_as, "", t.off, "guessed", made_as)  # type: ignore[arg-type]
    place = {name: k for k, name in enumerate(latent)}
    rows = np.zeros((len(evidence), len(latent)))
    for k, e in enumerate(evidence):
        for t in e.terms:
            if t.doubt in place:
                rows[k, place[t.doubt]] += t.weight
    at = np.array([place[d.known_as] for d in of], dtype=np.intp)
    return Belief(tuple(latent.values()), at, rows, np.array([e.off for e in evidence]))


def sampled(plan: Plan, of: tuple[Doubt, ...], count: int, seed: int) -> Array:
    """Samples of a build's doubts, as its evidence leaves them.

    Parameters
    ----------
    plan : Plan
        The build.
    of : tuple of Doubt
        Its doubts, or some of them.
    count, seed : int
        How many, and what makes them the same again.

    Returns
    -------
    ndarray, shape (count, len(of))
        Factors.
    """
    return belief(of, plan.evidence).drawn(count, seed)
