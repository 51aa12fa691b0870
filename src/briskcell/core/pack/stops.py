"""What ends play, as margins over states of charge: play ends where the first falls below zero.

Every function takes arrays whose first axis are the load states, so that one build and a thousand candidates ask the same.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike, NDArray

from briskcell.model.parts import State

Array = NDArray[np.float64]
Flags = NDArray[np.bool_]


def cutoff_margin(store_v: Array, used: Sequence[State], cutoff_v: ArrayLike) -> Array:
    """Volts above the lower cut-off of a store.

    Parameters
    ----------
    store_v : ndarray, shape (3, ..., n_soc)
        Terminal volts; 0 where the build collapses. [V]
    used : sequence of State
        States that the profile spends time in.
    cutoff_v : array_like, broadcasts with (..., n_soc)
        Lower cut-off. [V]

    Returns
    -------
    ndarray, shape (..., n_soc)
        Least over the states. [V]
    """
    return np.asarray(store_v[list(used)].min(axis=0) - cutoff_v)


def collapse_margin(lost: Flags, used: Sequence[State]) -> Array:
    """Below zero where a tree cannot be carried in a state that happens.

    Parameters
    ----------
    lost : ndarray of bool, shape (3, ..., n_soc)
        Where it collapses.
    used : sequence of State
        States that the profile spends time in.

    Returns
    -------
    ndarray, shape (..., n_soc)
        −1 or 1.
    """
    return np.where(lost[list(used)].any(axis=0), -1.0, 1.0)


def lockout_margin(input_v: Array, used: Sequence[State], lockout_v: float) -> Array:
    """Volts at a board's input above its under-voltage lock-out.

    Parameters
    ----------
    input_v : ndarray, shape (3, ..., n_soc)
        Volts at its input. [V]
    used : sequence of State
        States that the profile spends time in.
    lockout_v : float
        Where it locks out. [V]

    Returns
    -------
    ndarray, shape (..., n_soc)
        Least over the states. [V]
    """
    return np.asarray(input_v[list(used)].min(axis=0) - lockout_v)


def limit_margin(limit_a: Array, output_a: Array, lost: Flags, used: Sequence[State]) -> Array:
    """Current that a board could still give.

    Parameters
    ----------
    limit_a, output_a : ndarray, shape (3, ..., n_soc)
        What it can put out, and what it is asked for. [A]
    lost : ndarray of bool, shape (3, ..., n_soc)
        Where its tree collapses.
    used : sequence of State
        States that the profile spends time in.

    Returns
    -------
    ndarray, shape (..., n_soc)
        Least over the states; −1 where it collapses. [A]
    """
    rows = list(used)
    spare = np.where(lost[rows], -1.0, limit_a[rows] - np.where(lost[rows], 0.0, output_a[rows]))
    return np.asarray(spare.min(axis=0))


def first_below(margin: Array, soc: Array) -> Array:
    """State of charge at which margins first fall below zero, from full downward; −1 where they never do.

    Parameters
    ----------
    margin : ndarray, shape (..., n)
        Margins over states of charge.
    soc : ndarray, shape (n,)
        States of charge, falling.

    Returns
    -------
    ndarray, shape (...)
        Read by straight lines between the two points around the crossing.
    """
    below = margin < 0
    k = below.argmax(axis=-1)
    before = np.maximum(k - 1, 0)
    low = np.take_along_axis(margin, k[..., None], -1)[..., 0]
    high = np.take_along_axis(margin, before[..., None], -1)[..., 0]
    with np.errstate(divide="ignore", invalid="ignore"):
        share = np.where(k > 0, high / (high - low), 0.0)
    at = soc[before] + (soc[k] - soc[before]) * share
    return np.asarray(np.where(below.any(axis=-1), at, -1.0))
