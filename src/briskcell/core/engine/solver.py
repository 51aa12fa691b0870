"""The power tree solved for every point of a batch at once, by sweeps and, where they do not settle, by Newton's method."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple, cast

import numpy as np
from numpy.typing import ArrayLike, NDArray

from briskcell.core.engine.kernel import FLOOR, MOST_A, TOLERANCE, Tree, settle, sweep
from briskcell.core.engine.network import Draws, Network
from briskcell.core.engine.sharing import meet

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
        drop = np.where(np.isfinite(self.branch_a), self.branch_a, 0.0) * self.branch_ohm + self.network.drop_v
        fallen = drop @ self.network.branch_of_element.T
        volts = self.source_v[..., self.network.source_of_element] - fallen
        for column in self.network.returns:
            volts[..., column] = fallen[..., column]
        for diode, rail in self.network.joined_diodes:
            volts[..., diode] = volts[..., rail]  # also while it blocks
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

    def store_v(self, store: int = 0) -> Array:
        """Volts at a store's terminals, shape (...); 0 where its tree collapses. [V]"""
        drop = np.where(self.lost[..., store], 0.0, self.branch_a[..., store]) * self.branch_ohm[..., store]
        return np.where(self.lost[..., store], 0.0, self.source_v[..., store] - drop)

    def store_a(self, store: int = 0) -> Array:
        """Current out of a store, shape (...). [A]"""
        return self.branch_a[..., store]

    @property
    def loads_v(self) -> Array:
        """Voltage at the terminals of every load, shape (..., n_loads). [V]"""
        return self.consumer_v[..., : len(self.network.loads)]

    def load_v(self, load: int) -> Array:
        """Voltage at a load's terminals. [V]"""
        return self.consumer_v[..., load]

    def converter_input_v(self, converter: int) -> Array:
        """Voltage at a converter's input. [V]"""
        return self.consumer_v[..., self.network.first_board + converter]

    def converter_input_w(self, converter: int) -> Array:
        """Power into a converter; 0 where its tree collapses. [W]"""
        amps = self.consumer_a[..., self.network.first_board + converter]
        return self.converter_input_v(converter) * np.where(np.isfinite(amps), amps, 0.0)

    def converter_output_w(self, converter: int) -> Array:
        """Power out of a converter; 0 where its tree collapses. [W]"""
        return self.element_w[..., self.network.position[self.network.converters[converter].id]]

    def output_a(self, converter: int) -> Array:
        """Current out of a converter. [A]"""
        return self.branch_a[..., len(self.network.stores) + converter]


def solve(
    network: Network,
    ocv_v: ArrayLike,
    store_ohm: ArrayLike,
    draws: Draws,
    slow: Slow | None = None,
    link_ohm: ArrayLike | None = None,
    boards: Boards | None = None,
) -> Flow:
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
    boards : Boards, optional
        Converters that differ from point to point.

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
    shape = np.broadcast_shapes(ocv.shape[:-1], ohm.shape[:-1], draws.power_w.shape[:-1])
    points, n_stores = math.prod(shape), len(network.stores)
    resistance = np.empty((*shape, len(network.branches)))
    resistance[:] = network.fixed_ohm
    resistance[..., :n_stores] = ohm
    if link_ohm is not None:
        resistance[..., n_stores + len(network.converters) :] = link_ohm

    def rows(values: Array) -> Array:
        """A row a point, in memory of its own."""
        out = np.empty((*shape, values.shape[-1]))
        out[:] = values
        return out.reshape(points, -1) if values.shape[-1] else np.empty((points, 0))

    def drawn(values: Array) -> Array:
        """The same of loads, with the pairs of the meetings behind them, where nothing flows yet."""
        own = rows(values)
        return np.concatenate([own, np.zeros((points, 2 * len(network.meetings)))], axis=1) if network.meetings else own

    tree, variant = network.tree, np.zeros(points, dtype=np.intp)
    if boards is not None:
        tree, variant = tree._replace(own=boards.own), np.broadcast_to(boards.of_point, shape).reshape(-1).astype(np.intp)
    batch = _Batch(
        network,
        _Given(
            tree,
            rows(ocv),
            resistance.reshape(points, len(network.branches)),
            drawn(draws.power_w),
            drawn(draws.current_a),
            drawn(draws.conductance_s),
            variant,
        ),
    )
    at = np.arange(points)
    if slow is None or not n_stores:
        batch.settle(at)
        return batch.flow(shape)
    # Play polarises the cells; a peak rides on that, so it comes after.
    by_row, from_row = at.reshape(shape[0], -1), np.array(slow.from_row)
    rides = from_row != np.arange(shape[0])
    riding, on = by_row[rides].ravel(), by_row[from_row[rides]].ravel()
    batch.settle(by_row[~rides].ravel())
    slow_ohm = np.broadcast_to(slow.ohm, (*shape, n_stores))[rides].reshape(len(riding), n_stores)
    batch.given.ocv[riding] -= slow_ohm * np.minimum(batch.branch_a[on, :n_stores], MOST_A)
    batch.settle(riding)
    batch.lost[riding] |= batch.lost[on]
    return batch.flow(shape)


