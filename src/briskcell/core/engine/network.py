"""The power tree of a build, compiled into incidence arrays; ``sweep`` solves it.

A plan's tree is cut at its stiff sources: stores, and the outputs of converters. Consumers (loads and converter inputs)
draw current through branches (the resistances in their way) from the source of their region. With ``B[c, b] = 1`` where
consumer ``c`` draws through branch ``b``, one backward sweep is ``I @ B`` and one forward sweep ``(I @ B · R) @ B.T``.
A return that several loads share is a branch of them all, in whatever region they lie. Where a second source meets a rail, the
net is cut there: what flows in is drawn from the one and given to the other, a pair of consumers that belong to no part [1]_.

References
----------
.. [1] D. Shirmohammadi, H. W. Hong, A. Semlyen, G. X. Luo, A compensation-based power flow method for weakly meshed distribution
   and transmission networks, IEEE Trans. Power Systems 3(2), 1988. doi:10.1109/59.192932
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import cast

import numpy as np
from numpy.typing import ArrayLike, NDArray

from briskcell.core.engine.converters import KIND, Losses, losses_of
from briskcell.core.engine.kernel import LOSS, Tree
from briskcell.core.engine.meetings import Meeting, meetings_of
from briskcell.core.engine.resistance import link_resistance_ohm
from briskcell.model.parts import STATES, Converter, Fed, Link, Load
from briskcell.model.plan import Plan
from briskcell.model.stores import Bank, ChargeBoard
from briskcell.model.tree import board_of, charged_through, feeder_outside, layout_of, on_supply

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class Draws:
    """What loads draw, as ``I = power/V + current + V·conductance``: arrays of shape (..., n_loads)."""

    power_w: Array
    current_a: Array
    conductance_s: Array


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
    drop_v: Array
    paths: tuple[ChargeBoard, ...] = ()
    meetings: tuple[Meeting, ...] = ()

    @property
    def first_board(self) -> int:
        """Consumer that the first converter is: past the loads, and a pair for each meeting."""
        return len(self.loads) + 2 * len(self.meetings)

    @cached_property
    def joined_diodes(self) -> tuple[tuple[int, int], ...]:
        """Elements of diodes that end on a rail as its second source, each with that of the rail."""
        return tuple((self.position[m.other], self.position[m.rail]) for m in self.meetings if m.by_diode)

    def hanging(self, converter: int) -> list[int]:
        """The loads that a converter feeds without another between."""
        return np.flatnonzero(self.source_of_consumer[: len(self.loads)] == len(self.stores) + converter).tolist()

    def path_ohm(self, store: int) -> float:
        """Resistance of the power path between a store and the console, on battery; 0 where there is none. [Ω]"""
        return sum(float(self.fixed_ohm[self.branch[b.id]]) for b in self.paths if b.charges == self.stores[store])

    @cached_property
    def losses(self) -> tuple[Losses, ...]:
        """Loss coefficients of each converter."""
        return tuple(losses_of(c) for c in self.converters)

    @cached_property
    def root_of_source(self) -> NDArray[np.intp]:
        """Store that each source is fed from in the end: a store on itself, a converter on that of its input."""
        n_stores, first = len(self.stores), self.first_board
        out = np.arange(n_stores + len(self.converters))
        for k in reversed(self.deepest_first):
            out[n_stores + k] = out[self.source_of_consumer[first + k]]
        return out

    def source_of_converter(self, converter: int) -> int:
        """Source that a converter draws from: a store, or past the stores another converter."""
        return int(self.source_of_consumer[self.first_board + converter])

    def store_of_converter(self, converter: int) -> int:
        """Store that a converter is fed from in the end."""
        return int(self.root_of_source[len(self.stores) + converter])

    def store_of_load(self, load: int) -> int:
        """Store that a load is fed from in the end."""
        return int(self.root_of_source[self.source_of_consumer[load]])

    def store_of(self, element: str) -> int:
        """Store that an element is fed from in the end; a store is its own."""
        return int(self.root_of_source[self.source_of_element[self.position[element]]])

    @cached_property
    def root_of_unknown(self) -> NDArray[np.intp]:
        """Store behind each unknown of a sweep: the consumers, then the converters' outputs."""
        roots = self.root_of_source
        return np.concatenate([roots[self.source_of_consumer], roots[len(self.stores) :]])

    @cached_property
    def tree(self) -> Tree:
        """The same as flat arrays, for the compiled loops."""
        rows, branch = np.nonzero(self.branch_of_consumer)
        own = np.zeros((len(self.converters), 9))
        own[:, LOSS] = 1.0
        tables = [loss.table for loss in self.losses]
        size = np.array([(len(t.input_v), len(t.output_a)) if t else (0, 0) for t in tables], dtype=np.intp).reshape(-1, 2)
        most_rows, most_columns = size.max(axis=0, initial=1)
        at_v, at_a = np.zeros((len(tables), most_rows)), np.zeros((len(tables), most_columns))
        values = np.zeros((len(tables), most_rows, most_columns))
        for k, (c, loss, table) in enumerate(zip(self.converters, self.losses, tables, strict=True)):
            own[k, :3] = c.output_v.likely, c.dropout_v.likely, c.dropout_ohm.likely
            own[k, 3:LOSS] = loss.quiescent_a, loss.drop_v, loss.resistance_ohm, loss.efficiency, loss.switching
            if table:
                r, n = size[k]
                at_v[k, :r], at_a[k, :n], values[k, :r, :n] = table.input_v, table.output_a, table.efficiency
        return Tree(
            n_stores=len(self.stores),
            source=self.source_of_consumer,
            start=np.searchsorted(rows, np.arange(len(self.source_of_consumer) + 1)),
            branch=np.ascontiguousarray(branch),
            deepest_first=np.array(self.deepest_first, dtype=np.intp),
            kind=np.array([KIND[c.kind] for c in self.converters], dtype=np.intp),
            own=own[None],
            table_size=size,
            table_v=at_v,
            table_a=at_a,
            table=values,
            drop_v=self.drop_v,
            most_s=np.concatenate([[most_conductance_s(p) for p in self.loads], np.full(2 * len(self.meetings), np.inf)]),
        )

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
        A validated plan; its parts are fed from stores without rings. What is fed from a supply is no part of it.

    Returns
    -------
    Network
        Branches are the stores' and converters' own resistances, then the links, in the order of the plan, then the paths of
        power-path boards from the cells to their system output.
    """
    stores = tuple(p.id for p in plan.stores)
    charge_side = any(plan.fed.get(s.id) for s in plan.supplies)
    fed = [p for p in plan.parts() if isinstance(p, Fed) and not (charge_side and on_supply(plan, p))]
    links = [p for p in fed if isinstance(p, Link)]
    paths = battery_paths(plan)
    branches = (*stores, *(c.id for c in plan.converters), *(k.id for k in links), *(b.id for b in paths))
    column = {name: k for k, name in enumerate(branches)}
    sources = {name: k for k, name in enumerate((*stores, *(c.id for c in plan.converters)))}
    elements = (*stores, *(p.id for p in fed), *(b.id for b in paths))
    place = {name: k for k, name in enumerate(elements)}

    meetings = meetings_of(plan)
    routes = _Routes(plan, sources, paths, {m.rail: m.main for m in meetings})
    met = [routes.path(at) for m in meetings for at in (m.rail, m.other)]
    consumers = (*plan.loads, *(None for _ in met), *plan.converters)
    ways = [*(routes.above(c) for c in plan.loads), *met, *(routes.above(c) for c in plan.converters)]
    backs = [routes.back(c) for c in consumers]
    own = [[c.id] if isinstance(c, Load) else [] for c in consumers]
    both = [way + ret for way, ret in zip(ways, backs, strict=True)]
    back_of = {c.id: ret for c, ret in zip(consumers, backs, strict=True) if ret and c is not None}
    element_ways = [[name] if name in stores else routes.path(routes.load_parent.get(name, name)) for name in elements]
    of_consumer = _incidence(both, column)
    # What comes in at a meeting flows through the rail too: it lowers what comes from above that alone.
    passed = [[n for n in way if n != meetings[k // 2].rail] if k % 2 == 0 else way for k, way in enumerate(met)]
    flowing = [*both[: len(plan.loads)], *passed, *both[len(plan.loads) + len(met) :]]
    through = _incidence([way + mine for way, mine in zip(flowing, own, strict=True)], place)
    of_element = _incidence([way + back_of.get(name, []) for name, way in zip(elements, element_ways, strict=True)], column)
    source_of_consumer = np.array([sources[way[-1]] for way in ways], dtype=np.intp)
    source_of_element = np.array([sources[way[-1]] for way in element_ways], dtype=np.intp)
    returns_at = tuple(k for k, n in enumerate(elements) if isinstance(p := plan.by_id[n], Link) and p.kind == "return")
    for row in returns_at:
        # The rise of a return above the negative is the drop of its own chain alone, without the store's.
        of_element[row, : len(sources)] = 0.0
    order = sorted(range(len(plan.converters)), key=lambda k: -_depth(plan, plan.converters[k]))
    fixed = [0.0] * len(stores) + [c.output_resistance_ohm.likely for c in plan.converters]
    fixed += [link_resistance_ohm(k) for k in links]
    fixed += [b.battery_path_ohm.likely if b.battery_path_ohm else 0.0 for b in paths]
    drop = np.zeros(len(branches))
    drop[[column[k.id] for k in links if k.drop_v]] = [k.drop_v.likely for k in links if k.drop_v]
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
        fixed_ohm=np.array(fixed),
        drop_v=drop,
        paths=paths,
        meetings=meetings,
    )


def battery_paths(plan: Plan) -> tuple[ChargeBoard, ...]:
    """The power-path boards whose way from the cells to the console is known: the console of their store hangs behind them.

    Parameters
    ----------
    plan : Plan
        The build.

    Returns
    -------
    tuple of ChargeBoard
        One of each store at most.
    """
    boards = [b for b in plan.chargers if not isinstance(plan.by_id[b.charges], Bank)]  # a bank is a box of its own
    known = [b for b in boards if b.battery_path_ohm is not None and layout_of(plan, b) == "power_path"]
    return tuple({b.charges: b for b in reversed(known)}.values())


class _Routes:
    """The ways through a plan's trees, each from a node up to the source of its region, both included."""

    def __init__(self, plan: Plan, sources: dict[str, int], paths: tuple[ChargeBoard, ...], main_of: dict[str, str]) -> None:
        self._plan, self._sources, self._main_of = plan, sources, main_of
        on_board = {b.id for b in paths if charged_through(plan, b) is not None}
        self._path_of = {b.charges: b.id for b in paths if b.id not in on_board}
        self._path_on = {cast(str, b.half_of): b.id for b in paths if b.id in on_board}
        self._known: dict[str, list[str]] = {}
        self.load_parent = {part.id: part.fed_by for part in plan.loads}

    def above(self, part: Fed, at: str = "") -> list[str]:
        """The way of what feeds a part; with the power path of the board that it comes on, where the cells come in there."""
        way = self.path(at or part.fed_by)
        path = self._path_on.get(board_of(part)) if self._path_on else None
        return way if path is None or feeder_outside(self._plan, part) is not part else [path, *way]

    def path(self, at: str) -> list[str]:
        """From a node to its source; past a load, whose own draw what it passes on is not, and by a store's power path."""
        if at not in self._known:
            part = self._plan.by_id[at]
            if at in self._path_of:
                self._known[at] = [self._path_of[at], at]
            elif isinstance(part, ChargeBoard):
                whole = cast(Fed, self._plan.by_id[part.half_of]) if part.half_of in self._path_on else None
                first = feeder_outside(self._plan, whole) if whole else None
                self._known[at] = [at, *self.path(first.fed_by)] if first else [at, part.charges]
            else:
                above = [] if at in self._sources else self.above(cast(Fed, part), self._main_of.get(at, ""))
                self._known[at] = above if at in self.load_parent else [at, *above]
        return self._known[at]

    def back(self, part: object) -> list[str]:
        """The shared returns of a load, down to the source's negative."""
        at, out = part.return_by if isinstance(part, Load) else None, []
        while at is not None and at not in self._sources:
            out.append(at)
            at = cast(Fed, self._plan.by_id[at]).fed_by
        return out


