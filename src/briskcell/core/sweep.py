"""The power tree solved for every point of a batch at once, by sweeps and, where they do not settle, by Newton's method."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple, cast

import numpy as np
from numpy.typing import ArrayLike, NDArray

from .kernel import FLOOR, MOST_A, TOLERANCE, Tree, settle, sweep
from .network import Draws, Network

Array = NDArray[np.float64]
Flags = NDArray[np.bool_]

NEWTON_STEPS = 40


@dataclass(frozen=True)
class Flow:
    """A solved batch. Arrays have the batch's leading axes; a collapsed tree has 0 V and inf A at that point.

    ``lost`` says it for each store's tree, ``collapsed`` for any of them.
    """

    network: Network
    consumer_v: Array
    consumer_a: Array
    branch_a: Array
    branch_ohm: Array
    source_v: Array
    lost: Flags

    @cached_property
    def collapsed(self) -> Flags:
        """Points at which some tree collapses, shape (...)."""
        return np.asarray(self.lost.any(axis=-1))

    @cached_property
    def _element_lost(self) -> Flags:
        return self.lost[..., self.network.root_of_source[self.network.source_of_element]]

    @cached_property
    def element_v(self) -> Array:
        """Volts at each element, shape (..., n_elements): at its output, across a load's terminals, over a return."""
        drop = np.where(np.isfinite(self.branch_a), self.branch_a, 0.0) * self.branch_ohm
        fallen = drop @ self.network.branch_of_element.T
        volts = self.source_v[..., self.network.source_of_element] - fallen
        for column in self.network.returns:
            volts[..., column] = fallen[..., column]
        return cast(Array, np.where(self._element_lost, 0.0, volts))

    @cached_property
    def element_a(self) -> Array:
        """Current through each element (out of it, if it is a pack or converter), shape (..., n_elements). [A]"""
        amps = np.where(np.isfinite(self.consumer_a), self.consumer_a, 0.0) @ self.network.element_of_consumer
        return cast(Array, np.where(self._element_lost, np.inf, amps))

    @cached_property
    def element_w(self) -> Array:
        """Power out of each element, shape (..., n_elements); 0 where nothing can be carried. [W]"""
        return self.element_v * np.where(self._element_lost, 0.0, self.element_a)

    def store_a(self, store: int = 0) -> Array:
        """Current out of a store, shape (...). [A]"""
        return self.branch_a[..., store]

    def input_v(self, consumer: int) -> Array:
        """Voltage at a consumer's terminals; loads come first, then converters. [V]"""
        return self.consumer_v[..., consumer]

    def output_a(self, converter: int) -> Array:
        """Current out of a converter. [A]"""
        return self.branch_a[..., len(self.network.stores) + converter]


def solve(network: Network, ocv_v: ArrayLike, store_ohm: ArrayLike, draws: Draws, slow: Slow | None = None,
          link_ohm: ArrayLike | None = None) -> Flow:  # fmt: skip
    """Solve a tree by backward/forward sweeps, every point of the batch at once.

    The sweep [1]_ starts from the sources' voltages and falls monotonically to the upper solution where loads draw
    constant power, so a point past the nose of its curve never settles. What has not settled after a few sweeps is
    finished by Newton's method on the same sweep; what that does not settle has no solution.

    Parameters
    ----------
    network : Network
        Compiled tree with n_stores stores and n_loads loads.
    ocv_v : array_like, shape (..., n_stores)
        Open-circuit voltage of each store. [V]
    store_ohm : array_like, shape (..., n_stores)
        Resistance that a store's current meets at once. [Ω]
    draws : Draws
        Arrays of shape (..., n_loads).
    slow : Slow, optional
        Resistance that another point's current has polarised. Without it ``store_ohm`` is all.
    link_ohm : array_like, shape (..., n_links), optional
        Resistances of the links, in the order of the branches, where they differ from point to point. [Ω]

    Returns
    -------
    Flow
        ``lost`` marks the trees and points that have no solution.

    References
    ----------
    .. [1] D. Shirmohammadi, H. W. Hong, A. Semlyen, G. X. Luo, A compensation-based power flow method for weakly
       meshed distribution and transmission networks, IEEE Trans. Power Systems 3(2), 1988. doi:10.1109/59.192932
    """
    ocv = np.asarray(ocv_v, dtype=float)
    ohm = np.asarray(store_ohm, dtype=float)
    batch = np.broadcast_shapes(ocv.shape[:-1], ohm.shape[:-1], draws.power_w.shape[:-1])
    n_stores = len(network.stores)
    resistance = np.empty((*batch, len(network.branches)))
    resistance[:] = network.fixed_ohm
    resistance[..., :n_stores] = ohm
    if link_ohm is not None:
        resistance[..., n_stores + len(network.converters) :] = link_ohm

    def whole(values: Array) -> Array:
        return np.broadcast_to(values, (*batch, values.shape[-1]))

    arrays = (whole(ocv), resistance, whole(draws.power_w), whole(draws.current_a), whole(draws.conductance_s))
    if slow is None or not n_stores:
        return _solved(network, arrays).flow(network, resistance)
    # Play polarises the cells; a peak rides on that, so it comes after.
    rows = np.arange(batch[0])
    from_row = np.array(slow.from_row)
    steady, riding = rows[from_row == rows], rows[from_row != rows]
    first = _solved(network, tuple(a[steady] for a in arrays))
    on = np.searchsorted(steady, from_row[riding])
    polarised = whole(slow.ohm)[riding] * np.minimum(first.branch_a[on][..., :n_stores], MOST_A)
    then = _solved(network, (arrays[0][riding] - polarised, *(a[riding] for a in arrays[1:])))
    then.lost |= first.lost[on]
    order = np.argsort(np.concatenate([steady, riding]))
    return first.then(then, order).flow(network, resistance)


