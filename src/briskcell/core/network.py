"""The power tree of a build, solved for every point of a batch at once.

A plan's tree is cut at its stiff sources: stores, and the outputs of converters. Consumers (loads and converter inputs)
draw current through branches (the resistances in their way) from the source of their region. With ``B[c, b] = 1`` where
consumer ``c`` draws through branch ``b``, one backward sweep is ``I @ B`` and one forward sweep ``(I @ B · R) @ B.T``.
A return that several loads share is a branch of them all, in whatever region they lie.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any, cast

import numpy as np
from numpy.typing import ArrayLike, NDArray

from briskcell.model.parts import STATES, Converter, Fed, Link, Load, Supply
from briskcell.model.plan import Plan

from .converters import Losses, losses_of, stiff_output_v, switching_input_current
from .wiring import link_resistance_ohm

Array = NDArray[np.float64]
Flags = NDArray[np.bool_]

SWEEPS = 14
NEWTON_STEPS = 40
TOLERANCE = 1e-8  # of the source voltage
FLOOR = 0.02  # of the source voltage; nothing works below, and a solution there is a collapse


@dataclass(frozen=True, slots=True, kw_only=True)
class Draws:
    """What loads draw, as ``I = power/V + current + V·conductance``: arrays of shape (..., n_loads)."""

    power_w: Array
    current_a: Array
    conductance_s: Array

    def part(self, which: slice) -> Draws:
        """Some of the first axis."""
        return Draws(power_w=self.power_w[which], current_a=self.current_a[which], conductance_s=self.conductance_s[which])


@dataclass(frozen=True)
class Network:
    """The compiled tree of a plan: who draws through what. Ids in tuples, incidence in arrays."""

    stores: tuple[str, ...]
    loads: tuple[Load, ...]
    converters: tuple[Converter, ...]
    branches: tuple[str, ...]
    elements: tuple[str, ...]
    branch_of_consumer: Array
    branch_of_element: Array
    element_of_consumer: Array
    source_of_consumer: NDArray[np.intp]
    source_of_element: NDArray[np.intp]
    returns: tuple[int, ...]
    deepest_first: tuple[int, ...]
    fixed_ohm: Array

    @cached_property
    def consumer_of_source(self) -> Array:
        """Incidence of shape (n_consumers, n_sources)."""
        out = np.zeros((len(self.source_of_consumer), len(self.stores) + len(self.converters)))
        out[np.arange(len(self.source_of_consumer)), self.source_of_consumer] = 1.0
        return out

    @cached_property
    def losses(self) -> tuple[Losses, ...]:
        """Loss coefficients of each converter."""
        return tuple(losses_of(c) for c in self.converters)

    @cached_property
    def root_of_source(self) -> NDArray[np.intp]:
        """Store that each source hangs on in the end: a store on itself, a converter on that of its input."""
        n_stores, n_loads = len(self.stores), len(self.loads)
        out = np.arange(n_stores + len(self.converters))
        for k in reversed(self.deepest_first):
            out[n_stores + k] = out[self.source_of_consumer[n_loads + k]]
        return out

    @cached_property
    def root_of_unknown(self) -> NDArray[np.intp]:
        """Store behind each unknown of a sweep: the consumers, then the converters' outputs."""
        roots = self.root_of_source
        return np.concatenate([roots[self.source_of_consumer], roots[len(self.stores) :]])

    @cached_property
    def shared(self) -> NDArray[np.intp]:
        """Branches whose current a sweep must know: those of stores and converters, and those of several consumers."""
        several = self.branch_of_consumer.sum(axis=0) > 1
        several[: len(self.stores) + len(self.converters)] = True
        return np.flatnonzero(several)

    @cached_property
    def shared_of_consumer(self) -> Array:
        """Their incidence, shape (n_consumers, n_shared)."""
        return np.ascontiguousarray(self.branch_of_consumer[:, self.shared])

    @cached_property
    def own_of_consumer(self) -> Array:
        """Incidence of the other branches, which one consumer has to itself, shape (n_consumers, n_branches)."""
        out = self.branch_of_consumer.copy()
        out[:, self.shared] = 0.0
        return out

    @cached_property
    def position(self) -> dict[str, int]:
        """Element id to its column."""
        return {name: k for k, name in enumerate(self.elements)}

    @cached_property
    def branch(self) -> dict[str, int]:
        """Branch id to its column."""
        return {name: k for k, name in enumerate(self.branches)}


