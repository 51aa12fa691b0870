"""The build solved over states of charge and load states: the arrays every station reads from."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.converters import deliverable_a
from briskcell.core.engine.network import Network, compile_network, state_draws
from briskcell.core.engine.solver import Flow, Slow, solve
from briskcell.core.engine.sources import StoreCurves, store_curves
from briskcell.model.plan import Plan

Array = NDArray[np.float64]
GRID = np.linspace(1.0, 0.0, 101)


@dataclass(frozen=True)
class Operating:
    """A plan solved at rest, in play and at the peak, over states of charge from full to empty.

    Arrays have shape (3, n_soc): states in the order of ``STATES``, charge falling. All stores step together.
    """

    plan: Plan
    network: Network
    curves: tuple[StoreCurves, ...]
    flow: Flow

    @property
    def soc(self) -> Array:
        """States of charge, falling."""
        return self.curves[0].soc if self.curves else GRID

    @cached_property
    def store_v(self) -> Array:
        """Terminal volts of each store, shape (3, n_soc, n_stores)."""
        return self.flow.element_v[..., : len(self.curves)]

    @cached_property
    def shares(self) -> Array:
        """Share of the time in each state, shape (3,)."""
        profile = self.plan.use
        return np.array([profile.rest, profile.play, profile.peak])

    @cached_property
    def load_w(self) -> Array:
        """Watts each load takes, shape (3, n_soc, n_loads); 0 where the network collapses."""
        n = len(self.network.loads)
        amps = np.where(self.flow.collapsed[..., None], 0.0, self.flow.consumer_a[..., :n])
        return amps * self.flow.consumer_v[..., :n]

    @cached_property
    def board_limit_a(self) -> tuple[Array, ...]:
        """Most current that each converter can put out at what it gets in, each of shape (3, n_soc); inf without a limit. [A]"""
        n_loads = len(self.network.loads)
        return tuple(deliverable_a(c, self.flow.input_v(n_loads + k)) for k, c in enumerate(self.network.converters))


def operate(plan: Plan, soc: Array = GRID, temperature_c: float | None = None) -> Operating:
    """Solve a plan over its states of charge and load states.

    Rest and play are steady and meet the packs' whole resistance; a peak rides on play, with the fast part alone.

    Parameters
    ----------
    plan : Plan
        The build.
    soc : ndarray, shape (n,)
        States of charge, falling from full.
    temperature_c : float, optional
        Temperature of the cells; the brief's where not given. [°C]

    Returns
    -------
    Operating
        Solved arrays of shape (3, n).
    """
    network = compile_network(plan)
    cells_c = plan.brief.cells_c if temperature_c is None else temperature_c
    curves = tuple(store_curves(p, soc, cells_c) for p in plan.stores)
    shape = (len(soc), 0)
    ocv, fast, slow = (
        np.stack([getattr(c, name) for c in curves], -1) if curves else np.empty(shape)
        for name in ("ocv_v", "fast_ohm", "slow_ohm")
    )
    none = np.zeros(slow.shape)
    riding = Slow(np.stack([none, none, slow]), (0, 1, 1))
    flow = solve(network, ocv, np.stack([fast + slow, fast + slow, fast]), state_draws(network), riding)
    return Operating(plan, network, curves, flow)
