"""The power tree solved for every point of a batch at once, by sweeps and, where they do not settle, by Newton's method."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any, cast

import numpy as np
from numpy.typing import ArrayLike, NDArray

from .converters import stiff_output_v, switching_input_current
from .network import Draws, Network

Array = NDArray[np.float64]
Flags = NDArray[np.bool_]

SWEEPS = 14
NEWTON_STEPS = 40
TOLERANCE = 1e-8  # of the source voltage
FLOOR = 0.02  # of the source voltage; nothing works below, and a solution there is a collapse


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
    n_stores, points = len(network.stores), int(np.prod(batch))

    def rows(values: Array) -> Array:
        """One row an unknown, one column a point: every operation then runs along memory."""
        return np.ascontiguousarray(np.broadcast_to(values, (*batch, values.shape[-1])).reshape(points, values.shape[-1]).T)

    R = np.empty((len(network.branches), points))
    R[:] = network.fixed_ohm[:, None]
    R[:n_stores] = rows(ohm)
    if link_ohm is not None:
        R[n_stores + len(network.converters) :] = rows(np.asarray(link_ohm, dtype=float))
    open_v = rows(ocv)
    slow_ohm = rows(slow.ohm) if slow is not None and n_stores else None
    riding = list(slow.from_row) if slow is not None else []
    given = _Given(network, open_v.copy(), R, *(rows(d) for d in (draws.power_w, draws.current_a, draws.conductance_s)))
    X = given.start()
    scale = np.maximum(np.abs(X), 1e-3)
    settled, near = np.zeros(points, dtype=bool), TOLERANCE * scale
    before = X
    for sweep in range(SWEEPS):
        new, branch_a = given.sweep(X, scale)
        if slow_ohm is not None:
            # Play polarises the cells; a peak rides on that. The offset settles along with the sweep.
            polarising = branch_a[:n_stores].reshape(n_stores, batch[0], -1)[:, riding].reshape(n_stores, -1)
            np.subtract(open_v, slow_ohm * np.minimum(polarising, 1e3), out=given.ocv)
        change = new - X
        before, X = X, (_extrapolated(before, X, new) if sweep == 2 else new)
        # A sweep after which one point still moves needs no closer look at the others.
        if sweep >= 3 and (np.abs(change, out=change) <= near).all():
            settled[:] = True
            break
    else:
        settled = np.asarray((change <= near).all(0))
    wrong = FLOOR * scale > X
    open_points: Flags = np.asarray(~settled)
    if open_points.any():
        chosen = given.chosen(open_points)
        X[:, open_points] = _newton(chosen, X[:, open_points], scale[:, open_points])
        # A point that one tree cannot carry is still settled for the others.
        moved = np.abs(chosen.sweep(X[:, open_points], scale[:, open_points])[0] - X[:, open_points])
        wrong[:, open_points] = (moved > 1e-6 * scale[:, open_points]) | (FLOOR * scale > X)[:, open_points]
    lost: Flags = np.zeros((n_stores, points), dtype=bool)
    for store in range(n_stores):
        lost[store] = wrong[network.root_of_unknown == store].any(axis=0)
    if slow is not None and n_stores:
        by_state = lost.reshape(n_stores, batch[0], -1)
        lost = (by_state | by_state[:, riding]).reshape(n_stores, points)
    return given.flow(X, scale, lost, batch)


def _extrapolated(first: Array, second: Array, third: Array) -> Array:
    """Aitken's estimate of where three sweeps lead, where they shrink steadily; else the third as it is."""
    step, last = second - first, third - second
    with np.errstate(divide="ignore", invalid="ignore"):
        ratio = last / step
        ahead = third + last * ratio / (1.0 - ratio)
    return cast(Array, np.where((ratio > 0.0) & (ratio < 0.5), ahead, third))


@dataclass(frozen=True, slots=True)
class Slow:
    """Polarisation on a batch whose first axis are load states: ``ohm`` times the current of row ``from_row[k]``.

    A state that polarises itself has the resistance in ``store_ohm`` already, and ``ohm`` 0 in its row.
    """

    ohm: Array
    from_row: tuple[int, ...]