def _incidence(ways: list[list[str]], column: dict[str, int]) -> Array:
    """1 where a row's way goes through a column's element; elements without a column are passed over."""
    out = np.zeros((len(ways), len(column)))
    met = [(row, column[name]) for row, way in enumerate(ways) for name in way if name in column]
    if met:
        rows, columns = zip(*met, strict=True)
        out[rows, columns] = 1.0
    return out


def _depth(plan: Plan, converter: Converter) -> int:
    at, steps = converter.fed_by, 0
    while isinstance(part := plan.by_id[at], Fed):
        steps += isinstance(part, Converter)
        at = part.fed_by
    return steps


def most_conductance_s(load: Load) -> float:
    """The most that a load takes of its volts, as a conductance: of an amplifier with its speaker in a bridge, ``1/2R``.

    Parameters
    ----------
    load : Load
        Any load.

    Returns
    -------
    float
        Inf of what is no amplifier, or does not say what speaker it has. [S]

    References
    ----------
    D. Self, Audio Power Amplifier Design, 6th ed., 2013, ch. 1: a bridge gives a sine of its supply's height, V²/2R.
    """
    return math.inf if load.speaker_ohm is None else 0.5 / load.speaker_ohm.likely


def draws_of(loads: tuple[Load, ...], state: str) -> Draws:
    """Likely draw of each load in one state.

    Parameters
    ----------
    loads : tuple of Load
        The loads.
    state : str
        ``rest``, ``play`` or ``peak``.

    Returns
    -------
    Draws
        Arrays of shape (n_loads,); one of the three terms is non-zero per load.
    """
    likely = [getattr(load.draw, state).likely for load in loads]
    return _draws(loads, likely, setting_factors(loads)[STATES.index(state)])


