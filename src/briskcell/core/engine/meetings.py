"""Two sources that meet on a rail: who stands higher, whether current can flow back, and how they share what it asks."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Protocol

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.converters import stiff_output_v
from briskcell.core.engine.sources import store_curves
from briskcell.model.parts import Converter, Fed, Link, Part
from briskcell.model.plan import Plan, Store

if TYPE_CHECKING:
    from briskcell.core.engine.network import Network

Array = NDArray[np.float64]
HALF = np.array([0.5])  # of the charge, at which it is told which of two sources stands higher
ROUNDS = 40
CLOSE_V = 1e-7  # between the two ends of a net that was cut, at which they count as one
SAME_A = 1e-9
LEAST_OHM = 1e-3  # between two sources, that a first step is reckoned with


@dataclass(frozen=True, slots=True)
class Meeting:
    """A rail that a second source gives to as well, by ``main`` and by ``other``: the ids of the parts right before the rail.

    The main one stands higher while nothing draws and carries first. ``…_one_way`` says that no current can flow back there,
    ``by_diode`` that the other ends in a diode.
    """

    rail: str
    main: str
    other: str
    main_one_way: bool
    other_one_way: bool
    by_diode: bool


def meetings_of(plan: Plan) -> tuple[Meeting, ...]:
    """Every second source of a rail.

    Parameters
    ----------
    plan : Plan
        The build.

    Returns
    -------
    tuple of Meeting
        Of a rail with n sources, n − 1.
    """
    out = []
    for rail in plan.rails:
        if rail.also:
            main, *others = sorted((rail.fed_by, *rail.also), key=lambda at: -idle_v(plan, at))
            out += [Meeting(rail.id, main, at, one_way(plan, main), one_way(plan, at), is_diode(plan.by_id[at])) for at in others]
    return tuple(out)


def idle_v(plan: Plan, at: str) -> float:
    """Volts at a part while nothing draws, its store at half charge. [V]

    Parameters
    ----------
    plan : Plan
        The build.
    at : str
        A store, or what is fed from one.

    Returns
    -------
    float
        Past a diode less what it drops.
    """
    part = plan.by_id[at]
    if not isinstance(part, Fed):
        assert isinstance(part, Store)
        return float(store_curves(part, HALF, plan.brief.cells_c).ocv_v[0])
    fed = idle_v(plan, part.fed_by)
    if isinstance(part, Converter):
        return float(stiff_output_v(part, fed, 0.0))
    return fed - (part.drop_v.likely if isinstance(part, Link) and part.drop_v else 0.0)


def one_way(plan: Plan, at: str) -> bool:
    """Whether no current flows back at the end of a way: a diode lies on it, or a board that makes its volts.

    Parameters
    ----------
    plan : Plan
        The build.
    at : str
        The last part of the way.

    Returns
    -------
    bool
        Whether the board stands what it then gets from outside is a matter of its own.
    """
    part = plan.by_id[at]
    while isinstance(part, Fed):
        if isinstance(part, Converter) or is_diode(part):
            return True
        part = plan.by_id[part.fed_by]
    return False


def is_diode(part: Part) -> bool:
    """Whether a part is a diode.

    Parameters
    ----------
    part : Part
        Any part.

    Returns
    -------
    bool
        Also of an ideal one.
    """
    return isinstance(part, Link) and part.kind == "diode"


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
