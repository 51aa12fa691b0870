"""What the console takes over the volts that feed it, for the boards that feed it while they charge."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.network import Draws, draws_of
from briskcell.core.engine.operating import Operating
from briskcell.core.engine.solver import Flow, solve

Array = NDArray[np.float64]
CARRIED = 0.99  # between a point that is carried and one that is not, from which a console counts as fed
LEAST_V = 1e-3  # below which a current is not told from its power


@dataclass(frozen=True, slots=True)
class Console:
    """What the console takes over the volts at its input, and whether it can be carried there.

    Power changes little with volts, so between the points it is power that is read by straight lines.
    """

    volts: Array
    watts: Array
    carried: Array

    def at(self, volts: Array) -> tuple[Array, NDArray[np.bool_]]:
        amps = np.interp(volts, self.volts, self.watts) / np.maximum(volts, LEAST_V)
        return amps, np.interp(volts, self.volts, self.carried) > CARRIED


def console_curve(op: Operating, index: int, series_ohm: float, volts: Array, state: str = "play") -> Console:
    """The console's current over the volts that feed it in a store's place.

    Parameters
    ----------
    op : Operating
        The solved build.
    index : int
        The store whose place is taken.
    series_ohm : float
        Resistance between those volts and the tree. [Ω]
    volts : ndarray, shape (n,)
        Rising volts to solve at; between them the curve is read by straight lines.
    state : str
        Load state.

    Returns
    -------
    Console
        Amperes, and whether the tree can be carried.
    """
    draws = draws_of(op.network.loads, state)
    rows = Draws(power_w=draws.power_w[None], current_a=draws.current_a[None], conductance_s=draws.conductance_s[None])
    flow = fed_at(op, index, series_ohm, volts, rows)
    lost = flow.lost[..., index]
    return Console(volts, volts * np.where(lost, 0.0, flow.store_a(index)), (~lost).astype(float))


def fed_at(op: Operating, index: int, series_ohm: float, volts: Array, draws: Draws) -> Flow:
    """The build solved with given volts in a store's place; the other stores stand at half charge.

    Parameters
    ----------
    op : Operating
        The solved build.
    index : int
        The store whose place is taken.
    series_ohm : float
        Resistance between those volts and the tree. [Ω]
    volts : ndarray, shape (n,)
        Volts to solve at. [V]
    draws : Draws
        Of shape (..., n_loads); its leading axes come before that of the volts.

    Returns
    -------
    Flow
        Solved over the draws and the volts.
    """
    middle = len(op.soc) // 2
    ocv = np.stack([np.full(volts.shape, c.ocv_v[middle]) for c in op.curves], -1)
    ohm = np.stack([np.full(volts.shape, c.steady_ohm[middle]) for c in op.curves], -1)
    ocv[:, index], ohm[:, index] = volts, series_ohm
    return solve(op.network, ocv, ohm, draws)