@dataclass(frozen=True, slots=True)
class Slow:
    """Polarisation on a batch whose first axis are load states: ``ohm`` times the current of row ``from_row[k]``.

    A state that polarises itself has the resistance in ``store_ohm`` already, and ``ohm`` 0 in its row.
    """

    ohm: Array
    from_row: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class Boards:
    """Variants of a network's converters: coefficients as of ``Tree.own``, and which of them holds at each point.

    Attributes
    ----------
    own : ndarray, shape (n_variants, n_converters, 9)
        Coefficients.
    of_point : ndarray of int, broadcasts with the batch
        Variant of each point.
    """

    own: Array
    of_point: NDArray[np.intp]


class _Batch:
    """Unknowns, currents and losses of every point, settled some points at a time."""

    def __init__(self, network: Network, given: _Given) -> None:
        self.network, self.given = network, given
        points = len(given.ocv)
        self.X, self.scale = np.empty((points, len(network.root_of_unknown))), np.empty((points, len(network.root_of_unknown)))
        self.amps, self.branch_a = np.empty((points, len(network.source_of_consumer))), np.empty(given.R.shape)
        self.lost: Flags = np.zeros((points, len(network.stores)), dtype=bool)

    def settle(self, points: NDArray[np.intp]) -> None:
        """The currents of some points; where sources meet, with what the second of them gives."""
        self.sweeps(points)
        if self.network.meetings:
            meet(self, points)

    @property
    def drawn_a(self) -> Array:
        """What each load, and each end of a net that was cut, draws besides its power."""
        return self.given.current_a

    def nominal_a(self, points: NDArray[np.intp]) -> Array:
        """About what the loads of some points draw together."""
        given, volts = self.given, self.given.ocv[points].max(axis=1, keepdims=True)
        return np.asarray(
            (given.power_w[points] / volts + given.current_a[points] + volts * given.conductance_s[points]).sum(axis=1)
        )

    def sweeps(self, points: NDArray[np.intp]) -> None:
        """Sweeps, then Newton's method where they did not settle."""
        left = settle(self.given.tree, points, *self.given[1:], self.X, self.scale, self.amps, self.branch_a)
        wrong = self.X[points] < FLOOR * self.scale[points]
        if left.size:
            chosen, size = self.given.only(left), self.scale[left]
            self.X[left] = X = _newton(chosen, self.X[left], size)
            # A point that one tree cannot carry is still settled for the others.
            new, self.amps[left], self.branch_a[left] = chosen.sweep(X, size)
            wrong[np.searchsorted(points, left)] = (np.abs(new - X) > 1e-6 * size) | (FLOOR * size > X)
        if wrong.any() or self.network.meetings:
            for store in range(len(self.network.stores)):
                self.lost[points, store] = wrong[:, self.network.root_of_unknown == store].any(axis=1)

    def flow(self, shape: tuple[int, ...]) -> Flow:
        """What a caller sees; a lost point shows 0 V and inf A."""
        network, n = self.network, self.amps.shape[1]
        volts, amps, branch_a = self.X[:, :n], self.amps, self.branch_a
        if self.lost.any():
            gone = self.lost[:, network.root_of_unknown[:n]]
            volts, amps = np.where(gone, 0.0, volts), np.where(gone, np.inf, amps)
            branch_a = np.where((gone @ network.branch_of_consumer) > 0, np.inf, branch_a)
        sources = np.concatenate([self.given.ocv, self.X[:, n:]], axis=1)
        v, a, b, r, s = (x.reshape(*shape, x.shape[1]) for x in (volts, amps, branch_a, self.given.R, sources))
        return Flow(network, v, a, b, r, s, self.lost.reshape(*shape, self.lost.shape[1]))


