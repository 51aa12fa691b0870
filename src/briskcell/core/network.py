"""The power tree of a build, solved for every point of a batch at once.

A plan's tree is cut at its stiff sources: packs, and the outputs of converters. Consumers (loads and converter inputs)
draw current through branches (the resistances in their way) from the source of their region. With ``B[c, b] = 1`` where
consumer ``c`` draws through branch ``b``, one backward sweep is ``I @ B`` and one forward sweep ``(I @ B · R) @ B.T``.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import cast

import numpy as np
from numpy.typing import ArrayLike, NDArray

from briskcell.model.parts import STATES, Converter, Fed, Link, Load
from briskcell.model.plan import Plan

from .converters import Losses, losses_of, switching_input_current
from .wiring import link_resistance_ohm

Array = NDArray[np.float64]
Flags = NDArray[np.bool_]

SWEEPS = 24
NEWTON_STEPS = 40
TOLERANCE = 1e-10  # of the source voltage
FLOOR = 0.02  # of the source voltage; nothing works below, and a solution there is a collapse


@dataclass(frozen=True, slots=True, kw_only=True)
class Draws:
    """What loads draw, as ``I = power/V + current + V·conductance``: arrays of shape (..., n_loads)."""

    power_w: Array
    current_a: Array
    conductance_s: Array


@dataclass(frozen=True)
class Network:
    """The compiled tree of a plan: who draws through what. Ids in tuples, incidence in arrays."""

    packs: tuple[str, ...]
    loads: tuple[Load, ...]
    converters: tuple[Converter, ...]
    branches: tuple[str, ...]
    elements: tuple[str, ...]
    branch_of_consumer: Array
    branch_of_element: Array
    element_of_consumer: Array
    source_of_consumer: NDArray[np.intp]
    source_of_element: NDArray[np.intp]
    deepest_first: tuple[int, ...]
    fixed_ohm: Array

    @cached_property
    def consumer_of_source(self) -> Array:
        """Incidence of shape (n_consumers, n_sources)."""
        out = np.zeros((len(self.source_of_consumer), len(self.packs) + len(self.converters)))
        out[np.arange(len(self.source_of_consumer)), self.source_of_consumer] = 1.0
        return out

    @cached_property
    def losses(self) -> tuple[Losses, ...]:
        """Loss coefficients of each converter."""
        return tuple(losses_of(c) for c in self.converters)

    @cached_property
    def position(self) -> dict[str, int]:
        """Element id to its column."""
        return {name: k for k, name in enumerate(self.elements)}


def compile_network(plan: Plan) -> Network:
    """Compile a plan's trees into incidence arrays.

    Parameters
    ----------
    plan : Plan
        A validated plan; its parts hang on packs without rings.

    Returns
    -------
    Network
        Branches are the packs' and converters' own resistances, then the links, in the order of the plan.
    """
    packs = tuple(p.id for p in plan.packs)
    branches = (*packs, *(c.id for c in plan.converters), *(k.id for k in plan.links))
    column = {name: k for k, name in enumerate(branches)}
    sources = {name: k for k, name in enumerate((*packs, *(c.id for c in plan.converters)))}
    fed = [p for p in plan.parts() if isinstance(p, Fed)]
    elements = (*packs, *(p.id for p in fed))

    def path(at: str) -> tuple[str, list[int]]:
        """Source of the region that a node lies in, and the branches from there to the node, the source's included."""
        through = []
        while at not in sources:
            part = cast(Fed, plan.by_id[at])
            if isinstance(part, Link):
                through.append(column[part.id])
            at = part.fed_by
        return at, [*through, column[at]]

    def incidence(nodes: list[str]) -> tuple[Array, NDArray[np.intp]]:
        rows, region = np.zeros((len(nodes), len(branches))), np.zeros(len(nodes), dtype=np.intp)
        for row, node in enumerate(nodes):
            source, through = path(node)
            rows[row, through] = 1.0
            region[row] = sources[source]
        return rows, region

    consumers = (*plan.loads, *plan.converters)
    of_consumer, source_of_consumer = incidence([c.fed_by for c in consumers])
    of_element, source_of_element = incidence([e if not isinstance(plan.by_id[e], Load) else
                                               cast(Load, plan.by_id[e]).fed_by for e in elements])  # fmt: skip
    draws_through = np.zeros((len(consumers), len(elements)))
    for row, consumer in enumerate(consumers):
        if row < len(plan.loads):
            draws_through[row, elements.index(consumer.id)] = 1.0
        at = consumer.fed_by
        draws_through[row, elements.index(at)] = 1.0
        while at not in sources:
            at = cast(Fed, plan.by_id[at]).fed_by
            draws_through[row, elements.index(at)] = 1.0
    depth: dict[str, int] = {}
    for converter in plan.converters:
        at, steps = converter.fed_by, 0
        while (part := plan.by_id[at]) and isinstance(part, Fed):
            steps += isinstance(part, Converter)
            at = part.fed_by
        depth[converter.id] = steps
    order = sorted(range(len(plan.converters)), key=lambda k: -depth[plan.converters[k].id])
    fixed = [0.0] * len(packs) + [c.output_resistance_ohm.likely for c in plan.converters]
    return Network(
        packs=packs,
        loads=plan.loads,
        converters=plan.converters,
        branches=branches,
        elements=elements,
        branch_of_consumer=of_consumer,
        branch_of_element=of_element,
        element_of_consumer=draws_through,
        source_of_consumer=source_of_consumer,
        source_of_element=source_of_element,
        deepest_first=tuple(order),
        fixed_ohm=np.array(fixed + [link_resistance_ohm(k) for k in plan.links]),
    )


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
        likely = getattr(load.draw, state).likely
        if load.kind == "power_w":
            power[k] = likely
        elif load.kind == "current_a":
            current[k] = likely
        else:
            conductance[k] = 1.0 / likely
    return Draws(power_w=power, current_a=current, conductance_s=conductance)


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
    """A solved batch. Arrays have the batch's leading axes; a collapsed point has 0 V and inf A."""

    network: Network
    consumer_v: Array
    consumer_a: Array
    branch_a: Array
    branch_ohm: Array
    source_v: Array
    collapsed: Flags

    @cached_property
    def element_v(self) -> Array:
        """Voltage at the output (of a load: at the terminals) of each element, shape (..., n_elements). [V]"""
        drop = np.where(self.collapsed[..., None], 0.0, self.branch_a * self.branch_ohm)
        volts = self.source_v[..., self.network.source_of_element] - drop @ self.network.branch_of_element.T
        return cast(Array, np.where(self.collapsed[..., None], 0.0, volts))

    @cached_property
    def element_a(self) -> Array:
        """Current through each element (out of it, if it is a pack or converter), shape (..., n_elements). [A]"""
        gone = self.collapsed[..., None]
        amps = np.where(gone, 0.0, self.consumer_a) @ self.network.element_of_consumer
        return cast(Array, np.where(gone, np.inf, amps))

    @cached_property
    def element_w(self) -> Array:
        """Power out of each element, shape (..., n_elements); 0 where nothing can be carried. [W]"""
        return self.element_v * np.where(self.collapsed[..., None], 0.0, self.element_a)

    def pack_a(self, pack: int = 0) -> Array:
        """Current out of a pack, shape (...). [A]"""
        return self.branch_a[..., pack]

    def input_v(self, consumer: int) -> Array:
        """Voltage at a consumer's terminals; loads come first, then converters. [V]"""
        return self.consumer_v[..., consumer]

    def output_a(self, converter: int) -> Array:
        """Current out of a converter. [A]"""
        return self.branch_a[..., len(self.network.packs) + converter]