@dataclass(frozen=True)
class _Given:
    """One batch to solve: arrays of one row a store, branch or load, one column a point.

    Its unknowns X are the consumers' volts, then the converters' stiff outputs.
    """

    network: Network
    ocv: Array
    R: Array
    power_w: Array
    current_a: Array
    conductance_s: Array

    @cached_property
    def own_ohm(self) -> Array:
        """Resistance that each consumer has to itself."""
        return self.network.own_of_consumer @ self.R

    @cached_property
    def shared_ohm(self) -> Array:
        """Resistance of the branches that several share."""
        return self.R[self.network.shared]

    def chosen(self, points: Flags) -> _Given:
        """Some of the points."""
        arrays = (self.ocv, self.R, self.power_w, self.current_a, self.conductance_s)
        return _Given(self.network, *(a[:, points] for a in arrays))

    def only(self, points: NDArray[np.intp]) -> _Given:
        """Some of the points, each repeated for the columns of its Jacobian."""
        times = len(self.network.source_of_consumer) + len(self.network.converters) + 1
        arrays = (self.ocv, self.R, self.power_w, self.current_a, self.conductance_s)
        return _Given(self.network, *(np.repeat(a[:, points], times, axis=1) for a in arrays))

    def start(self) -> Array:
        """Every consumer and every converter at its unloaded voltage."""
        net = self.network
        n_loads, n_stores = len(net.loads), len(net.stores)
        sources = np.empty((n_stores + len(net.converters), self.R.shape[1]))
        sources[:n_stores] = self.ocv
        for k in reversed(net.deepest_first):
            sources[n_stores + k] = stiff_output_v(net.converters[k], sources[net.source_of_consumer[n_loads + k]], 0.0)
        return np.concatenate([sources[net.source_of_consumer], sources[n_stores:]])

    def currents(self, X: Array, scale: Array) -> Array:
        """Backward: the current of every consumer at these voltages."""
        net, n_loads, n_stores = self.network, len(self.network.loads), len(self.network.stores)
        n = len(net.source_of_consumer)
        volts = np.maximum(X[:n], FLOOR * scale[:n])
        amps = np.zeros((n, X.shape[1]))
        load_v = volts[:n_loads]
        np.divide(self.power_w, load_v, out=amps[:n_loads])
        amps[:n_loads] += self.current_a
        amps[:n_loads] += load_v * self.conductance_s
        for k in net.deepest_first:
            out_a, row = net.consumer_of_source[:, n_stores + k] @ amps, n_loads + k
            if net.converters[k].kind == "linear":
                amps[row] = out_a + net.losses[k].quiescent_a
            else:
                taken = switching_input_current(out_a * X[n + k], volts[row], net.losses[k], out_a)
                # Past what its own loss lets through: ask for enough to drive the sweep down, never for inf.
                amps[row] = np.minimum(taken, 1e3)
        return amps

    def sweep(self, X: Array, scale: Array) -> tuple[Array, Array]:
        """Backward and forward once: the new unknowns, and the currents of stores and converters on the way."""
        net = self.network
        n, n_loads, n_stores = len(net.source_of_consumer), len(net.loads), len(net.stores)
        amps = self.currents(X, scale)
        shared_a = net.shared_of_consumer.T @ amps
        fallen = net.shared_of_consumer @ (shared_a * self.shared_ohm)
        fallen += amps * self.own_ohm
        sources = np.concatenate([self.ocv, X[n:]])
        # A shallower converter's new output feeds the deeper ones in the same sweep.
        for k in reversed(net.deepest_first):
            at = sources[net.source_of_consumer[n_loads + k]] - fallen[n_loads + k]
            sources[n_stores + k] = stiff_output_v(net.converters[k], at, shared_a[n_stores + k])
        new = np.empty(X.shape)
        np.subtract(sources[net.source_of_consumer], fallen, out=new[:n])
        new[n:] = sources[n_stores:]
        return new, shared_a

    def flow(self, X: Array, scale: Array, lost: Flags, batch: tuple[int, ...]) -> Flow:
        """The settled batch; a lost point shows 0 V and inf A."""
        net = self.network
        n = len(net.source_of_consumer)
        amps = self.currents(X, scale)
        branch_a = net.branch_of_consumer.T @ amps
        lost_consumer = lost[net.root_of_unknown[:n]]
        lost_branch = (net.branch_of_consumer.T @ lost_consumer) > 0 if lost.any() else np.zeros(branch_a.shape, dtype=bool)

        def shaped(rows: NDArray[Any]) -> NDArray[Any]:
            return rows.T.reshape(*batch, rows.shape[0])

        return Flow(
            network=self.network,
            consumer_v=shaped(np.where(lost_consumer, 0.0, X[:n])),
            consumer_a=shaped(np.where(lost_consumer, np.inf, amps)),
            branch_a=shaped(np.where(lost_branch, np.inf, branch_a)),
            branch_ohm=shaped(self.R),
            source_v=shaped(np.concatenate([self.ocv, X[n:]])),
            lost=shaped(lost),
        )


def _newton(given: _Given, X: Array, scale: Array) -> Array:
    """Newton's method on ``X − sweep(X) = 0`` for points of shape (n, m).

    The Jacobian comes by differences, all columns in one batch. Started above the upper solution it falls to it
    monotonically and never below, so a point that reaches the floor has no solution and is dropped at once.
    """
    n, m = X.shape
    X = np.clip(X, FLOOR * scale, scale)
    left = np.arange(m)
    nudge = np.concatenate([np.zeros((n, 1)), np.eye(n)], axis=1)
    for _ in range(NEWTON_STEPS):
        here, size = X[:, left], scale[:, left]
        step = 1e-7 * size
        points = here[:, :, None] + nudge[:, None, :] * step[:, :, None]
        wide = np.repeat(size, n + 1, axis=1)
        swept = given.only(left).sweep(points.reshape(n, -1), wide)[0].reshape(n, len(left), n + 1)
        residual = here - swept[:, :, 0]
        settled = (np.abs(residual) <= TOLERANCE * size).all(0)
        slope = (swept[:, :, 1:] - swept[:, :, :1]) / step.T[None, :, :]
        jacobian = np.eye(n) - np.moveaxis(slope, 1, 0)
        jacobian[np.abs(np.linalg.det(jacobian)) < 1e-12] = np.eye(n)
        move = np.linalg.solve(jacobian, residual.T[..., None])[..., 0].T
        next_x = np.minimum(here - move, size)
        sunk = (next_x <= FLOOR * size).any(0)
        X[:, left] = np.where(settled, here, np.maximum(next_x, FLOOR * size / 2))
        left = left[~settled & ~sunk]
        if not left.size:
            break
    return X
