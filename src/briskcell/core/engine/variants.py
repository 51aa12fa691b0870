"""Many variants of one plan as one batch: factors on draws, capacities, resistances, volts and losses along a leading axis."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.kernel import LOSS, SET_V
from briskcell.core.engine.network import Draws, Network, draws_of, state_draws
from briskcell.core.engine.operating import riding_on_play
from briskcell.core.engine.solver import Boards, Flow, Slow, solve
from briskcell.core.engine.sources import StoreCurves, store_curves
from briskcell.model.parts import STATES, State
from briskcell.model.plan import Plan, Store
from briskcell.model.stores import Pack

Array = NDArray[np.float64]
TERMS = ("power_w", "current_a", "conductance_s")


@dataclass(frozen=True, slots=True, kw_only=True)
class Factors:
    """What the figures of each variant are of the plan's likely ones: a row a variant, a column a store, load or converter.

    ``capacity``, ``cell``, the resistance of the cells, and ``cutoff``, the volts that end play, are of stores; ``draw`` of loads;
    ``volts`` and ``loss`` of converters; ``wiring`` of all conductors, in one column.
    """

    capacity: Array
    cell: Array
    draw: Array
    volts: Array
    loss: Array
    cutoff: Array
    wiring: Array

    def only(self, rows: NDArray[np.intp] | slice) -> Factors:
        """Some of the variants."""
        return replace(self, **{f.name: getattr(self, f.name)[rows] for f in fields(self)})


def likely(network: Network, n: int = 1) -> Factors:
    """Factors of the plan as it stands.

    Parameters
    ----------
    network : Network
        Its compiled tree.
    n : int
        Variants.

    Returns
    -------
    Factors
        All 1.
    """
    stores, loads, boards = (np.ones((n, len(of))) for of in (network.stores, network.loads, network.converters))
    return Factors(capacity=stores, cell=stores, draw=loads, volts=boards, loss=boards, cutoff=stores, wiring=np.ones((n, 1)))


@dataclass(frozen=True, slots=True)
class Variants:
    """Variants over states of charge, ready to be solved.

    Attributes
    ----------
    ocv_v, fast_ohm, slow_ohm : ndarray, shape (n, n_soc, n_stores)
        Of the stores; the first may have one row for all.
    draw : ndarray, shape (n, n_loads)
        Factors on the loads' draws.
    link_ohm : ndarray, shape (n, 1, n_links)
        Resistance of the conductors. [Ω]
    boards : Boards
        Converters of each variant.
    """

    network: Network
    curves: tuple[StoreCurves, ...]
    ocv_v: Array
    fast_ohm: Array
    slow_ohm: Array
    draw: Array
    link_ohm: Array
    boards: Boards

    def only(self, rows: NDArray[np.intp] | slice, first: int) -> Variants:
        """Some of the variants, from a state of charge on."""
        fast, slow = (np.broadcast_to(a, (len(self.draw), *a.shape[1:]))[rows, first:] for a in (self.fast_ohm, self.slow_ohm))
        ocv = np.broadcast_to(self.ocv_v, (len(self.draw), *self.ocv_v.shape[1:]))[rows, first:]
        own = self.boards.own[rows]
        boards = Boards(own, np.arange(len(own))[None, :, None])
        return Variants(self.network, self.curves, ocv, fast, slow, self.draw[rows], self.link_ohm[rows], boards)

    def states(self) -> Flow:
        """Rest, play and peak of all, arrays of shape (3, n, n_soc, …): a peak rides on play, with the cells' fast part alone."""
        d, steady = state_draws(self.network), self.fast_ohm + self.slow_ohm
        draws = Draws(**{t: getattr(d, t)[:, None] * self.draw[None, :, None, :] for t in TERMS})
        ohm = np.stack([steady, steady, self.fast_ohm])
        return solve(self.network, self.ocv_v, ohm, draws, riding_on_play(self.slow_ohm), self.link_ohm, self.boards)

    def peaking(self, peaks: NDArray[np.bool_]) -> Flow:
        """Combinations of parts at their peak, of shape (m, n_loads): arrays of shape (m, n, n_soc, …).

        The first row is play itself, none of them; what it polarises, the others ride on.
        """
        play, peak = (draws_of(self.network.loads, STATES[s]) for s in (State.PLAY, State.PEAK))
        here = peaks[:, None, None, :]
        draws = Draws(**{t: np.where(here, getattr(peak, t), getattr(play, t)) * self.draw[None, :, None, :] for t in TERMS})
        rides = np.zeros((len(peaks), 1, 1, 1))
        rides[1:] = 1.0
        ohm = self.fast_ohm + (1.0 - rides) * self.slow_ohm
        slow = Slow(rides * self.slow_ohm, (0,) * len(peaks))
        return solve(self.network, self.ocv_v, ohm, draws, slow, self.link_ohm, self.boards)


def variants(plan: Plan, network: Network, soc: Array, of: Factors) -> Variants:
    """A plan's variants over states of charge.

    Parameters
    ----------
    plan : Plan
        The build.
    network : Network
        Its compiled tree.
    soc : ndarray, shape (n_soc,) or (n, n_soc)
        States of charge, for all or for each variant its own.
    of : Factors
        Of n variants.

    Returns
    -------
    Variants
        Joints and protection are no cells: they keep their resistance.
    """
    curves = tuple(store_curves(s, soc.ravel(), plan.brief.cells_c) for s in plan.stores)
    shape = np.atleast_2d(soc).shape
    ocv, fast, slow = (
        np.stack([getattr(c, name).reshape(shape) for c in curves], -1) for name in ("ocv_v", "fast_ohm", "slow_ohm")
    )
    beside = np.array([_beside_cells(s) for s in plan.stores])
    cell, n = of.cell[:, None, :], len(of.cell)
    beyond, last = len(network.stores) + len(network.converters), len(network.branches) - len(network.paths)
    own = np.repeat(network.tree.own, n, axis=0)
    own[:, :, SET_V] *= of.volts
    own[:, :, LOSS] = of.loss
    return Variants(
        network,
        curves,
        ocv,
        np.maximum(fast - beside, 0.0) * cell + np.minimum(fast, beside),
        slow * cell,
        of.draw,
        network.fixed_ohm[beyond:] * np.where(np.arange(beyond, len(network.branches)) < last, of.wiring[:, None, :], 1.0),
        Boards(own, np.arange(n)[None, :, None]),
    )


def _beside_cells(store: Store) -> float:
    """Resistance of a store that is not its cells': joints and protection. [Ω]"""
    if not isinstance(store, Pack):
        return 0.0
    return store.link_resistance_ohm.likely + (store.protection.resistance_ohm.likely if store.protection else 0.0)
