"""Tables read without kinks: a cubic through every point that rises and falls only where the table does."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


def smooth(at: Array, x: tuple[float, ...], y: tuple[float, ...]) -> Array:
    """A table read by monotone cubic pieces, and held beyond its ends.

    Slopes at the points are weighted harmonic means of those of the chords beside, nothing where these differ in sign [1]_.

    Parameters
    ----------
    at : ndarray
        Where to read.
    x, y : tuple of float
        The table, ``x`` rising.

    Returns
    -------
    ndarray
        Of the shape of ``at``; not to be written to, since a table that was read at these points is not read again.

    References
    ----------
    .. [1] F. N. Fritsch, J. Butland, A method for constructing local monotone piecewise cubic interpolants, SIAM J. Sci. Stat.
       Comput. 5(2), 1984. doi:10.1137/0905021

    Examples
    --------
    >>> float(smooth(np.array([0.5]), (0.0, 1.0), (3.0, 4.0))[0])
    3.5
    """
    return _read(at.tobytes(), x, y).reshape(at.shape)


@lru_cache(maxsize=512)  # some 1 MB: the grids are few, and an edit leaves most tables as they are
def _read(points: bytes, x: tuple[float, ...], y: tuple[float, ...]) -> Array:
    edges, values, slopes = _pieces(x, y)
    held = np.clip(np.frombuffer(points), edges[0], edges[-1])
    k = np.clip(np.searchsorted(edges, held, side="right") - 1, 0, len(edges) - 2)
    h = edges[k + 1] - edges[k]
    t = (held - edges[k]) / h
    rise = values[k + 1] - values[k]
    one, two = slopes[k] * h, slopes[k + 1] * h
    found = np.asarray(values[k] + t * (one + t * (3.0 * rise - 2.0 * one - two + t * (one + two - 2.0 * rise))))
    found.setflags(write=False)
    return found


@lru_cache(maxsize=256)
def _pieces(x: tuple[float, ...], y: tuple[float, ...]) -> tuple[Array, Array, Array]:
    """The table as arrays, and its slopes at the points."""
    edges, values = np.array(x, dtype=float), np.array(y, dtype=float)
    h, chord = np.diff(edges), np.diff(values) / np.diff(edges)
    slopes = np.zeros(len(edges))
    if len(edges) == 2:
        return edges, values, np.full(2, chord[0])
    one, two = 2.0 * h[1:] + h[:-1], h[1:] + 2.0 * h[:-1]
    same = chord[:-1] * chord[1:] > 0
    with np.errstate(divide="ignore", invalid="ignore"):
        mean = (one + two) / (one / chord[:-1] + two / chord[1:])
    slopes[1:-1] = np.where(same, mean, 0.0)
    slopes[0], slopes[-1] = _end(h[0], h[1], chord[0], chord[1]), _end(h[-1], h[-2], chord[-1], chord[-2])
    return edges, values, slopes


def _end(near: float, far: float, chord: float, other: float) -> float:
    """The slope at an end, by three points, kept monotone."""
    slope = ((2.0 * near + far) * chord - near * other) / (near + far)
    if slope * chord <= 0:
        return 0.0
    return float(3.0 * chord if chord * other <= 0 and abs(slope) > abs(3.0 * chord) else slope)