def _draws(loads: tuple[Load, ...], likely: ArrayLike, factor: ArrayLike) -> Draws:
    """Figures of shape (..., n_loads), each in its load's unit, at its settings."""
    kinds = np.array([load.kind for load in loads], dtype=object)
    ohms, figures = kinds == "resistance_ohm", np.asarray(likely, dtype=float)
    scaled = np.divide(1.0, figures, out=figures.copy(), where=ohms) * factor
    power, current, conductance = (np.where(kinds == k, scaled, 0.0) for k in ("power_w", "current_a", "resistance_ohm"))
    return Draws(power_w=power, current_a=current, conductance_s=conductance)


def setting_factors(loads: tuple[Load, ...]) -> NDArray[np.float64]:
    """What the settings make of each load's stated draw: each governs a share of it, in proportion to its position.

    Figures hold at the position they were quoted at. A peak is the most that a part takes, so a setting above that
    position does not raise it.

    Parameters
    ----------
    loads : tuple of Load
        With brightness, volume or the like.

    Returns
    -------
    ndarray, shape (3, n_loads)
        Factors on the draws, in the order of ``STATES``.
    """
    factor = np.ones(len(loads))
    for k, load in enumerate(loads):
        for s in load.settings:
            factor[k] *= (1.0 - s.share * (1.0 - s.position)) / max(1.0 - s.share * (1.0 - s.quoted_at), 1e-6)
    factor = np.maximum(factor, 1e-6)
    return np.stack([factor, factor, np.minimum(factor, 1.0)])


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
    likely = [[getattr(load.draw, state).likely for load in network.loads] for state in STATES]
    shape = (len(STATES), 1, len(network.loads))
    return _draws(network.loads, np.reshape(likely, shape), setting_factors(network.loads).reshape(shape))
