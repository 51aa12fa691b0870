"""What opens a circuit, and how soon: fuses by their standard's curve, polymer fuses by their trip curve, protection boards."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

from briskcell.core.data.tables import table
from briskcell.model.parts import Link, Part
from briskcell.model.stores import Pack

Array = NDArray[np.float64]
PROTECTION_S = 0.005  # a protection board's delay on a short: 0.2 to 5 ms on sheets; the slow end
OVERLOAD_S = 0.03  # and on less than its threshold for shorts: 5 to 30 ms on sheets; the slow end
SHORT_OVER_TRIP = 3.0  # a protection board's short-circuit threshold over its over-current trip: 2 to 5 on sheets; typical


@cache
def _curve(kind: str) -> tuple[Array, Array]:
    rows = [r for r in table("fuses") if r["kind"] == kind]
    return tuple(np.log([float(r[c]) for r in rows]) for c in ("multiple_of_rating", "opens_after_s"))  # type: ignore[return-value]


def opening_times_s(multiples: ArrayLike, *, resettable: bool) -> Array:
    """Longest time a fuse may take to open at multiples of its rating, read from a table on logarithmic scales.

    Parameters
    ----------
    multiples : array_like
        Currents over its rating.
    resettable : bool
        A polymer fuse rather than a wire.

    Returns
    -------
    ndarray
        Seconds; inf below the table's first row, where it may never open.
    """
    asked, (at, took) = np.asarray(multiples, dtype=float), _curve("resettable" if resettable else "wire")
    with np.errstate(divide="ignore"):
        times = np.exp(np.interp(np.log(asked), at, took))
    return np.where(asked < math.exp(at[0]) * (1.0 - 1e-12), np.inf, times)


def opening_time_s(multiple: float, *, resettable: bool) -> float:
    """Longest time a fuse may take to open, as ``opening_times_s`` of one multiple.

    Parameters
    ----------
    multiple : float
        Current over rating.
    resettable : bool
        A polymer fuse rather than a wire.

    Returns
    -------
    float
        Seconds.
    """
    return float(opening_times_s(multiple, resettable=resettable))


def lets_pass_a(fuse: Link, seconds: float = math.inf) -> float:
    """The most current that a fuse may let pass for so long, for ever where no time is given. [A]

    Parameters
    ----------
    fuse : Link
        A fuse with a rating.
    seconds : float
        How long. [s]

    Returns
    -------
    float
        For ever 2.1 times its rating, of a polymer fuse twice; inf where it has none.
    """
    if fuse.rating_a is None:
        return math.inf
    multiples, times = _curve("resettable" if fuse.resettable else "wire")
    return fuse.rating_a.likely * math.exp(float(np.interp(-math.log(seconds), -times, multiples)))


def corners_a(fuse: Link) -> tuple[float, ...]:
    """Currents at which a fuse's curve has a corner, the least at which it opens first. [A]

    Parameters
    ----------
    fuse : Link
        A fuse.

    Returns
    -------
    tuple of float
        Empty where it has no rating.
    """
    if fuse.rating_a is None:
        return ()
    multiples = np.exp(_curve("resettable" if fuse.resettable else "wire")[0])
    return tuple(float(fuse.rating_a.likely * m) for m in multiples)


def first_to_open(way: Sequence[Part], amps: ArrayLike) -> tuple[Array, tuple[str, ...]]:
    """What opens first on a way from a store, at each of some currents.

    Parameters
    ----------
    way : sequence of Part
        What the current flows through; a pack last, where it comes from one.
    amps : array_like, shape (n,)
        Currents. [A]

    Returns
    -------
    tuple of ndarray and tuple of str
        Seconds, inf where nothing opens; and its name, empty there.
    """
    flows = np.asarray(amps, dtype=float)
    times, names = [np.full(flows.shape, np.inf)], [""]
    for part in way:
        if isinstance(part, Link) and part.kind == "fuse" and part.rating_a:
            times.append(opening_times_s(flows / part.rating_a.likely, resettable=part.resettable))
            names.append(part.name)
        elif isinstance(part, Pack) and part.protection is not None:
            trip = part.protection.trip_a.likely
            soon = np.where(flows >= SHORT_OVER_TRIP * trip * (1.0 - 1e-9), PROTECTION_S, OVERLOAD_S)
            times.append(np.where(flows >= trip, soon, np.inf))
            names.append(f"protection of {part.name}")
    every = np.stack(times)
    first = every.argmin(axis=0)
    return every.min(axis=0), tuple(names[k] for k in first)