class _Given(NamedTuple):
    """One batch to solve: arrays of one row a point, one column a store, branch or load."""

    tree: Tree
    ocv: Array
    R: Array
    power_w: Array
    current_a: Array
    conductance_s: Array
    row: NDArray[np.intp]

    def only(self, points: NDArray[np.intp], times: int = 1) -> _Given:
        """Some of the points, each repeated for the columns of its Jacobian."""
        ocv, ohm, power, current, conductance = (np.repeat(a[points], times, axis=0) for a in self[1:6])
        return _Given(self.tree, ocv, ohm, power, current, conductance, np.repeat(self.row[points], times))

    def sweep(self, X: Array, scale: Array) -> tuple[Array, Array, Array]:
        """Backward and forward once: the new unknowns, and the currents of consumers and branches on the way."""
        amps, branch_a, new = np.empty((len(X), len(self.tree.source))), np.empty(self.R.shape), np.empty(X.shape)
        sweep(self.tree, np.arange(len(X)), *self[1:], X, scale, amps, branch_a, new)
        return new, amps, branch_a


def _newton(given: _Given, X: Array, scale: Array) -> Array:
    """Newton's method on ``X − sweep(X) = 0`` for points of shape (m, n).

    The Jacobian comes by differences, all columns in one batch. Started above the upper solution it falls to it
    monotonically and never below, so a point that reaches the floor has no solution and is dropped at once. A resistor
    below its source's resistance throws the sweeps about, and one behind a regulator throws the first step past the bend
    where that drops out: with resistors it starts at the top again, and goes at most half of the way to the floor at once.
    """
    m, n = X.shape
    resistors: Flags = np.asarray(given.conductance_s.any(axis=1))
    X = np.where(resistors[:, None], scale, np.clip(X, FLOOR * scale, scale))
    left = np.arange(m)
    nudge = np.concatenate([np.zeros((1, n)), np.eye(n)])
    for _ in range(NEWTON_STEPS):
        here, size = X[left], scale[left]
        step = 1e-7 * size
        points = (here[:, None, :] + nudge * step[:, None, :]).reshape(-1, n)
        new = given.only(left, n + 1).sweep(points, np.repeat(size, n + 1, axis=0))[0].reshape(len(left), n + 1, n)
        residual = here - new[:, 0]
        settled: Flags = np.asarray((np.abs(residual) <= TOLERANCE * size).all(1))
        jacobian = np.eye(n) - np.moveaxis((new[:, 1:] - new[:, :1]) / step[:, :, None], 1, 2)
        jacobian[np.abs(np.linalg.det(jacobian)) < 1e-12] = np.eye(n)
        move = np.linalg.solve(jacobian, residual[..., None])[..., 0]
        next_x = np.minimum(here - move, size)
        damped = resistors[left, None]
        next_x = np.where(damped, np.maximum(next_x, 0.5 * (here + 0.9 * FLOOR * size)), next_x)
        sunk = (next_x <= FLOOR * size).any(1)
        X[left] = np.where(settled[:, None], here, np.maximum(next_x, FLOOR * size / 2))
        left = left[~settled & ~sunk]
        if not left.size:
            break
    return X