@dataclass(frozen=True, slots=True)
class Slow:
    """Polarisation on a batch whose first axis are load states: ``ohm`` times the current of row ``from_row[k]``.

    A state that polarises itself has the resistance in ``store_ohm`` already, and ``ohm`` 0 in its row.
    """

    ohm: Array
    from_row: tuple[int, ...]


@dataclass
class _Solved:
    """Unknowns, currents and store voltages of a batch, and which trees have no solution."""

    X: Array
    amps: Array
    branch_a: Array
    open_v: Array
    lost: Flags

    def then(self, other: _Solved, order: NDArray[np.intp]) -> _Solved:
        """Both, along the first axis, in an order."""
        mine, theirs = (vars(s).values() for s in (self, other))
        return _Solved(*(np.concatenate(pair)[order] for pair in zip(mine, theirs, strict=True)))

    def flow(self, network: Network, resistance: Array) -> Flow:
        """What a caller sees; a lost point shows 0 V and inf A."""
        n = len(network.source_of_consumer)
        volts, amps, branch_a = self.X[..., :n], self.amps, self.branch_a
        if self.lost.any():
            gone = self.lost[..., network.root_of_unknown[:n]]
            volts, amps = np.where(gone, 0.0, volts), np.where(gone, np.inf, amps)
            branch_a = np.where((gone @ network.branch_of_consumer) > 0, np.inf, branch_a)
        sources = np.concatenate([self.open_v, self.X[..., n:]], axis=-1)
        return Flow(network, volts, amps, branch_a, resistance, sources, self.lost)


def _solved(network: Network, arrays: tuple[Array, ...]) -> _Solved:
    """Sweeps, then Newton's method where they did not settle; arrays of shape (..., n) for n stores, branches or loads."""
    batch, n_stores = arrays[0].shape[:-1], len(network.stores)
    points = math.prod(batch)
    given = _Given(network.tree, *(np.ascontiguousarray(a).reshape(points, a.shape[-1]) for a in arrays))
    unknowns = len(network.root_of_unknown)
    X, scale = np.empty((points, unknowns)), np.empty((points, unknowns))
    amps, branch_a = np.empty((points, len(network.source_of_consumer))), np.empty((points, len(network.branches)))
    left = settle(*given, X, scale, amps, branch_a)
    wrong = FLOOR * scale > X
    if left.size:
        chosen, size = given.only(left), scale[left]
        X[left] = _newton(chosen, X[left], size)
        # A point that one tree cannot carry is still settled for the others.
        new, amps[left], branch_a[left] = chosen.sweep(X[left], size)
        wrong[left] = (np.abs(new - X[left]) > 1e-6 * size) | (FLOOR * size > X[left])
    lost = np.zeros((points, n_stores), dtype=bool)
    if wrong.any():
        for store in range(n_stores):
            lost[:, store] = wrong[:, network.root_of_unknown == store].any(axis=1)
    shaped = (a.reshape(*batch, a.shape[-1]) for a in (X, amps, branch_a, given.ocv, lost))
    return _Solved(*shaped)


class _Given(NamedTuple):
    """One batch to solve: arrays of one row a point, one column a store, branch or load."""

    tree: Tree
    ocv: Array
    R: Array
    power_w: Array
    current_a: Array
    conductance_s: Array

    def only(self, points: NDArray[np.intp], times: int = 1) -> _Given:
        """Some of the points, each repeated for the columns of its Jacobian."""
        return _Given(self.tree, *(np.repeat(a[points], times, axis=0) for a in self[1:]))

    def sweep(self, X: Array, scale: Array) -> tuple[Array, Array, Array]:
        """Backward and forward once: the new unknowns, and the currents of consumers and branches on the way."""
        amps, branch_a, new = np.empty((len(X), len(self.tree.source))), np.empty(self.R.shape), np.empty(X.shape)
        sweep(self.tree, np.arange(len(X)), *self[1:], X, scale, amps, branch_a, new)
        return new, amps, branch_a


def _newton(given: _Given, X: Array, scale: Array) -> Array:
    """Newton's method on ``X − sweep(X) = 0`` for points of shape (m, n).

    The Jacobian comes by differences, all columns in one batch. Started above the upper solution it falls to it
    monotonically and never below, so a point that reaches the floor has no solution and is dropped at once.
    """
    m, n = X.shape
    X = np.clip(X, FLOOR * scale, scale)
    left = np.arange(m)
    nudge = np.concatenate([np.zeros((1, n)), np.eye(n)])
    for _ in range(NEWTON_STEPS):
        here, size = X[left], scale[left]
        step = 1e-7 * size
        points = (here[:, None, :] + nudge * step[:, None, :]).reshape(-1, n)
        new = given.only(left, n + 1).sweep(points, np.repeat(size, n + 1, axis=0))[0].reshape(len(left), n + 1, n)
        residual = here - new[:, 0]
        settled = (np.abs(residual) <= TOLERANCE * size).all(1)
        jacobian = np.eye(n) - np.moveaxis((new[:, 1:] - new[:, :1]) / step[:, :, None], 1, 2)
        jacobian[np.abs(np.linalg.det(jacobian)) < 1e-12] = np.eye(n)
        move = np.linalg.solve(jacobian, residual[..., None])[..., 0]
        next_x = np.minimum(here - move, size)
        sunk = (next_x <= FLOOR * size).any(1)
        X[left] = np.where(settled[:, None], here, np.maximum(next_x, FLOOR * size / 2))
        left = left[~settled & ~sunk]
        if not left.size:
            break
    return X
