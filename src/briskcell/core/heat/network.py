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

from briskcell.core.heat.case import AIR_OVER_SKIN, CAPACITY, case_conductance, cells_limit_c, touch_limit_c
from briskcell.model.parts import Converter, Load
from briskcell.model.plan import Plan

Array = NDArray[np.float64]
SKIN, AIR, CELLS = 0, 1, 2
SHELL_SHARE = 0.5  # of what is neither cells nor boards, the shell; the rest warms with the air: a guess
CELL_FILM = 9.0  # W/m²K from a cell's side to the air inside
CELL_FREE = 0.75  # of a cell's sides, that no other cell covers; a wall takes no less than air does: a guess
BOARD_J_K = 8.0  # of a small board with its coil: 10 g of copper, epoxy and ferrite at 0.8 J/gK; typical
CELL_G_AH, CELL_M2 = 20.0, 0.004  # of a cell that states no mass or size: as a 18650 has
LEAST_J_K, LEAST_W_K = 1.0, 1e-3  # where there is nothing
LONG_S, HALVINGS = 1e7, 40  # when a case has settled, and steps to a crossing in as long: to some 10 µs


def lasting(watts: Array) -> tuple[Array, Array]:
    """Watts that do not change, as ``HeatNetwork.through`` takes them.

    Parameters
    ----------
    watts : ndarray, shape (n,)
        What is set free in each lump. [W]

    Returns
    -------
    tuple of ndarray, shapes (2, n) and (2,)
        The watts, and the moments, until the case has settled. [W, s]
    """
    return np.stack((watts, watts)), np.array((0.0, LONG_S))


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

    @property
    def limits_c(self) -> Array:
        """What each lump may reach in use; inf where nothing is stated. [°C]"""
        return np.array([n.limit_c for n in self.nodes])

    def through(self, watts: Array, seconds: Array) -> Array:
        """Rise of each lump over the room from a cold case on, under watts that change.

        Parameters
        ----------
        watts : ndarray, shape (t, n)
            What is set free in each lump at each moment; between two of them their mean. [W]
        seconds : ndarray, shape (t,)
            The moments, rising from the begin. [s]

        Returns
        -------
        ndarray, shape (t, n)
            Kelvin, none at the first.
        """
        _, vectors, root = self._modes
        return np.asarray(self._moved(watts, seconds)[0] @ vectors.T / root)

    def passed_s(self, watts: Array, seconds: Array, lump: int, rise_k: float) -> float | None:
        """When a lump first passes a rise, from a cold case on, under watts that change.

        Parameters
        ----------
        watts : ndarray, shape (t, n)
            As ``through`` takes them. [W]
        seconds : ndarray, shape (t,)
            The moments. [s]
        lump : int
            Which.
        rise_k : float
            Over the room. [K]

        Returns
        -------
        float or None
            None where it never does, 0 where it is over from the start. [s]
        """
        if rise_k <= 0:
            return 0.0
        rates, vectors, root = self._modes
        modes, toward = self._moved(watts, seconds)
        seen = vectors[lump] / root[lump]
        over = np.flatnonzero(modes @ seen > rise_k)
        if not len(over):
            return None
        k = int(over[0]) - 1
        low, high = 0.0, float(seconds[k + 1] - seconds[k])
        for _ in range(HALVINGS):
            middle = 0.5 * (low + high)
            risen = float((toward[k] + (modes[k] - toward[k]) * np.exp(-middle * rates)) @ seen)
            low, high = (low, middle) if risen > rise_k else (middle, high)
        return float(seconds[k]) + high

    def _moved(self, watts: Array, seconds: Array) -> tuple[Array, Array]:
        """The modes at each moment, (t, n), and where each step between two leads, (t − 1, n)."""
        rates, vectors, root = self._modes
        toward = 0.5 * (watts[1:] + watts[:-1]) / root @ vectors / rates
        falls = np.exp(-np.diff(seconds)[:, None] * rates)
        modes = np.zeros(watts.shape)
        for k, (end, fall) in enumerate(zip(toward, falls, strict=True)):
            modes[k + 1] = end + (modes[k] - end) * fall
        return modes, toward


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
    cells_kg, film_g = cells_film(plan)
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
    join(AIR, CELLS, film_g)
    for k, part in enumerate(own):
        theta = _theta(part)
        join(AIR, CELLS + 1 + k, 1.0 / max(theta or 0.0, 1e-3))
    room = np.zeros(size)
    room[SKIN] = out_g
    matrix[SKIN, SKIN] += out_g
    nodes = (
        HeatNode("Skin of the case", "", touch_limit_c(plan)),
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


def cells_film(plan: Plan) -> tuple[float, float]:
    """Mass of all cells, and the conductance of their free sides to the air.

    Parameters
    ----------
    plan : Plan
        The build.

    Returns
    -------
    tuple of float
        As good as nothing where there are none. [kg, W/K]
    """
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
    return kg, max(CELL_FILM * CELL_FREE * area, LEAST_W_K)
