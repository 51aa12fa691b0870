"""The build solved over states of charge and load states: the arrays every station reads from."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from briskcell.model.plan import Plan

from .network import Draws, Flow, Network, compile_network, solve, state_draws
from .stores import PackCurves, pack_curves

Array = NDArray[np.float64]
GRID = np.linspace(1.0, 0.0, 101)
STEADY, PEAK = slice(0, 2), 2


@dataclass(frozen=True)
class Operating:
    """A plan solved at rest, in play and at the peak, over states of charge from full to empty.

    Arrays have shape (3, n_soc): states in the order of ``STATES``, charge falling. All packs step together.
    """

    plan: Plan
    network: Network
    curves: tuple[PackCurves, ...]
    flow: Flow

    @property
    def soc(self) -> Array:
        """States of charge, falling."""
        return self.curves[0].soc if self.curves else GRID

    @cached_property
    def pack_v(self) -> Array:
        """Terminal volts of each pack, shape (3, n_soc, n_packs)."""
        return self.flow.element_v[..., : len(self.curves)]

    @cached_property
    def shares(self) -> Array:
        """Share of the time in each state, shape (3,)."""
        profile = self.plan.profile
        return np.array([profile.rest, profile.play, profile.peak])

    @cached_property
    def load_w(self) -> Array:
        """Watts each load takes, shape (3, n_soc, n_loads); 0 where the network collapses."""
        n = len(self.network.loads)
        amps = np.where(self.flow.collapsed[..., None], 0.0, self.flow.consumer_a[..., :n])
        return amps * self.flow.consumer_v[..., :n]


def operate(plan: Plan, soc: Array = GRID, temperature_c: float = 25.0) -> Operating:
    """Solve a plan over its states of charge and load states.

    Rest and play are steady and meet the packs' whole resistance; a peak rides on play, with the fast part alone.

    Parameters
    ----------
    plan : Plan
        The build.
    soc : ndarray, shape (n,)
        States of charge, falling from full.
    temperature_c : float
        Temperature of the cells. [°C]

    Returns
    -------
    Operating
        Solved arrays of shape (3, n).
    """
    network = compile_network(plan)
    curves = tuple(pack_curves(p, soc, temperature_c) for p in plan.packs)
    shape = (len(soc), 0)
    ocv = np.stack([c.ocv_v for c in curves], -1) if curves else np.empty(shape)
    fast = np.stack([c.fast_ohm for c in curves], -1) if curves else np.empty(shape)
    slow = np.stack([c.slow_ohm for c in curves], -1) if curves else np.empty(shape)
    draws = state_draws(network)
    steady = solve(network, ocv, fast + slow, _states(draws, STEADY))
    play_a = np.where(steady.collapsed[1][:, None], 0.0, steady.branch_a[1][:, : len(curves)])
    peak = solve(network, (ocv - slow * play_a)[None], fast, _states(draws, slice(PEAK, PEAK + 1)))
    return Operating(plan, network, curves, _joined(steady, peak))


def _states(draws: Draws, which: slice) -> Draws:
    return Draws(power_w=draws.power_w[which], current_a=draws.current_a[which], conductance_s=draws.conductance_s[which])


def _joined(steady: Flow, peak: Flow) -> Flow:
    return Flow(
        network=steady.network,
        consumer_v=np.concatenate([steady.consumer_v, peak.consumer_v]),
        consumer_a=np.concatenate([steady.consumer_a, peak.consumer_a]),
        branch_a=np.concatenate([steady.branch_a, peak.branch_a]),
        branch_ohm=np.concatenate([steady.branch_ohm, peak.branch_ohm]),
        source_v=np.concatenate([steady.source_v, peak.source_v]),
        # A peak cannot be carried where play itself collapses.
        collapsed=np.concatenate([steady.collapsed, peak.collapsed | steady.collapsed[1:2]]),
    )