def compile_network(plan: Plan) -> Network:
    """Compile a plan's trees into incidence arrays.

    Parameters
    ----------
    plan : Plan
        A validated plan; its parts hang on stores without rings. What hangs on a supply is no part of it.

    Returns
    -------
    Network
        Branches are the stores' and converters' own resistances, then the links, in the order of the plan.
    """
    stores = tuple(p.id for p in plan.stores)
    charge_side = any(plan.fed.get(s.id) for s in plan.supplies)
    fed = [p for p in plan.parts() if isinstance(p, Fed) and not (charge_side and _on_a_supply(plan, p))]
    links = [p for p in fed if isinstance(p, Link)]
    branches = (*stores, *(c.id for c in plan.converters), *(k.id for k in links))
    column = {name: k for k, name in enumerate(branches)}
    sources = {name: k for k, name in enumerate((*stores, *(c.id for c in plan.converters)))}
    elements = (*stores, *(p.id for p in fed))
    place = {name: k for k, name in enumerate(elements)}

    known: dict[str, list[str]] = {}

    def path(at: str) -> list[str]:
        """From a node up to the source of its region, both included."""
        if at not in known:
            known[at] = [at] if at in sources else [at, *path(cast(Fed, plan.by_id[at]).fed_by)]
        return known[at]

    def back(part: object) -> list[str]:
        """The shared returns of a load, down to the source's negative."""
        at, out = part.return_by if isinstance(part, Load) else None, []
        while at is not None and at not in sources:
            out.append(at)
            at = cast(Fed, plan.by_id[at]).fed_by
        return out

    consumers = (*plan.loads, *plan.converters)
    of_consumer = np.zeros((len(consumers), len(branches)))
    through = np.zeros((len(consumers), len(elements)))
    source_of_consumer = np.zeros(len(consumers), dtype=np.intp)
    for row, consumer in enumerate(consumers):
        nodes, returns = path(consumer.fed_by), back(consumer)
        own = [consumer.id] if isinstance(consumer, Load) else []
        of_consumer[row, [column[n] for n in (*nodes, *returns) if n in column]] = 1.0
        through[row, [place[n] for n in (*nodes, *returns, *own)]] = 1.0
        source_of_consumer[row] = sources[nodes[-1]]
    of_element = np.zeros((len(elements), len(branches)))
    source_of_element = np.zeros(len(elements), dtype=np.intp)
    for row, name in enumerate(elements):
        part = plan.by_id[name]
        nodes = path(part.fed_by if isinstance(part, Load) else name)
        of_element[row, [column[n] for n in (*nodes, *back(part)) if n in column]] = 1.0
        source_of_element[row] = sources[nodes[-1]]
    returns_at = tuple(k for k, n in enumerate(elements) if isinstance(p := plan.by_id[n], Link) and p.kind == "return")
    for row in returns_at:
        # The rise of a return above the negative is the drop of its own chain alone, without the store's.
        of_element[row, : len(sources)] = 0.0
    order = sorted(range(len(plan.converters)), key=lambda k: -_depth(plan, plan.converters[k]))
    fixed = [0.0] * len(stores) + [c.output_resistance_ohm.likely for c in plan.converters]
    return Network(
        stores=stores,
        loads=plan.loads,
        converters=plan.converters,
        branches=branches,
        elements=elements,
        branch_of_consumer=of_consumer,
        branch_of_element=of_element,
        element_of_consumer=through,
        source_of_consumer=source_of_consumer,
        source_of_element=source_of_element,
        returns=returns_at,
        deepest_first=tuple(order),
        fixed_ohm=np.array(fixed + [link_resistance_ohm(k) for k in links]),
    )


def _on_a_supply(plan: Plan, part: Fed) -> bool:
    at: object = part
    while isinstance(at, Fed):
        at = plan.by_id[at.fed_by]
    return isinstance(at, Supply)


def _depth(plan: Plan, converter: Converter) -> int:
    at, steps = converter.fed_by, 0
    while isinstance(part := plan.by_id[at], Fed):
        steps += isinstance(part, Converter)
        at = part.fed_by
    return steps


def draws_of(loads: tuple[Load, ...], state: str) -> Draws:
    """Likely draw of each load in one state, as arrays of shape (n_loads,).

    Parameters
    ----------
    loads : tuple of Load
        The loads.
    state : str
        ``rest``, ``play`` or ``peak``.

    Returns
    -------
    Draws
        One of the three terms is non-zero per load.
    """
    power, current, conductance = (np.zeros(len(loads)) for _ in range(3))
    for k, load in enumerate(loads):
        likely = getattr(load.draw, state).likely * setting_factor(load) ** (-1 if load.kind == "resistance_ohm" else 1)
        if load.kind == "power_w":
            power[k] = likely
        elif load.kind == "current_a":
            current[k] = likely
        else:
            conductance[k] = 1.0 / likely
    return Draws(power_w=power, current_a=current, conductance_s=conductance)


def setting_factor(load: Load) -> float:
    """How much a load's settings leave of its draw: each governs a share of it, in proportion to its position.

    Parameters
    ----------
    load : Load
        With brightness, volume or the like.

    Returns
    -------
    float
        1 at full settings.
    """
    factor = 1.0
    for s in load.settings:
        factor *= 1.0 - s.share * (1.0 - s.position)
    return max(factor, 1e-6)


def stack(draws: list[Draws]) -> Draws:
    """Draws of several states on a new leading axis, with a second one of length one for states of charge.

    Parameters
    ----------
    draws : list of Draws
        Arrays of shape (n_loads,).

    Returns
    -------
    Draws
        Arrays of shape (n_states, 1, n_loads).
    """
    return Draws(
        power_w=np.stack([d.power_w for d in draws])[:, None, :],
        current_a=np.stack([d.current_a for d in draws])[:, None, :],
        conductance_s=np.stack([d.conductance_s for d in draws])[:, None, :],
    )


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
        ``collapsed`` marks the points that have no solution.

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
        before, X = X, (_extrapolated(before, X, new) if sweep in (2, 4, 6) else new)
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


def state_draws(network: Network) -> Draws:
    """Likely draws of all three states.

    Parameters
    ----------
    network : Network
        With n_loads loads.

    Returns
    -------
    Draws
        Arrays of shape (3, 1, n_loads), in the order of ``STATES``.
    """
    return stack([draws_of(network.loads, state) for state in STATES])
