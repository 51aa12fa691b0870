"""The case as a network of heat: skin, air inside, cells and boards, each with its capacity, joined by films and sheets.

``C·dT/dt = P − K·(T − T_room)`` [1]_ is linear, so that its course is exact at any time: by the eigenvectors of
``C^-½·K·C^-½``.

References
----------
.. [1] F. P. Incropera et al., Fundamentals of Heat and Mass Transfer, 7th ed., Wiley, 2011, ch. 5.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from briskcell.core.engine.operating import Operating
from briskcell.core.heat.case import AIR_OVER_SKIN, CAPACITY, case_conductance, cells_limit_c, touch_limit_c
from briskcell.model.parts import Converter, Load
from briskcell.model.plan import Plan

Array = NDArray[np.float64]
SKIN, AIR, CELLS = 0, 1, 2
SHELL_SHARE = 0.5  # of what is neither cells nor boards, the shell; the rest warms with the air: a guess
CELL_FILM = 9.0  # W/m²K from a cell's side to the air inside
CELL_FREE = 0.5  # of a cell's sides, that neither another cell nor a wall covers: a guess
BOARD_J_K = 8.0  # of a small board with its coil: 10 g of copper, epoxy and ferrite at 0.8 J/gK; typical
CELL_G_AH, CELL_M2 = 20.0, 0.004  # of a cell that states no mass or size: as a 18650 has
LEAST_J_K = 1.0


@dataclass(frozen=True, slots=True)
class HeatNode:
    """One lump: what it is called, the part it stands for, and what it may reach. [°C]"""

    name: str
    element: str
    limit_c: float


@dataclass(frozen=True)
class HeatNetwork:
    """The lumps of a build: capacities [J/K], the conductance matrix between them and the room [W/K], and that to the room."""

    nodes: tuple[HeatNode, ...]
    capacity_j_k: Array
    conductance: Array
    to_room: Array

    @cached_property
    def _modes(self) -> tuple[Array, Array, Array]:
        root = np.sqrt(self.capacity_j_k)
        rates, vectors = np.linalg.eigh(self.conductance / root[:, None] / root[None, :])
        return np.maximum(rates, 1e-12), vectors, root

    def settled(self, watts: Array) -> Array:
        """Rise of each lump over the room, once it no longer changes. [K]

        Parameters
        ----------
        watts : ndarray, shape (n,)
            What is set free in each lump. [W]

        Returns
        -------
        ndarray, shape (n,)
            Kelvin.
        """
        return np.asarray(np.linalg.solve(self.conductance, watts))

    def course(self, watts: Array, seconds: Array, start_k: Array | None = None) -> Array:
        """Rise of each lump over the room in time.

        Parameters
        ----------
        watts : ndarray, shape (n,)
            What is set free in each lump, all the time. [W]
        seconds : ndarray, shape (t,)
            When to look. [s]
        start_k : ndarray, shape (n,), optional
            Rise at the beginning; none where not given. [K]

        Returns
        -------
        ndarray, shape (t, n)
            Kelvin.
        """
        rates, vectors, root = self._modes
        end = self.settled(watts)
        from_end = vectors.T @ (root * ((0.0 if start_k is None else start_k) - end))
        fall = np.exp(-np.outer(seconds, rates)) * from_end
        return np.asarray(end + (fall @ vectors.T) / root)

    @property
    def limits_c(self) -> Array:
        """What each lump may reach in use; inf where nothing is stated. [°C]"""
        return np.array([n.limit_c for n in self.nodes])

    def minutes_to_limits(self, watts: Array, room_c: float, limits_c: Array | None = None) -> list[float | None]:
        """Minutes from a case at room temperature until each lump reaches its limit; None where it never does.

        Parameters
        ----------
        watts : ndarray, shape (n,)
            What is set free in each lump. [W]
        room_c : float
            The room. [°C]
        limits_c : ndarray, shape (n,), optional
            Other limits than those of use. [°C]

        Returns
        -------
        list of float or None
            In the order of ``nodes``.
        """
        end = self.settled(watts)
        out: list[float | None] = []
        for k, limit in enumerate(self.limits_c if limits_c is None else limits_c):
            over = float(limit) - room_c
            if over <= 0:
                out.append(0.0)
            elif end[k] <= over:
                out.append(None)
            else:
                out.append(self._crossing_s(watts, k, over) / 60.0)
        return out

    def _crossing_s(self, watts: Array, lump: int, rise_k: float) -> float:
        """When one lump first passes a rise: by halving, since it only rises from cold."""
        low, high = 0.0, 60.0
        while float(self.course(watts, np.array([high]))[0, lump]) < rise_k and high < 1e7:
            low, high = high, 2.0 * high
        for _ in range(50):
            middle = 0.5 * (low + high)
            if float(self.course(watts, np.array([middle]))[0, lump]) < rise_k:
                low = middle
            else:
                high = middle
        return high


def heat_network(plan: Plan) -> HeatNetwork:
    """The lumps of a build.

    The films inside are such that the air settles where the steady answer has it, ``AIR_OVER_SKIN`` times the skin's rise;
    a board stands its own kelvins a watt over the air.

    Parameters
    ----------
    plan : Plan
        The build.

    Returns
    -------
    HeatNetwork
        Skin, air and cells first, then the boards and loads that state their kelvins a watt.
    """
    out_g = case_conductance(plan.case)
    cells_kg, film_g = _cells(plan)
    stated: tuple[Converter | Load, ...] = (*plan.converters, *plan.loads)
    own = [p for p in stated if _theta(p) is not None]
    whole = plan.case.mass_g / 1e3 * CAPACITY
    cells_j = max(cells_kg * CAPACITY, LEAST_J_K)
    rest = max(whole - cells_j - BOARD_J_K * len(own), 0.1 * whole, LEAST_J_K)
    capacity = np.array([SHELL_SHARE * rest, (1.0 - SHELL_SHARE) * rest, cells_j, *[BOARD_J_K] * len(own)])
    size = len(capacity)
    matrix = np.zeros((size, size))

    def join(a: int, b: int, g: float) -> None:
        matrix[a, a] += g
        matrix[b, b] += g
        matrix[a, b] -= g
        matrix[b, a] -= g

    join(SKIN, AIR, out_g / (AIR_OVER_SKIN - 1.0))
    join(AIR, CELLS, max(film_g, 1e-3))
    for k, part in enumerate(own):
        theta = _theta(part)
        join(AIR, CELLS + 1 + k, 1.0 / max(theta or 0.0, 1e-3))
    room = np.zeros(size)
    room[SKIN] = out_g
    matrix[SKIN, SKIN] += out_g
    nodes = (
        HeatNode("Skin of the case", "", touch_limit_c(plan.brief)),
        HeatNode("Air inside", "", math.inf),
        HeatNode("Cells", plan.packs[0].id if plan.packs else "", cells_limit_c(plan)),
        *(HeatNode(p.name, p.id, _limit_c(p)) for p in own),
    )
    return HeatNetwork(nodes, capacity, matrix, room)


def _theta(part: Converter | Load) -> float | None:
    figure = part.thermal_k_per_w if isinstance(part, Converter) else part.theta_k_per_w
    return None if figure is None else figure.likely


def _limit_c(part: Converter | Load) -> float:
    if isinstance(part, Converter):
        return part.junction_max_c
    return math.inf if part.limit_c is None else part.limit_c


def _cells(plan: Plan) -> tuple[float, float]:
    """Mass of all cells, and the conductance of their free sides to the air. [kg, W/K]"""
    kg = area = 0.0
    for pack in plan.packs:
        cell, count = pack.cell, pack.series * len(pack.string_cells)
        kg += count * (cell.mass_g if cell.mass_g else CELL_G_AH * cell.label_ah.likely) / 1e3
        thick, wide, long = (v / 1e3 if v else 0.0 for v in (cell.thickness_mm, cell.width_mm, cell.length_mm))
        if not thick or not long:
            area += count * CELL_M2
        elif cell.is_round:
            area += count * math.pi * thick * (long + thick / 2.0)
        else:
            area += count * 2.0 * (wide * long + thick * (wide + long))
    return kg, CELL_FILM * CELL_FREE * area


@dataclass(frozen=True, slots=True, kw_only=True)
class WattShare:
    """Where some of the watts become heat: a part, or the wires together."""

    element: str
    name: str
    watts: float


def shares_of_heat(op: Operating, state: int, soc: float = 0.5) -> tuple[WattShare, ...]:
    """Where every watt of the console becomes heat, on battery.

    Parameters
    ----------
    op : Operating
        The solved build.
    state : int
        A load state, as a row of solved arrays.
    soc : float
        State of charge.

    Returns
    -------
    tuple of WattShare
        Loads, boards, stores and wires, the largest first; together what the stores give. Empty where the tree collapses.
    """
    at = (state, op.index(soc))
    if not op.flow.collapsed.size or bool(op.flow.collapsed[at]):
        return ()
    net, flow = op.network, op.flow
    out = [WattShare(element=p.id, name=p.name, watts=float(op.load_w[(*at, k)])) for k, p in enumerate(net.loads)]
    for k, board in enumerate(net.converters):
        lost = float(flow.converter_input_w(k)[at] - flow.converter_output_w(k)[at])
        out.append(WattShare(element=board.id, name=board.name, watts=max(lost, 0.0)))
    amps = np.where(np.isfinite(flow.branch_a[at]), flow.branch_a[at], 0.0)
    for k, store in enumerate(op.plan.stores):
        lost = float((op.curves[k].ocv_v[at[1]] - op.store_v[(*at, k)]) * amps[k])
        out.append(WattShare(element=store.id, name=f"Inside {store.name}", watts=max(lost, 0.0)))
    first = len(op.plan.stores) + len(net.converters)
    wires = float(np.sum((flow.branch_ohm[at] * amps**2)[first:]))
    out.append(WattShare(element="", name="Wires, switches and contacts", watts=wires))
    return tuple(sorted((s for s in out if s.watts > 0), key=lambda s: -s.watts))


def sources(network: HeatNetwork, shares: tuple[WattShare, ...], plan: Plan) -> Array:
    """Watts set free in each lump: in the cells, in the boards that stand for themselves, the rest in the air.

    Parameters
    ----------
    network : HeatNetwork
        With n lumps.
    shares : tuple of WattShare
        Where the watts become heat.
    plan : Plan
        The build.

    Returns
    -------
    ndarray, shape (n,)
        Watts.
    """
    place = {n.element: k for k, n in enumerate(network.nodes) if n.element} | {p.id: CELLS for p in plan.packs}
    out = np.zeros(len(network.nodes))
    for share in shares:
        out[place.get(share.element, AIR)] += share.watts
    return out