def solve(network: Network, ocv_v: ArrayLike, pack_ohm: ArrayLike, draws: Draws) -> Flow:
    """Solve a tree by backward/forward sweeps, every point of the batch at once.

    The sweep [1]_ starts from the sources' voltages and falls monotonically to the upper solution where loads draw
    constant power, so a point past the nose of its curve never settles. What has not settled after a few sweeps is
    finished by Newton's method on the same sweep; what that does not settle has no solution.

    Parameters
    ----------
    network : Network
        Compiled tree with n_packs packs and n_loads loads.
    ocv_v : array_like, shape (..., n_packs)
        Open-circuit voltage of each pack. [V]
    pack_ohm : array_like, shape (..., n_packs)
        Resistance of each pack. [Ω]
    draws : Draws
        Arrays of shape (..., n_loads).

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
    ohm = np.asarray(pack_ohm, dtype=float)
    batch = np.broadcast_shapes(ocv.shape[:-1], ohm.shape[:-1], draws.power_w.shape[:-1])
    n_packs = len(network.packs)
    R = np.empty((*batch, len(network.branches)))
    R[...] = network.fixed_ohm
    R[..., :n_packs] = ohm
    given = _Given(network, np.broadcast_to(ocv, (*batch, n_packs)), R, draws)
    V = given.start()
    scale = np.maximum(np.abs(V), 1e-3)
    settled = np.zeros(batch, dtype=bool)
    for _ in range(SWEEPS):
        new = given.sweep(V)
        settled = np.asarray((np.abs(new - V) <= TOLERANCE * scale).all(-1))
        V = new
        if settled.all():
            break
    lost: Flags = np.asarray(~settled)
    if lost.any():
        V[lost], unsolved = _newton(given.only(lost), V[lost], scale[lost])
        lost[lost] = unsolved
    lost = lost | (FLOOR * scale > V).any(-1)
    return given.flow(V, lost)


@dataclass(frozen=True)
class _Given:
    """One batch to solve: its sources, resistances and draws."""

    network: Network
    ocv: Array
    R: Array
    draws: Draws

    def only(self, points: Flags) -> _Given:
        """The chosen points, flattened, with an axis for the columns of a Jacobian."""
        shape = points.shape

        def pick(a: Array) -> Array:
            return np.broadcast_to(a, (*shape, a.shape[-1]))[points][:, None, :]

        d = self.draws
        draws = Draws(power_w=pick(d.power_w), current_a=pick(d.current_a), conductance_s=pick(d.conductance_s))
        return _Given(self.network, pick(self.ocv), pick(self.R), draws)

    def start(self) -> Array:
        """Every consumer at the unloaded voltage of its source."""
        return self._sources(None)[..., self.network.source_of_consumer]

    def _sources(self, V: Array | None) -> Array:
        n_loads, n_packs = len(self.network.loads), len(self.network.packs)
        batch = self.R.shape[:-1] if V is None else np.broadcast_shapes(self.R.shape[:-1], V.shape[:-1])
        out = np.empty((*batch, n_packs + len(self.network.converters)))
        out[..., :n_packs] = self.ocv
        for k in reversed(self.network.deepest_first):
            converter = self.network.converters[k]
            set_v = converter.output_v.likely
            # Before the first sweep a converter's input is taken unloaded.
            if V is None:
                at = out[..., self.network.source_of_consumer[n_loads + k]]
            else:
                at = V[..., n_loads + k]
            if converter.kind == "boost":
                out[..., n_packs + k] = np.maximum(set_v, at)
            else:
                out[..., n_packs + k] = np.minimum(set_v, np.maximum(at - converter.dropout_v.likely, 0.0))
        return out

    def currents(self, V: Array, sources: Array) -> Array:
        """Backward: the current of every consumer at these voltages."""
        net, n_loads, n_packs = self.network, len(self.network.loads), len(self.network.packs)
        amps = np.zeros(V.shape)
        floor = np.maximum(V, FLOOR * np.abs(sources[..., net.source_of_consumer]) + 1e-6)
        load_v = floor[..., :n_loads]
        d = self.draws
        amps[..., :n_loads] = d.power_w / load_v + d.current_a + load_v * d.conductance_s
        for k in net.deepest_first:
            out_a = amps @ net.consumer_of_source[:, n_packs + k]
            at, column = floor[..., n_loads + k], n_loads + k
            if net.converters[k].kind == "linear":
                amps[..., column] = out_a + net.losses[k].quiescent_a
            else:
                taken = switching_input_current(np.maximum(out_a, 0.0) * sources[..., n_packs + k], at, net.losses[k])
                # Past what its own loss lets through: ask for enough to drive the sweep down, never for inf.
                amps[..., column] = np.where(np.isinf(taken), 1e3, taken)
        return amps

    def sweep(self, V: Array) -> Array:
        """Backward and forward once."""
        sources = self._sources(V)
        amps = self.currents(V, sources)
        B = self.network.branch_of_consumer
        return sources[..., self.network.source_of_consumer] - ((amps @ B) * self.R) @ B.T

    def flow(self, V: Array, lost: Flags) -> Flow:
        """The settled batch; a lost point shows 0 V and inf A."""
        sources = self._sources(V)
        amps = self.currents(V, sources)
        branch = amps @ self.network.branch_of_consumer
        gone = lost[..., None]
        return Flow(
            network=self.network,
            consumer_v=np.where(gone, 0.0, V),
            consumer_a=np.where(gone, np.inf, amps),
            branch_a=np.where(gone, np.inf, branch),
            branch_ohm=self.R,
            source_v=sources,
            collapsed=lost,
        )


def _newton(given: _Given, V: Array, scale: Array) -> tuple[Array, Flags]:
    """Newton's method on ``V − sweep(V) = 0`` for points of shape (m, n); True where none is found.

    The Jacobian comes by differences, all columns in one batch. Started above the upper solution it falls to it
    monotonically; a point that leaves the range of sensible voltages, or has not settled at the end, is lost.
    """
    n = V.shape[-1]
    V = np.clip(V, FLOOR * scale, scale)
    step = 1e-7 * scale
    eye = np.eye(n)
    settled = np.zeros(V.shape[0], dtype=bool)
    for _ in range(NEWTON_STEPS):
        points = np.concatenate([V[:, None, :], V[:, None, :] + eye * step[:, None, :]], axis=1)
        swept = given.sweep(points)
        residual = V - swept[:, 0, :]
        settled = np.asarray((np.abs(residual) <= 1e-9 * scale).all(-1))
        if settled.all():
            break
        slope = (swept[:, 1:, :] - swept[:, :1, :]) / step[:, :, None]
        jacobian = eye - np.swapaxes(slope, 1, 2)
        singular = np.abs(np.linalg.det(jacobian)) < 1e-12
        jacobian[singular] = eye
        move = np.linalg.solve(jacobian, residual[..., None])[..., 0]
        V = np.where(settled[:, None], V, np.clip(V - move, FLOOR * scale / 2, scale))
    return V, ~settled


def state_draws(network: Network) -> Draws:
    """Likely draws of all three states, shape (3, 1, n_loads), in the order of ``STATES``."""
    return stack([draws_of(network.loads, state) for state in STATES])
