"""Which reading would settle most: by how much each that can be taken narrows the hours, before it is taken."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .belief import after
from .doubts import OF_CAPACITY, OF_PLAY, TENTH, Doubt
from .reach import Reach
from .table import by_grade, reading_off

Array = NDArray[np.float64]
READ = 5.0  # times better known is what else was read with a meter, a guess
WORTH = 0.97  # of the width that must be left at the most, for a reading to be worth a word


@dataclass(frozen=True, slots=True)
class Reading:
    """A reading that can be taken: in words, where it is taken, half the width of the hours now and after it, as shares.

    ``doubt`` is the figure that it is of, None where it is of the whole console.
    """

    key: str
    words: str
    where: str
    now: float
    then: float
    doubt: Doubt | None = None


def readings(reach: Reach, most: int = 6) -> tuple[Reading, ...]:
    """Readings that would narrow the hours of a build, the best first.

    To first order: logarithms of hours are a sum over doubts, and a reading is the update of a Kalman filter.

    Parameters
    ----------
    reach : Reach
        Of the build.
    most : int
        How many.

    Returns
    -------
    tuple of Reading
        None that is not worth a word.
    """
    if not reach.of:
        return ()
    known, (hours, watts) = reach.belief, reach.slopes
    on_latent = np.zeros((len(known.at), len(known.latent)))
    on_latent[np.arange(len(known.at)), known.at] = 1.0
    covariance = known.covariance

    def left(slopes: Array, covariance: Array) -> float:
        gradient = slopes @ on_latent
        return float(gradient @ covariance @ gradient)

    now = half_width(left(hours, covariance))
    found = []
    for key, words, where, row, off in _of_the_whole(reach, hours, watts):
        then = half_width(left(hours, after(covariance, row[None] @ on_latent, np.array([off]))))
        found.append(Reading(key, words, where, now, then))
    for d, slopes, more in _of_figures(reach, hours):
        words = f"the {d.name}" if d.kind == "draw" else f"the {d.name}: {OF_PLAY[d.kind].measured_by}"
        found.append(Reading(d.key, words, "bench", now, half_width(left(slopes, covariance) + more), d))
    return tuple(sorted((r for r in found if r.then < WORTH * now), key=lambda r: r.then)[:most])


def half_width(variance: float) -> float:
    """Half the width of a range of eight in ten, as a share of its middle.

    Parameters
    ----------
    variance : float
        Of the logarithm.

    Returns
    -------
    float
        A share.

    Examples
    --------
    >>> round(half_width(0.25**2), 3)
    0.326
    """
    return math.sinh(TENTH * math.sqrt(max(variance, 0.0)))


def _of_the_whole(reach: Reach, hours: Array, watts: Array) -> Iterator[tuple[str, str, str, Array, float]]:
    """Readings of the whole console: their weights on the build's doubts, and how far off each is."""
    of = reach.of
    if any(d.kind == "shared" for d in of):
        yield "watts", "a reading of the whole in play", "log", watts, reading_off("watts")
    yield "hours", "a run timed to its stop", "log", hours, reading_off("hours")
    cells = np.array([float(d.kind in OF_CAPACITY) for d in of])
    if cells.any():
        yield "capacity", "a discharge of the pack on the bench", "bench", cells, reading_off("capacity")


def _of_figures(reach: Reach, hours: Array) -> Iterator[tuple[Doubt, Array, float]]:
    """Figures that can be read by themselves: the slopes of what is left unknown then, and the variance that the reading leaves.

    A draw that is read is no part any more of what all draws share.
    """
    for k, d in enumerate(reach.of):
        if d.grade == "measured" or d.kind in ("shared", *OF_CAPACITY):
            continue
        rest = hours.copy()
        rest[k] = 0.0
        for j, s in enumerate(reach.of):
            if d.kind == "draw" and s.kind == "shared" and d.element in s.on:
                rest[j] -= hours[k]
        off = by_grade("draw", "measured") if d.kind == "draw" else d.off / READ
        yield d, rest, float((hours[k] * off) ** 2)
