"""Curves over evenly spaced points, read one number at a time: where a course in time asks thousands of single values."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
FAR = 1e12  # beyond which a value is as good as endless


class Even:
    """Several curves over the same evenly rising points, read by straight lines and held beyond their ends.

    The same as ``numpy.interp`` of each curve, at about a tenth of its cost for a single number.

    Parameters
    ----------
    points : ndarray, shape (n,)
        Evenly rising, two at the least.
    *curves : ndarray, shape (n,)
        What is read over them.

    Examples
    --------
    >>> Even(np.array([1.0, 2.0, 3.0]), np.array([0.0, 10.0, 30.0]), np.array([1.0, 0.0, 0.0])).at(2.5)
    (20.0, 0.0)
    """

    def __init__(self, points: Array, *curves: Array) -> None:
        self._first, self._pitch, self._last = float(points[0]), float(points[1] - points[0]), len(points) - 1
        columns = np.stack(curves, axis=-1) if curves else np.zeros((len(points), 0))
        self._rows: list[list[float]] = np.clip(np.nan_to_num(columns, nan=0.0), -FAR, FAR).tolist()

    def at(self, point: float) -> tuple[float, ...]:
        """The value of each curve at one point."""
        place = min(max((point - self._first) / self._pitch, 0.0), float(self._last))
        k = min(int(place), self._last - 1)
        part = place - k
        return tuple([a + part * (b - a) for a, b in zip(self._rows[k], self._rows[k + 1], strict=True)])
