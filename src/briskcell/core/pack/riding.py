"""What a rail's capacitance carries of a short peak: a reset is a sag below a window for long enough, not an overrun alone."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.solver import Flow

Array = NDArray[np.float64]
LEAST_A = 1e-9


def ride_s(flow: Flow, board: int, most_a: Array) -> Array | None:
    """How long a board's rail stays in the windows of what hangs on it while more is asked than the board can give: ``C·ΔV/ΔI``.

    Parameters
    ----------
    flow : Flow
        Solved.
    board : int
        Which converter of the network.
    most_a : ndarray
        What it can put out. [A]

    Returns
    -------
    ndarray or None
        Inf where it is asked for no more than it can give; None where nobody has said what capacitance is on its output. [s]
    """
    net = flow.network
    capacitance = net.converters[board].output_f
    if capacitance is None:
        return None
    spare_v = np.full(most_a.shape, np.inf)
    for k in net.hanging(board):
        spare_v = np.minimum(spare_v, flow.loads_v[..., k] - net.loads[k].window.low_v)
    spare_v = np.where(np.isfinite(spare_v), np.maximum(spare_v, 0.0), 0.0)
    over_a = np.asarray(flow.output_a(board) - most_a)
    return np.where(over_a > 0, capacitance.likely * spare_v / np.maximum(over_a, LEAST_A), np.inf)


def past_riding(left: list[Array], rides: list[Array | None], seconds: Array) -> Array | None:
    """Which share of the overruns that begin in a combination of peaks outlast what carries them.

    Parameters
    ----------
    left : list of ndarray, each of shape (m, ...)
        What is left of each limit, below 0 where it is overrun.
    rides : list of ndarray or None
        How long each is carried. [s]
    seconds : ndarray, shape (m,)
        The shortest peak of each combination, long as they are by chance: ``exp(−ride/τ)`` of them last longer.

    Returns
    -------
    ndarray or None
        Of shape (m, ...); where nothing is overrun, as of the limit that comes nearest. None where nothing carries anything.
    """
    if all(ride is None for ride in rides):
        return None
    shape = (len(seconds), *(1 for _ in left[0].shape[1:]))
    lasting = np.stack(
        [
            np.ones(over.shape) if ride is None else np.exp(-np.minimum(ride / seconds.reshape(shape), 50.0))
            for over, ride in zip(left, rides, strict=True)
        ]
    )
    every = np.stack(left)
    nearest = np.take_along_axis(lasting, every.argmin(axis=0)[None], axis=0)[0]
    return np.asarray(np.where((every < 0).any(axis=0), np.where(every < 0, lasting, 0.0).max(axis=0), nearest))
