"""The build solved over states of charge and load states: the arrays every station reads from."""

from __future__ import annotations

from copy import copy
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.converters import deliverable_a
from briskcell.core.engine.network import Network, compile_network, state_draws
from briskcell.core.engine.solver import Flow, Slow, solve
from briskcell.core.engine.sources import StoreCurves, store_curves
from briskcell.model.parts import State
from briskcell.model.plan import Plan, Profile

Array = NDArray[np.float64]
GRID = np.linspace(1.0, 0.0, 101)
SOC_EPSILON = 1e-9  # far below a step of any grid


@dataclass(frozen=True)
class Operating:
    """A plan solved at rest, in play and at the peak, over states of charge from full to empty.

    Arrays have shape (3, n_soc): states in the order of ``STATES``, charge falling. All stores step together.
    """

    plan: Plan
    network: Network
    curves: tuple[StoreCurves, ...]
    flow: Flow

    def of_same(self, plan: Plan) -> Operating:
        """The same currents in another plan that has them."""
        made = copy(self)  # with what is read off it already
        made.__dict__["plan"] = plan
        return made

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
        return shares_of(self.plan.use)

    @cached_property
    def load_w(self) -> Array:
        """Watts each load takes, shape (3, n_soc, n_loads); 0 where the network collapses."""
        n = len(self.network.loads)
        amps = np.where(self.flow.collapsed[..., None], 0.0, self.flow.consumer_a[..., :n])
        return amps * self.flow.consumer_v[..., :n]

    @cached_property
    def lost_w(self) -> dict[str, Array]:
        """Watts that become heat in each store, board and link, by id, each of shape (3, n_soc); 0 where nothing flows."""
        net, flow = self.network, self.flow
        amps = np.where(np.isfinite(flow.branch_a), flow.branch_a, 0.0)
        out: dict[str, Array] = {}
        for k, store in enumerate(net.stores):  # a peak meets volts that play has lowered already, so not I²R alone
            out[store] = (self.curves[k].ocv_v - self.store_v[..., k]) * amps[..., k]
        for k, board in enumerate(net.converters):
            out[board.id] = flow.converter_input_w(k) - flow.converter_output_w(k)
        in_branches = flow.branch_ohm * amps**2 + net.drop_v * amps
        out |= {name: in_branches[..., k] for name, k in net.branch.items() if name not in out}
        return {name: np.maximum(watts, 0.0) for name, watts in out.items()}

    @cached_property
    def board_limit_a(self) -> tuple[Array, ...]:
        """Most current that each converter can put out at what it gets in, each of shape (3, n_soc); inf without a limit. [A]"""
        return tuple(deliverable_a(c, self.flow.converter_input_v(k)) for k, c in enumerate(self.network.converters))

    def index(self, soc: float) -> int:
        """Column nearest to a state of charge."""
        return int(np.argmin(np.abs(self.soc - soc)))

    @cached_property
    def half(self) -> int:
        """Column at half charge, where boards and draws are quoted."""
        return self.index(0.5)

    def down_to(self, end_soc: float) -> NDArray[np.bool_]:
        """Columns from full down to a state of charge, shape (n_soc,)."""
        return np.asarray(self.soc >= end_soc - SOC_EPSILON)

    @cached_property
    def used(self) -> list[State]:
        """States that the profile spends time in; a state of no share never happens."""
        return used_states(self.plan.use)

    @cached_property
    def steady(self) -> list[State]:
        """States that last, of those: what ends play is asked of them."""
        return steady_states(self.plan.use)


def steady_states(profile: Profile) -> list[State]:
    """States that last, of those a profile spends time in: play ends where these end it, a peak is a chance beside them.

    Parameters
    ----------
    profile : Profile
        How the time is spent.

    Returns
    -------
    list of State
        Rows of solved arrays; the peak alone where nothing else happens.
    """
    used = used_states(profile)
    return [s for s in used if s != State.PEAK] or used


def shares_of(profile: Profile) -> Array:
    """Share of the time in each state.

    Parameters
    ----------
    profile : Profile
        How the time is spent.

    Returns
    -------
    ndarray, shape (3,)
        In the order of ``STATES``; they make up the whole.
    """
    return np.array([profile.rest, profile.play, profile.peak])


def used_states(profile: Profile) -> list[State]:
    """States that a profile spends time in; a state of no share never happens.

    Parameters
    ----------
    profile : Profile
        How the time is spent.

    Returns
    -------
    list of State
        Rows of solved arrays.
    """
    return [s for s, share in zip(State, (profile.rest, profile.play, profile.peak), strict=True) if share > 0]


def riding_on_play(slow_ohm: Array) -> Slow:
    """Polarisation of the three states: rest and play have it in their own resistance, a peak meets that of play.

    Parameters
    ----------
    slow_ohm : ndarray
        Slow resistance of the stores. [Ω]

    Returns
    -------
    Slow
        For a batch whose first axis are the three states.
    """
    none = np.zeros(slow_ohm.shape)
    return Slow(np.stack([none, none, slow_ohm]), (State.REST, State.PLAY, State.PLAY))


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
    flow = solve(network, ocv, np.stack([fast + slow, fast + slow, fast]), state_draws(network), riding_on_play(slow))
    return Operating(plan, network, curves, flow)
