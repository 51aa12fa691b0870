"""How two sources that meet on a rail share what it asks: the secant method across the cut that was made there."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.network import Network

Array = NDArray[np.float64]
ROUNDS = 40
CLOSE_V = 1e-7  # between the two ends of a net that was cut, at which they count as one
SAME_A = 1e-9
LEAST_OHM = 1e-3  # between two sources, that a first step is reckoned with


class Points(Protocol):
    """A batch of points that can be solved: see ``solver``."""

    network: Network
    X: Array
    amps: Array
    lost: NDArray[np.bool_]

    @property
    def drawn_a(self) -> Array:
        """What each load, and each end of a cut, draws besides its power: shape (points, n)."""
        ...

    def sweeps(self, points: NDArray[np.intp]) -> None:
        """Solve some points."""
        ...

    def nominal_a(self, points: NDArray[np.intp]) -> Array:
        """About what the loads of some points draw together, each shape (points,)."""
        ...


def meet(batch: Points, points: NDArray[np.intp]) -> None:
    """What each second source gives at some points, found by the secant method on the volts across each cut [1]_.

    Nothing is given where its end stands below the rail, and it gives no more than the rail asks where nothing flows back into the
    other. The points are solved for it when this ends.

    Parameters
    ----------
    batch : Points
        The batch, solved with nothing given.
    points : ndarray of int
        Which points.

    Returns
    -------
    None
        The batch holds what was found.

    References
    ----------
    .. [1] D. Shirmohammadi et al., IEEE Trans. Power Systems 3(2), 1988: breakpoints of a weakly meshed network.
    """
    net = batch.network
    first, meetings = len(net.loads), net.meetings
    main, other = first + 2 * np.arange(len(meetings)), first + 2 * np.arange(len(meetings)) + 1
    below = np.stack([net.element_of_consumer[:, net.position[m.rail]] for m in meetings])
    least = np.array([0.0 if m.other_one_way else -np.inf for m in meetings])
    most = np.array([m.main_one_way for m in meetings])
    ways = net.branch_of_consumer[main] + net.branch_of_consumer[other]
    ohm = np.maximum((ways * net.fixed_ohm).sum(axis=1), LEAST_OHM)

    def given(amps: Array, at: NDArray[np.intp]) -> None:
        batch.drawn_a[at[:, None], main] = -amps
        batch.drawn_a[at[:, None], other] = amps
        batch.sweeps(at)

    def apart(at: NDArray[np.intp]) -> Array:
        return batch.X[at[:, None], other] - batch.X[at[:, None], main]

    def within(amps: Array, at: NDArray[np.intp]) -> Array:
        # All that hangs on the rail, and what the other meetings of it give meanwhile.
        asked = np.where(np.isfinite(batch.amps[at]), batch.amps[at], 0.0) @ below.T
        return np.clip(amps, least, np.where(most, np.maximum(asked, 0.0), np.inf))

    amps = np.zeros((len(points), len(meetings)))
    given(amps, points)
    # What the first alone cannot carry is tried with half of it given by the others.
    alone = np.flatnonzero(batch.lost[points].any(axis=1))
    if alone.size:
        amps[alone] = (0.5 * batch.nominal_a(points[alone]) / len(meetings))[:, None]
        given(amps[alone], points[alone])
    gap, slope = apart(points), np.tile(ohm, (len(points), 1))
    left = np.arange(len(points))
    for _ in range(ROUNDS):
        at = points[left]
        new = within(amps[left] + gap[left] / slope[left], at)
        step = new - amps[left]
        moving = (np.abs(step) > SAME_A).any(axis=1) & (np.abs(gap[left]) > CLOSE_V).any(axis=1)
        if not moving.any():
            break
        left, new, step = left[moving], new[moving], step[moving]
        given(new, points[left])
        now = apart(points[left])
        fall = gap[left] - now
        steep = (np.abs(step) > SAME_A) & (fall * step > 0)
        slope[left] = np.where(steep, fall / np.where(steep, step, 1.0), slope[left])
        amps[left], gap[left] = new, now
